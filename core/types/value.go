package types

import (
	"bytes"
	"errors"
	"strconv"
	"strings"

	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/core/fixed"
)

// Value is one figure of the state. Values are compared with ==; none is the zero Value.
type Value struct {
	Kind ValueKind
	Bool bool
	Num  fixed.Num
	Text string // a text, a choice, the option of a pick, the id of a player or a prop; the items of a list
}

// ValueKind is what a Value holds.
type ValueKind uint8

// The kinds of values.
const (
	IsNone ValueKind = iota
	IsBool
	IsNum
	IsText
	IsList // of a list, a set or a point: Text is the items in JSON
)

// None is the value of an optional with nothing in it.
var None = Value{}

// OfBool, OfNum and OfText make values.
func OfBool(b bool) Value { return Value{Kind: IsBool, Bool: b} }

// OfNum is a number's value.
func OfNum(n fixed.Num) Value { return Value{Kind: IsNum, Num: n} }

// OfInt is a whole number's value.
func OfInt(i int) Value { return OfNum(fixed.FromInt(int64(i))) }

// OfText is the value of a text, a choice, a pick or a player.
func OfText(s string) Value { return Value{Kind: IsText, Text: s} }

// OfItems is the value of a list, a set or a point.
func OfItems(items []Value) Value {
	raw := []byte{'['}
	for i, v := range items {
		if i > 0 {
			raw = append(raw, ',')
		}
		one, err := v.MarshalJSON()
		if err != nil {
			panic(err) // a number, a text or a bool can always be written
		}
		raw = append(raw, one...)
	}
	return Value{Kind: IsList, Text: string(append(raw, ']'))}
}

// Items are the items of a list, a set or a point.
func (v Value) Items() []Value {
	if v.Kind != IsList {
		return nil
	}
	parts, err := parts([]byte(v.Text))
	if err != nil {
		return nil
	}
	out := make([]Value, len(parts))
	for i := range parts {
		if out[i], err = FromJSON(parts[i]); err != nil {
			return nil
		}
	}
	return out
}

// parts are the items of a list as they are written. Most lists are short, of plain texts and numbers: those are taken
// apart at their commas.
func parts(raw []byte) ([]json.RawMessage, error) {
	if len(raw) < 2 || raw[0] != '[' || raw[len(raw)-1] != ']' ||
		bytes.ContainsAny(raw[1:len(raw)-1], "\\[]{} \t\n\r") || bytes.Contains(raw, []byte(",,")) {
		var out []json.RawMessage
		return out, json.Unmarshal(raw, &out)
	}
	inner := raw[1 : len(raw)-1]
	if len(inner) == 0 {
		return []json.RawMessage{}, nil
	}
	out, begin, quoted := make([]json.RawMessage, 0, 4), 0, false
	for i, c := range inner {
		switch {
		case c == '"':
			quoted = !quoted
		case c == ',' && !quoted:
			out, begin = append(out, inner[begin:i]), i+1
		}
	}
	return append(out, inner[begin:]), nil
}

// Less orders values of one kind: numbers by size, all else by text.
func (v Value) Less(w Value) bool {
	if v.Kind == IsNum && w.Kind == IsNum {
		return v.Num.Less(w.Num)
	}
	return v.Text < w.Text
}

// IsNone says whether there is nothing.
func (v Value) IsNone() bool { return v.Kind == IsNone }

// String is the value as people read it: none, true, 99.5, "Wren".
func (v Value) String() string {
	switch v.Kind {
	case IsBool:
		return strconv.FormatBool(v.Bool)
	case IsNum:
		return v.Num.String()
	case IsText:
		return strconv.Quote(v.Text)
	case IsList:
		var items []string
		for _, i := range v.Items() {
			items = append(items, i.Plain())
		}
		return "[" + strings.Join(items, ", ") + "]"
	}
	return "none"
}

// Plain is the value as people read it where quotes would be in the way.
func (v Value) Plain() string {
	if v.Kind == IsText {
		return v.Text
	}
	return v.String()
}

// MarshalJSON writes null, true, a number or a string.
func (v Value) MarshalJSON() ([]byte, error) {
	switch v.Kind {
	case IsBool:
		return strconv.AppendBool(nil, v.Bool), nil
	case IsNum:
		return v.Num.MarshalJSON()
	case IsText:
		return json.Marshal(v.Text)
	case IsList:
		return []byte(v.Text), nil
	}
	return []byte("null"), nil
}

// FromJSON reads null, true, a number, a string, or a list of such, exactly: a number with more places than are kept is
// fixed.ErrPlaces.
func FromJSON(raw []byte) (Value, error) {
	switch {
	case plainText(raw):
		return OfText(string(raw[1 : len(raw)-1])), nil
	case len(raw) > 0 && (raw[0] == '-' || '0' <= raw[0] && raw[0] <= '9'):
		n, err := fixed.ParseBytes(raw)
		if err != nil {
			n, err = fixed.Exact(string(raw))
		}
		return OfNum(n), err
	case string(raw) == "false":
		return OfBool(false), nil
	}
	var v Value
	err := v.read(raw, fixed.Exact)
	return v, err
}

// UnmarshalJSON reads what comes from outside: a number that has more places than are kept is rounded, however it is
// written. FromJSON takes no such number.
func (v *Value) UnmarshalJSON(raw []byte) (err error) {
	if *v, err = FromJSON(raw); err == nil {
		return nil
	}
	*v = Value{}
	return v.read(raw, fixed.Read)
}

func (v *Value) read(raw []byte, number func(string) (fixed.Num, error)) error {
	s := strings.TrimSpace(string(raw))
	switch {
	case s == "null":
		return nil
	case s == "true" || s == "false":
		*v = OfBool(s == "true")
		return nil
	case strings.HasPrefix(s, `"`):
		v.Kind = IsText
		return json.Unmarshal([]byte(s), &v.Text)
	case strings.HasPrefix(s, "["):
		return v.unmarshalList([]byte(s), number)
	case s == "" || strings.HasPrefix(s, "{"):
		return errors.New("a value or a list of values is wanted")
	}
	n, err := number(s)
	*v = OfNum(n)
	return err
}

// plainText says whether a text in quotes is in JSON just what it is without them.
func plainText(s []byte) bool {
	if len(s) < 2 || s[0] != '"' || s[len(s)-1] != '"' {
		return false
	}
	for i := 1; i < len(s)-1; i++ {
		if c := s[i]; c < ' ' || c == '"' || c == '\\' || c >= 0x80 {
			return false
		}
	}
	return true
}

func (v *Value) unmarshalList(raw []byte, number func(string) (fixed.Num, error)) error {
	list, err := parts(raw)
	if err != nil {
		return err
	}
	items := make([]Value, len(list))
	for i, p := range list {
		if err := items[i].read(p, number); err != nil {
			return err
		}
		if items[i].Kind == IsList || items[i].IsNone() {
			return errors.New("the items of a list are single values")
		}
	}
	*v = OfItems(items)
	return nil
}
