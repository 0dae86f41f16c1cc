package rehearse_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/rehearse"
)

const ticking = `alluvion: 1
game: ticking
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, game: {restart: keep}, place: {death: entry, leave: exact, new-run: start}}
variables:
  beats: {of: player, type: int, start: 0, read_by: game}
  light: {of: game, type: bool, start: false, read_by: game}
  rings: {of: game, type: int, start: 0, read_by: game}
scenes: {hut: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
rules:
  - {on: {every: {time: 0.1s, of: player}}, do: [{add: player.beats, by: 1}]}
  - {on: {every: 1s}, do: [{set: game.light, to: "!game.light"}, {notify: everyone, text: Tick.}]}
  - {on: {changed: game.light}, do: [{add: game.rings, by: 1}]}
saving: {when: [scene], every: 30s}
`

func tick(steps string) *rehearse.Report {
	script := "rehearsal: ticking\nplan: plan.yaml\nplayers: [ada, bob]\nsteps:\n" + steps
	return rehearse.Play([]byte(script), func(name string) ([]byte, error) {
		if name == "plan.yaml" {
			return []byte(ticking), nil
		}
		return nil, os.ErrNotExist
	})
}

// However long a rehearsal waits, every timer has each of its turns, as it would with people who play so long.
func TestTimersHaveAllTheirTurnsWhileARehearsalWaits(t *testing.T) {
	r := tick(`  - {join: ada}
  - {wait: 0.55s}
  - {join: bob}
  - {wait: 95s}
  - expect: {ada.beats: 955, bob.beats: 950, game.rings: 95, game.light: true}
`)
	require.Empty(t, r.Found)
	for _, s := range r.Steps {
		assert.Empty(t, s.Failed, "%+v", s.Wanted)
	}
	long := r.Steps[3]
	require.Len(t, long.Changes, 4, "what changes again and again is told once")
	assert.Equal(t, "player.beats", long.Changes[0].Name)
	assert.Equal(t, "5", long.Changes[0].From.Plain())
	assert.Equal(t, "955", long.Changes[0].To.Plain())
	assert.Equal(t, 950, long.Times[0])
	assert.Equal(t, "rule 1 (line 12) on every 100ms of each player", long.Changes[0].Cause.String())
}

func TestARehearsalDoesOnlySoMuch(t *testing.T) {
	r := tick("  - {join: ada}\n" + strings.Repeat("  - {wait: 9h}\n", 3))
	require.Empty(t, r.Found)
	assert.Empty(t, r.Steps[1].Failed)
	assert.Contains(t, r.Steps[3].Failed, "too much for a rehearsal")
	assert.Contains(t, r.Steps[3].Failed, "1,000,000")
	assert.False(t, r.Passed())
}
