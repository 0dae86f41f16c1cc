package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
	"alluvion.dev/internal/worlds"
)

func TestRule1TheWorldIsOneForAllInTheSession(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.join("bob")
	require.NoError(t, w.self("ada", "chop", "n", 2))
	require.NoError(t, w.self("ada", "give"))
	w.is("", "fund", "1")
	w.is("bob", "logs", "0")
}

func TestRule1WithOnePlayerTheWorldLiesInTheSlot(t *testing.T) {
	const solo = `
alluvion: 1
game: solo
version: 1
start: a/s
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  game:   {restart: keep, death: rewind, new-run: reset}
  place:  {death: stay, leave: exact}
variables:
  doors: {of: game, type: int, min: 0, max: 9, start: 0, read_by: game}
scenes: {a: {size: [4, 4], spots: {s: {at: [1, 1]}}}}
checkpoints: {back_after: 1s, list: {s: {at: a/s}}}
events: {push: {from: self}, fall: {from: self}}
rules: [{on: push, do: [{add: game.doors, by: 1}]}, {on: fall, do: [{die: player}]}]
saving: {when: [checkpoint, leave]}
session: {players: 1}
`
	w := open(t, solo)
	w.join("ada")
	require.NoError(t, w.self("ada", "push"))
	w.touch("ada", "s")
	require.NoError(t, w.self("ada", "push"))
	require.NoError(t, w.self("ada", "fall"))
	w.at = 2000
	w.run.Advance(w.at)
	w.is("", "doors", "1") // rewound with its only player
	s := w.leave("ada")
	require.NotNil(t, s.World)
	again := open(t, solo)
	again.back("ada", s)
	again.is("", "doors", "1")
	again.must(engine.Request{Do: "start-over", Player: "ada"})
	again.is("", "doors", "0")
}

func TestRule6RequestsAreJudged(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.move("ada", "5", "3")
	w.refused(w.do(engine.Request{Do: "pass", Player: "ada", Name: "out"}), engine.Refused, "too far")
	w.move("ada", "9.5", "1") // within two of the span's end, which is included
	w.pass("ada", "out")
	assert.Equal(t, "yard (9.5, 29) south", w.at_("ada"))
	w.refused(w.do(engine.Request{Do: "touch", Player: "ada", Name: "bed"}), engine.Refused, "not in hut")
	w.refused(w.do(engine.Request{Do: "move", Player: "ada", To: []fixed.Num{fixed.FromInt(30), {}}}), engine.Refused, "outside")
	w.refused(w.do(engine.Request{Do: "move", Player: "ada", To: []fixed.Num{fixed.FromInt(3)}}), engine.Invalid, "2 coordinates")
	w.refused(w.do(engine.Request{Do: "move", Player: "ada", To: []fixed.Num{{}, {}}, Facing: "up"}), engine.Unknown, "facing")
	w.refused(w.do(engine.Request{Do: "pass", Player: "eve", Name: "out"}), engine.Unknown, "eve")
	w.refused(w.do(engine.Request{Do: "jump", Player: "ada"}), engine.Unknown, "jump")
	w.refused(w.self("ada", "hurt"), engine.Forbidden, "server")
	w.refused(w.server("chop", "n", 1), engine.Invalid, "name the player")
}

func TestRule6ArrivingTriggersNoPassage(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.move("ada", "5", "1")
	w.pass("ada", "out") // arrives on the gate, which leads back
	assert.Contains(t, w.at_("ada"), "yard")
}

func TestRule7TimersRunBeforeTheEventAndInOrder(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("bob")
	w.join("ada")
	for _, id := range []string{"bob", "ada"} {
		require.NoError(t, w.server("hurt", "by", 100, "at", id))
	}
	due, ok := w.run.Due()
	assert.True(t, ok)
	assert.EqualValues(t, 1000, due)
	w.at = 1500
	require.NoError(t, w.self("ada", "chop", "n", 1), "she is back before her event")
	var order []string
	for _, n := range w.res.Notices {
		if n.Kind == "came-back" {
			order = append(order, n.Player)
		}
	}
	assert.Equal(t, []string{"ada", "bob"}, order, "of two that are due at once, the first by id")
	w.at = 1000
	require.NoError(t, w.self("ada", "mud"))
	assert.EqualValues(t, 1500, w.run.Clock(), "time never goes back")
}

func TestRule7StopwatchesReadElapsedSecondsAndCannotBeSet(t *testing.T) {
	w := open(t, worlds.Camp)
	w.at = 5000
	w.join("ada")
	w.at = 7500
	w.move("ada", "3", "3")
	w.is("ada", "clock", "2.5")
	s := w.leave("ada")
	assert.Equal(t, "2.5", s.Values["clock"].String())
	w.at = 60000
	w.back("ada", s)
	w.is("ada", "clock", "2.5")
	w.refused(w.do(engine.Request{Do: "write", Server: true, Player: "ada", Name: "player.clock", Value: types.OfInt(1)}), engine.Refused, "by itself")
}

func TestRule8ARepeatedRequestChangesNothing(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	req := engine.Request{Do: "event", Player: "ada", Name: "chop", Number: 7, Args: arguments([]any{"n", 2})}
	w.must(req)
	digest := w.run.Digest()
	w.refused(w.do(req), engine.Repeated, "7")
	assert.Equal(t, digest, w.run.Digest())
	assert.EqualValues(t, 7, w.run.Number("ada"))
	s := w.leave("ada")
	w.back("ada", s)
	w.refused(w.do(req), engine.Repeated, "7")
}

func TestRule9AnEventIsAllOrNothing(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	digest := w.run.Digest()
	err := w.self("ada", "split", "n", 0)
	w.refused(err, engine.Failed, "division by zero")
	assert.Equal(t, digest, w.run.Digest())
	var r *engine.Refusal
	require.ErrorAs(t, err, &r)
	assert.Equal(t, 8, r.Rule)
	assert.Positive(t, r.Line)
}

func TestRule9EachActionSeesTheOnesBeforeIt(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	require.NoError(t, w.server("hurt", "by", 50, "at", "ada"))
	assert.Equal(t, []string{"player.warmth", "player.dead"}, w.changed())
}

func TestRule9AChainIsBounded(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	digest := w.run.Digest()
	w.refused(w.self("ada", "spiral"), engine.Failed, "256")
	assert.Equal(t, digest, w.run.Digest())
}

func TestRule10AnInvariantRefusesWhatBreaksIt(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	digest := w.run.Digest()
	w.refused(w.self("ada", "cold", "to", 20), engine.Refused, "Warmer than can be")
	assert.Equal(t, digest, w.run.Digest())
	require.NoError(t, w.self("ada", "cold", "to", 60))
}

func TestRule10WhatIsBrokenAlreadyRefusesNothing(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	s := w.leave("ada")
	s.Values["warmth"] = types.OfInt(90) // a save from a time when that was allowed
	w.back("ada", s)
	require.NoError(t, w.self("ada", "mud"), "it only refuses what turns it from true to false")
}

func TestRule11TheDead(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	require.NoError(t, w.server("hurt", "by", 100, "at", "ada"))
	require.True(t, w.told("died"))
	w.refused(w.self("ada", "mud"), engine.Refused, "dead")
	w.refused(w.do(engine.Request{Do: "pass", Player: "ada", Name: "out"}), engine.Refused, "dead")
	w.refused(w.do(engine.Request{Do: "touch", Player: "ada", Name: "bed"}), engine.Refused, "dead")
	require.NoError(t, w.self("ada", "name", "text", "late"), "while_dead")
	w.move("ada", "3", "3")
	require.NoError(t, w.server("hurt", "by", 1, "at", "ada"))
	assert.False(t, w.told("died"), "the dead do not die")
	require.NoError(t, w.do(engine.Request{Do: "start-over", Player: "ada"}))
	dead, _ := w.run.State("ada")
	assert.False(t, dead)
}

func TestRule13ComingBackElsewhereSkipsTheSceneColumn(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.move("ada", "5", "1")
	w.pass("ada", "out")
	require.NoError(t, w.self("ada", "mud"))
	require.NoError(t, w.server("hurt", "by", 100, "at", "ada"))
	w.at = 1000
	res := w.run.Advance(w.at)
	assert.Contains(t, w.at_("ada"), "hut")
	w.is("ada", "muddy", "true") // reset at scene, kept at death
	w.is("ada", "warmth", "80")
	kinds := []string{}
	for _, n := range res.Notices {
		kinds = append(kinds, n.Kind)
	}
	assert.Equal(t, []string{"message", "departed", "arrived", "message", "came-back", "message"}, kinds)
	w.is("yard", "fire", "0") // the scene was left by its last player
}

func TestRule14OrderAtAChangeOfScene(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	require.NoError(t, w.self("ada", "mud"))
	w.move("ada", "5", "1")
	w.pass("ada", "out")
	assert.Equal(t, []string{"player.muddy", "place", "scene.fire"}, w.changed(), "the player's fates, the move, the empty scene's fates")
	w.is("hut", "marks", "1")
	require.Len(t, w.res.Saves, 1)
	assert.Equal(t, "scene", w.res.Saves[0].Moment)
}

func TestRule14ARefusedPassageLeavesThePlayerWhereTheyAre(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	digest := w.run.Digest()
	w.refused(w.do(engine.Request{Do: "pass", Player: "ada", Name: "ladder"}), engine.Refused, "The ladder costs two.")
	assert.Equal(t, digest, w.run.Digest())
}

func TestRule15SetsReadWhatResetsAndRewindsLeft(t *testing.T) {
	const swap = `
alluvion: 1
game: swap
version: 1
start: a/s
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
variables:
  first:  {of: player, type: int, min: 0, max: 9, start: 1, across: {death: reset}}
  second: {of: player, type: int, min: 0, max: 9, start: 2, read_by: game, across: {death: {set: player.first + 1}}}
scenes: {a: {size: [4, 4], spots: {s: {at: [1, 1]}}}}
events: {grow: {from: self}, fall: {from: self}}
rules:
  - {on: grow, do: [{set: player.first, to: 7}]}
  - {on: {changed: player.first}, do: [{notify: player, text: it changed}]}
  - {on: fall, do: [{die: player}]}
saving: {every: 30s}
`
	w := open(t, swap)
	w.join("ada")
	require.NoError(t, w.self("ada", "grow"))
	assert.True(t, w.told("message"))
	require.NoError(t, w.self("ada", "fall"))
	res := w.run.Advance(w.at)
	w.is("ada", "first", "1")
	w.is("ada", "second", "2")
	for _, n := range res.Notices {
		assert.NotEqual(t, "message", n.Kind, "fates fire no changed")
	}
}

func TestRule16LeaveAppliesOnceWhenTheSaveIsLoaded(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	require.NoError(t, w.self("ada", "mud"))
	s := w.leave("ada")
	assert.Equal(t, "true", s.Values["muddy"].String(), "a save holds what was")
	w.back("ada", s)
	w.is("ada", "muddy", "false")
}

func TestRule16WhoLeftDeadComesBackFirst(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.move("ada", "5", "1")
	w.pass("ada", "out")
	require.NoError(t, w.self("ada", "chop", "n", 3))
	require.NoError(t, w.server("hurt", "by", 100, "at", "ada"))
	s := w.leave("ada")
	assert.True(t, s.Dead)
	w.back("ada", s)
	w.is("ada", "warmth", "80")
	w.is("ada", "logs", "0")
	assert.Equal(t, "hut (2, 2) south", w.at_("ada"))
	assert.True(t, w.told("came-back"))
}

func TestRule17RewindGoesBackToTheCheckpointReached(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.move("ada", "5", "1")
	w.pass("ada", "out")
	require.NoError(t, w.self("ada", "chop", "n", 2))
	w.move("ada", "4", "5")
	w.at = 1000
	w.touch("ada", "well")
	require.NoError(t, w.self("ada", "chop", "n", 5))
	w.at = 4000
	require.NoError(t, w.server("hurt", "by", 100, "at", "ada"))
	s := w.leave("ada") // the record is saved
	w.back("ada", s)
	w.is("ada", "logs", "2")
	w.is("ada", "clock", "1")
	assert.Equal(t, "yard (4, 4) south", w.at_("ada"))
}

func TestRule17BeforeTheFirstCheckpointItIsTheRunsStart(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	require.NoError(t, w.self("ada", "chop", "n", 2))
	require.NoError(t, w.server("hurt", "by", 100, "at", "ada"))
	w.run.Advance(9000)
	w.is("ada", "logs", "0")
}

func TestRule18ASceneIsEmptyWhenNobodyIsInIt(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.join("bob")
	require.NoError(t, w.self("ada", "mud"))
	w.move("ada", "5", "1")
	w.pass("ada", "out")
	w.is("hut", "fire", "1") // bob is there
	w.leave("bob")
	w.is("hut", "fire", "0")
	w.is("hut", "marks", "1")
}

func TestRule21AtLimit(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	digest := w.run.Digest()
	w.refused(w.self("ada", "bump", "n", 6), engine.Refused, "outside 0 to 10")
	assert.Equal(t, digest, w.run.Digest())
	require.NoError(t, w.self("ada", "bump", "n", 5))
	require.NoError(t, w.server("hurt", "by", 100, "at", "ada"))
	w.is("ada", "warmth", "0") // clamped
}

func TestRule23ComputedVariablesAreAlwaysRight(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.is("ada", "room", "3")
	require.NoError(t, w.self("ada", "choose", "who", "oddny"))
	require.NoError(t, w.self("ada", "chop", "n", 2))
	w.is("ada", "room", "7")
	assert.NotContains(t, w.leave("ada").Values, "room")
}

func TestRule26TheSameRequestsGiveTheSameDigest(t *testing.T) {
	play := func() string {
		w := open(t, worlds.Camp)
		w.join("bob")
		w.join("ada")
		w.at = 700
		require.NoError(t, w.self("ada", "choose", "who", "brisa"))
		require.NoError(t, w.server("hurt", "by", 60, "at", "bob"))
		w.run.Advance(5000)
		return w.run.Digest()
	}
	assert.Equal(t, play(), play())
}

func TestCheckpointsFurthestNeverGoesBack(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.move("ada", "5", "1")
	w.pass("ada", "out")
	w.move("ada", "25", "5")
	w.touch("ada", "oak")
	w.move("ada", "4", "4")
	w.touch("ada", "well")
	assert.True(t, w.told("checkpoint"), "it counts, though it does not replace the later one")
	_, reached := w.run.State("ada")
	assert.Equal(t, "oak", reached)
	w.touch("ada", "well")
	assert.False(t, w.told("checkpoint"), "touching a used one is accepted and does nothing")
	require.NoError(t, w.self("ada", "chop", "n", 4))
	w.move("ada", "25", "5")
	w.touch("ada", "oak") // again: true renews what it remembers
	require.NoError(t, w.self("ada", "chop", "n", 1))
	require.NoError(t, w.server("hurt", "by", 100, "at", "ada"))
	w.run.Advance(w.at + 2000)
	w.is("ada", "logs", "4")
}

func TestStartOverBeginsANewRunInTheSameSlot(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.move("ada", "5", "1")
	w.pass("ada", "out")
	w.move("ada", "4", "4")
	w.touch("ada", "well")
	require.NoError(t, w.self("ada", "name", "text", "Ada"))
	require.NoError(t, w.self("ada", "again"))
	assert.Equal(t, "hut (2, 2) south", w.at_("ada"))
	_, reached := w.run.State("ada")
	assert.Empty(t, reached)
	w.is("ada", "badge", "Ada") // kept at new-run
	w.is("ada", "logs", "0")
	assert.True(t, w.told("started"))
}

func TestPassagesCarryAndMoveToTheNearestPoint(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.must(engine.Request{Do: "move", Player: "ada", To: []fixed.Num{fixed.FromInt(1), fixed.FromInt(1)}, Facing: "south"})
	w.pass("ada", "out")
	assert.Equal(t, "yard (4, 29) south", w.at_("ada"), "x is carried to the nearest point of the span, facing as it was")
	w.move("ada", "26", "28")
	w.pass("ada", "out")
	assert.Equal(t, "hut (9, 0) south", w.at_("ada"))
}

func TestAPassageInsideASceneAndItsElse(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.move("ada", "5", "1")
	w.pass("ada", "out")
	require.NoError(t, w.self("ada", "chop", "n", 1))
	w.move("ada", "4", "4")
	w.pass("ada", "maze")
	assert.Equal(t, "yard (25, 5) south", w.at_("ada"))
	assert.False(t, w.told("arrived"), "a passage inside one scene tells neither departed nor arrived")
	require.NoError(t, w.self("ada", "give"))
	w.move("ada", "4", "4")
	w.pass("ada", "maze")
	assert.Contains(t, w.at_("ada"), "hut", "where its if does not hold, else leads elsewhere")
}

func TestArgumentsAreChecked(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	digest := w.run.Digest()
	for name, row := range map[string]struct {
		err         error
		kind, words string
	}{
		"out of range":             {w.self("ada", "chop", "n", 6), engine.Invalid, "outside 1 to 5"},
		"missing":                  {w.self("ada", "chop"), engine.Invalid, "needs the argument n"},
		"too many":                 {w.self("ada", "chop", "n", 1, "m", 2), engine.Unknown, "something else"},
		"of no type":               {w.self("ada", "chop", "n", "two"), engine.Invalid, "a number is wanted"},
		"nobody there":             {w.server("hurt", "by", 1, "at", "eve"), engine.Unknown, "eve"},
		"no such option":           {w.self("ada", "choose", "who", "odny"), engine.Invalid, "there is no courier"},
		"too long":                 {w.self("ada", "name", "text", "a name that is far too long"), engine.Invalid, "at most 20"},
		"longer than its variable": {w.self("ada", "name", "text", "nine char"), engine.Refused, "at most 8"},
		"no such event":            {w.self("ada", "chopp"), engine.Unknown, "chopp"},
		"a closed event":           {w.self("ada", "give"), engine.Refused, "Nothing to give."},
	} {
		w.t = t
		w.refused(row.err, row.kind, row.words)
		assert.Equal(t, digest, w.run.Digest(), name)
	}
}

func TestJoiningIsChecked(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.refused(w.do(engine.Request{Do: "join", Player: "ada", Slot: 1}), engine.Refused, "already")
	w.refused(w.do(engine.Request{Do: "join", Player: "bob", Slot: 3}), engine.Invalid, "slots go from 1 to 2")
	w.join("bob")
	w.join("cid")
	w.refused(w.do(engine.Request{Do: "join", Player: "dee", Slot: 1}), engine.Refused, "full")
}

func TestTheServerMayWriteWithinLimits(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	w.must(engine.Request{Do: "write", Server: true, Player: "ada", Name: "player.logs", Value: types.OfInt(7)})
	w.is("ada", "logs", "7")
	w.refused(w.do(engine.Request{Do: "write", Server: true, Player: "ada", Name: "player.logs", Value: types.OfInt(700)}), engine.Invalid, "outside")
	w.refused(w.do(engine.Request{Do: "write", Player: "ada", Name: "player.logs", Value: types.OfInt(1)}), engine.Forbidden, "server")
	w.refused(w.do(engine.Request{Do: "write", Server: true, Player: "ada", Name: "player.room", Value: types.OfInt(1)}), engine.Refused, "by itself")
}

func TestCausesSayWhy(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	require.NoError(t, w.server("hurt", "by", 100, "at", "ada"))
	assert.Contains(t, w.res.Changes[0].Cause.String(), "rule 1")
	assert.Contains(t, w.res.Changes[0].Cause.String(), "hurt")
	res := w.run.Advance(5000)
	causes := map[string]string{}
	for _, c := range res.Changes {
		causes[c.Name] = c.Cause.String()
	}
	assert.Equal(t, map[string]string{"player.clock": "death: rewind", "player.warmth": "death: set", "player.dead": "death: over"}, causes)
}

func TestRestartAppliesToTheWorld(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	require.NoError(t, w.self("ada", "mud"))
	kept := w.run.World()
	again := engine.Reopen(w.m, kept)
	figures := again.SceneFigures("hut")
	assert.Equal(t, "1", figures[0].Value.String())
}

func TestRule24NumbersFromOutsideAreRounded(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	require.NoError(t, w.server("hurt", "by", types.OfNum(fixed.Must("10.200000001")), "at", "ada"))
	assert.Equal(t, "40", w.value("ada", "warmth"), "of 50, by 10")
	w.must(engine.Request{Do: "write", Server: true, Player: "ada", Name: "player.warmth", Value: types.OfNum(fixed.Must("50.300000001"))})
	assert.Equal(t, "50.5", w.value("ada", "warmth"))
	w.refused(w.do(engine.Request{Do: "correct", Server: true, Player: "ada", Name: "player.warmth", Value: types.OfNum(fixed.Must("50.3")), Why: "by hand"}), engine.Invalid, "steps of 0.5")
}

// What was sent in one visit moves nobody in the next.
func TestRule8ARequestOfAFormerVisitIsStale(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	move := engine.Request{Do: "move", Player: "ada", To: []fixed.Num{fixed.FromInt(4), fixed.FromInt(4)}, Arrival: 1}
	w.must(move)
	w.must(engine.Request{Do: "leave", Player: "ada"})
	w.join("ada")
	w.refused(w.do(move), engine.Stale, "arrival 2, and this was sent at 1")
	move.Arrival = 2
	w.must(move)
	move.Arrival = 3
	w.refused(w.do(move), engine.Stale, "this was sent at 3")
}
