package engine

import (
	"cmp"
	"slices"

	"alluvion.dev/core/calendar"
	"alluvion.dev/core/model"
)

// Turns of the calendar fall due by the date that requests carry (rules 43 to 46). They go before timers, and before
// the request.

// mostDays is the greatest number of days that days_missed can be.
const mostDays = 36500

// Turn lets the calendar go on to a date, in milliseconds since 1970 in UTC, and carries out the turns that are due by
// then: each is a transaction for the world, and then one for each player. A date that is earlier than one before it
// counts as that.
func (r *Run) Turn(date int64) Result {
	var res Result
	if date <= r.date {
		return res
	}
	first := r.date == 0
	r.date = date
	if first {
		r.begin()
	}
	if date < r.nextTurn {
		return res
	}
	for _, c := range r.turnsDue() {
		before := r.crossed[c.Index].date
		took := func(do func(*tx) error) {
			if r.transact(true, do) == nil {
				res.add(r.tx.res)
			}
		}
		took(func(t *tx) error { return t.worldTurn(c, before) })
		for _, id := range r.Present() {
			took(func(t *tx) error { return t.playerTurn(c, id) })
		}
	}
	r.nextTurn = forever
	for _, c := range r.m.OwnCrossings {
		if c.Calendar == nil {
			continue
		}
		if at, ok := c.Calendar.Next(date); ok {
			r.nextTurn = min(r.nextTurn, at)
		}
	}
	return res
}

// NextTurn is when the calendar has its next turn, in milliseconds since 1970 in UTC, and whether there is one.
func (r *Run) NextTurn() (int64, bool) { return r.nextTurn, 0 < r.nextTurn && r.nextTurn < forever }

// Date is the latest date that the session has heard of, in milliseconds since 1970 in UTC; 0 where there was none.
func (r *Run) Date() int64 { return r.date }

// begin makes the turns that were before the first date ones that are met: of the world and of everybody who is there.
func (r *Run) begin() {
	r.crossed = slices.Clone(r.crossed)
	for i, c := range r.m.OwnCrossings {
		if c.Calendar == nil {
			continue
		}
		if r.crossed[i].date == unmet {
			r.crossed[i].date = r.lastTurn(c)
		}
		for _, p := range r.order {
			for _, all := range []*[]met{&p.met, &p.metOver} {
				if (*all)[i].date == unmet {
					*all = slices.Clone(*all)
					(*all)[i].date = r.crossed[i].date
				}
			}
		}
	}
}

// lastTurn is the local date of the calendar's last turn by now; unmet where no date is known.
func (r *Run) lastTurn(c *model.OwnCrossing) calendar.Date {
	if c.Calendar == nil || r.date == 0 {
		return unmet
	}
	return c.Calendar.Last(r.date)
}

// turnsDue are the crossings of the calendar that the world has not met, by when they were due and then as the plan has
// them. Several turns of one are one.
func (r *Run) turnsDue() []*model.OwnCrossing {
	var due []*model.OwnCrossing
	for _, c := range r.m.OwnCrossings {
		if c.Calendar != nil && r.lastTurn(c) > r.crossed[c.Index].date {
			due = append(due, c)
		}
	}
	slices.SortStableFunc(due, func(a, b *model.OwnCrossing) int {
		return cmp.Compare(a.Calendar.When(r.lastTurn(a)), b.Calendar.When(r.lastTurn(b)))
	})
	return due
}

// turned notes that the world has met the calendar's last turn.
func (t *tx) turned(c *model.OwnCrossing) {
	r := t.run
	if last := r.lastTurn(c); last > r.crossed[c.Index].date {
		r.crossed = slices.Clone(r.crossed)
		r.crossed[c.Index].date = last
		r.besides = append(r.besides, "")
	}
}

// daysSince is how many local dates lie between the last turn that was met and the one that the world has met.
func (r *Run) daysSince(c *model.OwnCrossing, last calendar.Date) int {
	if last <= calendar.None { // there was none before
		return 1
	}
	return min(max(1, int(r.crossed[c.Index].date-last)), mostDays)
}

// worldTurn takes the world through a turn. In a game for one player, the world goes with the player.
func (t *tx) worldTurn(c *model.OwnCrossing, before calendar.Date) error {
	t.turned(c)
	if !c.World {
		return nil
	}
	t.frame.days = t.run.daysSince(c, before)
	t.crossWorld(c)
	t.frame.about(nil)
	return t.rules(c.Rules)
}

// playerTurn takes one player through a turn.
func (t *tx) playerTurn(c *model.OwnCrossing, id string) error {
	p := t.run.players[id]
	if p == nil || !t.run.hasMissed(c, p.met) {
		return nil
	}
	t.frame.days = t.run.daysSince(c, p.met[c.Index].date)
	t.crossPlayer(c, p)
	if !c.World {
		t.tellCrossed(c, p)
	}
	t.meet(p, c)
	return t.crossedRules(c, p)
}
