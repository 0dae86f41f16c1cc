package plan

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"alluvion.dev/core/finding"
)

// Limits on a document. They are far above what a plan needs and far below what harms.
const (
	MaxBytes = 1 << 20
	MaxDepth = 40
	maxNodes = 400_000
)

// form is the shape of a node of the document.
type form uint8

const (
	formNothing form = iota // null, or nothing written
	formPlain               // a scalar without quotes
	formQuoted              // a scalar in quotes, or a block of text
	formList
	formTable
)

// node is a piece of the document with its position, free of the YAML library.
type node struct {
	form  form
	text  string
	items []*node
	keys  []key
	finding.At
}

// scalar says whether a node is one written value: a word in quotes is the same word, as JSON has it.
func (n *node) scalar() bool { return n.form == formPlain || n.form == formQuoted }

type key struct {
	name  string
	at    finding.At
	value *node
}

func (f form) String() string {
	return [...]string{"nothing", "a value", "a text", "a list", "a table"}[f]
}

// recently are the last texts that were parsed: whoever edits a plan reads the same text several times in a row. The nodes
// are shared, so nobody changes them.
var recently struct {
	sync.Mutex
	last [2]parsed
	next int
}

type parsed struct {
	source string
	root   *node
	found  finding.List
}

// worthKeeping is from how many bytes on a text takes long enough to parse.
const worthKeeping = 4 << 10

// parse turns text into nodes, or says in one finding why it cannot. Nobody changes what it gives.
func parse(source []byte) (*node, finding.List) {
	if len(source) < worthKeeping {
		return parseNew(source)
	}
	recently.Lock()
	for i := range recently.last {
		if p := recently.last[i]; p.source == string(source) {
			recently.Unlock()
			return p.root, slices.Clone(p.found)
		}
	}
	recently.Unlock()
	p := parsed{source: string(source)}
	p.root, p.found = parseNew(source)
	recently.Lock()
	recently.last[recently.next] = p
	recently.next = (recently.next + 1) % len(recently.last)
	recently.Unlock()
	return p.root, slices.Clone(p.found)
}

func parseNew(source []byte) (*node, finding.List) {
	if nodes, is := bytes.CutPrefix(source, []byte(nodesMark)); is {
		return readNodes(nodes)
	}
	top := finding.At{Line: 1, Column: 1}
	if len(source) > MaxBytes {
		return unreadable("too-large", top,
			"The document has more than 1 MiB (%d bytes), which is the most that a plan may have.", MaxBytes)
	}
	if !utf8.Valid(source) {
		good := bytes.ToValidUTF8(source[:firstBad(source)], nil)
		return unreadable("syntax", endOf(string(good)), "The document is not UTF-8 text here.")
	}
	source = bytes.TrimPrefix(source, []byte("\ufeff"))
	if len(bytes.TrimSpace(source)) == 0 {
		return unreadable("empty", top, "The document is empty.")
	}
	return readYAML(string(source))
}

// unreadable is the one finding that says why a document cannot be read.
func unreadable(id string, at finding.At, format string, args ...any) (*node, finding.List) {
	return nil, finding.List{finding.New(id, at, fmt.Sprintf(format, args...))}
}

func firstBad(source []byte) int {
	for i := 0; i < len(source); {
		r, n := utf8.DecodeRune(source[i:])
		if r == utf8.RuneError && n <= 1 {
			return i
		}
		i += n
	}
	return len(source)
}

func endOf(text string) finding.At {
	last := text[strings.LastIndexByte(text, '\n')+1:]
	return finding.At{Line: strings.Count(text, "\n") + 1, Column: utf8.RuneCountInString(last) + 1}
}
