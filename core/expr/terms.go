package expr

import (
	"cmp"
	"slices"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/tree"
)

// Term is one summand of an expression, as it is written there.
type Term struct {
	Minus  bool
	Source string // without its sign
}

// Terms takes a sum apart: what is added up and subtracted in it, in a fixed order. An expression that is no sum is
// one term. x + a and a + x have the same terms.
func (p *Program) Terms() []Term {
	if p.tree == nil {
		return nil
	}
	out := p.terms(p.tree, false, nil)
	slices.SortFunc(out, func(a, b Term) int {
		return cmp.Or(cmp.Compare(a.Source, b.Source), compareBools(a.Minus, b.Minus))
	})
	return out
}

func compareBools(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}

func (p *Program) terms(e *tree.Node, minus bool, out []Term) []Term {
	if e.Kind == tree.Call {
		args := e.Args
		switch e.Word {
		case tree.Add:
			return p.terms(args[1], minus, p.terms(args[0], minus, out))
		case tree.Subtract:
			return p.terms(args[1], !minus, p.terms(args[0], minus, out))
		case tree.Negate:
			return p.terms(args[0], !minus, out)
		}
	}
	text := e.String()
	if rest, negative := strings.CutPrefix(text, "-"); negative && e.Written() {
		text, minus = rest, !minus
	}
	return append(out, Term{minus, text})
}

// Numbers are the numbers that are written in an expression.
func (p *Program) Numbers() []fixed.Num {
	var out []fixed.Num
	var visit func(e *tree.Node)
	visit = func(e *tree.Node) {
		if e == nil {
			return
		}
		if n, err := fixed.Parse(e.Word); err == nil && (e.Kind == tree.Int || e.Kind == tree.Decimal) {
			out = append(out, n)
		}
		visit(e.On)
		for _, arg := range e.Args {
			visit(arg)
		}
	}
	visit(p.tree)
	return out
}

// MayFail says whether an expression divides, which it cannot where the divisor is 0.
func (p *Program) MayFail() bool { return divides(p.tree) }

func divides(e *tree.Node) bool {
	if e == nil {
		return false
	}
	if e.Kind == tree.Call && slices.Contains([]string{tree.Divide, tree.Modulo, "div", "mod"}, e.Word) {
		return true
	}
	return divides(e.On) || slices.ContainsFunc(e.Args, divides)
}

// OnlyAgainst says whether a name is read in an expression for nothing but to be compared with written numbers, and
// gives these.
func (p *Program) OnlyAgainst(name string) (numbers []fixed.Num, only bool) {
	only = true
	var visit func(e *tree.Node)
	visit = func(e *tree.Node) {
		if e == nil {
			return
		}
		if _, parts := path(e); parts != nil && strings.Join(parts, ".") == name {
			only = false
			return
		}
		if n, ok := against(e, name); ok {
			numbers = append(numbers, n)
			return
		}
		visit(e.On)
		for _, arg := range e.Args {
			visit(arg)
		}
	}
	visit(p.tree)
	return numbers, only
}

// against is the number that a comparison compares a name with.
func against(e *tree.Node, name string) (fixed.Num, bool) {
	compares := []string{tree.Equal, tree.NotEqual, tree.Less, tree.LessEqual, tree.Greater, tree.GreaterEqual}
	if e.Kind != tree.Call || len(e.Args) != 2 || !slices.Contains(compares, e.Word) {
		return fixed.Num{}, false
	}
	for i, arg := range e.Args {
		other := e.Args[1-i]
		if _, parts := path(arg); parts == nil || strings.Join(parts, ".") != name || !other.Written() {
			continue
		}
		if n, err := fixed.Parse(other.Word); err == nil {
			return n, true
		}
	}
	return fixed.Num{}, false
}

// Increment is what an expression adds to a name's own value: x + a - b adds a - b to x. False where it is no sum in
// which x stands once, unchanged.
func (p *Program) Increment(x string) ([]Term, bool) {
	all := p.Terms()
	i := slices.IndexFunc(all, func(t Term) bool { return t.Source == x && !t.Minus })
	if i < 0 {
		return nil, false
	}
	rest := slices.Delete(all, i, i+1)
	return rest, !slices.ContainsFunc(rest, func(t Term) bool { return finding.Mentions(t.Source, x, ".") })
}

// AtLeast says whether an expression is max(…) of which one part is the name itself, so that it is never below it;
// AtMost is the same of min(…).
func (p *Program) AtLeast(x string) bool { return p.oneOfThem("max", x) }

// AtMost says whether an expression is min(…) of which one part is the name itself.
func (p *Program) AtMost(x string) bool { return p.oneOfThem("min", x) }

func (p *Program) oneOfThem(function, x string) bool {
	e := p.tree
	if e == nil || e.Kind != tree.Call || e.Word != function || e.Member() {
		return false
	}
	return slices.ContainsFunc(e.Args, func(arg *tree.Node) bool {
		_, parts := path(arg)
		return parts != nil && strings.Join(parts, ".") == x
	})
}
