package expr_test

import (
	"errors"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// state is an Env over a few values.
type state struct {
	values []types.Value
	err    error
}

func (s *state) Hand(int, int) int                      { return 0 }
func (s *state) Changed([]*expr.Ref, int) ([]int, bool) { return nil, false }
func (s *state) AtStart(bool)                           {}
func (s *state) Fault(error) error                      { return nil }
func (s *state) Person(int) int                         { return 0 }

func (s *state) Mine(slot int) fixed.Num {
	return s.Read(&expr.Ref{What: expr.Variable, Who: expr.Self, Slot: slot}).Num
}

func (s *state) Number(ref *expr.Ref) fixed.Num { return s.Read(ref).Num }

func (s *state) Read(r *expr.Ref) types.Value { return s.values[r.Slot] }
func (s *state) Fail(err error)               { s.err = errors.Join(s.err, err) }

const (
	oil = iota
	warmth
	debt
	name
	lamp
	courier
	lit
	scene
)

var roster = &types.Roster{ID: "courier", Attributes: map[string]types.Attribute{
	"pack": {Type: types.Type{Kind: types.Int, Range: types.Whole()}, Values: map[string]types.Value{"brisa": types.OfInt(6), "oddny": types.OfInt(9)}},
}}

func names() expr.Names {
	num := func(kind types.Kind, lo, hi, step string, optional bool) types.Type {
		return types.Type{Kind: kind, Optional: optional, Range: types.Between(fixed.Must(lo), fixed.Must(hi), fixed.Must(step))}
	}
	fields := map[string]*expr.Entry{}
	for slot, f := range map[int]struct {
		name string
		t    types.Type
	}{
		oil: {"oil", num(types.Int, "0", "40", "1", false)}, warmth: {"warmth", num(types.Decimal, "-10", "150", "0.5", false)},
		debt: {"debt", num(types.Int, "0", "9", "1", true)}, name: {"name", types.Type{Kind: types.Text}},
		lamp:    {"lamp", types.Type{Kind: types.Choice, Of: "lamp", Names: []string{"out", "low", "bright"}}},
		courier: {"courier", types.Type{Kind: types.Pick, Of: "courier", Names: []string{"brisa", "oddny"}, Roster: roster, Optional: true}},
		lit:     {"lit", types.Type{Kind: types.Bool}}, scene: {"scene", types.Type{Kind: types.Choice, Of: "scene", Names: []string{"hut", "yard"}}},
	} {
		fields[f.name] = &expr.Entry{Type: f.t, Ref: expr.Ref{What: expr.Variable, Slot: slot}}
	}
	return expr.Names{Roots: map[string]*expr.Entry{"player": {Type: types.Type{Kind: types.Player}, Ref: expr.Ref{Who: expr.Self}, Fields: fields}}}
}

func values() *state {
	return &state{values: []types.Value{oil: types.OfInt(12), warmth: types.OfNum(fixed.Must("99.5")), debt: types.None, name: types.OfText("Wren"),
		lamp: types.OfText("low"), courier: types.OfText("oddny"), lit: types.OfBool(true), scene: types.OfText("yard")}}
}

func compile(source string) (*expr.Program, finding.List) {
	return expr.Compile(plan.Expr{Source: source, At: finding.At{Line: 3, Column: 10}}, names(), nil)
}

func TestValues(t *testing.T) {
	for source, want := range map[string]string{
		"player.oil + 1":     "13",
		"player.oil * 0.1":   "1.2",
		"player.oil / 8":     "1.5",
		"div(player.oil, 5)": "2", "mod(player.oil, 5)": "2", "-player.oil": "-12", "player.oil % 5": "2",
		"1 / 3":                          "0.333333333",
		"0.1 + 0.2":                      "0.3",
		"min(player.oil, 3, 7)":          "3",
		"clamp(player.warmth, 0, 50)":    "50",
		"floor(-0.5)":                    "-1",
		"ceil(-0.5)":                     "0",
		"round(2.5)":                     "3",
		"abs(-3)":                        "3",
		"player.warmth > player.oil":     "true",
		"player.lamp == 'low'":           "true",
		"player.scene != 'hut'":          "true",
		"player.debt == 3":               "false", // comparing none is allowed, and false
		"player.debt != 3":               "true",
		"player.debt.orValue(5) + 1":     "6",
		"has(player.debt)":               "false",
		"player.courier.pack.orValue(0)": "9",
		"has(player.courier) && player.courier.pack > 8":  "true",
		"!has(player.courier) || player.courier.pack > 8": "true",
		"has(player.debt) ? player.debt : -1":             "-1",
		"player.courier == 'oddny' ? 1 : 2":               "1",
		"player.name + '!'":                               `"Wren!"`,
		"player.name.size() == 4":                         "true",
		"player.name.contains('re')":                      "true",
		"player.lit && player.oil >= 12":                  "true",
	} {
		p, found := compile(source)
		if assert.NotNil(t, p, "%s: %+v", source, found) {
			env := values()
			assert.Equal(t, want, p.Eval(env).String(), source)
			assert.NoError(t, env.err)
		}
	}
}

func TestMistakesInExpressions(t *testing.T) {
	for _, row := range []struct {
		source, id string
		column     int
		nearest    string
	}{
		{"player.warmht > 3", "unknown-name", 10, "player.warmth"},
		{"warmth > 3", "unknown-name", 10, "player.warmth"},
		{"1 + plyer.oil", "unknown-name", 14, "player"},
		{"player.lamp == 'lwo'", "unknown-name", 25, "low"},
		{"player.courier.pck.orValue(1)", "unknown-name", 10, "pack"},
		{"flor(player.oil)", "unknown-name", 10, "floor"},
		{"player.oil + player.name", "type-mismatch", 23, ""},
		{"player.oil && true", "type-mismatch", 10, ""},
		{"player.lamp < 3", "type-mismatch", 10, ""},
		{"player.lamp == player.scene", "type-mismatch", 0, ""},
		{"player", "", 0, ""},
		{"player.debt + 1", "none-unhandled", 10, ""},
		{"player.courier.pack > 1", "none-unhandled", 10, ""},
		{"has(player.courier) || player.courier.pack > 1", "none-unhandled", 33, ""},
		{"player.oil / 0", "bad-expression", 23, ""},
		{"player.oil +", "bad-expression", 22, ""},
		{"min()", "bad-expression", 13, ""},
		{"abs(1, 2)", "bad-expression", 13, ""},
		{"[1, 2]", "bad-expression", 10, ""},
		{"player.oil in [1]", "bad-expression", 0, ""},
		{"1e300 > player.oil", "bad-expression", 10, ""},
		{"player.oil = 3", "bad-expression", 0, ""},
		{"draw(1, 2, 3, 4) > 1", "type-mismatch", 0, ""},
		{"player.oil.everyone(1)", "unknown-name", 0, ""},
	} {
		p, found := compile(row.source)
		if row.id == "" {
			assert.NotNil(t, p, row.source)
			continue
		}
		if assert.NotEmpty(t, found, row.source) {
			assert.Nil(t, p)
			assert.Equal(t, row.id, found[0].ID, "%s: %+v", row.source, found)
			assert.Equal(t, row.nearest, found[0].Nearest, row.source)
			if row.column > 0 {
				assert.Equal(t, row.column, found[0].Column, "%s: %+v", row.source, found)
			}
		}
	}
}

func TestRule20FailuresReachTheEnvironment(t *testing.T) {
	p, found := compile("player.oil / (player.oil - 12)")
	require.Empty(t, found)
	env := values()
	p.Eval(env)
	assert.ErrorIs(t, env.err, fixed.ErrDivision)
}

func TestTruthsAreProofs(t *testing.T) {
	for source, want := range map[string]types.Truth{
		"player.oil <= 40": types.True, "player.oil > 40": types.False, "player.oil > 39": types.Unknown, "player.oil == 0.5": types.False,
		"player.oil + player.oil <= 80": types.True, "player.warmth * 2 > 301": types.False, "player.oil == 40 || true": types.True,
		"player.oil > 40 && player.lit": types.False, "!(player.oil > 40)": types.True, "player.lamp == 'low'": types.Unknown,
		"min(player.oil, 5) <= 5": types.True, "abs(player.warmth) >= 0": types.True, "div(player.oil, 10) <= 4": types.True, "mod(player.oil, 5) > 5": types.False,
	} {
		p, found := compile(source)
		require.NotNil(t, p, "%s: %+v", source, found)
		assert.Equal(t, want, p.Type.Truth, source)
	}
}

// numeric draws an expression of numbers, as text.
func numeric(t *rapid.T, depth int) string {
	if depth == 0 || rapid.IntRange(0, 3).Draw(t, "leaf") == 0 {
		return rapid.SampledFrom([]string{"player.oil", "player.warmth", "player.debt.orValue(4)", "3", "0.5", "0", "7.25"}).Draw(t, "value")
	}
	a, b := numeric(t, depth-1), numeric(t, depth-1)
	form := rapid.SampledFrom([]string{"(%s + %s)", "(%s - %s)", "(%s * %s)", "(%s / %s)", "min(%s, %s)", "max(%s, %s)", "div(%s, %s)", "mod(%s, %s)",
		"(player.lit ? %s : %s)", "clamp(%s, 0, max(0, %s))", "floor(%s + %s)", "round(%s - %s)", "abs(%s - %s)", "ceil(%s * %s)"}).Draw(t, "form")
	return fmt.Sprintf(form, a, b)
}

// What an expression is said to be able to be, it is: inside its range, and a multiple of its step; and
// a comparison that is said to be certain comes out like that.
func TestRangesHoldWhateverTheValues(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		source := numeric(t, 3)
		p, _ := compile(source)
		if p == nil {
			return // it divides by zero for certain
		}
		env := values()
		env.values[oil] = types.OfInt(rapid.IntRange(0, 40).Draw(t, "oil"))
		half, _ := fixed.FromInt(rapid.Int64Range(-20, 300).Draw(t, "halves")).Mul(fixed.Must("0.5"))
		env.values[warmth] = types.OfNum(half)
		env.values[lit] = types.OfBool(rapid.Bool().Draw(t, "lit"))
		v := p.Eval(env).Num
		if env.err != nil {
			return
		}
		r := p.Type.Range
		assert.False(t, r.HasLo && v.Less(r.Lo), "%s is %s, below %s", source, v, r.Lo)
		assert.False(t, r.HasHi && r.Hi.Less(v), "%s is %s, above %s", source, v, r.Hi)
		if r.Step.Sign() > 0 {
			assert.True(t, v.MultipleOf(r.Step), "%s is %s, no multiple of %s", source, v, r.Step)
		}
	})
}

func TestReadsAreNoted(t *testing.T) {
	p, found := compile("player.oil == 3 && player.warmth > 1")
	require.Empty(t, found)
	var paths []string
	for _, r := range p.Reads {
		paths = append(paths, r.Path)
	}
	slices.Sort(paths)
	assert.Equal(t, []string{"player.oil", "player.warmth"}, paths)
	require.Len(t, p.Equals, 1)
	assert.Equal(t, "3", p.Equals[0].To.String())
	assert.True(t, p.ReadsAny(func(r expr.Ref) bool { return r.Slot == warmth }))
}

func FuzzCompile(f *testing.F) {
	for _, s := range []string{"player.oil + 1", "has(player.debt) && player.debt > 1", "min(1, 2, 3)", "player.courier.pack.orValue(1)", "((((", "'\\x'", "1u", "b'a'", "a.b(c)[d]?e:f"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, source string) {
		p, found := compile(source)
		if p == nil && !found.Errors() {
			t.Fatal("neither a program nor an error")
		}
		if p != nil {
			p.Eval(values())
		}
	})
}
