package types

import (
	"slices"
	"strings"

	"alluvion/core/fixed"
)

// FromWords reads a value of the domain as people type it into a field: 12, true, oddny, none; of a list, a set or a
// point, the items with commas between, or empty. A text is what is typed; where it may be none, none is none.
func (d *Domain) FromWords(s string) (Value, error) {
	s = strings.TrimSpace(s)
	if s == "none" && d.Type.Optional {
		return None, nil
	}
	if d.Item != nil || d.Type.Kind == Point {
		return d.itemsFromWords(s)
	}
	v := OfText(s)
	switch {
	case d.Type.Numeric() || d.Type.Kind == Seed:
		if n, err := fixed.Parse(s); err == nil {
			v = OfNum(n)
		}
	case d.Type.Kind == Bool && (s == "true" || s == "false"):
		v = OfBool(s == "true")
	}
	return v, d.Admit(v)
}

// Choices are what a value can be, as people type it, where that is one of a few; otherwise there are none.
func (d *Domain) Choices() []string {
	var out []string
	switch {
	case d.Type.Kind == Bool:
		out = []string{"false", "true"}
	case d.Type.Named():
		out = slices.Clone(d.Type.Possible())
	default:
		return []string{}
	}
	if d.Type.Optional {
		out = append(out, "none")
	}
	return out
}

func (d *Domain) itemsFromWords(s string) (Value, error) {
	item := d.itemDomain()
	items := []Value{}
	if s == "empty" {
		s = ""
	}
	for part := range strings.SplitSeq(strings.Trim(s, "[]()"), ",") {
		if strings.TrimSpace(part) == "" {
			continue
		}
		v, err := item.FromWords(part)
		if err != nil {
			return v, err
		}
		items = append(items, v)
	}
	v := OfItems(items)
	if d.Type.Kind == Set {
		return d.fitItems(v)
	}
	return v, d.Admit(v)
}

// itemDomain is what the items of a list, a set or a point are; nil for anything else.
func (d *Domain) itemDomain() *Domain {
	if d.Type.Kind == Point {
		return &Domain{Type: Type{Kind: Decimal}, Min: d.Min, Max: d.Max, Step: d.Step}
	}
	return d.Item
}
