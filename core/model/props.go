package model

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// allHoldings makes the kinds of props, and a holding for everything that can have variables.
func (b *builder) allHoldings() {
	for _, h := range []Holder{OfPlayer, OfScene, OfGame, OfPlayerScene} {
		b.newHolding(h, nil)
	}
	for i := range b.Plan.Props.Entries {
		e := &b.Plan.Props.Entries[i]
		k := &PropKind{ID: e.ID, Title: Title(e.Value.Title, e.ID), Radius: e.Value.Radius.Value,
			Reach: e.Value.Reach.Or(b.Reach), At: e.At, Decl: &e.Value, byID: map[string]*Prop{}}
		k.Own, k.Players = b.newHolding(OfProp, k), b.newHolding(OfPlayerProp, k)
		for _, placed := range e.Value.Placed.Entries {
			b.prop(k, placed)
		}
		b.Kinds = append(b.Kinds, k)
		b.kinds[e.ID] = k
	}
	b.listHoldings()
	for _, s := range b.Scenes {
		slices.SortFunc(s.Near, func(p, q *Prop) int { return p.Area.Lo[0].Cmp(q.Area.Lo[0]) })
	}
}

func (b *builder) newHolding(h Holder, k *PropKind) *Holding {
	holding := &Holding{Index: len(b.Holders), Holder: h, Kind: k}
	b.Holders = append(b.Holders, holding)
	return holding
}

func (b *builder) prop(k *PropKind, e plan.Entry[plan.Placement]) {
	p := &Prop{ID: e.ID, Name: k.ID + "." + e.ID, Index: len(b.Props), Kind: k, At: e.At}
	if spot := b.spots[e.Value.Spot.Name]; spot != nil {
		p.Scene, p.Point = spot.Scene, spot.Point
	} else {
		if p.Scene = b.scenes[e.Value.Scene.Name]; p.Scene == nil { // which the reader has told
			return
		}
		copy(p.Point[:], b.numbers(e.Value.Point, e.At, "at"))
		if !p.Scene.Has(p.Point) {
			b.report("out-of-bounds", e.At, "%s is placed outside %s.", p.Name, p.Scene.ID)
		}
	}
	if k.Radius.Sign() > 0 {
		p.Area = &Area{ID: "prop:" + k.ID, Title: k.Title, Scene: p.Scene, Index: -1, Axes: len(b.Axes), Ball: true,
			Center: p.Point, Radius: k.Radius, Prop: p, At: e.At}
		p.Area.spanned()
		p.Scene.Near = append(p.Scene.Near, p)
		wide, _ := k.Radius.Add(k.Radius)
		p.Scene.Widest = fixed.Max(p.Scene.Widest, wide)
	}
	p.Scene.Props = append(p.Scene.Props, p)
	k.Props, k.byID[e.ID] = append(k.Props, p), p
	b.Props = append(b.Props, p)
}

func (b *builder) allMovables() {
	for i := range b.Plan.Movables.Entries {
		e := &b.Plan.Movables.Entries[i]
		m := &Movable{ID: e.ID, Fates: b.newFates(), Title: Title(e.Value.Title, e.ID), Index: i,
			Start: b.spots[e.Value.Start.Name], NeverIn: b.sceneSet(e.Value.NeverIn), At: e.At, Decl: &e.Value}
		if m.Start != nil && m.NeverIn[m.Start.Scene] {
			b.report("bad-value", e.Value.Start.At, "%s starts in %s, into which nobody can bring it.", m.ID,
				m.Start.Scene.ID)
		}
		b.Movables = append(b.Movables, m)
		b.movables[e.ID] = m
	}
}

// allOptions compiles who may pick an option.
func (b *builder) allOptions() {
	for _, e := range b.Lists {
		for _, o := range e.Decl.Options.Entries {
			if !o.Value.If.Given() {
				if o.Value.Refused.Given {
					b.report("missing", o.At,
						"The option %s has a text for who may not pick it, but no if.", o.ID)
				}
				continue
			}
			if p, ok := b.condition(o.Value.If, b.scopes.player, nil); ok {
				text := b.text(o.Value.Refused)
				if text.Text == "" {
					text.Text = Title(o.Value.Title, o.ID) + " cannot be picked now."
				}
				b.onlyFor(e.ID, o.ID, Pickable{If: p, Refused: text})
			}
		}
	}
	for _, v := range b.Vars {
		if v.Type.Kind == types.Pick && v.Holder != OfPlayer && len(b.Pickable[v.Type.Of]) > 0 {
			b.report("bad-value", v.Decl.Roster.At,
				"Some options of %s are not for every player, so only players can hold one.", v.Type.Of)
		}
	}
}

func (b *builder) onlyFor(roster, option string, p Pickable) {
	if b.Pickable[roster] == nil {
		b.Pickable[roster] = map[string]Pickable{}
	}
	b.Pickable[roster][option] = p
}

// Pickable is who may pick an option, and what the others are told.
type Pickable struct {
	If      *expr.Program
	Refused Text
}

func (b *builder) allRequests() {
	q := &b.Plan.Requests
	move := plan.RequestRule{Closed: q.Move.Closed, If: q.Move.If, Refused: q.Move.Refused}
	b.Fastest = q.Move.Fastest.Value
	for name, d := range map[string]plan.RequestRule{"move": move, "pass": q.Pass, "touch": q.Touch,
		"start-over": q.StartOver} {
		if !d.Closed.Value && !d.If.Given() {
			if d.Refused.Given {
				b.report("missing", d.Refused.At, "%s has a text for when it is refused, but neither if nor closed.",
					name)
			}
			continue
		}
		r := &RequestRule{Closed: d.Closed.Value, Refused: b.text(d.Refused), At: firstAt(d.If.At, d.Closed.At)}
		if d.If.Given() {
			r.If, _ = b.condition(d.If, b.scopes.player, nil)
		}
		b.Requests[name] = r
	}
}

func firstAt(a, otherwise finding.At) finding.At {
	if a.Line > 0 {
		return a
	}
	return otherwise
}

func (b *builder) allStandings() {
	for i := range b.Plan.Standings.Entries {
		e := &b.Plan.Standings.Entries[i]
		d := &e.Value
		s := &Standing{ID: e.ID, Title: Title(d.Title, e.ID), Index: i, High: d.Order.Or("high") == "high",
			Best: d.Keep.Or("best") == "best", At: e.At, Decl: d}
		names := b.scopes.player
		if s.List = b.rankedList(d.Rank); s.List != nil {
			names = b.scopes.of(s.List.Own)
			names.Missing = maps.Clone(names.Missing)
			names.Missing["player"] = fmt.Sprintf("This orders the options of %s, and is about no player.", s.List.ID)
		}
		known := expr.Facts{}
		if d.If.Given() {
			if s.If, _ = b.condition(d.If, names, nil); s.If != nil {
				known = s.If.Holds
			}
		}
		p, found := expr.Compile(d.Rank, names, known)
		b.add(found...)
		switch {
		case p == nil:
		case p.Type.Optional:
			b.report("none-unhandled", p.At,
				"This may be none: say in if when it counts, or what counts then with orValue(0).")
		case !p.Type.Numeric():
			who := "Players"
			if s.List != nil {
				who = "Options"
			}
			b.report("type-mismatch", p.At, "%s are ordered by a number; this is %s.", who, p.Type)
		default:
			s.Rank = p
		}
		b.Standings = append(b.Standings, s)
	}
}

// rankedList is the list whose options a standing orders: the one whose own state the number reads. Nil where it orders
// players (rule 28).
func (b *builder) rankedList(rank plan.Expr) *List {
	if p, _ := expr.Compile(rank, b.scopes.player, nil); p != nil {
		return nil
	}
	for _, l := range b.Lists {
		if p, _ := expr.Compile(rank, b.scopes.of(l.Own), nil); p != nil {
			return l
		}
	}
	for _, l := range b.Lists { // it is wrong in any case: what is meant is the list that it begins with
		if of, _, _ := strings.Cut(strings.TrimSpace(rank.Source), "."); of == l.ID {
			return l
		}
	}
	return nil
}

// whiles compiles what stopwatches count by.
func (b *builder) whiles() {
	for _, v := range b.Vars {
		if !v.Decl.While.Given() {
			continue
		}
		p, ok := b.condition(v.Decl.While, b.scopes.of(v.Hold), nil)
		if !ok {
			continue
		}
		for _, r := range p.Reads {
			if w := b.VarOf(r.Ref); r.Ref.What == expr.Time || w != nil && w.Stopwatch {
				b.report("bad-value", r.At,
					"A stopwatch cannot depend on time itself: nothing would tell it when to start or stop.")
			}
		}
		v.While = p
		b.Whiles = append(b.Whiles, v)
	}
}
