package types

import (
	"fmt"
	"math"
	"math/bits"
	"slices"
	"strings"
	"unicode/utf8"

	"alluvion/core/fixed"
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

// Hasten prepares the quick way.
func (d *Domain) Hasten() {
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
	return ok && q.most > 0 && q.min <= i && i <= q.max && bits.RotateLeft64(uint64(max(i, -i))*q.inverse, -q.twos) <= q.most
}

// Fit makes v a value of the domain as an assignment does: numbers are rounded to the step and moved
// to the nearer limit (or refused), everything else has to be right as it is (rules 20, 21).
func (d *Domain) Fit(v Value) (Value, error) {
	switch {
	case d.Type.Item != nil:
		return d.fitItems(v)
	case d.Type.Kind == Point && v.Kind == IsList:
		return d.fitPoint(v)
	case v.Kind != IsNum || !d.Type.Numeric():
		return v, d.Admit(v)
	}
	n, err := d.FitNumber(v.Num)
	if err != nil {
		return v, err
	}
	return OfNum(n), nil
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

// fitItems fits each item; those of a set stand once each, in order.
func (d *Domain) fitItems(v Value) (Value, error) {
	items := v.Items()
	for i := range items {
		fit, err := d.Item.Fit(items[i])
		if err != nil {
			return v, err
		}
		items[i] = fit
	}
	if d.Type.Kind == Set {
		slices.SortFunc(items, compareValues)
		items = slices.Compact(items)
	}
	if v.Kind == IsList {
		v = OfItems(items)
	}
	return v, d.Admit(v)
}

func compareValues(a, b Value) int {
	switch {
	case a.Less(b):
		return -1
	case b.Less(a):
		return 1
	}
	return 0
}

func (d *Domain) fitPoint(v Value) (Value, error) {
	items := v.Items()
	for i := range items {
		n, err := items[i].Num.RoundTo(d.Step)
		if err != nil {
			return v, err
		}
		items[i].Num = n
	}
	v = OfItems(items)
	return v, d.Admit(v)
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
	switch {
	case v.Kind == IsNum && (d.Type.Numeric() || d.Type.Kind == Seed):
		n, err := v.Num.RoundTo(d.Step)
		if err != nil {
			return v, false
		}
		v = OfNum(fixed.Max(d.Min, fixed.Min(d.Max, n)))
	case v.Kind == IsList && d.Type.Item != nil:
		items := v.Items()
		for i := range items {
			if near, ok := d.Item.Nearest(items[i]); ok {
				items[i] = near
			}
		}
		v = OfItems(items[:min(len(items), d.MaxItems)])
	case v.Kind == IsList && d.Type.Kind == Point:
		if near, err := d.fitPoint(v); err == nil {
			v = near
		}
	}
	return v, d.Admit(v) == nil
}

// Admit says what is wrong with v as a value of the domain; nothing is rounded or moved.
func (d *Domain) Admit(v Value) error {
	if v.Kind == IsNum && d.quick.admits(v.Num) {
		return nil
	}
	if v.IsNone() {
		if d.Type.Optional {
			return nil
		}
		return misfit(OfType, "a value is wanted, not none")
	}
	switch t := &d.Type; {
	case t.Numeric(), t.Kind == Seed:
		return d.admitNumber(v)
	case t.Item != nil, t.Kind == Point:
		return d.admitItems(v)
	case t.Kind == Bool && v.Kind != IsBool:
		return misfit(OfType, "true or false is wanted, not %s", v)
	case t.Kind != Bool && v.Kind != IsText:
		return misfit(OfType, "%s is wanted, not %s", t.Value(), v)
	case t.Kind == Text:
		return d.admitText(v.Text)
	case t.Named() && !slices.Contains(t.Names, v.Text):
		return misfit(OfOption, "there is no %s called %q; there is %s", t.Of, v.Text, strings.Join(t.Names, ", "))
	}
	return nil
}

func (d *Domain) admitItems(v Value) error {
	if v.Kind != IsList {
		return misfit(OfType, "%s is wanted, not %s", d.Type.Value(), v)
	}
	items := v.Items()
	if d.Type.Kind == Point {
		if len(items) != len(d.Type.Names) {
			return misfit(OfType, "a point has %d coordinates here (%s), not %d", len(d.Type.Names), strings.Join(d.Type.Names, ", "), len(items))
		}
		for _, n := range items {
			if err := d.admitNumber(n); err != nil {
				return err
			}
		}
		return nil
	}
	if len(items) > d.MaxItems {
		return misfit(OfRange, "it would have %d items, and at most %d are allowed", len(items), d.MaxItems)
	}
	for i, item := range items {
		if err := d.Item.Admit(item); err != nil {
			return err
		}
		if d.Type.Kind == Set && i > 0 && !items[i-1].Less(item) {
			return misfit(OfType, "the items of a set stand once each, in order")
		}
	}
	return nil
}

func (d *Domain) admitNumber(v Value) error {
	switch {
	case v.Kind != IsNum:
		return misfit(OfType, "a number is wanted, not %s", v)
	case v.Num.Less(d.Min) || d.Max.Less(v.Num):
		return misfit(OfRange, "%s is outside %s to %s", v, d.Min, d.Max)
	case !v.Num.MultipleOf(d.Step):
		return misfit(OfStep, "%s is not a whole number of steps of %s", v, d.Step)
	}
	return nil
}

func (d *Domain) admitText(s string) error {
	n := utf8.RuneCountInString(s)
	switch {
	case !utf8.ValidString(s):
		return misfit(OfType, "the text is not UTF-8")
	case n < d.MinLength:
		return misfit(OfRange, "the text has %d characters; at least %d are wanted", n, d.MinLength)
	case n > d.MaxLength:
		return misfit(OfRange, "the text has %d characters; at most %d are allowed", n, d.MaxLength)
	}
	if d.Alphabet == "" {
		return nil
	}
	for letters := spans(d.Alphabet); s != ""; {
		r, n := utf8.DecodeRuneInString(s)
		s = s[n:]
		if !inAlphabet(r, letters) {
			return misfit(OfRange, "the character %q is not among %s", r, d.Alphabet)
		}
	}
	return nil
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

// FromJSON reads a value of the domain, exactly: nothing is rounded, and a number in quotes is a text. The items of a set
// are put in order, and one that stands there twice counts once.
func (d *Domain) FromJSON(raw []byte) (Value, error) {
	v, _, err := d.Stored(raw)
	return v, err
}

// Stored is FromJSON; twice says that an item of a set stood there more than once.
func (d *Domain) Stored(raw []byte) (v Value, twice bool, err error) {
	if v, err = FromJSON(raw); err != nil {
		return v, false, err
	}
	if d.Type.Kind == Set && v.Kind == IsList {
		many := len(v.Items())
		v, err = d.Once(v)
		return v, len(v.Items()) < many, err
	}
	return v, false, d.Admit(v)
}

// Once is a list as the domain has it, and what is wrong with it: in a set each item stands once, in order.
func (d *Domain) Once(v Value) (Value, error) {
	if d.Type.Kind == Set {
		items := v.Items()
		slices.SortFunc(items, compareValues)
		v = OfItems(slices.Compact(items))
	}
	return v, d.Admit(v)
}

// FromLiteral reads a value that is written in a plan.
func (d *Domain) FromLiteral(l Literal) (Value, error) {
	v := OfText(l.Text)
	switch {
	case l.Kind == LiteralList:
		return d.fromItems(l)
	case l.Kind == LiteralNumber && d.Type.Kind != Text && !d.Type.Named():
		v = OfNum(l.Number)
	case l.Kind == LiteralBool && d.Type.Kind != Text && !d.Type.Named():
		v = OfBool(l.Bool)
	}
	return v, d.Admit(v)
}

func (d *Domain) fromItems(l Literal) (Value, error) {
	item := d.itemDomain()
	if item == nil {
		return None, fmt.Errorf("%s is wanted, not a list", d.Type.Value())
	}
	items := make([]Value, len(l.Items))
	for i, one := range l.Items {
		v, err := item.FromLiteral(one)
		if err != nil {
			return v, err
		}
		items[i] = v
	}
	v := OfItems(items)
	if d.Type.Kind == Set {
		return d.fitItems(v)
	}
	return v, d.Admit(v)
}
