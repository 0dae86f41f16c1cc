package plan

import (
	"bytes"
	"errors"
	"fmt"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/finding"
)

// nodesMark is what a document of OfNodes begins with. No YAML begins so.
const nodesMark = "\x01nodes"

// written is a node as Nodes writes it. Pointers follow from where it stands.
type written struct {
	Form   form       `json:"f,omitzero"`
	Line   int        `json:"l"`
	Column int        `json:"c"`
	Text   string     `json:"t,omitzero"`
	Items  []*written `json:"i,omitzero"`
	Keys   []keyOf    `json:"k,omitzero"`
}

type keyOf struct {
	Name   string   `json:"n"`
	Line   int      `json:"l"`
	Column int      `json:"c"`
	Value  *written `json:"v"`
}

// Nodes writes down a document as it was read, as JSON. It fails where the document cannot be read.
func Nodes(source []byte) (jsontext.Value, error) {
	root, found := parse(source)
	if root == nil || found.Errors() {
		return nil, errors.New("the document has errors: check it first")
	}
	return json.Marshal(writtenOf(root), json.Deterministic(true))
}

// OfNodes is a document out of what Nodes wrote: Read and ReadCommons read it where nothing reads YAML. Places in the text
// are what they were.
func OfNodes(raw jsontext.Value) []byte { return append([]byte(nodesMark), raw...) }

// textOf is the text of a document; "" of one of OfNodes.
func textOf(source []byte) string {
	if bytes.HasPrefix(source, []byte(nodesMark)) {
		return ""
	}
	return string(source)
}

func writtenOf(n *node) *written {
	out := &written{Form: n.form, Line: n.Line, Column: n.Column, Text: n.text}
	for _, item := range n.items {
		out.Items = append(out.Items, writtenOf(item))
	}
	for _, k := range n.keys {
		out.Keys = append(out.Keys, keyOf{k.name, k.at.Line, k.at.Column, writtenOf(k.value)})
	}
	return out
}

// readNodes reads what Nodes has written.
func readNodes(raw []byte) (*node, finding.List) {
	var w *written
	if err := json.Unmarshal(raw, &w); err != nil || w == nil {
		return unreadable("syntax", finding.At{Line: 1, Column: 1}, "This is no compiled plan: %v.", err)
	}
	return w.node("", 0), nil
}

func (w *written) node(pointer string, depth int) *node {
	if w == nil {
		return &node{At: finding.At{Pointer: pointer}}
	}
	out := &node{form: min(w.Form, formTable), text: w.Text,
		At: finding.At{Line: w.Line, Column: w.Column, Pointer: pointer}}
	if depth > MaxDepth {
		return out
	}
	for i, item := range w.Items {
		out.items = append(out.items, item.node(fmt.Sprintf("%s/%d", pointer, i), depth+1))
	}
	for _, k := range w.Keys {
		at := finding.At{Line: k.Line, Column: k.Column, Pointer: string(jsontext.Pointer(pointer).AppendToken(k.Name))}
		out.keys = append(out.keys, key{k.Name, at, k.Value.node(at.Pointer, depth+1)})
	}
	return out
}
