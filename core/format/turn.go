package format

import (
	"fmt"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/tree"
)

// turned is what stands in a file for which read gives a value: read turned round.
func (f *Format) turned(read plan.Expr, value *Node) (jsontext.Value, string) {
	num, err := fixed.Exact(value.Text)
	if value.Form != Number || err != nil {
		return nil, fmt.Sprintf("%s cannot be turned round for %s: give it a write", read.Source, value)
	}
	back, why := turn(expr.Tree(read.Source), num)
	if why != "" {
		return nil, fmt.Sprintf("%s cannot be turned round (%s): give it a write", read.Source, why)
	}
	return jsontext.Value(back.String()), ""
}

// Turns says whether an expression over old can be turned round.
func Turns(read plan.Expr) bool {
	_, why := turn(expr.Tree(read.Source), fixed.FromInt(0))
	return why == ""
}

// turn finds the old for which an expression is a number. It adds, subtracts, multiplies and divides by numbers only.
func turn(e *tree.Node, is fixed.Num) (fixed.Num, string) {
	const other = "it does not only add, subtract, multiply and divide by numbers"
	switch {
	case e == nil:
		return is, "it cannot be read"
	case e.Kind == tree.Name && e.Word == "old":
		return is, ""
	case e.Kind == tree.Call && e.Word == tree.Negate:
		return turn(e.Args[0], is.Neg())
	case e.Kind != tree.Call || len(e.Args) != 2 || e.On != nil:
		return is, other
	}
	left, isLeft := constant(e.Args[0])
	right, isRight := constant(e.Args[1])
	if isLeft == isRight {
		return is, other
	}
	var err error
	inner := e.Args[0]
	if isLeft {
		inner = e.Args[1]
	}
	switch {
	case e.Word == tree.Add && isLeft:
		is, err = is.Sub(left)
	case e.Word == tree.Add:
		is, err = is.Sub(right)
	case e.Word == tree.Subtract && isLeft:
		is, err = left.Sub(is)
	case e.Word == tree.Subtract:
		is, err = is.Add(right)
	case e.Word == tree.Multiply && isLeft:
		is, err = is.Div(left)
	case e.Word == tree.Multiply:
		is, err = is.Div(right)
	case e.Word == tree.Divide && isRight:
		is, err = is.Mul(right)
	default:
		return is, other
	}
	if err != nil {
		return is, err.Error()
	}
	return turn(inner, is)
}

func constant(e *tree.Node) (fixed.Num, bool) {
	if e.Kind == tree.Call && e.Word == tree.Negate {
		n, ok := constant(e.Args[0])
		return n.Neg(), ok
	}
	if e.Kind != tree.Int && e.Kind != tree.Decimal {
		return fixed.Num{}, false
	}
	n, err := fixed.Read(e.Word)
	return n, err == nil
}
