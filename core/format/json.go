package format

import (
	"bytes"
	"errors"
	"io"
	"strings"

	"github.com/go-json-experiment/json/jsontext"
)

// jsonTongue is JSON (RFC 8259). A file is written by changing only the stretches of bytes that a change is about.
type jsonTongue struct{}

func (jsonTongue) read(raw []byte) (*Node, error) {
	skip := 0
	if bytes.HasPrefix(raw, []byte("\ufeff")) {
		skip = 3
	}
	r := &jsonReader{raw: raw, skip: skip, places: newPlaces(raw),
		dec: jsontext.NewDecoder(bytes.NewReader(raw[skip:]), jsontext.AllowDuplicateNames(true))}
	root, err := r.value(0)
	if err == nil {
		if _, err = r.dec.ReadToken(); err == nil {
			return nil, broken(r.spot(r.end(), r.end()), "something stands behind the end of the JSON document")
		} else if errors.Is(err, io.EOF) {
			return root, nil
		}
	}
	return nil, r.broken(err)
}

type jsonReader struct {
	*places
	raw   []byte
	skip  int
	dec   *jsontext.Decoder
	nodes int
}

func (r *jsonReader) end() int { return int(r.dec.InputOffset()) + r.skip }

func (r *jsonReader) broken(err error) error {
	var own *Broken
	var at *jsontext.SyntacticError
	switch {
	case errors.As(err, &own):
		return own
	case errors.As(err, &at):
		i := min(int(at.ByteOffset)+r.skip, len(r.raw))
		why := strings.TrimPrefix(at.Err.Error(), "jsontext: ")
		return broken(r.spot(i, i), "it is not JSON: %s", why)
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return broken(r.spot(len(r.raw), len(r.raw)), "it is not JSON: it ends too early")
	}
	return broken(Spot{}, "it is not JSON: %v", err)
}

func (r *jsonReader) value(depth int) (*Node, error) {
	if r.nodes++; r.nodes > MaxNodes {
		return nil, errNodes
	}
	if depth > MaxDepth {
		return nil, broken(r.spot(r.end(), r.end()), "it is nested more than %d deep", MaxDepth)
	}
	switch r.dec.PeekKind() {
	case '{', '[':
		return r.many(depth)
	}
	text, err := r.dec.ReadValue()
	if err != nil {
		return nil, err
	}
	n := &Node{Spot: r.spot(r.end()-len(text), r.end())}
	switch text.Kind() {
	case '"':
		n.Form = Text
		unquoted, err := jsontext.AppendUnquote(nil, text)
		if err != nil {
			return nil, err
		}
		if n.Text = string(unquoted); len(n.Text) > MaxText {
			return nil, broken(n.Spot, "a text in it has more than %d bytes", MaxText)
		}
	case '0':
		n.Form, n.Text = Number, string(text)
	case 't', 'f':
		n.Form, n.Text = Bool, string(text)
	}
	return n, nil
}

func (r *jsonReader) many(depth int) (*Node, error) {
	open, err := r.dec.ReadToken()
	if err != nil {
		return nil, err
	}
	n := &Node{Form: List, Spot: r.spot(r.end()-1, 0)}
	if open.Kind() == '{' {
		n.Form = Table
	}
	for r.dec.PeekKind() != '}' && r.dec.PeekKind() != ']' {
		if n.Form == List {
			item, err := r.value(depth + 1)
			if err != nil {
				return nil, err
			}
			n.Items = append(n.Items, item)
			continue
		}
		text, err := r.dec.ReadValue()
		if err != nil {
			return nil, err
		}
		at := r.spot(r.end()-len(text), r.end())
		name, err := jsontext.AppendUnquote(nil, text)
		if err != nil {
			return nil, err
		}
		value, err := r.value(depth + 1)
		if err != nil {
			return nil, err
		}
		n.Keys = append(n.Keys, Key{Name: string(name), Value: value, Spot: at})
	}
	if _, err := r.dec.ReadToken(); err != nil {
		return nil, err
	}
	n.End = r.end()
	return n, nil
}

// write gives a file with what was changed in it, and every other byte as it was.
func (jsonTongue) write(raw []byte, root *Node) ([]byte, error) {
	w := &jsonWriter{raw: raw, indent: indentOf(raw)}
	if raw == nil {
		w.indent = "  "
	}
	w.node(root, 0)
	if raw == nil {
		w.out = append(w.out, '\n')
	} else if root.End > 0 {
		w.out = append(append(bytes.Clone(raw[:root.Start]), w.out...), raw[root.End:]...)
	}
	return w.out, nil
}

// indentOf is how far the second line of a JSON text is indented; "" where it is all on one line.
func indentOf(raw []byte) string {
	_, after, ok := bytes.Cut(raw, []byte("\n"))
	if !ok {
		return ""
	}
	return string(after[:len(after)-len(bytes.TrimLeft(after, " \t"))])
}

type jsonWriter struct {
	raw    []byte
	out    []byte
	indent string
}

// old says whether a node stands in the file that was read.
func (n *Node) old() bool { return n.End > 0 }

// changed says whether anything in a node differs from the file that was read.
func (n *Node) changed() bool {
	if !n.old() || n.was != nil {
		return true
	}
	for _, c := range children(n) {
		if c.value.gone || c.value.changed() {
			return true
		}
	}
	return false
}

func (w *jsonWriter) node(n *Node, depth int) {
	switch {
	case !n.changed():
		w.out = append(w.out, w.raw[n.Start:n.End]...)
	case n.Form != List && n.Form != Table:
		w.out = append(w.out, jsonScalar(n)...)
	case n.old() && n.was == nil:
		w.patched(n, depth)
	default:
		w.anew(n, depth)
	}
}

func jsonScalar(n *Node) []byte {
	switch n.Form {
	case Text:
		raw, _ := jsontext.AppendQuote(nil, n.Text)
		return raw
	case Number, Bool:
		return []byte(n.Text)
	}
	return []byte("null")
}

// child is one entry of a list or a table, as it stands in the file: from the name on, where it has one.
type child struct {
	key        *Key
	value      *Node
	start, end int
}

func children(n *Node) []child {
	var out []child
	for i := range n.Keys {
		k := &n.Keys[i]
		out = append(out, child{k, k.Value, k.Start, k.Value.End})
	}
	for _, v := range n.Items {
		out = append(out, child{nil, v, v.Start, v.End})
	}
	return out
}

// patched writes a list or a table that was there, with what is between its entries as it was.
func (w *jsonWriter) patched(n *Node, depth int) {
	at, wrote := n.Start+1, 0
	w.out = append(w.out, w.raw[n.Start])
	all := children(n)
	// gap is what stands before an entry that is new: as before the first that was there.
	gap, last, found := "", n.Start+1, false
	for _, c := range all {
		if c.value.old() {
			if !found {
				gap, found = string(w.raw[n.Start+1:c.start]), true
			}
			last = c.end
		}
	}
	spaced := bytes.Contains(w.raw[n.Start:n.End], []byte("\": ")) || len(n.Keys) == 0
	if gap == "" && w.indent != "" && last == n.Start+1 {
		gap = "\n" + strings.Repeat(w.indent, depth+1)
	}
	for _, c := range all {
		if c.value.gone {
			at = max(at, c.end)
			continue
		}
		if c.value.old() {
			between := string(w.raw[at:c.start])
			if wrote == 0 { // whatever stood before it is gone
				between = gap
			} else if !strings.Contains(between, ",") {
				between = "," + between
			}
			w.out = append(w.out, between...)
			if c.key != nil {
				w.out = append(w.out, w.raw[c.start:c.value.Start]...)
			}
			at = c.end
		} else {
			if wrote > 0 {
				w.out = append(w.out, ',')
			}
			if wrote > 0 && gap == "" && spaced && w.indent == "" {
				w.out = append(w.out, ' ')
			}
			w.out = append(w.out, gap...)
			if c.key != nil {
				w.name(c.key.Name, spaced)
			}
		}
		w.node(c.value, depth+1)
		wrote++
	}
	rest := w.raw[last : n.End-1]
	if last == n.Start+1 && wrote > 0 && w.indent != "" && len(bytes.TrimSpace(rest)) == 0 {
		rest = []byte("\n" + strings.Repeat(w.indent, depth))
	}
	w.out = append(append(w.out, rest...), w.raw[n.End-1])
}

func (w *jsonWriter) name(name string, spaced bool) {
	w.out, _ = jsontext.AppendQuote(w.out, name)
	w.out = append(w.out, ':')
	if spaced {
		w.out = append(w.out, ' ')
	}
}

// anew writes a list or a table that was not there.
func (w *jsonWriter) anew(n *Node, depth int) {
	open, shut := byte('['), byte(']')
	if n.Form == Table {
		open, shut = '{', '}'
	}
	w.out = append(w.out, open)
	first := true
	for _, c := range children(n) {
		if c.value.gone {
			continue
		}
		if !first {
			w.out = append(w.out, ',')
		}
		if w.indent != "" {
			w.out = append(append(w.out, '\n'), strings.Repeat(w.indent, depth+1)...)
		} else if !first {
			w.out = append(w.out, ' ')
		}
		if c.key != nil {
			w.name(c.key.Name, true)
		}
		w.node(c.value, depth+1)
		first = false
	}
	if !first && w.indent != "" {
		w.out = append(append(w.out, '\n'), strings.Repeat(w.indent, depth)...)
	}
	w.out = append(w.out, shut)
}
