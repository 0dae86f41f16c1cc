package engine

import (
	"alluvion/core/expr"
	"alluvion/core/model"
	"alluvion/core/save"
)

// snapshot is a session's whole state in the form that its digest is taken over.
type snapshot struct {
	World   *save.World             `json:"world"`
	Players map[string]*save.Player `json:"players"`
	BackAt  map[string]int64        `json:"back_at,omitempty"`
	Timers  []int64                 `json:"timers,omitempty"`
	Own     map[string][]int64      `json:"own_timers,omitempty"`
}

// Digest is SHA-256 over the session's canonical state, in hexadecimal (rule 26). It does not change as
// time goes on: a stopwatch is part of it by when it was zero, not by what it reads now. Two sessions
// with the same digest answer the same requests alike.
func (r *Run) Digest() string {
	now := r.clock
	r.clock = 0
	defer func() { r.clock = now }()
	s := snapshot{World: r.World(), Players: map[string]*save.Player{}, BackAt: map[string]int64{}, Timers: r.timers, Own: map[string][]int64{}}
	for _, p := range r.order {
		s.Players[p.id] = r.save(p)
		if len(p.timers) > 0 {
			s.Own[p.id] = p.timers
		}
		if p.dead {
			s.BackAt[p.id] = p.backAt
		}
	}
	return save.Digest(s)
}

// Figure is one value as it stands now.
type Figure struct {
	Var   *model.Var
	Value expr.Value
}

// Figures are all values that a player has, stored and computed, in the plan's order.
func (r *Run) Figures(player string) []Figure {
	p := r.players[player]
	if p == nil {
		return nil
	}
	return r.figures(model.OfPlayer, expr.Ref{Who: expr.Self}, frame{run: r, player: p, scene: -1})
}

// GameFigures are all values that the game holds.
func (r *Run) GameFigures() []Figure {
	return r.figures(model.OfGame, expr.Ref{Who: expr.Game}, frame{run: r, scene: -1})
}

// SceneFigures are all values that a scene holds.
func (r *Run) SceneFigures(scene string) []Figure {
	s := r.m.Scene(scene)
	if s == nil {
		return nil
	}
	return r.figures(model.OfScene, expr.Ref{Who: expr.OneScene, Index: s.Index}, frame{run: r, scene: s.Index})
}

// figures reads every variable of a holder. One whose expression fails is shown as none.
func (r *Run) figures(h model.Holder, ref expr.Ref, f frame) []Figure {
	var out []Figure
	for _, v := range r.m.Vars {
		if v.Holder != h {
			continue
		}
		ref.What, ref.Slot = expr.Variable, v.Slot
		value := f.Read(ref)
		if f.err != nil {
			value, f.err = expr.None, nil
		}
		out = append(out, Figure{v, value})
	}
	return out
}

// Place is where a present player is.
func (r *Run) Place(player string) (save.Place, bool) {
	p := r.players[player]
	if p == nil {
		return save.Place{}, false
	}
	return r.placeOut(p.place), true
}

// Waymarks are the places that a present player remembers.
func (r *Run) Waymarks(player string) map[string]save.Place {
	p := r.players[player]
	if p == nil {
		return nil
	}
	return r.marksOut(p.marks, func(*model.Waymark) bool { return true })
}

// State is what is built in of a present player.
func (r *Run) State(player string) (dead bool, checkpoint string) {
	p := r.players[player]
	if p == nil {
		return false, ""
	}
	if p.reached >= 0 {
		checkpoint = r.m.Checkpoints[p.reached].ID
	}
	return p.dead, checkpoint
}
