package live

import (
	"errors"
	"fmt"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/wire"
)

// mostAnswers is how many outcomes of one sender's numbered requests are kept.
const mostAnswers = 64

// journal keeps the outcomes of one sender's last numbered requests: a repeated request gets its first answer,
// whatever that was. It is kept while the session is open and the player's visit goes on; of what was before, only the
// last number that was applied is known, which is in the save.
type journal struct {
	kept    []outcome // a ring, once it is full
	next    int       // where the next one goes
	highest uint64    // the highest number among all that were ever kept
}

// outcome is what came of a numbered request.
type outcome struct {
	number  uint64
	time    int64   // the session's, of what was applied
	answer  *Answer // all that came of it, where somebody may want that again
	refusal error   // nil where it was applied
}

// again is the answer as it is given once more.
func (o *outcome) again() Answer {
	a := Answer{Number: o.number, Time: o.time}
	if o.answer != nil {
		a = *o.answer
	}
	a.Repeat = true
	return a
}

func (j *journal) find(number uint64) (outcome, bool) {
	if j == nil || number > j.highest {
		return outcome{}, false
	}
	for i := range j.kept {
		if j.kept[i].number == number {
			return j.kept[i], true
		}
	}
	return outcome{}, false
}

func (j *journal) add(o outcome) {
	j.highest = max(j.highest, o.number)
	if len(j.kept) < mostAnswers {
		j.kept = append(j.kept, o)
		return
	}
	j.kept[j.next] = o
	j.next = (j.next + 1) % mostAnswers
}

// again is a refusal that was given before.
type again struct{ *engine.Refusal }

// Unwrap gives the refusal.
func (a again) Unwrap() error { return a.Refusal }

// sender is whose numbers a request counts in; "" where it is not numbered.
func sender(req *engine.Request) string {
	switch {
	case req.Number == 0 || req.Do == "join":
		return ""
	case !req.Server:
		return req.Player
	case req.Sender != "":
		return "server " + req.Sender
	}
	return ""
}

// repeated finds what came of a request that was sent before. One that is no longer kept is refused: it may
// have been applied, or not.
func (s *Session) repeated(req *engine.Request) (Answer, error, bool) {
	if req.Number > wire.MostNumber {
		return Answer{}, &engine.Refusal{Kind: engine.Invalid,
			Reason: fmt.Sprintf("The number of a request is at most %d.", uint64(wire.MostNumber))}, true
	}
	who := sender(req)
	if who == "" || !req.Server && !s.run.Has(req.Player) {
		return Answer{}, nil, false
	}
	last := s.run.Number(req.Player)
	if req.Server {
		last = s.run.SenderNumber(req.Sender)
	}
	o, known := s.answers[who].find(req.Number)
	var refusal *engine.Refusal
	switch {
	case known && errors.As(o.refusal, &refusal):
		return Answer{}, again{refusal}, true
	case known:
		return o.again(), nil, true
	case req.Number == last: // the one that the save knows
		return Answer{Number: last, Time: s.clock(), Repeat: true}, nil, true
	case req.Number < last:
		return Answer{}, &engine.Refusal{Kind: engine.Unknown,
			Reason: fmt.Sprintf("Nothing is known of request %d any more; the last one that was applied is %d. It may have been applied, or not: look, and send what is still wanted with a new number.", req.Number, last)}, true
	}
	return Answer{}, nil, false
}

// keep remembers what came of a request.
func (s *Session) keep(req *engine.Request, o outcome) {
	who := sender(req)
	if who == "" || req.Do == "leave" {
		return
	}
	if s.answers[who] == nil {
		s.answers[who] = &journal{}
	}
	s.answers[who].add(o)
}

// keepRefusal is keep for a refusal, which it gives back.
func (s *Session) keepRefusal(req *engine.Request, err error) error {
	var refusal *engine.Refusal
	if errors.As(err, &refusal) {
		s.keep(req, outcome{number: req.Number, refusal: refusal})
	}
	return err
}
