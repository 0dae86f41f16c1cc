package types

import "alluvion.dev/core/fixed"

// LiteralKind tells a written value's form.
type LiteralKind uint8

// The forms of a Literal.
const (
	LiteralText LiteralKind = iota
	LiteralNumber
	LiteralBool
	LiteralList
)

// Literal is a value as a plan writes it: which value of a type it is depends on what it is for.
type Literal struct {
	Kind   LiteralKind
	Text   string // as it is written, whatever its form
	Number fixed.Num
	Bool   bool
	Items  []Literal
}

// Looks is the value that a literal looks like, where it is not known what it is for.
func (l Literal) Looks() Value {
	switch l.Kind {
	case LiteralNumber:
		return OfNum(l.Number)
	case LiteralBool:
		return OfBool(l.Bool)
	case LiteralList:
		items := make([]Value, len(l.Items))
		for i, x := range l.Items {
			items[i] = x.Looks()
		}
		return OfItems(items)
	}
	return OfText(l.Text)
}
