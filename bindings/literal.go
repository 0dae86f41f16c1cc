package bindings

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/go-json-experiment/json/jsontext"
)

// code stands in a tree for an expression.
type code string

// dialect is how a language writes a tree as a value.
type dialect struct {
	width, indent int // of a line in letters, before it is broken; of what is inside
	quote         func(text string) string
	key           func(name string) string
	object, list  [2]string // what is around them
	none          string    // an empty object
	empty         string    // an empty list, where that is something else than what is around nothing
	colon, comma  string
	between       string            // between the members of an object, where that is not comma
	words         map[string]string // true, false and null, where they are others
}

// literal writes a tree. What fits on a line stands on one.
func (d *dialect) literal(x any, indent int) string {
	if short := d.onOneLine(x); indent+len(short) <= d.width {
		return short
	}
	pad := strings.Repeat(" ", indent+d.indent)
	end := pad[d.indent:]
	var b strings.Builder
	switch x := x.(type) {
	case object:
		comma := d.comma
		if d.between != "" {
			comma = ""
		}
		b.WriteString(strings.TrimRight(d.object[0], " ") + "\n")
		for _, m := range x {
			fmt.Fprintf(&b, "%s%s%s%s%s\n", pad, d.key(m.key), d.colon, d.literal(m.is, indent+d.indent), comma)
		}
		return b.String() + end + strings.TrimLeft(d.object[1], " ")
	case []any:
		b.WriteString(strings.TrimRight(d.list[0], " ") + "\n")
		line := pad
		for _, item := range x {
			next := d.literal(item, indent+d.indent) + ","
			if line != pad && len(line)+1+len(next) > d.width {
				b.WriteString(line + "\n")
				line = pad
			}
			if line != pad {
				line += " "
			}
			line += next
		}
		return b.String() + line + "\n" + end + strings.TrimLeft(d.list[1], " ")
	}
	return d.onOneLine(x)
}

func (d *dialect) onOneLine(x any) string {
	switch x := x.(type) {
	case object:
		if len(x) == 0 {
			return d.none
		}
		var parts []string
		for _, m := range x {
			parts = append(parts, d.key(m.key)+d.colon+d.onOneLine(m.is))
		}
		between := d.comma
		if d.between != "" {
			between = d.between
		}
		return d.object[0] + strings.Join(parts, between+" ") + d.object[1]
	case []any:
		if len(x) == 0 && d.empty != "" {
			return d.empty
		}
		var parts []string
		for _, item := range x {
			parts = append(parts, d.onOneLine(item))
		}
		return d.list[0] + strings.Join(parts, ", ") + d.list[1]
	case code:
		return string(x)
	case jsontext.Value:
		if x.Kind() == '"' {
			return d.quote(textOf(x))
		}
		if word, has := d.words[string(x)]; has {
			return word
		}
		return string(x)
	}
	panic(fmt.Sprintf("bindings: %T is no part of a tree", x))
}

// double is a text in double quotes, as JSON writes it.
func double(text string) string {
	raw, err := jsontext.AppendQuote(nil, text)
	if err != nil {
		return `""` // texts of a plan are UTF-8
	}
	return string(raw)
}

// single is a text in single quotes.
func single(text string) string {
	inner := double(text)
	inner = strings.ReplaceAll(inner[1:len(inner)-1], `\"`, `"`)
	return "'" + strings.ReplaceAll(inner, "'", `\'`) + "'"
}

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }
