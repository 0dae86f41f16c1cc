package save

import (
	"bytes"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/fixed"
)

// Limits on the bytes of a save, and on what it says of its player.
const (
	MaxBytes  = 1 << 20
	MaxDepth  = 16
	MaxName   = 64 // characters
	MaxVisits = 1<<32 - 1
	// MaxNumber is the largest number of a request: beyond it not every JSON reader keeps whole numbers (RFC 7493,
	// section 2.2).
	MaxNumber = 1<<53 - 1
)

// LooseValues, LooseScenes and LooseProps are values as they stand in a save, untouched: what they have to be, a
// plan says.
type (
	LooseValues map[string]jsontext.Value
	LooseScenes map[string]LooseValues
	LooseProps  map[string]map[string]LooseValues
)

// Loose is a player's save as it stands in its bytes.
type Loose struct {
	*Player
	Values LooseValues `json:"values"`
	Scenes LooseScenes `json:"scenes,omitempty"`
	Props  LooseProps  `json:"props,omitempty"`
	Lists  LooseProps  `json:"lists,omitempty"`
	Record LooseRecord `json:"record"`
	World  *LooseWorld `json:"world,omitempty"`
	// Broken is what of the bytes is of another form than a save's, and could not be taken.
	Broken []Problem `json:"-"`
	// Made are values that an upgrade has made: they are fitted as an assignment does. Since is the version that the
	// save was written under, where an upgrade has raised it; else 0.
	Made  map[string]bool `json:"-"`
	Since int             `json:"-"`
	// Strange are members that no save has.
	Strange map[string]jsontext.Value `json:"-"`
}

// LooseRecord is a record as it stands in a save.
type LooseRecord struct {
	Values   LooseValues      `json:"values"`
	Scenes   LooseScenes      `json:"scenes,omitempty"`
	Props    LooseProps       `json:"props,omitempty"`
	Lists    LooseProps       `json:"lists,omitempty"`
	Waymarks map[string]Place `json:"waymarks,omitempty"`
	World    *LooseWorld      `json:"world,omitempty"`
}

// LooseWorld is a world's save as it stands in its bytes.
type LooseWorld struct {
	*World
	Values LooseValues `json:"values"`
	Scenes LooseScenes `json:"scenes,omitempty"`
	Props  LooseProps  `json:"props,omitempty"`
	Lists  LooseProps  `json:"lists,omitempty"`

	Broken []Problem       `json:"-"`
	Made   map[string]bool `json:"-"`
	Since  int             `json:"-"`
}

// OpenPlayer reads the bytes of a player's save. What of them is of another form than a save's is left out and
// told in Broken; an error, which is ErrFormat, means that it is no save at all.
func OpenPlayer(raw []byte) (*Loose, error) {
	l := &Loose{Player: &Player{}}
	if scan(raw, func(s *scanner) error { return playerMembers.quick(s, l) }) == nil {
		return l, l.isSave(l.Format)
	}
	return openPatiently(raw)
}

// openPatiently is OpenPlayer for a save of which something may be of another form.
func openPatiently(raw []byte) (*Loose, error) {
	l := &Loose{Player: &Player{}}
	root, err := apart(raw)
	if err != nil {
		return nil, err
	}
	p := &patient{}
	playerMembers.patiently(p, "", root, l)
	l.Strange, l.Broken = root, p.found
	return l, l.isSave(l.Format)
}

// OpenWorld reads the bytes of a world's save, as OpenPlayer does a player's.
func OpenWorld(raw []byte) (*LooseWorld, error) {
	w := &LooseWorld{World: &World{}}
	if scan(raw, func(s *scanner) error { return worldMembers.quick(s, w) }) != nil {
		root, err := apart(raw)
		if err != nil {
			return nil, err
		}
		p := &patient{}
		w = p.world("", root)
		w.Broken = p.found
	}
	if w.Format != Format {
		return nil, fmt.Errorf("%w: its format is %d, and %d is wanted", ErrFormat, w.Format, Format)
	}
	return w, nil
}

// isPlayers says whether the bytes begin as the canonical form of a player's save does.
func isPlayers(raw []byte) bool { return bytes.HasPrefix(raw, []byte(`{"alluvion_save":`)) }

// IsWorld says whether the bytes are a world's save rather than a player's.
func IsWorld(raw []byte) bool { return begins(raw, "alluvion_world") }

// IsProfile says whether the bytes are what a player has over all slots.
func IsProfile(raw []byte) bool { return begins(raw, "alluvion_profile") }

// begins says whether a document has the member that says what it is.
func begins(raw []byte, member string) bool {
	if isPlayers(raw) || !bytes.Contains(raw, []byte(`"`+member+`"`)) {
		return false
	}
	root, err := apart(raw)
	_, is := root[member]
	return err == nil && is
}

func (l *Loose) isSave(format int) error {
	if format != Format {
		return fmt.Errorf("%w: its format is %d, and %d is wanted", ErrFormat, format, Format)
	}
	return nil
}

// apart takes the outermost table of a save apart.
func apart(raw []byte) (map[string]jsontext.Value, error) {
	if len(raw) > MaxBytes {
		return nil, fmt.Errorf("%w: it is larger than %d bytes", ErrFormat, MaxBytes)
	}
	if tooDeep(raw) {
		return nil, fmt.Errorf("%w: it is nested more than %d deep", ErrFormat, MaxDepth)
	}
	var root map[string]jsontext.Value
	if err := json.UnmarshalRead(bytes.NewReader(raw), &root); err != nil {
		var at *jsontext.SyntacticError
		if errors.As(err, &at) {
			return nil, fmt.Errorf("%w: it is not JSON (byte %d, in %q): %w", ErrFormat, at.ByteOffset, at.JSONPointer,
				at.Err)
		}
		return nil, fmt.Errorf("%w: it is no table", ErrFormat)
	}
	return root, nil
}

// tooDeep says whether brackets stand in one another beyond the limit.
func tooDeep(raw []byte) bool {
	depth, quoted := 0, false
	for i := 0; i < len(raw); i++ {
		switch c := raw[i]; {
		case quoted && c == '\\':
			i++
		case c == '"':
			quoted = !quoted
		case quoted:
		case c == '{' || c == '[':
			if depth++; depth > MaxDepth {
				return true
			}
		case c == '}' || c == ']':
			depth--
		}
	}
	return false
}

// patient reads a save of which some is of another form: what can be taken is, and the rest is told.
type patient struct{ found []Problem }

func (p *patient) tell(kind Kind, pointer, reason string, args ...any) {
	p.found = append(p.found, Problem{Kind: kind, Pointer: pointer, Name: named(pointer),
		Reason: fmt.Sprintf(reason, args...), Instead: "it is left out"})
}

// named is what people call what stands at a pointer.
func named(pointer string) string {
	return strings.ReplaceAll(strings.TrimPrefix(pointer, "/"), "/", ".")
}

// readAs reads one value. Whole numbers are read as programs write them (3.0, 3e0), and null stands for nothing.
func readAs(raw jsontext.Value, into any) error {
	switch into := into.(type) {
	case *int:
		n, err := readWhole(raw)
		if err != nil || n < -MaxNumber || n > MaxNumber {
			return errForm
		}
		*into = int(n)
		return nil
	case *uint64:
		n, err := readWhole(raw)
		*into = uint64(max(n, 0))
		if n < 0 {
			return errForm
		}
		return err
	case *map[string]uint64:
		var table map[string]jsontext.Value
		err := json.Unmarshal(raw, &table)
		*into = make(map[string]uint64, len(table))
		for name, one := range table {
			var n uint64
			if readAs(one, &n) != nil || n > MaxNumber {
				err = errForm
			}
			(*into)[name] = n
		}
		return err
	case **About:
		about := struct {
			Plan     string         `json:"plan"`
			Revision jsontext.Value `json:"revision"`
			Moment   string         `json:"moment"`
			SavedAt  time.Time      `json:"saved_at"`
		}{Revision: jsontext.Value("0")}
		err := json.Unmarshal(raw, &about, json.RejectUnknownMembers(true))
		var n int
		if err != nil || readAs(about.Revision, &n) != nil || n < 0 || hasNull(raw) {
			return errForm
		}
		*into = &About{about.Plan, n, about.Moment, about.SavedAt}
		return nil
	}
	if hasNull(raw) {
		return errForm
	}
	return json.Unmarshal(raw, into, json.RejectUnknownMembers(true))
}

func readWhole(raw jsontext.Value) (int64, error) {
	n, err := fixed.Exact(string(raw))
	i, ok := n.Int()
	if err != nil || !ok || fixed.FromInt(i) != n {
		return 0, errForm
	}
	return i, nil
}

// hasNull says whether null stands anywhere in a value.
func hasNull(raw jsontext.Value) bool {
	for read := jsontext.NewDecoder(bytes.NewReader(raw)); ; {
		token, err := read.ReadToken()
		if err != nil {
			return false
		}
		if token.Kind() == 'n' {
			return true
		}
	}
}

// rest tells of members that no save has.
func (p *patient) rest(pointer string, from map[string]jsontext.Value) {
	for _, name := range slices.Sorted(maps.Keys(from)) {
		p.tell(KindExtra, under(pointer, name), "saves have nothing called %s here", name)
	}
}

// under is the pointer to a member of what stands at a pointer (RFC 6901).
func under(pointer, name string) string { return string(jsontext.Pointer(pointer).AppendToken(name)) }

// brief is a written value, cut where it is long.
func brief(raw jsontext.Value) string {
	if r := []rune(string(raw)); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return string(raw)
}

// table reads a table; nil where there is none.
func (p *patient) table(pointer string, raw jsontext.Value) map[string]jsontext.Value {
	if raw == nil {
		return nil
	}
	var out map[string]jsontext.Value
	if json.Unmarshal(raw, &out) != nil || out == nil {
		p.tell(KindType, pointer, "a table is wanted, not %s", brief(raw))
	}
	return out
}

func (p *patient) values(pointer string, raw jsontext.Value) LooseValues {
	return LooseValues(p.table(pointer, raw))
}

func (p *patient) scenes(pointer string, raw jsontext.Value) LooseScenes {
	var out LooseScenes
	table := p.table(pointer, raw)
	for _, id := range sortedNames(table) {
		if out == nil {
			out = LooseScenes{}
		}
		out[id] = p.values(under(pointer, id), table[id])
	}
	return out
}

func (p *patient) props(pointer string, raw jsontext.Value) LooseProps {
	var out LooseProps
	table := p.table(pointer, raw)
	for _, kind := range sortedNames(table) {
		if out == nil {
			out = LooseProps{}
		}
		out[kind] = p.scenes(under(pointer, kind), table[kind])
	}
	return out
}

func (p *patient) places(pointer string, raw jsontext.Value) map[string]Place {
	var out map[string]Place
	table := p.table(pointer, raw)
	for _, id := range sortedNames(table) {
		place, ok := p.place(under(pointer, id), table[id])
		if !ok {
			continue
		}
		if out == nil {
			out = map[string]Place{}
		}
		out[id] = place
	}
	return out
}

// numbers reads a table of numbers. One with more places than are kept is rounded, and told.
func (p *patient) numbers(pointer string, raw jsontext.Value) map[string]fixed.Num {
	table := p.table(pointer, raw)
	if table == nil {
		return nil
	}
	out := map[string]fixed.Num{}
	for _, name := range sortedNames(table) {
		n, err := fixed.Exact(string(table[name]))
		at := under(pointer, name)
		switch {
		case errors.Is(err, fixed.ErrPlaces):
			p.found = append(p.found, Problem{Kind: KindStep, Pointer: at, Name: named(at),
				Reason: brief(table[name]) + " has more than nine decimal places", Instead: "it is " + n.String()})
		case err != nil:
			p.tell(KindType, at, "a number is wanted, not %s", brief(table[name]))
			continue
		}
		out[name] = n
	}
	return out
}

// rankings reads numbers by two names.
func (p *patient) rankings(pointer string, raw jsontext.Value) map[string]map[string]fixed.Num {
	table := p.table(pointer, raw)
	if table == nil {
		return nil
	}
	out := map[string]map[string]fixed.Num{}
	for _, name := range sortedNames(table) {
		if one := p.numbers(under(pointer, name), table[name]); one != nil {
			out[name] = one
		}
	}
	return out
}

// place reads a place; false where it is none. A coordinate with more places than are kept is rounded, and told.
func (p *patient) place(pointer string, raw jsontext.Value) (Place, bool) {
	var in struct {
		Scene  string           `json:"scene"`
		At     []jsontext.Value `json:"at"`
		Facing string           `json:"facing"`
	}
	if hasNull(raw) || json.Unmarshal(raw, &in, json.RejectUnknownMembers(true)) != nil {
		p.tell(KindType, pointer, "a place is wanted, not %s", brief(raw))
		return Place{}, false
	}
	place := Place{Scene: in.Scene, At: make([]fixed.Num, len(in.At)), Facing: in.Facing}
	for i, text := range in.At {
		n, err := fixed.Exact(string(text))
		if errors.Is(err, fixed.ErrPlaces) {
			p.found = append(p.found, Problem{Kind: KindPlace, Pointer: fmt.Sprintf("%s/at/%d", pointer, i),
				Name: named(pointer), Reason: brief(text) + " has more than nine decimal places", Instead: "it is " +
					n.String()})
		} else if err != nil {
			p.tell(KindType, pointer, "a place is wanted, not %s", brief(raw))
			return Place{}, false
		}
		place.At[i] = n
	}
	return place, true
}

func (p *patient) world(pointer string, root map[string]jsontext.Value) *LooseWorld {
	w := &LooseWorld{World: &World{}}
	worldMembers.patiently(p, pointer, root, w)
	p.rest(pointer, root)
	return w
}
