package check_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

// of are the messages of one finding.
func of(l finding.List, id string) []string {
	var out []string
	for _, f := range l {
		if f.ID == id {
			out = append(out, f.Message)
		}
	}
	return out
}

func found(t *testing.T, variables, gate, rules, more string) finding.List {
	t.Helper()
	m, _, l := check.Text([]byte(twoScenesWith(variables, gate, rules, more)), examples.Commons)
	require.NotNil(t, m, "%+v", l)
	return l
}

// Each way in which a value can change keeps check from saying that a gate stays shut; where it can be tried, the player
// walks through.
func TestWhateverChangesAValueOpensItsGate(t *testing.T) {
	through := func(t *testing.T, text string, before ...engine.Request) {
		m, _, l := model.Load([]byte(text))
		require.NotNil(t, m, "%+v", l)
		run := engine.New(m)
		join := engine.Request{Do: "join", Player: "ada", Slot: 1}
		if len(before) > 0 && before[0].Do == "join" {
			join, before = before[0], before[1:]
		}
		_, err := run.Step(&join)
		require.NoError(t, err)
		for i := range before {
			_, err = run.Step(&before[i])
			require.NoError(t, err)
		}
		_, err = run.Step(&engine.Request{Do: "move", Player: "ada", To: m.Spot("a/out").Point[:2], At: 60_000})
		require.NoError(t, err)
		_, err = run.Step(&engine.Request{Do: "pass", Player: "ada", Name: "way", At: 60_000})
		assert.NoError(t, err, "who has what the gate asks for gets through")
	}
	yes := types.OfBool(true)
	for name, row := range map[string]struct {
		variables, gate, rules, more string
		try                          []engine.Request
	}{
		"its own player writes it": {variables: "  key: {of: player, type: bool, start: false, share: {with: everyone, writer: self}}", gate: "if: player.key, refused: Shut.",
			try: []engine.Request{{Do: "write", Player: "ada", Name: "player.key", Value: yes}}},
		"the game's server writes it": {variables: "  key: {of: player, type: bool, start: false, written_by: game}", gate: "if: player.key, refused: Shut.",
			try: []engine.Request{{Do: "write", Player: "ada", Server: true, Name: "player.key", Value: yes}}},
		"its player picks it on joining": {variables: "  hat: {of: player, type: pick, roster: hat, start: none_yet}", gate: "if: player.hat == 'felt', refused: Shut.", more: "rosters: {hat: {options: {none_yet: {}, felt: {}}}}",
			try: []engine.Request{{Do: "join", Player: "ada", Slot: 1, Picks: map[string]types.Value{"hat": types.OfText("felt")}}}},
		"a stopwatch counts":       {variables: "  lap: {of: player, type: stopwatch}", gate: "if: player.lap >= 30, refused: Shut."},
		"a computed value follows": {variables: "  key: {of: player, type: bool, start: false, share: {with: everyone, writer: self}}\n  open: {of: player, type: bool, is: player.key}", gate: "if: player.open, refused: Shut.", try: []engine.Request{{Do: "write", Player: "ada", Name: "player.key", Value: yes}}},
		"a fate sets it":           {variables: "  key: {of: player, type: bool, start: false, across: {death: {set: true}}}", gate: "if: player.key, refused: Shut.", rules: "  - {on: horn, do: [{die: player}]}", try: []engine.Request{{Do: "event", Player: "ada", Name: "horn"}}},
		"a rule writes it":         {variables: "  key: {of: player, type: bool, start: false}", gate: "if: player.key, refused: Shut.", rules: "  - {on: horn, do: [{set: player.key, to: true}]}", try: []engine.Request{{Do: "event", Player: "ada", Name: "horn"}}},
	} {
		t.Run(name, func(t *testing.T) {
			l := found(t, row.variables, row.gate, row.rules, row.more)
			for _, id := range []string{"always-refused", "never-written", "goal-never-nears", "gate-out-of-reach"} {
				assert.NotContains(t, ids(l), id, "%+v", l)
			}
			through(t, twoScenesWith(row.variables, row.gate, row.rules, row.more), row.try...)
		})
	}
}

// What another game or an earlier version brings is not at hand here, but it may be there.
func TestWhatComesFromOutsideThePlanOpensGatesToo(t *testing.T) {
	l := found(t, "", "if: player.guild.market_stage >= 1, refused: Shut.", "", "uses: [{commons: courier-guild, as: guild}]")
	assert.NotContains(t, ids(l), "always-refused")
	text := twoScenesWith("  key: {of: player, type: bool, start: false}", "if: player.key, refused: Shut.", "", "upgrades: {2: [{fill: player.key, to: 'true'}]}")
	l = judged(t, replaced(t, text, "version: 1", "version: 2"))
	assert.NotContains(t, ids(l), "never-written")
}

// Where check does reason from what nothing changes, it says what that rests on.
func TestAMessageSaysWhatItRestsOn(t *testing.T) {
	l := found(t, "  key: {of: player, type: bool, start: false}", "if: player.key, refused: Shut.", "", "milestones: {through: {when: player.key}}")
	assert.Equal(t, []string{"The passage way is always refused: nothing in this plan changes player.key, so player.key does not hold.", "The milestone through is never earned: nothing in this plan changes player.key, so player.key does not hold."}, of(l, "always-refused"))
	assert.Equal(t, []string{"player.key is read, but nothing in this plan writes it: it stays false."}, of(l, "never-written"))
	l = found(t, "  key: {of: player, type: int, min: 0, max: 9, start: 0}", "if: player.key > 9, refused: Shut.", "  - {on: horn, do: [{set: player.key, to: 9}]}", "")
	assert.Equal(t, []string{"The passage way is always refused: player.key > 9 can never hold."}, of(l, "always-refused"))
}

func TestStillDeadLooksBehindTheUsualGuard(t *testing.T) {
	const hp = "  hp: {of: player, type: int, min: 0, max: 9, start: 9, read_by: game}\n  weak: {of: player, type: bool, is: player.hp <= 0, read_by: game}"
	for name, row := range map[string]struct {
		variables, rules, says string
	}{
		"who is alive is hit":            {hp, `  - {on: horn, if: "!player.dead", do: [{add: player.hp, by: -3}, {if: player.hp <= 0, do: [{die: player}]}]}`, "player.hp <= 0 still holds after coming back."},
		"in one condition":               {hp, `  - {on: horn, do: [{add: player.hp, by: -3}, {if: "!player.dead && player.hp <= 0", do: [{die: player}]}]}`, "!player.dead && player.hp <= 0 still holds after coming back."},
		"through a computed value":       {hp, `  - {on: horn, if: "!player.dead", do: [{add: player.hp, by: -3}, {if: player.weak, do: [{die: player}]}]}`, "player.weak still holds after coming back."},
		"what came-back gives":           {hp, "  - {on: horn, if: \"!player.dead\", do: [{add: player.hp, by: -3}, {if: player.hp <= 0, do: [{die: player}]}]}\n  - {on: came-back, do: [{set: player.hp, to: 9}]}", ""},
		"what the rule gives afterwards": {hp, `  - {on: horn, if: "!player.dead", do: [{add: player.hp, by: -3}, {if: player.hp <= 0, do: [{die: player}, {set: player.hp, to: 9}]}]}`, ""},
		"what the game says":             {hp + "\n  storm: {of: game, type: bool, start: false, written_by: game}", `  - {on: horn, if: "!player.dead", do: [{add: player.hp, by: -3}, {if: player.hp <= 0 && game.storm, do: [{die: player}]}]}`, ""},
		"what is reset":                  {"  hp: {of: player, type: int, min: 0, max: 9, start: 9, across: {death: reset}}", `  - {on: horn, if: "!player.dead", do: [{add: player.hp, by: -3}, {if: player.hp <= 0, do: [{die: player}]}]}`, ""},
	} {
		t.Run(name, func(t *testing.T) {
			var want []string
			if row.says != "" {
				want = []string{row.says}
			}
			l := found(t, row.variables, "", row.rules, "")
			assert.Equal(t, want, of(l, "still-dead"), "%+v", l)
		})
	}
}

// {set: x, to: x + n} is {add: x, by: n}, in every check that asks what an action does.
func TestASumThatIsSetIsAnAddition(t *testing.T) {
	const coins = "  coins: {of: player, type: int, min: 0, max: 99, start: 3, read_by: game}\n"
	for name, row := range map[string]struct {
		id, variables, added, set string
	}{
		"given twice":      {"given-twice", coins + "  purse: {of: player, type: int, min: 0, max: 99, start: 0}", "  - {on: horn, do: [{die: player}]}\n  - {on: died, do: [{set: player.purse, to: player.coins}]}\n  - {on: came-back, do: [{add: player.coins, by: player.purse}]}", "  - {on: horn, do: [{die: player}]}\n  - {on: died, do: [{set: player.purse, to: player.coins}]}\n  - {on: came-back, do: [{set: player.coins, to: player.purse + player.coins}]}"},
		"clamped transfer": {"clamped-transfer", coins + "  chest: {of: player, type: int, min: 0, max: 99, start: 3, read_by: game}", "  - {on: horn, do: [{add: player.coins, by: -2}, {add: player.chest, by: 2}]}", "  - {on: horn, do: [{set: player.coins, to: player.coins - 2}, {set: player.chest, to: 2 + player.chest}]}"},
		"rule loop":        {"rule-loop", "  n: {of: player, type: int, start: 0, read_by: game}", "  - {on: horn, do: [{add: player.n, by: 1}]}\n  - {on: {changed: player.n}, do: [{add: player.n, by: 1}]}", "  - {on: horn, do: [{add: player.n, by: 1}]}\n  - {on: {changed: player.n}, do: [{set: player.n, to: player.n + 1}]}"},
	} {
		t.Run(name, func(t *testing.T) {
			added, set := found(t, row.variables, "", row.added, ""), found(t, row.variables, "", row.set, "")
			require.Contains(t, ids(added), row.id)
			assert.Equal(t, of(added, row.id), of(set, row.id))
		})
	}
	l := found(t, "  floor: {of: player, type: int, min: 0, max: 9, start: 0}", "if: player.floor >= 2, refused: Shut.", "  - {on: horn, do: [{set: player.floor, to: player.floor + 1}]}\n  - {on: step, do: [{set: player.floor, to: 'max(player.floor, 3)'}]}", "")
	assert.NotContains(t, ids(l), "progress-drops", "%+v", l)
}

func TestBranchesThatExcludeEachOtherAreNoTransfer(t *testing.T) {
	const both = "  coins: {of: player, type: int, min: 0, max: 99, start: 3, read_by: game}\n  chest: {of: player, type: int, min: 0, max: 99, start: 3, read_by: game}\n  rich: {of: player, type: bool, start: false, written_by: game}"
	l := found(t, both, "", "  - {on: horn, do: [{if: player.rich, do: [{add: player.coins, by: -1}], else: [{add: player.chest, by: 1}]}]}", "")
	assert.NotContains(t, ids(l), "clamped-transfer")
	l = found(t, both, "", "  - {on: horn, do: [{if: player.rich, do: [{add: player.coins, by: -1}, {add: player.chest, by: 1}]}]}", "")
	assert.Len(t, of(l, "clamped-transfer"), 2)
}

func TestProgressDropsOncePerRuleWhoeverAsks(t *testing.T) {
	const floor = "  floor: {of: player, type: int, min: 0, max: 9, start: 0, read_by: game}"
	const events = "events: {step: {from: self}, horn: {from: self}}"
	const lift = "  - {on: lift, do: [{set: args.at.floor, to: args.to}]}"
	withLift := func(gate, more string) finding.List {
		text := twoScenesWith(floor, gate, lift, more)
		return judged(t, replaced(t, text, events, "events: {step: {from: self}, horn: {from: self}, lift: {args: {at: player, to: {type: int, min: 0, max: 3}}, from: server}}"))
	}
	gate := "if: player.floor >= 2, refused: Shut."
	assert.Equal(t, []string{"player.floor, which the passage way asks for, can go down here from what it gave before."}, of(withLift(gate, ""), "progress-drops"))
	assert.Equal(t, []string{"player.floor, which the milestone top asks for, can go down here from what it gave before."}, of(withLift("", "milestones: {top: {progress: player.floor, goal: 3}}"), "progress-drops"))
	assert.Equal(t, []string{"player.floor, which the standing high orders players by, can go down here from what it gave before."}, of(withLift("", "standings: {high: {rank: player.floor, keep: last}}"), "progress-drops"))
	assert.Equal(t, []string{"player.floor, which the passage way asks for (and 2 more), can go down here from what it gave before."},
		of(withLift(gate, "milestones: {top: {progress: player.floor, goal: 3}}\nstandings: {high: {rank: player.floor}}"), "progress-drops"))
	guarded := judged(t, replaced(t, twoScenesWith(floor, gate, "  - {on: lift, if: args.to > args.at.floor, do: [{set: args.at.floor, to: args.to}]}", ""), events, "events: {step: {from: self}, horn: {from: self}, lift: {args: {at: player, to: {type: int, min: 0, max: 3}}, from: server}}"))
	assert.NotContains(t, ids(guarded), "progress-drops", "what is compared first never goes down")
}

func TestWhatAPlayerPaysForIsNotTrustedBlindly(t *testing.T) {
	const events = "events: {step: {from: self}, horn: {from: self}}"
	give := func(coins, least, more string) finding.List {
		return judged(t, replaced(t, twoScenesWith("  coins: {of: player, type: int, min: 0, max: 99, start: 3, read_by: game, "+coins+"}", "", "  - {on: give, do: [{add: player.coins, by: -args.n}, {add: args.to.coins, by: args.n}]}", more),
			events, "events: {step: {from: self}, horn: {from: self}, give: {args: {n: {type: int, min: "+least+", max: 9}, to: player}, from: self}}"))
	}
	assert.NotContains(t, ids(give("at_limit: refuse", "0", "")), "client-trusted")
	assert.Contains(t, ids(give("at_limit: refuse", "-9", "")), "client-trusted", "less than nothing takes from the other")
	assert.Contains(t, ids(give("at_limit: clamp", "0", "")), "client-trusted", "who has nothing gives all the same")
	assert.Contains(t, ids(give("at_limit: refuse, share: {writer: self}", "0", "")), "client-trusted", "what one writes oneself is worth nothing")
}

func TestClientTrustedLooksThroughComputedVariables(t *testing.T) {
	l := found(t, "  score: {of: player, type: int, min: 0, max: 99, start: 0, share: {with: self, writer: self}}\n  grade: {of: player, type: int, min: 0, max: 9, is: 'div(player.score, 11)'}", "if: player.grade > 3, refused: Shut.", "", "standings: {best: {rank: player.grade}}")
	assert.Len(t, of(l, "client-trusted"), 2, "%+v", l)
	l = found(t, "  score: {of: player, type: int, min: 0, max: 99, start: 0, read_by: game, share: {with: self, writer: self}}\n  grade: {of: player, type: int, min: 0, max: 9, is: 'div(player.score, 11)', share: {with: everyone}}", "", "", "")
	assert.Equal(t, []string{"player.grade is computed from player.score, a number that its own player writes, and others see it."}, of(l, "client-trusted"))
	l = found(t, "  score: {of: player, type: int, min: 0, max: 99, start: 0, share: {with: everyone, writer: self}}", "", "", "session: {players: 1}\n")
	assert.NotContains(t, ids(l), "client-trusted", "there is nobody else")
}

func TestNarrowsSpeaksOfWhatIsStored(t *testing.T) {
	l := found(t, "  third: {of: player, type: decimal, step: 0.1, min: 0, max: 99, is: player.steps / 3, read_by: game}", "", "", "")
	assert.NotContains(t, ids(l), "narrows", "what is computed is never stored")
	l = found(t, "  price: {of: player, type: decimal, step: 0.01, min: 0, max: 99, start: 0, read_by: game}", "", "  - {on: horn, do: [{set: player.price, to: round(player.steps / 3 * 100) / 100}]}", "")
	assert.NotContains(t, ids(l), "narrows", "rounded where everybody sees it")
	l = found(t, "  price: {of: player, type: decimal, step: 0.01, min: 0, max: 99, start: 0, read_by: game}", "", "  - {on: horn, do: [{set: player.price, to: player.steps / 3}]}", "")
	assert.Contains(t, ids(l), "narrows")
}

func TestWhatIsSentIsRead(t *testing.T) {
	assert.Contains(t, ids(found(t, "  hue: {of: player, type: int, min: 0, max: 9, start: 0}", "", "", "")), "never-read")
	assert.NotContains(t, ids(found(t, "  hue: {of: player, type: int, min: 0, max: 9, start: 0, share: {with: everyone}}", "", "", "")), "never-read")
	assert.Contains(t, ids(found(t, "  hue: {of: player, type: int, min: 0, max: 9, start: 0, share: {with: nobody}}", "", "", "")), "never-read")
}

func TestAnAcceptIsHeardWhereverItMayStand(t *testing.T) {
	for _, row := range [][2]string{
		{"areas: {mat: {x: [0, 3], y: [0, 10]}", "areas: {mat: {x: [0, 3], y: [0, 10], accept: {one-way: Because.}}"},
		{"spots: {door: {at: [1, 1]}", "spots: {door: {at: [1, 1], accept: {one-way: Because.}}"},
		{"saving: {when", "saving: {accept: {one-way: Because.}, when"},
	} {
		l := judged(t, replaced(t, twoScenesWith("", "", "", ""), row[0], row[1]))
		assert.Equal(t, []string{"needless-accept"}, ids(l), row[1])
	}
	l := found(t, "", "", "  - {on: horn, do: [{add: player.steps, by: 3}]}", "milestones: {seven: {when: player.steps == 7, accept: {equality-on-steps: Meant.}}}")
	assert.True(t, slices.ContainsFunc(l, func(f finding.Finding) bool { return f.ID == "equality-on-steps" && f.Accepted == "Meant." }), "%+v", l)
}

// Who dies comes back at the fallback, wherever that is.
func TestDyingLeadsToTheFallback(t *testing.T) {
	l := found(t, "", "if: player.steps > 99, refused: Shut.", "  - {on: horn, do: [{die: player}]}", "checkpoints: {fallback: b/far, list: {camp: {at: b/far}}}")
	assert.NotContains(t, ids(l), "unreachable-scene")
}

func judged(t *testing.T, text string) finding.List {
	t.Helper()
	m, _, l := check.Text([]byte(text), examples.Commons)
	require.NotNil(t, m, "%+v", l)
	return l
}

func replaced(t *testing.T, text, from, to string) string {
	t.Helper()
	require.Contains(t, text, from)
	return strings.Replace(text, from, to, 1)
}

// A document in which thousands of things are wrong is judged as far as it helps, and no further.
func TestOnlySoManyFindingsAreTold(t *testing.T) {
	var names, passages, scenes strings.Builder
	for i := range 3000 {
		fmt.Fprintf(&names, "  v%d: {of: player, type: int, start: 0, max: player.w%d, read_by: game}\n", i, i)
		fmt.Fprintf(&scenes, "  s%d: {size: [9, 9], spots: {x: {at: [1, 1]}}}\n", i)
		fmt.Fprintf(&passages, "  p%d: {from: s%d/x, to: s%d/x, if: player.steps > 99, refused: Shut.}\n", i, i, (i*7+1)%3000)
	}
	_, _, l := check.Text([]byte(twoScenesWith(strings.TrimSuffix(names.String(), "\n"), "", "", "")))
	assert.Len(t, l, finding.Most+1)
	assert.Contains(t, ids(l), "too-many")
	many := replaced(t, replaced(t, twoScenesWith("", "", "", ""), "passages:\n", "passages:\n"+passages.String()), "scenes:\n", "scenes:\n"+scenes.String())
	_, _, l = check.Text([]byte(many))
	assert.Equal(t, []string{"always-refused", "too-many"}, ids(l))
	assert.Len(t, l, finding.Most+1)
	for _, deep := range []string{strings.Repeat("- ", 40_000) + "x", strings.Repeat("[", 40_000), strings.Repeat("? ", 40_000) + "x", "rules: " + strings.Repeat("- ", 50) + "x"} {
		_, _, l = check.Text([]byte("alluvion: 1\n" + deep + "\n"))
		require.True(t, l.Errors())
		assert.Equal(t, "too-large", l[0].ID, "%.20s", deep)
	}
	for name, wide := range map[string]string{
		"keys of a table":    "%d: 1\n",
		"keys further in":    "",
		"keys in one line":   "",
		"keys with a ? each": "? k%d\n: 1\n",
	} {
		var text strings.Builder
		for i := range 5_100 {
			switch name {
			case "keys further in":
				fmt.Fprintf(&text, map[bool]string{true: "variables:\n", false: ""}[i == 0]+"  k%d: 1\n", i)
			case "keys in one line":
				fmt.Fprintf(&text, map[bool]string{true: "variables: {", false: ", "}[i == 0]+"k%d: 1", i)
			default:
				fmt.Fprintf(&text, wide, i)
			}
		}
		if name == "keys in one line" {
			text.WriteString("}\n")
		}
		_, _, l = check.Text([]byte("alluvion: 1\n" + text.String()))
		require.Len(t, l, 1, name)
		assert.Equal(t, "too-large", l[0].ID, name)
		assert.Equal(t, "One table has more than 5,000 keys.", l[0].Message, name)
	}
	// Many short tables are none too long.
	_, _, l = check.Text([]byte("alluvion: 1\nrules:\n" + strings.Repeat("  - on: died\n    do: [{if: 1 < 2, do: []}]\n", 5_100)))
	assert.NotContains(t, ids(l), "too-large")
}
