package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
)

// hills has two scenes that lie over each other, a passage inside one of them, and a checkpoint.
const hills = `
alluvion: 1
game: hills
version: 1
space: {axes: [x, y], facings: [north, south, east]}
start: day/camp
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
scenes:
  day:   {size: [40, 40], spots: {camp: {at: [5, 5], facing: north}, cave: {at: [30, 5]}, exit: {at: [30, 35], facing: south}, stone: {at: [20, 20]}}}
  night: {size: [40, 40], spots: {camp: {at: [5, 5]}}}
  ledge: {size: [10, 10], spots: {edge: {at: [0, 5], span: {y: [2, 8]}}}}
passages:
  tunnel: {from: day/cave, to: day/exit, both_ways: true}
  climb:  {from: day/stone, to: ledge/edge, both_ways: true, carry: [y, facing]}
checkpoints: {fallback: day/camp, list: {stone: {at: day/stone}}}
events: {dusk: {from: self}, fall: {from: self}}
rules:
  - {on: dusk, do: [{go: {scene: night, carry: [x, y, facing]}}]}
  - {on: fall, do: [{die: player}]}
saving: {when: [leave], every: 30s}
`

// wanders leaves ada at (25, 21) of the hills by day, with the stone touched, having come by the cave.
func wanders(t testing.TB, place string) *world {
	w := open(t, changed(hills, "place: {death: stay, leave: exact}", place))
	w.join("ada")
	w.move("ada", "20", "20")
	w.touch("ada", "stone")
	w.pass("ada", "climb")
	w.pass("ada", "climb") // back to the stone: where ada last arrived in this scene
	w.move("ada", "25", "21")
	return w
}

func (w *world) isAt(want string) {
	w.t.Helper()
	p, ok := w.run.Place("ada")
	require.True(w.t, ok)
	assert.Equal(w.t, want, p.String())
}

func TestEachFateOfAPlaceAtLeave(t *testing.T) {
	for fate, want := range map[string]string{
		"exact": "day (25, 21) north", "checkpoint": "day (20, 20) north", "entry": "day (20, 20) north", "start": "day (5, 5) north",
	} {
		w := wanders(t, "place: {death: stay, leave: "+fate+"}")
		w.back("ada", w.leave("ada"))
		w.isAt(want)
	}
	w := open(t, changed(hills, "leave: exact", "leave: checkpoint"))
	w.join("ada")
	w.move("ada", "25", "21")
	w.back("ada", w.leave("ada"))
	w.isAt("day (5, 5) north") // none was reached: the fallback
}

func TestEachFateOfAPlaceAtDeath(t *testing.T) {
	for fate, want := range map[string]string{"stay": "day (25, 21) north", "checkpoint": "day (20, 20) north", "entry": "day (20, 20) north"} {
		w := wanders(t, "place: {death: "+fate+", leave: exact}")
		require.NoError(t, w.self("ada", "fall"))
		w.run.Advance(w.at + 1)
		w.isAt(want)
	}
}

func TestTwoScenesMayLieOverEachOther(t *testing.T) {
	w := wanders(t, "place: {death: stay, leave: exact}")
	w.must(engine.Request{Do: "move", Player: "ada", To: w.point("13", "37"), Facing: "east"})
	require.NoError(t, w.self("ada", "dusk"))
	w.isAt("night (13, 37) east")
	assert.True(t, w.told("arrived"))
	assert.Equal(t, "day", w.from(), "where from is told")
}

func TestAPassageInsideASceneIsNoChangeOfScene(t *testing.T) {
	w := open(t, hills)
	w.join("ada")
	w.move("ada", "29", "5")
	w.pass("ada", "tunnel")
	w.isAt("day (30, 35) south")
	assert.False(t, w.told("arrived") || w.told("departed"))
	w.pass("ada", "tunnel") // its nearer end is where it starts
	w.isAt("day (30, 5) south")
}

func TestWhatIsCarriedBeyondTheSpanComesToItsEnd(t *testing.T) {
	w := open(t, hills)
	w.join("ada")
	w.must(engine.Request{Do: "move", Player: "ada", To: w.point("20", "21"), Facing: "east"})
	w.pass("ada", "climb")
	w.isAt("ledge (0, 8) east")
	assert.Equal(t, []string(nil), w.run.Checkpoints("ada"))
}
