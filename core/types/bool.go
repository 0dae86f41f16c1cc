package types

import "slices"

// Bool is the type of what is so or not.
var Bool = declared(30, boolean{})

type boolean struct{}

func (boolean) Name() string      { return "bool" }
func (boolean) Words(Type) string { return "true or false" }
func (boolean) Traits() Traits    { return Traits{} }

func (boolean) About() About {
	return About{
		Sentence: "True or false.",
		Example:  "{of: scene, type: bool, start: false}",
		Stands:   everywhere, Input: InputChoice,
	}
}

func (boolean) Declare(*Declared, *Domain) {}

func (boolean) Start(*Domain) (Value, bool) { return None, false }

func (boolean) Admit(_ *Domain, v Value) error {
	if v.Kind != IsBool {
		return misfit(OfType, "true or false is wanted, not %s", v)
	}
	return nil
}

func (boolean) Fit(d *Domain, v Value) (Value, error)       { return v, d.Admit(v) }
func (boolean) Nearest(_ *Domain, v Value) Value            { return v }
func (boolean) Stored(_ *Domain, v Value) Value             { return v }
func (boolean) Written(_ *Domain, l Literal) (Value, error) { return plain(l) }

func (boolean) Typed(_ *Domain, s string) (Value, error) {
	if slices.Contains(boolean{}.Choices(nil), s) {
		return OfBool(s == "true"), nil
	}
	return OfText(s), nil
}

func (boolean) Choices(*Domain) []string { return []string{"false", "true"} }

func (boolean) Code(d *Domain) *Code { return &Code{Kind: "truth", Bits: 1, Optional: d.Type.Optional} }

func (boolean) Schema(*Domain) map[string]any { return map[string]any{"type": "boolean"} }

func (boolean) Limits(*Domain, Limits) string { return "" }

func (boolean) Narrowed(_, _ *Domain, _ map[string]string) []Narrowing { return nil }

func (boolean) Edges(*Domain, Dice) []Value { return []Value{OfBool(true), OfBool(false)} }

func (boolean) Some(_ *Domain, dice Dice) Value { return OfBool(dice(2) == 1) }
