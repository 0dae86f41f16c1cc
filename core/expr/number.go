package expr

import (
	"errors"
	"strings"
	"unicode/utf8"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/tree"
	"alluvion.dev/core/types"
)

// numeral gives a number out of the state.
type numeral = func(Env) fixed.Num

// operation is a function of numbers: how many it takes (0: one or more), what is known of its
// result, and how it is made.
type operation struct {
	takes   int
	kind    func(kinds []types.Kind) types.Kind
	known   func(in []types.Range) types.Range
	compile func(in []numeral) numeral
}

var numeric map[string]operation

func init() {
	numeric = map[string]operation{
		tree.Subtract: {2, widest, func(r []types.Range) types.Range { return sum(r[0], negated(r[1])) },
			binary(fixed.Num.Sub)},
		tree.Multiply: {2, widest, func(r []types.Range) types.Range { return product(r[0], r[1]) },
			binary(fixed.Num.Mul)},
		tree.Divide: {2, always(types.Decimal), func(r []types.Range) types.Range {
			return quotient(r[0], r[1])
		}, binary(fixed.Num.Div)},
		tree.Modulo: {2, widest, remainder, binary(fixed.Num.Mod)},
		tree.Negate: {1, widest, func(r []types.Range) types.Range { return negated(r[0]) },
			unary(fixed.Num.Neg)},
		"div": {2, always(types.Int), func(r []types.Range) types.Range {
			return cut(quotient(r[0], r[1]), toZero)
		}, binary(fixed.Num.DivWhole)},
		"mod": {2, widest, remainder, binary(fixed.Num.Mod)},
		"abs": {1, widest, absolute, unary(fixed.Num.Abs)},
		"floor": {1, always(types.Int), func(r []types.Range) types.Range {
			return cut(r[0], fixed.Num.Floor)
		}, unary(fixed.Num.Floor)},
		"ceil": {1, always(types.Int), func(r []types.Range) types.Range {
			return cut(r[0], fixed.Num.Ceil)
		}, unary(fixed.Num.Ceil)},
		"round": {1, always(types.Int), func(r []types.Range) types.Range { return cut(r[0], nearestWhole) },
			unary(nearestWhole)},
		"min": {0, widest, smallest, fold(fixed.Min)},
		"max": {0, widest, largest, fold(fixed.Max)},
		"clamp": {3, widest, func(r []types.Range) types.Range {
			return smallest([]types.Range{largest(r[:2]), r[2]})
		}, clamped},
	}
}

// plus and minus are what binary makes of Add and Sub, without asking which function it is, and without asking for a
// number that is written there: sums are everywhere.
func plus(a, b typed) numeral {
	if a.is != nil {
		a, b = b, a
	}
	x, y := a.number(), b.number()
	if b.is != nil {
		by := *b.is
		return func(env Env) fixed.Num { return sumOrFail(env, x(env), by) }
	}
	return func(env Env) fixed.Num { return sumOrFail(env, x(env), y(env)) }
}

func minus(a, b typed) numeral {
	x, y := a.number(), b.number()
	if a.is != nil {
		from := *a.is
		return func(env Env) fixed.Num { return sumOrFail(env, from, y(env).Neg()) }
	}
	return func(env Env) fixed.Num { return sumOrFail(env, x(env), y(env).Neg()) }
}

func sumOrFail(env Env, a, b fixed.Num) fixed.Num {
	n, err := a.Add(b)
	if err != nil {
		env.Fail(err)
	}
	return n
}

func differenceOrFail(env Env, a, b fixed.Num) fixed.Num {
	n, err := a.Sub(b)
	if err != nil {
		env.Fail(err)
	}
	return n
}

// binary, unary and fold turn functions of numbers into functions of the state.
func binary(f func(a, b fixed.Num) (fixed.Num, error)) func([]numeral) numeral {
	return func(in []numeral) numeral {
		x, y := in[0], in[1]
		return func(env Env) fixed.Num {
			n, err := f(x(env), y(env))
			if err != nil {
				env.Fail(err)
			}
			return n
		}
	}
}

func unary(f func(fixed.Num) fixed.Num) func([]numeral) numeral {
	return func(in []numeral) numeral {
		x := in[0]
		return func(env Env) fixed.Num { return f(x(env)) }
	}
}

func fold(f func(a, b fixed.Num) fixed.Num) func([]numeral) numeral {
	return func(in []numeral) numeral {
		return func(env Env) fixed.Num {
			out := in[0](env)
			for _, x := range in[1:] {
				out = f(out, x(env))
			}
			return out
		}
	}
}

func clamped(in []numeral) numeral {
	x, lo, hi := in[0], in[1], in[2]
	return func(env Env) fixed.Num { return fixed.Min(fixed.Max(x(env), lo(env)), hi(env)) }
}

func always(k types.Kind) func([]types.Kind) types.Kind {
	return func([]types.Kind) types.Kind { return k }
}

func widest(kinds []types.Kind) types.Kind {
	for _, k := range kinds {
		if k == types.Decimal {
			return types.Decimal
		}
	}
	return types.Int
}

// number walks a part that has to be a number.
func (c *checker) number(e *tree.Node, known Facts) (typed, bool) {
	n := c.walk(e, known)
	if n.eval == nil || c.none(n, c.at(e)) {
		return n, false
	}
	if !n.typ.Numeric() {
		c.report("type-mismatch", c.at(e), "A number is wanted here; this is %s.", n.typ)
		return n, false
	}
	return n, true
}

func (c *checker) numeric(name string, op operation, args []*tree.Node, at finding.At, known Facts) typed {
	if op.takes == 0 && len(args) == 0 || op.takes != 0 && op.takes != len(args) {
		return c.fail("bad-expression", at, "%s takes %s.", strings.Trim(name, "_"),
			[...]string{"one number or more", "one number", "two numbers", "three numbers"}[op.takes])
	}
	kinds, ranges, parts, evals := make([]types.Kind, len(args)), make([]types.Range, len(args)),
		make([]typed, len(args)), make([]numeral, len(args))
	ok := true
	for i, a := range args {
		n, good := c.number(a, known)
		ok = ok && good
		kinds[i], ranges[i], parts[i] = n.typ.Kind, n.typ.Range, n
		if good {
			evals[i] = n.number()
		}
	}
	if !ok {
		return typed{}
	}
	if (name == tree.Divide || name == "div" || name == "mod" || name == tree.Modulo) && ranges[1].IsZero() {
		return c.fail("bad-expression", c.at(args[1]), "This divides by zero.")
	}
	t := types.Type{Kind: op.kind(kinds), Range: op.known(ranges)}
	if name == tree.Subtract {
		return asNumber(t, minus(parts[0], parts[1]))
	}
	return asNumber(t, op.compile(evals))
}

// add is + of numbers, or of texts.
func (c *checker) add(args []*tree.Node, known Facts) typed {
	a, b := c.walk(args[0], known), c.walk(args[1], known)
	if a.eval == nil || b.eval == nil || c.none(a, c.at(args[0])) || c.none(b, c.at(args[1])) {
		return typed{}
	}
	x, y := a.eval, b.eval
	switch {
	case a.typ.Numeric() && b.typ.Numeric():
		kind := widest([]types.Kind{a.typ.Kind, b.typ.Kind})
		return asNumber(types.Type{Kind: kind, Range: sum(a.typ.Range, b.typ.Range)}, plus(a, b))
	case a.typ.Kind == types.Text && b.typ.Kind == types.Text:
		c.program.Size += textSize
		return typed{typ: types.Type{Kind: types.Text}, eval: func(env Env) types.Value {
			a, b := x(env).Text, y(env).Text
			if len(a)+len(b) > maxText {
				env.Fail(errLongText)
				return types.OfText("")
			}
			return types.OfText(a + b)
		}}
	}
	return c.fail("type-mismatch", c.at(args[1]), "%s and %s cannot be added.", finding.Upper(a.typ.String()), b.typ)
}

// maxText is how many bytes a text may grow to in an expression: far more than any variable holds, far less than harms.
const maxText = 64 << 10

// textSize is what adding two texts counts in a program's size.
const textSize = 64

var errLongText = errors.New("a text grows beyond 64 KB")

// textual are the functions of a text, written text.size().
var textual = map[string]func(c *checker, on typed, args []typed) typed{
	"size": func(c *checker, on typed, _ []typed) typed {
		x := on.eval
		return typed{typ: types.Type{Kind: types.Int, Range: types.Range{HasLo: true, Step: types.One}},
			eval: func(env Env) types.Value { return types.OfInt(utf8.RuneCountInString(x(env).Text)) }}
	},
	"contains":   within(strings.Contains),
	"startsWith": within(strings.HasPrefix),
	"endsWith":   within(strings.HasSuffix),
}

func within(f func(s, part string) bool) func(*checker, typed, []typed) typed {
	return func(c *checker, on typed, args []typed) typed {
		x, y := on.eval, args[0].eval
		return typed{typ: types.Type{Kind: types.Bool}, eval: func(env Env) types.Value {
			return types.OfBool(f(x(env).Text, y(env).Text))
		}}
	}
}

func (c *checker) textual(name string, fn func(*checker, typed, []typed) typed, call *tree.Node, at finding.At,
	known Facts) typed {
	takes := 1
	if name == "size" {
		takes = 0
	}
	if len(call.Args) != takes {
		return c.fail("bad-expression", at, "%s is written text.%s(%s).", name, name, strings.Repeat("part", takes))
	}
	all := append([]*tree.Node{call.On}, call.Args...)
	parts := make([]typed, len(all))
	for i, e := range all {
		parts[i] = c.walk(e, known)
		if parts[i].eval == nil || c.none(parts[i], c.at(e)) {
			return typed{}
		}
		if i == 0 && parts[i].typ.Item != nil {
			return c.ofItems(name, parts[0], call, at, known)
		}
		if parts[i].typ.Kind != types.Text {
			return c.fail("type-mismatch", c.at(e), "A text is wanted here; this is %s.", parts[i].typ)
		}
	}
	return fn(c, parts[0], parts[1:])
}
