package format

import (
	"alluvion.dev/core/plan"
)

// Texts says whether everything in a language is a text.
func Texts(language string) bool { return tongues[language].texts }

// Read takes a file apart that is written in a language.
func Read(language string, raw []byte) (*Node, error) { return tongues[language].read(raw) }

// Unwrap takes a file out of wraps, outermost first: gzip, base64, crc32.
func Unwrap(raw []byte, wraps []string) ([]byte, error) {
	in := make([]plan.Given[string], len(wraps))
	for i, w := range wraps {
		in[i].Value = w
	}
	return unwrap(raw, in, nil)
}

// Find goes along a JSON Pointer; nil where nothing is there.
func (n *Node) Find(pointer string) *Node {
	way, err := tokens(pointer)
	if err != nil {
		return nil
	}
	found, _, _ := n.find(way)
	return found
}

// Escaped is a name as it stands in a JSON Pointer.
func Escaped(name string) string { return escaped(name) }
