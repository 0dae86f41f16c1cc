// Package engine runs a plan: it holds the state of one session and steps it, request by request.
//
// A step is a function of plan, state and request alone; the request carries its time. The engine
// reads no clock, no random source, no file and no network: the same requests give the same state and
// the same digest, everywhere. A request is all or nothing: where Step gives an error, the state is
// what it was (semantics, rules 9 to 16).
package engine

import (
	"slices"

	"alluvion.dev/core/calendar"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// Run is one session's state under one plan. It is not safe for use by several goroutines: one owns it.
type Run struct {
	m *model.Model
	world
	clock    int64  // milliseconds since the session was opened, standing still while it sleeps
	seed     uint32 // that the session was opened with
	sown     uint32 // how many seeds were made of it
	players  map[string]*Player
	order    []*Player          // present players, by id
	timers   []int64            // when each of the session's timers is due next
	begun    bool               // something has happened since it was opened
	work     int                // that was done since it was opened, in steps of rules: no time, so that it is the same everywhere
	turns    schedule           // when whose timers are due
	dead     []*Player          // who may be dead: everybody who died and was not seen alive since
	senders  map[string]uint64  // the last numbered request of each server that was applied
	causes   []Cause            // by rule, once it has acted
	date     int64              // the latest that a request had, in milliseconds since 1970 in UTC; 0 where none had one
	besides  []string           // who has changed since a ledger was told, though no change says so: "" for the world; perhaps some who have not
	nextTurn int64              // when the calendar has its next turn
	session  string             // what the session is called
	arrivals map[string]int     // the last arrival of those who have left
	acted    func(*model.Rule)  // hears of each rule that acts; nil where nobody asks
	cut      func(Lost)         // hears of each number that a limit cut off; nil where nobody asks
	settled  func(*Result)      // hears of what came of each transaction; nil where nobody asks
	texts    map[string]string  // those that were recalled, each once
	records  map[string]*record // the same of records, by their bytes
	tx       tx                 // the transaction that runs; kept between steps for its buffers alone
}

// Player is one present player. Invariants: vars has one value for each stored variable, each in its
// domain; place.scene is a scene of the plan, and place.at is inside it; reached is -1 or one of the
// used checkpoints, unless an upgrade or a fate kept it from a former run.
type Player struct {
	id      string
	vars    []types.Value // by slot; a stopwatch is held as the clock's time at which it was zero
	number  uint64        // the last numbered request that was applied
	watched uint64        // the last transaction in which the invariants about the player were asked
	core                  // what begins it is asked at every event: it lies beside what stands above
	slot    int
	profile []types.Value // what they have over all slots, by slot of the variable; never changed by who starts over
	pairs   copies        // of what the player has for scenes and props: only those that were ever changed
	timers  []int64       // when each of the player's own timers is due next
}

// core is the part of a player that is copied whole when it is about to change.
type core struct {
	dead      bool
	place     Place
	entry     Place
	backAt    int64 // when a dead player comes back, in the session's time
	reached   int   // index of the checkpoint reached, -1 where none was
	used      []bool
	marks     []remembered  // by waymark; never changed, only replaced
	earned    []bool        // by milestone; never changed, only replaced
	ranks     []types.Value // by standing: the number that counts, or none; never changed, only replaced
	movedAt   int64         // until when the player's speed is spent, where the plan limits it
	placed    int64         // when the place last changed, in the session's time
	arrival   int           // how often in this session, over all visits, the player was put somewhere and did not walk there
	back      Place         // where to come back to, of a checkpoint that is an area: where it was entered
	record    *record       // never changed, only replaced
	metOver   []met         // the same over all slots
	met       []met         // by own crossing: the one that the player met last; never changed, only replaced
	visits    int
	atticOver save.Attic // of what they have over all slots
	attic     save.Attic
}

// met is which of a crossing's happenings the world or a player met last: of which session, and its count there; or of
// the calendar, the local date of the turn.
type met struct {
	session string
	count   int
	date    calendar.Date
}

// Place is where a player is.
type Place struct {
	Scene  int
	At     [model.MaxAxes]fixed.Num
	Facing string
}

// remembered is a remembered place, if there is one.
type remembered struct {
	set bool
	at  Place
}

// record is what rewinds at death, as it was shown when the checkpoint reached was reached.
type record struct {
	player []types.Value // by slot, as long as vars; only what rewinds is read
	game   []types.Value
	scenes [][]types.Value
	marks  []remembered
	pairs  copies
	props  copies
}

// copies are the values of holders of which there may be very many. One that is not there has its start
// values; one that is there may have them too.
type copies map[copyKey][]types.Value

type copyKey struct{ hold, at int }

// thing is a movable: with a player, or at a place.
type thing struct {
	holder *Player
	at     Place // where it is, unless somebody holds it
}

// New is a session that has just been opened for the first time, with the seed 0.
func New(m *model.Model) *Run { return Open(m, 0) }

// Open is a session that has just been opened for the first time. What is left to chance in it comes from
// the seed alone.
func Open(m *model.Model, seed uint32) *Run {
	r := &Run{m: m, players: map[string]*Player{}, seed: seed}
	r.newWorld()
	r.timers, r.causes, r.crossed = beginTimers(m.Timers, 0), make([]Cause, len(m.Rules)), r.metByNobody()
	r.await(m.Timers, r.timers, nil)
	r.tx.run, r.tx.frame.run = r, r
	return r
}

// Called says what the session is called: who comes from another one has met other crossings than those that were
// counted in this one (rule 41). A session of one player needs no name: what was crossed is kept in the player's slot.
func (r *Run) Called(session string) *Run {
	if !r.m.Single {
		r.session = session
	}
	return r
}

// world is what belongs to the session and to no player.
type world struct {
	game    []types.Value   // by slot
	scenes  [][]types.Value // by scene, and then by slot
	props   copies          // of what props and options of lists hold: only those that were ever changed
	things  []thing         // by movable
	attic   save.Attic
	crossed []met           // which it met last of each of the plan's own crossings; never changed, only replaced
	ranks   [][]types.Value // by standing of options, and then by option: the number that counts; never changed, only replaced
}

// newWorld makes the world as it is before anything happened.
func (r *Run) newWorld() {
	r.game, r.scenes, r.props, r.things, r.ranks = r.starts(r.m.Holders[model.OfGame]), nil, copies{}, nil, nil
	for range r.m.Scenes {
		r.scenes = append(r.scenes, r.starts(r.m.Holders[model.OfScene]))
	}
	for _, x := range r.m.Movables {
		r.things = append(r.things, thing{at: r.home(x)})
	}
}

// starts are the start values of what one holder of a kind has.
func (r *Run) starts(h *model.Holding) []types.Value {
	vars := h.Stored
	out := make([]types.Value, len(vars))
	for i, v := range vars {
		out[i] = r.start(v)
	}
	return out
}

// start is a variable's start value, as it is held now.
func (r *Run) start(v *model.Var) types.Value {
	switch {
	case v.Seed:
		r.sown++
		return types.OfNum(fixed.FromInt(int64(expr.Mix(r.seed, r.sown))))
	case v.While != nil:
		return stopped(fixed.Num{})
	case v.Stopwatch:
		return types.OfNum(seconds(r.clock))
	}
	return v.Start
}

// stopped is a stopwatch that does not count now: held as what it reads, and marked.
func stopped(reads fixed.Num) types.Value {
	v := types.OfNum(reads)
	v.Bool = true
	return v
}

// seconds is a time of the session's clock as a number of seconds.
func seconds(ms int64) fixed.Num { return fixed.FromNano(ms * 1_000_000) }

// shown is a held value as everybody but the engine knows it: a stopwatch is read as elapsed seconds.
func (r *Run) shown(v *model.Var, held types.Value) types.Value {
	if held.Bool && v.While != nil {
		return types.OfNum(held.Num)
	}
	if v.Stopwatch {
		n, err := seconds(r.clock).Sub(held.Num)
		if err != nil {
			return held
		}
		return types.OfNum(n)
	}
	return held
}

// held is the other way round. A stopwatch that counts only while something holds stands still at first.
func (r *Run) held(v *model.Var, shown types.Value) types.Value {
	if v.While != nil {
		return stopped(shown.Num)
	}
	return r.shown(v, shown)
}

func (r *Run) allShown(held []types.Value, h model.Holder) []types.Value {
	out := make([]types.Value, len(held))
	for i, v := range r.m.Holders[h].Stored {
		out[i] = r.shown(v, held[i])
	}
	return out
}

// Model is the plan that the session runs.
func (r *Run) Model() *model.Model { return r.m }

// Seed is what draws are made of, besides how many were made.
func (r *Run) Seed() uint32 { return r.seed }

// Clock is the session's time in milliseconds.
func (r *Run) Clock() int64 { return r.clock }

// Present lists the players in the session, by id.
func (r *Run) Present() []string {
	ids := make([]string, len(r.order))
	for i, p := range r.order {
		ids[i] = p.id
	}
	return ids
}

// Has says whether a player is in the session.
func (r *Run) Has(player string) bool { return r.players[player] != nil }

// Number is the last numbered request of a present player that was applied.
func (r *Run) Number(player string) uint64 {
	if p := r.players[player]; p != nil {
		return p.number
	}
	return 0
}

// SenderNumber is the last numbered request of one of the game's servers that was applied.
func (r *Run) SenderNumber(name string) uint64 { return r.senders[name] }

func (r *Run) enter(p *Player) {
	r.players[p.id] = p
	i, _ := slices.BinarySearchFunc(r.order, p.id, byID)
	r.order = slices.Insert(r.order, i, p)
	r.await(r.m.OwnTimers, p.timers, p)
}

func (r *Run) exit(p *Player) {
	delete(r.players, p.id)
	if i, ok := slices.BinarySearchFunc(r.order, p.id, byID); ok {
		r.order = slices.Delete(r.order, i, i+1)
	}
}

func byID(p *Player, id string) int {
	switch {
	case p.id < id:
		return -1
	case p.id > id:
		return 1
	}
	return 0
}

// empty says whether nobody is in a scene, the dead counted as being there (rule 18).
func (r *Run) empty(scene int) bool {
	return !slices.ContainsFunc(r.order, func(p *Player) bool { return p.place.Scene == scene })
}

// spotPlace is the place of a spot, for a player who faces the given way.
func spotPlace(s *model.Spot, facing string) Place {
	if s.Facing != "" {
		facing = s.Facing
	}
	return Place{Scene: s.Scene.Index, At: s.Point, Facing: facing}
}

// startPlace is where a new run begins.
func (r *Run) startPlace() Place {
	facing := ""
	if len(r.m.Facings) > 0 {
		facing = r.m.Facings[0]
	}
	return spotPlace(r.m.Start, facing)
}
