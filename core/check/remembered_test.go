package check_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A passage to a remembered place leads, where nothing is remembered, to the spot in else: that is a way there. Where
// something is remembered it is where somebody has been before, which is a way out and none to anything new.
func TestWaysToRememberedPlaces(t *testing.T) {
	plan := func(passages string) string {
		return `
alluvion: 1
game: roads
version: 1
space: {axes: [x, y]}
start: yard/gate
saving: {when: [leave], every: 30s}
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  place: {death: checkpoint, leave: exact, new-run: start}
scenes:
  yard: {size: [9, 9], spots: {gate: {at: [1, 1]}}}
  mill: {size: [9, 9], spots: {door: {at: [1, 1]}}}
checkpoints: {fallback: yard/gate, list: {}}
waymarks: {home: {}}
events: {mark: {from: self}}
rules: [{on: mark, do: [{remember: home}]}]
passages: {` + passages + `}
`
	}
	found := func(passages, id string) []string { return of(judged(t, plan(passages)), id) }
	assert.Empty(t, found("back: {from: yard/gate, to: home, else: mill/door}", "unreachable-scene"), "the mill is where it leads at first")
	assert.Len(t, found("back: {from: yard/gate, to: home, else: yard/gate}", "unreachable-scene"), 1, "who was never there cannot be led back there")
	assert.Empty(t, found("in: {from: yard/gate, to: mill/door}, back: {from: mill/door, to: home, else: mill/door}", "no-way-out"), "home may be the yard")
	assert.Len(t, found("in: {from: yard/gate, to: mill/door}", "no-way-out"), 1)
}

// A run that begins takes from all slots what it sets to the start value, however that is written; another value it does
// not.
func TestARunThatSetsWhatAllSlotsHaveToItsStart(t *testing.T) {
	raw, err := os.ReadFile("../../examples/troubled/restarts-all-slots.yaml")
	require.NoError(t, err)
	for to, many := range map[string]int{"0": 1, "2 - 2": 1, "min(0, 5)": 1, "1": 0, "3 - 2": 0, "profile.stars": 0} {
		text := replaced(t, string(raw), "do: [{set: profile.stars, to: 0}]", `do: [{set: profile.stars, to: "`+to+`"}]`)
		assert.Len(t, of(judged(t, text), "restarts-all-slots"), many, to)
	}
}
