package pack

import (
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/bitstream"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

// Message is what one message of a carrier holds: by name, a value for each sample, the newest first; of what is
// carried once, one value.
type Message map[string][]types.Value

// Encode writes a message in the carrier's symbols: every field in its place, each number as fixed-width digits of the
// alphabet, the highest first. What the layout has no room for, or a value that is none of its variable's, is an error.
func (l Layout) Encode(m Message) (string, error) {
	if left := l.Left(); left < 0 {
		return "", fmt.Errorf("a message takes %d symbols, and %d fit", l.Used, l.Carrier.Length)
	}
	if err := l.known(m); err != nil {
		return "", err
	}
	var out strings.Builder
	for _, f := range l.Fields {
		values, i := m[f.Name], max(f.Sample-1, 0)
		if i >= len(values) {
			return "", fmt.Errorf("%s is missing", f.title())
		}
		if err := l.encode(&out, f, values[i]); err != nil {
			return "", fmt.Errorf("%s: %w", f.title(), err)
		}
	}
	return out.String(), nil
}

// known says which name of a message the carrier does not carry.
func (l Layout) known(m Message) error {
	for name, values := range m {
		n := 0
		for _, f := range l.Fields {
			if f.Name == name {
				n++
			}
		}
		switch {
		case n == 0:
			return fmt.Errorf("%s does not carry %s", l.Carrier.ID, name)
		case len(values) > n:
			return fmt.Errorf("%s has %d values, and %d are carried", name, len(values), n)
		}
	}
	return nil
}

// text says whether the field's values are written letter by letter.
func (f Field) text() bool { return f.code.Kind == "text" }

func (f Field) title() string {
	if f.Sample > 0 {
		return fmt.Sprintf("%s, sample %d", f.Name, f.Sample)
	}
	return f.Name
}

func (l Layout) encode(out *strings.Builder, f Field, v types.Value) error {
	if err := f.domain.Admit(v); err != nil {
		return err
	}
	if f.text() {
		return l.encodeText(out, f, v)
	}
	code, err := f.number(v)
	if err != nil {
		return err
	}
	l.digits(out, code, f.Width)
	return nil
}

// number is the number that a value is sent as.
func (f Field) number(v types.Value) (uint64, error) {
	if _, ok := f.domain.Codes(); !ok {
		return 0, fmt.Errorf("it has too many values to tell apart")
	}
	return f.code.Number(v)
}

// digits writes a number in the alphabet, in so many symbols.
func (l Layout) digits(out *strings.Builder, code uint64, width int) {
	base := uint64(len(l.Carrier.Alphabet))
	symbols := make([]rune, width)
	for i := width - 1; i >= 0; i-- {
		symbols[i] = l.Carrier.Alphabet[code%base]
		code /= base
	}
	out.WriteString(string(symbols))
}

// encodeText writes a text letter by letter: 0 stands for no letter, then each letter of the text's own alphabet, and
// after these, in place of the first letter, that the whole text is none.
func (l Layout) encodeText(out *strings.Builder, f Field, v types.Value) error {
	letters, each := lettersOf(f.domain), f.Width/max(f.domain.MaxLength, 1)
	codes := make([]uint64, f.domain.MaxLength)
	if v.IsNone() {
		codes[0] = letters.count + 1
	}
	i := 0
	for _, r := range v.Text {
		codes[i] = letters.code(r) + 1
		i++
	}
	for _, code := range codes {
		l.digits(out, code, each)
	}
	return nil
}

// letters are those that a text may have: a list, or all that there are.
type letters struct {
	list  []rune
	count uint64
}

// allLetters is how many code points Unicode has.
const allLetters = 0x110000

func lettersOf(d *types.Domain) letters {
	if d.Alphabet != "" {
		if list := types.Letters(d.Alphabet, allLetters); list != nil {
			return letters{list, uint64(len(list))}
		}
	}
	return letters{nil, allLetters}
}

func (l letters) code(r rune) uint64 {
	if l.list == nil {
		return uint64(r)
	}
	return uint64(slices.Index(l.list, r)) // it is among them: the domain admits the text
}

func (l letters) letter(code uint64) (rune, bool) {
	switch {
	case code >= l.count:
		return 0, false
	case l.list == nil:
		return rune(code), true
	}
	return l.list[code], true
}

// Decode reads a message. What is none of the carrier's, in any symbol, is an error that says where.
func (l Layout) Decode(message string) (Message, error) {
	symbols := []rune(message)
	if len(symbols) != l.Used {
		return nil, fmt.Errorf("a message of %s has %d symbols, not %d", l.Carrier.ID, l.Used, len(symbols))
	}
	out := Message{}
	for _, f := range l.Fields {
		v, err := l.decode(f, symbols[f.At:f.At+f.Width])
		if err == nil {
			err = f.domain.Admit(v)
		}
		if err != nil {
			return nil, fmt.Errorf("%s, at symbol %d: %w", f.title(), f.At+1, err)
		}
		out[f.Name] = append(out[f.Name], v)
	}
	return out, nil
}

func (l Layout) decode(f Field, symbols []rune) (types.Value, error) {
	if f.text() {
		return l.decodeText(f, symbols)
	}
	code, err := l.number(symbols)
	if err != nil {
		return types.None, err
	}
	var s bitstream.Source
	v := f.code.ValueOf(&s, code)
	return v, s.Err()
}

// number reads a number in the alphabet.
func (l Layout) number(symbols []rune) (uint64, error) {
	var code uint64
	base := uint64(len(l.Carrier.Alphabet))
	for _, r := range symbols {
		i := slices.Index(l.Carrier.Alphabet, r)
		if i < 0 {
			return 0, fmt.Errorf("%q is not one of the carrier's symbols", r)
		}
		if code > (1<<63)/base {
			return 0, fmt.Errorf("the number is too large")
		}
		code = code*base + uint64(i)
	}
	return code, nil
}

func (l Layout) decodeText(f Field, symbols []rune) (types.Value, error) {
	known, each := lettersOf(f.domain), f.Width/max(f.domain.MaxLength, 1)
	var text []rune
	ended, none := false, false
	for at := 0; at < len(symbols); at += each {
		code, err := l.number(symbols[at : at+each])
		if err != nil {
			return types.None, err
		}
		switch r, ok := known.letter(code - 1); {
		case code == 0:
			ended = true
		case at == 0 && code == known.count+1 && f.domain.Type.Optional:
			ended, none = true, true
		case !ok || ended:
			return types.None, fmt.Errorf("the code %d is no letter here", code)
		default:
			text = append(text, r)
		}
	}
	if none {
		return types.None, nil
	}
	return types.OfText(string(text)), nil
}

// Advice is one way in which a layout could take less.
type Advice struct {
	Name  string    // of the field
	Kind  string    // step, range, length, samples
	Value fixed.Num // the coarser step; the greatest value; how many letters; how many samples
	Saves int       // symbols, over all samples
}

// String says it in words.
func (a Advice) String() string {
	switch a.Kind {
	case "step":
		return fmt.Sprintf("steps of %s for %s would save %d", a.Value, a.Name, a.Saves)
	case "length":
		return fmt.Sprintf("%s with at most %s letters would save %d", a.Name, a.Value, a.Saves)
	case "range":
		return fmt.Sprintf("%s up to %s would save %d", a.Name, a.Value, a.Saves)
	}
	return fmt.Sprintf("%s samples would save %d", a.Value, a.Saves)
}

// Advice lists what would make the message shorter, the most first: a coarser step, a narrower range, a
// shorter text, fewer samples.
func (l Layout) Advice() []Advice {
	var out []Advice
	for _, s := range l.Savings() {
		out = append(out, Advice{s.Name, "step", s.Step, s.Symbol})
	}
	sampled := 0
	for _, f := range l.Fields {
		if f.Sample == 1 {
			sampled += f.Width
		}
		if f.Sample <= 1 {
			if a, ok := l.narrower(f); ok {
				out = append(out, a)
			}
			if a, ok := l.shorter(f); ok {
				out = append(out, a)
			}
		}
	}
	if n := l.Carrier.Samples; sampled > 0 && n > 1 {
		out = append(out, Advice{"place", "samples", fixed.FromInt(int64(n - 1)), sampled})
	}
	slices.SortStableFunc(out, func(a, b Advice) int { return b.Saves - a.Saves })
	return out
}

// shorter is how long a text may be for the message to fit; where it fits, one letter less than now.
func (l Layout) shorter(f Field) (Advice, bool) {
	most := f.domain.MaxLength
	if !f.text() || most < 2 || f.Width < most {
		return Advice{}, false
	}
	each := f.Width / most
	fewer := max(1, (-l.Left()+each-1)/each)
	if fewer >= most {
		return Advice{}, false // no text that is left of it would do
	}
	return Advice{f.Name, "length", fixed.FromInt(int64(most - fewer)), fewer * each}, true
}

// narrower is the greatest value up to which a number would take one symbol less.
func (l Layout) narrower(f Field) (Advice, bool) {
	codes, ok := f.domain.Codes()
	if !f.domain.Type.Numeric() || !ok || f.Width < 2 {
		return Advice{}, false
	}
	fewer := int64(1)
	for range f.Width - 1 {
		fewer *= int64(len(l.Carrier.Alphabet))
	}
	if f.domain.Type.Optional {
		fewer--
	}
	if fewer < 2 || fewer >= codes || fewer < codes/4 { // less than a quarter of what it may be now is another variable
		return Advice{}, false
	}
	span, err := fixed.FromInt(fewer - 1).Mul(f.domain.Step)
	if err != nil {
		return Advice{}, false
	}
	most, err := f.domain.Min.Add(span)
	times := 1
	if f.Sample > 0 {
		times = l.Carrier.Samples
	}
	return Advice{f.Name, "range", most, times}, err == nil
}
