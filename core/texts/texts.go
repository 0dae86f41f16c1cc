// Package texts holds what players read against files with the same in other languages: a file such as texts/nb.yaml
// beside the plan has a text for each key. Nothing in the service reads them: what players are told carries the key,
// and a game shows its own.
package texts

import (
	"bytes"
	"errors"
	"fmt"
	"strings"

	yaml "github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
)

// Write gives all texts of a plan as such a file, to be translated, with the line of each in the plan. What has no key
// stands in comments.
func Write(m *model.Model) []byte {
	var out bytes.Buffer
	nameless := 0
	for _, t := range m.Texts {
		if t.Key == "" {
			nameless++
			continue
		}
		text, err := yaml.MarshalWithOptions(t.Text, yaml.Flow(true))
		if err != nil || bytes.Contains(bytes.TrimSpace(text), []byte("\n")) {
			text = fmt.Appendf(nil, "%q", t.Text)
		}
		fmt.Fprintf(&out, "%s: %s\n", t.Key, bytes.TrimSpace(text))
	}
	if nameless > 0 {
		fmt.Fprintln(&out, "# These have no key: the rule that says them has no name, or they belong to what always holds.")
	}
	for _, t := range m.Texts {
		if t.Key == "" {
			fmt.Fprintf(&out, "# line %d: %s\n", t.At.Line, strings.ReplaceAll(t.Text, "\n", " "))
		}
	}
	return out.Bytes()
}

// Lacking is a text that a file does not have: there players read the plan's.
type Lacking struct {
	Key  string `json:"key"`
	Text string `json:"text" doc:"The plan's."`
}

// Compare reads a file with texts and holds it against a plan: what it has too much, twice or in a wrong form is found;
// what it lacks is listed.
func Compare(m *model.Model, source []byte) ([]Lacking, finding.List) {
	there, found := read(source)
	if found.Errors() {
		return nil, found
	}
	known := []string{}
	has := map[string]bool{}
	for _, t := range m.Texts {
		if t.Key != "" {
			known = append(known, t.Key)
			has[t.Key] = true
		}
	}
	said := map[string]bool{}
	for _, e := range there {
		said[e.key] = true
		if has[e.key] {
			continue
		}
		near := finding.Declared(e.key, known)
		f := finding.New("unknown-name", e.at, fmt.Sprintf("The plan has no text called %q.%s", e.key,
			finding.DidYouMean(near.Name)))
		f.Suggest(near)
		found = append(found, f)
	}
	var lacking []Lacking
	for _, t := range m.Texts {
		if t.Key != "" && !said[t.Key] {
			lacking = append(lacking, Lacking{t.Key, t.Text})
		}
	}
	return lacking, found
}

type entry struct {
	key string
	at  finding.At
}

// read takes a file apart: a key and a text on each line.
func read(source []byte) (out []entry, found finding.List) {
	report := func(id string, at finding.At, format string, args ...any) {
		found = append(found, finding.New(id, at, fmt.Sprintf(format, args...)))
	}
	file, err := parser.ParseBytes(source, 0)
	var bad *yaml.SyntaxError
	switch {
	case errors.As(err, &bad) && bad.Token != nil:
		report("syntax", finding.At{Line: bad.Token.Position.Line, Column: bad.Token.Position.Column},
			"This is not YAML: %s.", bad.Message)
		return nil, found
	case err != nil:
		report("syntax", finding.At{Line: 1, Column: 1}, "This is not YAML.")
		return nil, found
	case len(file.Docs) != 1 || file.Docs[0].Body == nil:
		report("empty", finding.At{Line: 1, Column: 1}, "There are no texts in it: key: text, on lines of their own.")
		return nil, found
	}
	var values []*ast.MappingValueNode
	switch body := file.Docs[0].Body.(type) {
	case *ast.MappingNode:
		values = body.Values
	case *ast.MappingValueNode:
		values = []*ast.MappingValueNode{body}
	default:
		report("wrong-type", placeOf(body), "A table of texts is wanted here: key: text, on lines of their own.")
	}
	seen := map[string]int{}
	for _, v := range values {
		key, at := v.Key.GetToken().Value, placeOf(v.Key)
		if seen[key] > 0 {
			report("duplicate-id", at, "%s stands on line %d already.", key, seen[key])
		}
		seen[key] = at.Line
		switch v.Value.(type) {
		case *ast.StringNode, *ast.LiteralNode:
			out = append(out, entry{key, at})
		default:
			report("wrong-type", placeOf(v.Value), "A text is wanted here; what is no text by itself stands in quotes.")
		}
	}
	return out, found
}

func placeOf(n ast.Node) finding.At {
	p := n.GetToken().Position
	return finding.At{Line: p.Line, Column: p.Column}
}
