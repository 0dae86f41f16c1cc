package check

import (
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/format"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// Given are the values that a variable can have by the plan's own rules, from its start value on: never fewer than
// there are, and often more. None is not among them; whether a variable may be none is asked elsewhere.
//
// It is found as the least fixed point of what the rules do to sets of values (P. Cousot, R. Cousot, Abstract
// interpretation, 1977). As with all that is said of rules, three ways of changing a value are outside the plan:
// support, the game's server, and a save of an earlier version.
type Given struct {
	words map[string]bool // of options and truths, also as items: those that it can be
	few   []fixed.Num     // of numbers, where they are few: all of them, in order; nil where they are many
	reach types.Range     // of numbers that are many
}

// mostFew is up to how many numbers are listed one by one.
const mostFew = 32

// Has says whether a value is among them; none always is.
func (g *Given) Has(v types.Value) bool {
	switch v.Kind {
	case types.IsNum:
		return g.hasNumber(v.Num)
	case types.IsBool, types.IsText:
		return g.words == nil || g.words[v.Plain()]
	}
	for _, item := range v.Items() {
		if !g.Has(item) {
			return false
		}
	}
	return true
}

func (g *Given) hasNumber(n fixed.Num) bool {
	switch {
	case g.words != nil:
		return true
	case g.few != nil:
		return slices.Contains(g.few, n)
	}
	r := g.reach
	return !(r.HasLo && n.Less(r.Lo)) && !(r.HasHi && r.Hi.Less(n)) &&
		(r.Step.Sign() == 0 || n.MultipleOf(r.Step))
}

// String lists them: "0, 5 or 10", "0 to 12".
func (g *Given) String() string {
	var all []string
	for word := range g.words {
		all = append(all, word)
	}
	slices.Sort(all)
	for _, n := range g.few {
		all = append(all, n.String())
	}
	switch {
	case g.words == nil && g.few == nil:
		out := fmt.Sprintf("%s to %s", g.reach.Lo, g.reach.Hi)
		if step := g.reach.Step; step.Sign() > 0 && step != types.One {
			out += " in steps of " + step.String()
		}
		return out
	case len(all) > 12:
		return fmt.Sprintf("one of %d", len(all))
	case len(all) < 2:
		return strings.Join(all, "")
	}
	return strings.Join(all[:len(all)-1], ", ") + " or " + all[len(all)-1]
}

// GivenBy finds, for each variable of which something is known, what the plan's rules can make of it. What is said
// nothing of is left out: what is computed or counts by itself, what players or the game's server write, what an upgrade
// step or the game's own files give, and what rules can make anything of that its type admits.
func GivenBy(m *model.Model) map[*model.Var]*Given {
	c := &checker{m: m}
	c.gather()
	s := &giving{checker: c, of: map[*model.Var]*values{}}
	s.settle()
	out := map[*model.Var]*Given{}
	for v, g := range s.of {
		if told := g.told(v); told != nil {
			out[v] = told
		}
	}
	return out
}

// giving looks for what rules make of variables, all at once: what one can be depends on what others can be.
type giving struct {
	*checker
	of map[*model.Var]*values // those of which something may be known
}

// values are what was found so far that a variable can be.
type values struct {
	is    types.Type // with what is known of it: range, truth, only; of a list or a set, of its items
	items bool       // it is a list or a set
	empty bool       // of items: there is none so far
	few   []fixed.Num
	many  bool // they are more than few
	all   bool // nothing is known beyond its type
	turns int  // how often more was found
}

// How often more may be found of one before the search goes on with all that its limits admit, and how often all rules
// are gone through before it gives up.
const (
	mostTurns  = 6
	mostRounds = 60
)

func (s *giving) settle() {
	var all []*model.Var
	for _, v := range s.m.Vars {
		if s.foreign(v) {
			continue
		}
		g := &values{is: v.Type, empty: true}
		if v.Type.Item != nil {
			g.is, g.items = *v.Type.Item, true
			for _, item := range v.Start.Items() {
				g.join(v, types.Constant(item, g.is))
			}
		} else if !v.Start.IsNone() {
			g.join(v, types.Constant(v.Start, g.is))
		}
		s.of[v], all = g, append(all, v)
	}
	for round := 0; ; round++ {
		more := false
		for _, v := range all {
			more = s.turn(v) || more
		}
		if !more {
			return
		}
		if round == mostRounds { // nothing that is not settled may be relied on
			clear(s.of)
			return
		}
	}
}

// foreign says whether something other than rules and fates gives a variable its values.
func (s *giving) foreign(v *model.Var) bool {
	for _, w := range ways {
		if w.what != byRules && w.what != byFate && w.changes(s.checker, v) {
			return true
		}
	}
	kind := v.Type
	if kind.Item != nil {
		kind = *kind.Item
	}
	known := kind.Numeric() || kind.Named() || kind.Kind == types.Bool
	return !known || format.Holds(s.m, v)
}

// turn adds what one use of each rule makes of a variable, and says whether that was more than was known.
func (s *giving) turn(v *model.Var) bool {
	g := s.of[v]
	if g.all {
		return false
	}
	more := false
	for _, e := range s.writes[v] {
		if !s.happens(e) {
			continue
		}
		more = s.act(g, e) || more
	}
	for i := range v.Fates {
		if set := v.Fates[i].Set; set != nil {
			more = g.set(v, set.Under(s.narrow)) || more
		}
	}
	if more {
		if g.turns++; g.turns > mostTurns {
			g.all = true
		}
	}
	return more
}

// happens says whether an action can be done at all.
func (s *giving) happens(e model.Effect) bool {
	for _, guard := range e.Guards {
		if guard.Under(s.narrow).Truth == types.False {
			return false
		}
	}
	return true
}

// act adds what an action makes of its variable.
func (s *giving) act(g *values, e model.Effect) bool {
	a := e.Action
	switch a.Change {
	case model.Nothing, model.Clears, model.TakesOut:
		return false
	case model.Sets, model.Raises:
		if d := s.does(e); d.adds && a.Change == model.Sets {
			by := a.Value.Under(func(r expr.Ref, t types.Type) types.Type {
				if r == a.Target {
					t.Range = types.Exactly(fixed.Num{})
					return t
				}
				return s.narrow(r, t)
			})
			return g.add(a.Var, by.Range)
		}
		return g.set(a.Var, a.Value.Under(s.narrow))
	case model.Adds:
		return g.add(a.Var, a.Value.Under(s.narrow).Range)
	case model.PutsIn:
		return g.join(a.Var, a.Value.Under(s.narrow))
	}
	g.all = true
	return true
}

// narrow tells what is known so far of what an expression reads.
func (s *giving) narrow(ref expr.Ref, t types.Type) types.Type {
	v := s.m.VarOf(ref)
	if v == nil || ref.What != expr.Variable {
		return t
	}
	g := s.of[v]
	if g == nil || g.all || g.items || g.empty {
		return t
	}
	t.Range, t.Truth, t.Only = g.is.Range, g.is.Truth, g.is.Only
	return t
}

// set adds a value that is given as a whole; of a list or a set, its items.
func (g *values) set(v *model.Var, t types.Type) bool {
	if !g.items {
		return g.join(v, t)
	}
	if t.Item == nil {
		g.all = true
		return true
	}
	return g.join(v, *t.Item)
}

// add adds sums. Whatever is added once can be added again, up to the limits.
func (g *values) add(v *model.Var, by types.Range) bool {
	if g.empty || by.IsZero() { // nothing is added to none
		return false
	}
	to := types.Range{Lo: g.is.Range.Lo, Hi: g.is.Range.Hi, HasLo: true, HasHi: true, Step: types.CommonStep(g.is.Range, by)}
	if !by.HasHi || by.Hi.Sign() > 0 {
		to.Hi = v.Max
		to.Step = withLimit(&v.Domain, to.Step, v.Max)
	}
	if !by.HasLo || by.Lo.Sign() < 0 {
		to.Lo = v.Min
		to.Step = withLimit(&v.Domain, to.Step, v.Min)
	}
	g.few, g.many = nil, true
	was := g.is.Range
	g.is.Range = on(&v.Domain, to)
	return was != g.is.Range
}

// withLimit is the step of numbers some of which are moved to a limit.
func withLimit(d *types.Domain, step, limit fixed.Num) fixed.Num {
	if d.Refuse {
		return step
	}
	return types.CommonStep(types.Range{Step: step}, types.Exactly(limit))
}

// on is a range on the steps of a domain.
func on(d *types.Domain, r types.Range) types.Range {
	if !r.FitsStep(d.Step) {
		r.Step = d.Step
	}
	return r
}

// join adds values as an assignment gives them: rounded to the step, and moved to the nearer limit or refused.
func (g *values) join(v *model.Var, t types.Type) bool {
	d := &v.Domain
	if g.items && d.Item != nil {
		d = d.Item
	}
	was, had, empty := g.is, len(g.few), g.empty
	if t.Numeric() {
		r, any := landing(d, t.Range)
		if !any {
			return false
		}
		t.Range = r
		g.list(r)
	}
	g.empty = false
	if empty {
		g.is.Range, g.is.Truth, g.is.Only = t.Range, t.Truth, t.Only
		return true
	}
	switch {
	case g.is.Numeric():
		g.is.Range = on(d, g.is.Range.Union(t.Range))
	case g.is.Truth != t.Truth:
		g.is.Truth = types.Unknown
	case g.is.Named() && g.is.Only != nil:
		g.is.Only = both(g.is.Only, t.Possible())
	}
	return was.Range != g.is.Range || was.Truth != g.is.Truth || len(was.Only) != len(g.is.Only) || had != len(g.few)
}

// list notes numbers one by one, as long as they are few.
func (g *values) list(r types.Range) {
	one, single := r.Single()
	switch {
	case g.many || single && slices.Contains(g.few, one):
		return
	case !single || len(g.few) == mostFew:
		g.few, g.many = nil, true
		return
	}
	g.few = append(g.few, one)
}

// landing is where the numbers of a range come to when they are assigned; false where all of them are refused.
func landing(d *types.Domain, r types.Range) (types.Range, bool) {
	within := types.Range{Lo: d.Min, Hi: d.Max, HasLo: true, HasHi: true}
	if !r.FitsStep(d.Step) {
		r.Step = d.Step
		var errLo, errHi error
		if r.HasLo {
			r.Lo, errLo = r.Lo.RoundTo(d.Step)
		}
		if r.HasHi {
			r.Hi, errHi = r.Hi.RoundTo(d.Step)
		}
		if errLo != nil || errHi != nil {
			within.Step = d.Step
			return within, true
		}
	}
	if d.Refuse && r.Outside(within) {
		return r, false
	}
	if !r.HasLo || r.Lo.Less(d.Min) {
		r.Lo, r.HasLo, r.Step = d.Min, true, withLimit(d, r.Step, d.Min)
	}
	if !r.HasHi || d.Max.Less(r.Hi) {
		r.Hi, r.HasHi, r.Step = d.Max, true, withLimit(d, r.Step, d.Max)
	}
	if r.Lo, r.Hi = fixed.Min(r.Lo, d.Max), fixed.Max(r.Hi, d.Min); r.Lo == r.Hi {
		r = types.Exactly(r.Lo)
	}
	return r, true
}

func both(a, b []string) []string {
	return slices.Compact(slices.Sorted(slices.Values(append(slices.Clone(a), b...))))
}

// told is what is known in the end; nil where that is no more than the type says.
func (g *values) told(v *model.Var) *Given {
	d := &v.Domain
	if g.items && d.Item != nil {
		d = d.Item
	}
	switch {
	case g.all || g.empty && !g.items:
		return nil
	case g.empty: // no item is ever put in
		return &Given{words: map[string]bool{}}
	case g.is.Numeric() && g.few != nil:
		return &Given{few: slices.SortedFunc(slices.Values(g.few), fixed.Num.Cmp)}
	case g.is.Numeric():
		r := g.is.Range
		if r.Lo == d.Min && r.Hi == d.Max && !d.Step.Less(r.Step) {
			return nil
		}
		return &Given{reach: r}
	case g.is.Kind == types.Bool && g.is.Truth != types.Unknown:
		return &Given{words: map[string]bool{types.OfBool(g.is.Truth == types.True).Plain(): true}}
	case g.is.Named() && g.is.Only != nil && len(g.is.Only) < len(g.is.Names):
		words := map[string]bool{}
		for _, name := range g.is.Only {
			words[name] = true
		}
		return &Given{words: words}
	}
	return nil
}
