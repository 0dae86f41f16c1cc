package engine

import (
	"slices"

	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// A movable is either with exactly one player or at exactly one place (rule 5): thing has one of the two.

// home is where a movable is at first.
func (r *Run) home(m *model.Movable) Place { return spotPlace(m.Start, "") }

// thingPlace is where a movable is: with whoever holds it.
func (r *Run) thingPlace(i int) Place {
	if p := r.things[i].holder; p != nil {
		return p.place
	}
	return r.things[i].at
}

// setThing puts a movable with a player, or at a place.
func (t *tx) setThing(m *model.Movable, to thing) {
	was := t.run.things[m.Index]
	if was == to {
		return
	}
	t.watchWorld()
	for _, p := range []*Player{was.holder, to.holder} {
		if p != nil {
			t.watchPlayer(p)
		}
	}
	t.things = append(t.things, thingUndo{m.Index, was})
	t.note(nil, "movables."+m.ID, t.run.thingText(was), t.run.thingText(to))
	t.run.things[m.Index] = to
	t.weighForAll(t.run.m.WeighedOnMove())
}

type thingUndo struct {
	index int
	old   thing
}

// thingText is where a movable is, as people read it.
func (r *Run) thingText(x thing) types.Value {
	if x.holder != nil {
		return types.OfText("with " + x.holder.id)
	}
	return types.OfText(r.PlaceText(x.at))
}

// take gives a movable to a player: it has to be free, in the same scene and within reach.
func (t *tx) take(p *Player, m *model.Movable) error {
	r := t.run
	now := r.things[m.Index]
	switch {
	case now.holder == p:
		return nil
	case now.holder != nil:
		return refuse(Refused, "%s has %s already.", now.holder.id, m.Title)
	case p.dead:
		return refuse(Refused, "The dead take nothing.")
	case now.at.Scene != p.place.Scene:
		return refuse(Refused, "%s is not here.", m.Title)
	case exceeds(between(now.at.At, p.place.At), r.m.Reach):
		return refuse(Refused, "%s is out of reach: within %s is needed.", m.Title, r.m.Reach)
	}
	t.setThing(m, thing{holder: p})
	t.tell(Notice{Player: p.id, To: "scene", Kind: "taken", Text: m.ID, ID: m.ID, Scene: r.m.Scenes[p.place.Scene].ID})
	return nil
}

// putDown sets a movable down where its holder is, or at a spot.
func (t *tx) putDown(p *Player, m *model.Movable, spot *model.Spot) error {
	if t.run.things[m.Index].holder != p {
		return refuse(Refused, "%s does not have %s.", p.id, m.Title)
	}
	at := p.place
	if spot != nil {
		at = spotPlace(spot, "")
	}
	t.dropAt(p, m, at)
	return nil
}

func (t *tx) dropAt(p *Player, m *model.Movable, at Place) {
	at.Facing = ""
	if m.NeverIn[t.run.m.Scenes[at.Scene]] {
		at = t.run.home(m)
	}
	t.setThing(m, thing{at: at})
	t.tell(Notice{Player: p.id, To: "scene", Kind: "set-down", Text: m.ID, ID: m.ID,
		Scene: t.run.m.Scenes[at.Scene].ID})
}

// dropAll sets everything down that a player holds, where they are.
func (t *tx) dropAll(p *Player) {
	for _, m := range t.run.m.Movables {
		if t.run.things[m.Index].holder == p {
			t.dropAt(p, m, p.place)
		}
	}
}

// barred refuses a way into a scene that something held never comes into.
func (t *tx) barred(p *Player, scene *model.Scene) error {
	for _, m := range t.run.m.Movables {
		if t.run.things[m.Index].holder == p && m.NeverIn[scene] {
			return refuse(Refused, "%s cannot be brought to %s; set it down first.", m.Title, scene.Title)
		}
	}
	return nil
}

// tellThings tells a player who has arrived what they hold and what stands there.
func (t *tx) tellThings(p *Player) {
	scene := t.run.m.Scenes[p.place.Scene]
	for i, x := range t.run.things {
		m := t.run.m.Movables[i]
		switch {
		case x.holder == p:
			t.tell(Notice{Player: p.id, To: "player", Kind: "holds", Text: m.ID, ID: m.ID, Scene: scene.ID})
		case x.holder == nil && x.at.Scene == scene.Index:
			t.tell(Notice{Player: p.id, To: "player", Kind: "stands", Text: m.ID + " at " + t.run.PlaceText(x.at),
				ID: m.ID, Scene: scene.ID})
		}
	}
}

// crossThings applies a column of the world to the movables.
func (t *tx) crossThings(column plan.Crossing) {
	for _, m := range t.run.m.Movables {
		if m.Fates.At(column).Kind == "reset" {
			t.fated("reset")
			t.setThing(m, thing{at: t.run.home(m)})
		}
	}
}

// Held lists the movables that a present player holds.
func (r *Run) Held(player string) []string {
	var out []string
	for i, x := range r.things {
		if x.holder != nil && x.holder.id == player {
			out = append(out, r.m.Movables[i].ID)
		}
	}
	return slices.Clip(out)
}

func (r *Run) holdsAnything(p *Player) bool {
	return slices.ContainsFunc(r.things, func(x thing) bool { return x.holder == p })
}
