package types

import (
	"slices"
	"strings"
)

// named is what the types have in common whose values are names out of a list.
type named struct{}

func (named) Traits() Traits              { return Traits{Named: true} }
func (named) Start(*Domain) (Value, bool) { return None, false }

func (named) Admit(d *Domain, v Value) error {
	t := &d.Type
	switch {
	case v.Kind != IsText:
		return misfit(OfType, "%s is wanted, not %s", t.Value(), v)
	case !slices.Contains(t.Names, v.Text):
		return misfit(OfOption, "there is no %s called %q; there is %s", t.Of, v.Text, strings.Join(t.Names, ", "))
	}
	return nil
}

func (named) Fit(d *Domain, v Value) (Value, error)       { return v, d.Admit(v) }
func (named) Nearest(_ *Domain, v Value) Value            { return v }
func (named) Stored(_ *Domain, v Value) Value             { return v }
func (named) Written(_ *Domain, l Literal) (Value, error) { return single(l) }
func (named) Typed(_ *Domain, s string) (Value, error)    { return OfText(s), nil }
func (named) Choices(d *Domain) []string                  { return slices.Clone(d.Type.Possible()) }

func (named) Code(d *Domain) *Code {
	c := &Code{Kind: "option", Options: d.Type.Names, Optional: d.Type.Optional}
	c.Bits = bitsFor(uint64(len(c.Options)), c.Optional)
	return c
}

func (named) Schema(d *Domain) map[string]any { return map[string]any{"enum": d.Type.Names} }

func (named) Edges(d *Domain, _ Dice) []Value {
	var out []Value
	for _, name := range d.Type.Names {
		out = append(out, OfText(name))
	}
	return out
}

func (named) Some(d *Domain, dice Dice) Value { return OfText(d.Type.Names[dice(len(d.Type.Names))]) }

// called is what people call a value of a list of names.
func called(t Type, otherwise string) string {
	if t.Of != "" {
		return "a " + t.Of
	}
	return otherwise
}
