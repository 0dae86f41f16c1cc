package bindings

import (
	"bytes"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// object is a JSON object whose members stay in order. Beside it a tree has []any, and jsontext.Value for the rest.
type object []member

type member struct {
	key string
	is  any
}

// treeOf is plain data as a tree.
func treeOf(data any) any {
	raw, err := json.Marshal(data, json.Deterministic(true))
	if err != nil {
		panic(err) // plain data
	}
	return read(jsontext.NewDecoder(bytes.NewReader(raw)))
}

func read(d *jsontext.Decoder) any {
	switch d.PeekKind() {
	case '{':
		out := object{}
		_, _ = d.ReadToken()
		for d.PeekKind() != '}' {
			key, _ := d.ReadToken()
			name := key.String()
			out = append(out, member{name, read(d)})
		}
		_, _ = d.ReadToken()
		return out
	case '[':
		out := []any{}
		_, _ = d.ReadToken()
		for d.PeekKind() != ']' {
			out = append(out, read(d))
		}
		_, _ = d.ReadToken()
		return out
	}
	raw, err := d.ReadValue()
	if err != nil {
		panic(err) // it was written above
	}
	return raw.Clone()
}

// with is an object with a member more, where that is something.
func (o object) with(key string, is any) object {
	switch x := is.(type) {
	case string:
		if x == "" {
			return o
		}
		is = treeOf(x)
	case object:
		if len(x) == 0 {
			return o
		}
	case bool:
		if !x {
			return o
		}
		is = treeOf(x)
	}
	return append(o, member{key, is})
}

// textOf is a text in a tree.
func textOf(x any) string {
	raw, _ := x.(jsontext.Value)
	text, _ := jsontext.AppendUnquote(nil, raw)
	return string(text)
}
