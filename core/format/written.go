package format

import (
	"strings"
	"time"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// looks is a word of a map as it stands in a file: a number where the file has numbers, and it looks like one.
func (f *Format) looks(word string, there *Node) *Node {
	if f.texts() || there != nil && there.Form == Text {
		return &Node{Form: Text, Text: word}
	}
	switch num, err := fixed.Parse(word); {
	case word == "null":
		return &Node{Form: Null}
	case word == "true" || word == "false":
		return &Node{Form: Bool, Text: word}
	case err == nil && num.String() == word:
		return &Node{Form: Number, Text: word}
	}
	return &Node{Form: Text, Text: word}
}

// written is a value of a save as it stands in a file; nil where it is not there. There is what stood there, or nil.
func (f *Format) written(h *plan.Held, d *types.Domain, value, there *Node) (*Node, string) {
	for i := range h.Map {
		if m := &h.Map[i]; same(f.meant(d, &m.Plan), value, d) {
			return f.looks(m.File.Value, there), ""
		}
	}
	switch {
	case value.Form == Null:
		if f.absent(h) {
			return nil, ""
		}
		if h.None.Value == "empty" || f.texts() {
			return &Node{Form: Text}, ""
		}
		return &Node{Form: Null}, ""
	case len(h.Map) > 0 && (d == nil || value.Form == Text):
		return nil, value.String() + " is not in the map: nothing says how it is written"
	case h.Write.Given():
		text, why := f.calculated(h.Write, "value", nil, valueOf(value))
		if why != "" {
			return nil, why
		}
		return f.asFile(text, there), ""
	case h.Read.Given():
		text, why := f.turned(h.Read, value)
		if why != "" {
			return nil, why
		}
		return f.asFile(text, there), ""
	case h.As.Given:
		return asWritten(h.As.Value, value, there)
	case h.Split.Given:
		var items []string
		for _, i := range value.Items {
			items = append(items, i.Text)
		}
		return &Node{Form: Text, Text: strings.Join(items, h.Split.Value)}, ""
	}
	return f.asFile(valueOf(value), there), ""
}

// asFile is JSON as it stands in a file.
func (f *Format) asFile(text jsontext.Value, there *Node) *Node {
	n, err := jsonTongue{}.read(text)
	if err != nil {
		return &Node{Form: Null}
	}
	plain(n)
	switch {
	case n.Form == Number && there != nil:
		n.Text = withPlaces(n.Text, there.Text)
		n.Float = there.Float
	}
	if f.texts() {
		asTexts(n)
	}
	return n
}

// plain forgets where a node stood: it is part of another file.
func plain(n *Node) {
	n.Spot = Spot{}
	for _, c := range children(n) {
		plain(c.value)
	}
}

func asTexts(n *Node) {
	switch n.Form {
	case Bool, Number, Null:
		n.Form = Text
	}
	for _, c := range children(n) {
		asTexts(c.value)
	}
}

// withPlaces writes a number with as many decimal places as another has, or more where it needs them.
func withPlaces(number, like string) string {
	_, places, has := strings.Cut(like, ".")
	if !has || strings.ContainsAny(like, "eE") {
		return number
	}
	_, own, dot := strings.Cut(number, ".")
	if missing := len(places) - len(own); missing > 0 {
		if !dot {
			number += "."
		}
		number += strings.Repeat("0", missing)
	}
	return number
}

func asWritten(way string, value, there *Node) (*Node, string) {
	num, err := fixed.Exact(value.Text)
	if value.Form != Number || err != nil {
		return nil, value.String() + " is no number"
	}
	like := ""
	if there != nil {
		like = there.Text
	}
	switch way {
	case "date":
		nano, ok := num.Sub(num.Floor())
		if whole, fits := num.Floor().Int(); fits && ok == nil {
			part, _ := nano.Nano()
			return &Node{Form: Text, Text: time.Unix(whole, part).UTC().Format(time.RFC3339Nano)}, ""
		}
		return nil, value.Text + " is no time"
	case "millis":
		if num, err = num.Mul(fixed.FromInt(1000)); err != nil {
			return nil, value.Text + " is too large"
		}
	}
	form := Number
	if way == "number" || there != nil && there.Form == Text {
		form = Text
	}
	return &Node{Form: form, Text: withPlaces(num.String(), like)}, ""
}
