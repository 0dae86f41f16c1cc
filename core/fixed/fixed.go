// Package fixed is exact decimal arithmetic: whole numbers of billionths in 128 bits.
//
// Game figures are written in decimal (0.1, 99.5), so they are kept in decimal: ten times 0.1 is 1,
// on every machine. A result that needs more than nine places is rounded half away from zero
// (semantics, rule 20). Nothing here allocates unless a figure is beyond nine thousand million.
package fixed

import (
	"errors"
	"fmt"
	"math"
	"math/big"
	"math/bits"
	"strconv"
	"strings"
)

// Places is how many decimal places a Num keeps.
const Places = 9

const unit = 1_000_000_000

// Num is a decimal number of nine places between ±1.7 × 10^29, compared with ==. The zero value is 0.
// It is held as hi·2^64 + lo billionths, in two's complement.
type Num struct {
	hi int64
	lo uint64
}

// ErrOverflow says that a result does not fit; ErrDivision that something was divided by zero.
var (
	ErrOverflow = errors.New("the result is too large a number")
	ErrDivision = errors.New("division by zero")
)

// MaxStored is the largest whole number of steps that a stored value may have: 2^53 − 1, the last
// one that every JSON reader keeps exactly (RFC 8259, section 6).
const MaxStored = 1<<53 - 1

// FromInt is the whole number i.
func FromInt(i int64) Num {
	neg := i < 0
	u := uint64(i)
	if neg {
		u = -u
	}
	hi, lo := bits.Mul64(u, unit)
	n := Num{int64(hi), lo}
	if neg {
		return n.Neg()
	}
	return n
}

// FromNano is n billionths.
func FromNano(n int64) Num { return Num{n >> 63, uint64(n)} }

// Nano gives the number as billionths, and whether they fit in 64 bits.
func (a Num) Nano() (int64, bool) { return int64(a.lo), a.hi == int64(a.lo)>>63 }

// Int gives the whole number that a is; false where a has a fraction or is beyond 64 bits.
func (a Num) Int() (int64, bool) {
	if n, ok := a.Nano(); ok {
		return n / unit, n%unit == 0
	}
	q, r := new(big.Int).QuoRem(a.big(), bigUnit, new(big.Int))
	return q.Int64(), r.Sign() == 0 && q.IsInt64()
}

// Float is about the number, for estimates: what is kept or sent is never computed with it.
func (a Num) Float() float64 {
	if n, ok := a.Nano(); ok {
		return float64(n) / 1e9
	}
	return (float64(a.hi)*0x1p64 + float64(a.lo)) / 1e9
}

// Sign is -1, 0 or 1.
func (a Num) Sign() int {
	switch {
	case a.hi < 0:
		return -1
	case a.hi == 0 && a.lo == 0:
		return 0
	}
	return 1
}

// Cmp is -1 where a < b, 0 where they are equal, 1 where a > b.
func (a Num) Cmp(b Num) int {
	switch {
	case a.hi < b.hi || a.hi == b.hi && a.lo < b.lo:
		return -1
	case a == b:
		return 0
	}
	return 1
}

// Less says whether a < b.
func (a Num) Less(b Num) bool { return a.Cmp(b) < 0 }

// Neg is −a.
func (a Num) Neg() Num {
	lo, borrow := bits.Sub64(0, a.lo, 0)
	hi, _ := bits.Sub64(0, uint64(a.hi), borrow)
	return Num{int64(hi), lo}
}

// Abs is a without its sign.
func (a Num) Abs() Num {
	if a.hi < 0 {
		return a.Neg()
	}
	return a
}

// Add is a + b, or ErrOverflow.
func (a Num) Add(b Num) (Num, error) {
	lo, carry := bits.Add64(a.lo, b.lo, 0)
	hi, _ := bits.Add64(uint64(a.hi), uint64(b.hi), carry)
	sum := Num{int64(hi), lo}
	if (a.hi < 0) == (b.hi < 0) && (sum.hi < 0) != (a.hi < 0) {
		return Num{}, ErrOverflow
	}
	return sum, nil
}

// Sub is a − b, or ErrOverflow.
func (a Num) Sub(b Num) (Num, error) { return a.Add(b.Neg()) }

// Mul is a × b rounded half away from zero at nine places, or ErrOverflow.
func (a Num) Mul(b Num) (Num, error) {
	x, negX, okX := a.small()
	y, negY, okY := b.small()
	if okX && okY {
		hi, lo := bits.Mul64(x, y)
		return quotient(hi, lo, unit, negX != negY)
	}
	return fromBig(quoHalfAway(new(big.Int).Mul(a.big(), b.big()), bigUnit))
}

// small gives a number without its sign, where that fits in 64 bits.
func (a Num) small() (n uint64, neg, ok bool) {
	if a.hi < 0 {
		a = a.Neg()
		return a.lo, true, a.hi == 0
	}
	return a.lo, false, a.hi == 0
}

// quotient is hi·2^64 + lo divided by b, rounded half away from zero.
func quotient(hi, lo, b uint64, neg bool) (Num, error) {
	var above uint64
	if hi >= b {
		above, hi = hi/b, hi%b
	}
	q, r := bits.Div64(hi, lo, b)
	if r >= b-r {
		var carry uint64
		q, carry = bits.Add64(q, 1, 0)
		above += carry
	}
	if above > math.MaxInt64 {
		return Num{}, ErrOverflow
	}
	n := Num{int64(above), q}
	if neg {
		n = n.Neg()
	}
	return n, nil
}

// Div is a ÷ b rounded half away from zero at nine places, or ErrDivision, or ErrOverflow.
func (a Num) Div(b Num) (Num, error) {
	if b.Sign() == 0 {
		return Num{}, ErrDivision
	}
	x, negX, okX := a.small()
	y, negY, okY := b.small()
	if okX && okY {
		hi, lo := bits.Mul64(x, unit)
		return quotient(hi, lo, y, negX != negY)
	}
	return fromBig(quoHalfAway(new(big.Int).Mul(a.big(), bigUnit), b.big()))
}

// DivWhole is a ÷ b without its fraction (towards zero), or ErrDivision.
func (a Num) DivWhole(b Num) (Num, error) {
	if b.Sign() == 0 {
		return Num{}, ErrDivision
	}
	x, negX, okX := a.small()
	y, negY, okY := b.small()
	if okX && okY {
		hi, lo := bits.Mul64(x/y, unit)
		n := Num{int64(hi), lo}
		if negX != negY {
			n = n.Neg()
		}
		return n, nil
	}
	q := new(big.Int).Quo(a.big(), b.big())
	return fromBig(q.Mul(q, bigUnit))
}

// Mod is what DivWhole leaves: a − b × DivWhole(a, b). It has the sign of a.
func (a Num) Mod(b Num) (Num, error) {
	if b.Sign() == 0 {
		return Num{}, ErrDivision
	}
	x, okX := a.Nano()
	y, okY := b.Nano()
	if okX && okY {
		return FromNano(x % y), nil
	}
	return fromBig(new(big.Int).Rem(a.big(), b.big()))
}

// RoundTo is the multiple of step nearest to a, halves away from zero. A step of 0 changes nothing.
func (a Num) RoundTo(step Num) (Num, error) {
	if step.Sign() <= 0 {
		return a, nil
	}
	x, okX := a.Nano()
	s, okS := step.Nano()
	if okX && okS && s < 1<<61 && x < 1<<61 && x > -(1<<61) {
		r := x % s
		switch {
		case r == 0:
		case r > 0 && r >= s-r:
			x += s - r
		case r < 0 && -r >= s+r:
			x -= s + r
		default:
			x -= r
		}
		return FromNano(x), nil
	}
	q := quoHalfAway(a.big(), step.big())
	return fromBig(q.Mul(q, step.big()))
}

// Floor is the largest whole number not above a, Ceil the smallest not below it.
func (a Num) Floor() Num {
	r, _ := a.Mod(one)
	if r.Sign() < 0 {
		r, _ = r.Add(one)
	}
	f, err := a.Sub(r)
	if err != nil {
		return a
	}
	return f
}

// Ceil is the smallest whole number not below a.
func (a Num) Ceil() Num { return a.Neg().Floor().Neg() }

// MultipleOf says whether a is a whole number of steps.
func (a Num) MultipleOf(step Num) bool {
	if step.Sign() == 0 {
		return true
	}
	r, _ := a.Mod(step)
	return r.Sign() == 0
}

// Storable says whether a value of this step keeps its figure in every JSON reader: at most
// 2^53 − 1 steps from zero, and at most 15 significant digits (rule 20).
func (a Num) Storable(step Num) bool {
	if step.Sign() <= 0 {
		step = Num{0, 1}
	}
	steps, err := a.Abs().DivWhole(step)
	if err != nil || FromInt(MaxStored).Less(steps) {
		return false
	}
	digits := strings.TrimLeft(strings.ReplaceAll(a.Abs().String(), ".", ""), "0")
	if !strings.Contains(a.String(), ".") {
		digits = strings.TrimRight(digits, "0")
	}
	return len(digits) <= 15
}

// Min and Max choose between two.
func Min(a, b Num) Num {
	if b.Less(a) {
		return b
	}
	return a
}

// Max is the larger of two.
func Max(a, b Num) Num {
	if a.Less(b) {
		return b
	}
	return a
}

// GCD is the largest number that a and b are both whole multiples of; GCD(a, 0) is |a|.
func GCD(a, b Num) Num {
	a, b = a.Abs(), b.Abs()
	for b.Sign() != 0 {
		r, _ := a.Mod(b)
		a, b = b, r
	}
	return a
}

// String is the number in plain decimal, with as many places as it needs: "12", "-0.5".
func (a Num) String() string {
	if n, ok := a.Nano(); ok && n != math.MinInt64 {
		return nanoString(n)
	}
	q, r := new(big.Int).QuoRem(a.big(), bigUnit, new(big.Int))
	if r.Sign() == 0 {
		return q.String()
	}
	frac := nanoString(r.Abs(r).Int64())
	if q.Sign() == 0 && a.Sign() < 0 {
		return "-" + frac
	}
	return q.String() + frac[1:]
}

func nanoString(n int64) string {
	sign := ""
	if n < 0 {
		sign, n = "-", -n
	}
	whole := sign + strconv.FormatInt(n/unit, 10)
	if n%unit == 0 {
		return whole
	}
	frac := strconv.FormatInt(unit+n%unit, 10)[1:]
	return whole + "." + strings.TrimRight(frac, "0")
}

// MarshalJSON writes the number as a JSON number.
func (a Num) MarshalJSON() ([]byte, error) { return []byte(a.String()), nil }

// UnmarshalJSON reads a JSON number, exactly.
func (a *Num) UnmarshalJSON(b []byte) (err error) {
	*a, err = Exact(string(b))
	return err
}

// Parse reads a plain decimal: an optional sign, digits, an optional fraction of at most nine
// places. Exponents, hexadecimal, infinities and spaces are refused.
func Parse(s string) (Num, error) {
	if n, ok := parseShort(s); ok {
		return n, nil
	}
	body, neg := strings.CutPrefix(s, "-")
	whole, frac, dotted := strings.Cut(body, ".")
	if whole == "" || dotted && frac == "" || !digits(whole) || !digits(frac) {
		return Num{}, errors.New("not a plain decimal number: " + strconv.Quote(short(s)))
	}
	if len(strings.TrimRight(frac, "0")) > Places {
		return Num{}, errors.New("more than nine decimal places: " + strconv.Quote(short(s)))
	}
	if len(whole) > 40 {
		return Num{}, ErrOverflow
	}
	frac = (frac + "000000000")[:Places]
	v, _ := new(big.Int).SetString(whole+frac, 10)
	if neg {
		v.Neg(v)
	}
	return fromBig(v)
}

// ErrPlaces says that a number has more decimal places than are kept.
var ErrPlaces = errors.New("more than nine decimal places")

// Read reads a number as programs write it in JSON (RFC 8259, section 6), 1.5e-3 and 20.100000000000001 among them, and
// rounds it half away from zero at nine places: what a game computes in binary fractions is meant to be a decimal.
func Read(s string) (Num, error) {
	n, _, err := read(s)
	return n, err
}

// Exact is Read for what is not to be rounded: a number with more places than are kept is ErrPlaces.
func Exact(s string) (Num, error) {
	n, exact, err := read(s)
	if err == nil && !exact {
		err = fmt.Errorf("%w: %s", ErrPlaces, short(s))
	}
	return n, err
}

// read is Read; exact says that nothing was rounded.
func read(s string) (n Num, exact bool, err error) {
	if n, err := Parse(s); err == nil || errors.Is(err, ErrOverflow) {
		return n, true, err
	}
	body, neg := strings.CutPrefix(s, "-")
	mantissa, power, scientific := strings.Cut(strings.ToLower(body), "e")
	whole, frac, dotted := strings.Cut(mantissa, ".")
	exponent, err := strconv.Atoi(strings.TrimPrefix(power, "+"))
	if whole == "" || dotted && frac == "" || !digits(whole) || !digits(frac) || scientific && err != nil {
		return Num{}, false, errors.New("not a number: " + strconv.Quote(short(s)))
	}
	all := strings.TrimLeft(whole+frac, "0")
	scale := exponent - len(frac) + Places // all × 10^scale are billionths
	switch {
	case all == "" || len(all)+scale < 0:
		return Num{}, all == "", nil
	case len(all)+scale > 50:
		return Num{}, false, ErrOverflow
	}
	exact = true
	if scale >= 0 {
		all += strings.Repeat("0", scale)
	} else {
		rest := all[len(all)+scale:]
		exact = strings.Trim(rest, "0") == ""
		all = "0" + all[:len(all)+scale]
		v, _ := new(big.Int).SetString(all, 10)
		if rest[0] >= '5' {
			v.Add(v, big.NewInt(1))
		}
		all = v.String()
	}
	v, _ := new(big.Int).SetString(all, 10)
	if neg {
		v.Neg(v)
	}
	n, err = fromBig(v)
	return n, exact, err
}

// ParseBytes is Parse for bytes.
func ParseBytes(b []byte) (Num, error) {
	if n, ok := parseShort(b); ok {
		return n, nil
	}
	return Parse(string(b))
}

// parseShort is Parse for numbers of few digits, which most are; false where it cannot tell.
func parseShort[T string | []byte](s T) (Num, bool) {
	i, neg := 0, false
	if len(s) > 0 && s[0] == '-' {
		i, neg = 1, true
	}
	if len(s)-i > 9 || i == len(s) || s[i] == '.' || s[len(s)-1] == '.' {
		return Num{}, false
	}
	v, places := int64(0), -1
	for ; i < len(s); i++ {
		switch c := s[i]; {
		case c == '.' && places < 0:
			places = 0
		case c < '0' || c > '9':
			return Num{}, false
		default:
			v = v*10 + int64(c-'0')
			if places >= 0 {
				places++
			}
		}
	}
	for range Places - max(places, 0) {
		v *= 10
	}
	if neg {
		v = -v
	}
	return FromNano(v), true
}

// Must is Parse for constants in code: it panics on anything but a number.
func Must(s string) Num {
	n, err := Parse(s)
	if err != nil {
		panic(err)
	}
	return n
}

func digits(s string) bool {
	for _, c := range s {
		if c < '0' || c > '9' {
			return false
		}
	}
	return true
}

func short(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}

var (
	one     = FromInt(1)
	bigUnit = big.NewInt(unit)
	bigMin  = new(big.Int).Neg(new(big.Int).Lsh(big.NewInt(1), 127))
	bigMax  = new(big.Int).Sub(new(big.Int).Lsh(big.NewInt(1), 127), big.NewInt(1))
	bigWord = new(big.Int).Lsh(big.NewInt(1), 64)
)

func (a Num) big() *big.Int {
	b := big.NewInt(a.hi)
	return b.Lsh(b, 64).Add(b, new(big.Int).SetUint64(a.lo))
}

func fromBig(b *big.Int) (Num, error) {
	if b.Cmp(bigMin) < 0 || b.Cmp(bigMax) > 0 {
		return Num{}, ErrOverflow
	}
	hi, lo := new(big.Int).DivMod(b, bigWord, new(big.Int))
	return Num{hi.Int64(), lo.Uint64()}, nil
}

// quoHalfAway is a ÷ b rounded to the nearest whole number, halves away from zero.
func quoHalfAway(a, b *big.Int) *big.Int {
	q, r := new(big.Int).QuoRem(a, b, new(big.Int))
	if r.Abs(r).Lsh(r, 1).CmpAbs(b) >= 0 {
		q.Add(q, big.NewInt(int64(a.Sign()*b.Sign())))
	}
	return q
}

// Sqrt is the largest number of nine places whose square is at most a; 0 for what is negative.
func (a Num) Sqrt() Num {
	if a.Sign() <= 0 {
		return Num{}
	}
	if a.hi == 0 {
		hi, lo := bits.Mul64(a.lo, unit)
		root := uint64(math.Sqrt(float64(hi)*(1<<64) + float64(lo))) // at most one off: it has 47 bits
		for over(root, hi, lo) {
			root--
		}
		for !over(root+1, hi, lo) {
			root++
		}
		return Num{0, root}
	}
	n := new(big.Int).Mul(a.big(), bigUnit)
	out, _ := fromBig(n.Sqrt(n))
	return out
}

// over says whether root² is more than hi·2^64 + lo.
func over(root, hi, lo uint64) bool {
	h, l := bits.Mul64(root, root)
	return h > hi || h == hi && l > lo
}
