package adopt

import (
	"cmp"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/format"
)

// mostSeen is how many different values of one path are remembered, and mostPairs how many of one player's saves.
const (
	mostSeen  = 2_000
	mostPairs = 4_000
)

// shape is what stands at one path in the saves of one version, all taken together.
type shape struct {
	name  string
	count int // how often it is there
	forms [6]int
	keys  []string // in the order in which they were first seen
	inner map[string]*shape
	item  *shape // all items of its lists
	shortest, longest,
	alike int // items of lists: the fewest, the most, and of how many lists every item is there once
	seen    map[string]int // values, as texts
	more    int            // values beyond those that are remembered
	least   fixed.Num
	most    fixed.Num
	atLeast int // saves in which it is the least, and the most
	atMost  int
	divides fixed.Num // of all of them
	whole   bool      // every number is one
	wrong   int       // numbers that cannot be kept
	numbers int
	chars   int // of the longest text
	empty   int
	alone   bool                     // everything in its language is a text
	byFile  map[*source]*format.Node // one value for each save, as far as they are remembered
}

func newShape(name string) *shape {
	return &shape{name: name, inner: map[string]*shape{}, seen: map[string]int{}, whole: true, shortest: 1 << 30, byFile: map[*source]*format.Node{}}
}

// add takes what stands in one save into account.
func (s *shape) add(n *format.Node, of *source) {
	s.count++
	s.forms[n.Form]++
	if len(s.byFile) < mostPairs && of != nil {
		s.byFile[of] = n
	}
	switch n.Form {
	case format.Table:
		for _, k := range n.Keys {
			child := s.inner[k.Name]
			if child == nil {
				child = newShape(k.Name)
				s.inner[k.Name] = child
				s.keys = append(s.keys, k.Name)
			}
			child.add(k.Value, of)
		}
	case format.List:
		if s.item == nil {
			s.item = newShape("")
		}
		s.shortest, s.longest = min(s.shortest, len(n.Items)), max(s.longest, len(n.Items))
		once, there := true, map[string]bool{}
		for _, i := range n.Items {
			once = once && !there[i.Text]
			there[i.Text] = true
			s.item.add(i, nil)
		}
		if once {
			s.alike++
		}
	case format.Number, format.Bool:
		s.value(n)
	case format.Text:
		s.text(n)
	}
}

func (s *shape) note(text string) {
	if _, known := s.seen[text]; known || len(s.seen) < mostSeen {
		s.seen[text]++
		return
	}
	s.more++
}

func (s *shape) value(n *format.Node) {
	s.note(n.Text)
	if n.Form == format.Number {
		s.number(n.Text, n.Float)
	}
}

// nearly is how far a number that was calculated in binary may be from what it means.
var nearly = fixed.Must("0.000001")

func (s *shape) number(text string, float bool) {
	num, err := fixed.Read(text)
	if err != nil {
		s.wrong++
		return
	}
	if float || len(strings.TrimLeft(text, "-0.")) >= 15 {
		if near, err := num.RoundTo(nearly); err == nil {
			num = near
		}
	}
	switch {
	case s.numbers == 0 || num.Less(s.least):
		s.least, s.atLeast = num, 0
	}
	switch {
	case s.numbers == 0 || s.most.Less(num):
		s.most, s.atMost = num, 0
	}
	if num == s.least {
		s.atLeast++
	}
	if num == s.most {
		s.atMost++
	}
	s.divides = fixed.GCD(s.divides, num.Abs())
	s.whole = s.whole && num.MultipleOf(fixed.FromInt(1))
	s.numbers++
}

// digits says whether a text is a number as a program writes one.
var digits = regexp.MustCompile(`^-?(0|[1-9][0-9]*)(\.[0-9]+)?$`)

func (s *shape) text(n *format.Node) {
	s.note(n.Text)
	s.chars = max(s.chars, utf8.RuneCountInString(n.Text))
	if n.Text == "" {
		s.empty++
	}
}

// texts finds out which texts are numbers, where everything is a text.
func (s *shape) texts(all bool) {
	s.alone = all
	if all && s.forms[format.List] > 0 && s.forms[format.Table] > 0 { // in XML one record alone is no list
		for _, n := range s.byFile {
			if n.Form == format.Table {
				s.item.add(n, nil)
				s.forms[format.List]++
				s.forms[format.Table]--
			}
		}
		s.shortest, s.keys, s.inner = min(s.shortest, 1), nil, map[string]*shape{}
	}
	if all && s.forms[format.Text] > 0 {
		numbers := s.forms[format.Text] > s.empty
		for text := range s.seen {
			numbers = numbers && (text == "" || digits.MatchString(text))
		}
		if numbers {
			for text, n := range s.seen {
				for range n {
					if text != "" {
						s.number(text, false)
					}
				}
			}
			s.forms[format.Number], s.forms[format.Text] = s.forms[format.Text]-s.empty, 0
		}
		if len(s.seen) > 0 && s.more == 0 && s.only("true", "false", "") && s.forms[format.Text] > s.empty {
			s.forms[format.Bool], s.forms[format.Text] = s.forms[format.Text]-s.empty, 0
		}
	}
	for _, name := range s.keys {
		s.inner[name].texts(all)
	}
	if s.item != nil {
		s.item.texts(all)
	}
}

func (s *shape) only(words ...string) bool {
	for text := range s.seen {
		if !slices.Contains(words, text) {
			return false
		}
	}
	return true
}

// paths is how many paths there are.
func (s *shape) paths() int {
	n := 1
	for _, c := range s.inner {
		n += c.paths()
	}
	if s.item != nil {
		n += s.item.paths()
	}
	return n
}

// mostly is the form that it has where it is there: Null where it has none of its own.
func (s *shape) mostly() format.Form {
	out, n := format.Null, 0
	for f := format.Bool; f <= format.Table; f++ {
		if s.forms[f] > n {
			out, n = f, s.forms[f]
		}
	}
	return out
}

// fieldsOf are the names that the tables in a table share, where they are alike: for each of several it says the same.
func (s *shape) alikeTables() bool {
	if len(s.keys) < 3 {
		return false
	}
	fields := map[string]int{}
	for _, k := range s.keys {
		c := s.inner[k]
		if c.mostly() != format.Table {
			return false
		}
		for name := range c.inner {
			fields[name]++
		}
	}
	shared := 0
	for _, n := range fields {
		if n == len(s.keys) {
			shared++
		}
	}
	return shared > 0 && shared*5 >= len(fields)*4
}

// counted says whether a table holds one number, or yes or no, for each of many that come and go: no key is in all.
func (s *shape) counted() bool {
	if len(s.keys) < 3 {
		return false
	}
	form := s.inner[s.keys[0]].mostly()
	for _, k := range s.keys {
		c := s.inner[k]
		if c.mostly() != form || c.count == s.forms[format.Table] && s.forms[format.Table] > 1 || form != format.Number && form != format.Bool {
			return false
		}
	}
	return true
}

// records says whether lists hold a table for each of many, and by which field one knows which.
func (s *shape) records() (id string, ok bool) {
	if s.item == nil || s.item.mostly() != format.Table || s.item.forms[format.Table] < s.item.count {
		return "", false
	}
	names := slices.Clone(s.item.keys)
	slices.SortStableFunc(names, func(a, b string) int {
		return cmp.Compare(idRank(a), idRank(b))
	})
	for _, name := range names {
		c := s.item.inner[name]
		words := c.mostly() == format.Text || c.mostly() == format.Number && c.whole && idRank(name) == 0
		if idRank(name) > 0 && !c.allWords() {
			continue // it may be what somebody wrote
		}
		if c.count == s.item.count && words && len(c.seen) > 1 && c.more == 0 && len(c.seen)*2 <= s.item.count && len(c.seen) <= 500 && s.unique(name) {
			return name, true
		}
	}
	return "", false
}

// allWords says whether all of it are single words.
func (s *shape) allWords() bool {
	for text := range s.seen {
		if !word.MatchString(text) {
			return false
		}
	}
	return true
}

var idName = regexp.MustCompile(`(?i)^@?(id|name|key|item|kind|type|what)$`)

func idRank(name string) int {
	if idName.MatchString(name) {
		return 0
	}
	return 1
}

// unique says whether a field is different in each record of every save that is remembered.
func (s *shape) unique(name string) bool {
	for _, n := range s.byFile {
		seen := map[string]bool{}
		for _, i := range n.Items {
			k := i.Key(name)
			if k == nil || seen[k.Value.Text] {
				return false
			}
			seen[k.Value.Text] = true
		}
	}
	return true
}
