// Package format reads and writes saves in a game's own format: a plan says under formats where in a file each thing
// stands. What is read becomes a save of Alluvion's, so that checks, upgrades and trials take it like any other, and
// what they find is told by the file's own paths, lines and columns. What is written changes only what a save changes.
package format

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"
)

// Limits on a file.
const (
	MaxPacked = 16 << 20 // bytes of a file, as it is wrapped
	MaxOpen   = 64 << 20 // bytes of what is in it
	MaxDepth  = 64
	MaxNodes  = 1_000_000
	MaxText   = 1 << 20 // bytes of one text
	maxRatio  = 100     // how many times as large it may become when it is unpacked, beyond 1 MiB
)

// Form is what a node of a file is.
type Form uint8

// The forms.
const (
	Null Form = iota
	Bool
	Number
	Text
	List
	Table
)

// String is the form as people call it.
func (f Form) String() string {
	return [...]string{"nothing", "true or false", "a number", "a text", "a list", "a table"}[f]
}

// Node is one piece of a file, whatever the file is written in.
type Node struct {
	Form  Form
	Text  string // of a text itself; of a number its digits; of true and false the word
	Float bool   // a number that was stored in binary, and is not exactly what somebody meant
	Items []*Node
	Keys  []Key
	Spot
	// In a file that is written: what stood here before, where that is something else, and whether it is taken out.
	was  *Node
	gone bool
	// as is what stands in the file where that is more than Text says: a date of TOML, 0x1f. It is written as it was.
	as string
	// unwritable is why a file cannot be written, at its root; "" where it can.
	unwritable string
}

// Key is an entry of a table, in the file's order. A key may stand in a table twice.
type Key struct {
	Name  string
	Value *Node
	form  Form // of the name, in a language whose names need not be texts; Null for a text
	Spot       // of the name
}

// Spot is where something stands in a file: from its first byte to behind its last, and in a text the line and the
// column, in characters, each from 1.
type Spot struct{ Start, End, Line, Column int }

// Broken is why a file cannot be read.
type Broken struct {
	Spot
	Why string
}

// Error says it in words.
func (b *Broken) Error() string {
	if b.Line > 0 {
		return fmt.Sprintf("%s (line %d, column %d)", b.Why, b.Line, b.Column)
	}
	if b.Start > 0 {
		return fmt.Sprintf("%s (byte %d)", b.Why, b.Start)
	}
	return b.Why
}

func broken(at Spot, format string, args ...any) *Broken {
	return &Broken{at, fmt.Sprintf(format, args...)}
}

// tooLarge is said of what is beyond a limit.
var errNodes = &Broken{Why: fmt.Sprintf("it has more than %d values", MaxNodes)}

// places finds lines and columns in a text.
type places struct {
	raw           []byte
	at, line, col int
}

func newPlaces(raw []byte) *places { return &places{raw: raw, line: 1, col: 1} }

// spot is the place of a stretch of bytes. It is quick where one is behind the other.
func (p *places) spot(start, end int) Spot {
	if start < p.at {
		*p = places{raw: p.raw, line: 1, col: 1}
	}
	for p.at < start && p.at < len(p.raw) {
		if p.raw[p.at] == '\n' {
			p.line, p.col = p.line+1, 1
			p.at++
			continue
		}
		_, n := utf8.DecodeRune(p.raw[p.at:])
		p.at += n
		p.col++
	}
	return Spot{start, end, p.line, p.col}
}

// Key finds an entry of a table; nil where there is none. Where it stands there twice, the first counts.
func (n *Node) Key(name string) *Key {
	for i := range n.Keys {
		if n.Keys[i].Name == name && !n.Keys[i].Value.gone {
			return &n.Keys[i]
		}
	}
	return nil
}

// errPath is said of a path that is none.
var errPath = errors.New("a path begins with a stroke")

// tokens takes a JSON Pointer apart (RFC 6901, section 4).
func tokens(pointer string) ([]string, error) {
	if pointer == "" {
		return nil, nil
	}
	if pointer[0] != '/' {
		return nil, errPath
	}
	parts := strings.Split(pointer[1:], "/")
	for i, p := range parts {
		parts[i] = strings.ReplaceAll(strings.ReplaceAll(p, "~1", "/"), "~0", "~")
	}
	return parts, nil
}

// escaped is a name as it stands in a JSON Pointer.
func escaped(name string) string {
	return strings.ReplaceAll(strings.ReplaceAll(name, "~", "~0"), "/", "~1")
}

// step goes to one child; nil where there is none.
func (n *Node) step(token string) *Node {
	switch n.Form {
	case Table:
		if k := n.Key(token); k != nil {
			return k.Value
		}
	case List:
		if i, ok := index(token); ok && i < len(n.Items) {
			return n.Items[i]
		}
	}
	return nil
}

// index reads the number of an item: 0 or digits that begin with another.
func index(token string) (int, bool) {
	i, err := strconv.Atoi(token)
	return i, err == nil && i >= 0 && strconv.Itoa(i) == token
}

// find goes along a path. Where it ends too early, it gives the last node on the way, and how far that is.
func (n *Node) find(path []string) (found, last *Node, steps int) {
	last = n
	for i, token := range path {
		next := last.step(token)
		if next == nil {
			return nil, last, i
		}
		last = next
	}
	return last, last, len(path)
}
