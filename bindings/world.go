package bindings

import (
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
)

// worldOf is what a game draws and asks by: scenes with their extent, spots and areas, passages, props, checkpoints,
// and what options say of themselves. Coordinates are in the plan's unit.
func worldOf(m *model.Model) object {
	axes := len(m.Axes)
	at := func(p [model.MaxAxes]fixed.Num) any { return treeOf(p[:axes]) }
	spot := func(s *model.Spot) any {
		if s == nil {
			return ""
		}
		return s.ID
	}
	out := object{}.with("title", titled(m.Plan.Title.Value, m.Plan.Game.Name)).with("axes", treeOf(m.Axes)).
		with("unit", m.Plan.Space.Unit.Value).with("step", treeOf(m.Step)).with("reach", treeOf(m.Reach)).with("start", m.Start.ID)
	var scenes, passages, props, points, milestones, movables, lists object
	for _, s := range m.Scenes {
		var spots, areas object
		for _, x := range s.Spots {
			is := object{}.with("at", at(x.Point)).with("facing", x.Facing).with("span", spansOf(m, x))
			spots = append(spots, member{local(x.ID), is})
		}
		for _, x := range s.Areas {
			if x.Prop == nil {
				areas = append(areas, member{local(x.ID), areaOf(x, at)})
			}
		}
		scenes = append(scenes, member{s.ID, object{}.with("title", titled(s.Title, s.ID)).with("low", at(s.Lo)).
			with("size", treeOf(s.Size)).with("spots", spots).with("areas", areas)})
	}
	for _, p := range m.Passages {
		is := object{}.with("title", p.Title).with("from", p.From.ID).with("to", spot(p.To)).with("bothWays", p.BothWays)
		if p.Waymark != nil {
			is = is.with("waymark", p.Waymark.ID)
		}
		passages = append(passages, member{p.ID, is})
	}
	for _, k := range m.Kinds {
		var placed object
		for _, p := range k.Props {
			placed = append(placed, member{p.ID, object{}.with("scene", p.Scene.ID).with("at", at(p.Point))})
		}
		props = append(props, member{k.ID, placed})
	}
	for _, p := range m.Checkpoints {
		where := spot(p.Spot)
		if p.Area != nil {
			where = p.Area.ID
		}
		points = append(points, member{p.ID, object{}.with("at", where)})
	}
	for _, x := range m.Milestones {
		milestones = append(milestones, member{x.ID, object{}.with("title", titled(x.Title, x.ID))})
	}
	for _, x := range m.Movables {
		movables = append(movables, member{x.ID, object{}.with("title", titled(x.Title, x.ID)).with("start", x.Start.ID)})
	}
	for _, l := range m.Lists {
		lists = append(lists, member{l.ID, optionsOf(l)})
	}
	out = append(out.with("scenes", scenes).with("passages", passages), member{"props", props}) // also where there are none
	return out.with("checkpoints", points).with("milestones", milestones).with("movables", movables).with("lists", lists)
}

// spansOf are the axes along which a spot is an edge: from where to where, both ends included.
func spansOf(m *model.Model, x *model.Spot) (out object) {
	for i, axis := range m.Axes {
		if span := x.Span[i]; span != nil {
			out = append(out, member{axis, treeOf([]fixed.Num{span.Lo, span.Hi})})
		}
	}
	return out
}

// local is the name of a spot or an area in its scene.
func local(id string) string {
	for i := range id {
		if id[i] == '/' {
			return id[i+1:]
		}
	}
	return id
}

func areaOf(x *model.Area, at func([model.MaxAxes]fixed.Num) any) object {
	out := object{}.with("title", x.Title)
	if x.Ball {
		return out.with("center", at(x.Center)).with("radius", treeOf(x.Radius))
	}
	return out.with("low", at(x.Lo)).with("high", at(x.Hi))
}

// optionsOf is what a list's options say of themselves.
func optionsOf(l *model.List) object {
	var out object
	names := sortedKeys(l.Roster.Attributes)
	for _, o := range l.Options {
		is := object{}.with("title", titled(o.Title, o.ID))
		for _, name := range names {
			if v, has := l.Roster.Attributes[name].Values[o.ID]; has {
				is = is.with(name, treeOf(v))
			}
		}
		out = append(out, member{o.ID, is})
	}
	return out
}
