package model

import (
	"fmt"
	"maps"
	"strings"

	"alluvion/core/expr"
	"alluvion/core/finding"
	"alluvion/core/fixed"
	"alluvion/core/plan"
	"alluvion/core/types"
)

var numOne = fixed.FromInt(1)

func (b *builder) clockStep() fixed.Num { return fixed.Must("0.001") }

func (b *builder) allEvents() {
	for i := range b.Plan.Events.Entries {
		e := &b.Plan.Events.Entries[i]
		d := &e.Value
		ev := &Event{ID: e.ID, Title: Title(d.Title, e.ID), Index: i, Self: d.From.Value == "self" || b.rest.inside(e.At.Pointer+"/from"), Refused: d.Refused.Value,
			WhileDead: d.WhileDead.Value, AtMost: d.AtMost.Value, At: e.At, Decl: d}
		for _, a := range d.Args.Entries {
			arg := Arg{ID: a.ID, Domain: b.valueDomain(a.ID, &a.Value, types.InArgument), Within: a.Value.Within.Given, At: a.At}
			if arg.Type.Kind == types.Prop {
				arg.Kind = b.kinds[arg.Type.Of]
			}
			if arg.Within && !ev.Self {
				b.report("bad-value", a.Value.Within.At, "Nobody's reach can be meant: the event %s is sent by the server.", e.ID)
			}
			ev.Args = append(ev.Args, arg)
		}
		if d.If.Given() {
			ev.If, _ = b.condition(d.If, b.eventScope(ev), nil)
		}
		b.Events = append(b.Events, ev)
		b.events[e.ID] = ev
	}
}

func (b *builder) eventScope(e *Event) expr.Names {
	names := b.scopes.world
	if e.Self {
		names = b.scopes.player
	}
	return b.withArgs(names, e.Args, e.At.Pointer)
}

func (b *builder) allRules() {
	for i := range b.Plan.Rules {
		d := &b.Plan.Rules[i]
		for _, moment := range d.On {
			if b.rest.has(moment.Pointer) {
				continue
			}
			r := &Rule{Number: i + 1, Moment: moment, At: d.At, Decl: d}
			names, ok := b.momentScope(r)
			if !ok {
				continue
			}
			b.rule(r, names)
		}
	}
}

// momentScope finds what a rule can read, and files the rule under its moment.
func (b *builder) momentScope(r *Rule) (expr.Names, bool) {
	switch r.Moment.Kind {
	case "event":
		r.Event = b.events[r.Moment.Of]
		r.AboutPlayer = r.Event.Self
		r.Event.Rules = append(r.Event.Rules, r)
		return b.eventScope(r.Event), true
	case "changed":
		v := b.vars[r.Moment.Of]
		if v == nil {
			b.oneOf(r.Moment.Of, b.varNames(), "variable", r.Moment.At)
			return expr.Names{}, false
		}
		if v.Computed() || v.Stopwatch {
			b.report("bad-value", r.Moment.At, "%s changes by itself; a rule can wait only for what is stored.", v.Name)
			return expr.Names{}, false
		}
		v.changed = append(v.changed, r)
		r.AboutPlayer, r.AboutProp = v.Holder.OfPlayers(), v.Hold.Kind
		return b.scopes.of(v.Hold), true
	case "entered", "exited":
		r.AboutPlayer = true
		if kind, ok := strings.CutPrefix(r.Moment.Of, "prop:"); ok {
			return b.propMoment(r, b.kinds[kind]), true
		}
		a := b.areas[r.Moment.Of]
		if r.Moment.Kind == "entered" {
			a.Entered = append(a.Entered, r)
		} else {
			a.Exited = append(a.Exited, r)
		}
		return b.scopes.player, true
	case "every":
		timer := Timer{r, r.Moment.Every.Milliseconds()}
		if r.AboutPlayer = r.Moment.Of == "player"; r.AboutPlayer {
			b.OwnTimers = append(b.OwnTimers, timer)
			return b.scopes.player, true
		}
		b.Timers = append(b.Timers, timer)
		return b.scopes.world, true
	}
	r.AboutPlayer = true
	b.byMoment[r.Moment.Kind] = append(b.byMoment[r.Moment.Kind], r)
	return b.scopes.player, true
}

// propMoment files a rule that waits for players who come near to props of a kind, or go from them.
func (b *builder) propMoment(r *Rule, k *PropKind) expr.Names {
	r.AboutProp = k
	if k.Radius.Sign() == 0 {
		b.report("missing", r.Moment.At, "Nobody enters a %s: props: {%s: …} has no radius.", k.ID, k.ID)
	}
	if r.Moment.Kind == "entered" {
		k.Entered = append(k.Entered, r)
	} else {
		k.Exited = append(k.Exited, r)
	}
	return b.scopes.withProp(b.scopes.player, k)
}

func (b *builder) varNames() []string {
	var names []string
	for _, v := range b.Vars {
		names = append(names, v.Name)
	}
	return names
}

func (b *builder) rule(r *Rule, names expr.Names) {
	known := expr.Facts{}
	var guards []*expr.Program
	if r.Only = b.only(r); r.Only != nil {
		guards = []*expr.Program{r.Only}
		maps.Copy(known, r.Only.Holds)
	}
	if r.Decl.If.Given() {
		if p, ok := b.condition(r.Decl.If, names, nil); ok {
			r.If, r.Effort, guards = p, b.inActions(p), append(guards, p)
			maps.Copy(known, p.Holds)
		}
	}
	b.newBlock()
	r.Do = b.actions(r, r.Decl.Do, names, known, guards, false)
	r.Index = len(b.Rules)
	b.Rules = append(b.Rules, r)
}

// only is the condition that a moment's name stands for.
func (b *builder) only(r *Rule) *expr.Program {
	form := map[string]string{"arrived": "place.scene == '%s'", "departed": "place.scene == '%s'", "checkpoint": "player.checkpoint == '%s'"}[r.Moment.Kind]
	if form == "" || r.Moment.Of == "" {
		return nil
	}
	p, found := expr.Compile(plan.Expr{Source: fmt.Sprintf(form, r.Moment.Of), At: r.Moment.At}, b.scopes.player, nil)
	b.add(found...)
	return p
}

// newBlock begins another run of actions: of which none is done, or all.
func (b *builder) newBlock() {
	b.blocks++
	b.block = b.blocks
}

// actions compiles a list of actions. known grows and shrinks with what they do.
func (b *builder) actions(r *Rule, list []plan.Action, names expr.Names, known expr.Facts, guards []*expr.Program, maybe bool) []*Action {
	var out []*Action
	block := b.block
	for i := range list {
		b.block = block
		a := b.action(r, &list[i], names, known, guards, maybe)
		if a == nil {
			continue
		}
		a.Effort = b.inActions(append([]*expr.Program{a.Value, a.If}, a.Args...)...)
		out = append(out, a)
		b.Effects = append(b.Effects, Effect{Rule: r, Action: a, Guards: guards, Maybe: maybe, Block: block})
	}
	return out
}

func (b *builder) action(r *Rule, d *plan.Action, names expr.Names, known expr.Facts, guards []*expr.Program, maybe bool) *Action {
	a := &Action{Verb: d.Verb, At: d.At}
	switch d.Verb {
	case "set", "add", "raise", "clear", "pick", "put", "take-out":
		if !b.target(a, targetOf(d), names) {
			return nil
		}
		b.assigned(a, d, names, known)
	case "earn", "unearn":
		for _, m := range b.Milestones {
			if m.ID == d.Earn.Name+d.Unearn.Name {
				a.Milestone = m
			}
		}
		if !b.who(a, d.Of, names) {
			return nil
		}
	case "die", "come-back", "start-over":
		if !b.who(a, whoOf(d), names) {
			return nil
		}
	case "take", "set-down", "save":
		b.handled(r, a, d)
	case "go":
		if !r.AboutPlayer {
			b.report("bad-value", d.At, "There is no player here who could go: the rule is not about one player.")
		}
		if a.Scene = b.scenes[d.Go.Scene.Name]; a.Scene != nil {
			a.Carry = b.carried(d.Go.Carry)
			break
		}
		a.Spot, a.Waymark = b.spots[d.Go.Name], b.waymarks[d.Go.Name]
		if a.Waymark != nil {
			a.Spot = b.spots[d.Else.Spot.Name]
		} else if d.Else.Spot.Given() {
			b.report("bad-value", d.Else.At, "%s is always there; only a waymark may be none.", d.Go.Name)
		}
	case "remember", "forget":
		if !r.AboutPlayer {
			b.report("bad-value", d.At, "There is no player here who could %s: the rule is not about one player.", d.Verb)
		}
		a.Waymark = b.waymarks[d.Remember.Name+d.Forget.Name]
	case "refuse":
		a.Text = d.Refuse.Value
	case "notify":
		a.To, a.Text = d.Notify.Value, d.Text.Value
		if a.To != "everyone" && !r.AboutPlayer {
			b.report("bad-value", d.Notify.At, "There is no player here: this rule can notify everyone only.")
		}
	case "send":
		b.sent(r, a, d, names, known)
	case "let":
		b.let(r, a, d, names, known, guards, maybe)
	case "each":
		b.each(r, a, d, names, known, guards, maybe)
	case "if":
		b.branch(r, a, d, names, known, guards, maybe)
	default:
		return nil // the reader has reported it
	}
	return a
}

// MostActions is how many actions one event may do with so many players in the session. Beyond it the event is refused, so
// that no rule holds a session up.
func MostActions(players int) int { return 100_000 + 20*players }

// Actions is how many actions a rule does at most with so many players in the session: what each has is done for
// every one of them.
func (r *Rule) Actions(players int) int { return actionsOf(r.Do, players) }

func actionsOf(list []*Action, players int) int {
	const most = 1 << 50
	all := 0
	for _, a := range list {
		inside := max(actionsOf(a.Do, players), actionsOf(a.Else, players))
		if a.Verb == "each" {
			inside *= players
		}
		all = min(all+1+a.Effort+inside, most)
	}
	return all
}

// anAction is how much of an expression counts as much as an action.
const anAction = 16

// inActions is how much expressions do, in actions.
func (b *builder) inActions(programs ...*expr.Program) int {
	all := 0
	for _, p := range programs {
		all += b.Effort(p)
	}
	return all / anAction
}

// handled reads what is done with a movable, or what is saved.
func (b *builder) handled(r *Rule, a *Action, d *plan.Action) {
	if d.Save.Value != "world" && !r.AboutPlayer {
		b.report("bad-value", d.At, "There is no player here who could %s: the rule is not about one player.", map[string]string{"take": "take something", "set-down": "set something down", "save": "be saved"}[d.Verb])
	}
	if d.Save.Value == "world" && b.Single {
		b.report("bad-value", d.Save.At, "Where session.players is 1 the world lies in the player's save: save the player.")
	}
	a.To = d.Save.Value
	a.Movable = b.movables[d.Take.Name+d.SetDown.Name]
	a.Spot = b.spots[d.Where.Name]
	if a.Spot != nil && a.Movable != nil && a.Movable.NeverIn[a.Spot.Scene] {
		b.report("bad-value", d.Where.At, "%s is never in %s.", a.Movable.ID, a.Spot.Scene.ID)
	}
}

func targetOf(d *plan.Action) plan.Expr {
	for _, x := range []plan.Expr{d.Set, d.Add, d.Raise, d.Clear, d.Pick, d.Put, d.TakeOut} {
		if x.Given() {
			return x
		}
	}
	return plan.Expr{}
}

func whoOf(d *plan.Action) plan.Expr {
	for _, x := range []plan.Expr{d.Die, d.ComeBack, d.StartOver} {
		if x.Given() {
			return x
		}
	}
	return plan.Expr{}
}

// target finds the variable that an action changes.
func (b *builder) target(a *Action, x plan.Expr, names expr.Names) bool {
	p, found := expr.Compile(x, names, nil)
	b.add(found...)
	if p == nil {
		return false
	}
	v := (*Var)(nil)
	if p.Name && p.Reads[0].Ref.What == expr.Variable {
		v = b.VarOf(p.Reads[0].Ref)
	}
	switch {
	case v == nil:
		b.report("bad-value", x.At, "Only a variable can be changed, and %s is not one.", strings.TrimSpace(x.Source))
	case v.Computed():
		b.report("bad-value", x.At, "%s is computed: it is always what its expression says, and cannot be changed.", v.Name)
	case v.Stopwatch:
		b.report("bad-value", x.At, "%s is a stopwatch: it counts by itself, and cannot be changed.", v.Name)
	case v.Shared != nil && !v.Shared.Mine:
		b.report("bad-value", x.At, "%s is of the commons %s, and %s writes it; this game says in uses what it writes.", v.Name, v.Shared.Commons, orNobody(v.Shared.Writer))
	case v.Seed:
		b.report("bad-value", x.At, "%s is a seed: it comes with the session, and cannot be changed.", v.Name)
	case (a.Verb == "put" || a.Verb == "take-out") && v.Type.Item == nil:
		b.report("type-mismatch", x.At, "%s is %s; items are put into a list or a set.", v.Name, v.Type)
	case (a.Verb == "add" || a.Verb == "raise") && !v.Type.Numeric():
		b.report("type-mismatch", x.At, "%s is %s; only a number can be changed by %s.", v.Name, v.Type, a.Verb)
	case a.Verb == "pick" && v.Type.Kind != types.Pick:
		b.report("type-mismatch", x.At, "%s is %s; only a pick can be picked.", v.Name, v.Type)
	case a.Verb == "clear" && !v.Type.Optional:
		b.report("type-mismatch", x.At, "%s is not optional, so it cannot be none.", v.Name)
	default:
		a.Var, a.Target = v, p.Reads[0].Ref
		return true
	}
	return false
}

// assigned compiles the value that an action gives, and notes what is known not to be none after it.
func (b *builder) assigned(a *Action, d *plan.Action, names expr.Names, known expr.Facts) {
	path := strings.TrimSpace(targetOf(d).Source)
	switch a.Verb {
	case "set", "raise":
		a.Value = b.valueFor(a.Var, d.To, names, known)
	case "add":
		a.Value = b.valueFor(a.Var, d.By, names, known)
		if a.Var.Type.Optional && !known[path] {
			b.report("none-unhandled", d.Add.At, "%s may be none here, and nothing can be added to none: ask has(%s) first.", a.Var.Name, path)
		}
	case "pick":
		a.Value = b.valueFor(a.Var, d.Option, names, known)
	case "put", "take-out":
		a.Value = b.itemFor(a.Var, d.Item, names, known)
		return
	}
	a.Adds = a.Verb == "add"
	a.Plain = (a.Verb == "set" || a.Adds) && a.Var.Holder == OfPlayer && a.Var.Type.Numeric() && a.Value != nil && !a.Value.Type.Optional
	if a.Verb == "clear" {
		forget(known, a.Var.ID)
	} else if a.Value != nil && !a.Value.Type.Optional {
		known[path] = true
	}
}

// forget drops what is known of a variable, whoever's it is: two names may stand for one player.
func forget(known expr.Facts, id string) {
	for path := range known {
		if strings.HasSuffix(path, "."+id) || strings.Contains(path, "."+id+".") {
			delete(known, path)
		}
	}
}

func (b *builder) valueFor(v *Var, x plan.Expr, names expr.Names, known expr.Facts) *expr.Program {
	p, found := expr.CompileFor(x, names, known, v.Type)
	b.add(found...)
	if p != nil {
		b.fits(v, p)
	}
	return p
}

func (b *builder) itemFor(v *Var, x plan.Expr, names expr.Names, known expr.Facts) *expr.Program {
	p, found := expr.CompileFor(x, names, known, *v.Type.Item)
	b.add(found...)
	if p != nil {
		if why, ok := types.Fits(p.Type, *v.Type.Item); !ok {
			b.report("type-mismatch", p.At, "This cannot be an item of %s: %s.", v.Name, why)
		}
	}
	return p
}

// who finds the player that an action is about.
func (b *builder) who(a *Action, x plan.Expr, names expr.Names) bool {
	p, found := expr.Compile(x, names, nil)
	b.add(found...)
	if p == nil {
		return false
	}
	if p.Type.Kind != types.Player {
		b.report("type-mismatch", x.At, "%s needs a player; this is %s.", a.Verb, p.Type)
		return false
	}
	a.Who = p.Reads[0].Ref
	return true
}

func (b *builder) branch(r *Rule, a *Action, d *plan.Action, names expr.Names, known expr.Facts, guards []*expr.Program, maybe bool) {
	p, ok := b.condition(d.If, names, known)
	if !ok {
		return
	}
	inside := maps.Clone(known)
	if inside == nil {
		inside = expr.Facts{}
	}
	maps.Copy(inside, p.Holds)
	a.If = p
	b.newBlock()
	a.Do = b.actions(r, d.Do, names, inside, append(guards[:len(guards):len(guards)], p), maybe)
	rest := d.Else.Do
	if len(d.Elif) > 0 {
		next := plan.Action{Verb: "if", If: d.Elif[0].If, Do: d.Elif[0].Do, Elif: d.Elif[1:], Else: d.Else, At: d.Elif[0].If.At}
		rest = []plan.Action{next}
	}
	b.newBlock()
	a.Else = b.actions(r, rest, names, maps.Clone(known), guards, true)
	for path := range known { // what a branch cleared is not known behind it
		if !inside[path] {
			delete(known, path)
		}
	}
}

// sent compiles the arguments of an event that a rule sends.
func (b *builder) sent(r *Rule, a *Action, d *plan.Action, names expr.Names, known expr.Facts) {
	if a.Event = b.events[d.Send.Name]; a.Event == nil { // which the reader has told
		return
	}
	if a.Event.Self && !r.AboutPlayer {
		b.report("bad-value", d.Send.At, "The event %s is about the player who sends it, and this rule is about no player.", a.Event.ID)
	}
	for _, given := range d.Args.Entries {
		if indexOf(argIDs(a.Event), given.ID) < 0 {
			b.oneOf(given.ID, argIDs(a.Event), "argument", given.At)
		}
	}
	for i := range a.Event.Args {
		arg := &a.Event.Args[i]
		given := d.Args.Get(arg.ID)
		if given == nil {
			if !arg.Type.Optional {
				b.report("missing", d.Send.At, "The event %s needs the argument %s.", a.Event.ID, arg.ID)
			}
			a.Args = append(a.Args, nil)
			continue
		}
		p, found := expr.CompileFor(*given, names, known, arg.Type)
		b.add(found...)
		if p != nil {
			if why, ok := types.Fits(p.Type, arg.Type); !ok {
				b.report("type-mismatch", p.At, "This cannot be the argument %s: %s.", arg.ID, why)
			}
		}
		a.Args = append(a.Args, p)
	}
}

func argIDs(e *Event) []string {
	var ids []string
	for _, a := range e.Args {
		ids = append(ids, a.ID)
	}
	return ids
}

// let compiles named values, each of which sees the ones before it, and the actions inside.
func (b *builder) let(r *Rule, a *Action, d *plan.Action, names expr.Names, known expr.Facts, guards []*expr.Program, maybe bool) {
	a.Local = r.Locals
	for _, e := range d.Let.Entries {
		p, found := expr.Compile(e.Value, names, known)
		b.add(found...)
		if p == nil {
			continue
		}
		names = b.local(r, names, e.ID, e.At, &expr.Entry{Type: p.Type, Ref: expr.Ref{Who: expr.Nobody, What: expr.LocalValue, Index: r.Locals}})
		a.Args = append(a.Args, p)
	}
	a.Do = b.actions(r, d.Do, names, known, guards, maybe)
}

// each compiles the actions for each of several players.
func (b *builder) each(r *Rule, a *Action, d *plan.Action, names expr.Names, known expr.Facts, guards []*expr.Program, maybe bool) {
	a.Local, a.Here = r.Locals, d.In.Value == "scene"
	if a.Here && !r.AboutPlayer {
		b.report("bad-value", d.In.At, "There is no player here whose scene it could be; use in: session.")
	}
	names = b.local(r, names, d.Each.Name, d.Each.At, &expr.Entry{Type: types.Type{Kind: types.Player},
		Ref: expr.Ref{Who: expr.Local, What: expr.LocalValue, Index: r.Locals}, Fields: b.scopes.player.Roots["player"].Fields})
	inside := maps.Clone(known)
	b.newBlock()
	a.Do = b.actions(r, d.Do, names, inside, guards, maybe)
}

// local adds a name of a rule's own to a scope; it may not hide one that is there.
func (b *builder) local(r *Rule, names expr.Names, name string, at finding.At, e *expr.Entry) expr.Names {
	if names.Roots[name] != nil || name == "args" {
		b.report("bad-value", at, "%s is known here as something else; the rule's own name has to be another.", name)
	}
	r.Locals++
	return names.With(map[string]*expr.Entry{name: e})
}

func (b *builder) allAlways() {
	for i := range b.Plan.Always {
		d := &b.Plan.Always[i]
		p, ok := b.condition(d.That, b.scopes.player, nil)
		if !ok {
			continue
		}
		b.Always = append(b.Always, &Always{Decl: d, That: p, Refused: d.Refused.Value, AboutPlayer: b.aboutPlayer(p), At: d.At})
	}
}

// aboutPlayer says whether a condition reads anything that a player has.
func (b *builder) aboutPlayer(p *expr.Program) bool {
	return p.ReadsAny(func(r expr.Ref) bool {
		return r.Who == expr.Self || r.Who == expr.HereScene || r.What == expr.Variable && b.Holders[r.Hold].Holder.OfPlayers()
	})
}
