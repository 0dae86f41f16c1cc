package engine

import (
	"container/heap"
	"slices"

	"alluvion.dev/core/model"
)

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
	return due{at, func(t *tx) error {
		turn := &r.turns[0]
		timer, p := turn.timer, turn.player
		*turn.next += timer.Every * ((by-at)/timer.Every + 1)
		turn.at = *turn.next
		heap.Fix(&r.turns, 0)
		t.frame.about(p)
		return t.rules([]*model.Rule{timer.Rule})
	}}, true
}

// firstTimer is when the first timer is due. Turns of players who have left are dropped on the way.
func (r *Run) firstTimer() int64 {
	for len(r.turns) > 0 {
		if first := &r.turns[0]; r.awaited(first) {
			return first.at
		}
		heap.Pop(&r.turns)
	}
	return forever
}

// turn is when a timer is due next, and whose it is.
type turn struct {
	at     int64
	timer  *model.Timer
	next   *int64  // the same in the timers of the session or the player
	player *Player // nil for the session's
}

// awaited says whether a turn is still to come: whoever has left has none, and who was taken out and put back has one.
func (r *Run) awaited(x *turn) bool {
	return x.at == *x.next && (x.player == nil || r.players[x.player.id] == x.player)
}

// await lets timers have their turns.
func (r *Run) await(timers []model.Timer, next []int64, p *Player) {
	for i := range next { // whose save is only asked about has none
		heap.Push(&r.turns, turn{next[i], &timers[i], &next[i], p})
	}
	if most := 64 + 2*(len(r.timers)+len(r.order)*len(r.m.OwnTimers)); len(r.turns) > most { // of players who left
		r.turns = slices.DeleteFunc(r.turns, func(x turn) bool { return !r.awaited(&x) })
		heap.Init(&r.turns)
	}
}

// schedule is a heap (container/heap): the turn that comes first stands first. Of turns at one time that is the first in
// the plan, of the first player by id.
type schedule []turn

func (h schedule) Len() int      { return len(h) }
func (h schedule) Swap(i, j int) { h[i], h[j] = h[j], h[i] }
func (h schedule) Less(i, j int) bool {
	a, b := &h[i], &h[j]
	switch {
	case a.at != b.at:
		return a.at < b.at
	case a.timer.Rule.Number != b.timer.Rule.Number:
		return a.timer.Rule.Number < b.timer.Rule.Number
	}
	return playerID(a.player) < playerID(b.player)
}

func (h *schedule) Push(x any) { *h = append(*h, x.(turn)) }

func (h *schedule) Pop() any {
	last := len(*h) - 1
	x := (*h)[last]
	(*h)[last] = turn{} // it holds on to nobody
	*h = (*h)[:last]
	return x
}

// beginTimers sets timers to their first turn.
func beginTimers(timers []model.Timer, now int64) []int64 {
	out := make([]int64, len(timers))
	for i, t := range timers {
		out[i] = now + t.Every
	}
	return out
}
