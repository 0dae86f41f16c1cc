package fixed_test

import (
	"math"
	"math/big"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/fixed"
)

func TestRule20TenTimesATenthIsOne(t *testing.T) {
	sum, tenth := fixed.Num{}, fixed.Must("0.1")
	for range 10 {
		var err error
		sum, err = sum.Add(tenth)
		require.NoError(t, err)
	}
	assert.Equal(t, fixed.FromInt(1), sum)
}

func TestParseAndString(t *testing.T) {
	for _, same := range []string{"0", "1", "-1", "0.5", "-0.5", "12.000000001", "9007199254740991",
		"-123456789012345678901234567", "123456789012345678901.5", "-0.000000001"} {
		n, err := fixed.Parse(same)
		require.NoError(t, err, same)
		assert.Equal(t, same, n.String())
	}
	for _, bad := range []string{"", "-", ".", "1.", ".5", "1e3", "0x10", " 1", "+1", "1.0000000001", "NaN", "١"} {
		_, err := fixed.Parse(bad)
		assert.Error(t, err, "%q", bad)
	}
	_, err := fixed.Parse("999999999999999999999999999999999999999999")
	assert.ErrorIs(t, err, fixed.ErrOverflow)
}

func TestRule20RoundsHalfAwayFromZero(t *testing.T) {
	for _, row := range []struct{ value, step, want string }{
		{"0.25", "0.5", "0.5"}, {"-0.25", "0.5", "-0.5"}, {"0.24", "0.5", "0"}, {"-0.24", "0.5", "0"},
		{"2.5", "1", "3"}, {"-2.5", "1", "-3"}, {"7", "5", "5"}, {"7.5", "5", "10"}, {"1.1", "0", "1.1"},
		{"20000000000000.3", "0.5", "20000000000000.5"},
	} {
		got, err := fixed.Must(row.value).RoundTo(fixed.Must(row.step))
		require.NoError(t, err)
		assert.Equal(t, row.want, got.String(), "%s to steps of %s", row.value, row.step)
	}
}

func TestRule20OverflowAndZeroAreErrors(t *testing.T) {
	huge := fixed.Must("170141183460469231731687303715")
	_, err := huge.Add(huge)
	assert.ErrorIs(t, err, fixed.ErrOverflow)
	_, err = huge.Mul(fixed.FromInt(2))
	assert.ErrorIs(t, err, fixed.ErrOverflow)
	for _, op := range []func(fixed.Num) (fixed.Num, error){huge.Div, huge.DivWhole, huge.Mod} {
		_, err = op(fixed.Num{})
		assert.ErrorIs(t, err, fixed.ErrDivision)
	}
}

func TestStorable(t *testing.T) {
	assert.True(t, fixed.FromInt(fixed.MaxStored/10).Storable(fixed.FromInt(1)))
	assert.False(t, fixed.FromInt(fixed.MaxStored+1).Storable(fixed.FromInt(1)))
	assert.False(t, fixed.FromInt(fixed.MaxStored).Storable(fixed.Must("0.5")))
	assert.True(t, fixed.Must("-99.5").Storable(fixed.Must("0.5")))
}

// The same sums done by math/big say what each operation must give.
func TestAgreesWithRationals(t *testing.T) {
	number := rapid.Custom(func(t *rapid.T) fixed.Num {
		n := fixed.FromNano(rapid.Int64().Draw(t, "nano"))
		if rapid.Bool().Draw(t, "large") {
			n, _ = n.Mul(fixed.FromInt(rapid.Int64Range(-1<<31, 1<<31).Draw(t, "by")))
		}
		return n
	})
	rat := func(n fixed.Num) *big.Rat {
		r, _ := new(big.Rat).SetString(n.String())
		return r
	}
	rapid.Check(t, func(t *rapid.T) {
		a, b := number.Draw(t, "a"), number.Draw(t, "b")
		sum, err := a.Add(b)
		require.NoError(t, err)
		assert.Zero(t, rat(sum).Cmp(new(big.Rat).Add(rat(a), rat(b))))
		assert.Equal(t, rat(a).Cmp(rat(b)), a.Cmp(b))
		half := big.NewRat(1, 2_000_000_000)
		if p, err := a.Mul(b); err == nil {
			off := new(big.Rat).Sub(rat(p), new(big.Rat).Mul(rat(a), rat(b)))
			assert.LessOrEqual(t, off.Abs(off).Cmp(half), 0)
		}
		if b.Sign() != 0 {
			if q, err := a.Div(b); err == nil {
				off := new(big.Rat).Sub(rat(q), new(big.Rat).Quo(rat(a), rat(b)))
				assert.LessOrEqual(t, off.Abs(off).Cmp(half), 0)
			}
		}
		f := a.Floor()
		assert.True(t, f.Cmp(a) <= 0 && f.MultipleOf(fixed.FromInt(1)))
		again, err := fixed.Parse(a.String())
		require.NoError(t, err)
		assert.Equal(t, a, again)
	})
}

func TestReadTakesWhatProgramsWrite(t *testing.T) {
	for text, want := range map[string]string{
		"20.100000000000001": "20.1", "0.30000000000000004": "0.3", "1.0": "1", "-0.0000000005": "-0.000000001", "0.0000000004": "0", "1e3": "1000", "1.5E-3": "0.0015",
		"12.5e+1": "125", "-2.5e0": "-2.5", "1e-400": "0", "0e99": "0", "3": "3", "9.9999999999": "10",
	} {
		n, err := fixed.Read(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, n.String(), text)
	}
	for _, bad := range []string{"", "-", "1.", ".5", "1e", "e5", "0x10", "NaN", "Infinity", "1e400", "1 2", "1e999999999999"} {
		_, err := fixed.Read(bad)
		assert.Error(t, err, bad)
	}
	rapid.Check(t, func(t *rapid.T) {
		f := rapid.Float64Range(-1e6, 1e6).Draw(t, "f")
		n, err := fixed.Read(strconv.FormatFloat(f, 'g', -1, 64))
		if err != nil {
			t.Fatalf("%v: %v", f, err)
		}
		back, _ := strconv.ParseFloat(n.String(), 64)
		if math.Abs(back-f) > 0.6e-9+math.Abs(f)*1e-15 {
			t.Fatalf("%v was read as %s", f, n)
		}
	})
}

// The quick ways, for what fits in 64 bits, give what arithmetic of any length gives: rounded half away from zero, cut
// off towards zero, and the root below.
func TestTheQuickWaysAreExact(t *testing.T) {
	unit := big.NewInt(1_000_000_000)
	nano := func(n *big.Int) string {
		s := new(big.Int).Abs(n).String()
		for len(s) < 10 {
			s = "0" + s
		}
		s = strings.TrimRight(strings.TrimRight(s[:len(s)-9]+"."+s[len(s)-9:], "0"), ".")
		if n.Sign() < 0 {
			s = "-" + s
		}
		return s
	}
	rounded := func(n, by *big.Int) *big.Int { // half away from zero
		q, r := new(big.Int).QuoRem(n, by, new(big.Int))
		if new(big.Int).Abs(r.Lsh(r, 1)).Cmp(new(big.Int).Abs(by)) >= 0 {
			q.Add(q, big.NewInt(int64(n.Sign()*by.Sign())))
		}
		return q
	}
	edges := []int64{0, 1, 2, 3, 499_999_999, 500_000_000, 500_000_001, 1_000_000_000, 1_500_000_000, math.MaxInt64 - 1, math.MaxInt64, -1, -500_000_000, math.MinInt64 + 1}
	rapid.Check(t, func(t *rapid.T) {
		one := func(name string) int64 {
			if rapid.Bool().Draw(t, name+" is an edge") {
				return rapid.SampledFrom(edges).Draw(t, name)
			}
			return rapid.Int64().Draw(t, name)
		}
		x, y := one("x"), one("y")
		a, b := fixed.FromNano(x), fixed.FromNano(y)
		bx, by := big.NewInt(x), big.NewInt(y)
		p, err := a.Mul(b)
		require.NoError(t, err)
		assert.Equal(t, nano(rounded(new(big.Int).Mul(bx, by), unit)), p.String())
		if y != 0 {
			q, err := a.Div(b)
			require.NoError(t, err)
			assert.Equal(t, nano(rounded(new(big.Int).Mul(bx, unit), by)), q.String())
			w, err := a.DivWhole(b)
			require.NoError(t, err)
			assert.Equal(t, nano(new(big.Int).Mul(new(big.Int).Quo(bx, by), unit)), w.String())
		}
		if x > 0 {
			assert.Equal(t, nano(new(big.Int).Sqrt(new(big.Int).Mul(bx, unit))), a.Sqrt().String())
		}
	})
}
