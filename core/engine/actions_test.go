package engine_test

import (
	"testing"

	_ "alluvion.dev/core/action" // what rules can do
	"alluvion.dev/internal/worlds"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/types"
)

func singers(t *testing.T) *world {
	w := open(t, worlds.Choir)
	w.join("ada")
	w.join("bob")
	return w
}

func TestLetNamesValuesAndEachGoesOverPlayers(t *testing.T) {
	w := singers(t)
	require.NoError(t, w.server("divide"))
	w.is("ada", "share", "6")
	w.is("bob", "share", "6")
	w.is("", "fund", "0")
	var whose []string
	for _, c := range w.res.Changes {
		whose = append(whose, c.Player)
	}
	assert.Equal(t, []string{"ada", "bob", ""}, whose, "by id")
}

func TestEachInTheSceneLeavesTheOthersOut(t *testing.T) {
	w := singers(t)
	w.pass("bob", "out")
	w.must(engine.Request{Do: "write", Server: true, Player: "ada", Name: "player.warmth", Value: types.OfInt(1)})
	require.NoError(t, w.self("ada", "sing"))
	w.is("ada", "warmth", "6")
	w.is("bob", "warmth", "10")
	w.is("ada", "share", "6") // the event that was sent ran behind the rules, and saw the change
}

func TestASentEventIsHeldToItsArguments(t *testing.T) {
	w := singers(t)
	require.NoError(t, w.self("ada", "sing"), "15 is beyond what loud takes, and is moved to its limit")
	w.is("ada", "share", "9")
}

func TestASentEventThatIsRefusedRefusesAll(t *testing.T) {
	w := singers(t)
	w.must(engine.Request{Do: "write", Server: true, Player: "bob", Name: "player.warmth", Value: types.OfInt(0)})
	digest := w.run.Digest()
	w.refused(w.self("ada", "call", "who", "bob", "by", 1), engine.Refused, "Too cold.")
	assert.Equal(t, digest, w.run.Digest())
	require.NoError(t, w.self("bob", "call", "who", "ada", "by", 1))
	w.is("ada", "warmth", "11")
}

func TestPickingTheSameAgainIsNoMoment(t *testing.T) {
	w := singers(t)
	require.NoError(t, w.self("ada", "pickv", "v", "bass"))
	require.NoError(t, w.self("ada", "pickv", "v", "bass"))
	w.is("ada", "turns", "10")
}

func TestRule7TimersOfTheSessionAndOfEachPlayer(t *testing.T) {
	w := open(t, worlds.Choir)
	w.at = 1000
	w.join("ada")
	for at := int64(1000); at <= 7000; at += 500 {
		w.run.Advance(at)
	}
	w.is("", "ticks", "3")    // at 2, 4 and 6 seconds
	w.is("ada", "turns", "2") // at 4 and 7 seconds: since she came
	due, ok := w.run.Due()
	assert.True(t, ok)
	assert.EqualValues(t, 8000, due)
}

func TestRule7ATimerThatMissedSeveralTurnsHasOne(t *testing.T) {
	w := singers(t)
	w.run.Advance(11_500)
	w.is("", "ticks", "1")
	due, _ := w.run.Due()
	assert.EqualValues(t, 12_000, due)
}

func TestASharedClockIsNoFasterWithTenPlayers(t *testing.T) {
	for _, n := range []int{1, 10} {
		w := open(t, worlds.Choir)
		for i := range n {
			w.join(string(rune('a' + i)))
		}
		for at := int64(0); at <= 10_000; at += 100 {
			w.run.Advance(at)
		}
		w.is("", "ticks", "5")
	}
}
