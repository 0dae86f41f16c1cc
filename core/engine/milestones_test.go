package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion/core/engine"
	"alluvion/core/types"
)

const marks = `
alluvion: 1
game: marks
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, game: {restart: keep}, place: {death: stay, leave: exact}}
variables:
  parcels: {of: player, type: int, min: 0, max: 99, start: 0}
  bonus:   {of: player, type: int, min: 0, max: 99, start: 0, read_by: game}
  twice:   {of: player, type: int, min: 0, max: 198, is: player.parcels * 2}
  fund:    {of: game, type: int, min: 0, max: 99, start: 0}
scenes:
  hut:  {size: [9, 9], spots: {door: {at: [1, 1]}}}
  yard: {size: [9, 9], spots: {gate: {at: [1, 1]}}}
passages: {out: {from: hut/door, to: yard/gate, both_ways: true}}
events: {load: {args: {n: {type: int, min: 1, max: 50}}, from: self}, pay: {from: self}, grant: {args: {at: player}, from: server}, strip: {args: {at: player}, from: server}, over: {from: self}}
rules:
  - {on: load, do: [{add: player.parcels, by: args.n}]}
  - {on: pay, do: [{add: game.fund, by: 10}]}
  - {on: grant, do: [{earn: outside, of: args.at}]}
  - {on: strip, do: [{unearn: outside, of: args.at}]}
  - {on: over, do: [{start-over: player}]}
  - {on: {milestone: ten}, do: [{add: player.bonus, by: 1}]}
  - {on: milestone, do: [{notify: player, text: well done}]}
milestones:
  ten:     {title: Ten, progress: player.parcels, goal: 10}
  forty:   {progress: player.twice, goal: 40, across: {new-run: reset}}
  outside: {when: place.scene == 'yard'}
  rich:    {when: game.fund >= 20}
  both:    {when: player.earned('ten') && player.earned('outside')}
saving: {every: 30s}
`

func (w *world) earned(player string) []string {
	var out []string
	for _, p := range w.run.Milestones(player) {
		if p.Earned {
			out = append(out, p.Milestone.ID)
		}
	}
	return out
}

func TestRule12AMilestoneIsEarnedOnceByAJumpToo(t *testing.T) {
	w := open(t, marks)
	w.join("ada")
	require.NoError(t, w.self("ada", "load", "n", 9))
	assert.Empty(t, w.earned("ada"))
	require.NoError(t, w.self("ada", "load", "n", 50))
	assert.Equal(t, []string{"ten", "forty"}, w.earned("ada"), "the second through a computed variable")
	w.is("ada", "bonus", "1")
	require.NoError(t, w.self("ada", "load", "n", 1))
	w.is("ada", "bonus", "1")
	assert.Equal(t, "60", w.run.Milestones("ada")[0].Reached.String())
}

func TestRule12MilestonesAreWeighedByPlaceWorldAndOneAnother(t *testing.T) {
	w := open(t, marks)
	w.join("ada")
	w.join("bob")
	w.pass("ada", "out")
	assert.Equal(t, []string{"outside"}, w.earned("ada"))
	require.NoError(t, w.self("bob", "pay"))
	require.NoError(t, w.self("bob", "pay"))
	assert.Equal(t, []string{"outside", "rich"}, w.earned("ada"), "what the game holds counts for everybody present")
	assert.Equal(t, []string{"rich"}, w.earned("bob"))
	require.NoError(t, w.self("ada", "load", "n", 10))
	assert.Equal(t, []string{"ten", "outside", "rich", "both"}, w.earned("ada"))
}

func TestRule12AThresholdPassedBeforeTheMilestoneExistedCountsOnLoad(t *testing.T) {
	w := open(t, marks)
	w.join("ada")
	s := w.leave("ada")
	s.Values["parcels"] = types.OfInt(30)
	w.back("ada", s)
	assert.Equal(t, []string{"ten", "forty"}, w.earned("ada"))
	assert.True(t, w.told("milestone"))
}

func TestMilestonesAreKeptForGoodUnlessTheySayOtherwise(t *testing.T) {
	w := open(t, marks)
	w.join("ada")
	require.NoError(t, w.self("ada", "load", "n", 30))
	s := w.leave("ada")
	assert.Equal(t, []string{"ten", "forty"}, s.Milestones)
	w.back("ada", s)
	require.NoError(t, w.self("ada", "over"))
	assert.Equal(t, []string{"ten"}, w.earned("ada"))
}

func TestMilestonesCanBeTriedOutAndTakenBack(t *testing.T) {
	w := open(t, marks)
	w.join("ada")
	require.NoError(t, w.server("grant", "at", "ada"))
	assert.Equal(t, []string{"outside"}, w.earned("ada"))
	require.NoError(t, w.server("strip", "at", "ada"))
	assert.Empty(t, w.earned("ada"))
}

func TestARefusedEventEarnsNothing(t *testing.T) {
	w := open(t, marks)
	w.join("ada")
	digest := w.run.Digest()
	w.refused(w.self("ada", "load", "n", 51), engine.Invalid, "outside")
	assert.Equal(t, digest, w.run.Digest())
}
