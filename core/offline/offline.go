// Package offline is a session of one player in one place: on the player's own device, without a service. A machine talks
// to it by the same messages as to a service (docs/wire.md), so that a game is the same with and without one. It opens
// nothing and reads no clock: the host hands messages over, says how late it is, and keeps what Save gives.
//
// A save made here has no seal: there are no keys on a player's device that anybody could not read.
package offline

import (
	"errors"
	"fmt"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	_ "alluvion.dev/core/action" // what rules can do
	"alluvion.dev/core/compiled"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/share"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/core/wire"
)

// pause is how long the host may say nothing, in milliseconds: more than that was a pause, in which the session stood still.
const pause = 10_000

// still is how long nothing has to change until a frame says so, in milliseconds.
const still = 1000

// Session is a session of one player. It is not safe for use by several goroutines.
type Session struct {
	m      *model.Model
	chain  *upgrade.Chain
	seed   uint32
	saved  Saved
	run    *engine.Run
	layout *share.Layout
	board  *share.Board
	clock  int64 // the session's, in milliseconds
	host   int64 // the host's, when it was heard last
	date   int64 // by the calendar, in milliseconds since 1970 in UTC; 0 where the host says none

	out    []Message
	codec  share.Codec
	player string
	sight  share.Sight
	seen   int64 // the tick that the machine was sent last
	done   uint64
	said   uint64 // the number that the machine was told to be done
	told   []wire.Told
	framed int64 // when the last frame was made, by the session's clock
	news   bool  // something happened that is to be saved
	code   int   // why the machine's connection has ended; 0 while it has not
}

// Message is one for the machine: a text, or bytes.
type Message struct {
	Data   []byte
	Binary bool
}

// Saved is what a host keeps: the player's save, the world's, and what the player has over all slots.
type Saved struct {
	Format  int            `json:"alluvion_offline"` // 1
	Base    *Base          `json:"base,omitzero"`
	Player  jsontext.Value `json:"player,omitzero"`
	World   jsontext.Value `json:"world,omitzero"`
	Profile jsontext.Value `json:"profile,omitzero"`
}

// Base is the save of a service that was played on from, or that became of what was handed over to it. Without a revision
// it is the slot in which somebody began anew.
type Base struct {
	Slot     int `json:"slot"`
	Revision int `json:"revision"`
}

// Goes says where a save goes that is handed over to a service (rule 60): the slot, and the revision that has to be the newest
// there; 0 for an empty slot. newest are those of the player's slots by number, of which there can be all; what has none is
// empty. Under take it may go back to the slot that it began from; why says what speaks against that. Slot 0 means that
// no slot is empty.
func (b Base) Goes(newest map[int]int, all int, take bool) (slot, revision int, why string) {
	if now := newest[b.Slot]; take {
		switch {
		case b.Slot <= all && now == b.Revision:
			return b.Slot, now, ""
		case b.Slot > all:
			why = fmt.Sprintf("There is no slot %d: a player has %d.", b.Slot, all)
		case b.Revision == 0:
			why = fmt.Sprintf("Slot %d has a save of its own.", b.Slot)
		default:
			why = fmt.Sprintf("Slot %d is not as it was at revision %d any more, from which this save began.", b.Slot, b.Revision)
		}
	}
	for slot := 1; slot <= all; slot++ {
		if _, used := newest[slot]; !used {
			return slot, 0, why
		}
	}
	return 0, 0, why
}

// ErrSaved says that what a host kept cannot be read.
var ErrSaved = errors.New("this is nothing that was saved offline")

// Problem is something about a plan or a save that the host ought to show.
type Problem struct {
	Name    string `json:"name"`
	Reason  string `json:"reason"`
	Instead string `json:"instead"`
}

// Open reads a plan, or one that was compiled (which has its commons in it), and opens its session. saved is what Save gave
// the last time, or a save that was downloaded from a service, of this version or an earlier one; nothing for a new one.
// What is left to chance comes from the seed. What in the save was not as the plan has it is told.
func Open(plan []byte, commons model.Commons, saved []byte, seed uint32) (*Session, []Problem, error) {
	m, err := read(plan, commons)
	if err != nil {
		return nil, nil, err
	}
	s := &Session{m: m, seed: seed, saved: Saved{Format: 1}, layout: share.LayoutOf(m), host: -1}
	if len(saved) > 0 {
		if s.saved, err = ReadSaved(saved); err != nil {
			return nil, nil, err
		}
	}
	s.chain, s.run = upgrade.New(m), engine.Open(m, seed)
	var problems []Problem
	if s.saved.World != nil {
		w, err := s.chain.World(s.saved.World, upgrade.Around{})
		if err != nil {
			return nil, nil, fmt.Errorf("the world: %w", err)
		}
		problems = append(problems, said(w.Problems)...)
		s.run = engine.ReopenWith(m, w.World, seed)
	}
	s.board = share.NewBoard(s.run, s.layout)
	_, _, more, _ := s.load() // what cannot be loaded at all is told when the player comes
	return s, append(problems, said(more)...), nil
}

// ReadSaved reads what a host kept. A save that was downloaded from a service is read as well: whether its seal is right
// cannot be known here.
func ReadSaved(raw []byte) (Saved, error) {
	var kept Saved
	if json.Unmarshal(raw, &kept) == nil && kept.Format == 1 && (kept.Base == nil || kept.Base.Slot > 0 && kept.Base.Revision > 0) {
		return kept, nil
	}
	if save.IsSealed(raw) {
		var sealed struct {
			Save jsontext.Value `json:"save"`
		}
		if json.Unmarshal(raw, &sealed) != nil {
			return Saved{}, ErrSaved
		}
		raw = sealed.Save
	}
	l, err := save.OpenPlayer(raw)
	if err != nil || kept.Format != 0 || l.Player.Player == "" {
		return Saved{}, ErrSaved
	}
	kept = Saved{Format: 1, Player: raw}
	if l.About != nil && l.About.Revision > 0 && l.Slot > 0 {
		kept.Base = &Base{l.Slot, l.About.Revision}
	}
	return kept, nil
}

// read reads a plan, or one that was compiled.
func read(plan []byte, commons model.Commons) (m *model.Model, err error) {
	var found finding.List
	if compiled.Is(plan) {
		p, err := compiled.Read(plan)
		if err != nil {
			return nil, err
		}
		m, found = p.Load()
	} else {
		m, _, found = model.LoadFor(plan, commons)
	}
	if m == nil {
		return nil, fmt.Errorf("the plan cannot run: %s", first(found))
	}
	return m, nil
}

// first is what is wrong first.
func first(found finding.List) string {
	for _, f := range found {
		if f.Severity == finding.Error {
			return fmt.Sprintf("line %d: %s", f.Line, f.Message)
		}
	}
	return "it is empty"
}

func said(problems []save.Problem) (out []Problem) {
	for _, p := range problems {
		out = append(out, Problem{p.Name, p.Reason, p.Instead})
	}
	return out
}

// Layout is what machines need for frames in bits, as JSON.
func (s *Session) Layout() []byte {
	raw, err := share.WriteLayout(s.layout)
	if err != nil {
		panic(err) // plain data
	}
	return raw
}

// Connect begins a connection over a sub-protocol that Protocols offers: what was said before is forgotten.
func (s *Session) Connect(protocol string) error {
	as, near := map[string]share.Codec{wire.SubJSON: share.JSON, wire.SubJSONNear: share.JSON, wire.SubPacked: share.Packed,
		wire.SubPackedNear: share.Packed}, s.layout.HasNear()
	codec, known := as[protocol]
	if !known || near != (protocol == wire.SubJSONNear || protocol == wire.SubPackedNear) {
		return fmt.Errorf("%q is no protocol of this plan; %s and %s are", protocol, s.Protocols()[0], s.Protocols()[1])
	}
	s.Disconnect()
	s.codec, s.code = codec, 0
	return nil
}

// Protocols are those that a machine may connect with.
func (s *Session) Protocols() []string {
	if s.layout.HasNear() {
		return []string{wire.SubPackedNear, wire.SubJSONNear}
	}
	return []string{wire.SubPacked, wire.SubJSON}
}

// Disconnect is that the machine is gone without a word: its player leaves, and Save has everything.
func (s *Session) Disconnect() {
	s.gone()
	s.player, s.out = "", nil
}

// gone is that the machine said nothing more: its player leaves.
func (s *Session) gone() {
	if s.player != "" && s.run.Has(s.player) {
		s.leave(0)
	}
}

// Received is a message of the machine, at a time of the host in milliseconds.
func (s *Session) Received(data []byte, now int64) {
	s.Advance(now)
	if s.code != 0 {
		return
	}
	if s.player == "" {
		s.hello(data)
		return
	}
	ask, scene, err := wire.Ask{}, -1, error(nil)
	if len(data) > 0 && data[0] == 2 {
		ask, scene, err = wire.UnpackMove(s.layout, data)
	} else {
		ask, err = wire.ReadAsk(data)
	}
	var fault *wire.Fault
	switch {
	case errors.As(err, &fault):
		s.say(wire.Said{Is: "refused", Number: fault.Number, Kind: engine.Invalid, Member: fault.Member, Why: fault.Why})
		return
	case err != nil:
		s.gone()
		s.code = wire.CodeBad
		return
	}
	s.take(ask, scene)
	s.frame()
}

// hello lets the player in.
func (s *Session) hello(data []byte) {
	hello, err := wire.ReadHello(data)
	if err != nil || hello.Is != "hello" || hello.Player == "" {
		s.say(wire.Said{Is: "refused", Kind: engine.Invalid, Why: "The first message is a hello of a player."})
		s.code = wire.CodeBad
		return
	}
	if hello.Plan != "" && hello.Plan != s.layout.Plan {
		s.say(wire.Said{Is: "fetch", Plan: s.layout.Plan, Layout: "layout"})
		s.code = wire.CodeLayout
		return
	}
	req := engine.Request{At: s.clock, Date: s.date, Do: "join", Player: hello.Player, Slot: max(hello.Slot, 1), Picks: hello.Picks}
	if err := s.comes(&req); err != nil {
		s.say(wire.Said{Is: "refused", Kind: engine.Refused, Why: err.Error()})
		s.code = wire.CodeRefused
		return
	}
	res, err := s.run.Step(&req)
	if err != nil {
		s.say(wire.RefusalOf(0, err))
		s.code = wire.CodeRefused
		return
	}
	s.player, s.seen, s.sight, s.done, s.said, s.told = hello.Player, share.Whole, share.Sight{}, s.run.Number(hello.Player), 0, nil
	s.note(res)
	s.put(wire.Welcome{Is: "welcome", Player: s.player, Game: s.m.Plan.Game.Name, Session: "offline",
		Version: s.m.Plan.Version.Value, Plan: s.layout.Plan, Run: fmt.Sprintf("offline-%d", s.seed), Ticks: s.layout.Ticks,
		Number: s.run.Number(s.player)})
	s.frame()
}

// load reads what is saved of the player, and of what they have over all slots; and what of both is not as the plan has it.
func (s *Session) load() (player *upgrade.Loaded, profile *save.Profile, problems []save.Problem, err error) {
	if s.saved.Profile != nil && s.chain.NeedsProfile() {
		if profile, problems, err = s.chain.Profile(s.saved.Profile); err != nil {
			return nil, nil, problems, err
		}
	}
	if s.saved.Player != nil {
		if player, err = s.chain.Player(s.saved.Player, upgrade.Around{}); err != nil {
			return nil, nil, problems, err
		}
		problems = append(problems, player.Problems...)
	}
	return player, profile, problems, upgrade.RefusedBy(problems)
}

// comes takes what was saved into the request of who joins.
func (s *Session) comes(req *engine.Request) error {
	loaded, profile, _, err := s.load()
	if err != nil {
		return err
	}
	if req.Profile = profile; loaded == nil {
		return nil
	}
	if loaded.Player.Player != req.Player {
		return fmt.Errorf("what is saved here is %s's", loaded.Player.Player)
	}
	req.Profile = upgrade.WithOver(s.m, req.Profile, req.Player, loaded.Over)
	loaded.Player.Profile, req.Saved, req.Slot = req.Profile, loaded.Player, loaded.Player.Slot
	return nil
}

// take does what the machine asks for. scene is the one of a move in bits, -1 where it is none.
func (s *Session) take(ask wire.Ask, scene int) {
	switch ask.Is {
	case "ping":
		time := fixed.FromNano(s.clock * 1_000_000)
		s.say(wire.Said{Is: "pong", Number: ask.Number, Time: &time})
		return
	case "token":
		s.say(wire.Said{Is: "answer", Number: ask.Number})
		return
	case "whole":
		s.seen, s.sight = share.Whole, share.Sight{}
		return
	case "belief", "believed": // nobody asked
		return
	case "leave":
		s.leave(ask.Number)
		return
	case "move", "pass", "touch", "event", "write", "start-over":
	default:
		s.say(wire.Said{Is: "refused", Number: ask.Number, Kind: engine.Unknown, Why: fmt.Sprintf("There is no message %q.", ask.Is)})
		return
	}
	req := engine.Request{At: s.clock, Date: s.date, Do: ask.Is, Player: s.player, Number: ask.Number, Arrival: ask.Arrival, Name: ask.Name,
		To: ask.To, Facing: ask.Facing, Args: ask.Args}
	if ask.Value != nil {
		req.Value = *ask.Value
	}
	if at, here := s.run.Place(s.player); scene >= 0 && (!here || s.layout.SceneIndex(at.Scene) != scene) {
		s.say(wire.Said{Is: "refused", Number: ask.Number, Kind: engine.Stale, Why: "The player is in another scene."})
		return
	}
	res, err := s.run.Step(&req)
	s.done = max(s.done, ask.Number)
	var refused *engine.Refusal
	switch {
	case errors.As(err, &refused) && refused.Kind == engine.Repeated:
		s.say(wire.Said{Is: "answer", Number: ask.Number, Repeat: true})
	case err != nil:
		s.say(wire.RefusalOf(ask.Number, err))
	default:
		s.note(res)
		if ask.Is != "move" {
			s.say(wire.Said{Is: "answer", Number: ask.Number})
		}
	}
}

// leave ends the visit and the connection; everything is kept for Save.
func (s *Session) leave(number uint64) {
	res, err := s.run.Step(&engine.Request{At: s.clock, Date: s.date, Do: "leave", Player: s.player, Number: number})
	if err != nil {
		s.say(wire.RefusalOf(number, err))
		return
	}
	s.note(res)
	s.keep(res.Left[0])
	if number > 0 {
		s.say(wire.Said{Is: "answer", Number: number})
	}
	s.code = wire.CodeLeft
}

// note takes over what a step did.
func (s *Session) note(res engine.Result) {
	s.board.Note(res.Changes, s.player)
	s.news = s.news || len(res.Saves) > 0 || len(res.Changes) > 0
	for i := range res.Notices {
		if n := &res.Notices[i]; s.player != "" && s.run.Has(s.player) && s.run.Hears(s.player, n) {
			s.told = append(s.told, wire.ToldOf(n))
		}
	}
}

// Today says how late it is by the calendar, in milliseconds since 1970 in UTC: days and weeks of the plan have their turns
// by it, those that were missed as the player comes in. A time that goes back counts as the last one. Where nothing is said
// the calendar stands still.
func (s *Session) Today(date int64) { s.date = max(date, s.date) }

// Advance lets time pass up to a time of the host, in milliseconds: timers have their turns, and a frame is made where one
// is due. A time that goes back counts as the last one, and one that is more than ten seconds later as a pause.
func (s *Session) Advance(now int64) {
	passed := now - s.host
	if s.host < 0 || passed < 0 || passed > pause {
		passed = 0
	}
	s.host = max(now, s.host)
	if s.player == "" || s.code != 0 {
		return // time stands still while nobody is there
	}
	s.clock += passed
	if s.date > 0 {
		s.note(s.run.Turn(s.date))
	}
	s.note(s.run.Advance(s.clock))
	if s.clock-s.framed >= int64(1000/s.layout.Ticks) {
		s.frame()
	}
}

// frame makes the next frame, where there is news or nothing was said for a while.
func (s *Session) frame() {
	if s.player == "" || s.code != 0 {
		return
	}
	s.board.Tick(s.clock)
	news := s.board.News(s.player, s.seen, &s.sight) || len(s.told) > 0 || s.said != s.done
	if !news && s.clock-s.framed < still && s.seen != share.Whole {
		return
	}
	words := share.Words{Done: s.done}
	if len(s.told) > 0 {
		raw, err := json.Marshal(s.told)
		if err != nil {
			panic(err) // plain data
		}
		words.Told = raw
	}
	raw, ok := s.board.Frame(nil, s.codec, s.player, s.seen, words, &s.sight)
	if !ok {
		return
	}
	s.out = append(s.out, Message{raw, s.codec == share.Packed})
	s.seen, s.said, s.told, s.framed = s.board.Now(), s.done, nil, s.clock
}

// Outgoing is what there is for the machine, in order. It is given once.
func (s *Session) Outgoing() []Message {
	out := s.out
	s.out = nil
	return out
}

// Ended is why the machine's connection has ended, once all of Outgoing was handed over; 0 while it has not.
func (s *Session) Ended() int {
	if len(s.out) > 0 {
		return 0
	}
	return s.code
}

// Unsaved says whether something happened since the last Save.
func (s *Session) Unsaved() bool { return s.news }

// Save is what the host is to keep, in whole: it replaces what was kept before. number is the last of the machine's requests
// that is in it; Stored says that it is kept.
func (s *Session) Save() (raw []byte, number uint64) {
	if s.player != "" && s.code == 0 && s.run.Has(s.player) {
		s.keep(s.run.Save(s.player))
	}
	s.news = false
	raw, err := json.Marshal(s.saved, json.Deterministic(true))
	if err != nil {
		panic(err) // plain data
	}
	return raw, s.done
}

// Stored says that what Save gave is kept: the machine is told so.
func (s *Session) Stored(number uint64) {
	if s.player != "" && s.code == 0 {
		s.say(wire.Said{Is: "saved", Number: number, Moment: "every"})
	}
}

// HandedOver says where a service has put what Save gave the last time: what is played on is based on that.
func (s *Session) HandedOver(slot, revision int) { s.saved.Base, s.news = &Base{slot, revision}, true }

// keep takes over a player as they are, with the world.
func (s *Session) keep(p *save.Player) {
	encode := func(doc any) jsontext.Value {
		raw, err := save.Encode(doc)
		if err != nil {
			panic(err) // plain data
		}
		return raw
	}
	s.saved = Saved{Format: 1, Base: s.saved.Base, Player: encode(p)}
	if !s.m.Single {
		s.saved.World = encode(s.run.World())
	}
	if p.Profile != nil {
		s.saved.Profile = encode(p.Profile)
	}
}

func (s *Session) say(m wire.Said) { s.put(m) }

// put puts a message in line for the machine.
func (s *Session) put(m any) {
	raw, err := json.Marshal(m)
	if err != nil {
		panic(err) // plain data
	}
	s.out = append(s.out, Message{Data: raw})
}
