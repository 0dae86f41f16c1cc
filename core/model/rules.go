package model

import (
	"fmt"
	"maps"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

var numOne = fixed.FromInt(1)

func (b *builder) clockStep() fixed.Num { return fixed.Must("0.001") }

func (b *builder) allEvents() {
	for i := range b.Plan.Events.Entries {
		e := &b.Plan.Events.Entries[i]
		d := &e.Value
		ev := &Event{ID: e.ID, Title: Title(d.Title, e.ID), Index: i, Self: d.From.Value == "self" ||
			b.rest.inside(e.At.Pointer+"/from"), Refused: b.text(d.Refused),
			WhileDead: d.WhileDead.Value, AtMost: d.AtMost.Value, At: e.At, Decl: d}
		for _, a := range d.Args.Entries {
			arg := Arg{ID: a.ID, Domain: b.valueDomain(a.ID, &a.Value, types.InArgument), Within: a.Value.Within.Given,
				At: a.At}
			if arg.Type.Kind == types.Prop {
				arg.Kind = b.kinds[arg.Type.Of]
			}
			if arg.Within && !ev.Self {
				b.report("bad-value", a.Value.Within.At,
					"Nobody's reach can be meant: the event %s is sent by the server.", e.ID)
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
		if d.Off.Value {
			continue
		}
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
	case "crossed":
		own := b.OwnCrossing(r.Moment.Of)
		if r.AboutPlayer = r.Moment.Each || !own.World; r.Moment.Each {
			own.Each = append(own.Each, r)
		} else {
			own.Rules = append(own.Rules, r)
		}
		if r.AboutPlayer {
			return b.withDays(b.scopes.player, own.Crossing), true
		}
		return b.withDays(b.scopes.world, own.Crossing), true
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
	r.Do = b.compiler(r, names, known, guards).Actions(r.Decl.Do)
	r.Index = len(b.Rules)
	b.Rules = append(b.Rules, r)
}

// only is the condition that a moment's name stands for.
func (b *builder) only(r *Rule) *expr.Program {
	form := map[string]string{"arrived": "place.scene == '%s'", "departed": "place.scene == '%s'",
		"checkpoint": "player.checkpoint == '%s'"}[r.Moment.Kind]
	if form == "" || r.Moment.Of == "" {
		return nil
	}
	p, found := expr.Compile(plan.Expr{Source: fmt.Sprintf(form, r.Moment.Of), At: r.Moment.At}, b.scopes.player, nil)
	b.add(found...)
	return p
}

func (b *builder) allAlways() {
	for i := range b.Plan.Always {
		d := &b.Plan.Always[i]
		p, ok := b.condition(d.That, b.scopes.player, nil)
		if !ok {
			continue
		}
		b.Reaches = b.Reaches || p.ReadsAny(func(r expr.Ref) bool { return r.Elsewhere() })
		one := &Always{Decl: d, That: p, Refused: b.text(d.Refused), AboutPlayer: b.aboutPlayer(p), At: d.At}
		b.Always = append(b.Always, one)
		if one.AboutPlayer {
			b.AlwaysOfPlayers++
		}
	}
}

// aboutPlayer says whether a condition reads anything that a player has.
func (b *builder) aboutPlayer(p *expr.Program) bool {
	return p.ReadsAny(func(r expr.Ref) bool {
		return r.Who == expr.Self || r.Who == expr.HereScene || r.What == expr.Variable &&
			b.Holders[r.Hold].Holder.OfPlayers()
	})
}
