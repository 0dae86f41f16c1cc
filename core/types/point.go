package types

import (
	"math/bits"
	"slices"
	"strings"
)

// Point is the type of coordinates in the plan's space.
var Point = declared(70, point{})

type point struct{}

func (point) Name() string      { return "point" }
func (point) Words(Type) string { return "a point" }
func (point) Traits() Traits    { return Traits{} }

func (point) About() About {
	return About{
		Sentence: "Coordinates: one number for each axis of the plan's space, in its steps. One of them is read as `player.camp.x`.",
		Example:  "{of: player, type: point, start: [0, 0]}",
		Stands:   everywhere &^ (InItem | InCommons), Input: InputItems,
	}
}

func (point) Declare(from *Declared, d *Domain) {
	d.Type.Names = from.Axes
	d.Step, d.Max = from.Grid, mostStorable(from.Grid)
	d.Min = d.Max.Neg()
	d.Type.Range = Between(d.Min, d.Max, d.Step)
}

func (point) Start(*Domain) (Value, bool) { return None, false }

func (point) Admit(d *Domain, v Value) error {
	if v.Kind != IsList {
		return misfit(OfType, "a point is wanted, not %s", v)
	}
	items := v.Items()
	if len(items) != len(d.Type.Names) {
		return misfit(OfType, "a point has %d coordinates here (%s), not %d", len(d.Type.Names),
			strings.Join(d.Type.Names, ", "), len(items))
	}
	for _, n := range items {
		if err := (number{}).Admit(d, n); err != nil {
			return err
		}
	}
	return nil
}

func (point) Fit(d *Domain, v Value) (Value, error) {
	if v.Kind != IsList {
		return v, d.Admit(v)
	}
	items := v.Items()
	for i := range items {
		n, err := items[i].Num.RoundTo(d.Step)
		if err != nil {
			return v, err
		}
		items[i].Num = n
	}
	v = OfItems(items)
	return v, d.Admit(v)
}

func (p point) Nearest(d *Domain, v Value) Value {
	if v.Kind == IsList {
		if near, err := p.Fit(d, v); err == nil {
			return near
		}
	}
	return v
}

func (point) Stored(_ *Domain, v Value) Value { return v }

func (point) Written(d *Domain, l Literal) (Value, error) {
	if l.Kind != LiteralList {
		return plain(l)
	}
	return eachWritten(d.coordinate(), l.Items)
}

func (point) Typed(d *Domain, s string) (Value, error) { return eachTyped(d.coordinate(), s) }

func (point) Choices(*Domain) []string { return nil }

func (point) Code(d *Domain) *Code {
	axes := len(d.Type.Names)
	return &Code{Kind: "list", Optional: d.Type.Optional, Most: axes, Bits: bits.Len(uint(axes)),
		Item: numberCode(d.Min, d.Max, d.Step, false)}
}

func (point) Schema(d *Domain) map[string]any {
	axes := len(d.Type.Names)
	return map[string]any{"type": "array", "items": number{}.Schema(d), "minItems": axes, "maxItems": axes}
}

func (point) Limits(*Domain, Limits) string { return "" }

func (point) Narrowed(_, _ *Domain, _ map[string]string) []Narrowing { return nil }

func (p point) Edges(d *Domain, dice Dice) []Value { return []Value{p.Some(d, dice)} }

func (point) Some(d *Domain, dice Dice) Value {
	items := slices.Repeat([]Value{OfInt(0)}, len(d.Type.Names))
	for i := range items {
		items[i] = OfInt(dice(100))
	}
	return OfItems(items)
}

// coordinate is what the numbers of a point can be.
func (d *Domain) coordinate() *Domain {
	return &Domain{Type: Type{Kind: Decimal}, Min: d.Min, Max: d.Max, Step: d.Step}
}
