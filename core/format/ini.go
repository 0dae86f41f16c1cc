package format

import (
	"bytes"
	"strings"
	"unicode"
	"unicode/utf8"
)

// iniTongue is sections of keys and texts: [section], key = value, and lines that begin with ; or # for people. What
// stands before the first section is in a section without a name.
type iniTongue struct{}

func (iniTongue) read(raw []byte) (*Node, error) {
	if !utf8.Valid(raw) {
		return nil, broken(Spot{}, "it is not UTF-8 text")
	}
	root := &Node{Form: Table, Spot: Spot{0, len(raw), 1, 1}}
	p := newPlaces(raw)
	var section *Node
	open := func(name string, at Spot) {
		if k := root.Key(name); k != nil {
			section = k.Value // the same section once more: it goes on
			section.End = at.End
			return
		}
		section = &Node{Form: Table, Spot: at}
		root.Keys = append(root.Keys, Key{Name: name, Value: section, Spot: at})
	}
	nodes := 0
	for at := 0; at < len(raw); {
		end := bytes.IndexByte(raw[at:], '\n')
		next := at + end + 1
		if end < 0 {
			end, next = len(raw)-at, len(raw)
		}
		line := string(raw[at : at+end])
		if at == 0 {
			line = strings.TrimPrefix(line, "\ufeff")
		}
		from := at + end - len(line)
		text := strings.TrimSpace(line)
		from += strings.Index(line, text)
		at = next
		switch {
		case text == "" || text[0] == ';' || text[0] == '#':
			continue
		case text[0] == '[':
			if !strings.HasSuffix(text, "]") {
				return nil, broken(p.spot(from, from+len(text)), "it is not INI: a section ends with ]")
			}
			open(strings.TrimSpace(text[1:len(text)-1]), p.spot(from, from+len(text)))
			continue
		}
		name, value, ok := strings.Cut(text, "=")
		if !ok {
			return nil, broken(p.spot(from, from+len(text)), "it is not INI: a key and a value with = between them are wanted")
		}
		if nodes++; nodes > MaxNodes {
			return nil, errNodes
		}
		if section == nil {
			open("", p.spot(from, from))
		}
		key := p.spot(from, from+len(strings.TrimSpace(name)))
		start := from + len(name) + 1
		start += len(value) - len(strings.TrimLeftFunc(value, unicode.IsSpace))
		value = strings.TrimSpace(value)
		n := &Node{Form: Text, Text: value, Spot: p.spot(start, start+len(value))}
		if len(value) >= 2 && value[0] == '"' && value[len(value)-1] == '"' {
			n.Text = value[1 : len(value)-1]
		}
		if len(n.Text) > MaxText {
			return nil, broken(n.Spot, "a text in it has more than %d bytes", MaxText)
		}
		section.Keys = append(section.Keys, Key{Name: strings.TrimSpace(name), Value: n, Spot: key})
		section.End = max(n.End, key.End)
	}
	if len(root.Keys) == 0 {
		return nil, broken(Spot{}, "there is nothing in it")
	}
	return root, nil
}

func (iniTongue) write(raw []byte, root *Node) ([]byte, error) {
	type edit struct {
		from, to int
		text     string
	}
	var edits []edit
	var behind strings.Builder // sections that are new
	newline := "\n"
	if bytes.Contains(raw, []byte("\r\n")) {
		newline = "\r\n"
	}
	spaced := raw == nil || bytes.Contains(raw, []byte(" = "))
	line := func(name string, n *Node) string {
		between := "="
		if spaced {
			between = " = "
		}
		return name + between + iniText(n.Text, "")
	}
	for _, s := range root.Keys {
		if s.Value.Form != Table {
			return nil, broken(Spot{}, "INI has sections of keys only: %s is %s", s.Name, s.Value.Form)
		}
		if !s.Value.old() {
			behind.WriteString("[" + s.Name + "]" + newline)
		}
		behindLast := s.End // of the section's line, or of the last entry that stays
		for _, k := range s.Value.Keys {
			if k.Value.old() && !k.Value.gone {
				behindLast = max(behindLast, k.End, k.Value.End)
			}
		}
		for _, k := range s.Value.Keys {
			n := k.Value
			if n.Form == List || n.Form == Table {
				return nil, broken(Spot{}, "INI has sections of keys only: %s is %s", k.Name, n.Form)
			}
			switch {
			case n.gone && n.old():
				from := bytes.LastIndexByte(raw[:k.Start], '\n') + 1
				to := n.End
				if i := bytes.IndexByte(raw[to:], '\n'); i >= 0 {
					to += i + 1
				} else {
					to = len(raw)
				}
				edits = append(edits, edit{from, to, ""})
			case n.gone:
			case !s.Value.old():
				behind.WriteString(line(k.Name, n) + newline)
			case !n.old():
				edits = append(edits, edit{behindLast, behindLast, newline + line(k.Name, n)})
			case n.was != nil:
				edits = append(edits, edit{n.Start, n.End, iniText(n.Text, string(raw[n.Start:n.End]))})
			}
		}
	}
	var out []byte
	at := 0
	for len(edits) > 0 { // in the order of the file
		first := 0
		for i := range edits {
			if edits[i].from < edits[first].from {
				first = i
			}
		}
		e := edits[first]
		edits = append(edits[:first], edits[first+1:]...)
		out = append(append(out, raw[at:e.from]...), e.text...)
		at = e.to
	}
	out = append(out, raw[at:]...)
	if behind.Len() > 0 && len(out) > 0 {
		if !bytes.HasSuffix(out, []byte("\n")) {
			out = append(out, newline...)
		}
		out = append(out, newline...)
	}
	return append(out, behind.String()...), nil
}

// iniText is a value as it stands in a line: in quotes where it stood in quotes, or would lose blanks.
func iniText(text, was string) string {
	text = strings.NewReplacer("\r", " ", "\n", " ").Replace(text)
	quoted := len(text) > 1 && text[0] == '"' && text[len(text)-1] == '"'
	if strings.HasPrefix(was, `"`) || quoted || strings.TrimSpace(text) != text {
		return `"` + text + `"`
	}
	return text
}
