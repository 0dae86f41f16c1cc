package engine_test

import (
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
