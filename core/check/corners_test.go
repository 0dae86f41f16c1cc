package check_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"alluvion.dev/core/check"
)

// Where a finding begins and where it ends: what is reported for a plan, and that its near twin is not reported.
func TestWhereAFindingBegins(t *testing.T) {
	const (
		coins  = "  coins: {of: player, type: int, min: 0, max: 99, start: 3, read_by: game}\n"
		purse  = "  purse: {of: player, type: int, min: 0, max: 99, start: 0}"
		laidBy = "  - {on: horn, do: [{die: player}]}\n  - {on: died, do: [{set: player.purse, to: player.coins}]}\n"
		badge  = "  badge: {of: player, type: bool, start: false}"
		earned = "  - {on: {entered: b/pit}, do: [{set: player.badge, to: true}]}"
		asks   = "if: player.badge, refused: No badge."
		hp     = "  hp: {of: player, type: int, min: 0, max: 9, start: 9, read_by: game}"
		dies   = `  - {on: horn, do: [{add: player.hp, by: -3}, {if: player.hp <= 0, do: [{die: player}]}]}`
		open   = "  open: {of: game, type: bool, start: false}"
		ticks  = "  ticks: {of: game, type: int, min: 0, max: 99, start: 0, read_by: game}"
		world  = ", game: {restart: keep}, place: {death: entry"
		chest  = "  chest: {of: player, type: int, min: 0, max: 99, start: 3, read_by: game}\n  fee: {of: player, type: int, min: 0, max: 9, start: 1, written_by: game}"
	)
	type parts struct{ variables, gate, rules, more string }
	for name, row := range map[string]struct {
		id   string
		plan parts
		swap []string // what is written otherwise in the plan around the parts
		says []string
	}{
		"a save each second is not too often": {"saves-too-often", parts{}, []string{"every: 30s", "every: 1s"}, nil},
		"a save every 900 ms is":              {"saves-too-often", parts{}, []string{"every: 30s", "every: 900ms"}, []string{"Players are saved every 900ms."}},
		"each player's timer, with many players": {"advanced-by-each", parts{ticks, "", "  - {on: {every: {time: 5s, of: player}}, do: [{add: game.ticks, by: 1}]}", ""}, []string{", place: {death: entry", world},
			[]string{"game.ticks is held once for all, and is advanced here by each player's timer: with ten players it goes ten times as fast."}},
		"each player's timer, with one player":        {"advanced-by-each", parts{ticks, "", "  - {on: {every: {time: 5s, of: player}}, do: [{add: game.ticks, by: 1}]}", "session: {players: 1}"}, []string{", place: {death: entry", world}, nil},
		"what was laid by is set again":               {"given-twice", parts{coins + purse, "", laidBy + "  - {on: came-back, do: [{set: player.coins, to: player.purse}]}", ""}, nil, nil},
		"what was laid by is added at another moment": {"given-twice", parts{coins + purse, "", laidBy + "  - {on: step, do: [{add: player.coins, by: player.purse}]}", ""}, nil, nil},
		"a gate with another way for who is refused":  {"gate-out-of-reach", parts{badge, "if: player.badge, else: b/far", earned, ""}, nil, nil},
		"a gate within a scene": {"gate-out-of-reach", parts{badge, "", earned, ""},
			[]string{"passages:\n", "passages:\n  flap: {from: a/door, to: a/out, " + asks + "}\n"}, nil},
		"a gate that is open at first":          {"gate-out-of-reach", parts{strings.Replace(badge, "false", "true", 1), asks, "  - {on: {entered: b/pit}, do: [{set: player.badge, to: false}]}", ""}, nil, nil},
		"a gate that the session's timer opens": {"gate-out-of-reach", parts{open, "if: game.open, refused: Shut.", "  - {on: {every: 5s}, do: [{set: game.open, to: true}]}", ""}, []string{", place: {death: entry", world}, nil},
		"a gate to where one was":               {"gate-out-of-reach", parts{badge, "", earned + "\n  - {on: step, do: [{remember: camp}]}", "waymarks: {camp: {}}"}, []string{"passages:\n", "passages:\n  back: {from: a/door, to: camp, if: player.badge && has(player.camp), refused: No badge.}\n"}, nil},
		"who dies on an argument that may come again": {"still-dead", parts{hp, "", "  - {on: hit, do: [{if: player.hp <= args.by, do: [{die: player}]}]}", ""}, []string{"horn: {from: self}", "horn: {from: self}, hit: {from: self, args: {by: {type: int, min: 0, max: 9}}}"},
			[]string{"player.hp <= args.by still can hold after coming back."}},
		"who dies and has nothing afterwards either": {"still-dead", parts{strings.Replace(hp, "read_by: game", "read_by: game, across: {death: {set: 0}}", 1), "", dies, ""}, nil, []string{"player.hp <= 0 still holds after coming back."}},
		"who dies of what is calculated, and is set where it still is so": {"still-dead", parts{strings.Replace(hp, "read_by: game", "read_by: game, across: {death: {set: 0}}", 1) + "\n  weak: {of: player, type: bool, is: player.hp <= 0}", "", strings.Replace(dies, "player.hp <= 0", "player.weak", 1), ""}, nil,
			[]string{"player.weak still holds after coming back."}},
		"who dies of what is calculated, and is set where it is not": {"still-dead", parts{strings.Replace(hp, "read_by: game", "read_by: game, across: {death: {set: 5}}", 1) + "\n  weak: {of: player, type: bool, is: player.hp <= 0}", "", strings.Replace(dies, "player.hp <= 0", "player.weak", 1), ""}, nil, nil},
		"a movable at the fallback": {"set-down-on-arrival", parts{"", "", "  - {on: horn, do: [{take: cart}]}", "checkpoints: {fallback: b/far, list: {camp: {at: b/in}}}\nmovables: {cart: {start: b/far}}"}, []string{", place: {death: entry", ", scene: {scene: keep, restart: keep}, game: {restart: keep}, place: {death: checkpoint"},
			[]string{"Cart stands on b/far at first, where players arrive: who dies early comes back there."}},
		"a movable elsewhere":                                   {"set-down-on-arrival", parts{"", "", "  - {on: horn, do: [{take: cart}]}", "checkpoints: {fallback: a/door, list: {camp: {at: b/in}}}\nmovables: {cart: {start: b/far}}"}, []string{", place: {death: entry", ", scene: {scene: keep, restart: keep}, game: {restart: keep}, place: {death: checkpoint"}, nil},
		"an area beyond one end":                                {"out-of-bounds", parts{}, []string{"pit: {x: [5, 7]", "pit: {x: [5, 11]"}, []string{"b/pit goes from 5 to 11 along x, outside b, which goes from 0 up to 10."}},
		"an area beyond the other end":                          {"out-of-bounds", parts{}, []string{"pit: {x: [5, 7]", "pit: {x: [-1, 7]"}, []string{"b/pit goes from -1 to 7 along x, outside b, which goes from 0 up to 10."}},
		"an area from end to end":                               {"out-of-bounds", parts{}, []string{"pit: {x: [5, 7]", "pit: {x: [0, 10]"}, nil},
		"who arrives from another scene":                        {"bounces-back", parts{"", "", "  - {on: arrived, if: \"place.scene == 'b'\", do: [{go: c/bed}]}", ""}, []string{"scenes:\n", "scenes:\n  c: {size: [9, 9], spots: {bed: {at: [4, 4]}, gap: {at: [8, 8]}}}\n", "passages:\n", "passages:\n  on: {from: c/gap, to: a/door}\n"}, nil},
		"who arrives and is sent back":                          {"bounces-back", parts{"", "", "  - {on: arrived, if: \"place.scene == 'b'\", do: [{go: a/door}]}", ""}, nil, []string{"Who arrives in b from a is sent straight back to a/door."}},
		"an area at the end of a way that nobody comes back by": {"bounces-back", parts{"", "", "  - {on: {entered: a/step}, do: [{go: b/far}]}", ""}, []string{", both_ways: true", "", "  a: {", "  a: {areas: {step: {x: [8, 10], y: [4, 6]}}, "}, nil},
		"what a gate asks for, set from another player's": {"progress-drops", parts{"  floor: {of: player, type: int, min: 0, max: 9, start: 0, read_by: game}", "if: player.floor >= 2, refused: Shut.", "  - {on: climb, do: [{set: player.floor, to: args.at.floor}]}\n  - {on: horn, do: [{add: player.floor, by: 1}]}", ""},
			[]string{"horn: {from: self}", "horn: {from: self}, climb: {from: self, args: {at: player}}"}, []string{"player.floor, which the passage way asks for, can go down here from what it gave before."}},
		"a clock that doubles by each player's timer": {"advanced-by-each", parts{ticks, "", "  - {on: {every: {time: 5s, of: player}}, do: [{set: game.ticks, to: game.ticks * 2 + 1}]}", ""}, []string{", place: {death: entry", world},
			[]string{"game.ticks is held once for all, and is advanced here by each player's timer: with ten players it goes ten times as fast."}},
		"what one begins with, given again":      {"given-twice", parts{coins, "", "  - {on: horn, do: [{die: player}]}\n  - {on: came-back, do: [{add: player.coins, by: 3}]}", ""}, nil, []string{"What player.coins starts with is given again after death, though its own fate there is keep."}},
		"something else given after coming back": {"given-twice", parts{coins, "", "  - {on: horn, do: [{die: player}]}\n  - {on: came-back, do: [{add: player.coins, by: 4}]}", ""}, nil, nil},
		"a round of one's own":                   {"met-again", parts{"  medals: {of: player, type: int, min: 0, max: 9, start: 0, read_by: game, across: {round: {set: player.medals + 1}}}", "", "", "crossings: {round: {on: horn, for: [player]}}"}, nil, nil},
		"a round that the server rings": {"met-again", parts{"  medals: {of: player, type: int, min: 0, max: 9, start: 0, read_by: game, across: {round: {set: player.medals + 1}}}", "", "", "crossings: {round: {on: bell, for: [player]}}"},
			[]string{"horn: {from: self}", "horn: {from: self}, bell: {from: server}", "new-run: reset}, place", "new-run: reset, round: keep}, place"}, []string{"player.medals grows at round, and who goes to another session meets round there again."}},
		"an event that asks whether they are there": {"may-be-away", parts{"  mate: {of: player, type: player, across: {leave: reset}}", "", "  - {on: join_up, do: [{set: player.mate, to: args.with}]}\n  - {on: wave, if: has(player.mate), do: [{add: player.mate.steps, by: 1}]}", ""},
			[]string{"horn: {from: self}", "horn: {from: self}, join_up: {from: self, args: {with: player}}, wave: {from: self, if: has(player.mate.steps)}"}, nil},
		"an event that does not": {"may-be-away", parts{"  mate: {of: player, type: player, across: {leave: reset}}", "", "  - {on: join_up, do: [{set: player.mate, to: args.with}]}\n  - {on: wave, if: has(player.mate), do: [{add: player.mate.steps, by: 1}]}", ""},
			[]string{"horn: {from: self}", "horn: {from: self}, join_up: {from: self, args: {with: player}}, wave: {from: self, if: has(player.mate)}"}, []string{"player.steps is written of whoever a reference leads to, and nothing asks whether they are in the session: has(…) of what they have does."}},
		"a change that may be nothing": {"rule-loop", parts{"  n: {of: player, type: int, min: 0, max: 9999, start: 0, read_by: game}", "", "  - {on: horn, do: [{add: player.n, by: 1}]}\n  - {on: {changed: player.n}, do: [{add: player.n, by: player.steps}]}", ""}, nil, nil},
		"an option that an upgrade fills": {"unreached-option", parts{}, []string{"version: 1", "version: 2", "  steps:", "  have:  {of: [player, ware], type: int, min: 0, max: 9, start: 0, read_by: game}\n  steps:", "start: a/door", "start: a/door\nlists: {ware: [rice, tea]}",
			"rules:\n", "rules:\n  - {on: horn, do: [{add: ware.rice.have, by: 1}]}\n", "saving:", "upgrades: {2: [{move: player.tea, into: ware.tea.have}]}\nsaving:"}, nil},
		"an option that nothing writes": {"unreached-option", parts{}, []string{"  steps:", "  have:  {of: [player, ware], type: int, min: 0, max: 9, start: 0, read_by: game}\n  steps:", "start: a/door", "start: a/door\nlists: {ware: [rice, tea]}",
			"rules:\n", "rules:\n  - {on: horn, do: [{add: ware.rice.have, by: 1}]}\n"}, []string{"Nothing in this plan changes ware.have for tea."}},
		"more options than are named": {"unreached-option", parts{}, []string{"  steps:", "  have:  {of: [player, ware], type: int, min: 0, max: 9, start: 0, read_by: game}\n  steps:", "start: a/door", "start: a/door\nlists: {ware: [rice, tea, salt, wool, wax, tin, silk, oil]}",
			"rules:\n", "rules:\n  - {on: horn, do: [{add: ware.rice.have, by: 1}]}\n"}, []string{"Nothing in this plan changes ware.have for tea, salt, wool, wax, tin and 2 more."}},
		"a transfer of several amounts": {"clamped-transfer", parts{coins + chest, "", "  - {on: horn, do: [{add: player.coins, by: -player.fee - 2 + player.steps}, {add: player.chest, by: player.fee + 2 - player.steps}]}", ""}, nil,
			[]string{"This rule moves 2 + player.fee - player.steps from player.coins to player.chest; where player.coins is at its limit it stays there, and the other changes all the same.", "This rule moves 2 + player.fee - player.steps from player.coins to player.chest; where player.chest is at its limit it stays there, and the other changes all the same."}},
	} {
		t.Run(name, func(t *testing.T) {
			text := twoScenesWith(row.plan.variables, row.plan.gate, row.plan.rules, row.plan.more)
			for i := 0; i < len(row.swap); i += 2 {
				text = replaced(t, text, row.swap[i], row.swap[i+1])
			}
			l := judged(t, text)
			assert.Equal(t, row.says, of(l, row.id), "%+v", l)
		})
	}
}

// One line decides for all that nothing decides about: five are named, and the others are counted.
func TestUndecidedVariablesAreCounted(t *testing.T) {
	for n, want := range map[string]string{"abcd": "player.c and player.d", "abcde": "player.d and 1 more", "abcdefgh": "player.d and 4 more"} {
		var more strings.Builder
		for _, name := range n {
			more.WriteString("  " + string(name) + ": {of: player, type: int, start: 0, read_by: game, written_by: game}\n")
		}
		_, _, l := check.Text([]byte(replaced(t, twoScenesWith(strings.TrimSuffix(more.String(), "\n"), "", "", ""), "leave: keep, ", "")), nil)
		told := of(l, "undecided-fate")
		if assert.Len(t, told, 1, "%+v", l) {
			assert.Contains(t, told[0], want+" at leave")
		}
	}
}
