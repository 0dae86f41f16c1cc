package engine_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/internal/worlds"
)

// cavern is a session in the caves with ada in it.
func cavern(t testing.TB) *world {
	w := open(t, worlds.Caves)
	w.join("ada")
	return w
}

// changed is a plan's text with one part of it put in another's place.
func changed(text, from, to string) string {
	if strings.Count(text, from) != 1 {
		panic("not once in the text: " + from)
	}
	return strings.Replace(text, from, to, 1)
}

func figure(t testing.TB, r *engine.Run, player, name, at string) string {
	for _, f := range append(append(r.Figures(player), r.GameFigures()...), append(r.SceneFigures("pit"), r.SceneFigures("hall")...)...) {
		if f.Var.Name == name && (f.Scene == at || f.Prop == at) {
			return f.Value.Plain()
		}
	}
	return "-"
}

func (w *world) has(want, player, name, at string) {
	w.t.Helper()
	assert.Equal(w.t, want, figure(w.t, w.run, player, name, at), "%s %s", name, at)
}

func (w *world) to(player, scene string) {
	w.t.Helper()
	w.at += 60_000
	if scene == "pit" {
		w.move(player, "18", "10")
	}
	w.pass(player, map[string]string{"pit": "down", "loft": "up"}[scene])
	w.at += 60_000
}

func TestRule1PropsHaveAStateOfTheirOwnAndPlayersHaveOneForEach(t *testing.T) {
	w := cavern(t)
	w.join("bob")
	w.to("ada", "pit")
	w.to("bob", "pit")
	w.move("ada", "5", "4")
	w.move("bob", "5", "-4")
	w.has("-", "ada", "prop.vein.dug", "vein.north") // nothing was ever touched: it costs nothing
	require.NoError(t, w.self("ada", "dig", "vein", "north"))
	require.NoError(t, w.self("ada", "dig", "vein", "north"))
	require.NoError(t, w.self("bob", "dig", "vein", "south"))
	w.has("3", "ada", "prop.vein.dug", "vein.north")
	w.has("4", "ada", "prop.vein.dug", "vein.south")
	w.has("2", "ada", "prop.vein.mined", "vein.north")
	w.has("-", "bob", "prop.vein.mined", "vein.north")
	assert.Equal(t, "vein.south", w.res.Changes[0].Prop)
	require.NoError(t, w.server("refill", "vein", "north"))
	w.has("5", "ada", "prop.vein.dug", "vein.north")
}

func TestRule6APropOutOfReachIsRefused(t *testing.T) {
	w := cavern(t)
	assert.ErrorContains(t, w.self("ada", "dig", "vein", "north"), "is not here")
	w.to("ada", "pit")
	assert.ErrorContains(t, w.self("ada", "dig", "vein", "north"), "out of reach")
	assert.ErrorContains(t, w.self("ada", "dig", "vein", "nort"), "Did you mean north")
}

func TestRule17PairsRewindToWhatTheyWereAtTheCheckpoint(t *testing.T) {
	w := cavern(t)
	w.to("ada", "pit")
	w.move("ada", "5", "4")
	require.NoError(t, w.self("ada", "dig", "vein", "north"))
	w.at += 9000
	w.move("ada", "0", "8")
	require.NoError(t, w.self("ada", "mark", "what", "moon"))
	w.touch("ada", "ledge")
	w.at += 9000
	w.move("ada", "5", "4")
	require.NoError(t, w.self("ada", "dig", "vein", "north"))
	require.NoError(t, w.self("ada", "mark", "what", "sun"))
	w.at += 9000
	w.move("ada", "5", "-4")
	require.NoError(t, w.self("ada", "dig", "vein", "south"))
	require.NoError(t, w.self("ada", "fall"))
	w.run.Advance(w.at + 1)
	w.has("1", "ada", "prop.vein.mined", "vein.north")
	w.has("0", "ada", "prop.vein.mined", "vein.south")
	w.has("3", "ada", "prop.vein.dug", "vein.north") // what the prop has is nobody's to take back
	w.has("[moon]", "ada", "player.marks", "")
}

func TestRule18AtSceneAPairIsTheOneWithTheSceneThatWasLeft(t *testing.T) {
	w := cavern(t)
	require.NoError(t, w.self("ada", "here"))
	w.has("1", "ada", "scene.steps", "hall")
	w.to("ada", "pit")
	w.has("0", "ada", "scene.steps", "hall")
	require.NoError(t, w.self("ada", "here"))
	w.has("1", "ada", "scene.steps", "pit")
	w.has("true", "ada", "scene.lit", "pit")
	w.pass("ada", "down")
	w.has("0", "ada", "scene.steps", "pit")
	w.has("true", "ada", "scene.lit", "pit")
}

func TestAVariableOfSomeScenesIsNowhereElse(t *testing.T) {
	w := cavern(t)
	require.NoError(t, w.self("ada", "light"))
	w.to("ada", "pit")
	w.pass("ada", "down")
	w.at += 60_000
	w.move("ada", "2", "2")
	w.pass("ada", "up")
	assert.ErrorContains(t, w.self("ada", "light"), "loft has no lit")
}

func TestRule24PropsWithARadiusAreEntered(t *testing.T) {
	w := cavern(t)
	w.at += 60_000
	w.move("ada", "10", "8")
	w.move("ada", "10", "9")
	assert.True(t, w.told("message"))
	w.has("true", "ada", "prop.chest.found", "chest.new")
	w.to("ada", "pit")
	w.move("ada", "0", "8")
	w.has("true", "ada", "prop.chest.found", "chest.old")
	assert.True(t, w.told("milestone"), "count(player.found) is evaluated")
}

func TestListsAndSetsHoldWhatIsPutIntoThem(t *testing.T) {
	w := cavern(t)
	for _, what := range []string{"star", "moon", "star"} {
		require.NoError(t, w.self("ada", "mark", "what", what))
	}
	w.has("[moon, star]", "ada", "player.marks", "")
	assert.ErrorContains(t, w.self("ada", "mark", "what", "sun"), "at most 2")
	require.NoError(t, w.self("ada", "unmark", "what", "moon"))
	w.refused(w.self("ada", "unmark", "what", "moon"), engine.Refused, "player.marks has no moon to take out.")
	w.has("[star]", "ada", "player.marks", "")
	for _, n := range []int{4, 2, 4} {
		require.NoError(t, w.self("ada", "walk", "n", n))
	}
	require.NoError(t, w.self("ada", "back", "n", 4))
	w.has("[2, 4]", "ada", "player.path", "")
	require.NoError(t, w.self("ada", "pin"))
	w.has("[2, 2]", "ada", "player.pin", "")
}

func TestTheFieldsOfAGroupShareItsFates(t *testing.T) {
	w := cavern(t)
	require.NoError(t, w.self("ada", "dress", "hat", "straw"))
	w.has("straw", "ada", "player.outfit.hat", "")
	require.NoError(t, w.self("ada", "fall"))
	w.run.Advance(w.at + 1)
	w.has("felt", "ada", "player.outfit.hat", "")
	w.has("10", "ada", "player.outfit.rope", "")
}

func TestAStopwatchCountsOnlyWhileItsConditionHolds(t *testing.T) {
	w := cavern(t)
	w.run.Advance(5000)
	w.has("0", "ada", "player.awake", "")
	w.at = 5000
	require.NoError(t, w.self("ada", "deeper"))
	w.run.Advance(7500)
	w.has("2.5", "ada", "player.awake", "")
	w.has("0", "ada", "game.busy", "")
	w.at = 8000
	w.join("bob")
	w.at = 9000
	s := w.leave("ada")
	w.has("0", "bob", "player.awake", "")
	w.run.Advance(20_000)
	w.has("1", "bob", "game.busy", "")
	w.at = 20_000
	w.back("ada", s)
	w.run.Advance(21_000)
	w.has("5", "ada", "player.awake", "") // 4 seconds before, one after
	w.has("2", "bob", "game.busy", "")
}

func TestRule25SeedsComeWithTheSessionAndDrawAlikeForEverybody(t *testing.T) {
	m := load(t, worlds.Caves)
	drawn := func(seed uint32) string {
		w := &world{t: t, m: m, run: engine.Open(m, seed)}
		w.join("ada")
		w.join("bob")
		out := ""
		for n := range 8 {
			require.NoError(t, w.self("ada", "roll", "n", n))
			require.NoError(t, w.self("bob", "roll", "n", n))
			assert.Equal(t, figure(t, w.run, "ada", "player.rolled", ""), figure(t, w.run, "bob", "player.rolled", ""))
			out += figure(t, w.run, "ada", "player.rolled", "")
		}
		return out
	}
	assert.Equal(t, drawn(7), drawn(7))
	assert.NotEqual(t, drawn(7), drawn(8))
	w := &world{t: t, m: m, run: engine.Open(m, 7)}
	again := engine.ReopenWith(m, w.run.World(), 9)
	assert.NotEqual(t, figure(t, w.run, "", "game.weather", ""), figure(t, again, "", "game.weather", ""), "reset at restart is a new seed")
}

func TestSomeOptionsAreNotForEverybodyAndALockedPickStays(t *testing.T) {
	w := cavern(t)
	assert.ErrorContains(t, w.self("ada", "hire", "who", "bat"), "Bats only follow")
	require.NoError(t, w.self("ada", "hire", "who", "mole"))
	require.NoError(t, w.self("ada", "hire", "who", "mole"))
	require.NoError(t, w.self("ada", "deeper"))
	require.NoError(t, w.self("ada", "deeper"))
	assert.ErrorContains(t, w.self("ada", "hire", "who", "bat"), "stays so in this run")
	w.must(engine.Request{Do: "start-over", Player: "ada"})
	w.has("none", "ada", "player.guide", "")
}

func TestAPickOnTheWayInIsJudgedBeforeThePlayerIsThere(t *testing.T) {
	w := cavern(t)
	before := w.run.Digest()
	pick := func(who string) map[string]types.Value { return map[string]types.Value{"guide": types.OfText(who)} }
	assert.ErrorContains(t, w.do(engine.Request{Do: "join", Player: "bob", Slot: 1, Picks: pick("bat")}), "Bats only follow")
	assert.ErrorContains(t, w.do(engine.Request{Do: "join", Player: "bob", Slot: 1, Picks: pick("cow")}), "there is no guide")
	assert.Error(t, w.do(engine.Request{Do: "join", Player: "bob", Slot: 1, Picks: map[string]types.Value{"depth": types.OfInt(1)}}))
	assert.Equal(t, before, w.run.Digest())
	w.must(engine.Request{Do: "join", Player: "bob", Slot: 1, Picks: pick("mole")})
	for _, c := range w.res.Changes {
		if c.Name == "player.guide" {
			assert.Equal(t, "join", c.Cause.Moment, "a pick on the way in is what the player asked for")
		}
	}
	w.has("mole", "bob", "player.guide", "")
}

func TestRule5AMovableIsWithOnePlayerOrAtOnePlace(t *testing.T) {
	w := cavern(t)
	w.join("bob")
	assert.ErrorContains(t, w.self("ada", "grab"), "out of reach")
	w.at += 9000
	w.move("ada", "17", "10")
	w.move("bob", "17", "11")
	require.NoError(t, w.self("ada", "grab"))
	assert.ErrorContains(t, w.self("bob", "grab"), "ada has Cart already")
	assert.ErrorContains(t, w.self("bob", "drop"), "bob does not have Cart")
	w.has("1", "ada", "player.slow", "")
	w.to("ada", "pit")
	assert.True(t, contains(w.run.Held("ada"), "cart"), "it goes along")
	w.pass("ada", "down")
	w.at += 9000
	w.move("ada", "2", "2")
	assert.ErrorContains(t, w.do(engine.Request{Do: "pass", Player: "ada", Name: "up"}), "Cart cannot be brought to Loft")
	require.NoError(t, w.self("ada", "drop"))
	w.has("4", "ada", "player.slow", "")
	assert.Equal(t, "hall (2, 2)", w.run.World().Movables["cart"].String())
}

func TestRule5WhatAPlayerHeldIsSetDownWhenTheyDieLeaveOrStartOver(t *testing.T) {
	for name, how := range map[string]func(w *world){
		"dies":        func(w *world) { require.NoError(w.t, w.self("ada", "fall")) },
		"leaves":      func(w *world) { w.leave("ada") },
		"starts over": func(w *world) { w.must(engine.Request{Do: "start-over", Player: "ada"}) },
	} {
		w := cavern(t)
		w.join("bob")
		w.at += 9000
		w.move("ada", "17", "10")
		require.NoError(t, w.self("ada", "grab"))
		how(w)
		assert.Empty(t, w.run.Held("ada"), name)
		assert.Equal(t, "hall (17, 10)", w.run.World().Movables["cart"].String(), name)
	}
}

func TestRule5AfterACrashAMovableLiesWhereItsHolderWas(t *testing.T) {
	w := cavern(t)
	require.NoError(t, w.self("ada", "lamp"))
	w.at += 9000
	w.move("ada", "17", "10")
	require.NoError(t, w.self("ada", "grab"))
	w.to("ada", "pit")
	world := w.run.World()
	assert.Equal(t, "ada", world.Held["cart"])
	again := engine.Reopen(w.m, world)
	assert.Equal(t, "pit (8, 0)", again.World().Movables["cart"].String())
	assert.Equal(t, "hall (2, 2)", again.World().Movables["lamp"].String(), "its fate at restart is reset")
	assert.Empty(t, again.World().Held)
}

func TestWhoArrivesIsToldWhatStandsThere(t *testing.T) {
	w := cavern(t)
	assert.True(t, w.told("stands"))
	w.at += 9000
	w.move("ada", "17", "10")
	require.NoError(t, w.self("ada", "grab"))
	w.pass("ada", "down")
	assert.True(t, w.told("holds"))
	assert.False(t, w.told("stands"))
}

func TestRequestsMayHaveConditions(t *testing.T) {
	w := cavern(t)
	w.to("ada", "pit")
	assert.ErrorContains(t, w.do(engine.Request{Do: "start-over", Player: "ada"}), "Only in the hall.")
	w.pass("ada", "down")
	w.at += 1000
	before := w.run.Digest()
	assert.ErrorContains(t, w.do(engine.Request{Do: "move", Player: "ada", To: []fixed.Num{fixed.Must("2"), fixed.Must("2")}}), "Nobody is that fast")
	assert.Equal(t, before, w.run.Digest())
	w.move("ada", "14", "10") // 4 of the 10 metres that a second allows
	assert.ErrorContains(t, w.do(engine.Request{Do: "move", Player: "ada", To: []fixed.Num{fixed.Must("5"), fixed.Must("10")}}), "Nobody is that fast")
	w.at += 1000
	w.move("ada", "5", "10")
}

func TestASceneMayBeginAnywhereAndMayNotBeWalked(t *testing.T) {
	w := cavern(t)
	require.NoError(t, w.self("ada", "mirror"))
	place, _ := w.run.Place("ada")
	assert.Equal(t, "pit (2, 2)", place.String())
	w.at += 60_000
	w.move("ada", "-10", "-10")
	assert.Error(t, w.do(engine.Request{Do: "move", Player: "ada", To: []fixed.Num{fixed.Must("10"), fixed.Must("0")}}), "it reaches up to, not including, 10")
	w = cavern(t)
	w.to("ada", "loft")
	assert.ErrorContains(t, w.do(engine.Request{Do: "move", Player: "ada", To: []fixed.Num{fixed.Must("11"), fixed.Must("10")}}), "Nobody moves freely in Loft")
}

func TestSavingIsAMomentAndAnAction(t *testing.T) {
	w := cavern(t)
	require.NoError(t, w.self("ada", "rest"))
	assert.Equal(t, []engine.SaveMoment{{Player: "ada", Moment: "rule"}, {Moment: "rule"}}, w.res.Saves)
	assert.True(t, w.told("message"), "the rules on saved ran")
	s := w.leave("ada")
	w.back("ada", s)
	assert.True(t, w.told("message"), "and those on loaded")
}

func TestAPlayerWritesOnlyWhatThePlanLetsThem(t *testing.T) {
	w := cavern(t)
	w.must(engine.Request{Do: "write", Player: "ada", Name: "player.mood", Value: types.OfText("wild")})
	assert.ErrorContains(t, w.do(engine.Request{Do: "write", Player: "ada", Name: "player.depth", Value: types.OfInt(3)}), "is not written by players")
	assert.ErrorContains(t, w.do(engine.Request{Do: "correct", Player: "ada", Name: "player.depth", Value: types.OfInt(3)}), "Only the game's server")
	w.must(engine.Request{Do: "correct", Player: "ada", Server: true, Name: "player.depth", Value: types.OfInt(3), Why: "it was lost"})
	assert.Equal(t, "correction: it was lost", w.res.Changes[0].Cause.String())
	w.must(engine.Request{Do: "write", Player: "ada", Server: true, Name: "prop.vein.mined", Args: map[string]types.Value{"prop": types.OfText("south")}, Value: types.OfInt(3)})
	w.has("3", "ada", "prop.vein.mined", "vein.south")
	w.must(engine.Request{Do: "write", Player: "ada", Server: true, Name: "player.marks", Value: types.OfItems([]types.Value{types.OfText("sun")})})
	w.has("[sun]", "ada", "player.marks", "")
}

// A milestone is given by hand to see what follows, and taken back; a request that is refused changes nothing.
func TestAMilestoneIsGivenByHandAndTakenBack(t *testing.T) {
	w := cavern(t)
	earned := func() bool { return slices.Contains(w.run.Save("ada").Milestones, "explorer") }
	right := func(player string, value types.Value) error {
		return w.do(engine.Request{Do: "correct", Player: player, Server: true, Name: "player.earned.explorer", Value: value, Why: "to see it"})
	}
	before := w.run.Digest()
	assert.ErrorContains(t, right("ada", types.OfInt(1)), "true or false is wanted")
	assert.ErrorContains(t, right("", types.OfBool(true)), "name the player")
	assert.Error(t, w.do(engine.Request{Do: "write", Player: "ada", Server: true, Name: "player.earned.explorer", Value: types.OfBool(true)}), "it is corrected, and not written")
	assert.Equal(t, before, w.run.Digest())
	require.NoError(t, right("ada", types.OfBool(true)))
	assert.True(t, earned())
	assert.True(t, w.told("milestone"), "the player is told, as if it had been earned")
	assert.Equal(t, "correction: to see it", w.res.Changes[0].Cause.String())
	require.NoError(t, right("ada", types.OfBool(true)), "twice is once")
	require.NoError(t, right("ada", types.OfBool(false)))
	assert.False(t, earned())
	s := w.leave("ada")
	assert.Empty(t, s.Milestones)
}

func TestStandingsKeepTheBestOrTheLast(t *testing.T) {
	w := cavern(t)
	w.to("ada", "pit")
	w.move("ada", "5", "4")
	require.NoError(t, w.self("ada", "dig", "vein", "north"))
	require.NoError(t, w.self("ada", "dig", "vein", "north"))
	require.NoError(t, w.self("ada", "fall"))
	w.run.Advance(w.at + 1)
	s := w.run.Save("ada")
	assert.Equal(t, map[string]fixed.Num{"miners": fixed.FromInt(2)}, s.Standings, "the best stays, though what was mined was taken back")
	require.NoError(t, w.self("ada", "deeper"))
	w.ranked("deep", "1")
}

func (w *world) ranked(standing, want string) {
	n, ok := w.run.Save("ada").Standings[standing]
	assert.True(w.t, ok)
	assert.Equal(w.t, want, n.String())
}

func TestWhatPairsAndPropsHoldIsSavedAndComesBack(t *testing.T) {
	w := cavern(t)
	w.to("ada", "pit")
	w.move("ada", "5", "4")
	require.NoError(t, w.self("ada", "dig", "vein", "north"))
	require.NoError(t, w.self("ada", "light"))
	require.NoError(t, w.self("ada", "mark", "what", "moon"))
	s, world := w.leave("ada"), w.run.World()
	raw, err := save.Encode(s)
	require.NoError(t, err)
	assert.Contains(t, string(raw), `"props":{"vein":{"north":{"mined":1}}}`)
	assert.Contains(t, string(raw), `"scenes":{"pit":{"lit":true}}`, "only what was changed is in it")
	assert.Contains(t, string(raw), `"marks":["moon"]`)
	back, problems, err := save.DecodePlayer(raw, w.m)
	require.NoError(t, err)
	require.Empty(t, problems)
	again := engine.Reopen(w.m, world)
	_, err = again.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: back})
	require.NoError(t, err)
	assert.Equal(t, "1", figure(t, again, "ada", "prop.vein.mined", "vein.north"))
	assert.Equal(t, "true", figure(t, again, "ada", "scene.lit", "pit"))
	assert.Equal(t, "4", figure(t, again, "ada", "prop.vein.dug", "vein.north"))
	assert.Equal(t, "[moon]", figure(t, again, "ada", "player.marks", ""))
}
