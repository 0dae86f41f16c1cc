package engine

import (
	"fmt"
	"maps"

	"alluvion.dev/core/plan"
)

// Rates counts how often each sender sends what the plan limits with at_most. It belongs to whoever takes
// requests in, not to the state (rule 29): it is no part of a save or a digest. The zero Rates has counted
// nothing.
type Rates struct{ next map[sending]int64 }

type sending struct{ sender, what string }

// Allow refuses a request whose sender has sent too many like it: at most so many in any stretch of the
// rate's time, counted by the generic cell rate algorithm (ITU-T I.371, annex A).
func (c *Rates) Allow(r *Run, req Request) error {
	rate := r.rateOf(req)
	if rate.Times == 0 {
		return nil
	}
	if c.next == nil {
		c.next = map[sending]int64{}
	}
	key := sending{req.Player, req.Do + " " + req.Name}
	if req.Server {
		key.sender = ""
	}
	// In millionths of a millisecond, so that 3/s leaves no remainder worth speaking of.
	now, per := req.At*1_000_000, rate.Per.Nanoseconds()
	each := per / int64(rate.Times)
	due := max(c.next[key], now)
	if due-now > per-each {
		return refuse(TooOften, "%s can be sent at most %s.", req.Name, rateText(rate))
	}
	c.next[key] = due + each
	if len(c.next) > mostSendings {
		maps.DeleteFunc(c.next, func(_ sending, next int64) bool { return next <= now })
	}
	return nil
}

// mostSendings is how many senders and events are counted before those are forgotten that may send again.
const mostSendings = 10_000

func (r *Run) rateOf(req Request) plan.Rate {
	switch req.Do {
	case "event":
		if e := r.m.Event(req.Name); e != nil {
			return e.AtMost
		}
	case "write":
		if v := r.m.Var(req.Name); v != nil && v.Decl.Share != nil && !req.Server {
			return v.Decl.Share.AtMost.Value
		}
	}
	return plan.Rate{}
}

func rateText(r plan.Rate) string {
	unit := map[string]string{"s": "second", "m": "minute", "h": "hour"}[r.String()[len(r.String())-1:]]
	return fmt.Sprintf("%d times a %s", r.Times, unit)
}
