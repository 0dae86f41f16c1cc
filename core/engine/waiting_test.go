package engine_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

const waiting = `alluvion: 1
game: waiting
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: checkpoint, leave: exact, new-run: start}}
rosters: {hat: {options: {felt: {}, straw: {}}}}
variables:
  hat:  {of: player, type: pick:hat, optional: true, read_by: game}
  seen: {of: player, type: text, start: "-", max_length: 200, read_by: game}
scenes:
  hut:  {size: [9, 9], spots: {door: {at: [1, 1], reach: any}, bed: {at: [2, 2], reach: any}}}
  yard: {size: [9, 9], spots: {gate: {at: [1, 1], reach: any}, well: {at: [2, 2], reach: any}}}
passages: {out: {from: hut/door, to: yard/gate, both_ways: true}}
checkpoints: {use: latest, fallback: hut/bed, list: {bed: {at: hut/bed}, well: {at: yard/well}}}
events: {choose: {args: {hat: pick:hat}, from: self}, straw: {from: self}}
rules:
  - {on: {arrived: yard}, do: [{set: player.seen, to: "player.seen + ' to yard'"}]}
  - {on: {departed: yard}, do: [{set: player.seen, to: "player.seen + ' from yard'"}]}
  - {on: {checkpoint: well}, if: player.hat == 'straw', do: [{set: player.seen, to: "player.seen + ' well'"}]}
  - {on: [{arrived: hut}, {checkpoint: bed}], do: [{set: player.seen, to: "player.seen + ' hut'"}]}
  - {on: choose, do: [{pick: player.hat, to: args.hat}]}
  - {on: straw, do: [{pick: player.hat, option: straw}]}
saving: {when: [scene], every: 30s}
`

// A rule waits for one scene or one checkpoint, and hears of no other; joining is an arrival, too.
func TestRulesWaitForOneSceneOrCheckpoint(t *testing.T) {
	w := open(t, waiting)
	w.join("ada")
	assert.Equal(t, "- hut", w.value("ada", "seen"))
	w.must(engine.Request{Do: "touch", Player: "ada", Name: "bed"})
	w.pass("ada", "out")
	w.must(engine.Request{Do: "touch", Player: "ada", Name: "well"})
	w.pass("ada", "out")
	assert.Equal(t, "- hut hut to yard from yard hut", w.value("ada", "seen"), "without the hat, the well does nothing")
	assert.NoError(t, w.self("ada", "choose", "hat", types.OfText("felt")))
	assert.Equal(t, "felt", w.value("ada", "hat"))
	assert.NoError(t, w.self("ada", "straw"))
	assert.Equal(t, "straw", w.value("ada", "hat"))
	w.pass("ada", "out")
	assert.Equal(t, "arrived yard", w.res.Changes[len(w.res.Changes)-1].Cause.Moment)
}

func TestWaitingForWhatIsNotThereIsTold(t *testing.T) {
	for wrong, says := range map[string]string{
		"{arrived: yrad}":   `There is no scene called "yrad". Did you mean yard?`,
		"{checkpoint: wel}": `There is no checkpoint called "wel". Did you mean well?`,
		"{died: yard}":      "died takes no name: write on: died, and ask for more with if.",
		"{arrived: [yard]}": "The name of a scene is wanted here, not a list.",
	} {
		_, found := loaded(strings.Replace(waiting, "{arrived: yard}", wrong, 1))
		assert.Equal(t, []string{says}, messages(found), wrong)
	}
	for from, row := range map[string][2]string{
		"type: pick:hat":                  {"type: pick:hta", `There is no roster called "hta". Did you mean hat?`},
		"{pick: player.hat, to: args.hat": {"{pick: player.hat", `pick needs "to" beside it: the option.`},
		"{pick: player.hat, option: stra": {"{pick: player.hat, to: straw, option: stra", "pick takes to or option, which say the same; here it has both."},
		"use: latest, fallback: hut/bed, list: {bed: {at: hut/bed}, well: {at: yard/well}}": {"fallback: hut/bed", ""},
	} {
		_, found := loaded(strings.NewReplacer(from, row[0]).Replace(waiting))
		if row[1] != "" {
			assert.Contains(t, messages(found), row[1], from)
		}
	}
	_, found := loaded(strings.NewReplacer("use: latest, fallback: hut/bed, list: {bed: {at: hut/bed}, well: {at: yard/well}}", "fallback: hut/bed", "  - {on: {checkpoint: well}, if: player.hat == 'straw', do: [{set: player.seen, to: \"player.seen + ' well'\"}]}\n", "", "{checkpoint: bed}", "{arrived: yard}").Replace(waiting))
	assert.Empty(t, messages(found), "a list of none needs not be written")
}

func loaded(text string) (*model.Model, finding.List) {
	m, _, found := model.Load([]byte(text))
	return m, found
}

func messages(found finding.List) []string {
	var out []string
	for _, f := range found {
		out = append(out, f.Message)
	}
	return out
}

// One event may not hold a session up: what does too much, or lets a text grow without end, is refused by name.
func TestOneEventDoesOnlySoMuch(t *testing.T) {
	nested := "{add: game.n, by: 1}"
	for _, name := range []string{"a", "b", "c", "d", "e", "f", "g", "h"} {
		nested = "{each: " + name + ", in: session, do: [" + nested + "]}"
	}
	names := []string{"t0: \"'0123456789'\""}
	for i := 1; i < 30; i++ {
		names = append(names, fmt.Sprintf("t%d: t%d + t%d", i, i-1, i-1))
	}
	text := "{let: {" + strings.Join(names, ", ") + "}, do: [{notify: everyone, text: done}]}"
	m, found := loaded(`alluvion: 1
game: much
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, game: {restart: keep}, place: {death: entry, leave: exact, new-run: start}}
variables: {n: {of: game, type: int, start: 0, read_by: game}}
scenes: {hut: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
events: {all: {from: server}, long: {from: server}, one: {from: server}}
rules:
  - {on: all, do: [` + nested + `]}
  - {on: long, do: [` + text + `]}
  - {on: one, do: [{each: p, in: session, do: [{add: game.n, by: 1}]}]}
saving: {when: [scene], every: 30s}
session: {players: 100}
`)
	require.NotNil(t, m, "%+v", found)
	w := &world{t: t, m: m, run: engine.New(m)}
	for i := range 60 {
		w.join(fmt.Sprintf("p%d", i))
	}
	before := w.run.Digest()
	w.refused(w.server("all"), engine.Failed, "The event all does too much: more than 101,200 actions in one event.")
	w.refused(w.server("long"), engine.Failed, "a text grows beyond 64 KB")
	assert.Equal(t, before, w.run.Digest(), "and nothing of it is done")
	require.NoError(t, w.server("one"))
	assert.Equal(t, "60", w.value("", "n"))
}

// Computed variables that are computed from others twice over double with each of them.
func TestWhatTakesTooLongToComputeIsTold(t *testing.T) {
	chain := func(n int) (*model.Model, finding.List) {
		vars := "  c0: {of: player, type: int, is: player.n}\n"
		for i := 1; i < n; i++ {
			vars += fmt.Sprintf("  c%d: {of: player, type: int, is: \"max(player.c%d, player.c%d)\"}\n", i, i-1, i-1)
		}
		return loaded(`alluvion: 1
game: chain
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: entry, leave: exact, new-run: start}}
scenes: {hut: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
saving: {when: [scene], every: 30s}
variables:
  n: {of: player, type: int, start: 0, written_by: game}
` + vars)
	}
	m, _ := chain(10)
	require.NotNil(t, m)
	m, found := chain(200)
	require.Nil(t, m)
	require.Len(t, found, 1, "what follows from it is not told")
	assert.Contains(t, found[0].Message, "To compute player.c12 takes too long")
	assert.Contains(t, found[0].Message, "about 16,381 steps each time; there may be 10,000.")
}
