package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
	"alluvion.dev/internal/worlds"
)

func onTheMoor(t *testing.T) *world {
	w := open(t, worlds.Moor)
	w.join("ada")
	w.pass("ada", "out")
	w.move("ada", "20", "30")
	return w
}

func TestRule19AWaymarkIsUsedUpByItsUse(t *testing.T) {
	w := onTheMoor(t)
	require.NoError(t, w.self("ada", "horn"))
	assert.Contains(t, w.at_("ada"), "hut (1, 1)")
	require.NoError(t, w.self("ada", "horn"), "in the hut, remembering changes nothing")
	w.move("ada", "5", "5")
	w.pass("ada", "tunnel")
	assert.Equal(t, "moor (20, 30)", w.at_("ada"))
	assert.Empty(t, w.run.Waymarks("ada"))
}

func TestRule19APassageToNoneTakesItsElse(t *testing.T) {
	w := open(t, worlds.Moor)
	w.join("ada")
	w.move("ada", "5", "5")
	w.pass("ada", "tunnel")
	assert.Equal(t, "hut (1, 1)", w.at_("ada"))
	require.NoError(t, w.self("ada", "home"))
	digest := w.run.Digest()
	w.refused(w.self("ada", "blind"), engine.Refused, "nothing is remembered")
	assert.Equal(t, digest, w.run.Digest())
	w.move("ada", "5", "5")
	w.refused(w.do(engine.Request{Do: "pass", Player: "ada", Name: "crack"}), engine.Refused, "No crack is known.")
}

func TestRule19ALastingWaymarkStaysUntilItIsForgotten(t *testing.T) {
	w := onTheMoor(t)
	require.NoError(t, w.self("ada", "mark"))
	require.NoError(t, w.self("ada", "horn"))
	for range 2 { // nested: one marked place leads to the other and back
		w.move("ada", "5", "5")
		w.pass("ada", "crack")
		assert.Equal(t, "moor (20, 30)", w.at_("ada"))
		require.NoError(t, w.self("ada", "horn"))
	}
	assert.Len(t, w.run.Waymarks("ada"), 2)
	require.NoError(t, w.self("ada", "lose"))
	assert.Empty(t, w.run.Waymarks("ada"))
}

func TestWaymarksAreForgottenOnArrivingAndRewindAtDeath(t *testing.T) {
	w := onTheMoor(t)
	w.move("ada", "9", "9")
	require.NoError(t, w.self("ada", "mark"))
	w.touch("ada", "stone")
	w.pass("ada", "down")
	assert.Empty(t, w.run.Waymarks("ada"))
	require.NoError(t, w.self("ada", "fall"))
	w.run.Advance(2000)
	assert.Equal(t, map[string]string{"deep": "moor (9, 9)"}, texts(w.run.Waymarks("ada")))
}

func TestWaymarksAreSavedWithTheirFates(t *testing.T) {
	w := onTheMoor(t)
	require.NoError(t, w.self("ada", "mark"))
	require.NoError(t, w.self("ada", "horn"))
	s := w.leave("ada")
	assert.Equal(t, map[string]string{"deep": "moor (20, 30)", "way_back": "moor (20, 30)"}, texts(s.Waymarks))
	raw, err := save.Encode(s)
	require.NoError(t, err)
	back, problems, err := save.DecodePlayer(raw, w.m)
	require.NoError(t, err)
	assert.Empty(t, problems)
	w.back("ada", back)
	assert.Equal(t, map[string]string{"way_back": "moor (20, 30)"}, texts(w.run.Waymarks("ada")), "deep is reset at leave")
}

func TestRule33AWaymarkWhoseSceneIsNoMoreIsNone(t *testing.T) {
	w := onTheMoor(t)
	require.NoError(t, w.self("ada", "horn"))
	s := w.leave("ada")
	mark := s.Waymarks["way_back"]
	mark.Scene = "sunken"
	s.Waymarks["way_back"] = mark
	w.back("ada", s)
	assert.Empty(t, w.run.Waymarks("ada"))
}

func texts(marks map[string]save.Place) map[string]string {
	out := map[string]string{}
	for id, p := range marks {
		out[id] = p.String()
	}
	return out
}
