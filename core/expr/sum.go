package expr

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/tree"
)

// Counted is a name in a sum, with the number that it is multiplied by.
type Counted struct {
	Name  string
	Times fixed.Num
	At    finding.At
}

// Sum reads an expression that is a sum of names, or of multiples of them: player.coins + 10 * game.notes.
func Sum(x plan.Expr) ([]Counted, finding.List) {
	root, found := parse(x)
	if root == nil {
		return nil, found
	}
	s := summing{x: x}
	s.add(root, fixed.FromInt(1))
	if s.wrong != nil {
		return nil, finding.List{*s.wrong}
	}
	return s.terms, nil
}

type summing struct {
	x     plan.Expr
	terms []Counted
	wrong *finding.Finding // the first thing that is not a sum
}

func (s *summing) add(n *tree.Node, times fixed.Num) {
	switch {
	case named(n):
		s.terms = append(s.terms, Counted{n.String(), times, s.at(n)})
	case n.Kind == tree.Call && n.Word == tree.Add:
		s.add(n.Args[0], times)
		s.add(n.Args[1], times)
	case n.Kind == tree.Call && n.Word == tree.Subtract:
		s.add(n.Args[0], times)
		s.add(n.Args[1], times.Neg())
	case n.Kind == tree.Call && n.Word == tree.Negate:
		s.add(n.Args[0], times.Neg())
	case n.Kind == tree.Call && n.Word == tree.Multiply:
		s.multiple(n, times)
	default:
		s.refuse(n)
	}
}

// multiple adds a product of which one side is a written number.
func (s *summing) multiple(n *tree.Node, times fixed.Num) {
	for i, side := range n.Args {
		if side.Kind != tree.Int && side.Kind != tree.Decimal {
			continue
		}
		by, err := fixed.Parse(side.Word)
		if err == nil {
			by, err = by.Mul(times)
		}
		if err != nil {
			s.refuse(side)
			return
		}
		s.add(n.Args[1-i], by)
		return
	}
	s.refuse(n)
}

func (s *summing) refuse(n *tree.Node) {
	if s.wrong == nil {
		f := finding.New("bad-expression", s.at(n),
			"A sum is variables, or written numbers times variables, joined by + and -: player.coins + 10 * game.notes.")
		s.wrong = &f
	}
}

// at is where a part begins.
func (s *summing) at(n *tree.Node) finding.At {
	for n.On != nil || n.Kind == tree.Call && len(n.Args) > 1 && tree.Operator(n.Word) {
		if n.On != nil {
			n = n.On
		} else {
			n = n.Args[0]
		}
	}
	return position(s.x, n.Line, n.Column)
}

// named says whether a part is a name, or names joined by dots.
func named(n *tree.Node) bool {
	return n.Kind == tree.Name || n.Kind == tree.Field && named(n.On)
}
