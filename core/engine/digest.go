package engine

import (
	"cmp"
	"slices"

	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// snapshot is a session's whole state in the form that its digest is taken over.
type snapshot struct {
	World    *save.World              `json:"world"`
	Players  map[string]*save.Player  `json:"players"`
	BackAt   map[string]int64         `json:"back_at,omitempty"`
	Timers   []int64                  `json:"timers,omitempty"`
	Own      map[string][]int64       `json:"own_timers,omitempty"`
	MovedAt  map[string]int64         `json:"moved_at,omitempty"`
	Shared   map[string]save.Values   `json:"shared,omitempty"` // what players have of commons
	Profiles map[string]*save.Profile `json:"profiles,omitempty"`
	Seeds    []uint32                 `json:"seeds,omitempty"` // the session's, and how many were made of it
	// Arrivals are how often players were put somewhere since they joined, where that was more than once.
	Arrivals map[string]int `json:"arrivals,omitempty"`
}

// Digest is SHA-256 over the session's canonical state, in hexadecimal (rule 26). It does not change as
// time goes on: a stopwatch is part of it by when it was zero, not by what it reads now. Two sessions
// with the same digest answer the same requests alike.
func (r *Run) Digest() string {
	now := r.clock
	r.clock = 0
	defer func() { r.clock = now }()
	s := snapshot{World: r.World(), Players: map[string]*save.Player{}, BackAt: map[string]int64{}, Timers: r.timers,
		Own: map[string][]int64{}}
	if r.sown > 0 {
		s.Seeds = []uint32{r.seed, r.sown}
	}
	for _, p := range r.order {
		if r.m.Fastest.Sign() > 0 {
			if s.MovedAt == nil {
				s.MovedAt = map[string]int64{}
			}
			s.MovedAt[p.id] = p.movedAt
		}
		s.Players[p.id] = r.save(p)
		if one := s.Players[p.id].Profile; one != nil {
			if s.Profiles == nil {
				s.Profiles = map[string]*save.Profile{}
			}
			s.Profiles[p.id] = one
		}
		for i, v := range r.m.Holders[model.OfPlayer].Stored {
			if v.Shared == nil {
				continue
			}
			if s.Shared == nil {
				s.Shared = map[string]save.Values{}
			}
			if s.Shared[p.id] == nil {
				s.Shared[p.id] = save.Values{}
			}
			s.Shared[p.id][v.ID] = p.vars[i]
		}
		if p.arrival > 1 {
			if s.Arrivals == nil {
				s.Arrivals = map[string]int{}
			}
			s.Arrivals[p.id] = p.arrival
		}
		if len(p.timers) > 0 {
			s.Own[p.id] = p.timers
		}
		if p.dead {
			s.BackAt[p.id] = p.backAt
		}
	}
	return save.Digest(s)
}

// Figure is one value as it stands now. Scene, Prop or Option say whose, where each has one.
type Figure struct {
	Var    *model.Var
	Scene  string
	Prop   string
	Option string
	Value  types.Value
}

// Figures are all values that a player has, stored and computed, in the plan's order; then those for scenes
// and props that were ever changed.
func (r *Run) Figures(player string) []Figure {
	p := r.players[player]
	if p == nil {
		return nil
	}
	out := r.figures(nil, owner{int(model.OfPlayer), p, -1})
	if h := r.m.Profile; h.Index >= 0 {
		out = r.figures(out, owner{h.Index, p, -1})
	}
	for _, key := range keysOf(p.pairs) {
		out = r.figures(out, owner{key.hold, p, key.at})
	}
	return out
}

// GameFigures are all values that the game holds, and those of the options of lists that were ever changed.
func (r *Run) GameFigures() []Figure {
	out := r.figures(nil, owner{int(model.OfGame), nil, -1})
	for _, key := range keysOf(r.props) {
		if r.m.Holders[key.hold].List != nil {
			out = r.figures(out, owner{key.hold, nil, key.at})
		}
	}
	return out
}

// SceneFigures are all values that a scene holds, and those of its props that were ever changed.
func (r *Run) SceneFigures(scene string) []Figure {
	s := r.m.Scene(scene)
	if s == nil {
		return nil
	}
	out := r.figures(nil, owner{int(model.OfScene), nil, s.Index})
	for _, key := range keysOf(r.props) {
		if r.m.Holders[key.hold].Kind != nil && r.m.Props[key.at].Scene == s {
			out = r.figures(out, owner{key.hold, nil, key.at})
		}
	}
	return out
}

// keysOf lists copies in a fixed order.
func keysOf(c copies) []copyKey {
	if len(c) == 0 {
		return nil
	}
	keys := make([]copyKey, 0, len(c))
	for key := range c {
		keys = append(keys, key)
	}
	if len(keys) > 1 {
		slices.SortFunc(keys, func(a, b copyKey) int { return cmp.Or(a.hold-b.hold, a.at-b.at) })
	}
	return keys
}

// figures adds what an owner has. A value whose expression fails is shown as none.
func (r *Run) figures(out []Figure, o owner) []Figure {
	h := r.m.Holders[o.hold]
	for _, v := range r.m.Vars {
		if v.Hold != h || v.In != nil && !r.has(v, o.at) {
			continue
		}
		x := Figure{Var: v}
		if o.at >= 0 {
			var c Change
			r.place(&c, v, o.at)
			x.Scene, x.Prop, x.Option = c.Scene, c.Prop, c.Option
		}
		x.Value = r.read(v, o)
		out = append(out, x)
	}
	return out
}

// read is what an owner's variable is now; none where its expression fails.
func (r *Run) read(v *model.Var, o owner) types.Value {
	f := frame{run: r}
	f.aboutOwner(o)
	if v.Computed() {
		if value := f.computed(v, o); f.err == nil {
			return value
		}
		return types.None
	}
	if values := r.values(o); values != nil {
		return r.shown(v, values[v.Slot])
	}
	return v.Start
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

// Checkpoints lists those that a present player has reached in this run, in the plan's order.
func (r *Run) Checkpoints(player string) []string {
	var out []string
	if p := r.players[player]; p != nil {
		for i, used := range p.used {
			if used {
				out = append(out, r.m.Checkpoints[i].ID)
			}
		}
	}
	return out
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
