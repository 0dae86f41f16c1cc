//go:build !compiled

package format

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	yaml "github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/token"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
)

func init() { tongues["yaml"] = spoken{tongue: yamlTongue{}, exact: true} }

// yamlTongue is YAML 1.2, without anchors, aliases, merge keys and tags. A file is written by changing only what a change
// is about: the way in which plans are edited.
type yamlTongue struct{}

func (yamlTongue) read(raw []byte) (*Node, error) {
	file, err := plan.ParseYAML(string(raw))
	if err != nil {
		var at *yaml.SyntaxError
		if errors.As(err, &at) && at.Token != nil && at.Token.Position != nil {
			p := at.Token.Position
			return nil, broken(Spot{Line: p.Line, Column: p.Column}, "it is not YAML: %s", at.Message)
		}
		return nil, broken(Spot{}, "it is not YAML: %s", strings.TrimSuffix(err.Error(), "."))
	}
	if len(file.Docs) != 1 || file.Docs[0].Body == nil {
		return nil, &Broken{Why: "it is not one YAML document"}
	}
	r := &yamlReader{}
	return r.value(file.Docs[0].Body, 0)
}

type yamlReader struct{ nodes int }

func yamlSpot(n ast.Node) Spot {
	if n == nil || n.GetToken() == nil || n.GetToken().Position == nil {
		return Spot{End: 1, Line: 1, Column: 1}
	}
	p := n.GetToken().Position
	return Spot{End: 1, Line: p.Line, Column: p.Column}
}

func (r *yamlReader) value(n ast.Node, depth int) (*Node, error) {
	out := &Node{Spot: yamlSpot(n)}
	if r.nodes++; r.nodes > MaxNodes {
		return nil, errNodes
	}
	if depth > MaxDepth {
		return nil, broken(out.Spot, "it is nested more than %d deep", MaxDepth)
	}
	switch n := n.(type) {
	case nil, *ast.NullNode:
	case *ast.MappingNode:
		out.Form = Table
		return out, r.table(out, n.Values, depth)
	case *ast.MappingValueNode:
		out.Form = Table
		return out, r.table(out, []*ast.MappingValueNode{n}, depth)
	case *ast.SequenceNode:
		out.Form = List
		for _, v := range n.Values {
			item, err := r.value(v, depth+1)
			if err != nil {
				return nil, err
			}
			out.Items = append(out.Items, item)
		}
	case *ast.LiteralNode:
		out.Form, out.Text = Text, n.Value.Value
	case *ast.StringNode:
		out.Form, out.Text = Text, n.Value
		if t := n.GetToken().Type; t != token.SingleQuoteType && t != token.DoubleQuoteType {
			out.plainYAML(n.Value)
		}
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.InfinityNode, *ast.NanNode:
		out.plainYAML(n.GetToken().Value)
	default:
		return nil, broken(out.Spot, "anchors, aliases, merge keys and tags of YAML cannot be in a save")
	}
	return out, nil
}

// plainYAML is a word without quotes, in the core schema (YAML 1.2.2, section 10.3.2).
func (n *Node) plainYAML(word string) {
	n.Form, n.Text = Text, word
	switch whole, err := strconv.ParseInt(word, 0, 64); {
	case word == "true" || word == "false":
		n.Form = Bool
	case word == "null" || word == "~" || word == "":
		n.Form, n.Text = Null, ""
	case err == nil && (strings.HasPrefix(word, "0x") || strings.HasPrefix(word, "0o")):
		n.Form, n.Text = Number, strconv.FormatInt(whole, 10)
	default:
		if _, err := fixed.Read(strings.TrimPrefix(word, "+")); err == nil {
			n.Form, n.Text = Number, strings.TrimPrefix(word, "+")
		}
	}
}

func (r *yamlReader) table(out *Node, values []*ast.MappingValueNode, depth int) error {
	for _, v := range values {
		if _, merge := v.Key.(*ast.MergeKeyNode); merge {
			return broken(yamlSpot(v.Key), "anchors, aliases, merge keys and tags of YAML cannot be in a save")
		}
		name := v.Key.GetToken().Value
		if s, ok := v.Key.(*ast.StringNode); ok {
			name = s.Value
		}
		value, err := r.value(v.Value, depth+1)
		if err != nil {
			return err
		}
		out.Keys = append(out.Keys, Key{Name: name, Value: value, Spot: yamlSpot(v.Key)})
	}
	if len(out.Keys) > 0 {
		out.Line, out.Column = out.Keys[0].Line, out.Keys[0].Column
	}
	return nil
}

func (yamlTongue) write(raw []byte, root *Node) ([]byte, error) {
	if raw == nil {
		out, err := yaml.JSONToYAML(jsonOf(root))
		return out, err
	}
	text, err := yamlChanges(string(raw), root, nil)
	return []byte(text), err
}

// jsonOf is a node as JSON on one line.
func jsonOf(n *Node) []byte {
	w := &jsonWriter{}
	fresh := n.copied()
	w.node(fresh, 0)
	return w.out
}

// copied is a node that stands in no file.
func (n *Node) copied() *Node {
	out := &Node{Form: n.Form, Text: n.Text}
	for _, c := range children(n) {
		switch {
		case c.value.gone:
		case c.key != nil:
			out.Keys = append(out.Keys, Key{Name: c.key.Name, Value: c.value.copied()})
		default:
			out.Items = append(out.Items, c.value.copied())
		}
	}
	return out
}

// yamlChanges writes what has changed below a node into a text.
func yamlChanges(text string, n *Node, path []string) (string, error) {
	var err error
	gone := 0
	for i, c := range children(n) {
		token := strconv.Itoa(i - gone)
		if c.key != nil {
			token = c.key.Name
		}
		at := append(path[:len(path):len(path)], token)
		before := text
		switch {
		case c.value.gone && c.value.old():
			text, err = plan.Remove(text, at)
			gone++
		case c.value.gone:
			gone++
		case c.value.was != nil && c.value.old():
			text, err = plan.Put(text, at, jsonOf(c.value))
		case !c.value.old() && c.key == nil:
			text, err = plan.AddItem(text, path, jsonOf(c.value))
		case !c.value.old():
			text, err = plan.Put(text, at, jsonOf(c.value))
		default:
			text, err = yamlChanges(text, c.value, at)
		}
		if err != nil {
			return "", fmt.Errorf("%w: %v in %s", err, at, before)
		}
	}
	return text, nil
}
