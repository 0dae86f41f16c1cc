package expr

import (
	"slices"
	"strings"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"

	"alluvion/core/finding"
)

func (c *checker) call(e ast.Expr, known Facts) typed {
	call := e.AsCall()
	name, args, at := call.FunctionName(), call.Args(), c.at(e)
	switch name {
	case operators.LogicalAnd, operators.LogicalOr:
		return c.logic(name == operators.LogicalAnd, args, known)
	case operators.LogicalNot:
		return c.not(args[0], known)
	case operators.Conditional:
		return c.conditional(args, known, Type{})
	case operators.Equals, operators.NotEquals:
		return c.equality(name == operators.Equals, args, at, known)
	case operators.Less, operators.LessEquals, operators.Greater, operators.GreaterEquals:
		return c.compare(name, args, known)
	case operators.Add:
		return c.add(args, known)
	case "has":
		return c.has(args, at, known)
	case "orValue":
		return c.orValue(call, at, known)
	}
	if special := c.special(name, call, at, known); special != nil {
		return *special
	}
	if fn, ok := numeric[name]; ok && !call.IsMemberFunction() {
		return c.numeric(name, fn, args, at, known)
	}
	if fn, ok := textual[name]; ok && call.IsMemberFunction() {
		return c.textual(name, fn, call, at, known)
	}
	return c.unknownFunction(name, at)
}

// special walks the functions that ask about something other than plain values; nil where it is none.
func (c *checker) special(name string, call ast.CallExpr, at finding.At, known Facts) *typed {
	args, one := call.Args(), len(call.Args()) == 1
	var out typed
	switch {
	case name == "earned" && call.IsMemberFunction() && one:
		out = c.earned(call, at)
	case call.IsMemberFunction():
		return nil
	case name == "inside" && one:
		out = c.inside(args[0], at)
	case name == "holds" && one:
		out = c.holds(args[0], at)
	case name == "count" && one:
		out = c.count(args[0], at, known)
	case name == "draw" && len(args) == 4:
		out = c.draw(args, known)
	case name == "point":
		out = c.point(args, at, known)
	default:
		return nil
	}
	return &out
}

func (c *checker) unknownFunction(name string, at finding.At) typed {
	if strings.HasPrefix(name, "_") || strings.HasPrefix(name, "@") {
		return c.fail("bad-expression", at, "This operator is not part of the language.")
	}
	near := finding.Nearest(name, FunctionNames())
	c.report("unknown-name", at, "There is no function called \"%s\".%s", name, didYouMean(near)).Nearest = near
	return typed{}
}

// FunctionNames lists the functions of the language.
func FunctionNames() []string {
	names := map[string]bool{"has": true, "orValue": true, "count": true, "earned": true, "inside": true, "holds": true, "draw": true, "point": true}
	for n := range numeric {
		if !strings.Contains(n, "_") {
			names[n] = true
		}
	}
	for n := range textual {
		names[n] = true
	}
	return sortedKeys(names)
}

// condition walks a part that has to be true or false.
func (c *checker) condition(e ast.Expr, known Facts) typed {
	n := c.walk(e, known)
	if n.eval == nil || c.none(n, c.at(e)) {
		return typed{}
	}
	if n.typ.Kind != Bool {
		return c.fail("type-mismatch", c.at(e), "A condition is wanted here; this is %s.", n.typ)
	}
	return n
}

func (c *checker) logic(and bool, args []ast.Expr, known Facts) typed {
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
		out := asCondition(Type{Kind: Bool}, func(env Env) bool { return x(env) && y(env) })
		out.holds = merge(a.holds, b.holds)
		out.typ.Truth = both(a.typ.Truth, b.typ.Truth)
		return out
	}
	out := asCondition(Type{Kind: Bool}, func(env Env) bool { return x(env) || y(env) })
	out.fails = merge(a.fails, b.fails)
	out.typ.Truth = both(a.typ.Truth.Not(), b.typ.Truth.Not()).Not()
	return out
}

func both(a, b Truth) Truth {
	switch {
	case a == False || b == False:
		return False
	case a == True && b == True:
		return True
	}
	return Unknown
}

func (c *checker) not(e ast.Expr, known Facts) typed {
	n := c.condition(e, known)
	if n.eval == nil {
		return typed{}
	}
	x := n.cond()
	out := asCondition(Type{Kind: Bool, Truth: n.typ.Truth.Not()}, func(env Env) bool { return !x(env) })
	out.holds, out.fails = n.fails, n.holds
	return out
}

func (c *checker) conditional(args []ast.Expr, known Facts, want Type) typed {
	test := c.condition(args[0], known)
	yes := c.wanted(args[1], merge(known, test.holds), want)
	no := c.wanted(args[2], merge(known, test.fails), want)
	if test.eval == nil || yes.eval == nil || no.eval == nil {
		return typed{}
	}
	yes.typ, no.typ = c.adapt(yes.typ, no.typ, args[1]), c.adapt(no.typ, yes.typ, args[2])
	t, ok := unify(yes.typ, no.typ)
	if !ok {
		return c.fail("type-mismatch", c.at(args[2]), "One side of the choice is %s, the other %s.", yes.typ, no.typ)
	}
	switch test.typ.Truth {
	case True:
		t = yes.typ
	case False:
		t = no.typ
	}
	x, y, z := test.cond(), yes.eval, no.eval
	return typed{typ: t, eval: func(env Env) Value {
		if x(env) {
			return y(env)
		}
		return z(env)
	}}
}

// adapt gives a written text the type of the list of names that it stands beside, and reports a name
// that is not in that list.
func (c *checker) adapt(t, other Type, e ast.Expr) Type {
	if t.Kind != Text || !other.Named() || e.Kind() != ast.LiteralKind {
		return t
	}
	name, _ := e.AsLiteral().Value().(string)
	return c.listed(name, other, c.at(e))
}

// listed is the type of one name of a list; one that is not in it is reported.
func (c *checker) listed(name string, list Type, at finding.At) Type {
	out := list.Value()
	out.Only = []string{name}
	if slices.Contains(list.Names, name) {
		return out
	}
	near := finding.Nearest(name, list.Names)
	text := "There is no " + list.Of + " called \"" + name + "\"." + didYouMean(near)
	if near == "" {
		text += " There is " + join(list.Names) + "."
	}
	c.report("unknown-name", at, "%s", text).Nearest = near
	return out
}

func (c *checker) equality(equal bool, args []ast.Expr, at finding.At, known Facts) typed {
	a, b := c.walk(args[0], known), c.walk(args[1], known)
	if a.eval == nil || b.eval == nil {
		return typed{}
	}
	a.typ, b.typ = c.adapt(a.typ, b.typ, args[0]), c.adapt(b.typ, a.typ, args[1])
	if _, ok := unify(a.typ.Value(), b.typ.Value()); !ok {
		return c.fail("type-mismatch", at, "%s cannot be compared with %s.", upperFirst(a.typ.String()), b.typ)
	}
	c.noteEquality(a, b)
	c.noteEquality(b, a)
	known3 := equalTruth(a.typ, b.typ)
	out := typed{typ: Type{Kind: Bool, Truth: known3}}
	x, y := a.eval, b.eval
	facts := Facts{}
	for _, n := range []typed{a, b} { // a comparison with none is false: where it holds, neither is none
		if n.typ.Optional && n.path != "" {
			facts[n.path] = true
		}
	}
	if equal {
		out.holds = facts
		out.eval = func(env Env) Value { v := x(env); return OfBool(v == y(env) && v.Kind != IsNone) }
		return out
	}
	out.typ.Truth, out.fails = known3.Not(), facts
	out.eval = func(env Env) Value { v := x(env); return OfBool(v != y(env) || v.Kind == IsNone) }
	return out
}

func (c *checker) noteEquality(a, b typed) {
	if n, ok := b.typ.Range.Single(); ok && b.typ.Numeric() && a.read != nil {
		c.program.Equals = append(c.program.Equals, Equality{*a.read, OfNum(n)})
	}
}

func equalTruth(a, b Type) Truth {
	switch {
	case a.Numeric():
		if a.Range.Outside(b.Range) {
			return False
		}
		x, okX := a.Range.Single()
		y, okY := b.Range.Single()
		if okX && !b.Range.isZero() && b.Range.Step.Sign() > 0 && !x.MultipleOf(b.Range.Step) ||
			okY && !a.Range.isZero() && a.Range.Step.Sign() > 0 && !y.MultipleOf(a.Range.Step) {
			return False
		}
		if okX && okY && !a.Optional && !b.Optional {
			return truth(x == y)
		}
	case a.Kind == Bool && a.Truth != Unknown && b.Truth != Unknown && !a.Optional && !b.Optional:
		return truth(a.Truth == b.Truth)
	case a.Named():
		return namesTruth(a, b)
	}
	return Unknown
}

func namesTruth(a, b Type) Truth {
	common := false
	for _, x := range a.Possible() {
		for _, y := range b.Possible() {
			common = common || x == y
		}
	}
	switch {
	case !common:
		return False
	case len(a.Possible()) == 1 && len(b.Possible()) == 1 && !a.Optional && !b.Optional:
		return True
	}
	return Unknown
}

func (c *checker) compare(op string, args []ast.Expr, known Facts) typed {
	a, okA := c.number(args[0], known)
	b, okB := c.number(args[1], known)
	if !okA || !okB {
		return typed{}
	}
	if op == operators.Greater || op == operators.GreaterEquals {
		a, b = b, a
	}
	x, y := a.number(), b.number()
	if op == operators.Less || op == operators.Greater {
		return asCondition(Type{Kind: Bool, Truth: less(a.typ.Range, b.typ.Range)}, func(env Env) bool { return x(env).Less(y(env)) })
	}
	return asCondition(Type{Kind: Bool, Truth: less(b.typ.Range, a.typ.Range).Not()}, func(env Env) bool { return !y(env).Less(x(env)) })
}

// less is what is known of a < b.
func less(a, b Range) Truth {
	switch {
	case a.HasHi && b.HasLo && a.Hi.Less(b.Lo):
		return True
	case a.HasLo && b.HasHi && !a.Lo.Less(b.Hi):
		return False
	}
	return Unknown
}

func (c *checker) has(args []ast.Expr, at finding.At, known Facts) typed {
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
	out := typed{typ: Type{Kind: Bool}, holds: Facts{n.path: true}, eval: func(env Env) Value { return OfBool(x(env).Kind != IsNone) }}
	if i := strings.LastIndexByte(n.path, '.'); i > 0 { // an attribute that is there has a pick that is there
		out.holds[n.path[:i]] = true
	}
	if !n.typ.Optional || known[n.path] {
		out.typ.Truth = True
	}
	return out
}

func (c *checker) orValue(call ast.CallExpr, at finding.At, known Facts) typed {
	if !call.IsMemberFunction() || len(call.Args()) != 1 {
		return c.fail("bad-expression", at, "orValue is written x.orValue(what to use where x is none).")
	}
	n, other := c.walk(call.Target(), known), c.walk(call.Args()[0], known)
	if n.eval == nil || other.eval == nil {
		return typed{}
	}
	other.typ = c.adapt(other.typ, n.typ, call.Args()[0])
	t, ok := unify(n.typ.Value(), other.typ)
	if !ok {
		return c.fail("type-mismatch", c.at(call.Args()[0]), "%s is %s; what to use in its place is %s.", n.path, n.typ, other.typ)
	}
	if !n.typ.Optional {
		t = n.typ
	}
	x, y := n.eval, other.eval
	return typed{typ: t, eval: func(env Env) Value {
		if v := x(env); v.Kind != IsNone {
			return v
		}
		return y(env)
	}}
}

// earned is player.earned('id'): whether that player has a milestone.
func (c *checker) earned(call ast.CallExpr, at finding.At) typed {
	arg := call.Args()[0]
	id := ""
	if arg.Kind() == ast.LiteralKind {
		id, _ = arg.AsLiteral().Value().(string)
	}
	_, parts := path(call.Target())
	entry, ref := c.entry(parts)
	if entry == nil || entry.Type.Kind != Player || id == "" {
		return c.fail("bad-expression", at, "earned is written player.earned('milestone').")
	}
	known := entry.Fields[MilestonesKey].Fields
	field := known[id]
	if field == nil {
		near := finding.Nearest(id, keys(known))
		c.report("unknown-name", c.at(arg), "There is no milestone called \"%s\".%s", id, didYouMean(near)).Nearest = near
		return typed{}
	}
	return c.value(field.Type, field.Ref.from(ref), strings.Join(parts, ".")+".earned('"+id+"')", at, nil)
}

// inside is inside('scene/area'): whether the rule's player is in an area.
func (c *checker) inside(arg ast.Expr, at finding.At) typed {
	return c.asked("inside", "area", "inside('scene/area')", "There is no player here who could be inside an area.", c.names.Areas, arg, at)
}

// holds is holds('sled'): whether the rule's player holds a movable.
func (c *checker) holds(arg ast.Expr, at finding.At) typed {
	return c.asked("holds", "movable", "holds('movable')", "There is no player here who could hold something.", c.names.Held, arg, at)
}

// asked is a function of the rule's player that takes the written name of something.
func (c *checker) asked(function, what, form, nobody string, known map[string]*Entry, arg ast.Expr, at finding.At) typed {
	id := ""
	if arg.Kind() == ast.LiteralKind {
		id, _ = arg.AsLiteral().Value().(string)
	}
	if known == nil {
		return c.fail("unknown-name", at, "%s", nobody)
	}
	entry := known[id]
	if entry == nil {
		near := finding.Nearest(id, keys(known))
		c.report("unknown-name", c.at(arg), "There is no %s called \"%s\"; it is written %s.%s", what, id, form, didYouMean(near)).Nearest = near
		return typed{}
	}
	return c.value(entry.Type, entry.Ref, function+"('"+id+"')", at, nil)
}

// MilestonesKey is where a player's entry has the milestones; no name can be written like that.
const MilestonesKey = "earned()"

// entry finds what a path of names stands for; nil where it is no record.
func (c *checker) entry(parts []string) (*Entry, Ref) {
	if len(parts) == 0 || c.names.Roots[parts[0]] == nil {
		return nil, Ref{}
	}
	e := c.names.Roots[parts[0]]
	ref := e.Ref
	for _, field := range parts[1:] {
		next := e.Fields[field]
		if next == nil {
			return nil, Ref{}
		}
		ref, e = next.Ref.from(ref), next
	}
	return e, ref
}

// count is count(present), the players in the session; the items of a list or a set; or of how many
// scenes or props a variable of a pair is true.
func (c *checker) count(e ast.Expr, at finding.At, known Facts) typed {
	whole := Type{Kind: Int, Range: Range{HasLo: true, Step: one}}
	if e.Kind() == ast.IdentKind && e.AsIdent() == "present" {
		ref := Ref{Who: Nobody, What: Present}
		c.program.Reads = append(c.program.Reads, Read{ref, "present", at})
		return typed{typ: whole, eval: func(env Env) Value { return env.Read(&ref) }}
	}
	n := c.walk(e, known)
	switch {
	case n.eval == nil || c.none(n, c.at(e)):
		return typed{}
	case n.typ.Kind == Copies && n.typ.Item.Kind == Bool:
		return typed{typ: Type{Kind: Int, Range: n.typ.Range}, eval: n.eval}
	case n.typ.Item != nil && n.typ.Kind != Copies:
		x := n.eval
		whole.Range.Hi, whole.Range.HasHi = n.typ.Range.Hi, true
		return typed{typ: whole, eval: func(env Env) Value { return OfInt(len(x(env).Items())) }}
	}
	return c.fail("type-mismatch", c.at(e), "count counts the players that are present, the items of a list or a set, or of how many scenes or props something is true; this is %s.", n.typ)
}

// ofItems is list.size() and list.contains(item).
func (c *checker) ofItems(name string, list typed, call ast.CallExpr, at finding.At, known Facts) typed {
	x := list.eval
	switch name {
	case "size":
		return c.count(call.Target(), at, known)
	case "contains":
		arg := call.Args()[0]
		item := c.walk(arg, known)
		if item.eval == nil || c.none(item, c.at(arg)) {
			return typed{}
		}
		item.typ = c.adapt(item.typ, *list.typ.Item, arg)
		if why, ok := Fits(item.typ, *list.typ.Item); !ok {
			return c.fail("type-mismatch", c.at(arg), "This can never be among the items: %s.", why)
		}
		y := item.eval
		return typed{typ: Type{Kind: Bool}, eval: func(env Env) Value {
			return OfBool(slices.Contains(x(env).Items(), y(env)))
		}}
	}
	return c.fail("bad-expression", at, "Lists and sets have size() and contains(item); they have no %s.", name)
}

// point is point(x, y): coordinates, one for each axis.
func (c *checker) point(args []ast.Expr, at finding.At, known Facts) typed {
	evals := make([]func(Env) Value, len(args))
	for i, a := range args {
		n, ok := c.number(a, known)
		if !ok {
			return typed{}
		}
		evals[i] = n.eval
	}
	if len(args) != len(c.names.Axes) {
		return c.fail("bad-expression", at, "A point has %d coordinates here (%s), not %d.", len(c.names.Axes), join(c.names.Axes), len(args))
	}
	return typed{typ: Type{Kind: Point, Names: c.names.Axes}, eval: func(env Env) Value {
		items := make([]Value, len(evals))
		for i, e := range evals {
			items[i] = e(env)
		}
		return OfItems(items)
	}}
}

// draw is draw(seed, index, from, to): a whole number that everybody draws alike.
func (c *checker) draw(args []ast.Expr, known Facts) typed {
	seed := c.walk(args[0], known)
	if seed.eval == nil {
		return typed{}
	}
	if seed.typ.Kind != Seed {
		return c.fail("type-mismatch", c.at(args[0]), "Numbers are drawn from a seed; this is %s.", seed.typ)
	}
	var n [3]typed
	for i := range n {
		var ok bool
		if n[i], ok = c.number(args[i+1], known); !ok {
			return typed{}
		}
		if !n[i].typ.Range.FitsStep(one) {
			return c.fail("type-mismatch", c.at(args[i+1]), "draw takes whole numbers; this may have a fraction.")
		}
	}
	r := Range{Lo: n[1].typ.Range.Lo, HasLo: n[1].typ.Range.HasLo, Hi: n[2].typ.Range.Hi, HasHi: n[2].typ.Range.HasHi, Step: one}
	s, index, from, to := seed.eval, n[0].eval, n[1].eval, n[2].eval
	return typed{typ: Type{Kind: Int, Range: r}, eval: func(env Env) Value {
		drawn, err := Draw(s(env).Num, index(env).Num, from(env).Num, to(env).Num)
		if err != nil {
			env.Fail(err)
		}
		return OfNum(drawn)
	}}
}

func upperFirst(s string) string { return strings.ToUpper(s[:1]) + s[1:] }
