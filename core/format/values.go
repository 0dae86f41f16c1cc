package format

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// What scalar says is wrong, where that is more than that something is of another type.
const (
	notMapped = "not mapped"
	tooLarge  = "too large"
)

// scalar is what stands in a file as a value of a save, as JSON; or why it is none.
func (o *opening) scalar(h *plan.Held, d *types.Domain, n *Node) (jsontext.Value, string) {
	for i := range h.Map {
		if m := &h.Map[i]; n.Form != List && n.Form != Table && m.File.Value == plainly(n) {
			return o.f.meant(d, &m.Plan), ""
		}
	}
	switch {
	case len(h.Map) > 0 && n.Form != Null && (d == nil || !d.Type.Numeric()) && (n.Form != Text || n.Text != ""):
		return nil, notMapped
	case n.Form == Number && d != nil && d.Type.Numeric() && !h.Read.Given() && !isNumber(n.Text):
		return nil, tooLarge
	case d == aName && (n.Form == Number || n.Form == Bool):
		quoted, _ := jsontext.AppendQuote(nil, n.Text)
		return quoted, ""
	case n.Form == Null, n.Form == Text && n.Text == "" && (h.None.Value == "empty" || o.f.texts() && nothing(h, d)):
		return jsontext.Value("null"), ""
	case h.Read.Given():
		return o.f.calculated(h.Read, "old", d, o.f.plain(n, nil))
	case h.As.Given:
		return as(h.As.Value, d, n)
	case h.Split.Given && n.Form == Text:
		list := &Node{Form: List, Spot: n.Spot}
		if n.Text != "" {
			for _, item := range strings.Split(n.Text, h.Split.Value) {
				list.Items = append(list.Items, &Node{Form: Text, Text: strings.TrimSpace(item)})
			}
		}
		return o.f.items(list, d, true), ""
	}
	return o.f.json(n, d), ""
}

// nothing says whether an empty text stands for none, where everything is a text: of what may be none, and of numbers.
// Of a text that is not there where it is none, it is a text.
func nothing(h *plan.Held, d *types.Domain) bool {
	if h.None.Value == "missing" && d != nil && d.Type.Kind == types.Text {
		return false
	}
	return d == nil || d.Type.Optional || d.Type.Numeric()
}

// plainly is what stands in a file, as a map names it.
func plainly(n *Node) string {
	if n.Form == Null {
		return "null"
	}
	if n.Form == Number {
		if num, err := fixed.Exact(n.Text); err == nil {
			return num.String()
		}
	}
	return strings.TrimSpace(n.Text)
}

// meant is a value that a plan writes in a map.
func (f *Format) meant(d *types.Domain, l *plan.Literal) jsontext.Value {
	if d != nil {
		if v, err := d.FromLiteral(l.Literal); err == nil {
			raw, _ := v.MarshalJSON()
			return raw
		}
	}
	switch l.Kind {
	case types.LiteralBool:
		return jsontext.Value(strconv.FormatBool(l.Bool))
	case types.LiteralNumber:
		return jsontext.Value(l.Number.String())
	}
	raw, _ := jsontext.AppendQuote(nil, l.Text)
	return raw
}

// json is a node as JSON.
func (f *Format) json(n *Node, d *types.Domain) jsontext.Value {
	switch n.Form {
	case Null:
		return jsontext.Value("null")
	case Bool:
		return jsontext.Value(n.Text)
	case Table:
		return jsontext.Value("{}")
	case List:
		return f.items(n, d, f.texts())
	}
	return f.plain(n, d)
}

func (f *Format) items(n *Node, d *types.Domain, texts bool) jsontext.Value {
	var item *types.Domain
	if d != nil {
		item = d.Item
	}
	out := []byte{'['}
	for i, one := range n.Items {
		if i > 0 {
			out = append(out, ',')
		}
		if texts && one.Form == Text {
			out = append(out, typed(one.Text, item)...)
			continue
		}
		out = append(out, f.json(one, item)...)
	}
	return append(out, ']')
}

// plain is a number or a text as JSON.
func (f *Format) plain(n *Node, d *types.Domain) jsontext.Value {
	switch {
	case n.Form == Number:
		return jsontext.Value(number9(n, d))
	case n.Form == Bool:
		return jsontext.Value(n.Text)
	case f.texts() && n.Form == Text:
		return typed(n.Text, d)
	}
	raw, _ := jsontext.AppendQuote(nil, n.Text)
	return raw
}

// typed reads a text where everything is a text: as what the variable is; where nobody knows what it is, as it looks.
func typed(text string, d *types.Domain) jsontext.Value {
	quoted, _ := jsontext.AppendQuote(nil, text)
	if d == nil {
		switch num, err := fixed.Parse(text); {
		case text == "true" || text == "false":
			return jsontext.Value(text)
		case err == nil && num.String() == text:
			return jsontext.Value(text)
		}
		return quoted
	}
	if d.Type.Kind != types.Text {
		text = strings.TrimSpace(text)
	}
	if d.Type.Numeric() {
		if _, err := fixed.Read(text); err == nil {
			return jsontext.Value(number9(&Node{Form: Number, Text: text}, d))
		}
		return quoted
	}
	v, err := d.Type.Kind.Typed(d, text)
	if err != nil || v.IsNone() {
		return quoted
	}
	raw, _ := v.MarshalJSON()
	return raw
}

// nearStep is how far a number that was calculated in binary may be from a step, and still means it.
var nearStep = fixed.Must("0.000001")

// exactDigits is how many digits a number has of which somebody meant each: a 64-bit binary number has no more.
const exactDigits = 15

// number9 is a number as JSON, with at most nine places where more of them mean nothing.
func number9(n *Node, d *types.Domain) string {
	num, err := fixed.Read(n.Text)
	if err != nil {
		return n.Text
	}
	digits := strings.Count(strings.Map(func(r rune) rune {
		if '0' <= r && r <= '9' {
			return 'd'
		}
		return -1
	}, n.Text), "d")
	if d != nil && (n.Float || digits >= exactDigits) && d.Step.Sign() > 0 {
		if near, err := num.RoundTo(d.Step); err == nil {
			if off, err := near.Sub(num); err == nil && !nearStep.Less(off.Abs()) {
				return near.String()
			}
		}
	}
	return num.String()
}

// as reads a number that is written in another way.
func as(way string, d *types.Domain, n *Node) (jsontext.Value, string) {
	switch way {
	case "date":
		at, err := time.Parse(time.RFC3339, n.Text)
		if n.Form != Text || err != nil {
			return nil, "a date like 2027-03-01T12:00:00Z is wanted, not " + n.String()
		}
		whole := fixed.FromInt(at.Unix())
		part := fixed.FromNano(int64(at.Nanosecond()))
		sum, err := whole.Add(part)
		if err != nil {
			return nil, "it is too far away"
		}
		return jsontext.Value(number9(&Node{Text: sum.String()}, d)), ""
	}
	if n.Form != Number && n.Form != Text {
		return nil, "a number is wanted, not " + n.String()
	}
	num, err := fixed.Read(n.Text)
	if err != nil {
		return nil, "a number is wanted, not " + n.String()
	}
	if way == "millis" {
		if num, err = num.Div(fixed.FromInt(1000)); err != nil {
			return nil, "it is too large"
		}
	}
	return jsontext.Value(number9(&Node{Text: num.String(), Float: n.Float}, d)), ""
}

// calculated is what an expression makes of a value.
func (f *Format) calculated(x plan.Expr, called string, d *types.Domain, text jsontext.Value) (jsontext.Value, string) {
	var given types.Value
	if err := given.UnmarshalJSON(text); err != nil {
		return nil, err.Error()
	}
	v, err := f.set.chain.Eval(x, func(name string) (types.Value, error) {
		if name != called {
			return types.None, fmt.Errorf("nothing is called %s here: %s is what stands there", name, called)
		}
		return given, nil
	})
	if err != nil {
		return nil, fmt.Sprintf("nothing can be calculated by %s of %s: %v", x.Source, given, err)
	}
	if d != nil {
		v = d.Rounded(v)
	}
	raw, err := v.MarshalJSON()
	if err != nil {
		return nil, err.Error()
	}
	return raw, ""
}
