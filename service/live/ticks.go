package live

import (
	"time"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/share"
	"alluvion.dev/core/wire"
)

// checkEvery is how often machines are asked what they believe.
const checkEvery = 5 * time.Second

// quietFor is how long a machine is sent nothing where nothing changes: then it is told that time goes on.
const quietFor = time.Second

// begin makes a session ready to be followed by machines. A session that nobody follows costs nothing: it has no board
// and no beat.
func (s *Session) begin() {
	if s.board == nil {
		s.board = share.NewBoard(s.run, s.layout)
		s.board.Tick(s.clock())
	}
	if s.seats == nil {
		s.seats = map[string]*seat{}
	}
	if s.beat == nil {
		s.beat = time.NewTicker(s.m.Tick())
		s.beats = s.beat.C
	}
}

// rest stops the beat where nobody follows the session any more.
func (s *Session) rest() {
	if len(s.seats) > 0 || len(s.servers) > 0 || s.beat == nil {
		return
	}
	s.beat.Stop()
	s.beat, s.beats, s.board = nil, nil, nil
	s.id = newRun() // ticks count anew: nobody can resume
}

// tick sends every machine what it does not know yet.
func (s *Session) tick(due time.Time) {
	began := time.Now()
	s.advance()
	s.parted()
	if s.rest(); s.board == nil {
		return
	}
	s.board.Tick(s.clock())
	for id, at := range s.seats {
		if at.line == nil {
			continue
		}
		if at.line.stuck(began) {
			at.line.End(wire.CodeSlow, "This machine does not read what it is sent.")
		}
		if at.line.free() {
			s.post(id, at, s.board.Checks(id, checkEvery))
		}
	}
	for _, line := range s.servers {
		if line.stuck(began) {
			line.End(wire.CodeSlow, "This machine does not read what it is sent.")
		}
	}
	s.meter.Ticked(began.Sub(due), time.Since(began))
}

// post sends one machine a frame.
func (s *Session) post(player string, at *seat, check bool) {
	line := at.line
	w := share.Words{Done: line.done, Check: check && line.checks, Told: at.words()}
	quiet := w.Told == nil && !w.Check && w.Done == line.toldDone && !s.board.News(player, line.seen, &line.sight)
	if quiet && s.board.Clock()-line.at < quietFor.Milliseconds() {
		line.seen = s.board.Now() // it knows all that there is to know
		return
	}
	frame, ok := s.board.Frame(line.room(), line.As, player, line.seen, w, &line.sight)
	if !ok {
		return
	}
	line.seen, line.at, line.toldDone = s.board.Now(), s.board.Clock(), w.Done
	if w.Check {
		line.checked, line.expected = line.seen, s.board.Digest(player, &line.sight)
	}
	line.post(frame)
}

// believes holds the digest of what a machine believes against what it ought to.
func (s *Session) believes(line *Line, ask wire.Ask) {
	if ask.Tick != line.checked || line.checked < 0 {
		return // it speaks of a tick at which it was not asked
	}
	line.checked = -1
	if ask.Digest == line.expected {
		return
	}
	s.meter.Mismatched()
	line.differs++
	line.unlike, line.unlikeAt = nil, ask.Tick
	line.mayBe(wire.MaxBelieved)
	line.say(wire.Said{Is: "differs", Tick: ask.Tick})
}

// believed shows where a machine believes something else, and sends it the whole state again.
func (s *Session) believed(line *Line, ask wire.Ask) {
	if line.unlikeAt != ask.Tick || line.differs == 0 || s.board == nil {
		return
	}
	line.mayBe(wire.MaxMessage)
	line.unlike = s.board.Differences(line.Player, ask.Values, ask.Tick, &line.sight)
	line.seen = share.Whole
	s.log.Warn("a machine believes something else", "player", line.Player, "tick", ask.Tick, "differences",
		len(line.unlike))
}

// savedNow tells machines which of their requests are on disk; who asked to leave is told so by askLeave.
func (s *Session) savedNow(player string, number uint64, revision int, moment string) {
	if at := s.seats[player]; at != nil && at.line != nil && !at.line.leaving {
		at.line.say(wire.Said{Is: "saved", Number: number, Revision: revision, Moment: moment})
	}
}

// refused counts what was refused of a player, and keeps the newest for people to look at.
func (s *Session) refused(line *Line, what, kind, why string) {
	who := line.Player
	if line.Server != "" {
		who = "server " + line.Server
	}
	s.meter.Refused(kind)
	if len(s.refusals) > mostCounted || s.refusals == nil {
		s.refusals = map[string]map[string]int{}
	}
	if s.refusals[who] == nil {
		s.refusals[who] = map[string]int{}
	}
	s.refusals[who][kind]++
	s.denied = append(s.denied, Denied{At: time.Now().UTC(), Time: s.clock(), Player: who, What: what, Kind: kind,
		Why: why})
	if len(s.denied) > mostDenied {
		s.denied = append(s.denied[:0], s.denied[len(s.denied)-mostDenied/2:]...)
	}
	if offence(kind) {
		line.offend()
	}
}

// mostCounted is of how many players refusals are counted before the counting begins anew.
const mostCounted = 10_000

// mostDenied is how many refusals are kept for people to look at.
const mostDenied = 200

// Denied is something that was refused.
type Denied struct {
	At     time.Time
	Time   int64
	Player string
	What   string
	Kind   string
	Why    string
}

// offence says whether an honest machine would not have asked for it: what the plan's conditions refuse is part of
// play, and so is what was overtaken by an arrival.
func offence(kind string) bool {
	switch kind {
	case engine.Refused, engine.Repeated, engine.Stale, engine.Failed:
		return false
	}
	return true
}
