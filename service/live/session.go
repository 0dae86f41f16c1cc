// Package live runs the sessions: each has one goroutine that owns its state. Others send it requests
// and wait for the answer; there is no lock around the engine.
package live

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"time"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/share"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/meter"
	"alluvion.dev/service/store"
)

// What can be wrong with a session, for errors.Is.
var (
	ErrClosed    = errors.New("the session is closed")
	ErrNoSession = errors.New("there is no such session")
)

// Session is one live run of a game. It is safe for use by several goroutines.
type Session struct {
	Game, Name string
	Opened     time.Time
	m          *model.Model
	chain      *upgrade.Chain // takes older saves to the session's plan
	store      *store.Store
	owner      store.Owner                     // this node, in the epoch in which it may write
	mixed      func()                          // ends it: somebody in it plays elsewhere by now
	spread     func(*Session, []engine.Change) // tells other games what was changed of commons
	log        *slog.Logger
	// inbox is what the session's goroutine is to do, in order; whoever sends into it must not hold a lock, since it
	// may be full.
	inbox chan func()
	// done is closed when that goroutine has ended: nothing that is sent into inbox after that is done.
	done chan struct{}

	// What follows belongs to the session's goroutine: nobody else reads or writes it, and it needs no lock. What takes
	// long (the disk, another session) is waited for elsewhere, and comes back through inbox.
	run     *engine.Run
	base    int64         // the session's clock when it last woke or slept, in milliseconds
	awake   time.Time     // since when somebody is present; zero while nobody is
	ledger  engine.Ledger // what has changed since it was last written
	wholeAt time.Time     // when all that had changed was last written
	behind  bool          // a cut since then did not write all of it
	handed  chan struct{} // closed when the last cut was handed to the store
	rates   engine.Rates
	leases  map[string]int64           // by player: under which each may write their slot
	owed    map[string]store.PlayerCut // what players left behind that could not be written yet
	answers map[string]*journal        // by sender: what came of their last numbered requests
	trail   trail                      // what changed and why, until it is on disk
	judge   *engine.Judge              // of saves that are loaded
	why     string                     // of the save that somebody asks for
	closing bool
	heard   map[string]time.Time // of those who have no seat: when something was heard of them last

	// How machines follow the session: see seats.go and ticks.go. Nothing of it is there while none does.
	id       string // of the run of ticks
	layout   *share.Layout
	meter    *meter.Meter              // safe for use by several goroutines
	board    *share.Board              // what each machine ought to believe
	seats    map[string]*seat          // by player: their machine, or since when it is missed
	servers  []*Line                   // of the game's servers that listen
	beat     *time.Ticker              // nil while nobody follows
	beats    <-chan time.Time          // of beat
	refusals map[string]map[string]int // by player and kind
	denied   []Denied                  // the newest, oldest first
}

// Answer is what came of a request. Saved is set where the request led to a save, which is on disk by
// the time the answer is given.
type Answer struct {
	Number  uint64
	Time    int64 // the session's, in milliseconds
	Changes []engine.Change
	Notices []engine.Notice
	Saved   *Saved
	Repeat  bool // the request was applied before, and this is what came of it then
}

// Saved says what a request led to on disk. Error is set where it could not be written: it will be
// tried again.
type Saved struct {
	Revision int
	Moment   string
	Error    string
}

// start runs the session's goroutine.
func (s *Session) start() {
	go func() {
		defer close(s.done)
		timer := time.NewTimer(time.Hour)
		defer timer.Stop()
		every := s.ticker()
		defer every.Stop()
		for !s.closing {
			s.arm(timer)
			select {
			case do := <-s.inbox:
				do()
				s.more()
			case <-timer.C:
				s.advance()
				s.catchUp()
			case <-every.C:
				s.saveChanged()
			case due := <-s.beats:
				s.tick(due)
			}
		}
	}()
}

// mostAtATime is how many requests are carried out before it is asked whether anything else is due.
const mostAtATime = 64

// more carries out what else is asked by now.
func (s *Session) more() {
	for n := 1; n < mostAtATime && !s.closing; n++ {
		select {
		case do := <-s.inbox:
			do()
		default:
			return
		}
	}
}

// ticker beats whenever changed players are to be saved; where the plan does not say, what is owed is
// still tried again every half minute.
func (s *Session) ticker() *time.Ticker {
	every := s.m.SavesEvery()
	if every == 0 {
		every = 30 * time.Second
	}
	return time.NewTicker(max(every, 100*time.Millisecond))
}

// arm sets the timer to when the engine has something due.
func (s *Session) arm(timer *time.Timer) {
	wait := time.Hour
	if due, ok := s.run.Due(); ok && !s.awake.IsZero() {
		wait = time.Duration(max(0, due-s.clock())) * time.Millisecond
	}
	if turn, ok := s.run.NextTurn(); ok && !s.awake.IsZero() {
		wait = min(wait, max(0, time.Until(time.UnixMilli(turn))))
	}
	if s.behind {
		wait = min(wait, max(0, time.Until(s.wholeAt.Add(wholeEvery))))
	}
	timer.Reset(wait)
}

// clock is the session's time: it stands still while nobody is present.
func (s *Session) clock() int64 { return s.clockAt(time.Now()) }

// clockAt is the session's time at a moment that is not long past.
func (s *Session) clockAt(now time.Time) int64 {
	if s.awake.IsZero() {
		return s.base
	}
	return s.base + now.Sub(s.awake).Milliseconds()
}

// today is the date that requests carry: the service says it, and never a player's machine.
func today() int64 { return time.Now().UnixMilli() }

// wake starts or stops the clock, as players come and go.
func (s *Session) wake() {
	present := len(s.run.Now()) > 0
	switch {
	case present && s.awake.IsZero():
		s.awake = time.Now()
	case !present && !s.awake.IsZero():
		s.base, s.awake = s.clock(), time.Time{}
	}
}

// ask runs do on the session's goroutine and waits for it.
func (s *Session) ask(ctx context.Context, do func()) error {
	ran := make(chan struct{})
	select {
	case s.inbox <- func() { do(); close(ran) }:
	case <-s.done:
		return fmt.Errorf("%s/%s: %w", s.Game, s.Name, ErrClosed)
	case <-ctx.Done():
		return ctx.Err()
	}
	select {
	case <-ran:
		return nil
	case <-s.done:
		select {
		case <-ran: // it was the last thing that the session did
			return nil
		default:
			return fmt.Errorf("%s/%s: %w", s.Game, s.Name, ErrClosed)
		}
	}
}

// Do carries out one request. Where it led to a save, the answer comes when that is on disk.
func (s *Session) Do(ctx context.Context, req engine.Request) (Answer, error) {
	return s.do(ctx, req, 0)
}

// do is Do; a join says in which turn of the player it is (store.Visited).
func (s *Session) do(ctx context.Context, req engine.Request, turn int64) (Answer, error) {
	var answer Answer
	var err error
	var written <-chan store.CutResult
	var lease int64
	if req.Do == "join" {
		if lease, err = s.load(ctx, &req, turn); err != nil {
			return Answer{}, err
		}
	}
	if e := s.ask(ctx, func() {
		if lease != 0 {
			s.leases[req.Player] = lease
			delete(s.answers, req.Player)
		}
		answer, written, err = s.perform(req, true)
	}); e != nil {
		return Answer{}, e
	}
	if written != nil && err == nil {
		err = settle(&answer, req.Player, <-written)
	}
	return answer, err
}

// settle adds what was written to an answer. What is not the newest, because somebody else has the slot by now, is no
// save: whoever asked is told so.
func settle(a *Answer, player string, result store.CutResult) error {
	switch {
	case result.Err != nil:
		a.Saved.Error = result.Err.Error()
	case slices.Contains(result.Lost, player):
		return store.ErrLease
	default:
		a.Saved.Revision = result.Written[player]
	}
	return nil
}

// perform carries out a request. whole keeps all that came of it for whoever repeats it; a machine is only told that it
// was applied.
func (s *Session) perform(req engine.Request, whole bool) (Answer, <-chan store.CutResult, error) {
	if req.Do == "ping" {
		answer, err := s.ping(&req)
		return answer, nil, err
	}
	defer s.hear(req.Player)
	if first, err, known := s.repeated(&req); known {
		return first, nil, err
	}
	now := time.Now()
	req.At, req.Date = s.clockAt(now), now.UnixMilli()
	if err := s.rates.Allow(s.run, req); err != nil {
		return Answer{}, nil, s.keepRefusal(&req, err)
	}
	res, err := s.run.Step(&req)
	s.wake()
	if err != nil {
		s.absorb(res)
		return Answer{}, nil, s.keepRefusal(&req, err)
	}
	answer := Answer{Number: s.run.Number(req.Player), Time: req.At, Changes: slices.Clone(res.Changes),
		Notices: slices.Clone(res.Notices)}
	saves, left := slices.Clone(res.Saves), res.Left
	if due, ok := s.run.Due(); ok && due <= s.clock() { // coming back without delay belongs to the answer
		more := s.run.Advance(s.clock())
		answer.Changes, answer.Notices = append(answer.Changes, more.Changes...),
			append(answer.Notices, more.Notices...)
		saves = append(saves, more.Saves...)
	}
	s.note(answer.Changes, req.Player)
	s.tell(answer.Notices)
	if s.board != nil && req.Do == "join" && s.m.Single {
		s.board.Replaced()
	}
	written, saved := s.cut(saves, left, req.Player)
	answer.Saved = saved
	if req.Number > 0 {
		kept := outcome{number: req.Number, time: answer.Time}
		if whole {
			all := answer
			kept.answer = &all
		}
		s.keep(&req, kept)
	}
	return answer, written, nil
}

// advance lets the timers that are due run.
func (s *Session) advance() {
	if !s.awake.IsZero() {
		s.absorb(s.run.Turn(today()))
	}
	s.absorb(s.run.Advance(s.clock()))
}

// deleted makes what refers to a player none: everything about them was deleted.
func (s *Session) deleted(player string) {
	res, err := s.run.Step(&engine.Request{Do: "deleted", Server: true, Name: player, At: s.clock(), Date: today()})
	if err != nil {
		s.log.Error("what refers to a player could not be made none", "error", err)
		return
	}
	s.absorb(res)
}

// forgetDeleted does the same with a world that was saved, before anybody is in it.
func (s *Session) forgetDeleted(ctx context.Context, world *save.World) error {
	if world == nil {
		return nil
	}
	gone, err := s.gone(ctx, engine.RefersWorld(s.m, world))
	for _, id := range gone {
		if _, err := s.run.Step(&engine.Request{Do: "deleted", Server: true, Name: id}); err != nil {
			return err
		}
		s.ledger.Changed("")
	}
	return err
}

// absorb takes note of what happened without anybody asking for it.
func (s *Session) absorb(res engine.Result) {
	s.note(res.Changes, "")
	s.tell(res.Notices)
	s.cut(slices.Clone(res.Saves), nil, "")
}

// note remembers what has changed since the last cut, and why.
func (s *Session) note(changes []engine.Change, player string) {
	s.ledger.Note(s.run, changes, player)
	if s.board != nil && (len(changes) > 0 || player != "") {
		s.board.Note(changes, player)
	}
	s.spread(s, changes)
	if len(changes) == 0 {
		return
	}
	now := time.Now()
	at, date := s.clockAt(now), now.UTC()
	for i := range changes {
		s.trail.add(at, date, &changes[i])
	}
}

// Values are what a session holds, for people to look at.
type Values struct {
	Slots   map[string]int // by player: the slot that they play in; only of Brief
	Refused int            // what was refused to those who are present; only of Brief
	Differs int            // how often their machines believed something else; only of Brief
	Clock   int64
	Present []string
	Digest  string
	Game    []engine.Figure
	Scenes  map[string][]engine.Figure
}

// Look reads the session's state.
func (s *Session) Look(ctx context.Context) (Values, error) {
	var v Values
	err := s.ask(ctx, func() {
		s.advance()
		v = Values{Clock: s.clock(), Present: s.run.Present(), Digest: s.run.Digest(), Game: s.run.GameFigures(),
			Scenes: map[string][]engine.Figure{}}
		for _, scene := range s.m.Scenes {
			v.Scenes[scene.ID] = s.run.SceneFigures(scene.ID)
		}
	})
	return v, err
}

// Brief reads what lists of sessions show: who is there, and the session's time.
func (s *Session) Brief(ctx context.Context) (Values, error) {
	var v Values
	err := s.ask(ctx, func() {
		v = Values{Clock: s.clock(), Present: s.run.Present(), Slots: map[string]int{}}
		for _, p := range s.run.Now() {
			v.Slots[p.ID()] = p.Slot()
			for _, n := range s.refusals[p.ID()] {
				v.Refused += n
			}
			if at := s.seats[p.ID()]; at != nil && at.line != nil {
				v.Differs += at.line.differs
			}
		}
	})
	return v, err
}

// Ranked are the options that have a place in a standing of options, the best first; none where the session's plan has
// no such standing.
func (s *Session) Ranked(ctx context.Context, standing string) (ranked []engine.Ranked, err error) {
	x := s.m.Standing(standing)
	if x == nil {
		return nil, nil
	}
	err = s.ask(ctx, func() {
		s.advance()
		ranked = s.run.RankedOptions(x.Index)
	})
	return ranked, err
}

// PlayerValues are what a present player has.
type PlayerValues struct {
	Slot       int
	Figures    []engine.Figure
	Place      save.Place
	Dead       bool
	Checkpoint string
	Reached    []string // checkpoints in this run
	Held       []string // movables
	Waymarks   map[string]save.Place
	Milestones []engine.Progress
}

// Player reads a present player's values; false where they are not present.
func (s *Session) Player(ctx context.Context, id string) (PlayerValues, bool, error) {
	var v PlayerValues
	ok := false
	err := s.ask(ctx, func() {
		s.advance()
		if ok = s.run.Has(id); !ok {
			return
		}
		v.Slot = s.run.Save(id).Slot
		v.Figures = s.run.Figures(id)
		v.Place, _ = s.run.Place(id)
		v.Dead, v.Checkpoint = s.run.State(id)
		v.Reached, v.Held = s.run.Checkpoints(id), s.run.Held(id)
		v.Waymarks, v.Milestones = s.run.Waymarks(id), s.run.Milestones(id)
	})
	return v, ok, err
}

// Model is the plan that the session is pinned to.
func (s *Session) Model() *model.Model { return s.m }

// Layout says what machines that follow the session are sent, and how.
func (s *Session) Layout() *share.Layout { return s.layout }

// SaveNow saves a present player because somebody asked for it.
func (s *Session) SaveNow(ctx context.Context, player string) (Saved, error) {
	return s.SaveAs(ctx, player, "asked", "")
}

// SaveAs is SaveNow for a moment of its own, with a reason.
func (s *Session) SaveAs(ctx context.Context, player, moment, why string) (Saved, error) {
	var written <-chan store.CutResult
	var saved *Saved
	err := s.ask(ctx, func() {
		if s.run.Has(player) {
			s.ledger.Changed(player)
			s.why = why
			written, saved = s.cut([]engine.SaveMoment{{Player: player, Moment: moment}}, nil, player)
			s.why = ""
		}
	})
	if err != nil {
		return Saved{}, err
	}
	if saved == nil {
		return Saved{}, &engine.Refusal{Kind: engine.Unknown,
			Reason: fmt.Sprintf("There is no player %q in this session.", player)}
	}
	result := <-written
	if slices.Contains(result.Lost, player) {
		return Saved{}, store.ErrLease
	}
	return Saved{Revision: result.Written[player], Moment: moment}, result.Err
}

// close ends all visits, saves everybody, and stops the goroutine.
func (s *Session) close(ctx context.Context) error {
	var failed error
	var written <-chan store.CutResult
	var hungUp func(why string)
	err := s.ask(ctx, func() {
		var left []*save.Player
		var moments []engine.SaveMoment
		for _, id := range s.run.Present() {
			res, err := s.run.Step(&engine.Request{Do: "leave", Player: id, Server: true, At: s.clock(), Date: today()})
			if err != nil {
				failed = errors.Join(failed, err)
				continue
			}
			s.note(res.Changes, id)
			left, moments = append(left, res.Left...), append(moments, res.Saves...)
		}
		s.closing = true
		hungUp = s.hangUp()
		s.ledger.Changed("")
		written, _ = s.cutAll(moments, left, true)
		if written == nil {
			written = s.writeWorld()
		}
	})
	if errors.Is(err, ErrClosed) {
		return nil
	}
	if err != nil { // whoever closes it does not wait any more
		go func() {
			if <-s.done; hungUp != nil {
				hungUp("The session is closing.")
			}
		}()
		return err
	}
	<-s.done
	<-s.handed
	if written != nil {
		result := <-written
		failed = errors.Join(failed, result.Err)
		for _, id := range result.Lost {
			failed = errors.Join(failed, fmt.Errorf("the save of %s: %w", id, store.ErrLease))
		}
	}
	if failed == nil {
		hungUp("The session is closing; everybody is saved.")
	} else {
		hungUp("The session is closing. What could not be saved is missing when it is open again.")
	}
	return failed
}

// release makes sure that nothing of a player is left in the session: they leave, and what could not be
// written before is.
func (s *Session) release(ctx context.Context, player string) error {
	_, err := s.Do(ctx, engine.Request{Do: "leave", Player: player, Server: true})
	var refusal *engine.Refusal
	if err != nil && !(errors.As(err, &refusal) && refusal.Kind == engine.Unknown) {
		return err
	}
	return s.payOwed(ctx, player)
}

// aside says whether a player plays in a slot; where they do not, what they left behind there is written first.
func (s *Session) aside(ctx context.Context, player string, slot int) (playing bool, err error) {
	present := false
	err = s.ask(ctx, func() {
		if present = s.run.Has(player); present {
			playing = slot == EverySlot || s.run.Save(player).Slot == slot
		}
	})
	if err != nil || present {
		return playing, err
	}
	return false, s.payOwed(ctx, player)
}

// payOwed tries once more to write what a player left behind. It waits on the goroutine of whoever asks.
func (s *Session) payOwed(ctx context.Context, player string) error {
	var p store.PlayerCut
	var owed bool
	err := s.ask(ctx, func() {
		p, owed = s.owed[player]
		delete(s.owed, player) // who writes it now has it
	})
	if err != nil || !owed {
		return err
	}
	result := <-s.store.Write(s.cutOf(p))
	if result.Err != nil {
		s.later(func() { s.owed[player] = p })
		return fmt.Errorf("what %s left could not be written yet: %w", player, result.Err)
	}
	if len(result.Lost) > 0 {
		s.superseded(player)
	}
	return nil
}

func (s *Session) cutOf(players ...store.PlayerCut) store.Cut {
	return store.Cut{Game: s.Game, Session: s.Name, Epoch: s.owner.Epoch, Players: players, Keep: s.m.RevisionsKept()}
}
