package live

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/go-json-experiment/json"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/share"
	"alluvion.dev/core/wire"
)

// seat is what a session keeps for a player whose machine is, or was, connected: it outlives a lost connection for as
// long as the plan's grace.
type seat struct {
	line  *Line // nil while the connection is lost
	lost  time.Time
	told  []told // the newest things that the player was told, oldest first
	count int64  // the number of the newest
}

// told is something that a player was told; numbers rise by one.
type told struct {
	number int64
	tick   int64
	raw    []byte
}

// Attach connects a player's machine: the player joins, or takes the seat that they have. A machine that was connected
// before is told that a newer one is, and is cut off.
func (m *Manager) Attach(ctx context.Context, s *Session, hello wire.Hello, from string, as share.Codec) (*Line,
	wire.Welcome, error) {
	joins := m.Where(s.Game, hello.Player) != s
	if joins && hello.Simulated {
		if err := m.store.MarkSimulated(ctx, s.Game, hello.Player); err != nil {
			return nil, wire.Welcome{}, err
		}
	}
	line, welcome, err := m.attach(ctx, s, hello, from, as, joins)
	if err != nil && welcome.Is == "" && !joins { // they were just leaving, and had not been crossed off the list
		return m.attach(ctx, s, hello, from, as, true)
	}
	return line, welcome, err
}

func (m *Manager) attach(ctx context.Context, s *Session, hello wire.Hello, from string, as share.Codec,
	joins bool) (*Line, wire.Welcome, error) {
	key := playerKey{s.Game, hello.Player}
	var joined Answer
	if joins {
		var err error
		joined, err = m.Do(ctx, s, engine.Request{Do: "join", Player: hello.Player, Slot: max(hello.Slot, 1),
			Picks: hello.Picks})
		if err != nil {
			return nil, wire.Welcome{}, err
		}
	}
	defer m.oneAtATime(key)()
	line := newLine(hello.Player, "", from, as)
	// Who has joined gets the seat however late it is: only who has one can lose the connection, and leave.
	welcome, err := s.attach(context.WithoutCancel(ctx), line, hello, joined.Notices)
	return line, welcome, err
}

// attach gives a line its player's seat, and tells the player what joining told before there was one.
func (s *Session) attach(ctx context.Context, line *Line, hello wire.Hello, joined []engine.Notice) (wire.Welcome,
	error) {
	var w wire.Welcome
	err := s.ask(ctx, func() {
		if !s.run.Has(line.Player) {
			return
		}
		s.begin()
		w = s.welcome()
		w.Player = line.Player
		at := s.seats[line.Player]
		if at == nil {
			at = &seat{}
			s.seats[line.Player] = at
		}
		if at.line != nil {
			s.meter.Connected(-1)
			at.line.End(wire.CodeReplaced, "You have come in from another machine.")
		}
		at.line, at.lost = line, time.Time{}
		s.meter.Connected(1)
		line.checks, line.heard = hello.Checks, at.count
		w.Number, w.Tick = s.run.Number(line.Player), s.board.Now()
		line.done = w.Number
		if hello.Run == s.id && 0 <= hello.Tick && hello.Tick <= s.board.Now() && hello.Tick > 0 {
			line.seen, w.Resumed = hello.Tick, true
			w.Missed = at.resume(line, hello.Tick)
		}
		for i := range joined {
			if n := &joined[i]; s.run.Hears(line.Player, n) {
				s.tellOne(line.Player, written(n))
			}
		}
	})
	if err == nil && w.Is == "" {
		err = &engine.Refusal{Kind: engine.Unknown, Reason: fmt.Sprintf("%s has left in the meantime.", line.Player)}
	}
	return w, err
}

// resume finds what a machine was not told since a tick; it says whether some of that is not known any more.
func (a *seat) resume(line *Line, tick int64) (missed bool) {
	i := len(a.told)
	for i > 0 && a.told[i-1].tick > tick {
		i--
	}
	if i < len(a.told) {
		line.heard = a.told[i].number - 1
	}
	return i == 0 && a.count > int64(len(a.told))
}

// AttachServer connects one of the game's servers: it asks, and is answered; it has no seat and is sent no state.
func (s *Session) AttachServer(ctx context.Context, name, from string) (*Line, wire.Welcome, error) {
	line := newLine("", name, from, share.JSON)
	var w wire.Welcome
	err := s.ask(ctx, func() {
		s.begin()
		w = s.welcome()
		w.Number = s.run.SenderNumber(name)
		if i := slices.IndexFunc(s.servers, func(other *Line) bool { return other.Server == name }); i >= 0 { // as with players, the newer one goes on
			s.servers[i].End(wire.CodeReplaced, "Another server has come in under this name.")
			s.servers = slices.Delete(s.servers, i, i+1)
			s.meter.Connected(-1)
		}
		s.servers = append(s.servers, line)
		s.meter.Connected(1)
	})
	return line, w, err
}

// welcome is what every machine is told that is let in. It runs on the session's goroutine.
func (s *Session) welcome() wire.Welcome {
	return wire.Welcome{Is: "welcome", Game: s.Game, Session: s.Name, Version: s.m.Plan.Version.Value,
		Plan: s.layout.Plan, Run: s.id,
		Ticks: 1 / s.m.Tick().Seconds(), Grace: s.m.Grace().Seconds()}
}

// Detach ends a connection. The player keeps the seat for the plan's grace, and leaves then.
func (m *Manager) Detach(s *Session, line *Line) {
	line.End(wire.CodeLeft, "")
	s.later(func() {
		if i := slices.Index(s.servers, line); i >= 0 {
			s.servers = slices.Delete(s.servers, i, i+1)
			s.meter.Connected(-1)
			return
		}
		at := s.seats[line.Player]
		if at == nil || at.line != line {
			return // a newer machine has the seat, or the player has left
		}
		s.meter.Connected(-1)
		at.line, at.lost = nil, time.Now()
		if !s.run.Has(line.Player) {
			delete(s.seats, line.Player)
			return
		}
		time.AfterFunc(s.m.Grace(), func() { m.watchOver(s, line.Player) })
	})
}

// Ask carries out what a machine asks for. It does not wait for it; the answer goes over the line. Messages of one line
// are carried out in their order.
func (m *Manager) Ask(s *Session, line *Line, ask wire.Ask) {
	if ask.Is == "leave" {
		s.later(func() { line.leaving = true })
		go m.askLeave(s, line, ask)
		return
	}
	s.later(func() { s.asked(line, ask) })
}

// AskMove is Ask for a packed move, which says in which scene the machine thought that it was.
func (m *Manager) AskMove(s *Session, line *Line, ask wire.Ask, scene int) {
	s.later(func() {
		if at, ok := s.run.Place(line.Player); ok && at.Scene != s.m.Scenes[scene].ID {
			s.refuse(line, ask.Is, ask.Number, &engine.Refusal{Kind: engine.Stale,
				Reason: fmt.Sprintf("%s is in %s by now.", line.Player, at.Scene)})
			return
		}
		s.asked(line, ask)
	})
}

// askLeave ends a machine's visit, and its connection when what the visit came to is on disk: only then is it told so.
func (m *Manager) askLeave(s *Session, line *Line, ask wire.Ask) {
	answer, err := m.Do(context.Background(), s, engine.Request{Do: "leave", Player: line.Player, Number: ask.Number})
	if err != nil {
		closed := s.ask(context.Background(), func() {
			line.leaving = false
			s.refuse(line, ask.Is, ask.Number, err)
			if !s.run.Has(line.Player) {
				line.End(wire.CodeLeft, "Your visit has ended.")
			}
		})
		if closed != nil {
			line.End(wire.CodeAway, "The session is closing.")
		}
		return
	}
	why := "Your visit has ended."
	switch saved := answer.Saved; {
	case saved == nil:
	case saved.Error != "":
		why = "Your visit has ended. It could not be saved yet, and will be tried again."
	default:
		line.say(wire.Said{Is: "saved", Number: ask.Number, Revision: saved.Revision, Moment: saved.Moment})
	}
	line.say(wire.Said{Is: "answer", Number: ask.Number})
	line.End(wire.CodeLeft, why)
}

// asked runs on the session's goroutine.
func (s *Session) asked(line *Line, ask wire.Ask) {
	switch ask.Is {
	case "ping":
		now := fixed.FromNano(s.clock() * 1_000_000)
		line.say(wire.Said{Is: "pong", Number: ask.Number, Time: &now})
		return
	case "whole":
		line.seen = share.Whole
		return
	case "belief":
		s.believes(line, ask)
		return
	case "believed":
		s.believed(line, ask)
		return
	}
	req := engine.Request{Do: ask.Is, Player: line.Player, Server: line.Server != "", Sender: line.Server,
		Number: ask.Number, Arrival: ask.Arrival,
		Name: ask.Name, To: ask.To, Facing: ask.Facing, Args: ask.Args}
	if req.Server {
		req.Player = ask.Player
	}
	if ask.Value != nil {
		req.Value = *ask.Value
	}
	answer, _, err := s.perform(req, false)
	if err != nil {
		s.refuse(line, ask.Is+" "+ask.Name, ask.Number, err)
		return
	}
	line.done = max(line.done, ask.Number)
	if ask.Is != "move" || line.Server != "" || answer.Repeat { // that a move was applied is told with the next frame
		line.say(wire.Said{Is: "answer", Number: ask.Number, Repeat: answer.Repeat})
	}
	// Where it led to a save, savedNow tells when that is on disk.
}

// hangUp takes leave of all machines, because the session is closing. What it gives ends their lines.
func (s *Session) hangUp() (end func(why string)) {
	var lines []*Line
	for _, at := range s.seats {
		if at.line != nil {
			lines = append(lines, at.line)
		}
	}
	lines = append(lines, s.servers...)
	s.meter.Connected(-len(lines))
	s.seats, s.servers = nil, nil
	if s.beat != nil {
		s.beat.Stop()
	}
	return func(why string) {
		for _, line := range lines {
			line.End(wire.CodeAway, why)
		}
	}
}

// refuse tells a machine why what it asked for was not done, and counts it.
func (s *Session) refuse(line *Line, what string, number uint64, err error) {
	said := wire.RefusalOf(number, err)
	line.done = max(line.done, number)
	var repeated again
	if said.Repeat = errors.As(err, &repeated); !said.Repeat {
		s.refused(line, what, said.Kind, said.Why)
	}
	line.say(said)
}

// Fault refuses a message that is not understood.
func (s *Session) Fault(line *Line, f *wire.Fault) {
	s.later(func() {
		line.done = max(line.done, f.Number)
		line.say(wire.Said{Is: "refused", Number: f.Number, Kind: engine.Invalid, Why: f.Why, Member: f.Member})
		s.refused(line, orWhat(f.Is, "text"), engine.Invalid, f.Why)
	})
}

// Answer says that what a machine asked for was done, where the session has nothing to do with it.
func (s *Session) Answer(line *Line, number uint64) {
	s.later(func() { line.say(wire.Said{Is: "answer", Number: number}) })
}

func orWhat(is, other string) string {
	if is == "" {
		return other
	}
	return is
}

// Refuse is refuse for what is refused before the session is asked.
func (s *Session) Refuse(line *Line, what string, number uint64, kind, why string) {
	s.later(func() { s.refuse(line, what, number, &engine.Refusal{Kind: kind, Reason: why}) })
}

// tell gives what players are told to those whom it is for.
func (s *Session) tell(notices []engine.Notice) {
	for i := range notices {
		n := &notices[i]
		if len(s.seats) == 0 {
			return
		}
		raw := written(n)
		if n.To == "player" {
			s.tellOne(n.Player, raw)
			continue
		}
		for _, p := range s.run.Now() {
			if s.run.Hears(p.ID(), n) {
				s.tellOne(p.ID(), raw)
			}
		}
	}
}

// written is a notice as machines are told it.
func written(n *engine.Notice) []byte {
	raw, err := json.Marshal(wire.ToldOf(n))
	if err != nil {
		panic(err) // plain data
	}
	return raw
}

func (s *Session) tellOne(player string, raw []byte) {
	at := s.seats[player]
	if at == nil {
		return
	}
	at.count++
	at.told = append(at.told, told{at.count, s.board.Now() + 1, raw})
	over := len(at.told) - mostWaiting
	if over <= 0 {
		return
	}
	// Where hundreds leave at once, all are told of hundreds at once: that is no machine's fault. One that was not told
	// of what is seconds old does not read.
	if oldest := at.told[0]; at.line != nil && at.line.heard < oldest.number {
		if late := float64(s.board.Now()-oldest.tick) / s.layout.Ticks; late < toldWithin.Seconds() &&
			over < mostAtOnce {
			return
		}
		at.line.End(wire.CodeSlow, "This machine does not read what it is sent.")
	}
	at.told = at.told[over:]
}

// toldWithin is how long a machine may take to be told of more than mostWaiting things.
const toldWithin = 2 * time.Second

// mostAtOnce is of how much more it may be told in that time.
const mostAtOnce = 1 << 16

// words are what a seat's machine was not told yet, as a JSON array; nothing where there is nothing.
func (a *seat) words() []byte {
	if a.line.heard == a.count {
		return nil
	}
	var raw []byte
	for i := range a.told {
		if x := &a.told[i]; x.number > a.line.heard {
			if raw == nil {
				raw = []byte{'['}
			} else {
				raw = append(raw, ',')
			}
			raw = append(raw, x.raw...)
		}
	}
	if raw == nil {
		return nil
	}
	a.line.heard = a.count
	return append(raw, ']')
}

// parted ends the lines of players who are not in the session any more; askLeave does it for those who asked for it.
func (s *Session) parted() {
	for id, at := range s.seats {
		if s.run.Has(id) {
			continue
		}
		if at.line != nil {
			if !at.line.leaving {
				at.line.End(wire.CodeLeft, "Your visit has ended.")
			}
			s.meter.Connected(-1)
		}
		delete(s.seats, id)
	}
}
