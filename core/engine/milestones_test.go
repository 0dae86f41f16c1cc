package engine_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/types"
	"alluvion.dev/internal/worlds"
)

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
	w := open(t, worlds.Marks)
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
	w := open(t, worlds.Marks)
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

func TestRule12WhoComesAndGoesCountsForThoseWhoAreThere(t *testing.T) {
	w := open(t, strings.NewReplacer("milestones:\n", "milestones:\n  company: {title: In company, when: count(present) > 1}\n",
		"variables:\n", "variables:\n  together: {of: player, type: stopwatch, while: count(present) > 1, read_by: game}\n").Replace(worlds.Marks))
	w.join("ada")
	assert.Empty(t, w.earned("ada"))
	w.join("bob")
	assert.Equal(t, []string{"company"}, w.earned("ada"), "nobody but bob did anything")
	w.at += 3000
	w.leave("bob")
	w.at += 5000
	w.run.Advance(w.at)
	w.is("ada", "together", "3")
}

func TestRule12AThresholdPassedBeforeTheMilestoneExistedCountsOnLoad(t *testing.T) {
	w := open(t, worlds.Marks)
	w.join("ada")
	s := w.leave("ada")
	s.Values["parcels"] = types.OfInt(30)
	w.back("ada", s)
	assert.Equal(t, []string{"ten", "forty"}, w.earned("ada"))
	assert.True(t, w.told("milestone"))
}

func TestMilestonesAreKeptForGoodUnlessTheySayOtherwise(t *testing.T) {
	w := open(t, worlds.Marks)
	w.join("ada")
	require.NoError(t, w.self("ada", "load", "n", 30))
	s := w.leave("ada")
	assert.Equal(t, []string{"ten", "forty"}, s.Milestones)
	w.back("ada", s)
	require.NoError(t, w.self("ada", "over"))
	assert.Equal(t, []string{"ten"}, w.earned("ada"))
}

func TestMilestonesCanBeTriedOutAndTakenBack(t *testing.T) {
	w := open(t, worlds.Marks)
	w.join("ada")
	require.NoError(t, w.server("grant", "at", "ada"))
	assert.Equal(t, []string{"outside"}, w.earned("ada"))
	require.NoError(t, w.server("strip", "at", "ada"))
	assert.Empty(t, w.earned("ada"))
}

func TestARefusedEventEarnsNothing(t *testing.T) {
	w := open(t, worlds.Marks)
	w.join("ada")
	digest := w.run.Digest()
	w.refused(w.self("ada", "load", "n", 51), engine.Invalid, "outside")
	assert.Equal(t, digest, w.run.Digest())
}

// However much changes at once, what depends on it is not evaluated for each change.
func TestRule12MuchThatChangesAtOnceIsNotEvaluatedEachTime(t *testing.T) {
	options := []string{}
	for i := range 100 {
		options = append(options, fmt.Sprintf("w%d", i))
	}
	w := open(t, `
alluvion: 1
game: hoard
version: 1
start: pier/steps
lists: {ware: [`+strings.Join(options, ", ")+`]}
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset, round: keep}, place: {death: stay, leave: exact}}
crossings: {round: {on: over, for: [player]}}
variables: {have: {of: [player, ware], type: int, min: 0, max: 99, start: 0, across: {round: {set: ware.have + 1}}}}
scenes: {pier: {size: [9, 9], spots: {steps: {at: [2, 4]}}}}
events: {all: {from: self}, over: {from: server}}
rules:
  - {on: all, do: [{each: w, in: ware, do: [{add: w.have, by: 1}]}]}
milestones: {rich: {when: sum(player.have) >= 300}, every: {when: all(player.have > 0)}}
`)
	w.join("ada")
	w.join("bob")
	require.NoError(t, w.self("ada", "all"))
	assert.LessOrEqual(t, w.run.Weighed(), 4, "two milestones of ada, and again when one was earned; of 100 changes")
	assert.Equal(t, []string{"every"}, w.earned("ada"))
	require.NoError(t, w.server("over"))
	assert.LessOrEqual(t, w.run.Weighed(), 6, "one that ada lacks, and two of bob; of 200 changes")
	require.NoError(t, w.server("over"))
	assert.Equal(t, []string{"rich", "every"}, w.earned("ada"))
}
