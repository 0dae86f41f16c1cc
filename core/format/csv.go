package format

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"strconv"
	"unicode/utf8"
)

// csvTongue is rows of texts with commas or semicolons between (RFC 4180); the first row names the columns. A file is a
// list of rows, each a table. It is written anew: only quotes may come to stand elsewhere.
type csvTongue struct{}

func (csvTongue) read(raw []byte) (*Node, error) {
	if !utf8.Valid(raw) {
		return nil, broken(Spot{}, "it is not UTF-8 text")
	}
	skip := 0
	if bytes.HasPrefix(raw, []byte("\ufeff")) {
		skip = 3
	}
	r := csv.NewReader(bytes.NewReader(raw[skip:]))
	r.Comma = comma(raw)
	head, err := r.Read()
	if err != nil || len(head) < 2 {
		return nil, csvBroken(err, "it is not CSV: its first line does not name columns")
	}
	root := &Node{Form: List, Spot: Spot{0, len(raw), 1, 1}}
	for nodes := 0; ; {
		fields, err := r.Read()
		if errors.Is(err, io.EOF) {
			return root, nil
		}
		if err != nil {
			return nil, csvBroken(err, "it is not CSV")
		}
		row := &Node{Form: Table, Keys: make([]Key, len(fields))}
		for i, text := range fields {
			if nodes++; nodes > MaxNodes {
				return nil, errNodes
			}
			if len(text) > MaxText {
				return nil, &Broken{Why: "a text in it has more than 1 MiB"}
			}
			line, column := r.FieldPos(i)
			at := Spot{0, 1, line, column}
			if i == 0 {
				row.Spot = at
			}
			row.Keys[i] = Key{Name: head[i], Value: &Node{Form: Text, Text: text, Spot: at}, Spot: at}
		}
		root.Items = append(root.Items, row)
	}
}

// comma is what stands between the fields of the first line.
func comma(raw []byte) rune {
	first, _, _ := bytes.Cut(raw, []byte("\n"))
	for _, c := range "\t;" {
		if bytes.Count(first, []byte(string(c))) > bytes.Count(first, []byte(",")) {
			return c
		}
	}
	return ','
}

func csvBroken(err error, why string) *Broken {
	var at *csv.ParseError
	if errors.As(err, &at) {
		return broken(Spot{Line: at.Line, Column: at.Column}, "it is not CSV: %v", at.Err)
	}
	return &Broken{Why: why}
}

func (csvTongue) write(raw []byte, root *Node) ([]byte, error) {
	if root.Form != List {
		return nil, errors.New("CSV is a list of rows")
	}
	var head []string
	known := map[string]int{}
	for _, row := range root.Items {
		for _, k := range row.Keys {
			if _, ok := known[k.Name]; !ok {
				known[k.Name] = len(head)
				head = append(head, k.Name)
			}
		}
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	w.Comma, w.UseCRLF = comma(raw), bytes.Contains(raw, []byte("\r\n"))
	if err := w.Write(head); err != nil {
		return nil, err
	}
	for _, row := range root.Items {
		if row.gone {
			continue
		}
		fields := make([]string, len(head))
		for _, k := range row.Keys {
			if k.Value.Form == List || k.Value.Form == Table {
				return nil, errors.New("a field of CSV is one value: " + strconv.Quote(k.Name) + " is " + k.Value.Form.String())
			}
			if !k.Value.gone {
				fields[known[k.Name]] = k.Value.Text
			}
		}
		if err := w.Write(fields); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}
