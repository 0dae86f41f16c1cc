//go:build !compiled

package plan

import (
	"errors"
	"fmt"
	"regexp"
	"strings"
	"unicode/utf8"

	"github.com/go-json-experiment/json/jsontext"

	yaml "github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"alluvion.dev/core/finding"
)

// maxKeys is how many keys one table may have: what the library does with more grows with their square.
const maxKeys = 5_000

// readYAML turns YAML into nodes.
func readYAML(source string) (*node, finding.List) {
	top := finding.At{Line: 1, Column: 1}
	if at, ok := tabIndent(source); ok {
		return unreadable("syntax", at, "This line is indented with a tab; YAML allows only spaces here.")
	}
	file, err := parseYAML(source)
	var large *tooLarge
	if errors.As(err, &large) {
		return unreadable("too-large", large.at, "%s", large.text)
	}
	if err != nil {
		at, text := syntax(err, source)
		return unreadable("syntax", at, "%s", text)
	}
	if len(file.Docs) > 1 {
		return unreadable("syntax", at(file.Docs[1].Body, ""), "There is a second document here; a plan is one document.")
	}
	if len(file.Docs) == 0 || file.Docs[0].Body == nil {
		return unreadable("empty", top, "The document holds nothing but comments.")
	}
	c := &converter{}
	root := c.convert(file.Docs[0].Body, "", 0)
	return root, c.found
}

// ParseYAML reads a YAML text that is no plan, within the limits that plans have on depth and keys.
func ParseYAML(source string) (*ast.File, error) { return parseYAML(source) }

// parseYAML guards the YAML library: what makes it panic is a syntax error like any other.
func parseYAML(source string) (file *ast.File, err error) {
	defer func() {
		if r := recover(); r != nil {
			err = errors.New("the document cannot be read as YAML")
		}
	}()
	tokens := lexer.Tokenize(source)
	if t := tooDeep(tokens); t != nil {
		return nil, beyond(t, fmt.Sprintf("The document is nested more than %d deep.", MaxDepth))
	}
	if t := tooMany(tokens); t != nil {
		return nil, beyond(t, fmt.Sprintf("One table has more than %s keys.", finding.Grouped(maxKeys)))
	}
	return parser.Parse(tokens, 0, parser.AllowDuplicateMapKey())
}

// tooDeep finds a bracket, or a dash on one line with others, that opens beyond the limit, before the parser recurses
// into it.
func tooDeep(tokens token.Tokens) *token.Token {
	depth, dashes, line := 0, 0, 0
	for _, t := range tokens {
		switch t.Type {
		case token.SequenceEntryType, token.MappingKeyType: // - - - x is a list in a list in a list
			if t.Position == nil {
				continue
			}
			if dashes++; t.Position.Line != line {
				dashes, line = 1, t.Position.Line
			}
			if dashes > MaxDepth {
				return t
			}
		case token.MappingStartType, token.SequenceStartType:
			if depth++; depth > MaxDepth {
				return t
			}
		case token.MappingEndType, token.SequenceEndType:
			depth--
		}
	}
	return nil
}

// tooMany finds a key beyond the limit of one table, before the parser does anything with it. Keys of one table begin
// in the same column; what stands further left, a dash too, ends the table. In brackets the table ends with them.
func tooMany(tokens token.Tokens) *token.Token {
	type table struct {
		column, keys int
		brackets     bool
	}
	open := []table{{}}
	top := func() *table { return &open[len(open)-1] }
	ends := func(column int) {
		for top().column > column && !top().brackets {
			open = open[:len(open)-1]
		}
	}
	for _, t := range tokens {
		switch t.Type {
		case token.MappingStartType, token.SequenceStartType:
			open = append(open, table{brackets: true})
		case token.MappingEndType, token.SequenceEndType:
			for len(open) > 1 {
				ended := top().brackets
				if open = open[:len(open)-1]; ended {
					break
				}
			}
		case token.SequenceEntryType:
			if t.Position != nil {
				ends(t.Position.Column)
			}
		case token.MappingValueType:
			if t.Prev == nil || t.Prev.Position == nil {
				continue
			}
			if column := t.Prev.Position.Column; !top().brackets {
				if ends(column); top().column < column {
					open = append(open, table{column: column})
				}
			}
			if top().keys++; top().keys > maxKeys {
				return t.Prev
			}
		}
	}
	return nil
}

// tooLarge says that a document is larger, in some way, than one may be.
type tooLarge struct {
	at   finding.At
	text string
}

func (t *tooLarge) Error() string { return t.text }

func beyond(t *token.Token, text string) error {
	return &tooLarge{finding.At{Line: t.Position.Line, Column: t.Position.Column}, text}
}

// bracketed is an expression with an option in brackets, as in player.have['rice'].
var bracketed = regexp.MustCompile(`[\p{L}_][\p{L}\d_.]*\[[^\[\]{}]*\]`)

func syntax(err error, source string) (finding.At, string) {
	var s *yaml.SyntaxError
	if errors.As(err, &s) && s.Token != nil && s.Token.Position != nil {
		lines := strings.Split(source, "\n")
		if n := s.Token.Position.Line; n >= 1 && n <= len(lines) {
			for _, found := range bracketed.FindAllStringIndex(lines[n-1], -1) {
				before := lines[n-1][:found[0]]
				if strings.ContainsAny(before, "{[") && strings.Count(before, `"`)%2 == 0 &&
					!strings.Contains(before, "#") {
					return finding.At{Line: n, Column: len([]rune(before)) + 1},
						"An expression with [ ] needs quotes around it here: \"" + lines[n-1][found[0]:found[1]] +
							"\". Without them, YAML takes the brackets for its own."
				}
			}
		}
		if strings.Contains(s.Message, "tag character") { // !x in braces, meant as an expression
			return finding.At{Line: s.Token.Position.Line, Column: s.Token.Position.Column},
				"An expression that begins with ! needs quotes around it: \"!scene.lever\". Without them, YAML takes ! for something of its own."
		}
		return finding.At{Line: s.Token.Position.Line, Column: s.Token.Position.Column},
			"This is not YAML: " + s.Message + "."
	}
	first, _, _ := strings.Cut(err.Error(), "\n")
	return finding.At{Line: 1, Column: 1}, "This is not YAML: " + first + "."
}

// tabIndent finds the first line whose indentation has a tab; the YAML library's own words for it are
// hard to understand.
func tabIndent(source string) (finding.At, bool) {
	for i, line := range strings.Split(source, "\n") {
		indent := line[:len(line)-len(strings.TrimLeft(line, " \t"))]
		if tab := strings.IndexByte(indent, '\t'); tab >= 0 && strings.TrimSpace(line) != "" {
			return finding.At{Line: i + 1, Column: tab + 1}, true
		}
	}
	return finding.At{}, false
}

type converter struct {
	found finding.List
	nodes int
}

func (c *converter) report(id string, at finding.At, format string, args ...any) {
	if len(c.found) >= finding.Most {
		return
	}
	c.found = append(c.found, finding.New(id, at, fmt.Sprintf(format, args...)))
}

func (c *converter) convert(n ast.Node, pointer string, depth int) *node {
	out := &node{At: at(n, pointer)}
	if c.nodes++; c.nodes > maxNodes || depth > MaxDepth {
		if c.nodes <= maxNodes+1 {
			c.report("too-large", out.At, "The document is nested more than %d deep, or has more than %d values.",
				MaxDepth, maxNodes)
			c.nodes = maxNodes + 2
		}
		return out
	}
	switch n := n.(type) {
	case nil, *ast.NullNode:
	case *ast.MappingNode:
		if text, ok := oneWord(n); ok {
			out.form, out.text, out.At = formPlain, text, at(n.Values[0].Key, pointer)
			return out
		}
		out.form = formTable
		c.table(out, n.Values, pointer, depth)
	case *ast.MappingValueNode:
		out.form = formTable
		c.table(out, []*ast.MappingValueNode{n}, pointer, depth)
	case *ast.SequenceNode:
		out.form = formList
		for i, item := range n.Values {
			out.items = append(out.items, c.convert(item, fmt.Sprintf("%s/%d", pointer, i), depth+1))
		}
	case *ast.LiteralNode:
		out.form, out.text = formQuoted, n.Value.Value
		out.Line++ // the text begins on the line below the | or >
	case *ast.StringNode:
		out.form, out.text = formPlain, n.Value
		if t := n.GetToken().Type; t == token.SingleQuoteType || t == token.DoubleQuoteType {
			out.form = formQuoted
		}
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.InfinityNode, *ast.NanNode:
		out.form, out.text = formPlain, n.GetToken().Value
	case *ast.AnchorNode, *ast.AliasNode, *ast.MergeKeyNode, *ast.TagNode:
		c.report("syntax", out.At, "Anchors (&), aliases (*), merge keys (<<) and tags (!) are not part of a plan.")
	default:
		c.report("syntax", out.At, "This form of YAML is not part of a plan.")
	}
	return out
}

// oneWord mends what the YAML library makes of a colon inside a word in a list inside braces: [a, prop:b] is
// two words, not a word and a table (YAML 1.2, section 7.3.3).
func oneWord(m *ast.MappingNode) (string, bool) {
	if len(m.Values) != 1 || m.Start != nil && m.Start.Type == token.MappingStartType {
		return "", false
	}
	n := m.Values[0]
	key, ok := n.Key.(*ast.StringNode)
	value, ok2 := n.Value.(*ast.StringNode)
	if !ok || !ok2 || key.GetToken().Type != token.StringType || value.GetToken().Type != token.StringType {
		return "", false
	}
	k, v := key.GetToken().Position, value.GetToken().Position
	adjacent := k.Line == v.Line && v.Column == k.Column+utf8.RuneCountInString(key.Value)+1
	return key.Value + ":" + value.Value, adjacent
}

func (c *converter) table(out *node, values []*ast.MappingValueNode, pointer string, depth int) {
	if len(values) > 0 && out.Line == 0 {
		out.At = at(values[0].Key, pointer)
	}
	first := map[string]finding.At{}
	for _, v := range values {
		name, ok := keyName(v.Key)
		where := at(v.Key, string(jsontext.Pointer(pointer).AppendToken(name)))
		if !ok {
			c.report("syntax", where, "A key has to be a plain name.")
			continue
		}
		if before, twice := first[name]; twice {
			c.report("duplicate-id", where, "%q stands here again; it stands first on line %d.", name, before.Line)
			continue
		}
		first[name] = where
		value := c.convert(v.Value, where.Pointer, depth+1)
		value.At = orAt(value.At, where)
		out.keys = append(out.keys, key{name, where, value})
	}
	if len(out.keys) > 0 { // a table begins where its first key does, not at that key's colon
		if k := out.keys[0].at; k.Line < out.Line || k.Line == out.Line && k.Column < out.Column {
			out.Line, out.Column = k.Line, k.Column
		}
	}
}

func keyName(k ast.MapKeyNode) (string, bool) {
	switch k := k.(type) {
	case *ast.StringNode:
		return k.Value, true
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.NullNode:
		return k.GetToken().Value, true
	}
	return "", false
}

func at(n ast.Node, pointer string) finding.At {
	if n == nil || n.GetToken() == nil || n.GetToken().Position == nil {
		return finding.At{Pointer: pointer}
	}
	p := n.GetToken().Position
	return finding.At{Line: p.Line, Column: p.Column, Pointer: pointer}
}

var commonsKey = regexp.MustCompile(`(?m)^["{ ]*(alluvion.*)?commons"?:`)

// IsCommons says whether a document is a commons, and not a plan.
func IsCommons(source []byte) bool {
	if !commonsKey.Match(source) { // most are not: reading them once more would cost as much as all the rest
		return false
	}
	root, _ := parse(source)
	return root != nil && isCommons(root)
}
