package engine

import (
	"slices"

	"alluvion/core/expr"
	"alluvion/core/finding"
	"alluvion/core/fixed"
	"alluvion/core/model"
)

// Step carries out one request. Timers that were due before it run first, each as a transaction of its
// own. Where an error is given (a *Refusal) the request has changed nothing; what the timers did, the
// result says all the same.
func (r *Run) Step(req Request) (Result, error) {
	res := r.Advance(req.At)
	p := r.players[req.Player]
	if p != nil && req.Number > 0 && !req.Server && req.Do != "join" && req.Number <= p.number {
		return res, refuse(Repeated, "Request %d of %s was applied before; the last one is %d.", req.Number, req.Player, p.number)
	}
	if err := r.allowed(&req, p); err != nil {
		return res, err
	}
	// No rule and no invariant can refuse joining and leaving (rule 10).
	one, err := r.transact(req.Do == "join" || req.Do == "leave" || req.Do == "commons", func(t *tx) error { return t.perform(&req, p) })
	if err != nil {
		return res, err
	}
	return joinResults(res, one), nil
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
		one, _ := r.transact(true, due.run)
		res = joinResults(res, copied(one))
	}
	r.clock = max(r.clock, at)
	return res
}

// Due is when the next timer is due, and whether there is one.
func (r *Run) Due() (int64, bool) {
	due, ok := r.nextDue(forever)
	return due.at, ok
}

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

// transact runs do as one transaction with all that follows from it.
func (r *Run) transact(settled bool, do func(*tx) error) (Result, error) {
	t := &r.tx
	t.begin(settled)
	if err := do(t); err != nil {
		t.undoAll()
		return Result{}, err
	}
	err := t.drain()
	if err == nil {
		err = t.settleWeighed()
	}
	if err == nil {
		err = t.judge()
	}
	if err != nil && settled { // the chain was too long; what came before it stands
		t.tell(Notice{To: "everyone", Kind: "undone", Text: err.Error()})
		err = nil
	}
	if err != nil {
		t.undoAll()
		return Result{}, err
	}
	return t.res, nil
}

// undoAll takes the whole transaction back.
func (t *tx) undoAll() {
	t.undo(mark{sown: t.sown})
	if w := t.replaced; w != nil {
		r := t.run
		r.game, r.scenes, r.props, r.things, r.attic = w.game, w.scenes, w.props, w.things, w.attic
	}
}

func copied(r Result) Result {
	return Result{slices.Clone(r.Changes), slices.Clone(r.Notices), slices.Clone(r.Saves), slices.Clone(r.Left)}
}

func joinResults(a, b Result) Result {
	if len(a.Changes)+len(a.Notices)+len(a.Saves)+len(a.Left) == 0 {
		return b
	}
	return Result{append(a.Changes, b.Changes...), append(a.Notices, b.Notices...), append(a.Saves, b.Saves...), append(a.Left, b.Left...)}
}

// allowed says what is wrong with a request before anything is done.
func (r *Run) allowed(req *Request, p *Player) error {
	if req.Do == "join" {
		return r.mayJoin(req, p)
	}
	if p == nil && (req.Player != "" || !req.Server) {
		return refuse(Unknown, "There is no player %q in this session.", req.Player)
	}
	if p == nil && req.Do != "event" && req.Do != "write" && req.Do != "correct" {
		return refuse(Invalid, "The request %s needs a player.", req.Do)
	}
	if (req.Do == "correct" || req.Do == "die" || req.Do == "commons") && !req.Server {
		return refuse(Refused, "Only the game's server asks for %s.", req.Do)
	}
	return nil
}

// asked refuses a player's request that the plan closes, or whose condition does not hold.
func (t *tx) asked(req *Request, p *Player) error {
	if len(t.run.m.Requests) == 0 || req.Server || p == nil {
		return nil
	}
	rule := t.run.m.Requests[req.Do]
	if rule == nil {
		return nil
	}
	t.frame.about(p)
	switch {
	case rule.Closed:
		return refuse(Refused, "%s", orText(rule.Refused, "Players cannot ask for "+req.Do+" in this game."))
	case !t.holds(rule.If):
		return refuse(Refused, "%s", orText(rule.Refused, "That is not possible now: "+req.Do+"."))
	}
	return nil
}

func (r *Run) mayJoin(req *Request, p *Player) error {
	switch {
	case p != nil:
		return refuse(Refused, "%s is in this session already.", req.Player)
	case req.Player == "" || len(req.Player) > 64:
		return refuse(Invalid, "A player's id has 1 to 64 characters.")
	case len(r.order) >= r.m.Players():
		return refuse(Refused, "The session is full: it takes %d players.", r.m.Players())
	case req.Slot < 1 || req.Slot > r.m.SlotsPerPlayer():
		return refuse(Invalid, "There is no slot %d; slots go from 1 to %d.", req.Slot, r.m.SlotsPerPlayer())
	}
	return nil
}

func (t *tx) perform(req *Request, p *Player) error {
	t.cause = Cause{Kind: "request", Moment: req.Do}
	if p != nil && req.Number > 0 && !req.Server && req.Do != "leave" {
		t.touch(p)
		p.number = req.Number
	}
	if err := t.asked(req, p); err != nil {
		return err
	}
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
	case "event":
		return t.event(p, req)
	case "write", "correct":
		return t.writeFrom(p, req)
	case "commons":
		t.takeShared(p, req.Shared, true)
		return nil
	case "die": // as if a rule did it
		return t.die(p)
	}
	return refuse(Unknown, "There is no request called %q; there are join, move, pass, touch, leave, start-over, event and write.", req.Do)
}

func (t *tx) move(p *Player, req *Request) error {
	r := t.run
	if len(req.To) != len(r.m.Axes) {
		return refuse(Invalid, "A place here has %d coordinates (%v), not %d.", len(r.m.Axes), r.m.Axes, len(req.To))
	}
	to := p.place
	for i, n := range req.To {
		rounded, err := n.RoundTo(r.m.Step)
		if err != nil {
			return refuse(Invalid, "The coordinate %s is too large.", n)
		}
		to.At[i] = rounded
	}
	if !r.contains(to.At, to.Scene) {
		return refuse(Refused, "%s is outside the scene.", r.PlaceText(to))
	}
	if req.Facing != "" {
		if !slices.Contains(r.m.Facings, req.Facing) {
			return refuse(Unknown, "There is no facing called %q.", req.Facing)
		}
		to.Facing = req.Facing
	}
	if !r.m.Scenes[to.Scene].Walk && to.At != p.place.At {
		return refuse(Refused, "Nobody moves freely in %s; passages lead from spot to spot.", r.m.Scenes[to.Scene].Title)
	}
	spent, err := r.speed(p, to)
	if err != nil {
		return err
	}
	from := p.place
	t.touch(p)
	p.place, p.movedAt = to, spent
	return t.moved(p, from, true)
}

// burst is how much of a player's speed may be saved up, in milliseconds: a game says where a walking player is
// at least that often, and moves that were late on their way come together.
const burst = 10_000

// speed says until when a move spends a player's speed, and refuses one that is faster than the plan allows.
func (r *Run) speed(p *Player, to Place) (int64, error) {
	if r.m.Fastest.Sign() == 0 {
		return p.movedAt, nil
	}
	length := length2(between(p.place.At, to.At)).Sqrt()
	time, err := length.Div(r.m.Fastest)
	if err != nil {
		return 0, refuse(Failed, "The way is too long to be measured.")
	}
	ms, _ := time.Mul(fixed.FromInt(1000))
	whole, _ := ms.Ceil().Int()
	spent := max(p.movedAt, r.clock-burst) + whole
	if spent > r.clock {
		return 0, refuse(Refused, "Nobody is that fast: at most %s %s a second.", r.m.Fastest, r.m.Plan.Space.Unit.Or("metre"))
	}
	return spent, nil
}

// between is how far two points are from each other along each axis.
func between(a, b [model.MaxAxes]fixed.Num) [model.MaxAxes]fixed.Num {
	var out [model.MaxAxes]fixed.Num
	for i := range a {
		out[i], _ = a[i].Sub(b[i])
	}
	return out
}

// pass goes through a passage, from whichever of its ends the player is at.
func (t *tx) pass(p *Player, id string) error {
	r := t.run
	passage := r.m.Passage(id)
	if passage == nil {
		return unknown("passage", id, r.m.Plan.Passages.IDs())
	}
	if p.dead {
		return refuse(Refused, "The dead pass nothing.")
	}
	from, to := passage.From, passage.To
	if passage.BothWays && r.nearer(p, to, from) {
		from, to = to, from
	}
	if !r.reachable(p, from) {
		return r.tooFar(p, from)
	}
	if passage.If != nil {
		t.frame.about(p)
		open := t.holds(passage.If)
		if t.frame.err != nil {
			return refuse(Failed, "The condition of %s failed: %v.", id, t.frame.err)
		}
		if !open {
			if passage.Else == nil {
				return refuse(Refused, "%s", orText(passage.Refused, passage.Title+" is closed."))
			}
			return t.goTo(p, spotPlace(passage.Else, p.place.Facing))
		}
	}
	if passage.Waymark != nil {
		return t.passToMark(p, passage)
	}
	return t.goTo(p, r.carried(passage, p.place, to))
}

// passToMark leads to a waymark; where that is none, to the passage's else.
func (t *tx) passToMark(p *Player, passage *model.Passage) error {
	switch {
	case p.marks[passage.Waymark.Index].set:
		return t.goToMark(p, passage.Waymark)
	case passage.Else != nil:
		return t.goTo(p, spotPlace(passage.Else, p.place.Facing))
	}
	return refuse(Refused, "%s leads back to a place that was remembered, and none is.", passage.Title)
}

func orText(s, other string) string {
	if s == "" {
		return other
	}
	return s
}

// nearer says whether a player is in a's scene and nearer to a than to b.
func (r *Run) nearer(p *Player, a, b *model.Spot) bool {
	if p.place.Scene != a.Scene.Index {
		return false
	}
	return p.place.Scene != b.Scene.Index || length2(r.offset(p.place.At, a)).Less(length2(r.offset(p.place.At, b)))
}

func (r *Run) tooFar(p *Player, s *model.Spot) error {
	if p.place.Scene != s.Scene.Index {
		return refuse(Refused, "%s is not in %s, where %s is.", p.id, s.Scene.ID, s.ID)
	}
	return refuse(Refused, "%s is too far from %s to touch it: within %s is needed.", p.id, s.ID, s.Reach)
}

// unknown refuses a name that stands for nothing, with the nearest that does.
func unknown(what, name string, known []string) error {
	text := ""
	if near := finding.Nearest(name, known); near != "" {
		text = " Did you mean " + near + "?"
	}
	return refuse(Unknown, "There is no %s called %q.%s", what, name, text)
}

func pointIDs(m *model.Model) []string {
	var ids []string
	for _, p := range m.Checkpoints {
		ids = append(ids, p.ID)
	}
	return ids
}

// carried is where a passage leads: the spot, with the axes and the facing that are carried, moved to
// the nearest point of the target's span and of the scene.
func (r *Run) carried(passage *model.Passage, from Place, to *model.Spot) Place {
	out := spotPlace(to, from.Facing)
	for i := range r.m.Axes {
		if span := to.Span[i]; passage.Carry.Axes[i] && span != nil {
			out.At[i] = fixed.Max(span.Lo, fixed.Min(span.Hi, from.At[i]))
		}
	}
	if passage.Carry.Facing {
		out.Facing = from.Facing
	}
	out.At = r.inside(out.At, out.Scene)
	return out
}

// over is the place in a scene that lies over another: what is carried comes from there, the rest from the
// scene's first spot; where that is outside, the nearest point of the scene.
func (r *Run) over(scene *model.Scene, carry model.Carried, from Place) Place {
	out := Place{Scene: scene.Index, At: scene.Lo, Facing: from.Facing}
	if len(scene.Spots) > 0 {
		out = spotPlace(scene.Spots[0], from.Facing)
	}
	for i := range r.m.Axes {
		if carry.Axes[i] {
			out.At[i] = from.At[i]
		}
	}
	if carry.Facing {
		out.Facing = from.Facing
	}
	out.At = r.inside(out.At, out.Scene)
	return out
}

// touchPoint touches a checkpoint: it counts once in a run, unless it says again.
func (t *tx) touchPoint(p *Player, id string) error {
	point := t.run.m.Checkpoint(id)
	switch {
	case point == nil:
		return unknown("checkpoint", id, pointIDs(t.run.m))
	case point.Area != nil:
		return refuse(Invalid, "The checkpoint %s is reached by entering %s.", id, point.Area.ID)
	case p.dead:
		return refuse(Refused, "The dead touch nothing.")
	case !t.run.reachable(p, point.Spot):
		return t.run.tooFar(p, point.Spot)
	case p.used[point.Index] && !point.Again:
		return nil
	}
	return t.reach(p, point)
}

// reach makes a checkpoint count, and (unless a later one was reached) the one to come back to.
func (t *tx) reach(p *Player, point *model.Checkpoint) error {
	t.touch(p)
	used := slices.Clone(p.used)
	used[point.Index] = true
	p.used = used
	if t.replaces(p, point) {
		from := expr.None
		if p.reached >= 0 {
			from = expr.OfText(t.run.m.Checkpoints[p.reached].ID)
		}
		t.note(p, "player.checkpoint", from, expr.OfText(point.ID))
		p.reached = point.Index
	}
	t.tell(Notice{Player: p.id, To: "player", Kind: "checkpoint", Text: point.ID, Scene: t.run.m.Scenes[p.place.Scene].ID})
	if err := t.moment("checkpoint", p); err != nil {
		return err
	}
	if point.Area != nil && p.reached == point.Index {
		t.touch(p)
		p.back = p.place
	}
	if p.reached == point.Index { // what the rules on the moment gave is part of what is remembered
		t.remember(p)
	}
	t.saveMoment(p, "checkpoint")
	return nil
}

// replaces says whether a checkpoint becomes the one reached: with use: furthest, not where a later one
// was.
func (t *tx) replaces(p *Player, point *model.Checkpoint) bool {
	return !t.run.m.Furthest || p.reached < 0 || t.run.m.Checkpoints[p.reached].Order <= point.Order
}

func (t *tx) event(p *Player, req *Request) error {
	e := t.run.m.Event(req.Name)
	switch {
	case e == nil:
		return unknown("event", req.Name, t.run.m.Plan.Events.IDs())
	case e.Self && p == nil:
		return refuse(Invalid, "The event %s is about the player who sends it; name the player.", e.ID)
	case !e.Self && !req.Server:
		return refuse(Refused, "The event %s is sent by the game's server, not by players.", e.ID)
	case e.Self && p.dead && !e.WhileDead:
		return refuse(Refused, "%s is dead.", p.id)
	}
	args, err := t.arguments(e, req.Args, p)
	if err != nil {
		return err
	}
	if !e.Self {
		p = nil
	}
	return t.happen(e, p, args)
}

// happen lets an event happen, whoever sent it.
func (t *tx) happen(e *model.Event, p *Player, args []expr.Value) error {
	t.frame.about(p)
	t.frame.args = args
	if e.If != nil && !t.holds(e.If) {
		if t.frame.err != nil {
			return refuse(Failed, "The condition of %s failed: %v.", e.ID, t.frame.err)
		}
		return refuse(Refused, "%s", orText(e.Refused, e.Title+" cannot happen now."))
	}
	return t.rules(e.Rules)
}

// arguments checks what an event was sent with, and puts it in the plan's order.
func (t *tx) arguments(e *model.Event, given map[string]expr.Value, sender *Player) ([]expr.Value, error) {
	t.args = t.args[:0]
	known := 0
	for i := range e.Args {
		a := &e.Args[i]
		v, ok := given[a.ID]
		if ok {
			known++
		} else if !a.Type.Optional {
			return nil, refuse(Invalid, "The event %s needs the argument %s.", e.ID, a.ID)
		}
		if err := a.Admit(v); err != nil {
			return nil, refuse(Invalid, "The argument %s of %s is not right: %v.", a.ID, e.ID, err)
		}
		if a.Type.Kind == expr.Player && !v.IsNone() && !t.run.Has(v.Text) {
			return nil, refuse(Unknown, "The argument %s of %s names %q, who is not in this session.", a.ID, e.ID, v.Text)
		}
		if err := t.argProp(e, a, v, sender); err != nil {
			return nil, err
		}
		t.args = append(t.args, v)
	}
	if len(given) > known {
		return nil, refuse(Unknown, "The event %s takes the arguments %v; something else was sent.", e.ID, argNames(e))
	}
	return t.args, nil
}

// argProp checks an argument that names a prop.
func (t *tx) argProp(e *model.Event, a *model.Arg, v expr.Value, sender *Player) error {
	if a.Kind == nil || v.IsNone() {
		return nil
	}
	prop := a.Kind.Prop(v.Text)
	switch {
	case prop == nil:
		var ids []string
		for _, p := range a.Kind.Props {
			ids = append(ids, p.ID)
		}
		return unknown(a.Kind.ID, v.Text, ids)
	case a.Within && prop.Scene.Index != sender.place.Scene:
		return refuse(Refused, "%s is not here.", prop.Name)
	case a.Within && exceeds(between(sender.place.At, prop.Point), a.Kind.Reach):
		return refuse(Refused, "%s is out of reach: within %s is needed.", prop.Name, a.Kind.Reach)
	}
	return nil
}

func argNames(e *model.Event) []string {
	names := make([]string, len(e.Args))
	for i, a := range e.Args {
		names[i] = a.ID
	}
	return names
}

// writeFrom gives a variable a value that the game's own server computed, or (where the plan lets them) its
// own player; or corrects it for a reason that is kept.
func (t *tx) writeFrom(p *Player, req *Request) error {
	v := t.run.m.Var(req.Name)
	switch {
	case v == nil:
		return refuse(Unknown, "There is no variable called %q.", req.Name)
	case !req.Server && !v.SelfMay:
		return refuse(Refused, "%s is not written by players; the rules and the game's server do.", v.Name)
	case v.Shared != nil && !v.Shared.Mine && req.Do != "correct":
		return refuse(Refused, "%s is of the commons %s; %s writes it.", v.Name, v.Shared.Commons, v.Shared.Writer)
	case v.Computed() || v.Stopwatch || v.Seed:
		return refuse(Refused, "%s cannot be written: it has its value by itself.", v.Name)
	case v.Holder.OfPlayers() && p == nil:
		return refuse(Invalid, "%s is held by players; name the player.", v.Name)
	}
	o, err := t.ownerNamed(v, p, req.Args)
	if err != nil {
		return err
	}
	if err := v.Admit(req.Value); err != nil {
		return refuse(Invalid, "%s cannot become %s: %v.", v.Name, req.Value, err)
	}
	if req.Do == "correct" {
		t.cause = Cause{Kind: "correction", Moment: "correction: " + orText(req.Why, "no reason given")}
		t.write(o, v, req.Value, false)
		return nil
	}
	return t.give(o, v, req.Value, v.Type.Kind == expr.Pick)
}

// ownerNamed finds whose copy of a variable is meant, by what a request names.
func (t *tx) ownerNamed(v *model.Var, p *Player, args map[string]expr.Value) (owner, error) {
	o := owner{v.Hold.Index, nil, -1}
	if v.Holder.OfPlayers() {
		o.player = p
	}
	switch v.Holder {
	case model.OfScene, model.OfPlayerScene:
		scene := t.run.m.Scene(args["scene"].Text)
		if scene == nil || !t.run.has(v, scene.Index) {
			return o, refuse(Invalid, "%s is held by scenes; name the scene in args.", v.Name)
		}
		o.at = scene.Index
	case model.OfProp, model.OfPlayerProp:
		prop := v.Hold.Kind.Prop(args["prop"].Text)
		if prop == nil {
			return o, refuse(Invalid, "%s is held by each %s; name the prop in args.", v.Name, v.Hold.Kind.ID)
		}
		o.at = prop.Index
	}
	return o, nil
}

// restart applies the world's fates, when a world is opened again.
func (t *tx) restart() error {
	t.cross(atRestart, nil, t.world(atRestart))
	t.crossThings(atRestart)
	return nil
}
