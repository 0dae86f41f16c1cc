package format

import (
	"bytes"
	"errors"
	"fmt"
	"math/big"
	"slices"
	"strings"

	toml "github.com/pelletier/go-toml/v2"
	"github.com/pelletier/go-toml/v2/unstable"

	"alluvion.dev/core/fixed"
)

// tomlTongue is TOML 1.0. A file is written anew: comments are not kept.
type tomlTongue struct{}

func (tomlTongue) read(raw []byte) (*Node, error) {
	var whole any // the library's own rules of what may stand twice
	if err := toml.Unmarshal(raw, &whole); err != nil {
		var at *toml.DecodeError
		if errors.As(err, &at) {
			line, column := at.Position()
			return nil, broken(Spot{Line: line, Column: column}, "it is not TOML: %s", strings.TrimPrefix(at.Error(), "toml: "))
		}
		return nil, broken(Spot{}, "it is not TOML: %s", strings.TrimPrefix(err.Error(), "toml: "))
	}
	r := &tomlReader{places: newPlaces(raw)}
	root := &Node{Form: Table, Spot: Spot{0, max(1, len(raw)), 1, 1}}
	here := root
	r.parser.Reset(raw)
	for r.parser.NextExpression() {
		e := r.parser.Expression()
		switch e.Kind {
		case unstable.Table:
			here = r.under(root, e.Key(), false)
		case unstable.ArrayTable:
			here = r.under(root, e.Key(), true)
		case unstable.KeyValue:
			if err := r.entry(here, e, 0); err != nil {
				return nil, err
			}
		}
	}
	if err := r.parser.Error(); err != nil {
		return nil, broken(Spot{}, "it is not TOML: %v", err)
	}
	return root, nil
}

type tomlReader struct {
	*places
	parser unstable.Parser
	nodes  int
}

func (r *tomlReader) at(raw unstable.Range) Spot {
	return r.spot(int(raw.Offset), max(1, int(raw.Offset+raw.Length)))
}

// under goes to the table of a header, and makes it where it is not there; of a list of tables a new one.
func (r *tomlReader) under(n *Node, keys unstable.Iterator, item bool) *Node {
	for keys.Next() {
		k := keys.Node()
		at := r.at(k.Raw)
		found := n.Key(string(k.Data))
		if found == nil {
			form := Table
			if item && keys.IsLast() {
				form = List
			}
			n.Keys = append(n.Keys, Key{Name: string(k.Data), Value: &Node{Form: form, Spot: at}, Spot: at})
			found = &n.Keys[len(n.Keys)-1]
		}
		if n = found.Value; n.Form == List {
			if item && keys.IsLast() || len(n.Items) == 0 {
				n.Items = append(n.Items, &Node{Form: Table, Spot: at})
			}
			n = n.Items[len(n.Items)-1]
		}
	}
	return n
}

func (r *tomlReader) entry(into *Node, e *unstable.Node, depth int) error {
	var path []*unstable.Node
	for keys := e.Key(); keys.Next(); {
		path = append(path, keys.Node())
	}
	value, err := r.value(e.Value(), depth+1)
	if err != nil {
		return err
	}
	for _, k := range path[:len(path)-1] {
		at := r.at(k.Raw)
		found := into.Key(string(k.Data))
		if found == nil {
			into.Keys = append(into.Keys, Key{Name: string(k.Data), Value: &Node{Form: Table, Spot: at}, Spot: at})
			found = &into.Keys[len(into.Keys)-1]
		}
		into = found.Value
	}
	last := path[len(path)-1]
	at := r.at(last.Raw)
	if value.Line == 0 {
		value.Spot = at
	}
	into.Keys = append(into.Keys, Key{Name: string(last.Data), Value: value, Spot: at})
	return nil
}

func (r *tomlReader) value(v *unstable.Node, depth int) (*Node, error) {
	if r.nodes++; r.nodes > MaxNodes {
		return nil, errNodes
	}
	if depth > MaxDepth {
		return nil, &Broken{Why: fmt.Sprintf("it is nested more than %d deep", MaxDepth)}
	}
	n := &Node{Form: Text, Text: string(v.Data)}
	if v.Raw.Length > 0 {
		n.Spot = r.at(v.Raw)
	} else {
		n.End = 1
	}
	if v.Kind != unstable.String {
		n.as = n.Text
	}
	switch v.Kind {
	case unstable.Bool:
		n.Form = Bool
	case unstable.Integer:
		n.Form = Number
		if whole, ok := new(big.Int).SetString(n.Text, 0); ok { // 0x1F, 1_000
			n.Text = whole.String()
		}
	case unstable.Float:
		if text := strings.TrimPrefix(strings.ReplaceAll(n.Text, "_", ""), "+"); isNumber(text) {
			n.Form, n.Text = Number, text
		}
	case unstable.Array:
		n.Form, n.Text, n.as = List, "", ""
		for i := v.Children(); i.Next(); {
			if i.Node().Kind == unstable.Comment {
				continue
			}
			item, err := r.value(i.Node(), depth+1)
			if err != nil {
				return nil, err
			}
			n.Items = append(n.Items, item)
		}
	case unstable.InlineTable:
		n.Form, n.Text, n.as = Table, "", ""
		for i := v.Children(); i.Next(); {
			if err := r.entry(n, i.Node(), depth+1); err != nil {
				return nil, err
			}
		}
	}
	return n, nil
}

// isNumber says whether a text is digits, and not one of the words that stand for no number.
func isNumber(text string) bool {
	_, err := fixed.Read(text)
	return err == nil
}

func (tomlTongue) write(_ []byte, root *Node) ([]byte, error) {
	var out bytes.Buffer
	err := tomlTable(&out, root, nil)
	return out.Bytes(), err
}

// tomlTable writes a table: first what is no table, then the tables in it.
func tomlTable(out *bytes.Buffer, n *Node, path []string) error {
	var inner []Key
	for _, k := range n.Keys {
		switch {
		case k.Value.gone || k.Value.Form == Null: // TOML has no null: what is none is not there
		case k.Value.Form == Table || k.Value.Form == List && len(k.Value.Items) > 0 &&
			!slices.ContainsFunc(k.Value.Items, func(i *Node) bool { return i.Form != Table }):
			inner = append(inner, k)
		default:
			fmt.Fprintf(out, "%s = ", tomlKey(k.Name))
			if err := tomlValue(out, k.Value); err != nil {
				return err
			}
			out.WriteByte('\n')
		}
	}
	for _, k := range inner {
		at := append(path[:len(path):len(path)], tomlKey(k.Name))
		tables, brackets := []*Node{k.Value}, [2]string{"[", "]"}
		if k.Value.Form == List {
			tables, brackets = k.Value.Items, [2]string{"[[", "]]"}
		}
		for _, t := range tables {
			if t.gone {
				continue
			}
			if out.Len() > 0 {
				out.WriteByte('\n')
			}
			fmt.Fprintf(out, "%s%s%s\n", brackets[0], strings.Join(at, "."), brackets[1])
			if err := tomlTable(out, t, at); err != nil {
				return err
			}
		}
	}
	return nil
}

func tomlKey(name string) string {
	plain := name != ""
	for _, r := range name {
		plain = plain && ('a' <= r && r <= 'z' || 'A' <= r && r <= 'Z' || '0' <= r && r <= '9' || r == '_' || r == '-')
	}
	if plain {
		return name
	}
	return string(jsonScalar(&Node{Form: Text, Text: name}))
}

func tomlValue(out *bytes.Buffer, n *Node) error {
	between := ""
	if n.as != "" && n.was == nil {
		out.WriteString(n.as)
		return nil
	}
	switch n.Form {
	case List:
		out.WriteByte('[')
		for _, i := range n.Items {
			if i.gone {
				continue
			}
			out.WriteString(between)
			if err := tomlValue(out, i); err != nil {
				return err
			}
			between = ", "
		}
		out.WriteByte(']')
	case Table:
		out.WriteString("{")
		for _, k := range n.Keys {
			if k.Value.gone || k.Value.Form == Null {
				continue
			}
			out.WriteString(between + tomlKey(k.Name) + " = ")
			if err := tomlValue(out, k.Value); err != nil {
				return err
			}
			between = ", "
		}
		out.WriteString("}")
	case Null:
		return errors.New("TOML has no null")
	case Text: // a TOML basic string has the escapes of JSON
		out.Write(jsonScalar(n))
	default:
		out.WriteString(n.Text)
	}
	return nil
}
