package types

import (
	"errors"
	"fmt"
	"math"
	"math/bits"
	"strings"

	"alluvion.dev/core/fixed"
)

// Domain is which values a variable, an argument or an attribute can have.
type Domain struct {
	Type                 Type
	Min, Max, Step       fixed.Num // of a number; Min and Max always hold, declared or not
	Refuse               bool      // at_limit: refuse
	MinLength, MaxLength int       // of a text, in characters
	Alphabet             string    // of a text: the characters allowed; "" stands for all
	Item                 *Domain   // of a list or a set: what its items are
	MaxItems             int       // of a list or a set
	quick                quick
}

// quick is a number's limits in billionths, with what tells whether a number is a whole multiple of its step
// without dividing; most is 0 where the figures are too large for that.
//
// Test for a zero remainder: H. S. Warren, Hacker's Delight, 2nd edition, section 10-17. With step = 2^twos × odd,
// n is a multiple of step where n × odd^-1 (modulo 2^64), turned right by twos, is at most (2^64 - 1) / step.
type quick struct {
	min, max int64
	inverse  uint64
	twos     int
	most     uint64
}

// hasten prepares the quick way.
func (d *Domain) hasten() {
	lo, okLo := d.Min.Nano()
	hi, okHi := d.Max.Nano()
	step, okStep := d.Step.Nano()
	if okLo && okHi && okStep && lo > -1<<61 && hi < 1<<61 && step > 0 {
		d.quick = quickly(lo, hi, uint64(step))
	}
}

func quickly(lo, hi int64, step uint64) quick {
	twos := bits.TrailingZeros64(step)
	odd := step >> twos
	inverse := odd // right in its last three bits; each turn doubles how many are
	for range 5 {
		inverse *= 2 - odd*inverse
	}
	return quick{lo, hi, inverse, twos, math.MaxUint64 / step}
}

// admits says whether a number is certainly right.
func (q *quick) admits(n fixed.Num) bool {
	i, ok := n.Nano()
	return ok && q.most > 0 && q.min <= i && i <= q.max && bits.RotateLeft64(uint64(max(i, -i))*q.inverse,
		-q.twos) <= q.most
}

// kind is the domain's type, or that of what has no values where it could not be read.
func (d *Domain) kind() Kind {
	if d.Type.Kind == nil {
		return bare{words: "something"}
	}
	return d.Type.Kind
}

// Fit makes v a value of the domain as an assignment does: numbers are rounded to the step and moved
// to the nearer limit (or refused), everything else has to be right as it is (rules 20, 21).
func (d *Domain) Fit(v Value) (Value, error) {
	if v.IsNone() {
		return v, d.Admit(v)
	}
	return d.kind().Fit(d, v)
}

// Rounded is a number from outside, rounded to the step (rule 24); everything else is as it is.
func (d *Domain) Rounded(v Value) Value {
	if v.Kind != IsNum || !d.Type.Numeric() || d.quick.admits(v.Num) {
		return v
	}
	if n, err := v.Num.RoundTo(d.Step); err == nil {
		return OfNum(n)
	}
	return v
}

// Admits says whether a number is certainly a value of the domain; Admit says what is wrong with the others.
func (d *Domain) Admits(n fixed.Num) bool { return d.quick.admits(n) }

// FitNumber is Fit for a number.
func (d *Domain) FitNumber(n fixed.Num) (fixed.Num, error) {
	if d.quick.admits(n) {
		return n, nil
	}
	n, err := n.RoundTo(d.Step)
	if err != nil {
		return n, err
	}
	if d.Refuse && (n.Less(d.Min) || d.Max.Less(n)) {
		return n, fmt.Errorf("%s is outside %s to %s", n, d.Min, d.Max)
	}
	return fixed.Max(d.Min, fixed.Min(d.Max, n)), nil
}

// Misfit is why something is no value of a domain.
type Misfit struct {
	Of   MisfitKind
	text string
}

// MisfitKind tells in which way it is none.
type MisfitKind uint8

// The ways.
const (
	OfType   MisfitKind = iota // it is of another type
	OfRange                    // it is beyond the limits
	OfStep                     // it is between two steps
	OfOption                   // it is none of the options
)

// Error says it in words.
func (m *Misfit) Error() string { return m.text }

func misfit(of MisfitKind, format string, args ...any) error {
	return &Misfit{of, fmt.Sprintf(format, args...)}
}

// Nearest is the value of the domain that is nearest to one that is out of range or between steps; false where
// nothing is near.
func (d *Domain) Nearest(v Value) (Value, bool) {
	v = d.kind().Nearest(d, v)
	return v, d.Admit(v) == nil
}

// Admit says what is wrong with v as a value of the domain; nothing is rounded or moved.
func (d *Domain) Admit(v Value) error {
	switch {
	case v.Kind == IsNum && d.quick.admits(v.Num), v.IsNone() && d.Type.Optional:
		return nil
	case v.IsNone():
		return misfit(OfType, "a value is wanted, not none")
	}
	return d.kind().Admit(d, v)
}

// inAlphabet reads "a-z0-9_-": single characters and ranges; a - at the end stands for itself.
func inAlphabet(r rune, letters [][2]rune) bool {
	for _, span := range letters {
		if span[0] <= r && r <= span[1] {
			return true
		}
	}
	return false
}

// spans are the ranges of an alphabet; a single character is a range of one.
func spans(alphabet string) [][2]rune {
	var out [][2]rune
	a := []rune(alphabet)
	for i := 0; i < len(a); i++ {
		if i+2 < len(a) && a[i+1] == '-' {
			out = append(out, [2]rune{a[i], a[i+2]})
			i += 2
		} else {
			out = append(out, [2]rune{a[i], a[i]})
		}
	}
	return out
}

// Pattern is a text's alphabet as a regular expression (ECMA-262, as JSON Schema has it).
func (d *Domain) Pattern() string {
	var out strings.Builder
	out.WriteString("^[")
	for _, span := range spans(d.Alphabet) {
		for i, r := range span {
			if i == 1 && span[0] == r {
				break
			} else if i == 1 {
				out.WriteByte('-')
			}
			if strings.ContainsRune(`\\]^-[`, r) {
				out.WriteByte('\\')
			}
			out.WriteRune(r)
		}
	}
	return out.String() + "]*$"
}

// Letters lists the characters of an alphabet, each once, in their order in it; nil where a range goes
// backwards, or there are more than most.
func Letters(alphabet string, most int) []rune {
	seen := map[rune]bool{}
	var out []rune
	for _, span := range spans(alphabet) {
		if span[1] < span[0] || int(span[1]-span[0]) >= most {
			return nil
		}
		for r := span[0]; r <= span[1]; r++ {
			if !seen[r] {
				seen[r], out = true, append(out, r)
			}
		}
	}
	if len(out) > most {
		return nil
	}
	return out
}

// FromJSON reads a value of the domain, exactly: nothing is rounded, and a number in quotes is a text. The items of a
// set are put in order, and one that stands there twice counts once.
func (d *Domain) FromJSON(raw []byte) (Value, error) {
	v, _, err := d.Stored(raw)
	return v, err
}

// Stored is FromJSON; twice says that an item of a set stood there more than once.
func (d *Domain) Stored(raw []byte) (v Value, twice bool, err error) {
	if v, err = FromJSON(raw); err != nil {
		return v, false, err
	}
	many := len(v.Text)
	v, err = d.Once(v)
	return v, len(v.Text) < many, err
}

// Once is a value as the domain has it, and what is wrong with it: in a set each item stands once, in order.
func (d *Domain) Once(v Value) (Value, error) {
	v = d.kind().Stored(d, v)
	return v, d.Admit(v)
}

// FromLiteral reads a value that is written in a plan.
func (d *Domain) FromLiteral(l Literal) (Value, error) {
	v, err := d.kind().Written(d, l)
	if errors.Is(err, errNoList) {
		return v, fmt.Errorf("%s is wanted, not a list", d.Type.Value())
	}
	if err != nil {
		return v, err
	}
	return v, d.Admit(v)
}

// errNoList says that a list is written where there can be none.
var errNoList = errors.New("a list cannot stand here")

// FromWords reads a value of the domain as people type it into a field: 12, true, oddny, none; of a list, a set or a
// point, the items with commas between, or empty. A text is what is typed; where it may be none, none is none.
func (d *Domain) FromWords(s string) (Value, error) {
	s = strings.TrimSpace(s)
	if s == "none" && d.Type.Optional {
		return None, nil
	}
	v, err := d.kind().Typed(d, s)
	if err != nil {
		return v, err
	}
	return v, d.Admit(v)
}

// Choices are what a value can be, as people type it, where that is one of a few; otherwise there are none.
func (d *Domain) Choices() []string {
	out := d.kind().Choices(d)
	if out == nil {
		return []string{}
	}
	if d.Type.Optional {
		out = append(out, "none")
	}
	return out
}

// Edges are the values at a domain's limits, none where it may be none.
func (d *Domain) Edges(dice Dice) []Value {
	out := d.kind().Edges(d, dice)
	if d.Type.Optional {
		return append([]Value{None}, out...)
	}
	return out
}

// Some is any value of a domain; sometimes none, where it may be none.
func (d *Domain) Some(dice Dice) Value {
	if d.Type.Optional && dice(4) == 0 {
		return None
	}
	return d.kind().Some(d, dice)
}

// Schema is the JSON Schema (2020-12) of a domain's values.
func (d *Domain) Schema() map[string]any {
	out := d.kind().Schema(d)
	if d.Type.Optional {
		return map[string]any{"oneOf": []any{map[string]any{"type": "null"}, out}}
	}
	return out
}

// Narrowed says what another version of a domain of the same type makes of the values that there are. renamed are
// options that an upgrade step gives other names.
func Narrowed(old, now *Domain, renamed map[string]string) []Narrowing {
	return now.kind().Narrowed(old, now, renamed)
}

// Declare works out a domain from its declaration.
func Declare(kind Kind, from *Declared) Domain {
	d := Domain{Type: Type{Kind: kind, Optional: from.Optional}}
	if kind != nil {
		kind.Declare(from, &d)
	}
	return d
}

// ChoicesOf are the values that one can be, where it is one of a few; none otherwise.
func ChoicesOf(d *Domain) []Value {
	out := []Value{}
	for _, typed := range d.kind().Choices(d) {
		if value, err := d.kind().Typed(d, typed); err == nil {
			out = append(out, value)
		}
	}
	return out
}
