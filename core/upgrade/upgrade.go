// Package upgrade holds one version of a plan against another: what becomes of saves that were written under
// the one when they are loaded under the other.
package upgrade

import (
	"cmp"
	"fmt"
	"slices"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

// Verdict is what a difference means for a save.
type Verdict string

// The verdicts, from harmless to harmful. A value that is lost is kept in the save's attic, where nothing
// reads it.
const (
	Safe     Verdict = "safe"     // every save loads with what it has
	Converts Verdict = "converts" // something becomes something else, as the text says
	Loses    Verdict = "loses"    // something that players have is gone, or some values of it
	Blocks   Verdict = "blocks"   // all of it would be lost: an upgrade step has to say what becomes of it
)

var rank = map[Verdict]int{Safe: 0, Converts: 1, Loses: 2, Blocks: 3}

// Difference is one thing in which two versions differ.
type Difference struct {
	What    string     `json:"what" doc:"variable, scene, spot, checkpoint, waymark, milestone, standing, movable, prop, option, event, passage, space; or step, of an upgrade that does nothing."`
	Name    string     `json:"name"`
	Change  string     `json:"change" doc:"added, gone, renamed, moved, dropped, converted, split, merged, type, limits, step, none, options, start, fate, sharing, size, unknown."`
	Verdict Verdict    `json:"verdict" enum:"safe,converts,loses,blocks"`
	Text    string     `json:"text" doc:"What it means, for people."`
	Suggest string     `json:"suggest,omitempty" doc:"The upgrade step that would keep it, where one can be guessed."`
	At      finding.At `json:"at" doc:"Where it stands: in the later text; of what is gone, in the earlier one."`
}

// Comparison is all in which two versions differ, seen from saves of the one that are loaded under the other.
type Comparison struct {
	Game        string       `json:"game"`
	From        int          `json:"from" doc:"The version that saves were written under."`
	To          int          `json:"to" doc:"The version that they are loaded under."`
	Overall     Verdict      `json:"overall" enum:"safe,converts,loses,blocks"`
	Differences []Difference `json:"differences"`
}

// Compare says what becomes of saves of one version under another, the worst first.
func Compare(from, to *model.Model) Comparison {
	c := &comparer{from: from, to: to, stages: between(from, to)}
	c.sources()
	c.variables()
	c.places()
	c.marks()
	c.things()
	c.options()
	c.requests()
	slices.SortStableFunc(c.found, func(a, b Difference) int {
		return cmp.Or(rank[b.Verdict]-rank[a.Verdict], cmp.Compare(a.What, b.What))
	})
	out := Comparison{Game: to.Plan.Game.Name, From: from.Plan.Version.Value, To: to.Plan.Version.Value, Overall: Safe,
		Differences: c.found}
	if out.Differences == nil {
		out.Differences = []Difference{} // nothing is null in JSON
	}
	for _, d := range c.found {
		if rank[d.Verdict] > rank[out.Overall] {
			out.Overall = d.Verdict
		}
	}
	return out
}

type comparer struct {
	from, to *model.Model
	stages   []*stage // on the way
	found    []Difference
}

func (c *comparer) tell(what, name, change string, verdict Verdict, at finding.At, format string,
	args ...any) *Difference {
	c.found = append(c.found, Difference{What: what, Name: name, Change: change, Verdict: verdict,
		Text: fmt.Sprintf(format, args...), At: at})
	return &c.found[len(c.found)-1]
}

// item is something with a name that stands in one version or in both.
type item struct {
	name string
	at   finding.At
}

// sets tells what of one kind is gone and what was added.
func (c *comparer) sets(what string, before, after []item, gone, added func(item)) {
	has := func(list []item, name string) bool {
		return slices.ContainsFunc(list, func(i item) bool { return i.name == name })
	}
	for _, i := range before {
		if !has(after, i.name) {
			gone(i)
		}
	}
	for _, i := range after {
		if !has(before, i.name) {
			added(i)
		}
	}
}

// listed tells what is gone, renamed and added where that is all there is to say.
func (c *comparer) listed(what string, before, after []item, lost Verdict, gone, added string) {
	space := what + "s"
	var known []item
	for _, i := range before {
		now := c.now(space, i.name)
		if now != i.name {
			c.tell(what, i.name, "renamed", Safe, i.at, "%s is %s now, with all that saves hold of it.", i.name, now)
		}
		known = append(known, item{now, i.at})
	}
	was := func(name string) string {
		for j, i := range known {
			if i.name == name {
				return before[j].name
			}
		}
		return name
	}
	c.sets(what, known, after, func(i item) {
		why := c.dropped(space, was(i.name))
		step := c.led(was(i.name))
		switch {
		case what == "scene" && step != nil:
			c.tell(what, i.name, "gone", Converts, step.At,
				"%s is gone: who is there, or remembers it, comes to %s; what it holds is kept in the attic.", i.name, step.To.Source)
		case why != "":
			c.tell(what, i.name, "dropped", lost, i.at, "%s is given up (%s): %s.", i.name, why, gone)
		default:
			c.tell(what, i.name, "gone", lost, i.at, "%s is gone: %s.", i.name, gone)
		}
	}, func(i item) { c.tell(what, i.name, "added", Safe, i.at, "%s is new: %s.", i.name, added) })
}

// sources tells of steps that read what the version before does not have, where it is the one that they read.
func (c *comparer) sources() {
	if len(c.stages) != 1 || c.stages[0].version != c.from.Plan.Version.Value+1 {
		return
	}
	for i := range c.stages[0].steps {
		x := &c.stages[0].steps[i]
		names := append([]plan.Given[string]{x.Convert, x.Options, x.Split, x.Move, x.Drop}, x.From...)
		for _, row := range x.Rename {
			names = append(names, row.From)
		}
		for _, name := range names {
			if name.Given && !c.from.Saves(name.Value) {
				near := finding.Nearest(name.Value, c.from.SavedNames())
				c.tell("step", name.Value, "unknown", Blocks, name.At,
					"Saves of version %d hold nothing called %s: this step does nothing.%s", c.from.Plan.Version.Value, name.Value, finding.DidYouMean(near))
			}
		}
		if x.Verb == "place" && c.from.Scene(x.Place.Name) == nil {
			c.tell("step", x.Place.Name, "unknown", Blocks, x.Place.At,
				"Version %d has no scene called %s: this step does nothing.", c.from.Plan.Version.Value, x.Place.Name)
		}
	}
}

func itemsOf[T any](list []T, of func(T) item) []item {
	out := make([]item, len(list))
	for i, x := range list {
		out[i] = of(x)
	}
	return out
}

// places compares the scenes.
func (c *comparer) places() {
	of := func(s *model.Scene) item { return item{s.ID, s.At} }
	c.listed("scene", itemsOf(c.from.Scenes, of), itemsOf(c.to.Scenes, of), Loses,
		"who is there comes to the checkpoint that they have reached, else to the fallback or the start; what it holds is kept in the attic", "nobody has been there")
	for _, s := range c.to.Scenes {
		old := c.from.Scene(s.ID)
		if old == nil || len(old.Size) != len(s.Size) {
			continue
		}
		for i, axis := range c.to.Axes {
			if old.Lo[i].Less(s.Lo[i]) || s.Hi[i].Less(old.Hi[i]) {
				c.tell("scene", s.ID, "size", Converts, s.At,
					"%s is smaller along %s: who is outside comes to the nearest point inside.", s.ID, axis)
				break
			}
		}
	}
	c.spots()
	if len(c.from.Axes) != len(c.to.Axes) {
		c.tell("space", "axes", "type", Loses, c.to.Plan.Game.At,
			"Places had %d coordinates, and have %d: everybody comes to the checkpoint that they have reached, else to the fallback or the start.", len(c.from.Axes), len(c.to.Axes))
	}
}

// spots compares the named positions. No save holds one: checkpoints, passages and starts are where their spots are.
func (c *comparer) spots() {
	of := func(m *model.Model) []item {
		var out []item
		for _, s := range m.Scenes {
			for _, spot := range s.Spots {
				out = append(out, item{spot.ID, spot.At})
			}
		}
		return out
	}
	c.sets("spot", of(c.from), of(c.to),
		func(i item) { c.tell("spot", i.name, "gone", Safe, i.at, "%s is gone: no save holds a spot.", i.name) },
		func(i item) { c.tell("spot", i.name, "added", Safe, i.at, "%s is new: no save holds a spot.", i.name) })
	for _, s := range c.to.Scenes {
		for _, spot := range s.Spots {
			if old := c.from.Spot(spot.ID); old != nil && old.Point != spot.Point {
				c.tell("spot", spot.ID, "moved", Safe, spot.At,
					"%s is elsewhere: who comes back to it comes to where it is now.", spot.ID)
			}
		}
	}
}

// marks compares what players have reached, remember and have earned.
func (c *comparer) marks() {
	point := func(p *model.Checkpoint) item { return item{p.ID, p.At} }
	c.listed("checkpoint", itemsOf(c.from.Checkpoints, point), itemsOf(c.to.Checkpoints, point), Loses,
		"who has reached it last has reached none", "nobody has reached it")
	mark := func(w *model.Waymark) item { return item{w.ID, w.At} }
	c.listed("waymark", itemsOf(c.from.Waymarks, mark), itemsOf(c.to.Waymarks, mark), Loses,
		"what is remembered by it is forgotten", "it is none for everybody")
	stone := func(m *model.Milestone) item { return item{m.ID, m.At} }
	c.listed("milestone", itemsOf(c.from.Milestones, stone), itemsOf(c.to.Milestones, stone), Loses,
		"who has earned it has it no more", "it is evaluated when a save is loaded")
	standing := func(s *model.Standing) item { return item{s.ID, s.At} }
	c.listed("standing", itemsOf(c.from.Standings, standing), itemsOf(c.to.Standings, standing), Loses,
		"the best numbers of everybody are gone with it", "it begins with what players have when they come next")
}

// things compares what belongs to the world.
func (c *comparer) things() {
	movable := func(m *model.Movable) item { return item{m.ID, m.At} }
	c.listed("movable", itemsOf(c.from.Movables, movable), itemsOf(c.to.Movables, movable), Loses,
		"wherever it was left", "it is at its start in every world")
	prop := func(p *model.Prop) item { return item{p.Name, p.At} }
	c.listed("prop", itemsOf(c.from.Props, prop), itemsOf(c.to.Props, prop), Loses,
		"what it holds, and what players have for it, is kept in the attic", "nobody has touched it")
}

// options compares what can be picked.
func (c *comparer) options() {
	list := func(l *model.List) item { return item{l.ID, l.At} }
	c.listed("list", itemsOf(c.from.Lists, list), itemsOf(c.to.Lists, list), Loses,
		"what is held for its options is kept in the attic", "nothing was held for its options")
	for _, r := range c.to.Lists {
		old := c.from.List(c.was("lists", r.ID))
		if old == nil {
			continue
		}
		var before, after []item
		for _, o := range old.Options {
			before = append(before, item{o.ID, o.At})
		}
		for _, o := range r.Options {
			after = append(after, item{o.ID, o.At})
		}
		c.sets("option", before, after,
			func(i item) {
				c.optionGone(old, i)
			},
			func(i item) {
				c.tell("option", r.ID+"."+i.name, "added", Safe, i.at, "%s can be picked.", i.name)
			})
	}
}

// optionGone tells what becomes of an option that is there no more.
func (c *comparer) optionGone(l *model.List, i item) {
	name := l.ID + "." + i.name
	for _, s := range c.stages {
		steps := s.lists[l.ID]
		if steps == nil {
			continue
		}
		if to := steps.becomes[i.name]; to != "" {
			c.tell("option", name, "renamed", Converts, i.at,
				"%s is %s, wherever it is kept and in all that is held for it.",
				i.name, to)
			return
		}
		if why, ok := steps.drops[i.name]; ok {
			c.tell("option", name, "dropped", Loses, i.at,
				"%s is given up (%s): lists and sets lose just it, a choice that is it becomes none or has its start, and the attic keeps what was held for it.", i.name, why)
			return
		}
	}
	if to := c.optionOf(l.ID, i.name); to != "" {
		c.tell("option", name, "renamed", Converts, i.at, "Who has picked %s has %s.", i.name, to)
		return
	}
	text := "%s cannot be picked any more: who has picked it has what the pick starts with; a list is without it"
	if len(l.Own.Stored)+len(l.Players.Stored) > 0 {
		text += ", and what is held for it is kept in the attic"
	}
	c.tell("option", name, "gone", Loses, i.at, text+".", i.name)
}

// was is what something that holds no values was called before.
func (c *comparer) was(space, id string) string {
	for _, s := range slices.Backward(c.stages) {
		for old, now := range s.names[space] {
			if now == id {
				id = old
				break
			}
		}
	}
	return id
}

// optionOf is what every pick of a roster makes of an option that is gone; "" where one of them says nothing.
func (c *comparer) optionOf(roster, option string) string {
	to := ""
	for _, v := range stored(c.from) {
		if v.Type.Roster == nil || v.Type.Roster.ID != roster {
			continue
		}
		to = ""
		for _, x := range c.follow(v.Name).does {
			if now := x.Map.Get(option); now != nil {
				to = now.Name
			}
		}
		if to == "" {
			return ""
		}
	}
	return to
}

// requests compares what games ask for: it is no part of a save, but a game that asks for it is told no.
func (c *comparer) requests() {
	event := func(e *model.Event) item { return item{e.ID, e.At} }
	c.listed("event", itemsOf(c.from.Events, event), itemsOf(c.to.Events, event), Safe,
		"games that send it are refused", "no save has to do with it")
	passage := func(p *model.Passage) item { return item{p.ID, p.At} }
	c.listed("passage", itemsOf(c.from.Passages, passage), itemsOf(c.to.Passages, passage), Safe,
		"games that ask for it are refused", "no save has to do with it")
}
