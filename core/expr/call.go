package expr

import (
	"slices"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/tree"
	"alluvion.dev/core/types"
)

func (c *checker) call(e *tree.Node, known Facts) typed {
	name, args, at := e.Word, e.Args, c.at(e)
	switch name {
	case tree.And, tree.Or:
		return c.logic(name == tree.And, args, known)
	case tree.Not:
		return c.not(args[0], known)
	case tree.Choose:
		return c.conditional(args, known, types.Type{})
	case tree.Equal, tree.NotEqual:
		return c.equality(name == tree.Equal, args, at, known)
	case tree.Less, tree.LessEqual, tree.Greater, tree.GreaterEqual:
		return c.compare(name, args, known)
	case tree.Add:
		return c.add(args, known)
	case tree.Index:
		return c.index(args, at, known)
	case "has":
		return c.has(args, at, known)
	case "orValue":
		return c.orValue(e, at, known)
	}
	if special := c.special(name, e, at, known); special != nil {
		return *special
	}
	if fn, ok := numeric[name]; ok && !e.Member() {
		return c.numeric(name, fn, args, at, known)
	}
	if fn, ok := textual[name]; ok && e.Member() {
		return c.textual(name, fn, e, at, known)
	}
	return c.unknownFunction(name, c.named(name, e))
}

// named is where the name of a called function begins: CEL says of a call where its ( is.
func (c *checker) named(name string, e *tree.Node) finding.At {
	lines := strings.Split(c.source.Source, "\n")
	if i := e.Line - 1; 0 <= i && i < len(lines) {
		line := []rune(lines[i])
		begin := e.Column - len([]rune(name))
		if begin >= 0 && e.Column <= len(line) && string(line[begin:e.Column]) == name {
			return position(c.source, e.Line, begin)
		}
	}
	return c.at(e)
}

func (c *checker) unknownFunction(name string, at finding.At) typed {
	if name == tree.In {
		return c.fail("bad-expression", at,
			"What is in a list or a set is asked with contains: player.letters.contains('mill'), not 'mill' in player.letters.")
	}
	if strings.HasPrefix(name, "_") || strings.HasPrefix(name, "@") {
		return c.fail("bad-expression", at, "This operator is not part of the language.")
	}
	if form := forms[name]; form != "" {
		return c.fail("bad-expression", at, "%s is written %s.", name, form)
	}
	if instead := instead[name]; instead != "" {
		return c.fail("bad-expression", at, "%s is not part of expressions here: %s.", name, instead)
	}
	near := finding.Word(name, FunctionNames())
	c.report("unknown-name", at, "There is no function called \"%s\".%s", name,
		finding.DidYouMean(near.Name)).Suggest(near)
	return typed{}
}

// forms are how functions are written that take more than numbers.
var forms = map[string]string{
	"inside": "inside('scene/area')", "holds": "holds('movable')", "earned": "player.earned('milestone')",
	"count": "count(present), count(player.letters), or count(player.have) over the options of a list",
	"sum":   "sum(player.have)", "any": "any(player.have > 3)", "all": "all(player.have > 0)",
	"draw": "draw(seed, index, from, to)",
	"size": "text.size()", "contains": "text.contains(part)", "startsWith": "text.startsWith(part)", "endsWith": "text.endsWith(part)",
}

// instead says what to write in place of functions of CEL that there are not here.
var instead = map[string]string{
	"int":    "numbers mix by themselves; write floor(x) or round(x) for a whole one",
	"uint":   "numbers mix by themselves; write floor(x) or round(x) for a whole one",
	"double": "whole and decimal numbers mix by themselves; leave it out",
	"string": "a text is put together of texts alone; a game writes numbers as its players read them",
	"bytes":  "there are no bytes; declare a text",
	"bool":   "write the condition itself, as in player.oil > 0", "dyn": "every type is known; leave it out",
	"type":       "every type is known; what may be none is asked with has(x)",
	"duration":   "time is seconds: time.session, or a stopwatch",
	"timestamp":  "dates are a crossing's: crossings: {day: {calendar: {every: day}, for: [player]}}",
	"matches":    "a text says what fits it with alphabet, min_length and max_length; or ask text.contains(part)",
	"exists":     "write any(player.have > 3) over the options of a list, or list.contains(x)",
	"exists_one": "write count(player.have > 3) == 1 over the options of a list",
	"existsOne":  "write count(player.have > 3) == 1 over the options of a list",
	"filter":     "write count(…) or sum(…) over the options of a list",
	"map":        "write sum(player.have * ware.weight) over the options of a list, or each in a rule",
	"getDate":    "dates are a crossing's; days_missed says how many have passed", "getHours": "dates are a crossing's: calendar: {at: \"04:00\"}",
	"len": "write count(x)", "length": "write text.size() or count(items)", "if": "write condition ? this : that",
	"now": "the session's time is time.session; dates are a crossing's",
}

// FunctionNames lists the functions of the language.
func FunctionNames() []string {
	names := map[string]bool{"has": true, "orValue": true, "count": true, "earned": true, "inside": true, "holds": true,
		"draw": true, "point": true, "sum": true, "any": true, "all": true}
	for n := range numeric {
		if !tree.Operator(n) {
			names[n] = true
		}
	}
	for n := range textual {
		names[n] = true
	}
	return sortedKeys(names)
}

// condition walks a part that has to be true or false.
func (c *checker) condition(e *tree.Node, known Facts) typed {
	n := c.walk(e, known)
	if n.eval == nil || c.none(n, c.at(e)) {
		return typed{}
	}
	if n.typ.Kind != types.Bool {
		return c.fail("type-mismatch", c.at(e), "A condition is wanted here; this is %s.", n.typ)
	}
	return n
}

func (c *checker) logic(and bool, args []*tree.Node, known Facts) typed {
	a := c.condition(args[0], known)
	learnt := a.fails
	if and {
		learnt = a.holds
	}
	b := c.condition(args[1], merge(known, learnt))
	if a.eval == nil || b.eval == nil {
		return typed{}
	}
	x, y := a.cond(), b.cond()
	if and {
		out := asCondition(types.Type{Kind: types.Bool}, func(env Env) bool { return x(env) && y(env) })
		out.holds = merge(a.holds, b.holds)
		out.typ.Truth = both(a.typ.Truth, b.typ.Truth)
		return out
	}
	out := asCondition(types.Type{Kind: types.Bool}, func(env Env) bool { return x(env) || y(env) })
	out.fails = merge(a.fails, b.fails)
	out.typ.Truth = both(a.typ.Truth.Not(), b.typ.Truth.Not()).Not()
	return out
}

func both(a, b types.Truth) types.Truth {
	switch {
	case a == types.False || b == types.False:
		return types.False
	case a == types.True && b == types.True:
		return types.True
	}
	return types.Unknown
}

func (c *checker) not(e *tree.Node, known Facts) typed {
	n := c.condition(e, known)
	if n.eval == nil {
		return typed{}
	}
	x := n.cond()
	out := asCondition(types.Type{Kind: types.Bool, Truth: n.typ.Truth.Not()}, func(env Env) bool { return !x(env) })
	out.holds, out.fails = n.fails, n.holds
	return out
}

func (c *checker) conditional(args []*tree.Node, known Facts, want types.Type) typed {
	test := c.condition(args[0], known)
	yes := c.wanted(args[1], merge(known, test.holds), want)
	no := c.wanted(args[2], merge(known, test.fails), want)
	if test.eval == nil || yes.eval == nil || no.eval == nil {
		return typed{}
	}
	yes.typ, no.typ = c.adapt(yes.typ, no.typ, args[1]), c.adapt(no.typ, yes.typ, args[2])
	t, ok := types.Unify(yes.typ, no.typ)
	if !ok {
		return c.fail("type-mismatch", c.at(args[2]), "One side of the choice is %s, the other %s.", yes.typ, no.typ)
	}
	switch test.typ.Truth {
	case types.True:
		t = yes.typ
	case types.False:
		t = no.typ
	}
	x, y, z := test.cond(), yes.eval, no.eval
	return typed{typ: t, eval: func(env Env) types.Value {
		if x(env) {
			return y(env)
		}
		return z(env)
	}}
}

// adapt gives a written text the type of the list of names that it stands beside, and reports a name
// that is not in that list.
func (c *checker) adapt(t, other types.Type, e *tree.Node) types.Type {
	if t.Kind != types.Text || !other.Named() || !e.Written() {
		return t
	}
	name := e.Quoted()
	return c.listed(name, other, c.at(e))
}

// listed is the type of one name of a list; one that is not in it is reported.
func (c *checker) listed(name string, list types.Type, at finding.At) types.Type {
	out := list.Value()
	out.Only = []string{name}
	if slices.Contains(list.Names, name) {
		return out
	}
	near := finding.Declared(name, list.Names)
	text := "There is no " + list.Of + " called \"" + name + "\"." + finding.DidYouMean(near.Name)
	if near.Name == "" {
		text += " There is " + types.JoinNames(list.Names) + "."
	}
	c.report("unknown-name", at, "%s", text).Suggest(near)
	return out
}

func (c *checker) equality(equal bool, args []*tree.Node, at finding.At, known Facts) typed {
	for i, arg := range args {
		if c.unquoted(arg, args[1-i], known) {
			return c.fail("unknown-name", c.at(arg), "Nothing is called %q here. What one can choose stands in quotes: '%[1]s'.", arg.Word)
		}
	}
	a, b := c.walk(args[0], known), c.walk(args[1], known)
	if a.eval == nil || b.eval == nil {
		return typed{}
	}
	a.typ, b.typ = c.adapt(a.typ, b.typ, args[0]), c.adapt(b.typ, a.typ, args[1])
	if _, ok := types.Unify(a.typ.Value(), b.typ.Value()); !ok {
		return c.fail("type-mismatch", at, "%s cannot be compared with %s.", finding.Upper(a.typ.String()), b.typ)
	}
	c.noteEquality(a, b)
	c.noteEquality(b, a)
	known3 := equalTruth(a.typ, b.typ)
	out := typed{typ: types.Type{Kind: types.Bool, Truth: known3}}
	x, y := a.eval, b.eval
	facts := Facts{}
	for _, n := range []typed{a, b} { // a comparison with none is false: where it holds, neither is none
		if n.typ.Optional && n.path != "" {
			facts[n.path] = true
		}
	}
	if equal {
		out.holds = facts
		out.eval = func(env Env) types.Value { v := x(env); return types.OfBool(v == y(env) && v.Kind != types.IsNone) }
		return out
	}
	out.typ.Truth, out.fails = known3.Not(), facts
	out.eval = func(env Env) types.Value { v := x(env); return types.OfBool(v != y(env) || v.Kind == types.IsNone) }
	return out
}

// unquoted says whether a name that there is not is an option of what it is compared with.
func (c *checker) unquoted(name, other *tree.Node, known Facts) bool {
	if name.Kind != tree.Name || other.Kind != tree.Field || c.names.Roots[name.Word] != nil || c.names.Lists[name.Word] != nil {
		return false
	}
	of := c.walk(other, known)
	return of.eval != nil && of.typ.Named() && slices.Contains(of.typ.Names, name.Word)
}

func (c *checker) noteEquality(a, b typed) {
	if n, ok := b.typ.Range.Single(); ok && b.typ.Numeric() && a.read != nil {
		c.program.Equals = append(c.program.Equals, Equality{*a.read, types.OfNum(n)})
	}
}

func equalTruth(a, b types.Type) types.Truth {
	switch {
	case a.Numeric():
		if a.Range.Outside(b.Range) {
			return types.False
		}
		x, okX := a.Range.Single()
		y, okY := b.Range.Single()
		if okX && !b.Range.IsZero() && b.Range.Step.Sign() > 0 && !x.MultipleOf(b.Range.Step) ||
			okY && !a.Range.IsZero() && a.Range.Step.Sign() > 0 && !y.MultipleOf(a.Range.Step) {
			return types.False
		}
		if okX && okY && !a.Optional && !b.Optional {
			return types.TruthOf(x == y)
		}
	case a.Kind == types.Bool && a.Truth != types.Unknown && b.Truth != types.Unknown && !a.Optional && !b.Optional:
		return types.TruthOf(a.Truth == b.Truth)
	case a.Named():
		return namesTruth(a, b)
	}
	return types.Unknown
}

func namesTruth(a, b types.Type) types.Truth {
	common := false
	for _, x := range a.Possible() {
		for _, y := range b.Possible() {
			common = common || x == y
		}
	}
	switch {
	case !common:
		return types.False
	case len(a.Possible()) == 1 && len(b.Possible()) == 1 && !a.Optional && !b.Optional:
		return types.True
	}
	return types.Unknown
}

func (c *checker) compare(op string, args []*tree.Node, known Facts) typed {
	a, okA := c.number(args[0], known)
	b, okB := c.number(args[1], known)
	if !okA || !okB {
		return typed{}
	}
	if op == tree.Greater || op == tree.GreaterEqual {
		a, b = b, a
	}
	strict := op == tree.Less || op == tree.Greater
	known3 := less(a.typ.Range, b.typ.Range)
	if !strict {
		known3 = less(b.typ.Range, a.typ.Range).Not()
	}
	return asCondition(types.Type{Kind: types.Bool, Truth: known3}, lessThan(a, b, strict))
}

// lessThan is a < b, or a <= b. A number that is written there, which is the most frequent case, is not asked each
// time.
func lessThan(a, b typed, strict bool) func(Env) bool {
	x, y := a.number(), b.number()
	switch {
	case a.is != nil && strict:
		lo := *a.is
		return func(env Env) bool { return lo.Less(y(env)) }
	case a.is != nil:
		lo := *a.is
		return func(env Env) bool { return !y(env).Less(lo) }
	case b.is != nil && strict:
		hi := *b.is
		return func(env Env) bool { return x(env).Less(hi) }
	case b.is != nil:
		hi := *b.is
		return func(env Env) bool { return !hi.Less(x(env)) }
	case strict:
		return func(env Env) bool { return x(env).Less(y(env)) }
	}
	return func(env Env) bool { return !y(env).Less(x(env)) }
}

// less is what is known of a < b.
func less(a, b types.Range) types.Truth {
	switch {
	case a.HasHi && b.HasLo && a.Hi.Less(b.Lo):
		return types.True
	case a.HasLo && b.HasHi && !a.Lo.Less(b.Hi):
		return types.False
	}
	return types.Unknown
}

func (c *checker) has(args []*tree.Node, at finding.At, known Facts) typed {
	if len(args) != 1 {
		return c.fail("bad-expression", at, "has(x) asks about one name.")
	}
	n := c.walk(args[0], nil)
	if n.eval == nil {
		return typed{}
	}
	if n.path == "" {
		return c.fail("bad-expression", at, "has(x) asks about a name.")
	}
	x := n.eval
	out := typed{typ: types.Type{Kind: types.Bool}, holds: Facts{n.path: true}, eval: func(env Env) types.Value {
		return types.OfBool(x(env).Kind != types.IsNone)
	}}
	if i := strings.LastIndexByte(n.path, '.'); i > 0 { // an attribute that is there has a pick that is there
		out.holds[n.path[:i]] = true
	}
	if !n.typ.Optional || known[n.path] {
		out.typ.Truth = types.True
	}
	return out
}

func (c *checker) orValue(call *tree.Node, at finding.At, known Facts) typed {
	if !call.Member() || len(call.Args) != 1 {
		return c.fail("bad-expression", at, "orValue is written x.orValue(what to use where x is none).")
	}
	n, other := c.walk(call.On, known), c.walk(call.Args[0], known)
	if n.eval == nil || other.eval == nil {
		return typed{}
	}
	other.typ = c.adapt(other.typ, n.typ, call.Args[0])
	t, ok := types.Unify(n.typ.Value(), other.typ)
	if !ok {
		return c.fail("type-mismatch", c.at(call.Args[0]), "%s is %s; what to use in its place is %s.", n.path, n.typ,
			other.typ)
	}
	if !n.typ.Optional {
		t = n.typ
	}
	x, y := n.eval, other.eval
	return typed{typ: t, eval: func(env Env) types.Value {
		if v := x(env); v.Kind != types.IsNone {
			return v
		}
		return y(env)
	}}
}
