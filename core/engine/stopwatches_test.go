package engine_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

const clocks = `alluvion: 1
game: clocks
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, game: {restart: keep}, scene: {scene: keep, restart: keep}, place: {death: entry, leave: exact, new-run: start}}
variables:
  played:  {of: player, type: stopwatch, read_by: game}
  visit:   {of: player, type: stopwatch, read_by: game, across: {leave: reset}}
  awake:   {of: player, type: bool, start: false}
  waking:  {of: player, type: stopwatch, while: player.awake, read_by: game}
  open:    {of: game, type: bool, start: false}
  evening: {of: game, type: stopwatch, while: game.open, read_by: game}
scenes: {hut: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
events: {wake: {from: self}, open: {from: server}}
rules:
  - {on: wake, do: [{set: player.awake, to: true}]}
  - {on: open, do: [{set: game.open, to: true}]}
saving: {when: [leave], every: 20s}
`

var unplayed = strings.Replace(clocks, "  played:  {of: player, type: stopwatch, read_by: game}\n", "", 1)

// What moves by itself has changed whenever changes are saved, though nothing writes it.
func TestARunningStopwatchCountsAsChanged(t *testing.T) {
	changed := func(text string) (*world, *engine.Ledger) {
		w := open(t, text)
		w.join("ada")
		l := &engine.Ledger{}
		_, ok := l.Cut(w.run, []engine.SaveMoment{{Player: "ada", Moment: "asked"}}, nil, true)
		require.True(t, ok)
		return w, l
	}
	w, l := changed(clocks)
	assert.Equal(t, []string{"ada"}, l.Players(w.run), "played counts")
	assert.False(t, l.World(w.run), "evening stands still")
	require.NoError(t, w.server("open"))
	cut, _ := l.Cut(w.run, []engine.SaveMoment{{Player: "ada", Moment: "every"}}, nil, true)
	assert.NotNil(t, cut.World)
	assert.True(t, l.World(w.run), "and now it counts")

	w, l = changed(unplayed)
	assert.Empty(t, l.Players(w.run), "what is reset at leave need not be saved")
	require.NoError(t, w.self("ada", "wake"))
	assert.Equal(t, []string{"ada"}, l.Players(w.run), "waking counts while ada is awake")

	w, l = changed(unplayed + "session: {players: 1}\n")
	require.NoError(t, w.server("open"))
	assert.Equal(t, []string{"ada"}, l.Players(w.run), "alone, the world is in the player's save")
}

func TestRule7AStopwatchIsCorrectedAndGoesOn(t *testing.T) {
	w := open(t, clocks)
	w.join("ada")
	w.run.Advance(5_000)
	correct := func(name, value string) error {
		w.at = w.run.Clock()
		return w.do(engine.Request{Do: "correct", Player: "ada", Server: true, Name: name, Value: types.OfNum(fixed.Must(value)), Why: "it was lost", Args: map[string]types.Value{}})
	}
	require.NoError(t, correct("player.played", "3600.5"))
	require.NoError(t, correct("player.waking", "12"))
	require.NoError(t, correct("game.evening", "7"))
	require.Len(t, w.res.Changes, 1)
	assert.Equal(t, "0", w.res.Changes[0].From.Plain())
	assert.Equal(t, "7", w.res.Changes[0].To.Plain())
	w.run.Advance(w.run.Clock() + 10_000)
	assert.Equal(t, "3610.5", w.value("ada", "played"))
	assert.Equal(t, "12", w.value("ada", "waking"), "it stands still")
	require.NoError(t, w.self("ada", "wake"))
	w.run.Advance(w.run.Clock() + 1_000)
	assert.Equal(t, "13", w.value("ada", "waking"), "and counts on from there")
	before := w.run.Digest()
	w.refused(correct("player.played", "-1"), engine.Invalid, "")
	w.refused(w.do(engine.Request{Do: "write", Player: "ada", Server: true, Name: "player.played", Value: types.OfInt(1), Args: map[string]types.Value{}}), engine.Refused, "by itself")
	assert.Equal(t, before, w.run.Digest())
}
