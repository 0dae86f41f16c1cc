package types

import (
	"fmt"
	"math/bits"
	"slices"

	"alluvion.dev/core/fixed"
)

// List is the type of items in their order.
var List = declared(80, list{})

type list struct{ items }

func (list) Name() string        { return "list" }
func (list) Words(t Type) string { return ofEach("a list", t) }

func (list) About() About {
	return About{
		Sentence: "Items in their order, the same one perhaps several times. `items` says what each is: a type's name, or a table.",
		Example:  "{of: player, type: list, items: text, max_items: 20}",
		Stands:   InVariable | InCommons, Limits: []string{"items",
			"max_items"}, Needs: []string{"items"}, Input: InputItems,
	}
}

// items is what lists and sets have in common.
type items struct{}

func ofEach(what string, t Type) string {
	if t.Item == nil {
		return what
	}
	return what + " of which each is " + t.Item.String()
}

func (items) Traits() Traits { return Traits{} }

func (items) Declare(from *Declared, d *Domain) {
	d.MaxItems = or(from.MaxItems, 100)
	d.Type.Range = Between(fixed.Num{}, fixed.FromInt(int64(d.MaxItems)), One)
	if d.Item = from.Item; d.Item == nil {
		d.Type.Item = &Type{}
		return
	}
	d.Type.Item = &d.Item.Type
}

func (items) Start(*Domain) (Value, bool) { return OfItems(nil), true }

func (items) Admit(d *Domain, v Value) error {
	if v.Kind != IsList {
		return misfit(OfType, "%s is wanted, not %s", d.Type.Value(), v)
	}
	all := v.Items()
	if len(all) > d.MaxItems {
		return misfit(OfRange, "it would have %d items, and at most %d are allowed", len(all), d.MaxItems)
	}
	for _, item := range all {
		if err := d.Item.Admit(item); err != nil {
			return err
		}
	}
	return nil
}

// Fit fits each item.
func (items) Fit(d *Domain, v Value) (Value, error) {
	all := v.Items()
	for i := range all {
		fit, err := d.Item.Fit(all[i])
		if err != nil {
			return v, err
		}
		all[i] = fit
	}
	if v.Kind == IsList {
		v = d.Type.Kind.Stored(d, OfItems(all))
	}
	return v, d.Admit(v)
}

func (items) Nearest(d *Domain, v Value) Value {
	if v.Kind != IsList {
		return v
	}
	all := v.Items()
	for i := range all {
		if near, ok := d.Item.Nearest(all[i]); ok {
			all[i] = near
		}
	}
	return OfItems(all[:min(len(all), d.MaxItems)])
}

func (items) Stored(_ *Domain, v Value) Value { return v }

func (items) Written(d *Domain, l Literal) (Value, error) {
	if l.Kind != LiteralList {
		return plain(l)
	}
	v, err := eachWritten(d.Item, l.Items)
	return d.Type.Kind.Stored(d, v), err
}

func (items) Typed(d *Domain, s string) (Value, error) {
	v, err := eachTyped(d.Item, s)
	return d.Type.Kind.Stored(d, v), err
}

func (items) Choices(*Domain) []string { return nil }

func (items) Code(d *Domain) *Code {
	return &Code{Kind: "list", Optional: d.Type.Optional, Most: d.MaxItems, Item: CodeOf(d.Item),
		Bits: bits.Len(uint(d.MaxItems))}
}

func (items) Schema(d *Domain) map[string]any {
	return map[string]any{"type": "array", "items": d.Item.Schema(), "maxItems": d.MaxItems, "uniqueItems": false}
}

func (items) Limits(d *Domain, _ Limits) string {
	what := d.Item.Type.Kind.Name()
	if d.Item.Type.Kind == Pick {
		what = d.Item.Type.Of
	}
	return fmt.Sprintf(" of %s, at most %d", what, d.MaxItems)
}

func (items) Narrowed(old, now *Domain, renamed map[string]string) []Narrowing {
	var out []Narrowing
	if now.MaxItems < old.MaxItems {
		out = append(out, Narrowing{Change: "limits", Loses: true, As: OfRange,
			Text: fmt.Sprintf("it takes %d items, not %d; what has more", now.MaxItems, old.MaxItems)})
	}
	if old.Item != nil && now.Item != nil {
		for _, n := range Narrowed(old.Item, now.Item, renamed) {
			n.Item = true
			out = append(out, n)
		}
	}
	return out
}

func (x items) Edges(d *Domain, dice Dice) []Value {
	out := []Value{OfItems(nil)}
	if full, err := d.Fit(x.many(d, d.MaxItems, dice)); err == nil {
		out = append(out, full)
	}
	return out
}

func (x items) Some(d *Domain, dice Dice) Value {
	if v, err := d.Fit(x.many(d, dice(d.MaxItems+1), dice)); err == nil {
		return v
	}
	return OfItems(nil)
}

// many is a list of so many items, at most 50: of names one after the other, so that a set has them all.
func (items) many(d *Domain, n int, dice Dice) Value {
	var all []Value
	for i := range min(n, 50) {
		if t := &d.Item.Type; t.Named() {
			all = append(all, OfText(t.Names[i%len(t.Names)]))
			continue
		}
		all = append(all, d.Item.Some(dice))
	}
	return OfItems(all)
}

func eachWritten(item *Domain, list []Literal) (Value, error) {
	all := make([]Value, len(list))
	for i, one := range list {
		v, err := item.FromLiteral(one)
		if err != nil {
			return v, err
		}
		all[i] = v
	}
	return OfItems(all), nil
}

func eachTyped(item *Domain, s string) (Value, error) {
	all := []Value{}
	for _, part := range itemsOf(s) {
		v, err := item.FromWords(part)
		if err != nil {
			return v, err
		}
		all = append(all, v)
	}
	return OfItems(all), nil
}

// sorted are the items of a list in their order, each once.
func sorted(v Value) []Value {
	all := v.Items()
	slices.SortFunc(all, compareValues)
	return slices.Compact(all)
}

func compareValues(a, b Value) int {
	switch {
	case a.Less(b):
		return -1
	case b.Less(a):
		return 1
	}
	return 0
}
