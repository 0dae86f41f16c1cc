package format_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/format"
	"alluvion.dev/core/upgrade"
)

const mortal = `
alluvion: 1
game: mortal
version: 1
start: bakehouse/door
session: {players: 1}
lists: {ware: [rye, oats]}
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  pair: {scene: keep, death: rewind, leave: keep, new-run: reset}
  scene: {scene: keep, restart: keep, death: rewind}
  game: {restart: keep, death: rewind}
  place: {death: checkpoint, leave: exact, new-run: start}
variables:
  coins: {of: player, type: int, min: 0, max: 99, start: 10, across: {death: rewind}}
  have: {of: [player, ware], type: int, min: 0, max: 99, start: 0}
  day: {of: game, type: int, min: 1, max: 365, start: 1}
  lit: {of: scene, type: bool, start: false}
scenes: {bakehouse: {size: [20, 20], spots: {door: {at: [1, 1]}}}}
checkpoints: {fallback: bakehouse/door, back_after: 1s}
events: {lose: {from: self}, fall: {from: self}}
rules:
  - on: lose
    do: [{set: player.coins, to: 0}, {set: ware.rye.have, to: 1}, {set: game.day, to: 300}, {set: scene.lit, to: false}]
  - {on: fall, do: [{die: player}]}
saving: {when: [leave], every: 1m}
formats:
  slot_file:
    is: json
    version: {is: 1}
    where:
      place.scene: /scene
      place.x: /x
      place.y: /y
      player.coins: /coins
      ware.*.have: {each: /pack, id: key, at: ""}
      game.day: /day
      scenes.*.lit: {each: /lamps, id: key, at: ""}
`

// Who dies after a file was loaded comes back to what stood in it: the file is what they remember.
func TestWhatRewindsAtDeathComesBackToTheFile(t *testing.T) {
	m, _, found := check.Text([]byte(mortal), nil)
	require.NotNil(t, m, "%s", said(found))
	require.False(t, found.Errors(), "%s", said(found))
	s := format.New(upgrade.New(m), m)
	opened, err := s.Open([]byte(`{"scene": "bakehouse", "x": 4, "y": 5, "coins": 42, "pack": {"rye": 7}, "day": 9, "lamps": {"bakehouse": true}}`), "bo.json")
	require.NoError(t, err)
	x := opened[0].Check(engine.NewJudge(m, nil))
	require.Empty(t, x.Problems)
	r := engine.Open(m, 1)
	step := func(req engine.Request) {
		t.Helper()
		req.Player = "bo"
		_, err := r.Step(&req)
		require.NoError(t, err)
	}
	held := func() []any {
		p := r.Save("bo")
		rye, lit := "0", "false"
		if v, ok := p.Lists["ware"]["rye"]["have"]; ok {
			rye = v.Plain()
		}
		if v, ok := p.World.Scenes["bakehouse"]["lit"]; ok {
			lit = v.Plain()
		}
		return []any{p.Values["coins"].Plain(), rye, p.World.Values["day"].Plain(), lit}
	}
	step(engine.Request{Do: "join", Slot: 1, Saved: x.Loaded.Player, Server: true})
	assert.Equal(t, []any{"42", "7", "9", "true"}, held())
	step(engine.Request{Do: "event", Name: "lose", At: 100})
	assert.Equal(t, []any{"0", "1", "300", "false"}, held())
	step(engine.Request{Do: "event", Name: "fall", At: 200})
	r.Advance(5000)
	assert.Equal(t, []any{"42", "7", "9", "true"}, held())
}
