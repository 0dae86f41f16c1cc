package engine

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
)

// What a player has over all slots (rules 47 to 49) is in a document of its own. It comes with the player who joins,
// and goes with whatever is saved of them.

// loadProfile takes over what a player has over all slots.
func (t *tx) loadProfile(p *Player, s *save.Profile) {
	r := t.run
	if s == nil {
		return
	}
	for i, v := range r.m.Profile.Stored {
		if value, ok := s.Values[v.ID]; ok {
			p.profile[i] = r.held(v, value)
		}
	}
	r.listsIn(p.pairs, s.Lists, model.OfProfileList)
	p.metOver, p.atticOver = r.metIn(s.Crossed, r.metNow()), s.Attic
}

// profileOut is what a player has over all slots, as it is saved; nil where the plan has nothing of the kind.
func (r *Run) profileOut(p *Player) *save.Profile {
	if !r.m.HasProfile() {
		return nil
	}
	out := &save.Profile{Game: r.m.Plan.Game.Name, Version: r.m.Plan.Version.Value, Player: p.id, Values: save.Values{},
		Lists: r.propsOut(p.pairs, model.OfProfileList, everything), Crossed: r.metOut(p.metOver), Attic: p.atticOver}
	for i, v := range r.m.Profile.Stored {
		out.Values[v.ID] = r.shown(v, p.profile[i])
	}
	return out
}
