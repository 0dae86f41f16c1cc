package engine

import (
	"errors"
	"fmt"
	"slices"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// MaxChain is how many moments and deferred actions one request may set off (rule 9).
const MaxChain = 256

// tx is a transaction in the making: what it changed, so that it can be undone, and what it has still
// to do. It is reused from step to step, so that a step allocates nothing that it does not hand out.
type tx struct {
	spent, budget int // actions that were done, and may be
	run           *Run
	frame         frame
	res           Result
	aside         frame  // of what is asked besides: invariants, milestones, standings
	serial        uint64 // of the transaction
	looked        uint64 // the last transaction in which the invariants about the world were asked
	queue         []pending
	done          int // how many of the queue have been carried out
	values        []valueUndo
	made          []owner // copies that have come into being
	cores         []coreUndo
	entered       []*Player
	exited        []*Player
	watches       []watch
	weigh         []weighing
	weighed       int               // how many of these have been evaluated
	waits         map[weighing]bool // the others, where there are many
	things        []thingUndo
	// replaced is the world that loading a save replaced, where session.players is 1.
	replaced *world
	near     []*model.Area // room for areas that are asked about
	args     []types.Value // of the event that was sent in
	last     *model.Event  // that was sent in: the next one is often the same
	cause    *Cause
	acting   *model.Rule // whose actions are being done
	number   numberUndo
	revived  *Player         // who has come back in this transaction
	crossed  []met           // the world's counts of own crossings when the transaction began
	ranks    [][]types.Value // the world's standings of options, then
	late     []late          // what who comes back has met in doing so
	excused  []watch         // invariants that a crossing broke that nothing can refuse: told already
	sown     uint32          // the session's when the transaction began
	settled  bool            // nothing in this transaction can be refused
}

// valueUndo is what a stopwatch was held as; of all else the list of changes says what it was.
type valueUndo struct {
	at  *types.Value
	old types.Value
}

// numberUndo is the number of a player's last request, as it was before this one.
type numberUndo struct {
	player *Player
	old    uint64
}

type coreUndo struct {
	player *Player
	old    core
}

// watch is what an invariant said before the transaction touched what it reads.
type watch struct {
	always *model.Always
	player *Player // nil where it is about nobody
	held   bool
}

// pending is something that waits behind the current moment's rules.
type pending struct {
	do     string // changed, picked, go, die, come-back, start-over, send, cross
	player *Player
	owner  owner // of changed
	v      *model.Var
	spot   *model.Spot
	scene  *model.Scene // of go: to the same coordinates there
	carry  model.Carried
	mark   *model.Waymark
	mile   *model.Milestone
	own    *model.OwnCrossing
	event  *model.Event
	args   []types.Value
	cause  *Cause
}

// mark is a point that a transaction can be taken back to.
type mark struct {
	values, made, cores, entered, exited, things, queue, changes, notices, saves int
	sown                                                                         uint32
	crossed                                                                      []met
	ranks                                                                        [][]types.Value
}

// begin makes the transaction empty. Its lists keep their room.
func (t *tx) begin(settled bool) {
	t.serial++
	t.queue, t.done = t.queue[:0], 0
	t.values, t.made, t.cores = t.values[:0], t.made[:0], t.cores[:0]
	t.entered, t.exited, t.things, t.sown = t.entered[:0], t.exited[:0], t.things[:0], t.run.sown
	t.replaced, t.revived = nil, nil
	t.crossed, t.ranks, t.excused = t.run.crossed, t.run.ranks, t.excused[:0]
	t.late = t.late[:0]
	t.watches, t.weigh, t.args = t.watches[:0], t.weigh[:0], t.args[:0]
	t.weighed, t.waits = 0, nil
	t.res.Changes, t.res.Notices, t.res.Saves, t.res.Left = t.res.Changes[:0], t.res.Notices[:0], t.res.Saves[:0], nil
	t.frame.about(nil)
	t.frame.args, t.frame.err = nil, nil
	t.cause, t.number.player, t.settled = noCause, nil, settled
	t.spent, t.budget = 0, model.MostActions(len(t.run.order))
}

func (t *tx) tooMuch(r *model.Rule) error {
	return &Refusal{Kind: Failed, Reason: fmt.Sprintf("%s does too much: more than %s actions in one event.",
		t.about(r), finding.Grouped(t.budget)), Rule: r.Number, Named: r.Called(), Line: r.At.Line}
}

// about names what a rule waits for.
func (t *tx) about(r *model.Rule) string {
	if r.Event != nil {
		return "The event " + r.Event.ID
	}
	return "What is done on " + t.run.causeOf(r).Moment
}

// other is a frame for what is asked besides what is done; it is good until the next is asked for.
func (t *tx) other() *frame {
	t.aside = frame{run: t.run, hand: t.aside.hand}
	return &t.aside
}

func (t *tx) mark() mark {
	return mark{values: len(t.values), made: len(t.made), cores: len(t.cores), entered: len(t.entered), exited: len(t.exited),
		things: len(t.things), queue: len(t.queue),
		changes: len(t.res.Changes), notices: len(t.res.Notices), saves: len(t.res.Saves), sown: t.run.sown,
		crossed: t.run.crossed, ranks: t.run.ranks}
}

// undo takes everything back that happened since the mark.
func (t *tx) undo(m mark) {
	for i := len(t.values) - 1; i >= m.values; i-- {
		*t.values[i].at = t.values[i].old
	}
	for i := len(t.res.Changes) - 1; i >= m.changes; i-- {
		if c := &t.res.Changes[i]; c.at != nil {
			*c.at = c.From
		}
	}
	for _, o := range t.made[m.made:] {
		delete(t.run.copiesOf(o), copyKey{o.hold, o.at})
	}
	for i := len(t.cores) - 1; i >= m.cores; i-- {
		t.cores[i].player.core = t.cores[i].old
	}
	for i := len(t.things) - 1; i >= m.things; i-- {
		t.run.things[t.things[i].index] = t.things[i].old
	}
	t.things, t.run.sown, t.run.crossed, t.run.ranks = t.things[:m.things], m.sown, m.crossed, m.ranks
	for _, p := range t.entered[m.entered:] {
		t.run.exit(p)
	}
	for _, p := range t.exited[m.exited:] {
		t.run.enter(p)
	}
	t.values, t.made, t.cores = t.values[:m.values], t.made[:m.made], t.cores[:m.cores]
	t.entered, t.exited = t.entered[:m.entered], t.exited[:m.exited]
	t.queue, t.res.Changes, t.res.Notices, t.res.Saves = t.queue[:m.queue], t.res.Changes[:m.changes],
		t.res.Notices[:m.notices], t.res.Saves[:m.saves]
}

// touch has to be called before a player's core changes.
func (t *tx) touch(p *Player) {
	t.watchPlayer(p)
	if len(t.run.m.Always) > 0 && (t.run.m.Reaches || t.run.holdsAnything(p)) {
		t.watchWorld() // where they are is where what they hold is
	}
	t.cores = append(t.cores, coreUndo{p, p.core})
	t.weighLater(p, t.run.m.WeighedOnMove())
	t.weighForAll(t.run.m.WeighedOnOthers())
}

// write gives a stored variable a value that is in its domain, and notes the change. Only rules and
// requests fire changed; fates do not (rule 15).
func (t *tx) write(o owner, v *model.Var, to types.Value, fire bool) {
	if values := t.run.values(o); values == nil && to == v.Start {
		return // what was never changed does not come into being by this
	}
	at := &t.touched(o)[v.Slot]
	if *at == to {
		return
	}
	c := t.changing(o, v, at)
	c.To = to
	if v.Stopwatch {
		t.values = append(t.values, valueUndo{at, *at})
		c.at = nil
		c.From, c.To = t.run.shown(v, *at), t.run.shown(v, to)
	}
	*at = to
	t.changed(o, v, fire)
}

// writeNumber is write of a number that players hold by themselves. Field by field: a value that is put together
// and then copied costs more than all the rest.
func (t *tx) writeNumber(p *Player, v *model.Var, at *types.Value, to fixed.Num) {
	if at.Num == to && at.Kind == types.IsNum {
		return
	}
	o := owner{int(model.OfPlayer), p, -1}
	c := t.changing(o, v, at)
	c.To.Kind, c.To.Bool, c.To.Num, c.To.Text = types.IsNum, false, to, ""
	at.Kind, at.Num = types.IsNum, to
	if t.run.m.Matters(v) {
		t.changed(o, v, true)
	}
}

// changing has to be called before a value changes. It gives the change that is noted, but for what it will be.
func (t *tx) changing(o owner, v *model.Var, at *types.Value) *Change {
	if o.player != nil && !t.run.m.Reaches {
		t.watchPlayer(o.player)
	} else if o.player != nil {
		t.watchPlayer(o.player)
		t.watchWorld()
	} else {
		t.watchWorld()
	}
	c := t.change()
	c.Name, c.From, c.Cause, c.at = v.Name, *at, t.cause, at
	c.Player, c.Scene, c.Prop, c.Option = playerID(o.player), "", "", ""
	if o.at >= 0 {
		t.run.place(c, v, o.at)
	}
	return c
}

// changed has to be called after a value changed.
func (t *tx) changed(o owner, v *model.Var, fire bool) {
	if o.player != nil {
		t.weighLater(o.player, t.run.m.Weighed(v))
		t.weighForAll(t.run.m.WeighedElsewhere(v))
	} else {
		t.weighForAll(t.run.m.Weighed(v))
	}
	if fire && len(t.run.m.OnChanged(v)) > 0 {
		t.tellChanged(o, v)
	}
}

func (t *tx) tellChanged(o owner, v *model.Var) {
	t.queue = append(t.queue, pending{do: "changed", player: o.player, owner: o, v: v, cause: t.cause})
}

// change makes room for one more change in the list. What stands there is of an earlier step.
func (t *tx) change() *Change {
	n := len(t.res.Changes)
	if n < cap(t.res.Changes) {
		t.res.Changes = t.res.Changes[:n+1]
	} else {
		t.res.Changes = append(t.res.Changes, Change{})
	}
	return &t.res.Changes[n]
}

// place says of a change in which scene, to which prop or of which option it was.
func (r *Run) place(c *Change, v *model.Var, at int) {
	switch {
	case v.Hold.Kind != nil:
		c.Prop = r.m.Props[at].Name
	case v.Hold.List != nil:
		c.Option = v.Hold.List.Options[at].ID
	default:
		c.Scene = r.m.Scenes[at].ID
	}
}

// note adds a change of something built in to the list.
func (t *tx) note(p *Player, name string, from, to types.Value) {
	if from != to {
		t.res.Changes = append(t.res.Changes, Change{Player: playerID(p), Name: name, From: from, To: to,
			Cause: t.cause})
	}
}

func (t *tx) tell(n Notice) { t.res.Notices = append(t.res.Notices, n) }

// saveMoment notes that a player is saved, where the plan says so at this moment.
func (t *tx) saveMoment(p *Player, moment string) {
	if t.run.m.SavesOn(moment) {
		t.saveNow(p, moment)
	}
}

// saveNow notes that a player is saved. The rules on saved run before the save is cut, so that what they do
// is in it.
func (t *tx) saveNow(p *Player, moment string) {
	t.res.Saves = append(t.res.Saves, SaveMoment{playerID(p), moment})
	if p != nil && len(t.run.m.On("saved")) > 0 {
		t.queue = append(t.queue, pending{do: "saved", player: p, cause: t.cause})
	}
}

// drain carries out what waits, first in first out, at most MaxChain of it.
func (t *tx) drain() error {
	for ; t.done < len(t.queue); t.done++ {
		if t.done >= MaxChain {
			return refuse(Failed, "The rules set off more than %d further steps; they may set each other off for ever.",
				MaxChain)
		}
		if err := t.carryOut(t.queue[t.done]); err != nil {
			return err
		}
	}
	return nil
}

func (t *tx) carryOut(w pending) error {
	t.cause = w.cause
	switch w.do {
	case "changed":
		t.frame.aboutOwner(w.owner)
		return t.rules(t.run.m.OnChanged(w.v))
	case "milestone":
		return t.following(w.player, t.earnedRules(w.mile))
	case "saved":
		return t.following(w.player, t.run.m.On("saved"))
	case "cross":
		return t.crossOwn(w.own, w.player)
	case "picked":
		return t.moment(w.do, w.player)
	case "send":
		return t.happen(w.event, w.player, w.args)
	case "go":
		return t.goWhere(w)
	case "die":
		return t.die(w.player)
	case "come-back":
		return t.comeBack(w.player)
	case "start-over":
		return t.startOver(w.player)
	}
	return nil
}

// following carries out what waits for a moment that refuses nothing: its rules, by themselves, and then the crossings
// that it sets off, which hold whatever becomes of the rules (rule 40).
func (t *tx) following(p *Player, rules []*model.Rule) error {
	first := len(rules)
	for i, r := range rules {
		if r.Crosses != nil {
			first = i // they stand behind all others
			break
		}
	}
	cause := t.cause
	if err := t.byItself(p, func() error {
		t.frame.about(p)
		return t.rules(rules[:first])
	}); err != nil {
		return err
	}
	for _, r := range rules[first:] {
		t.frame.about(p)
		if t.cause = cause; r.Only == nil || t.holds(r.Only) {
			t.crossByItself(r.Crosses, p)
		}
	}
	return nil
}

// byItself carries out what follows by itself (a milestone, a save), with all that follows from that in turn. Whatever
// is wrong with it, it does not refuse what set it off: it is undone alone, and the player is told (rule 10).
func (t *tx) byItself(p *Player, do func() error) error {
	behind := slices.Clone(t.queue[t.done+1:])
	t.queue = t.queue[:t.done+1]
	m, cause, broken := t.mark(), t.cause, t.broken()
	err := do()
	if err == nil {
		t.done++
		err = t.drain()
	}
	if err == nil && !t.settled {
		err = t.newlyBroken(broken)
	}
	if err != nil {
		t.undo(m)
		t.frame.err, t.cause = nil, cause
		t.tell(Notice{Player: playerID(p), To: "player", Kind: "undone", Text: err.Error(), Rule: ruleOf(err)})
	}
	t.done = len(t.queue) - 1 // all that stands there is done
	t.queue = append(t.queue, behind...)
	return nil
}

// ruleOf is the rule that an error comes of; 0 where it is none's.
func ruleOf(err error) int {
	var refusal *Refusal
	if errors.As(err, &refusal) {
		return refusal.Rule
	}
	return 0
}

// moment runs the rules that wait for a built-in moment of a player.
func (t *tx) moment(name string, p *Player) error {
	rules := t.run.m.On(name)
	if len(rules) == 0 {
		return nil
	}
	t.frame.about(p)
	return t.rules(rules)
}

// rules runs rules in document order. Where nothing can be refused, one that fails is undone alone.
func (t *tx) rules(rules []*model.Rule) error {
	player, scene, prop := t.frame.player, t.frame.scene, t.frame.prop
	for _, r := range rules {
		t.frame.player, t.frame.scene, t.frame.prop = player, scene, prop
		if t.settled {
			t.tryRule(r)
		} else if err := t.rule(r); err != nil {
			return err
		}
	}
	return nil
}

// tryRule runs a rule where nothing can be refused.
func (t *tx) tryRule(r *model.Rule) {
	m, player := t.mark(), t.frame.player
	if err := t.rule(r); err != nil {
		t.undo(m)
		t.frame.err = nil
		t.tell(Notice{Player: playerID(player), To: "player", Kind: "undone", Text: err.Error(), Rule: ruleOf(err)})
	}
}

func playerID(p *Player) string {
	if p == nil {
		return ""
	}
	return p.id
}

func (t *tx) rule(r *model.Rule) error {
	t.spent += r.Effort
	if r.Only != nil && !t.holds(r.Only) || r.If != nil && !t.holds(r.If) {
		return t.failed(r)
	}
	if r.Crosses != nil {
		t.queue = append(t.queue, pending{do: "cross", own: r.Crosses, player: t.frame.player, cause: t.cause})
		return nil
	}
	t.cause = t.run.causeOf(r)
	if t.run.acted != nil {
		t.run.acted(r)
	}
	if len(t.frame.locals) < r.Locals {
		t.frame.locals = make([]types.Value, r.Locals)
	}
	t.acting = r
	return t.actions(r, r.Do)
}

func (t *tx) holds(p *expr.Program) bool {
	return p.True(&t.frame) && t.frame.err == nil
}

// failed gives what went wrong in an expression, as a refusal that names the rule.
func (t *tx) failed(r *model.Rule) error {
	if t.frame.err == nil {
		return nil
	}
	err := t.frame.err
	t.frame.err = nil
	return &Refusal{Kind: Failed, Reason: "A rule failed: " + err.Error() + ".", Rule: r.Number, Named: r.Called(),
		Line: r.At.Line}
}
