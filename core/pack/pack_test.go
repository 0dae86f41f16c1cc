package pack_test

import (
	"fmt"
	"math/big"
	"testing"
	"time"
	"unicode/utf8"

	_ "alluvion.dev/core/action" // what rules can do

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/bitstream"
	"alluvion.dev/core/check"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/pack"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

func layout(t require.TestingT, variable, carries, alphabet string) pack.Layout {
	text := fmt.Sprintf(`
alluvion: 1
game: pack
version: 1
start: a/s
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
variables:
  v: {of: player, read_by: game, written_by: game, %s}
scenes: {a: {size: [64, 48], spots: {s: {at: [1, 1]}}}, b: {size: [8, 8], origin: [-8, -8], spots: {s: {at: [-1, -1]}}}}
passages: {p: {from: a/s, to: b/s, both_ways: true}}
carriers: {c: {alphabet: %q, length: 500, lanes: 16, every: 200ms, carries: [%s]}}
saving: {every: 30s}
`, variable, alphabet, carries)
	m, _, found := check.Text([]byte(text))
	require.NotNil(t, m, "%+v", found)
	return pack.Of(m.Carriers[0])
}

func TestEachFieldTakesTheFewestSymbolsThatTellItsValuesApart(t *testing.T) {
	for name, row := range map[string]struct {
		variable, carries, alphabet string
		want                        int
	}{
		"a bool in digits":               {"type: bool, start: false", "player.v", "0-9", 1},
		"ten values in digits":           {"type: int, min: 0, max: 9, start: 0", "player.v", "0-9", 1},
		"and one more":                   {"type: int, min: 0, max: 10, start: 0", "player.v", "0-9", 2},
		"ten values, or none":            {"type: int, min: 0, max: 9, optional: true", "player.v", "0-9", 2},
		"below zero":                     {"type: int, min: -5, max: 4, start: 0", "player.v", "0-9", 1},
		"a thousand tenths":              {"type: decimal, min: 0, max: 99.9, step: 0.1, start: 0", "player.v", "0-9", 3},
		"the widest number in two":       {"type: int, start: 0", "player.v", "01", 51},
		"letters in their own alphabet":  {"type: text, max_length: 4, alphabet: a-y, start: a", "player.v", "a-z", 4},
		"letters and none":               {"type: text, max_length: 4, alphabet: a-y, optional: true", "player.v", "a-z", 8},
		"any letters":                    {"type: text, max_length: 2, start: a", "player.v", "0-9a-zA-Z", 8},
		"a choice of three":              {"type: choice, choices: [x, y, z], start: x", "player.v", "01", 2},
		"a seed":                         {"type: seed", "player.v", "0-9", 10},
		"the scene":                      {"type: bool, start: false", "place.scene", "01", 1},
		"an axis over all scenes":        {"type: bool, start: false", "place.x", "0-9", 5},
		"whether dead, and a checkpoint": {"type: bool, start: false", "player.dead, player.checkpoint", "01", 1},
	} {
		l := layout(t, row.variable, row.carries, row.alphabet)
		assert.Equal(t, row.want, l.Used, name)
		assert.Equal(t, 500-row.want, l.Left(), name)
	}
}

// The formula: symbols^width is at least the number of codes, and symbols^(width-1) is not.
func TestWidthsAreTheSmallestThatDo(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		lo, hi := rapid.Int64Range(-1_000_000_000, 0).Draw(t, "min"), rapid.Int64Range(1, 1_000_000_000).Draw(t, "max")
		alphabet := rapid.SampledFrom([]string{"01", "0-9", "0-9a-f", "A-Za-z0-9", "a-z"}).Draw(t, "alphabet")
		l := layout(t, fmt.Sprintf("type: int, min: %d, max: %d, start: 0", lo, hi), "player.v", alphabet)
		base, codes := big.NewInt(int64(len(l.Carrier.Alphabet))), big.NewInt(hi-lo+1)
		reach := new(big.Int).Exp(base, big.NewInt(int64(l.Used)), nil)
		require.True(t, reach.Cmp(codes) >= 0, "%s^%d tells %s values apart", base, l.Used, codes)
		below := new(big.Int).Exp(base, big.NewInt(int64(l.Used-1)), nil)
		require.True(t, below.Cmp(codes) < 0, "one symbol less would do")
	})
}

func TestFieldsStandOneBehindTheOtherAndPlacesAreSampled(t *testing.T) {
	m, _, found := check.Text(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, "%+v", found)
	l := pack.Of(m.Carriers[0])
	at := 0
	samples := map[string]int{}
	for _, f := range l.Fields {
		assert.Equal(t, at, f.At, f.Name)
		at += f.Width
		samples[f.Name]++
	}
	assert.Equal(t, at, l.Used)
	assert.Equal(t, map[string]int{"place.scene": 3, "place.x": 3, "place.y": 3, "player.courier": 1, "player.nickname": 1}, samples)
	assert.Equal(t, 200*time.Millisecond, l.HeardAfter(60))
	assert.Equal(t, 400*time.Millisecond, l.HeardAfter(61), "in turn")
	require.NotEmpty(t, l.Savings())
	for i, s := range l.Savings() {
		assert.True(t, i == 0 || l.Savings()[i-1].Symbol >= s.Symbol, "the most first")
	}
}

func TestLettersOfAnAlphabet(t *testing.T) {
	assert.Equal(t, []rune("abc-"), types.Letters("a-ca-", 10))
	assert.Nil(t, types.Letters("z-a", 10), "backwards")
	assert.Nil(t, types.Letters("a-z", 10), "more than wanted")
}

// Whatever fits a carrier comes back the same: below zero, decimals, leading zeros, digits in names, the widest.
func TestWhatIsEncodedForACarrierComesBackTheSame(t *testing.T) {
	for name, row := range map[string][2]string{
		"a bool":               {"type: bool, start: false", "0-9"},
		"an optional bool":     {"type: bool, optional: true", "01"},
		"below zero":           {"type: int, min: -500, max: 4, start: 0", "0-9"},
		"decimals":             {"type: decimal, min: -9.75, max: 99.25, step: 0.25, start: 0", "0-9a-f"},
		"optional decimals":    {"type: decimal, min: 0, max: 99.9, step: 0.1, optional: true", "01"},
		"the widest":           {"type: int, start: 0", "0-9"},
		"the widest, finest":   {"type: decimal, step: 0.000000001, start: 0", "01"},
		"digits in names":      {"type: text, max_length: 12, alphabet: a-z0-9_-, optional: true", "0-9"},
		"any letters":          {"type: text, max_length: 5, start: a", "0-9a-zA-Z"},
		"a choice":             {"type: choice, choices: [x, y, z], optional: true", "0-9"},
		"letters beyond ASCII": {"type: text, max_length: 3, alphabet: äöüß€, start: ä", "äöü"},
	} {
		t.Run(name, func(t *testing.T) {
			l := layout(t, row[0], "player.v, place.x, place.scene, player.dead", row[1])
			d := &l.Carrier.Carries[0].Domain
			x := &l.Carrier.Carries[1].Domain
			rapid.Check(t, func(t *rapid.T) {
				m := pack.Message{"player.v": {anyOf(t, d)}, "place.x": {anyOf(t, x)},
					"place.scene": {types.OfText(rapid.SampledFrom([]string{"a", "b"}).Draw(t, "scene"))}, "player.dead": {types.OfBool(rapid.Bool().Draw(t, "dead"))}}
				text, err := l.Encode(m)
				require.NoError(t, err)
				require.Equal(t, l.Used, utf8.RuneCountInString(text))
				back, err := l.Decode(text)
				require.NoError(t, err)
				require.Equal(t, m, back, text)

				var bits bitstream.Bits
				code := types.CodeOf(d)
				require.NoError(t, code.Write(&bits, m["player.v"][0]))
				require.LessOrEqual(t, len(bits.Raw())*8, code.Width()+7)
				source := bitstream.NewSource(bits.Raw())
				require.Equal(t, m["player.v"][0], code.Read(source))
				require.NoError(t, source.Err())
			})
		})
	}
}

// anyOf draws a value of a domain, its edges more often than not.
func anyOf(t *rapid.T, d *types.Domain) types.Value {
	if d.Type.Optional && rapid.IntRange(0, 4).Draw(t, "none") == 0 {
		return types.None
	}
	switch {
	case d.Type.Kind == types.Bool:
		return types.OfBool(rapid.Bool().Draw(t, "bool"))
	case d.Type.Named():
		return types.OfText(rapid.SampledFrom(d.Type.Names).Draw(t, "name"))
	case d.Type.Kind == types.Text:
		letters := types.Letters(d.Alphabet, 4096)
		if d.Alphabet == "" {
			letters = []rune("az09 \x00é€\U0010ffff")
		}
		return types.OfText(rapid.StringOfN(rapid.SampledFrom(letters), 0, d.MaxLength, -1).Draw(t, "text"))
	}
	codes, ok := d.Codes()
	require.True(t, ok)
	if d.Type.Optional {
		codes--
	}
	steps := rapid.Int64Range(0, codes-1).Draw(t, "steps")
	n, err := fixed.FromInt(steps).Mul(d.Step)
	require.NoError(t, err)
	n, err = d.Min.Add(n)
	require.NoError(t, err)
	return types.OfNum(n)
}

func TestWhatIsNoMessageOfACarrierIsRefusedWithItsPlace(t *testing.T) {
	l := layout(t, "type: int, min: 0, max: 250, optional: true", "player.v, player.dead", "0-9")
	for text, says := range map[string]string{"": "has 4 symbols, not 0", "12345": "not 5", "12x0": `'x' is not one of`, "9990": "stands for nothing", "0005": "player.dead, at symbol 4"} {
		_, err := l.Decode(text)
		require.ErrorContains(t, err, says)
	}
	for says, m := range map[string]pack.Message{
		"player.v is missing":     {"player.dead": {types.OfBool(true)}},
		"does not carry player.w": {"player.w": {types.OfInt(1)}},
		"outside 0 to 250":        {"player.v": {types.OfInt(251)}, "player.dead": {types.OfBool(true)}},
		"has 2 values, and 1 are": {"player.v": {types.OfInt(1), types.OfInt(2)}, "player.dead": {types.OfBool(true)}},
		"a number is wanted":      {"player.v": {types.OfText("x")}, "player.dead": {types.OfBool(true)}},
	} {
		_, err := l.Encode(m)
		require.ErrorContains(t, err, says)
	}
}

func FuzzDecode(f *testing.F) {
	l := layout(f, "type: text, max_length: 3, alphabet: a-z0-9, optional: true", "player.v, place.x, player.dead", "0-9")
	f.Add("000000000000")
	f.Fuzz(func(t *testing.T, text string) {
		m, err := l.Decode(text)
		if err != nil {
			return
		}
		again, err := l.Encode(m)
		require.NoError(t, err)
		require.Equal(t, text, again)
	})
}

func TestAdviceSaysWhatWouldMakeAMessageShorter(t *testing.T) {
	l := layout(t, "type: int, min: 0, max: 120, start: 0", "player.v, place.x", "0-9")
	var said []string
	for _, a := range l.Advice() {
		said = append(said, a.String())
	}
	require.Contains(t, said, "player.v up to 99 would save 1")
	require.Contains(t, said, "steps of 0.01 for place.x would save 1")

	long := layout(t, "type: text, max_length: 600, alphabet: a-z, start: a", "player.v, player.dead", "a-z0-9")
	said = nil
	for _, a := range long.Advice() {
		said = append(said, a.String())
	}
	require.Contains(t, said, "player.v with at most 499 letters would save 101")
}
