// Package expr is the expressions of a plan: written in CEL (the open Common Expression Language),
// typed against the plan's names, and compiled to functions over the engine's state.
//
// CEL's own library reads the text. The types are judged here and not by CEL, for three reasons:
// has(x) has to narrow an optional to its value in what follows it; whole and decimal numbers mix,
// exactly; and every expression carries the range of values that it can have, so that a condition
// that never holds, or a value that never fits, is found by proof. The source of what is checked is
// the source of what runs: one walk over the tree gives type, range and function.
package expr

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/tree"
	"alluvion.dev/core/types"
)

// Limits on one expression.
const (
	maxLength = 2000 // characters
	maxNested = 40
)

// Program is a checked and compiled expression.
type Program struct {
	Type     types.Type
	Reads    []Read
	Equals   []Equality
	Holds    Facts // what is not none where this (a condition) holds
	Known    Facts // what was known not to be none where it stands
	Size     int   // how much is done to evaluate it, about: its parts, and what its texts cost besides; what it reads is not counted
	Target   Ref   // of a name: what it stands for
	Loose    bool  // of a name: whether it may be of nobody, since what leads to it may be none
	Name     bool  // whether it is a name and nothing more, so that it can be assigned to
	Source   string
	At       finding.At
	evaluate func(Env) types.Value
	number   func(Env) fixed.Num
	holds    func(Env) bool // of a condition
	names    Names
	want     types.Type
	tree     *tree.Node
}

// Under is the type that the expression has where more is known than its names say: narrow tells more
// of a name's value. Where it cannot be told, the type is as it was.
func (p *Program) Under(narrow func(Ref, types.Type) types.Type) types.Type {
	names := p.names
	names.Narrow = narrow
	again, _ := compile(p.tree, plan.Expr{Source: p.Source, At: p.At}, names, p.Known, p.want)
	if again == nil {
		return p.Type
	}
	return again.Type
}

// Read is one name that an expression reads.
type Read struct {
	Ref  Ref
	Path string
	At   finding.At
}

// Equality is a comparison of a name's number with a constant by == or !=.
type Equality struct {
	Read Read
	To   types.Value
}

// Facts are the paths that are known not to be none.
type Facts map[string]bool

// Eval gives the expression's value.
func (p *Program) Eval(env Env) types.Value { return p.evaluate(env) }

// Number evaluates an expression of a number that is not optional.
func (p *Program) Number(env Env) fixed.Num { return p.number(env) }

// True evaluates a condition.
func (p *Program) True(env Env) bool { return p.holds(env) }

// ReadsAny says whether the expression reads something for which yes holds.
func (p *Program) ReadsAny(yes func(Ref) bool) bool {
	return slices.ContainsFunc(p.Reads, func(r Read) bool { return yes(r.Ref) })
}

// Compile reads, checks and compiles an expression. Where the findings hold an error there is no
// program.
func Compile(x plan.Expr, names Names, known Facts) (*Program, finding.List) {
	return CompileFor(x, names, known, types.Type{})
}

// CompileFor is Compile for a value of a wanted type. Where that is a choice or a pick, a written text is
// one of its names, and so is a bare word.
func CompileFor(x plan.Expr, names Names, known Facts, want types.Type) (*Program, finding.List) {
	root, found := parse(x)
	if root == nil {
		return nil, found
	}
	return compile(root, x, names, known, want)
}

// compile checks and compiles an expression that was read.
func compile(root *tree.Node, x plan.Expr, names Names, known Facts, want types.Type) (*Program, finding.List) {
	c := &checker{names: names, source: x, hand: names.Hand,
		program: &Program{Source: x.Source, At: x.At, Known: maps.Clone(known), names: names, want: want, tree: root}}
	n := c.wanted(root, known, want)
	if c.found.Errors() || n.eval == nil {
		return nil, c.found
	}
	c.program.Type, c.program.evaluate, c.program.number, c.program.holds, c.program.Holds = n.typ, n.eval, n.number(),
		n.cond(), n.holds
	if c.program.Name = n.read != nil; c.program.Name {
		c.program.Target, c.program.Loose = n.read.Ref, n.loose
	}
	return c.program, c.found
}

// wanted walks the whole expression, or one side of a choice. A bare word is a name of the wanted list,
// unless it is known as something else.
func (c *checker) wanted(e *tree.Node, known Facts, want types.Type) typed {
	if e.Kind == tree.Call && e.Word == tree.Choose && want.Named() {
		return c.conditional(e.Args, known, want)
	}
	if e.Kind == tree.Name && want.Named() && c.names.Roots[e.Word] == nil {
		word := e.Word
		return constant(types.OfText(word), c.listed(word, want, c.at(e)))
	}
	if e.Kind == tree.Name && want.Kind == types.Text && c.names.Roots[e.Word] == nil &&
		c.names.Missing[e.Word] == "" {
		return c.fail("unknown-name", c.at(e), "Nothing is called \"%s\" here; a text is written in quotes: '%s'.",
			e.Word, e.Word)
	}
	n := c.walk(e, maps.Clone(known))
	if n.eval != nil {
		n.typ = c.adapt(n.typ, want, e)
	}
	return n
}

// position turns a line and column of the expression into one of the plan.
func position(x plan.Expr, line, column int) finding.At {
	at := x.At
	if line <= 1 {
		at.Column += max(column, 0)
		return at
	}
	at.Line += line - 1
	at.Column = max(column, 0) + 1
	return at
}

// checker walks one expression.
type checker struct {
	names   Names
	source  plan.Expr
	program *Program
	found   finding.List
	hand    []string       // the lists of which an option is at hand
	overs   []string       // those over whose options a function goes, where this stands
	fixed   map[string]int // which option is at hand, while the range of a sum is found
}

// typed is a walked part of an expression: its type, its function, and what is known not to be none
// where it holds or where it does not.
//
// A number or a condition may have a function of its own besides eval, which saves making a Value of it.
type typed struct {
	typ   types.Type
	eval  func(Env) types.Value
	num   func(Env) fixed.Num
	yes   func(Env) bool
	is    *fixed.Num // of a number that is written in the expression
	holds Facts
	fails Facts
	path  string // where it is a name
	loose bool   // where it is a name: what leads to it may be none
	read  *Read
}

// number is the part as a number.
func (t typed) number() func(Env) fixed.Num {
	if t.num != nil {
		return t.num
	}
	eval := t.eval
	return func(env Env) fixed.Num { return eval(env).Num }
}

// cond is the part as a condition.
func (t typed) cond() func(Env) bool {
	if t.yes != nil {
		return t.yes
	}
	eval := t.eval
	return func(env Env) bool { return eval(env).Bool }
}

// asNumber and asCondition make parts of their functions.
func asNumber(t types.Type, num func(Env) fixed.Num) typed {
	return typed{typ: t, num: num, eval: func(env Env) types.Value { return types.OfNum(num(env)) }}
}

func asCondition(t types.Type, yes func(Env) bool) typed {
	return typed{typ: t, yes: yes, eval: func(env Env) types.Value { return types.OfBool(yes(env)) }}
}

// at is where a part begins; a.b.c begins at a.
func (c *checker) at(e *tree.Node) finding.At {
	for e.Kind == tree.Field {
		e = e.On
	}
	return position(c.source, e.Line, e.Column)
}

func (c *checker) report(id string, at finding.At, format string, args ...any) *finding.Finding {
	c.found = append(c.found, finding.New(id, at, fmt.Sprintf(format, args...)))
	return &c.found[len(c.found)-1]
}

// fail reports an error and gives the part that stands for it: further errors about it are not reported.
func (c *checker) fail(id string, at finding.At, format string, args ...any) typed {
	c.report(id, at, format, args...)
	return typed{}
}

func sortedKeys[K cmp.Ordered, V any](m map[K]V) []K {
	return slices.Sorted(maps.Keys(m))
}
