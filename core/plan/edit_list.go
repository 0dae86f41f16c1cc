package plan

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	json "github.com/go-json-experiment/json/v1"
)

// A path leads through lists by numbers from 0: rules, 3, do, 1.

// Insert writes a value as an item of the list that a path leads into: its last part is which item it becomes, and those
// from there on stand behind it. A list that is not there yet is made.
func Insert(source string, path []string, value []byte) (string, error) {
	if len(path) == 0 {
		return "", fmt.Errorf("%w: what is to be changed has no name", ErrEdit)
	}
	last := len(path) - 1
	at, err := strconv.Atoi(path[last])
	if err != nil || at < 0 {
		return "", fmt.Errorf("%w: %s is no place in a list", ErrEdit, path[last])
	}
	text, err := Flow(value)
	if err != nil {
		return "", err
	}
	return change(source, path, func(e editor, root *node) (string, error) {
		list := descend(root, path[:last])
		switch {
		case list == nil || list.form == formNothing || list.form == formList && len(list.items) == 0:
			if last == 0 {
				return "", ErrEdit
			}
			return e.put(root, path[:last], "["+text+"]")
		case list.form != formList || at > len(list.items):
			return "", fmt.Errorf("%w: there is no place %d in %s", ErrEdit, at, strings.Join(path[:last], "/"))
		}
		if e.inBrackets(list) {
			if at == len(list.items) {
				end := e.lastOf(list.items[at-1])
				return e.text[:end] + ", " + text + e.text[end:], nil
			}
			begin := e.offset(list.items[at])
			return e.text[:begin] + text + ", " + e.text[begin:], nil
		}
		indent, ok := e.dashed(list)
		if !ok {
			return "", ErrEdit
		}
		lines := itemLines(value, text, indent)
		begin, _ := e.lines(list, 0)
		if at > 0 {
			_, begin = e.lines(list, at-1)
		}
		if begin > 0 && e.text[begin-1] != '\n' {
			lines = "\n" + lines
		}
		return e.text[:begin] + lines + e.text[begin:], nil
	})
}

// Shift moves an item of a list, which a path leads to, so that it becomes the one of the given number.
func Shift(source string, path []string, to int) (string, error) {
	return change(source, path, func(e editor, root *node) (string, error) {
		last := len(path) - 1
		list := descend(root, path[:last])
		from, item := list.item(path[last])
		if item == nil || to < 0 || to >= len(list.items) {
			return "", fmt.Errorf("%w: there is no item %s that could become number %d", ErrEdit, strings.Join(path, "/"), to)
		}
		if from == to {
			return e.text, nil
		}
		brackets := e.inBrackets(list)
		if _, ok := e.dashed(list); !brackets && !ok {
			return "", ErrEdit
		}
		spans := make([][2]int, len(list.items))
		for i, item := range list.items {
			if brackets {
				spans[i] = [2]int{e.offset(item), e.lastOf(item)}
			} else {
				spans[i][0], spans[i][1] = e.lines(list, i)
			}
		}
		order := make([]int, 0, len(spans))
		for i := range spans {
			if i != from {
				order = append(order, i)
			}
		}
		order = slices.Insert(order, to, from)
		out, done := strings.Builder{}, 0
		for i, span := range spans { // what stands between items stays where it is
			out.WriteString(e.text[done:span[0]])
			part := e.text[spans[order[i]][0]:spans[order[i]][1]]
			if !brackets && !strings.HasSuffix(part, "\n") {
				part += "\n"
			}
			out.WriteString(part)
			done = span[1]
		}
		out.WriteString(e.text[done:])
		return out.String(), nil
	})
}

// item finds an item of a list by its number; nil where there is none.
func (n *node) item(number string) (int, *node) {
	at, err := strconv.Atoi(number)
	if n == nil || n.form != formList || err != nil || at < 0 || at >= len(n.items) {
		return 0, nil
	}
	return at, n.items[at]
}

// inBrackets says whether a list is written in brackets, and not with dashes.
func (e editor) inBrackets(list *node) bool { return e.text[e.offsetOf(list.Line, list.Column)] == '[' }

// dashed is how far the dashes of a list stand from the left; false where one does not begin its line.
func (e editor) dashed(list *node) (int, bool) {
	indent := 0
	for _, item := range list.items {
		begin := e.offset(item)
		line := strings.LastIndexByte(e.text[:begin], '\n') + 1
		dash := strings.IndexByte(e.text[line:], '-')
		if dash < 0 || strings.TrimSpace(e.text[line:line+dash]) != "" || strings.Trim(e.text[line+dash+1:begin], " ") != "" {
			return 0, false
		}
		indent = dash
	}
	return indent, true
}

// lines are the lines that an item with a dash takes up, with the comments right above it, but for those above the first:
// they may be about the whole list.
func (e editor) lines(list *node, i int) (begin, end int) {
	begin = strings.LastIndexByte(e.text[:e.offset(list.items[i])], '\n') + 1
	end = e.lastOf(list.items[i])
	end += strings.IndexByte(e.text[end:]+"\n", '\n') + 1
	for i > 0 && begin > 0 {
		above := strings.LastIndexByte(e.text[:begin-1], '\n') + 1
		if !strings.HasPrefix(strings.TrimLeft(e.text[above:begin], " "), "#") {
			break
		}
		begin = above
	}
	return begin, min(end, len(e.text))
}

// removeItem takes an item out of a list. The last one leaves an empty list.
func (e editor) removeItem(root *node, path []string) (string, error) {
	last := len(path) - 1
	list := descend(root, path[:last])
	i, item := list.item(path[last])
	_, dashed := e.dashed(list)
	switch {
	case item == nil:
		return "", fmt.Errorf("%w: there is no %s", ErrEdit, strings.Join(path, "/"))
	case len(list.items) == 1:
		return e.put(root, path[:last], "[]")
	case e.inBrackets(list):
		begin, end := e.offset(item), e.lastOf(item)
		if i > 0 {
			begin = e.lastOf(list.items[i-1])
		} else {
			end = e.offset(list.items[1])
		}
		return e.text[:begin] + e.text[end:], nil
	case !dashed:
		return "", ErrEdit
	}
	begin, end := e.lines(list, i)
	return e.text[:begin] + e.text[end:], nil
}

// itemLines writes an item with a dash: in braces on one line, but for what does things, which is written as rules are.
func itemLines(value []byte, flow string, indent int) string {
	space := strings.Repeat(" ", indent)
	if table, keys := tableOf(value); table["do"] != nil && table["do"].Kind() == '[' && !slices.ContainsFunc(keys, isVerb) {
		out, lead := "", space+"- "
		for _, key := range keys {
			text, err := Flow(table[key])
			if err != nil {
				break
			}
			var items []jsontext.Value
			if key == "do" && json.Unmarshal(table[key], &items) == nil && len(items) > 0 {
				text = ""
				for _, item := range items {
					line, _ := Flow(item)
					text += "\n" + space + "    - " + line
				}
			} else {
				text = " " + text
			}
			out += lead + key + ":" + text + "\n"
			lead = space + "  "
		}
		return out
	}
	return space + "- " + flow + "\n"
}

// isVerb says whether a key says what an action does.
func isVerb(key string) bool { return forms[key] != nil }

// tableOf are the entries of a JSON object, and its keys in their order.
func tableOf(value []byte) (map[string]jsontext.Value, []string) {
	d := jsontext.NewDecoder(strings.NewReader(string(value)))
	if t, err := d.ReadToken(); err != nil || t.Kind() != '{' {
		return nil, nil
	}
	out, keys := map[string]jsontext.Value{}, []string(nil)
	for d.PeekKind() == '"' {
		key, err := d.ReadToken()
		if err != nil {
			break
		}
		name := key.String()
		v, err := d.ReadValue()
		if err != nil {
			break
		}
		out[name], keys = v.Clone(), append(keys, name)
	}
	return out, keys
}

// Document is a plan's text as JSON, with keys in their order: what forms show. Words that are no numbers, and not true,
// false or null, are texts. The error says that it cannot be read.
func Document(source string) (jsontext.Value, error) {
	root, found := parse([]byte(source))
	if found.Errors() || root == nil {
		return nil, fmt.Errorf("%w: it is no plan that can be read", ErrEdit)
	}
	out := strings.Builder{}
	e := jsontext.NewEncoder(&out)
	if err := root.write(e); err != nil {
		return nil, err
	}
	return jsontext.Value(strings.TrimSpace(out.String())), nil
}

func (n *node) write(e *jsontext.Encoder) error {
	switch n.form {
	case formNothing:
		return e.WriteToken(jsontext.Null)
	case formPlain:
		if v := jsontext.Value(n.text); n.text != "" && strings.ContainsRune("-0123456789tf", rune(n.text[0])) && v.IsValid() {
			return e.WriteValue(v)
		}
		return e.WriteToken(jsontext.String(n.text))
	case formQuoted:
		return e.WriteToken(jsontext.String(n.text))
	case formList:
		if err := e.WriteToken(jsontext.BeginArray); err != nil {
			return err
		}
		for _, item := range n.items {
			if err := item.write(e); err != nil {
				return err
			}
		}
		return e.WriteToken(jsontext.EndArray)
	}
	if err := e.WriteToken(jsontext.BeginObject); err != nil {
		return err
	}
	for _, k := range n.keys {
		if err := e.WriteToken(jsontext.String(k.name)); err != nil {
			return err
		}
		if err := k.value.write(e); err != nil {
			return err
		}
	}
	return e.WriteToken(jsontext.EndObject)
}
