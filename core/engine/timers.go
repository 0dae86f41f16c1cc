package engine

import "alluvion.dev/core/model"

// forever is later than any time of a session.
const forever = 1<<62 - 1

// due is something that time brings about: a dead player coming back, or a timer's turn.
type due struct {
	at  int64
	run func(*tx) error
}

// nextDue finds what is due first by a time (rule 7): of what is due at once, dead players come back
// before timers, and timers go by their place in the plan and the player's id. A timer that missed
// several turns has one, and is set to the first turn after that time.
func (r *Run) nextDue(by int64) (due, bool) {
	at := r.firstTimer()
	if p := r.nextBack(by); p != nil && p.backAt <= at {
		return due{p.backAt, func(t *tx) error { return t.comeBack(p) }}, true
	}
	if at > by || at == forever {
		return due{}, false
	}
	turn := r.turnAt(at)
	return due{at, func(t *tx) error {
		*turn.next += turn.timer.Every * ((by-at)/turn.timer.Every + 1)
		r.timersKnown = false
		t.frame.about(turn.player)
		return t.rules([]*model.Rule{turn.timer.Rule})
	}}, true
}

// firstTimer is when the first timer is due. It is found anew only after a timer had its turn, or
// players came or went.
func (r *Run) firstTimer() int64 {
	if r.timersKnown {
		return r.first
	}
	r.first, r.timersKnown = forever, true
	for _, at := range r.timers {
		r.first = min(r.first, at)
	}
	for _, p := range r.order {
		for _, at := range p.timers {
			r.first = min(r.first, at)
		}
	}
	return r.first
}

// turn is a timer that is due: when it is due next, and whose it is.
type turn struct {
	timer  model.Timer
	next   *int64
	player *Player // nil for the session's
}

// turnAt finds the timer that has its turn at a time: the first in the plan, of the first player by id.
func (r *Run) turnAt(at int64) turn {
	var first turn
	for i, timer := range r.m.Timers {
		if r.timers[i] == at {
			first = turn{timer, &r.timers[i], nil}
			break
		}
	}
	for _, p := range r.order {
		for i, timer := range r.m.OwnTimers {
			if p.timers[i] == at && (first.next == nil || timer.Rule.Number < first.timer.Rule.Number) {
				first = turn{timer, &p.timers[i], p}
			}
		}
	}
	return first
}

// beginTimers sets timers to their first turn.
func beginTimers(timers []model.Timer, now int64) []int64 {
	out := make([]int64, len(timers))
	for i, t := range timers {
		out[i] = now + t.Every
	}
	return out
}
