package engine_test

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
)

const bells = `
alluvion: 1
game: bells
version: 1
start: hall/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
crossings: {watch: {title: The watch, on: relieve, for: [player]}}
variables:
  rope: {of: player, type: int, min: 0, max: 2, start: 0, at_limit: refuse, refused: The rope is taut., read_by: game, across: {watch: keep}}
scenes: {hall: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
passages: {hatch: {from: hall/door, to: hall/door, if: player.rope > 9, refused: It is shut.}}
events: {pull: {from: self}, rest: {from: self, if: player.rope < 1, refused: Not yet.}, pray: {from: self}, mute: {from: self}, relieve: {from: server}, look: {from: self, if: player.rope > 8}}
milestones: {ringer: {title: Ringer, when: player.rope >= 2}}
rules:
  bell: {on: pull, do: [{add: player.rope, by: 1}, {notify: player, text: Ding.}, {notify: player, text: Dong.}]}
  hush: {on: pray, do: [{refuse: Be quiet.}]}
  mute: {on: mute, do: [{notify: player, text: Hush.}]}
`

// What players are told has the key by which a game finds it in a language of its own.
func TestWhatIsToldAndRefusedHasItsKey(t *testing.T) {
	w := open(t, bells)
	w.join("ada")
	keys := func() (out []string) {
		for _, n := range w.res.Notices {
			if n.Key != "" {
				out = append(out, n.Kind+" "+n.Key)
			}
		}
		return out
	}
	refused := func(err error, key string) {
		t.Helper()
		var r *engine.Refusal
		require.True(t, errors.As(err, &r))
		assert.Equal(t, key, r.Key, r.Reason)
	}
	require.NoError(t, w.self("ada", "pull"))
	assert.Equal(t, []string{"message rules.bell.text", "message rules.bell.text_2"}, keys())
	require.NoError(t, w.self("ada", "pull"))
	assert.Contains(t, keys(), "milestone milestones.ringer.title")
	require.NoError(t, w.server("relieve"))
	assert.Equal(t, []string{"crossed crossings.watch.title"}, keys())
	refused(w.self("ada", "pull"), "variables.rope.refused")
	refused(w.self("ada", "rest"), "events.rest.refused")
	refused(w.self("ada", "pray"), "rules.hush.text")
	refused(w.do(engine.Request{Do: "pass", Player: "ada", Name: "hatch"}), "passages.hatch.refused")
	refused(w.self("ada", "look"), "") // of which the plan says nothing
}
