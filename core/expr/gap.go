package expr

import (
	"math"

	"alluvion.dev/core/plan"
	"alluvion.dev/core/tree"
	"alluvion.dev/core/types"
)

// Gap says how far a condition is from holding, for who searches a way to make it hold: 0 where it holds. Of numbers it
// is how far apart they are, of several conditions that all have to hold the sum, of several of which one is enough the
// least. It is an estimate, and nothing else rests on it.
//
// The measure is the branch distance of search-based testing: B. Korel, Automated Software Test Data Generation, IEEE
// Transactions on Software Engineering 16 (8), 1990.
type Gap struct {
	leaf  *Program // a condition that only holds or not
	not   bool
	op    string
	sides [2]*Program // of a comparison of numbers
	parts []*Gap      // of && and ||
	count *Program    // of all(): of how many it is so
}

// Gap takes a condition apart.
func (p *Program) Gap() *Gap { return p.gap(p.tree, p.Known, false) }

func (p *Program) gap(e *tree.Node, known Facts, not bool) *Gap {
	if e != nil && e.Kind == tree.Call {
		switch e.Word {
		case tree.Not:
			return p.gap(e.Args[0], known, !not)
		case tree.And, tree.Or:
			left := p.part(e.Args[0], known)
			if left == nil {
				break
			}
			more := Facts{}
			for path := range known {
				more[path] = true
			}
			if e.Word == tree.And {
				for path := range left.Holds {
					more[path] = true
				}
			}
			if right := p.part(e.Args[1], more); right != nil {
				op := e.Word
				if not { // not (a and b) is not a, or not b
					op = map[string]string{tree.And: tree.Or, tree.Or: tree.And}[op]
				}
				return &Gap{op: op, parts: []*Gap{p.gap(e.Args[0], known, not), p.gap(e.Args[1], more, not)}}
			}
		case tree.Equal, tree.NotEqual, tree.Less, tree.LessEqual, tree.Greater, tree.GreaterEqual:
			a, b := p.part(e.Args[0], known), p.part(e.Args[1], known)
			if a != nil && b != nil && a.Type.Numeric() && b.Type.Numeric() && !a.Type.Optional && !b.Type.Optional {
				return &Gap{op: e.Word, sides: [2]*Program{a, b}, not: not}
			}
		}
	}
	out := &Gap{leaf: p.part(e, known), not: not}
	if e != nil && e.Kind == tree.Call && e.Word == "all" && !e.Member() && !not {
		count := *e
		count.Word = "count"
		out.count = p.part(&count, known)
	}
	return out
}

// part is a part of an expression by itself; nil where it cannot stand alone.
func (p *Program) part(e *tree.Node, known Facts) *Program {
	if e == nil {
		return nil
	}
	one, _ := compile(e, plan.Expr{Source: p.Source, At: p.At}, p.names, known, types.Type{})
	return one
}

// Of is how far the condition is from holding; ask gives the value of a part now, and false where it has none.
func (g *Gap) Of(ask func(*Program) (types.Value, bool)) float64 {
	switch {
	case len(g.parts) == 2:
		a, b := g.parts[0].Of(ask), g.parts[1].Of(ask)
		if g.op == tree.And {
			return a + b
		}
		return math.Min(a, b)
	case g.sides[0] != nil:
		a, ok := ask(g.sides[0])
		b, also := ask(g.sides[1])
		if !ok || !also {
			return 1
		}
		return apart(g.op, g.not, a.Num.Float()-b.Num.Float())
	case g.leaf == nil:
		return 1
	}
	if v, ok := ask(g.leaf); ok && v.Bool != g.not {
		return 0
	}
	if g.count != nil {
		if n, ok := ask(g.count); ok {
			return 1 / (1 + n.Num.Float())
		}
	}
	return 1
}

// apart is how far a comparison is from holding, of two numbers that differ by so much.
func apart(op string, not bool, by float64) float64 {
	const one = 1
	if not {
		op = map[string]string{tree.Equal: tree.NotEqual, tree.NotEqual: tree.Equal, tree.Less: tree.GreaterEqual,
			tree.GreaterEqual: tree.Less, tree.Greater: tree.LessEqual, tree.LessEqual: tree.Greater}[op]
	}
	holds := map[string]bool{tree.Equal: by == 0, tree.NotEqual: by != 0, tree.Less: by < 0, tree.LessEqual: by <= 0,
		tree.Greater: by > 0, tree.GreaterEqual: by >= 0}[op]
	switch {
	case holds:
		return 0
	case op == tree.NotEqual:
		return one
	}
	return math.Max(math.Abs(by), one)
}
