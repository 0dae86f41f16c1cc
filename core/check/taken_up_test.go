package check_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/examples"
)

const upgraded = `
alluvion: 1
game: small
version: 5
space: {axes: [x, y]}
start: yard/well
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  place:  {death: checkpoint, leave: exact}
scenes: {yard: {size: [10, 10], spots: {well: {at: [1, 1]}}}}
checkpoints: {fallback: yard/well}
saving: {when: [leave], every: 30s}
session: {players: 1}
variables:
  coins: {of: player, type: int, min: 0, max: 9, start: 0, read_by: game, written_by: game}
  hat:   {of: player, type: choice, choices: [cap, hood], start: cap, read_by: game, written_by: game}
  bag:   {of: player, type: group, read_by: game, written_by: game, fields: {x: {type: int, min: 0, max: 9, start: 0}}}
upgrades:
  `

// What an earlier upgrade writes is said to be lost only where no later step speaks of it, by any of its names, and the plan
// does not have it.
func TestWhatALaterStepTakesUpIsNotSaidToBeLost(t *testing.T) {
	for name, row := range map[string]struct {
		steps string
		lost  string // of which it is said; nothing of others
	}{
		"in the plan":                  {"2: [{rename: {player.a: player.coins}}]", ""},
		"nowhere":                      {"2: [{rename: {player.a: player.cions}}]", "player.cions"},
		"renamed later":                {"2: [{rename: {player.a: player.b}}]\n  3: [{rename: {player.b: player.coins}}]", ""},
		"renamed twice":                {"2: [{rename: {player.a: player.b}}]\n  3: [{rename: {player.b: player.c}}]\n  4: [{rename: {player.c: player.coins}}]", ""},
		"renamed to nothing":           {"2: [{rename: {player.a: player.b}}]\n  3: [{rename: {player.b: player.c}}]", "player.b player.c"},
		"dropped later":                {"2: [{rename: {player.a: player.b}}]\n  3: [{drop: player.b, why: no use}]", ""},
		"read later":                   {"2: [{rename: {player.a: player.b}}]\n  3: [{fill: player.coins, to: player.b + 1}]", ""},
		"merged later":                 {"2: [{fill: player.b, to: '1'}]\n  3: [{merge: player.coins, from: [player.b], to: player.b}]", ""},
		"a part of a group":            {"2: [{rename: {player.a: player.bag.a}}]\n  3: [{drop: player.bag, why: no use}]", ""},
		"a group renamed":              {"2: [{rename: {player.a: player.old.x}}]\n  3: [{rename: {player.old: player.bag}}]", ""},
		"moved":                        {"2: [{move: player.a, into: game.b, many: sum}]", "game.b"},
		"moved, and moved again":       {"2: [{move: player.a, into: game.b, many: sum}]\n  3: [{move: game.b, into: player.coins}]", ""},
		"a scene":                      {"2: [{rename: {scenes.a: scenes.yadr}}]", "scenes.yadr"},
		"a scene whose places move":    {"2: [{rename: {scenes.a: scenes.b}}]\n  3: [{place: b, to: yard}]", ""},
		"what caches have":             {"2: [{rename: {prop.box.a: prop.box.b}}]\n  3: [{drop: props.box, why: no use}]", ""},
		"split":                        {"2: [{split: player.a, into: {player.coins: old, player.cents: '0'}}]", "player.cents"},
		"converted, under a new name":  {"2: [{rename: {player.a: player.b}}, {convert: player.a, to: old * 2}]\n  3: [{rename: {player.b: player.coins}}]", ""},
		"converted, and nowhere":       {"2: [{convert: player.a, to: old * 2}]", "player.a"},
		"an option":                    {"2: [{options: player.hat, map: {bonnet: cap}}]", ""},
		"no option":                    {"2: [{options: player.hat, map: {bonnet: cpa}}]", "cpa"},
		"an option that changes again": {"2: [{options: player.hat, map: {bonnet: cowl}}]\n  3: [{options: player.hat, map: {cowl: cap}}]", ""},
		"an option of what is renamed": {"2: [{options: player.head, map: {bonnet: cap}}]\n  3: [{rename: {player.head: player.hat}}]", ""},
		"a list of an earlier version": {"2: [{rename: {lists.goods: lists.wares}}]\n  3: [{fill: player.coins, to: wares.rice.have}, {drop: lists.wares, why: no use}]", ""},
		"the plan's own version":       {"5: [{rename: {player.a: player.coins}}]", ""},
	} {
		t.Run(name, func(t *testing.T) {
			m, _, found := check.Text([]byte(upgraded+row.steps+"\n"), nil)
			require.NotNil(t, m, "%v", found)
			var lost []string
			for _, f := range found {
				if f.ID == "not-taken-up" {
					lost = append(lost, f.Message)
				}
			}
			assert.Len(t, lost, len(strings.Fields(row.lost)), "%v", lost)
			for i, one := range strings.Fields(row.lost) {
				assert.Contains(t, lost[i], one)
			}
		})
	}
}

// What expressions of upgrades read is held by somebody, whatever it was called: a slip of the pen there is found at once.
func TestUpgradesReadWhatSomebodyHolds(t *testing.T) {
	for steps, words := range map[string]string{
		"2: [{convert: player.coins, to: lod * 2}]":                                               "Did you mean old?",
		"5: [{fill: player.coins, to: plyaer.a + 1}]":                                             "Did you mean player.a?",
		"2: [{split: player.a, into: {player.coins: old, player.bag.x: coins}}]":                  "Nothing is called coins here",
		"2: [{merge: player.coins, from: [player.a], to: wares.rice.have}]":                       "Nothing is called wares.rice.have here",
		"2: [{fill: player.coins, to: wares.rice.have}]\n  3: [{drop: lists.wares, why: no use}]": "",
		"2: [{fill: player.coins, to: 'has(player.gone) ? player.gone : game.a'}]":                "",
	} {
		_, _, found := check.Text([]byte(upgraded+steps+"\n"), nil)
		assert.Equal(t, words != "", found.Errors(), steps)
		if words != "" {
			assert.Equal(t, "unknown-name", found[0].ID, steps)
			assert.Contains(t, found[0].Message, words, steps)
		}
	}
}

// What files of the game's own held in an earlier version goes the same way: it is in the plan, or an upgrade speaks of it.
func TestWhatFilesHeldIsTakenUp(t *testing.T) {
	raw, err := os.ReadFile("../../examples/old-cellar/plan.yaml")
	require.NoError(t, err)
	for name, row := range map[string]struct{ from, to, id, words string }{
		"as it is":            {"player.coins: /gold", "player.coins: /gold", "", ""},
		"misspelt":            {"player.coins: /gold", "player.cions: /gold", "not-taken-up", "Did you mean player.coins?"},
		"renamed later":       {"player.coins: /gold", "player.gold: /gold", "", ""},
		"a scene misspelt":    {"3: bakehouse", "3: bakheouse", "not-taken-up", "Did you mean bakehouse?"},
		"a scene renamed":     {"3: bakehouse", "3: bakery", "", ""},
		"a file's name":       {`slot:   {file: "{player}-{slot}.json"}`, `slot:   {file: "{plyaer}-{slot}.json"}`, "unknown-name", "Did you mean {player}?"},
		"another word in one": {`slot:   {file: "{player}-{slot}.json"}`, `slot:   {file: "{A3F2}{player}-{slot}.json"}`, "", ""},
	} {
		t.Run(name, func(t *testing.T) {
			require.Equal(t, 1, strings.Count(string(raw), row.from))
			text := strings.Replace(string(raw), row.from, row.to, 1) +
				"\nupgrades: {2: [{rename: {player.gold: player.coins, scenes.bakery: scenes.bakehouse}}]}\n"
			_, _, found := check.Text([]byte(text), examples.Commons)
			if row.id == "" {
				assert.Empty(t, found)
				return
			}
			require.NotEmpty(t, found)
			assert.Equal(t, row.id, found[0].ID)
			assert.Contains(t, found[0].Message, row.words)
		})
	}
}
