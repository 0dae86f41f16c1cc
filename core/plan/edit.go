package plan

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/go-json-experiment/json"
)

// ErrEdit says that a change cannot be made to the text by itself.
var ErrEdit = errors.New("this cannot be changed in the text by itself; edit the text")

// SetFate writes a variable's own fate at a crossing into a plan's text, and changes nothing else of it:
// comments, order and layout stay. kind is keep, reset, rewind, set (with its expression), or "" for what
// the defaults say. The text that is given must be a plan that can be read.
func SetFate(source string, variable, crossing, kind, expression string) (string, error) {
	root, found := parse([]byte(source))
	if found.Errors() || root == nil {
		return "", fmt.Errorf("%w: the plan has errors", ErrEdit)
	}
	if builtInCrossing(crossing) == (Crossing{}) && !slices.Contains(idsUnder(root, "crossings"), crossing) {
		return "", fmt.Errorf("%w: there is no crossing %q", ErrEdit, crossing)
	}
	id := declared(root.child("variables"), variable)
	decl := root.child("variables").child(id)
	if decl == nil || decl.form != formTable || len(decl.keys) == 0 {
		return "", fmt.Errorf("%w: there is no variable %s", ErrEdit, variable)
	}
	path := []string{"variables", id, "across", crossing}
	across, out, err := decl.child("across"), source, error(nil)
	switch {
	case kind == "" && across.child(crossing) == nil:
	case kind == "" && len(across.keys) == 1:
		out, err = Remove(source, path[:3])
	case kind == "":
		out, err = Remove(source, path)
	default:
		out, err = Put(source, path, fateValue(kind, expression))
	}
	if err != nil {
		return "", err
	}
	again, found := Read([]byte(out))
	v := again.Variables.Get(id)
	c, known := again.Crossing(crossing)
	if found.Errors() || v == nil || !known || v.Across.At(c).Kind != kind || kind == "set" &&
		v.Across.At(c).Set.Source != expression {
		return "", ErrEdit
	}
	return out, nil
}

// declared finds what a name as player.warmth, prop.cache.taken or player.dress.hood is declared as: its last
// part, or (of the field of a group) the one before.
func declared(variables *node, name string) string {
	parts := strings.Split(name, ".")
	for i := len(parts) - 1; i > 0; i-- {
		if variables.child(parts[i]) != nil {
			return parts[i]
		}
	}
	return parts[len(parts)-1]
}

// fateValue is a fate as JSON.
func fateValue(kind, expression string) []byte {
	var fate any = kind
	if kind == "set" {
		fate = map[string]string{"set": expression}
	}
	raw, err := json.Marshal(fate)
	if err != nil {
		panic(err) // texts can always be written
	}
	return raw
}

// child finds what stands under a key; nil where nothing does.
func (n *node) child(name string) *node {
	if n == nil {
		return nil
	}
	if n.form == formList {
		_, item := n.item(name)
		return item
	}
	if k := n.key(name); k != nil {
		return k.value
	}
	return nil
}

// editor changes a text at exact places.
type editor struct{ text string }

// remove takes an entry out of a table, with the comma or the line that goes with it.
func (e editor) remove(table *node, name string) string {
	i := 0
	for i = range table.keys {
		if table.keys[i].name == name {
			break
		}
	}
	begin := e.offsetOf(table.keys[i].at.Line, table.keys[i].at.Column)
	end := e.lastOf(table.keys[i].value)
	if _, ok := e.brace(table); !ok {
		lineBegin := strings.LastIndexByte(e.text[:begin], '\n') + 1
		if strings.TrimSpace(e.text[lineBegin:begin]) != "" && i < len(table.keys)-1 { // behind a dash, which the next key takes over
			next := table.keys[i+1].at
			return e.text[:begin] + e.text[e.offsetOf(next.Line, next.Column):]
		}
		lineEnd := end + strings.IndexByte(e.text[end:]+"\n", '\n') + 1
		return e.text[:lineBegin] + e.text[min(lineEnd, len(e.text)):]
	}
	if i > 0 { // from the end of the entry before
		begin = e.end(e.offset(table.keys[i-1].value))
	} else if i < len(table.keys)-1 {
		end = e.offsetOf(table.keys[i+1].at.Line, table.keys[i+1].at.Column)
	}
	return e.text[:begin] + e.text[end:]
}

// brace finds the { that a table in braces begins with.
func (e editor) brace(table *node) (int, bool) {
	first := e.offsetOf(table.keys[0].at.Line, table.keys[0].at.Column)
	before := strings.TrimRight(e.text[:first], " \t\r\n")
	return len(before) - 1, strings.HasSuffix(before, "{")
}

// offset is where a value begins in the text: a table in braces at its brace.
func (e editor) offset(n *node) int {
	if n.form == formTable && len(n.keys) > 0 {
		if open, ok := e.brace(n); ok {
			return open
		}
	}
	return e.offsetOf(n.Line, n.Column)
}

// offsetOf turns a line and a column in characters into a place in the text.
func (e editor) offsetOf(line, column int) int {
	at := 0
	for ; line > 1; line-- {
		at += strings.IndexByte(e.text[at:], '\n') + 1
	}
	for ; column > 1 && at < len(e.text); column-- {
		_, n := utf8.DecodeRuneInString(e.text[at:])
		at += n
	}
	return at
}

// end is where the value that begins at a place ends: at its closing bracket or quote, or where a plain
// value does.
func (e editor) end(at int) int {
	depth := 0
	for i := at; i < len(e.text); i++ {
		switch c := e.text[i]; {
		case (c == '"' || c == '\'') && e.begins(at, i):
			i = e.closing(i)
			if depth == 0 {
				return i + 1
			}
		case c == '{' || c == '[':
			depth++
		case (c == '}' || c == ']') && depth > 0:
			if depth--; depth == 0 {
				return i + 1
			}
		case depth == 0 && (c == ',' || c == '}' || c == ']' || c == '\n' || c == '#' && i > at && e.text[i-1] == ' '):
			return at + len(strings.TrimRight(e.text[at:i], " \t\r"))
		}
	}
	return len(e.text)
}

// begins says whether a value begins at a place within the one that begins at at; a quote elsewhere is one of
// the plain value's own characters: The night's luck.
func (e editor) begins(at, i int) bool {
	before := strings.TrimRight(e.text[at:i], " \t\r\n")
	return before == "" || strings.ContainsRune("{[,:", rune(before[len(before)-1]))
}

// closing finds the quote that closes the one at a place.
func (e editor) closing(at int) int {
	quote := e.text[at]
	for i := at + 1; i < len(e.text); i++ {
		switch {
		case e.text[i] == '\\' && quote == '"':
			i++
		case e.text[i] == quote && quote == '\'' && i+1 < len(e.text) && e.text[i+1] == '\'':
			i++
		case e.text[i] == quote:
			return i
		}
	}
	return len(e.text) - 1
}
