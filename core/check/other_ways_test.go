package check_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/examples"
)

// twoScenes is a plan with no problems; VARIABLES and MORE are put into it.
const twoScenes = `alluvion: 1
game: two
version: 1
start: a/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: entry, leave: exact, new-run: start}}
variables:
  steps: {of: player, type: int, min: 0, max: 99, start: 0, read_by: game}
VARIABLES
scenes:
  a: {size: [10, 10], spots: {door: {at: [1, 1]}, out: {at: [9, 5]}}}
  b: {size: [10, 10], areas: {mat: {x: [0, 3], y: [0, 10]}, pit: {x: [5, 7], y: [0, 2]}}, spots: {in: {at: [1, 5]}, far: {at: [8, 8]}}}
passages:
  way: {from: a/out, to: b/in, both_ways: true, GATE}
events: {step: {from: self}, horn: {from: self}}
rules:
  - {on: step, do: [{add: player.steps, by: 1}]}
RULES
  - {on: horn, do: [{notify: everyone, text: The horn!}]}
MORE
saving: {when: [scene, leave], every: 30s}
`

func twoScenesWith(variables, gate, rules, more string) string {
	text := strings.NewReplacer("VARIABLES", variables, "GATE", gate, "RULES", rules, "MORE", more).Replace(twoScenes)
	return strings.ReplaceAll(text, ", }", "}")
}

// The same finding in other shapes than in its troubled plan, each with a near twin that has no problems.
func TestFindingsInOtherShapes(t *testing.T) {
	type parts struct{ variables, gate, rules, more string }
	for name, row := range map[string]struct {
		id, words        string
		troubled, mended parts
	}{
		"what another variable is set from at leave is reset there": {"lost-at-leave", "player.torch is reset at leave, though another variable is set from it",
			parts{variables: "  torch: {of: player, type: int, min: 0, max: 9, start: 3, across: {leave: reset}}\n  kept: {of: player, type: int, min: 0, max: 9, start: 0, read_by: game, across: {leave: {set: player.torch}}}", rules: "  - {on: horn, do: [{add: player.torch, by: -1}]}"},
			parts{variables: "  torch: {of: player, type: int, min: 0, max: 9, start: 3}\n  kept: {of: player, type: int, min: 0, max: 9, start: 0, read_by: game, across: {leave: {set: player.torch}}}", rules: "  - {on: horn, do: [{add: player.torch, by: -1}]}"}},
		"a profile grows at a crossing that each session counts": {"met-again", "profile.medals grows at round",
			parts{variables: "  medals: {of: profile, type: int, min: 0, max: 9, start: 0, read_by: game, across: {round: {set: profile.medals + 1}}}", more: "crossings: {round: {on: horn, for: [game, profile]}}"},
			parts{variables: "  medals: {of: profile, type: int, min: 0, max: 9, start: 0, read_by: game, across: {round: {set: 'max(profile.medals, 1)'}}}", more: "crossings: {round: {on: horn, for: [game, profile]}}"}},
		"an area at which one arrives sends one back": {"bounces-back", "Who arrives at b/in by way is in b/mat at once",
			parts{rules: "  - {on: {entered: b/mat}, do: [{go: a/door}]}"},
			parts{rules: "  - {on: {entered: b/pit}, do: [{go: a/door}]}"}},
		"a gate asks for what only a checkpoint behind it gives": {"gate-out-of-reach", "player.badge",
			parts{variables: "  badge: {of: player, type: bool, start: false}", gate: "if: player.badge, refused: No badge.", rules: "  - {on: checkpoint, do: [{set: player.badge, to: true}]}", more: "checkpoints: {fallback: a/door, list: {post: {at: b/far}}}"},
			parts{variables: "  badge: {of: player, type: bool, start: false}", gate: "if: player.badge, refused: No badge.", rules: "  - {on: checkpoint, do: [{set: player.badge, to: true}]}", more: "checkpoints: {fallback: a/door, list: {post: {at: b/far, order: 2}, camp: {at: a/door, order: 1}}}"}},
		"a gate asks for what only an area behind it gives": {"gate-out-of-reach", "player.badge",
			parts{variables: "  badge: {of: player, type: bool, start: false}", gate: "if: player.badge, refused: No badge.", rules: "  - {on: {entered: b/pit}, do: [{set: player.badge, to: true}]}"},
			parts{variables: "  badge: {of: player, type: bool, start: false}", gate: "if: player.badge, refused: No badge.", rules: "  - {on: horn, do: [{set: player.badge, to: true}]}"}},
		"nobody decided what becomes of a waymark": {"undecided-fate", "the waymark camp at new-run",
			parts{rules: "  - {on: horn, do: [{remember: camp}]}", more: "waymarks: {camp: {across: {scene: keep, death: keep, leave: keep}}}\nDEFAULTS"},
			parts{rules: "  - {on: horn, do: [{remember: camp}]}", more: "waymarks: {camp: {across: {scene: keep, death: keep, leave: keep, new-run: reset}}}\nDEFAULTS"}},
		"a rule leads to what was perhaps never remembered": {"waymark-may-be-none", "This goes to camp",
			parts{rules: "  - {on: horn, do: [{go: camp}]}\n  - {on: step, do: [{remember: camp}]}", more: "waymarks: {camp: {}}"},
			parts{rules: "  - {on: horn, do: [{if: has(player.camp), do: [{go: camp}]}]}\n  - {on: step, do: [{remember: camp}]}", more: "waymarks: {camp: {}}"}},
		"what is taken out of one set is put into another": {"clamped-transfer", "where it is there already, it is there once after that, too, and what was taken is lost",
			parts{variables: "  bag: {of: player, type: set, items: text, read_by: game}\n  box: {of: player, type: set, items: text, read_by: game}", rules: "  - {on: horn, do: [{take-out: player.bag, item: \"'rope'\"}, {put: player.box, item: \"'rope'\"}]}"},
			parts{variables: "  bag: {of: player, type: set, items: text, read_by: game}\n  box: {of: player, type: set, items: text, read_by: game}", rules: "  - {on: horn, do: [{if: \"!player.box.contains('rope')\", do: [{take-out: player.bag, item: \"'rope'\"}, {put: player.box, item: \"'rope'\"}]}]}"}},
		"a milestone compares with a number that is jumped past": {"equality-on-steps", "player.steps can jump past 7",
			parts{rules: "  - {on: horn, do: [{add: player.steps, by: 3}]}", more: "milestones: {seven: {title: Seven, when: player.steps == 7}}"},
			parts{rules: "  - {on: horn, do: [{add: player.steps, by: 3}]}", more: "milestones: {seven: {title: Seven, when: player.steps >= 7}}"}},
	} {
		t.Run(name, func(t *testing.T) {
			of := func(p parts) string {
				text := twoScenesWith(p.variables, p.gate, p.rules, p.more)
				if before, found := strings.CutSuffix(p.more, "\nDEFAULTS"); found { // which say nothing of new runs
					text = strings.Replace(twoScenesWith(p.variables, p.gate, p.rules, before), ", new-run: reset}, place", "}, place", 1)
					text = strings.Replace(text, "start: 0, read_by: game}", "start: 0, read_by: game, across: {new-run: reset}}", 1)
				}
				return text
			}
			_, _, found := check.Text([]byte(of(row.troubled)), examples.Commons)
			require.Equal(t, []string{row.id}, ids(found), "%+v", found)
			assert.Contains(t, found[0].Message, row.words)
			_, _, twin := check.Text([]byte(of(row.mended)), examples.Commons)
			assert.Empty(t, ids(twin), "%+v", twin)
		})
	}
}

// One line that is missing in the defaults is one finding, whatever it leaves undecided.
func TestOneMissingDecisionIsOneFinding(t *testing.T) {
	alone := `alluvion: 1
game: alone
version: 1
start: hut/door
session: {players: 1}
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, scene: {scene: keep, restart: keep}, game: {restart: keep}, place: {death: entry, leave: exact, new-run: start}}
variables:
  a: {of: game, type: int, start: 0, read_by: game, written_by: game}
  b: {of: game, type: int, start: 0, read_by: game, written_by: game}
  c: {of: scene, type: int, start: 0, read_by: game, written_by: game}
scenes: {hut: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
saving: {when: [leave], every: 20s}
`
	_, _, found := check.Text([]byte(alone), nil)
	assert.Empty(t, found, "what is decided for players holds for the world in their slot, too")
	_, _, found = check.Text([]byte(strings.Replace(alone, "death: keep, leave: keep, new-run: reset}, scene", "leave: keep}, scene", 1)), nil)
	require.Len(t, found, 1)
	assert.Equal(t, "Nothing decides what happens to game.a, game.b and scene.c at death and new-run. With session.players: 1 the world is stored in the player's save, so that death and new-run reach it too. "+
		"One line decides it: defaults: {game: {death: …, new-run: …}, scene: {death: …, new-run: …}}.", found[0].Message)
	assert.Equal(t, []int{9, 10}, found[0].AlsoLines())
	dawn := strings.NewReplacer("saving:", "crossings: {dawn: {title: Dawn, on: joined, for: [player]}}\ncheckpoints: {fallback: hut/door}\nsaving:")
	_, _, found = check.Text([]byte(dawn.Replace(alone)), nil)
	assert.Empty(t, found, "where there is no checkpoint, none can be reached")
	_, _, found = check.Text([]byte(strings.Replace(dawn.Replace(alone), "hut/door}\ns", "hut/door, list: {k: {at: hut/door}}}\ns", 1)), nil)
	require.Len(t, found, 1)
	assert.Equal(t, 13, found[0].Line)
	m, _, found := check.Text([]byte(strings.NewReplacer("game: {restart: keep}", "game: {restart: keep, death: keep, new-run: reset}", "scene: {scene: keep, restart: keep}", "scene: {scene: keep, restart: keep, death: keep, new-run: reset}").Replace(alone)), nil)
	assert.NotNil(t, m)
	assert.Empty(t, found)
	_, _, found = check.Text([]byte(strings.NewReplacer("session: {players: 1}\n", "", "death: keep, leave: keep, new-run: reset}, scene", "leave: keep, new-run: reset}, scene", "{of: game", "{of: player").Replace(alone)), nil)
	require.Len(t, found, 1)
	assert.Equal(t, "Nothing decides what happens to player.a and player.b at death. One line decides it: defaults: {player: {death: …}}.", found[0].Message)
}

const hutAndYard = `
alluvion: 1
game: two
version: 1
start: hut/door
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  place:  {death: checkpoint, leave: exact}
scenes:
  hut:  {size: [10, 10], spots: {door: {at: [5, 0]}}, areas: {rug: {x: [2, 4], y: [2, 4]}}}
  yard: {size: [20, 20], spots: {gate: {at: [10, 19], span: {x: [4, 16]}}}}
passages: {out: {from: hut/door, to: yard/gate, both_ways: true, carry: [x]}}
checkpoints: {fallback: hut/door}
saving: {when: [scene], every: 30s}
`

// What is carried one way may miss on the way back: that is found only where there is a way back.
func TestASpanMayMissOnTheWayBack(t *testing.T) {
	_, _, found := check.Text([]byte(hutAndYard), nil)
	require.Equal(t, []string{"span-mismatch"}, ids(found), "%+v", found)
	assert.Contains(t, found[0].Message, "out carries x to hut/door, which has no span along x")
	_, _, found = check.Text([]byte(strings.Replace(hutAndYard, "both_ways: true, ", "", 1)), nil)
	assert.NotContains(t, ids(found), "span-mismatch")
}

// What an area accepts is asked of it, as of everything else.
func TestWhatAnAreaAcceptsIsAskedOfIt(t *testing.T) {
	sound := strings.Replace(hutAndYard, "both_ways: true, carry: [x]", "both_ways: true", 1)
	_, _, found := check.Text([]byte(sound), nil)
	require.Empty(t, ids(found), "%+v", found)
	_, _, found = check.Text([]byte(strings.Replace(sound, "y: [2, 4]}}", "y: [2, 4], accept: {never-read: nobody looks}}}", 1)), nil)
	require.Equal(t, []string{"needless-accept"}, ids(found), "%+v", found)
	assert.Contains(t, found[0].Message, "hut/rug")
	_, _, found = check.Text([]byte(strings.Replace(sound, "y: [2, 4]}}", "y: [2, 4], accept: {nevr-read: nobody looks}}}", 1)), nil)
	require.Equal(t, []string{"unknown-name"}, ids(found), "%+v", found)
}
