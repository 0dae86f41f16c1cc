package pack_test

import (
	"fmt"
	"math/big"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion/core/check"
	"alluvion/core/model"
	"alluvion/core/pack"
	"alluvion/examples"
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
	assert.Equal(t, []rune("abc-"), model.Letters("a-ca-", 10))
	assert.Nil(t, model.Letters("z-a", 10), "backwards")
	assert.Nil(t, model.Letters("a-z", 10), "more than wanted")
}
