package engine

import (
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// A stopwatch is held as the session's time at which it read zero; one that stands still, as what it reads. What it
// reads changes without anything being written, so that savers have to ask for it.

// runs says whether a stopwatch that is held like this counts now.
func runs(v *model.Var, held types.Value) bool { return v.Stopwatch && !(v.While != nil && held.Bool) }

// moves says whether something of a player changes by itself that is kept when they leave. Pairs and props have no
// stopwatches.
func (r *Run) moves(p *Player) bool {
	return r.anyRuns(r.m.Holders[model.OfPlayer], plan.CrossLeave, p.vars) ||
		r.anyRuns(r.m.Profile, plan.CrossLeave, p.profile)
}

// worldMoves says whether something in the world changes by itself that is kept when it is opened again.
func (r *Run) worldMoves() bool {
	if r.anyRuns(r.m.Holders[model.OfGame], plan.CrossRestart, r.game) {
		return true
	}
	for _, scene := range r.scenes {
		if r.anyRuns(r.m.Holders[model.OfScene], plan.CrossRestart, scene) {
			return true
		}
	}
	return false
}

func (r *Run) anyRuns(h *model.Holding, kept plan.Crossing, values []types.Value) bool {
	for i, v := range h.Stored {
		if runs(v, values[i]) && v.Fates.At(kept).Kind != "reset" {
			return true
		}
	}
	return false
}

// stopwatchAt is a stopwatch that reads so many seconds from now on, and goes on as it did: counting, or standing
// still.
func (r *Run) stopwatchAt(v *model.Var, held types.Value, reads fixed.Num) types.Value {
	if !runs(v, held) {
		return stopped(reads)
	}
	return r.shown(v, types.OfNum(reads)) // the difference to the clock is the same both ways
}
