package scout

import (
	"crypto/sha256"
	"errors"
	"fmt"
	"slices"
	"time"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// fact is something that was seen to happen: which kind, and which one of that kind.
type fact struct {
	kind factKind
	at   int32  // its place among those of its kind
	more string // of a failure: what it says; of an option: which
}

// trouble says whether something went wrong.
func (f fact) trouble() bool { return f.kind >= brokeAlways && f.kind != fated }

// unbalanced says whether something that is conserved has become more or less.
func (f fact) unbalanced() bool { return f.kind == madeMore || f.kind == madeLess }

type factKind uint8

const (
	ranRule factKind = iota
	wentThrough
	wasClosed
	wasIn
	touched
	earned
	sent
	picked
	leftScene
	changed // a variable
	brokeAlways
	ruleFailed
	fateFailed
	cutOff // by rule
	cutOffByFate
	fated    // a fate that showed: of a variable, at a crossing
	madeMore // of something that is conserved
	madeLess
)

// A worker recalls states and tries moves on them. Each worker has its own session, so that several can run in parallel.
type worker struct {
	m       *model.Model
	run     *engine.Run
	moves   *moves
	asks    []question
	gaps    gaps
	steps   []string // of a run, where it is written down
	records bool
	rates   engine.Rates
	heard   []fact
	idle    bool // nothing has come of the request that was carried out last
	look    []byte
	pending []fact // of the request that is being carried out
	ledger  ledger
	wrote   bool // everything was written to the disk at the end of what was done last

	home  *engine.Run         // the session that states are recalled into
	aside *engine.Run         // another, in which a state of earlier is looked at; nil until it is needed
	saved map[string]snapshot // by player; only if the plan does not save on leaving
	dated int64               // the date, where the session itself has not been told yet
	away  map[string]absence  // by player
}

func newWorker(m *model.Model, moves *moves, asks []question, conserved []*model.Conserved) *worker {
	w := &worker{m: m, moves: moves, asks: asks, gaps: gapsOf(m, asks), ledger: ledger{of: conserved}}
	w.begin()
	return w
}

// begin opens a new session.
func (w *worker) begin() {
	w.run, w.saved, w.dated, w.away = engine.New(w.m), map[string]snapshot{}, 0, map[string]absence{}
	w.home = w.run
	w.watch()
}

// watch hears of all that happens in the session.
func (w *worker) watch() {
	w.run.Trace(func(r *model.Rule) {
		w.pending = append(w.pending, fact{ranRule, int32(r.Index), ""})
		w.ledger.ran(r)
	})
	if len(w.ledger.of) > 0 {
		w.run.Settled(w.settled)
	}
	w.run.Cuts(func(x engine.Lost) {
		f := fact{cutOffByFate, int32(slot(w.m, x.Var)), ""}
		if x.Rule != nil {
			f = fact{cutOff, int32(x.Rule.Index), x.Var.Name}
		}
		w.pending = append(w.pending, f)
		if w.counts(x.Var.Name) {
			w.ledger.because(cutWords(x))
		}
	})
}

func slot(m *model.Model, v *model.Var) int { return indexOf(m.Vars, v) }

// start lets everybody join: a state that a search begins with. with is who picks something on joining, and what; nil
// where nobody does.
func (w *worker) start(with *move) error {
	w.ledger.within = true
	for _, p := range w.moves.players {
		req := &engine.Request{Do: "join", Player: p, Slot: 1}
		if with != nil && with.player == p {
			req.Picks = with.args
		}
		if err := w.ask(req); err != nil {
			return err
		}
	}
	w.weigh()
	return nil
}

// ask carries out one request now, and notes what is seen of it.
func (w *worker) ask(req *engine.Request) error {
	req.At, req.Date = w.run.Clock(), w.today()
	w.pending = w.pending[:0]
	arrivals := w.arrivals()
	res, err := w.run.Step(req)
	if err != nil {
		w.refused(req, err)
		return err
	}
	var saved []string
	wrote := func() {
		for _, s := range res.Saves {
			saved = append(saved, s.Player)
		}
		w.wrote = w.wrote || len(res.Saves)+len(res.Left) > 0
	}
	w.wrote = false
	wrote()
	w.idle = len(res.Changes)+len(res.Notices)+len(res.Saves)+len(res.Left) == 0 && req.Do != "move" &&
		arrivals == w.arrivals() // who is put where they are has arrived once more
	switch req.Do {
	case "pass":
		w.heard = append(w.heard, fact{wentThrough, int32(indexOf(w.m.Passages, w.m.Passage(req.Name))), ""})
	case "event":
		w.heard = append(w.heard, fact{sent, int32(w.m.Event(req.Name).Index), ""})
	}
	w.saw(&res)
	w.noteStep(req)
	if due, ok := w.run.Due(); ok && due <= w.run.Clock() { // a player who comes back at once is part of this step
		res = w.run.Advance(w.run.Clock())
		w.saw(&res)
		wrote()
	}
	w.save(saved...)
	return nil
}

// arrivals is how often players were put somewhere.
func (w *worker) arrivals() int {
	sum := 0
	for _, p := range w.run.Now() {
		_, _, n := p.Where()
		sum += n
	}
	return sum
}

// refused notes closed gates and failed rules.
func (w *worker) refused(req *engine.Request, err error) {
	w.ledger.did, w.ledger.by = w.ledger.did[:0], w.ledger.by[:0]
	var refusal *engine.Refusal
	if !errors.As(err, &refusal) {
		return
	}
	if w.records && refusal.Kind != engine.TooFast {
		w.steps = append(w.steps, "{refused: "+stepOf(req)+"}")
	}
	switch {
	case refusal.Kind == engine.Failed && refusal.Rule > 0:
		w.heard = append(w.heard, fact{ruleFailed, int32(refusal.Rule), refusal.Reason})
	case req.Do == "pass" && refusal.Kind == engine.Refused && refusal.Rule == 0:
		if p := w.m.Passage(req.Name); p != nil && p.If != nil && w.run.StandsBefore(req.Player, p) {
			if holds, err := (engine.Watcher{Run: w.run, Of: req.Player}).Ask(p.If); err == nil && !holds.Bool {
				w.heard = append(w.heard, fact{wasClosed, int32(indexOf(w.m.Passages, p)), ""})
			}
		}
	}
}

func indexOf[T comparable](list []T, x T) int {
	for i := range list {
		if list[i] == x {
			return i
		}
	}
	return -1
}

// saw notes everything that a step of the engine did: the rules that acted, the changes, and the notices.
func (w *worker) saw(res *engine.Result) {
	w.heard = append(w.heard, w.pending...)
	w.pending = w.pending[:0]
	for i := range res.Changes {
		w.changed(&res.Changes[i])
	}
	w.told(res.Notices)
}

func (w *worker) changed(c *engine.Change) {
	v := w.m.Var(c.Name)
	if v == nil {
		return
	}
	at := int32(slot(w.m, v))
	w.heard = append(w.heard, fact{changed, at, ""})
	if w.moves.fates && c.Cause != nil && c.Cause.Kind == "crossing" {
		w.heard = append(w.heard, fact{fated, at, c.Cause.Crossing})
	}
	if v.Type.Kind == types.Pick && c.To.Kind == types.IsText {
		w.heard = append(w.heard, fact{picked, at, c.To.Text})
	}
}

// crossed notes the variables that have kept something over a crossing.
func (w *worker) crossed(cross plan.Crossing, player string) {
	if w.moves.fates {
		w.run.Keepers(cross, player, func(v *model.Var) {
			w.heard = append(w.heard, fact{fated, int32(slot(w.m, v)), cross.String()})
		})
	}
}

func (w *worker) told(notices []engine.Notice) {
	anew := slices.ContainsFunc(notices, func(n engine.Notice) bool { return n.Kind == "came-back" || n.Kind == "started" })
	for i := range notices {
		n := &notices[i]
		switch n.Kind {
		case "arrived":
			w.heard = append(w.heard, fact{wasIn, int32(w.m.Scene(n.Scene).Index), ""})
		case "crossed":
			if cross, ok := w.m.Plan.Crossing(n.ID); ok {
				w.crossed(cross, n.Player)
			}
		case "came-back":
			w.crossed(plan.CrossDeath, n.Player)
		case "started":
			w.crossed(plan.CrossNewRun, n.Player)
		case "departed":
			w.crossed(plan.CrossScene, n.Player)
			if !anew { // coming back and starting over are no ways out of a scene
				w.heard = append(w.heard, fact{leftScene, int32(w.m.Scene(n.Scene).Index), ""})
			}
		case "checkpoint":
			w.heard = append(w.heard, fact{touched, int32(w.m.Checkpoint(n.ID).Index), ""})
		case "milestone":
			for _, x := range w.m.Milestones {
				if x.ID == n.ID {
					w.heard = append(w.heard, fact{earned, int32(x.Index), ""})
				}
			}
		case "breach":
			w.heard = append(w.heard, fact{brokeAlways, 0, n.Text})
		case "undone":
			if n.Rule > 0 {
				w.heard = append(w.heard, fact{ruleFailed, int32(n.Rule), n.Text})
			} else {
				w.heard = append(w.heard, fact{fateFailed, 0, n.Text})
			}
		}
	}
}

// player is one of those who play; nil for one who is not there.
func (w *worker) player(id string) *engine.Player {
	for _, p := range w.run.Now() {
		if p.ID() == id {
			return p
		}
	}
	return nil
}

// fits says whether a move can be tried at all now.
func (w *worker) fits(m *move) bool {
	if m.player == "" || m.do == "join" {
		return m.do != "join"
	}
	p := w.player(m.player)
	if m.do == "back" {
		return p == nil
	}
	if p == nil || m.alive && p.Dead() || m.do == "leave" && len(w.away)+1 == len(w.moves.players) {
		return false
	}
	at, _, _ := p.Where()
	return m.scene < 0 || at.Scene == m.scene
}

// do carries out a move, with its walk. It returns false if the move is refused; the walk is not undone then.
func (w *worker) do(m *move) bool {
	switch m.do {
	case "wait":
		return w.wait(m)
	case "again":
		return w.again(m)
	case "leave":
		return w.stay(m)
	case "back":
		return w.comeBack(m)
	case "restart":
		return w.restart()
	case "crash":
		return w.wrote && w.crash()
	case "save":
		w.untilSaved()
		return true
	case "day":
		return w.day()
	case "face":
		return w.face(m)
	case "commons":
		of := w.m.Var(m.name).Shared
		return w.ask(&engine.Request{Do: "commons", Server: true, Name: m.name, Player: m.player,
			Shared: map[string]save.Values{of.Commons: {of.ID: m.value}}}) == nil
	}
	if m.near != nil {
		holder, at := w.run.Thing(m.near.Index)
		p := w.player(m.player)
		here, _, _ := p.Where()
		if holder == nil && at.Scene == here.Scene && w.m.Scenes[at.Scene].Walk && !w.walk(m.player, at.At) {
			return false
		}
	}
	if m.walks && !w.walk(m.player, m.at) {
		return false
	}
	if m.do == "walk" {
		return true
	}
	req := &engine.Request{Do: m.do, Player: m.player, Name: m.name, Args: m.args, Server: m.server}
	if m.do == "write" {
		req.Value, req.Args = m.value, engine.ArgsFor(w.m.Var(m.name), m.of)
	}
	return w.ask(req) == nil
}

// face turns a player where they are.
func (w *worker) face(m *move) bool {
	at, _, _ := w.player(m.player).Where()
	return w.ask(&engine.Request{Do: "move", Player: m.player, Facing: m.name,
		To: append([]fixed.Num{}, at.At[:len(w.m.Axes)]...)}) == nil
}

// walk goes to a point of the scene, in as many steps as the plan's speed needs.
func (w *worker) walk(player string, to point) bool {
	p := w.player(player)
	at, _, _ := p.Where()
	to = w.m.Scenes[at.Scene].Nearest(to, w.m.Step)
	if at.At == to {
		return true
	}
	for range 100 {
		req := &engine.Request{Do: "move", Player: player, To: append([]fixed.Num{}, to[:len(w.m.Axes)]...)}
		err := w.ask(req)
		var refusal *engine.Refusal
		if err == nil || !errors.As(err, &refusal) || refusal.Kind != engine.TooFast {
			return err == nil
		}
		w.advance(10_000)
	}
	return false
}

// advance lets time pass, from one thing that is due to the next.
func (w *worker) advance(ms int64) {
	for end := w.run.Clock() + ms; ; {
		next := end
		if due, ok := w.run.Due(); ok {
			next = min(next, max(due, w.run.Clock()))
		}
		passed := next - w.run.Clock()
		if turn, ok := w.run.NextTurn(); ok && w.moves.calendar {
			passed = min(passed, max(turn-w.today(), 0))
		}
		w.until(passed)
		if w.run.Clock() == end {
			break
		}
	}
	w.waited(ms)
}

// until lets so many milliseconds pass, at the end of which something may be due.
func (w *worker) until(ms int64) {
	w.pending, w.wrote = w.pending[:0], false
	wrote := func(res engine.Result) {
		w.saw(&res)
		w.wrote = w.wrote || len(res.Saves)+len(res.Left) > 0
		for _, s := range res.Saves {
			w.save(s.Player)
		}
	}
	at := w.run.Clock() + ms
	if w.moves.calendar {
		wrote(w.run.Turn(w.today() + ms))
	}
	wrote(w.run.Advance(at))
}

// firstDate is when rehearsals begin, and so runs do: 2000-01-01 UTC.
const firstDate = 946_684_800_000

// today is the date of what is asked for; 0 where the plan has no calendar.
func (w *worker) today() int64 {
	if !w.moves.calendar {
		return 0
	}
	return max(w.run.Date(), w.dated, firstDate)
}

// day lets the calendar go on to its next turn, and no time of the session with it.
func (w *worker) day() bool {
	next, ok := w.run.NextTurn()
	if !ok {
		return false
	}
	const minute = 60_000
	w.pending = w.pending[:0]
	date := (next + minute - 1) / minute * minute
	res := w.run.Turn(date)
	w.saw(&res)
	if w.records {
		w.steps = append(w.steps, fmt.Sprintf("{date: %q}", time.UnixMilli(date).UTC().Format("2006-01-02 15:04")))
	}
	return true
}

// mostWait is the longest time until something that is waited for: a day.
const mostWait = 86_400_000

func (w *worker) wait(m *move) bool {
	ms := m.wait
	if ms == 0 {
		due, ok := w.run.Due()
		if ms = due - w.run.Clock(); !ok || ms > mostWait {
			return false
		}
	}
	w.advance(max(ms, 0))
	return true
}

// key identifies a state: what the lens shows of it, and which questions have held on the way to it.
type key [16]byte

func (w *worker) key(had uint64) key { return w.keyWith(w.moves.lens, had) }

// keyWith is key as another lens shows it.
func (w *worker) keyWith(lens *engine.Lens, had uint64) key {
	if lens.Nameless {
		w.look = w.nameless(w.look[:0], lens)
	} else {
		w.look = w.run.Look(w.look[:0], lens)
	}
	for i := range 8 {
		w.look = append(w.look, byte(had>>(8*i)))
	}
	if lens.Nameless {
		sum := sha256.Sum256(w.look)
		return key(sum[:16])
	}
	if w.moves.unsaved {
		for _, p := range w.moves.players {
			w.look = append(w.look, w.saved[p].look...)
		}
	}
	if w.moves.stays {
		for _, p := range w.moves.players {
			w.look = w.ofAway(w.look, p)
		}
	}
	sum := sha256.Sum256(w.look)
	return key(sum[:16])
}

func (w *worker) scene() int16 {
	p := w.player(w.moves.players[0])
	if p == nil {
		return -1
	}
	at, _, _ := p.Where()
	return int16(at.Scene)
}

// holds are the questions that hold now, of the first player.
func (w *worker) holds() uint64 {
	var out uint64
	first := w.player(w.moves.players[0])
	if first == nil {
		return 0
	}
	for i, q := range w.asks {
		switch {
		case q.mile != nil && first.Earned()[q.mile.Index]:
			out |= 1 << i
		case q.goal != nil:
			if v, err := (engine.Watcher{Run: w.run, Of: first.ID()}).Ask(q.goal.Reach); err == nil && v.Bool {
				out |= 1 << i
			}
		}
	}
	return out
}

// next is what one move leads to.
type next struct {
	move    int32
	crash   bool // and then the machine crashes
	crashed bool // a crash in this state was tried
	key     key
	had     uint64
	scene   int16   // where the first player is
	kept    []byte  // nil where the state was known before
	gap     float64 // of a state that is new: how far it is from what is looked for
	atoms   []atom
	start   []atom
}

// by is the move that something comes of, and whether it is the crash after it.
type by struct {
	move  int32
	crash bool
}

// found is what was found out from one state.
type found struct {
	nexts []next
	facts []fact
	by    []by // of each fact
	tried int
}

// asked is what a worker asks of its search while it works.
type asked struct {
	known   func(key) bool // whether there is such a state
	crashed func(key) bool // and whether a crash in it was tried
	seen    func(fact) bool
	isNew   func(gap float64, atoms, start []atom) bool
	room    room
}

// expand tries every move on a state; those that change nothing that counts only if there is something new in it. States
// that are known, and facts that were seen, are left out of the result.
func (w *worker) expand(kept []byte, had uint64, ask asked, isNew bool) found {
	out := found{nexts: make([]next, 0, 32)}
	dirty, takeBack := true, false // what was done has to be undone; the engine can do so by itself
	for i := range w.moves.all {
		m := &w.moves.all[i]
		if m.aside && !isNew {
			continue
		}
		switch {
		case dirty && takeBack:
			w.run.TakeBack()
			w.weigh()
		case dirty:
			w.recall(kept)
		}
		if dirty, takeBack = false, false; !w.fits(m) {
			continue
		}
		out.tried++
		w.heard, w.idle, w.wrote = w.heard[:0], false, false
		clock, date, before := w.run.Clock(), w.run.Date(), w.run.Transactions()
		ok := w.do(m)
		nothing := w.idle && m.still()
		dirty = !nothing && (ok || m.walks || m.near != nil || w.run.Clock() != clock || m.visit())
		takeBack = ok && !m.visit() && w.run.Clock() == clock && w.run.Date() == date && w.run.Transactions() == before+1 &&
			!w.moves.unsaved
		note := func(crash bool) (crashes bool) {
			for _, f := range w.heard {
				if !ask.seen(f) {
					out.facts, out.by = append(out.facts, f), append(out.by, by{int32(i), crash})
				}
			}
			if !ok || nothing || slices.ContainsFunc(w.heard, fact.unbalanced) {
				return false // what is not conserved makes up for itself, or goes wrong again: no new trouble
			}
			one := next{move: int32(i), crash: crash, had: had | w.holds(), scene: w.scene()}
			one.key = w.key(one.had)
			known := ask.known(one.key)
			if !known && ask.room > noRoom {
				one.gap = w.gap(one.had)
				one.atoms, one.start = w.atoms()
				if ask.room == muchRoom || ask.isNew(one.gap, one.atoms, one.start) {
					one.kept = w.keep()
				}
			}
			// What is not kept goes no further: not by a crash either.
			one.crashed = !crash && w.wrote && !m.visit() && (known && !ask.crashed(one.key) || one.kept != nil)
			out.nexts = append(out.nexts, one)
			return one.crashed
		}
		if note(false) {
			out.tried++
			w.heard = w.heard[:0]
			ok, dirty, takeBack = w.crash(), true, false
			note(true)
		}
	}
	return out
}
