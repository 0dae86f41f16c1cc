package plan

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/finding"
)

// Put writes a value into a plan's text at a path of keys, in place of what stands there, or as the last entry of
// the table that the path leads into; tables that are not there yet are made. The value is JSON, and is written in
// braces on one line. Comments, order and layout of everything else stay.
func Put(source string, path []string, value []byte) (string, error) {
	text, err := Flow(value)
	if err != nil {
		return "", err
	}
	return change(source, path, func(e editor, root *node) (string, error) { return e.put(root, path, text) })
}

// Remove takes what stands at a path of keys out of a plan's text.
func Remove(source string, path []string) (string, error) {
	return change(source, path, func(e editor, root *node) (string, error) {
		table := descend(root, path[:len(path)-1])
		if table != nil && table.form == formList {
			return e.removeItem(root, path)
		}
		if table.child(path[len(path)-1]) == nil {
			return "", fmt.Errorf("%w: there is no %s", ErrEdit, strings.Join(path, "/"))
		}
		out := e.remove(table, path[len(path)-1])
		if _, braces := e.brace(table); braces || len(table.keys) > 1 || len(path) == 1 {
			return out, nil
		}
		// It was the last one on lines of its own: what is left is a table all the same.
		if _, item := descend(root, path[:len(path)-2]).item(path[len(path)-2]); item != nil {
			return e.put(root, path[:len(path)-1], "{}")
		}
		begin := e.behind(descend(root, path[:len(path)-2]).key(path[len(path)-2]))
		return out[:begin] + " {}" + out[begin:], nil
	})
}

// RenameKey gives what stands at a path of keys another key.
func RenameKey(source string, path []string, to string) (string, error) {
	return change(source, path, func(e editor, root *node) (string, error) {
		last := path[len(path)-1]
		table := descend(root, path[:len(path)-1])
		if table.child(last) == nil {
			return "", fmt.Errorf("%w: there is no %s", ErrEdit, strings.Join(path, "/"))
		}
		at := table.key(last).at
		begin := e.offsetOf(at.Line, at.Column)
		return e.text[:begin] + to + e.text[begin+strings.IndexByte(e.text[begin:], ':'):], nil
	})
}

// AddItem adds a value, as JSON, behind the last one of the list at a path of keys; a list that is not there yet is
// made, with each item on a line of its own.
func AddItem(source string, path []string, value []byte) (string, error) {
	text, err := Flow(value)
	if err != nil {
		return "", err
	}
	return change(source, path, func(e editor, root *node) (string, error) {
		list := descend(root, path)
		if list == nil || list.form == formNothing || len(list.items) == 0 {
			return e.put(root, path, "["+text+"]")
		}
		end := e.lastOf(list)
		if e.text[e.offset(list)] == '[' {
			end = e.lastOf(list.items[len(list.items)-1])
			return e.text[:end] + ", " + text + e.text[end:], nil
		}
		first := e.offset(list.items[0])
		dash := strings.LastIndexByte(e.text[:first], '-')
		indent := dash - strings.LastIndexByte(e.text[:dash], '\n') - 1
		return e.newLine(end, indent, "- "+text), nil
	})
}

// Has says whether something stands at a path of keys in a plan's text.
func Has(source string, path []string) bool {
	root, found := parse([]byte(source))
	return !found.Errors() && descend(root, path) != nil
}

// Offset is where a position is in a text, in bytes.
func Offset(source string, at finding.At) int { return editor{source}.offsetOf(at.Line, at.Column) }

// change makes a change to a text that can be read, and makes sure that it still can be.
func change(source string, path []string, do func(editor, *node) (string, error)) (string, error) {
	root, found := parse([]byte(source))
	if found.Errors() || root == nil {
		return "", fmt.Errorf("%w: it is no plan that can be read", ErrEdit)
	}
	if len(path) == 0 || slices.Contains(path, "") {
		return "", fmt.Errorf("%w: what is to be changed has no name", ErrEdit)
	}
	out, err := do(editor{source}, root)
	if err != nil {
		return "", err
	}
	if _, found := parse([]byte(out)); found.Errors() {
		return "", ErrEdit
	}
	return out, nil
}

func descend(n *node, path []string) *node {
	for _, name := range path {
		n = n.child(name)
	}
	return n
}

// put writes a value at a path.
func (e editor) put(root *node, path []string, text string) (string, error) {
	n := root
	for i, name := range path {
		if n.form == formList {
			_, item := n.item(name)
			switch {
			case item == nil:
				return "", fmt.Errorf("%w: there is no %s", ErrEdit, strings.Join(path[:i+1], "/"))
			case i == len(path)-1:
				return e.text[:e.offset(item)] + text + e.text[e.lastOf(item):], nil
			case item.form == formNothing || item.form == formTable && len(item.keys) == 0:
				return e.text[:e.offset(item)] + braced(path[i+1:], text) + e.text[e.lastOf(item):], nil
			}
			n = item
			continue
		}
		if n.form == formTable && n.key(name) == nil {
			return e.enter(n, path[i:], text), nil
		}
		next := n.child(name)
		switch {
		case next == nil:
			return "", fmt.Errorf("%w: %s is no table", ErrEdit, strings.Join(path[:i], "/"))
		case i == len(path)-1:
			return e.replace(n.key(name), text), nil
		case next.form == formNothing || next.form == formTable && len(next.keys) == 0:
			return e.replace(n.key(name), braced(path[i+1:], text)), nil
		}
		n = next
	}
	return "", ErrEdit
}

// behind is the place right behind a key's colon.
func (e editor) behind(k *key) int {
	begin := e.offsetOf(k.at.Line, k.at.Column)
	return begin + strings.IndexByte(e.text[begin:], ':') + 1
}

// replace writes a text in place of a key's value.
func (e editor) replace(k *key, text string) string {
	begin := e.behind(k)
	end := begin
	if k.value.form == formPlain {
		text = bare(text)
	}
	if k.value.form != formNothing {
		end = e.lastOf(k.value)
	} else {
		end += writtenNothing(e.text[begin:])
	}
	return e.text[:begin] + " " + text + e.text[end:]
}

// bare takes the quotes off a text that needs none where a word without quotes stood: an expression, say.
func bare(text string) string {
	word, err := strconv.Unquote(text)
	if err != nil || word != strings.TrimSpace(word) || strings.ContainsAny(word, ",[]{}\"\\\n") || strings.Contains(word+" ", ": ") || strings.Contains(word, " #") {
		return text
	}
	first, _ := utf8.DecodeRuneInString(word)
	if !unicode.IsLetter(first) || !strings.ContainsAny(word, " .(") {
		return text
	}
	return word
}

// writtenNothing is how long a value is that says that there is none; 0 where nothing is written.
func writtenNothing(text string) int {
	rest := strings.TrimLeft(text, " ")
	for _, word := range []string{"~", "null", "Null", "NULL"} {
		if strings.HasPrefix(rest, word) {
			return len(text) - len(rest) + len(word)
		}
	}
	return 0
}

// enter adds an entry that is not there yet as the last one of a table.
func (e editor) enter(table *node, path []string, text string) string {
	if len(table.keys) == 0 {
		return e.text + block(path, text, 0)
	}
	last := table.keys[len(table.keys)-1].value
	if _, ok := e.brace(table); ok {
		at := e.lastOf(last)
		return e.text[:at] + ", " + path[0] + ": " + braced(path[1:], text) + e.text[at:]
	}
	indent := table.keys[0].at.Column - 1
	end := e.lastOf(last)
	if last.form == formNothing {
		k := table.keys[len(table.keys)-1]
		end = e.offsetOf(k.at.Line, k.at.Column) + len(k.name) + 1
	}
	blank := ""
	if indent == 0 {
		blank = "\n" // sections stand apart
	}
	return e.newLine(end, 0, blank+strings.TrimSuffix(block(path, text, indent), "\n"))
}

// newLine writes a line of its own behind the one that a place is in.
func (e editor) newLine(at, indent int, line string) string {
	line = strings.Repeat(" ", indent) + line
	next := strings.IndexByte(e.text[at:], '\n')
	if next < 0 {
		return e.text + "\n" + line + "\n"
	}
	return e.text[:at+next+1] + line + "\n" + e.text[at+next+1:]
}

// block writes a path and its value with each key on a line of its own, and the items of a list too.
func block(path []string, text string, indent int) string {
	out := ""
	for _, name := range path[:len(path)-1] {
		out += strings.Repeat(" ", indent) + name + ":\n"
		indent += 2
	}
	space := strings.Repeat(" ", indent)
	if item, isList := strings.CutPrefix(text, "[{"); isList {
		return out + space + path[len(path)-1] + ":\n" + space + "  - {" + strings.TrimSuffix(item, "]") + "\n"
	}
	return out + space + path[len(path)-1] + ": " + text + "\n"
}

func braced(path []string, text string) string {
	for _, name := range slices.Backward(path) {
		text = "{" + name + ": " + text + "}"
	}
	return text
}

// lastOf is where a value ends, however it is written.
func (e editor) lastOf(n *node) int {
	begin := e.offset(n)
	if begin >= len(e.text) {
		return len(e.text)
	}
	switch c := e.text[begin]; {
	case n.form == formPlain && n.text != "" && strings.HasPrefix(e.text[begin:], n.text):
		return begin + len(n.text) // on lines of its own a word may have commas and brackets in it
	case c == '{' || c == '[' || c == '"' || c == '\'':
		return e.end(begin)
	case n.form == formTable && len(n.keys) > 0:
		k := n.keys[len(n.keys)-1]
		if k.value.form == formNothing {
			return e.offsetOf(k.at.Line, k.at.Column) + len(k.name) + 1
		}
		return e.lastOf(k.value)
	case n.form == formList && len(n.items) > 0:
		return e.lastOf(n.items[len(n.items)-1])
	case n.form == formQuoted: // a block of text: as far as it is indented
		return e.blockEnd(begin)
	}
	return e.end(begin)
}

// blockEnd is where a block of text ends that begins at a place.
func (e editor) blockEnd(at int) int {
	lineBegin := strings.LastIndexByte(e.text[:at], '\n') + 1
	rest := e.text[lineBegin:]
	indent, end := len(rest)-len(strings.TrimLeft(rest, " ")), lineBegin
	for place := lineBegin; place < len(e.text); {
		line, _, _ := strings.Cut(e.text[place:], "\n")
		if text := strings.TrimLeft(line, " "); text != "" && len(line)-len(text) < indent {
			break
		} else if text != "" {
			end = place + len(line)
		}
		place += len(line) + 1
	}
	return end
}

// Flow writes JSON as a value in braces on one line, with as few quotes as can be.
func Flow(value []byte) (string, error) {
	d := jsontext.NewDecoder(bytes.NewReader(value))
	text, err := flowNext(d)
	if err != nil {
		return "", fmt.Errorf("%w: the value is no JSON: %v", ErrEdit, err)
	}
	return text, nil
}

func flowNext(d *jsontext.Decoder) (string, error) {
	t, err := d.ReadToken()
	if err != nil {
		return "", err
	}
	switch kind := t.Kind(); kind {
	case '{', '[':
		var parts []string
		for d.PeekKind() != '}' && d.PeekKind() != ']' {
			part, err := flowNext(d)
			if err == nil && kind == '{' {
				var inner string
				inner, err = flowNext(d)
				part += ": " + inner
			}
			if err != nil {
				return "", err
			}
			parts = append(parts, part)
		}
		closing, err := d.ReadToken()
		return string(kind) + strings.Join(parts, ", ") + closing.String(), err
	case '"':
		return word(t.String()), nil
	}
	return t.String(), nil
}

// word is a text as it stands in braces: without quotes where it begins with a letter, and nothing in it could be taken
// for something else (YAML 1.2, section 7.3.3, and the words that older versions read as true, false and none).
func word(s string) string {
	first, _ := utf8.DecodeRuneInString(s)
	special := slices.Contains([]string{"true", "false", "null", "yes", "no", "on", "off", "y", "n"},
		strings.ToLower(s))
	if special || !unicode.IsLetter(first) || strings.TrimSpace(s) != s || strings.ContainsAny(s, ",:{}[]#&*!|%@`\"'\\?") || strings.ContainsFunc(s, unicode.IsControl) {
		return strconv.Quote(s)
	}
	return s
}
