package engine_test

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// den has a rule for each verb that is not tried elsewhere.
const den = `
alluvion: 1
game: den
version: 1
start: den/mat
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  place:  {death: stay, leave: exact}
variables:
  best:  {of: player, type: int, min: 0, max: 9, start: 3}
  tried: {of: player, type: int, optional: true, min: 0, max: 9}
  note:  {of: player, type: text, optional: true, start: here}
scenes: {den: {size: [9, 9], spots: {mat: {at: [1, 1]}}}}
checkpoints: {fallback: den/mat, back_after: 1h}
events:
  score: {from: self, args: {n: {type: int, min: 0, max: 20}}, while_dead: true}
  wipe:  {from: self}
  fall:  {from: self}
  wake:  {from: self, args: {who: player}}
rules:
  - {on: score, do: [{raise: player.best, to: args.n}, {raise: player.tried, to: args.n}]}
  - {on: wipe, do: [{clear: player.tried}, {clear: player.note}]}
  - {on: fall, do: [{die: player}]}
  - {on: wake, do: [{come-back: args.who}]}
saving: {every: 30s}
`

func TestRaiseNeverLowers(t *testing.T) {
	w := open(t, den)
	w.join("ada")
	w.is("ada", "tried", "none")
	require.NoError(t, w.self("ada", "score", "n", 2))
	w.is("ada", "best", "3")  // it was more
	w.is("ada", "tried", "2") // of none, anything is more
	require.NoError(t, w.self("ada", "score", "n", 3))
	w.is("ada", "best", "3")
	require.Len(t, w.res.Changes, 1, "only what was raised has changed")
	require.NoError(t, w.self("ada", "score", "n", 20))
	w.is("ada", "best", "9")
}

func TestClearMakesNone(t *testing.T) {
	w := open(t, den)
	w.join("ada")
	w.is("ada", "note", "here")
	require.NoError(t, w.self("ada", "score", "n", 5))
	require.NoError(t, w.self("ada", "wipe"))
	w.is("ada", "note", "none")
	w.is("ada", "tried", "none")
	require.NoError(t, w.self("ada", "wipe"))
	require.Empty(t, w.res.Changes, "none stays none")
}

func TestComeBackBringsTheDeadBackBeforeTheirTime(t *testing.T) {
	w := open(t, den)
	w.join("ada")
	w.join("bob")
	require.NoError(t, w.self("ada", "fall"))
	dead, _ := w.run.State("ada")
	require.True(t, dead)
	require.NoError(t, w.self("bob", "wake", "who", "ada"))
	dead, _ = w.run.State("ada")
	require.False(t, dead)
	require.NoError(t, w.self("bob", "wake", "who", "ada"), "who is alive stays so")
	require.Empty(t, w.res.Changes)
}
