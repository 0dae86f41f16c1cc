package engine

import (
	"slices"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// What stands here is for whoever sends a session's state on to players' machines: reading only, and quick. What is
// given belongs to the session and is good until its next step.

// Now lists the present players, by id.
func (r *Run) Now() []*Player { return r.order }

// ID is the player's id.
func (p *Player) ID() string { return p.id }

// Slot is the slot that the player plays in.
func (p *Player) Slot() int { return p.slot }

// Visits counts the player's visits, this one included.
func (p *Player) Visits() int { return p.visits }

// Dead says whether the player is dead.
func (p *Player) Dead() bool { return p.dead }

// Where is the player's place, since when (in the session's time, milliseconds), and how often in this visit the
// player was put somewhere and did not walk there. Joining counts as the first time.
func (p *Player) Where() (at Place, since int64, arrival int) { return p.place, p.placed, p.arrival }

// Reached is the index of the checkpoint reached, -1 where none was.
func (p *Player) Reached() int { return p.reached }

// Earned says of each milestone whether the player has it.
func (p *Player) Earned() []bool { return p.earned }

// Mark is a waymark of the player; false where it is none.
func (p *Player) Mark(waymark int) (Place, bool) { return p.marks[waymark].at, p.marks[waymark].set }

// Copy names one copy of what pairs or props hold.
type Copy struct{ Hold, At int }

// Pairs lists what a player has for scenes, props and options that was ever changed, in a fixed order.
func (p *Player) Pairs() []Copy { return copiesList(p.pairs) }

// PropCopies lists the props, and the options of lists, whose own state was ever changed, in a fixed order.
func (r *Run) PropCopies() []Copy { return copiesList(r.props) }

func copiesList(c copies) []Copy {
	if len(c) == 0 {
		return nil
	}
	out := make([]Copy, 0, len(c))
	for _, key := range keysOf(c) {
		out = append(out, Copy{key.hold, key.at})
	}
	return out
}

// Thing is where a movable is: with a player, or at a place.
func (r *Run) Thing(index int) (holder *Player, at Place) {
	return r.things[index].holder, r.things[index].at
}

// ValueOf reads a variable of its holder: the player where players have one each, and the scene or prop where each has
// one (else -1). Of a stopwatch that runs it is the session's time, in seconds, at which it read zero.
func (r *Run) ValueOf(v *model.Var, p *Player, at int) (value types.Value, runs bool) {
	o := owner{v.Hold.Index, p, at}
	if v.Computed() || !v.Stopwatch {
		return r.read(v, o), false
	}
	values := r.values(o)
	if values == nil {
		return v.Start, false
	}
	held := values[v.Slot]
	if held.Bool && v.While != nil {
		return types.OfNum(held.Num), false
	}
	return types.OfNum(held.Num), true
}

// Shown are the values that a player has of some variables of players, by name, as people know them.
func (r *Run) Shown(p *Player, vars []*model.Var) map[string]types.Value {
	out := map[string]types.Value{}
	for _, v := range vars {
		out[v.Name] = r.read(v, owner{v.Hold.Index, p, -1})
	}
	return out
}

// Sum adds up a number over all that have it: the game, each scene, prop or option, each player who is here. It is exact, or
// stops at what a number can be.
func (r *Run) Sum(v *model.Var) fixed.Num {
	var sum fixed.Num
	add := func(p *Player, at int) {
		if more, err := sum.Add(r.read(v, owner{v.Hold.Index, p, at}).Num); err == nil {
			sum = more
		}
	}
	copies := r.m.Copies(v.Hold)
	of := func(p *Player) {
		if copies == nil {
			add(p, -1)
		}
		for _, at := range copies {
			if v.In == nil || v.In[r.m.Scenes[at]] {
				add(p, at)
			}
		}
	}
	if !v.Holder.OfPlayers() {
		of(nil)
		return sum
	}
	for _, p := range r.order {
		of(p)
	}
	return sum
}

// Keepers hands out the variables that keep their value at a crossing and have another one than at the start, so that it
// would be lost otherwise: what the player has whom it happened to, what the game has, and that of which one at least of
// all that have it is not as at the start.
func (r *Run) Keepers(cross plan.Crossing, player string, each func(*model.Var)) {
	p := r.players[player]
	for _, v := range r.m.Vars {
		if v.Fates.At(cross).Kind != "keep" {
			continue
		}
		switch {
		case v.Holder == model.OfPlayer && p != nil:
			if r.read(v, owner{v.Hold.Index, p, -1}) != v.Start {
				each(v)
			}
		case v.Holder == model.OfGame:
			if r.read(v, owner{v.Hold.Index, nil, -1}) != v.Start {
				each(v)
			}
		case r.Differs(v):
			each(v)
		}
	}
}

// Differs says whether any scene, prop or pair has another value of a variable than its start.
func (r *Run) Differs(v *model.Var) bool {
	differs := func(values []types.Value) bool { return v.Slot < len(values) && values[v.Slot] != v.Start }
	some := func(c copies) bool {
		for key, values := range c {
			if key.hold == v.Hold.Index && differs(values) {
				return true
			}
		}
		return false
	}
	switch v.Holder {
	case model.OfScene:
		return slices.ContainsFunc(r.scenes, differs)
	case model.OfProp, model.OfList:
		return some(r.props)
	case model.OfPlayerScene, model.OfPlayerProp, model.OfPlayerList, model.OfProfileList:
		return slices.ContainsFunc(r.order, func(p *Player) bool { return some(p.pairs) })
	}
	return false
}
