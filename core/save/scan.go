package save

import (
	"bytes"
	"errors"
	"strconv"
	"sync"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/fixed"
)

// The quick way of reading a save, for saves that are of the right form throughout: the library says whether the bytes
// are JSON, and one more pass takes them apart. Where anything is of another form it gives up, and the patient way says
// what is wrong.

var errForm = errors.New("it is of another form")

// scanner takes one document apart. What it gives of it lies in the bytes that it reads.
type scanner struct {
	raw   []byte
	i     int
	names map[string]string // those that were met before: most saves have the same
}

var scanners = sync.Pool{New: func() any { return &scanner{names: map[string]string{}} }}

// maxNames is how many names are remembered.
const maxNames = 4096

// scan reads a document with what reads its outermost table.
func scan(raw []byte, read func(*scanner) error) error {
	// That a name stands twice is told by what reads the table.
	if len(raw) > MaxBytes || !jsontext.Value(raw).IsValid(jsontext.AllowDuplicateNames(true)) {
		return errForm
	}
	s := scanners.Get().(*scanner)
	defer scanners.Put(s)
	s.raw, s.i = raw, 0
	defer func() { s.raw = nil }()
	if err := read(s); err != nil {
		return err
	}
	if s.peek() != 0 {
		return errForm // something stands behind it
	}
	return nil
}

// peek is the next byte that is no space; 0 at the end.
func (s *scanner) peek() byte {
	for ; s.i < len(s.raw); s.i++ {
		if c := s.raw[s.i]; c > ' ' {
			return c
		}
	}
	return 0
}

// take goes past a byte, where it is the next.
func (s *scanner) take(c byte) bool {
	if s.peek() != c {
		return false
	}
	s.i++
	return true
}

// table visits the members of a table.
func (s *scanner) table(visit func(name string) error) error {
	if !s.take('{') {
		return errForm
	}
	if s.take('}') {
		return nil
	}
	for {
		name, err := s.name()
		if err != nil {
			return err
		}
		if err := visit(name); err != nil {
			return err
		}
		if s.take(',') {
			continue
		}
		if s.take('}') {
			return nil
		}
		return errForm
	}
}

// list visits the items of a list.
func (s *scanner) list(visit func() error) error {
	if !s.take('[') {
		return errForm
	}
	if s.take(']') {
		return nil
	}
	for {
		if err := visit(); err != nil {
			return err
		}
		if s.take(',') {
			continue
		}
		if s.take(']') {
			return nil
		}
		return errForm
	}
}

// value gives a value as it stands in the bytes.
func (s *scanner) value() (jsontext.Value, error) {
	c := s.peek()
	begin := s.i
	switch c {
	case '"':
		s.skipText()
	case '{', '[':
		if !s.skipNested() {
			return nil, errForm
		}
	default:
		for s.i < len(s.raw) && s.raw[s.i] > ' ' && s.raw[s.i] != ',' && s.raw[s.i] != ']' && s.raw[s.i] != '}' {
			s.i++
		}
	}
	if s.i == begin {
		return nil, errForm
	}
	return s.raw[begin:s.i:s.i], nil
}

// skipText goes past a text in quotes.
func (s *scanner) skipText() {
	for s.i++; s.i < len(s.raw); s.i++ {
		switch s.raw[s.i] {
		case '\\':
			s.i++
		case '"':
			s.i++
			return
		}
	}
	s.i = len(s.raw)
}

// skipNested goes past a list or a table; false where it is nested too deep.
func (s *scanner) skipNested() bool {
	for depth := 0; s.i < len(s.raw); {
		switch s.raw[s.i] {
		case '"':
			s.skipText()
			continue
		case '{', '[':
			if depth++; depth > MaxDepth {
				return false
			}
		case '}', ']':
			depth--
		}
		if s.i++; depth == 0 {
			break
		}
	}
	return true
}

// fields visits the members of a table that has certain ones, each once.
func (s *scanner) fields(visit func(name string) error) error {
	var few [24]string
	seen := few[:0]
	return s.table(func(name string) error {
		for _, n := range seen {
			if n == name {
				return errForm
			}
		}
		seen = append(seen, name)
		return visit(name)
	})
}

// name reads a member's name.
func (s *scanner) name() (string, error) {
	v, err := s.value()
	if err != nil || len(v) < 2 || v[0] != '"' || !s.take(':') {
		return "", errForm
	}
	inner := v[1 : len(v)-1]
	if bytes.IndexByte(inner, '\\') >= 0 {
		out, err := jsontext.AppendUnquote(nil, v)
		return string(out), err
	}
	if known, ok := s.names[string(inner)]; ok {
		return known, nil
	}
	name := string(inner)
	if len(s.names) < maxNames && len(name) <= 80 {
		s.names[name] = name
	}
	return name, nil
}

func (s *scanner) text(into *string) error {
	v, err := s.value()
	if err != nil || len(v) < 2 || v[0] != '"' {
		return errForm
	}
	if bytes.IndexByte(v, '\\') < 0 {
		*into = string(v[1 : len(v)-1])
		return nil
	}
	out, err := jsontext.AppendUnquote(nil, v)
	*into = string(out)
	return err
}

func (s *scanner) texts(into *[]string) error {
	*into = []string{}
	return s.list(func() error {
		var one string
		err := s.text(&one)
		*into = append(*into, one)
		return err
	})
}

func (s *scanner) flag(into *bool) error {
	v, err := s.value()
	if err != nil || string(v) != "true" && string(v) != "false" {
		return errForm
	}
	*into = string(v) == "true"
	return nil
}

func (s *scanner) count(into *int) error {
	v, err := s.value()
	if err != nil {
		return err
	}
	if len(v) > 15 {
		return errForm // such numbers, and those that are written in other ways, the patient way reads
	}
	*into, err = strconv.Atoi(string(v))
	return err
}

func (s *scanner) number(into *fixed.Num) error {
	v, err := s.value()
	if err != nil {
		return err
	}
	*into, err = fixed.ParseBytes(v)
	return err
}

func (s *scanner) place(into *Place) error {
	return s.fields(func(name string) error {
		switch name {
		case "scene":
			return s.text(&into.Scene)
		case "facing":
			return s.text(&into.Facing)
		case "at":
			into.At = make([]fixed.Num, 0, 3)
			return s.list(func() error {
				var n fixed.Num
				err := s.number(&n)
				into.At = append(into.At, n)
				return err
			})
		}
		return errForm
	})
}

func (s *scanner) met(into *Met) error {
	return s.fields(func(name string) error {
		switch name {
		case "session":
			return s.text(&into.Session)
		case "count":
			return s.count(&into.Count)
		case "date":
			return s.text(&into.Date)
		}
		return errForm
	})
}

func (s *scanner) values(into *LooseValues) error {
	*into = make(LooseValues, 24)
	return s.table(func(name string) error {
		v, err := s.value()
		if _, twice := (*into)[name]; twice {
			return errForm
		}
		(*into)[name] = v
		return err
	})
}

// each reads a table of things of one kind.
func each[T any](s *scanner, into *map[string]T, read func(*T) error) error {
	*into = map[string]T{}
	return s.table(func(name string) error {
		var one T
		err := read(&one)
		if _, twice := (*into)[name]; twice {
			return errForm
		}
		(*into)[name] = one
		return err
	})
}

func (s *scanner) few(into *LooseValues) error {
	*into = LooseValues{}
	return s.table(func(name string) error {
		v, err := s.value()
		if _, twice := (*into)[name]; twice {
			return errForm
		}
		(*into)[name] = v
		return err
	})
}

func (s *scanner) scenes(into *LooseScenes) error {
	return each(s, (*map[string]LooseValues)(into), s.few)
}

func (s *scanner) props(into *LooseProps) error {
	return each(s, (*map[string]map[string]LooseValues)(into), func(one *map[string]LooseValues) error {
		return each(s, one, s.few)
	})
}

func (s *scanner) attic(into *Attic) error {
	return each(s, (*map[string]jsontext.Value)(into), func(one *jsontext.Value) (err error) {
		*one, err = s.value()
		return err
	})
}

// request reads the number of a player's request.
func (s *scanner) request(into *uint64) error {
	v, err := s.value()
	if err == nil {
		*into, err = strconv.ParseUint(string(v), 10, 63)
	}
	return err
}

func (s *scanner) about(into **About) error {
	v, err := s.value()
	if err != nil {
		return err
	}
	return readAs(v, into)
}

// counted reads the number of a server's request.
func (s *scanner) counted(into *uint64) error {
	var n int
	if err := s.count(&n); err != nil || n < 0 {
		return errForm
	}
	*into = uint64(n)
	return nil
}
