package share_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/share"
	"alluvion.dev/internal/worlds"
)

const plain = `
alluvion: 1
game: plain
version: 1
space: {axes: [x, y], step: 1}
start: hall/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
scenes:
  hall: {size: [8, 8], spots: {door: {at: [1, 1]}}}
  yard: {size: [8, 8], spots: {gate: {at: [1, 1]}}}
  pit:  {size: [8, 8], spots: {foot: {at: [1, 1]}}}
passages: {out: {from: hall/door, to: yard/gate, both_ways: true}, down: {from: hall/door, to: pit/foot, both_ways: true}}
saving: {when: [leave], every: 30s}
`

// A plan without milestones and checkpoints has no values of them.
func TestALayoutHasNothingThatThePlanHasNot(t *testing.T) {
	var names []string
	for _, f := range share.LayoutOf(worlds.Load(t, plain)).Holders[0].Fields {
		names = append(names, f.Name)
	}
	assert.Equal(t, "player.here player.place player.dead player.slot player.visits", strings.Join(names, " "))
}

// Three scenes take two bits, and the fourth number is none.
func TestAPlaceInASceneThatThereIsNotIsNone(t *testing.T) {
	l := share.LayoutOf(worlds.Load(t, plain))
	_, _, _, err := l.UnpackPlace([]byte{0b10_001_001, 0, 0})
	require.NoError(t, err)
	_, _, _, err = l.UnpackPlace([]byte{0b11_001_001, 0, 0})
	assert.Error(t, err)
}
