package engine

import (
	"maps"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

// Step carries out one request. Timers that were due before it run first, each as a transaction of its
// own. Where an error is given (a *Refusal) the request has changed nothing; what the timers did, the
// result says all the same.
func (r *Run) Step(req *Request) (Result, error) {
	if len(r.dead) == 0 && (len(r.turns) == 0 || r.turns[0].at > req.At) &&
		(req.Date <= r.date || r.nextTurn > req.Date) { // mostly nothing is due
		r.clock = max(r.clock, req.At)
		if err := r.step(req); err != nil {
			return Result{}, err
		}
		return r.tx.res, nil
	}
	res := r.Turn(req.Date)
	res = joinResults(res, r.Advance(req.At))
	if err := r.step(req); err != nil {
		return res, err
	}
	return joinResults(res, r.tx.res), nil
}

// step carries out a request at the session's time; what came of it is in tx.res.
func (r *Run) step(req *Request) error {
	p := r.players[req.Player]
	if p != nil && req.Number > 0 && !req.Server && req.Do != "join" && req.Number <= p.number {
		return refuse(Repeated, "Request %d of %s was applied before; the last one is %d.", req.Number, req.Player,
			p.number)
	}
	if req.numbered() && req.Number <= r.senders[req.Sender] {
		return refuse(Repeated, "Request %d of %s was applied before; the last one is %d.", req.Number, req.Sender,
			r.senders[req.Sender])
	}
	if err := r.allowed(req, p); err != nil {
		return err
	}
	if p != nil && 0 < req.Arrival && req.Arrival != p.arrival && !req.Server {
		return refuse(Stale, "%s was put elsewhere after this was sent: arrival %d, and this was sent at %d.",
			req.Player, p.arrival, req.Arrival)
	}
	// No rule and no invariant can refuse joining and leaving (rule 10).
	settled := req.Do == "join" || req.Do == "leave" || req.Do == "commons" || req.Do == "deleted"
	if err := r.transact(settled, func(t *tx) error { return t.perform(req, p) }); err != nil {
		return err
	}
	r.begun = true
	if req.numbered() {
		r.counted(req.Sender, req.Number)
	}
	return nil
}

// numbered says whether a request has a number of one of the game's servers.
func (req *Request) numbered() bool { return req.Server && req.Number > 0 && req.Sender != "" }

// mostSenders is how many of a game's servers are known by their last number.
const mostSenders = 64

// counted keeps the number of a server's request that was applied. The map was handed out with the world: it is
// never changed, only replaced.
func (r *Run) counted(sender string, number uint64) {
	senders := maps.Clone(r.senders)
	if senders == nil || len(senders) >= mostSenders {
		senders = map[string]uint64{}
	}
	senders[sender] = number
	r.senders = senders
	if !slices.Contains(r.besides, "") { // the number is stored with the world, together with what was done
		r.besides = append(r.besides, "")
	}
}

// Advance lets time go on to at, and runs the timers that are due by then.
func (r *Run) Advance(at int64) Result {
	var res Result
	for {
		due, ok := r.nextDue(at)
		if !ok {
			break
		}
		r.clock = max(r.clock, due.at)
		if r.transact(true, due.run) == nil {
			res.add(r.tx.res)
		}
	}
	r.clock = max(r.clock, at)
	return res
}

// Due is when the next timer is due, and whether there is one.
func (r *Run) Due() (int64, bool) {
	at := r.firstTimer()
	if p := r.nextBack(forever); p != nil {
		at = min(at, p.backAt)
	}
	return at, at < forever
}

// Work is how much was done since the run was opened: its transactions, with their actions.
func (r *Run) Work() int { return r.work }

// nextBack is the dead player who comes back first, of those due by a time; of equals the first by id.
// Those who are not dead any more are dropped from the list on the way.
func (r *Run) nextBack(by int64) *Player {
	var next *Player
	dead := r.dead[:0]
	for _, p := range r.dead {
		if !p.dead || r.players[p.id] != p {
			continue
		}
		dead = append(dead, p)
		if p.backAt <= by && (next == nil || p.backAt < next.backAt || p.backAt == next.backAt && p.id < next.id) {
			next = p
		}
	}
	r.dead = dead
	return next
}

// transact runs do as one transaction with all that follows from it. What came of it is in tx.res then; where
// an error is given, nothing did.
func (r *Run) transact(settled bool, do func(*tx) error) error {
	t := &r.tx
	t.begin(settled)
	if err := do(t); err != nil {
		r.work += 1 + t.spent
		t.undoAll()
		return err
	}
	err := t.settle()
	r.work += 1 + t.spent
	if err != nil && settled { // the chain was too long; what came before it stands
		t.tell(Notice{To: "everyone", Kind: "undone", Text: err.Error(), Rule: ruleOf(err)})
		err = nil
	}
	if err != nil {
		t.undoAll()
		return err
	}
	if r.settled != nil {
		r.settled(&t.res)
	}
	return nil
}

// settle carries out all that follows from what was done.
func (t *tx) settle() error {
	if len(t.queue)+len(t.weigh)+len(t.watches) == 0 {
		return nil
	}
	if err := t.drain(); err != nil {
		return err
	}
	if err := t.settleWeighed(); err != nil {
		return err
	}
	return t.judge()
}

// undoAll takes the whole transaction back.
func (t *tx) undoAll() {
	t.undo(mark{sown: t.sown, crossed: t.crossed, ranks: t.ranks})
	if p := t.number.player; p != nil {
		p.number = t.number.old
	}
	if t.replaced != nil {
		t.run.world = *t.replaced
	}
}

// Transactions is how many there were, whatever came of them. A request is one; what was due before it, and what a timer
// brings about, is one for each.
func (r *Run) Transactions() uint64 { return r.tx.serial }

// TakeBack takes the last transaction back, so that the session is what it was before. It has to be a request's, not one to
// join or to leave, before which time did not go on. What was handed out of it, and whoever heard of it, is told nothing.
func (r *Run) TakeBack() { r.tx.undoAll() }

// add copies another result behind this one.
func (r *Result) add(b Result) {
	r.Changes, r.Notices = append(r.Changes, b.Changes...), append(r.Notices, b.Notices...)
	r.Saves, r.Left = append(r.Saves, b.Saves...), append(r.Left, b.Left...)
}

func joinResults(a, b Result) Result {
	if len(a.Changes)+len(a.Notices)+len(a.Saves)+len(a.Left) == 0 {
		return b
	}
	a.add(b)
	return a
}

// allowed says what is wrong with a request before anything is done.
func (r *Run) allowed(req *Request, p *Player) error {
	if req.Do == "join" {
		return r.mayJoin(req, p)
	}
	if p == nil && (req.Player != "" || !req.Server) {
		return refuse(Unknown, "There is no player %q in this session.", req.Player)
	}
	if p == nil && req.Do != "event" && req.Do != "write" && req.Do != "correct" && req.Do != "deleted" {
		return refuse(Invalid, "The request %s needs a player.", req.Do)
	}
	if (req.Do == "correct" || req.Do == "die" || req.Do == "commons" || req.Do == "deleted") && !req.Server {
		return refuse(Forbidden, "Only the game's server asks for %s.", req.Do)
	}
	return nil
}

// asked refuses a player's request that the plan closes, or whose condition does not hold.
func (t *tx) asked(req *Request, p *Player) error {
	rule := t.run.m.Requests[req.Do]
	if rule == nil || req.Server || p == nil {
		return nil
	}
	t.frame.about(p)
	switch {
	case rule.Closed:
		return refuseWith(rule.Refused, "Players cannot ask for %s in this game.", req.Do)
	case !t.holds(rule.If):
		return refuseWith(rule.Refused, "That is not possible now: %s.", req.Do)
	}
	return nil
}

func (r *Run) mayJoin(req *Request, p *Player) error {
	switch {
	case p != nil:
		return refuse(Refused, "%s is in this session already.", req.Player)
	case req.Player == "" || len(req.Player) > 64:
		return refuse(Invalid, "A player's id has 1 to 64 bytes.")
	case !utf8.ValidString(req.Player) || strings.ContainsFunc(req.Player, unicode.IsControl):
		return refuse(Invalid, "A player's id is text (UTF-8), without control characters: %q is not.", req.Player)
	case len(r.order) >= r.m.Players():
		return refuse(Refused, "The session is full: it takes %d players.", r.m.Players())
	case req.Slot < 1 || req.Slot > r.m.SlotsPerPlayer():
		return refuse(Invalid, "There is no slot %d; slots go from 1 to %d.", req.Slot, r.m.SlotsPerPlayer())
	}
	return nil
}

func (t *tx) perform(req *Request, p *Player) error {
	if p != nil && req.Number > 0 && !req.Server && req.Do != "leave" {
		t.number = numberUndo{p, p.number}
		p.number = req.Number
	}
	if len(t.run.m.Requests) > 0 {
		if err := t.asked(req, p); err != nil {
			return err
		}
	}
	if req.Do == "event" {
		return t.event(p, req) // its rules are the causes
	}
	t.cause = orCause(requestCauses[req.Do])
	switch req.Do {
	case "join":
		return t.join(req)
	case "move":
		return t.move(p, req)
	case "pass":
		return t.pass(p, req.Name)
	case "touch":
		return t.touchPoint(p, req.Name)
	case "leave":
		return t.leave(p)
	case "start-over":
		return t.startOver(p)
	case "write", "correct":
		return t.writeFrom(p, req)
	case "commons":
		t.takeShared(p, req.Shared, true)
		return nil
	case "deleted":
		t.deleted(req.Name)
		return nil
	case "die": // as if a rule did it
		return t.die(p)
	}
	return refuse(Unknown, "There is no request called %q; there are join, move, pass, touch, leave, start-over, event and write.", req.Do)
}

// unknown refuses a name that stands for nothing, with the nearest that does.
func unknown(what, name string, known []string) error {
	return refuse(Unknown, "There is no %s called %q.%s", what, name, finding.DidYouMean(finding.Nearest(name, known)))
}

func pointIDs(m *model.Model) []string {
	var ids []string
	for _, p := range m.Checkpoints {
		ids = append(ids, p.ID)
	}
	return ids
}

// restart applies the world's fates, when a world is opened again.
func (t *tx) restart() error {
	t.cross(plan.CrossRestart, nil, t.world(plan.CrossRestart))
	t.crossThings(plan.CrossRestart)
	return nil
}
