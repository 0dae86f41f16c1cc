package engine_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
)

// A reward that fails, in every way in which one can.
const rewards = `alluvion: 1
game: rewards
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, game: {restart: keep}, place: {death: entry, leave: exact, new-run: start}}
variables:
  steps:  {of: player, type: int, start: 0, read_by: game}
  purse:  {of: player, type: int, start: 9, min: 0, max: 9, at_limit: refuse, read_by: game}
  log:    {of: player, type: text, start: "", max_length: 60, read_by: game}
  given:  {of: player, type: bool, start: false, read_by: game}
scenes: {hut: {size: [9, 9], spots: {door: {at: [1, 1]}, bed: {at: [2, 2]}}}}
checkpoints: {fallback: hut/bed, list: {bed: {at: hut/bed}}}
milestones: {three: {title: Three steps, when: player.steps >= 3}}
events: {walk: {from: self}, more: {from: self}}
rules:
  - {on: walk, do: [{add: player.steps, by: 3}, {set: player.log, to: "player.log + ' walked'"}]}
  - {on: {milestone: three}, do: [{set: player.given, to: true}, REWARD]}
  - {on: {changed: player.given}, do: [{set: player.log, to: "player.log + ' given'"}, CASCADE]}
  - {on: {changed: player.log}, do: []}
  - {on: more, do: [{set: player.purse, to: 0}]}
  - {on: saved, do: [SAVED]}
always: [{that: player.purse != 4, refused: Never four.}]
saving: {when: [checkpoint], every: 30s}
`

func TestRule10WhatFollowsByItselfRefusesNothing(t *testing.T) {
	for name, row := range map[string]struct{ reward, cascade, told string }{
		"a limit that refuses":    {"{add: player.purse, by: 1}", "", "player.purse cannot become 10"},
		"a refusal":               {"{refuse: Not today.}", "", "Not today."},
		"what follows from it":    {"{add: player.steps, by: 0}", "{refuse: Not today.}", "Not today."},
		"what always holds":       {"{set: player.purse, to: 4}", "", "Never four."},
		"what fails":              {"{set: player.purse, to: \"div(1, player.purse - 9)\"}", "", "A rule failed"},
		"an event that goes on":   {"{send: more}", "{refuse: Not today.}", "Not today."},
		"another that goes wrong": {"{send: walk}", "{set: player.purse, to: 4}", "Never four."},
	} {
		t.Run(name, func(t *testing.T) {
			w := open(t, replaced(rewards, "REWARD", row.reward, ", CASCADE", map[bool]string{true: "", false: ", " + row.cascade}[row.cascade == ""], "  - {on: saved, do: [SAVED]}\n", ""))
			w.join("ada")
			require.NoError(t, w.self("ada", "walk"), "whatever the reward does, the steps are walked")
			assert.Equal(t, "3", w.value("ada", "steps"))
			assert.Equal(t, " walked", w.value("ada", "log"))
			assert.Equal(t, "false", w.value("ada", "given"), "all of the reward is undone")
			assert.Equal(t, "9", w.value("ada", "purse"))
			assert.True(t, w.run.Milestones("ada")[0].Earned)
			undone := kindsOf(w.res.Notices, "undone")
			require.Len(t, undone, 1)
			assert.Contains(t, undone[0], row.told)
			require.NoError(t, w.self("ada", "walk"), "and it does not come again")
			assert.Empty(t, kindsOf(w.res.Notices, "undone"))
		})
	}
}

func TestRule10ASaveThatARuleRefusesIsMade(t *testing.T) {
	w := open(t, replaced(rewards, "REWARD", "{set: player.log, to: \"'x'\"}", ", CASCADE", "", "SAVED", "{set: player.steps, to: 1}, {refuse: Not today.}"))
	w.join("ada")
	w.move("ada", "2", "2")
	w.touch("ada", "bed")
	assert.Len(t, w.res.Saves, 1)
	assert.Equal(t, []string{"Not today. (rule 6, line 21 of the plan)"}, kindsOf(w.res.Notices, "undone"))
	assert.Equal(t, "0", w.value("ada", "steps"))
}

// What a milestone sets off comes before what was queued behind it, and an event that breaks something by itself is refused.
func TestRule10WhatIsWrongBesideAMilestoneIsRefused(t *testing.T) {
	w := open(t, replaced(rewards, "REWARD", "{add: player.steps, by: 0}", ", CASCADE", "", "  - {on: saved, do: [SAVED]}\n", "  - {on: walk, do: [{set: player.purse, to: 4}]}\n"))
	w.join("ada")
	before := w.run.Digest()
	w.refused(w.self("ada", "walk"), engine.Refused, "Never four.")
	assert.Equal(t, before, w.run.Digest())
}

func replaced(text string, pairs ...string) string {
	return strings.NewReplacer(pairs...).Replace(text)
}

// kindsOf are the texts of the notices of a kind.
func kindsOf(notices []engine.Notice, kind string) []string {
	var out []string
	for _, n := range notices {
		if n.Kind == kind {
			out = append(out, n.Text)
		}
	}
	return out
}
