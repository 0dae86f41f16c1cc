package engine

import (
	"slices"

	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// Variables may refer to players by their ids (rule 51). When a player is deleted, what refers to them becomes none: at
// once in a session that is open, and of what is saved when it is loaded.

// refers are the variables of a holding that refer to players.
func refers(h *model.Holding) []*model.Var {
	return slices.DeleteFunc(slices.Clone(h.Stored), func(v *model.Var) bool { return v.Type.Kind != types.Player })
}

// meant are players to whom something refers.
type meant []string

func (out *meant) see(h *model.Holding, values save.Values) {
	for _, v := range refers(h) {
		if value := values[v.ID]; value.Kind == types.IsText {
			*out = append(*out, value.Text)
		}
	}
}

// seeLists looks at what is held for each option of each list.
func (out *meant) seeLists(m *model.Model, lists save.Props, of func(*model.List) *model.Holding) {
	for list, each := range lists {
		for _, values := range each {
			out.see(of(m.List(list)), values)
		}
	}
}

// seePlayer looks at a player's own values and those for scenes, props and options.
func (out *meant) seePlayer(m *model.Model, own save.Values, scenes map[string]save.Values, props, lists save.Props) {
	out.see(m.Holders[model.OfPlayer], own)
	for _, values := range scenes {
		out.see(m.Holders[model.OfPlayerScene], values)
	}
	for kind, each := range props {
		for _, values := range each {
			out.see(m.Kind(kind).Players, values)
		}
	}
	out.seeLists(m, lists, func(l *model.List) *model.Holding { return l.Players })
}

func (out *meant) seeWorld(m *model.Model, w *save.World) {
	if w == nil {
		return
	}
	out.see(m.Holders[model.OfGame], w.Values)
	for _, values := range w.Scenes {
		out.see(m.Holders[model.OfScene], values)
	}
	for kind, each := range w.Props {
		for _, values := range each {
			out.see(m.Kind(kind).Own, values)
		}
	}
	out.seeLists(m, w.Lists, func(l *model.List) *model.Holding { return l.Own })
}

func (out meant) inOrder() []string {
	slices.Sort(out)
	return slices.Compact(out)
}

// Refers lists the players to whom something in a save refers, in the record of its checkpoint or in the profile that
// belongs to it: each once and in order.
func Refers(m *model.Model, p *save.Player) []string {
	var out meant
	out.seePlayer(m, p.Values, p.Scenes, p.Props, p.Lists)
	out.seePlayer(m, p.Record.Values, p.Record.Scenes, p.Record.Props, p.Record.Lists)
	out.seeWorld(m, p.World)
	out.seeWorld(m, p.Record.World)
	if p.Profile != nil {
		out.see(m.Profile, p.Profile.Values)
		out.seeLists(m, p.Profile.Lists, func(l *model.List) *model.Holding { return l.Profile })
	}
	return out.inOrder()
}

// RefersWorld is Refers for a world.
func RefersWorld(m *model.Model, w *save.World) []string {
	var out meant
	out.seeWorld(m, w)
	return out.inOrder()
}

// deleted makes none of everything in the session that refers to a player who was deleted.
func (t *tx) deleted(id string) {
	t.forgetIn(id, nil, t.everyWorldCopy())
	for _, p := range t.run.order {
		t.forgetIn(id, p, t.everyCopy(p))
	}
}

// forgetIn makes none of what some owners have that refers to a player.
func (t *tx) forgetIn(id string, p *Player, owners []owner) {
	t.cause = &Cause{Kind: "request", Moment: id + " was deleted"}
	for _, o := range owners {
		for _, v := range refers(t.run.m.Holders[o.hold]) {
			values := t.run.values(o)
			if values == nil || values[v.Slot] != types.OfText(id) {
				continue
			}
			t.write(o, v, types.None, false)
			t.tell(Notice{Player: playerID(p), To: toWhom(p), Kind: "gone", ID: v.Name,
				Text: v.Title + ": " + id + " was deleted."})
		}
	}
	if p != nil {
		t.forgetRecord(id, p)
	}
}

func toWhom(p *Player) string {
	if p == nil {
		return "everyone"
	}
	return "player"
}

// forgetRecord does the same with what rewinds at death.
func (t *tx) forgetRecord(id string, p *Player) {
	if p.record == nil {
		return
	}
	rec, changed := p.record.clone(), false
	drop := func(h *model.Holding, values []types.Value) {
		for _, v := range refers(h) {
			if v.Slot < len(values) && values[v.Slot] == types.OfText(id) {
				values[v.Slot], changed = types.None, true
			}
		}
	}
	drop(t.run.m.Holders[model.OfPlayer], rec.player)
	drop(t.run.m.Holders[model.OfGame], rec.game)
	for _, values := range rec.scenes {
		drop(t.run.m.Holders[model.OfScene], values)
	}
	for _, c := range []copies{rec.pairs, rec.props} {
		for key, values := range c {
			drop(t.run.m.Holders[key.hold], values)
		}
	}
	if changed {
		t.touch(p)
		p.record = rec
	}
}

// everyCopy are all that a player has, as far as it was ever changed.
func (t *tx) everyCopy(p *Player) []owner {
	out := []owner{{int(model.OfPlayer), p, -1}}
	if h := t.run.m.Profile; len(h.Stored) > 0 {
		out = append(out, owner{h.Index, p, -1})
	}
	for _, key := range keysOf(p.pairs) {
		out = append(out, owner{key.hold, p, key.at})
	}
	return out
}

// everyWorldCopy are all that the world has, as far as it was ever changed.
func (t *tx) everyWorldCopy() []owner {
	out := []owner{{int(model.OfGame), nil, -1}}
	for i := range t.run.scenes {
		out = append(out, owner{int(model.OfScene), nil, i})
	}
	for _, key := range keysOf(t.run.props) {
		out = append(out, owner{key.hold, nil, key.at})
	}
	return out
}
