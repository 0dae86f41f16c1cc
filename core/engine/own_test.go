package engine_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
)

// rounds has crossings of its own: of the game with its players, of players alone, and of what milestones set off.
const rounds = `
alluvion: 1
game: rounds
version: 1
start: hall/door
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset, round: keep, act: keep, feast: keep, hush: keep}
  scene:  {scene: keep, restart: keep, round: reset}
  game:   {restart: keep, round: keep}
  place:  {death: checkpoint, leave: exact}
crossings:
  round: {title: Round, on: round_over, for: [game, scene, player]}
  act:   {on: [act_over, {crossed: round, of: player}], for: [player]}
  feast: {on: {milestone: hundred}, for: [player]}
  hush:  {on: hush, for: [player]}
variables:
  number: {of: game, type: int, min: 0, max: 99, start: 1, across: {round: {set: game.number + 1}}}
  noise:  {of: scene, type: int, min: 0, max: 99, start: 0}
  score:  {of: player, type: int, min: 0, max: 999, start: 0, across: {round: reset}}
  total:  {of: player, type: int, min: 0, max: 9999, start: 0, across: {round: {set: player.total + player.last}}}
  last:   {of: player, type: int, min: 0, max: 999, start: 0}
  heat:   {of: player, type: int, min: 0, max: 99, start: 3, across: {death: rewind, round: reset, act: {set: "50"}}}
  acts:   {of: player, type: int, min: 0, max: 99, start: 0, across: {act: {set: player.acts + 1}}}
  mood:   {of: [player, scene], type: int, min: 0, max: 99, start: 0, across: {round: reset, hush: keep, death: rewind}}
  plates: {of: player, type: int, min: 0, max: 9, start: 1, across: {feast: {set: player.plates - 1}}}
  fed:    {of: player, type: int, min: 0, max: 9, start: 0, at_limit: refuse}
  heard:  {of: game, type: int, min: 0, max: 99, start: 0}
  saw:    {of: player, type: int, min: 0, max: 99, start: 0}
waymarks:
  seat: {across: {death: rewind, round: reset}}
scenes:
  hall: {size: [40, 20], spots: {door: {at: [2, 2]}, fire: {at: [30, 10]}}}
  yard: {size: [20, 10], spots: {gate: {at: [1, 1]}}}
passages: {out: {from: hall/door, to: yard/gate, both_ways: true}}
checkpoints: {fallback: hall/door, back_after: 10s, list: {fire: {at: hall/fire}}, across: {act: reset}}
events:
  round_over: {from: server, args: {bad: {type: bool}}}
  act_over:   {from: self}
  hush:       {from: server}
  earn:       {from: self, args: {by: {type: int, min: 0, max: 200}}}
  shout:      {from: self}
  fall:       {from: self}
  gorge:      {from: self}
milestones: {hundred: {when: player.score >= 100}}
always:
  - {that: player.plates >= 1, refused: Nobody eats from an empty table.}
  - {that: "player.acts <= 2", refused: Two acts are enough.}
rules:
  - {on: earn, do: [{add: player.score, by: args.by}, {set: player.last, to: player.score}]}
  - {on: shout, do: [{add: scene.noise, by: 1}, {add: player.heat, by: 10}, {add: scene.mood, by: 5}, {remember: seat}]}
  - {on: fall, do: [{die: player}]}
  - {on: gorge, do: [{set: player.fed, to: 9}]}
  - {on: round_over, if: args.bad, do: [{add: game.heard, by: 50}]}
  - {on: {crossed: round}, do: [{add: game.heard, by: 1}]}
  - {on: {crossed: round, of: player}, do: [{add: player.saw, by: 1}]}
  - {on: {crossed: round}, if: game.number > 4, do: [{refuse: The night is over.}]}
  - {on: {crossed: feast}, do: [{add: player.fed, by: 5}]}
  - {on: {crossed: hush}, do: [{add: player.saw, by: 10}]}
saving: {every: 30s, when: [leave]}
`

func (w *world) roundOver() {
	w.t.Helper()
	require.NoError(w.t, w.server("round_over", "bad", false))
}

func TestRule36ACrossingIsForWhatItSays(t *testing.T) {
	w := open(t, rounds)
	w.join("ada")
	require.NoError(t, w.self("ada", "shout"))
	require.NoError(t, w.self("ada", "earn", "by", 40))
	require.NoError(t, w.self("ada", "act_over"))
	w.is("ada", "acts", "1")
	w.is("ada", "heat", "50")
	w.is("ada", "score", "40") // kept by the defaults
	w.is("hall", "noise", "1") // act is for players alone
	w.roundOver()
	w.is("hall", "noise", "0")
	w.is("ada", "score", "0")
	w.is("", "number", "2")
	assert.Equal(t, model.NotAtAll, w.m.Var("game.number").Fates.At(w.m.Crossings[6]).By, "act is not for the game")
}

func TestRule37WithTheWorldEverybodyCrossesWhoIsThere(t *testing.T) {
	w := open(t, rounds)
	for _, id := range []string{"cid", "ada", "bob"} {
		w.join(id)
		require.NoError(t, w.self(id, "earn", "by", 10))
	}
	require.NoError(t, w.self("bob", "fall"))
	w.roundOver()
	for _, id := range []string{"ada", "bob", "cid"} { // the dead, too
		w.is(id, "score", "0")
		w.is(id, "total", "10")
	}
	var seen []string
	for _, c := range w.res.Changes {
		if c.Name == "player.score" {
			seen = append(seen, c.Player)
		}
	}
	assert.Equal(t, []string{"ada", "bob", "cid"}, seen, "by their ids")
	require.NoError(t, w.self("ada", "act_over"))
	w.is("ada", "acts", "2") // one with the round, one of her own
	w.is("bob", "acts", "1")
	require.NoError(t, w.server("hush")) // for players, by an event about nobody
	w.is("ada", "saw", "11")
	w.is("cid", "saw", "11")
}

func TestRule38ACrossingWaitsBehindTheRulesOfItsMoment(t *testing.T) {
	w := open(t, rounds)
	w.join("ada")
	require.NoError(t, w.server("round_over", "bad", true))
	var names []string
	for _, c := range w.res.Changes {
		names = append(names, c.Name+" "+c.To.Plain()+" by "+c.Cause.String())
	}
	assert.Equal(t, []string{
		"game.heard 50 by rule 5 (line 53) on round_over",
		"game.number 2 by round: set",
		"game.heard 51 by rule 6 (line 54) on crossed round",
		"player.saw 1 by rule 7 (line 55) on crossed round of each player",
		"player.heat 50 by act: set", // what this crossing sets off comes after it
		"player.acts 1 by act: set",
	}, names)
}

func TestRule39CrossedIsToldOnceOrForEachPlayer(t *testing.T) {
	w := open(t, rounds)
	for _, id := range []string{"ada", "bob"} {
		w.join(id)
	}
	w.roundOver()
	w.is("", "heard", "1")
	w.is("ada", "saw", "1")
	w.is("bob", "saw", "1")
	assert.True(t, w.told("crossed"))
}

func TestRule40WhatIsRefusedCrossesNothing(t *testing.T) {
	w := open(t, rounds)
	w.join("ada")
	for range 2 {
		w.roundOver()
	}
	require.NoError(t, w.self("ada", "earn", "by", 5))
	before := w.run.Digest()
	w.refused(w.server("round_over", "bad", false), engine.Refused, "Two acts are enough.")
	assert.Equal(t, before, w.run.Digest())
	w.leave("ada")
	w.roundOver()
	w.is("", "number", "4")
	before = w.run.Digest()
	w.refused(w.server("round_over", "bad", false), engine.Refused, "The night is over.")
	assert.Equal(t, before, w.run.Digest(), "nothing was counted either")
}

func TestRule40WhereNothingIsRefusedTheCrossingHolds(t *testing.T) {
	w := open(t, rounds)
	w.join("ada")
	require.NoError(t, w.self("ada", "gorge"))
	require.NoError(t, w.self("ada", "earn", "by", 100))
	w.is("ada", "plates", "0") // against what always holds
	w.is("ada", "fed", "9")    // the rule on it was undone alone
	w.is("ada", "score", "100")
	assert.True(t, w.told("breach"))
	assert.True(t, w.told("undone"))
	require.NoError(t, w.self("ada", "earn", "by", 1), "what is broken already refuses nothing")
}

func TestRule41WhoWasAwayMeetsWhatWasCrossedOnce(t *testing.T) {
	w := open(t, rounds)
	for _, id := range []string{"ada", "bob"} {
		w.join(id)
		require.NoError(t, w.self(id, "earn", "by", 10))
	}
	bob := w.leave("bob")
	w.roundOver()
	w.roundOver()
	w.back("bob", bob)
	w.is("bob", "score", "0")
	w.is("bob", "total", "10") // once
	w.is("bob", "saw", "1")
	w.is("", "heard", "2") // that the world crossed is not told again
	assert.True(t, w.told("crossed"))
	bob = w.leave("bob")
	w.back("bob", bob)
	assert.False(t, w.told("crossed"), "nothing was missed this time")
	w.is("bob", "total", "10")
	w.join("new")
	assert.False(t, w.told("crossed"), "who is new has missed nothing")

	w.must(engine.Request{Do: "start-over", Player: "bob"})
	bob = w.leave("bob")
	w.back("bob", bob)
	assert.False(t, w.told("crossed"), "starting over touches no count")

	bob = w.leave("bob")
	delete(bob.Crossed, "round")
	w.back("bob", bob)
	assert.False(t, w.told("crossed"), "of a crossing that the save does not know, nothing was missed")

	bob = w.leave("bob")
	other := &world{t: t, m: w.m, run: engine.New(w.m).Called("another")}
	other.back("bob", bob)
	assert.True(t, other.told("crossed"), "what was met in one session was not met in another")
}

func TestRule41CountsAreSavedWithTheWorld(t *testing.T) {
	w := open(t, rounds)
	w.join("ada")
	require.NoError(t, w.self("ada", "earn", "by", 10))
	w.roundOver()
	ada := w.leave("ada")
	again := &world{t: t, m: w.m, run: engine.Reopen(w.m, w.run.World())}
	again.back("ada", ada)
	assert.False(t, again.told("crossed"))
	ada = again.leave("ada")
	again.roundOver()
	again.back("ada", ada)
	assert.True(t, again.told("crossed"))
}

func TestRule35WhoCrossesIsSavedWhereThePlanSaysSo(t *testing.T) {
	w := open(t, strings.Replace(rounds, "when: [leave]", "when: [leave, round]", 1))
	w.join("ada")
	w.join("bob")
	require.NoError(t, w.self("ada", "earn", "by", 7))
	assert.Empty(t, w.res.Saves)
	w.roundOver()
	assert.Equal(t, []engine.SaveMoment{{Player: "ada", Moment: "round"}, {Player: "bob", Moment: "round"}}, w.res.Saves)
	require.NoError(t, w.server("hush"))
	assert.Empty(t, w.res.Saves, "hush is no moment of saving")

	_, _, found := model.Load([]byte(strings.Replace(rounds, "when: [leave]", "when: [rounds]", 1)))
	require.NotEmpty(t, found)
	assert.Equal(t, `There is no moment at which players are saved called "rounds". Did you mean round?`, found[0].Message)
}

func TestRule42ARewindNeverGoesBackBehindACrossing(t *testing.T) {
	w := open(t, rounds)
	w.join("ada")
	require.NoError(t, w.self("ada", "shout"))
	w.move("ada", "30", "10")
	w.touch("ada", "fire") // heat 13, a mood of 5 and a seat are remembered
	w.roundOver()          // heat is 3, and 50 by the act that follows; mood is 0, the seat is gone
	require.NoError(t, w.self("ada", "shout"))
	require.NoError(t, w.self("ada", "fall"))
	w.run.Advance(20_000)
	w.is("ada", "heat", "50")
	w.is("ada", "mood", "0")
	assert.Empty(t, w.run.Waymarks("ada"))
	_, point := w.run.State("ada")
	assert.Empty(t, point, "the checkpoint reached goes through the column as well")
}

func TestRule42WhoIsDeadCrossesAtOnceAndComesBackAfter(t *testing.T) {
	w := open(t, rounds)
	w.join("ada")
	require.NoError(t, w.self("ada", "shout"))
	require.NoError(t, w.self("ada", "fall"))
	w.roundOver()
	w.is("ada", "heat", "50")
	w.run.Advance(20_000)
	w.is("ada", "heat", "50")
}

func TestARuleOnLeavingSetsOffACrossingThatIsInTheSave(t *testing.T) {
	w := open(t, `
alluvion: 1
game: g
version: 1
start: a/b
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset, night: reset}, place: {death: stay, leave: exact}}
crossings: {night: {on: left, for: [player]}}
variables: {mud: {of: player, type: int, min: 0, max: 9, start: 0}}
events: {dig: {from: self}}
rules: [{on: dig, do: [{add: player.mud, by: 1}]}]
scenes: {a: {size: [9, 9], spots: {b: {at: [1, 1]}}}}
saving: {when: [leave], every: 30s}
`)
	w.join("ada")
	require.NoError(t, w.self("ada", "dig"))
	s := w.leave("ada")
	assert.Equal(t, "0", s.Values["mud"].Plain())
}

// What is set off by itself, as by who leaves, sets off its rules: those for the world once, and those for each player
// for each who is there; one that fails is undone alone.
func TestACrossingThatIsSetOffByItselfSetsOffItsRules(t *testing.T) {
	w := open(t, `
alluvion: 1
game: g
version: 1
start: a/b
session: {players: 9}
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset, night: keep}, game: {restart: keep, night: keep}, place: {death: stay, leave: exact}}
crossings: {night: {on: left, for: [game, player]}}
variables:
  nights: {of: game, type: int, min: 0, max: 9, start: 0}
  bells: {of: game, type: int, min: 0, max: 9, start: 0}
  slept: {of: player, type: int, min: 0, max: 9, start: 0}
events: {dig: {from: self}}
rules:
  - {on: {crossed: night}, do: [{add: game.nights, by: 1}]}
  - {on: {crossed: night}, do: [{add: game.bells, by: 1}, {refuse: No bells at night.}]}
  - {on: {crossed: night, of: player}, do: [{add: player.slept, by: 1}]}
scenes: {a: {size: [9, 9], spots: {b: {at: [1, 1]}}}}
saving: {when: [leave], every: 30s}
`)
	w.join("ada")
	w.join("bob")
	w.leave("ada")
	w.is("", "nights", "1")
	w.is("", "bells", "0")
	w.is("bob", "slept", "1")
}

// days has what happens by the calendar: a reward for players, a market of the world, and a season on certain dates.
const days = `
alluvion: 1
game: days
version: 1
start: hall/door
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset, day: keep, week: keep, season: keep}
  game:   {restart: keep, week: keep}
  place:  {death: checkpoint, leave: exact}
crossings:
  day:    {calendar: {every: day, at: "04:00", zone: Europe/Oslo}, for: [player]}
  week:   {calendar: {every: week}, for: [game, player]}
  season: {calendar: {from: [2027-03-01, 2027-06-01]}, for: [player]}
variables:
  coins:  {of: player, type: int, min: 0, max: 999, start: 0, across: {day: {set: player.coins + 1}, season: reset}}
  away:   {of: player, type: int, min: 0, max: 36500, start: 0, across: {day: {set: days_missed}}}
  prize:  {of: game, type: int, min: 0, max: 9, start: 0, across: {week: {set: game.prize + 1}}}
  heard:  {of: player, type: int, min: 0, max: 99, start: 0}
  longest: {of: player, type: int, min: 0, max: 36500, start: 0}
scenes: {hall: {size: [40, 20], spots: {door: {at: [2, 2]}}}}
checkpoints: {fallback: hall/door, back_after: 0s, list: {}}
events: {wave: {from: self}, snooze: {from: self}}
rules:
  - {on: {crossed: day}, do: [{add: player.heard, by: 1}, {if: days_missed > player.longest, do: [{set: player.longest, to: days_missed}]}]}
  - {on: {crossed: week}, if: days_missed > 7, do: [{set: game.prize, to: 9}]}
  - {on: {every: 1h}, do: [{set: game.prize, to: 0}]}
saving: {every: 30s, when: [leave]}
`

// on lets it be a date.
func (w *world) on(text string) {
	w.t.Helper()
	when, err := time.Parse(time.RFC3339, text)
	require.NoError(w.t, err)
	w.date = when.UnixMilli()
}

func TestRule43ATurnOfTheCalendarIsMetByWhoIsThere(t *testing.T) {
	w := open(t, days)
	w.on("2027-02-03T02:59:00Z")
	w.join("ada")
	w.join("bob")
	require.NoError(t, w.self("ada", "wave"))
	w.is("ada", "coins", "0")
	w.on("2027-02-03T03:00:00Z") // four o'clock in Oslo
	require.NoError(t, w.self("ada", "wave"))
	w.is("ada", "coins", "1")
	w.is("bob", "coins", "1")
	w.is("ada", "away", "1")
	require.NoError(t, w.self("ada", "wave"))
	w.is("ada", "heard", "1")

	next, ok := w.run.NextTurn()
	assert.True(t, ok)
	assert.Equal(t, "2027-02-04T03:00:00Z", time.UnixMilli(next).UTC().Format(time.RFC3339))
	w.run.Turn(next)
	w.is("bob", "coins", "2")
}

func TestRule43SeveralTurnsThatAreDueAtOnceAreOne(t *testing.T) {
	w := open(t, days)
	w.on("2027-02-01T12:00:00Z") // a Monday
	w.join("ada")
	w.on("2027-02-16T12:00:00Z")
	require.NoError(t, w.self("ada", "wave"))
	w.is("ada", "coins", "1")
	w.is("ada", "longest", "15")
	w.is("", "prize", "9")
}

func TestRule43ClocksThatAreSetBackCountAsTheLatestDate(t *testing.T) {
	w := open(t, days)
	w.on("2027-02-03T12:00:00Z")
	w.join("ada")
	w.on("2027-02-04T12:00:00Z")
	require.NoError(t, w.self("ada", "wave"))
	w.on("2027-01-01T12:00:00Z")
	require.NoError(t, w.self("ada", "wave"))
	w.on("2027-02-04T13:00:00Z")
	require.NoError(t, w.self("ada", "wave"))
	w.is("ada", "coins", "1")
	ada := w.leave("ada")
	again := &world{t: t, m: w.m, run: engine.Reopen(w.m, w.run.World())}
	again.on("2027-01-01T12:00:00Z") // another machine's clock
	again.back("ada", ada)
	again.is("ada", "coins", "1")
	again.on("2027-02-05T12:00:00Z")
	require.NoError(t, again.self("ada", "wave"))
	again.is("ada", "coins", "2")
}

func TestRule44WhoWasAwayMeetsATurnOnceWithTheDaysThatWereMissed(t *testing.T) {
	w := open(t, days)
	w.on("2027-02-03T12:00:00Z")
	w.join("ada")
	ada := w.leave("ada")
	assert.Equal(t, save.Met{Date: "2027-02-03"}, ada.Crossed["day"])
	w.on("2027-02-09T12:00:00Z")
	w.back("ada", ada)
	w.is("ada", "coins", "1")
	w.is("ada", "away", "6")
	w.is("ada", "longest", "6")
	w.is("ada", "heard", "1")
	ada = w.leave("ada")
	w.back("ada", ada)
	w.is("ada", "coins", "1")

	w.on("2027-03-01T12:00:00Z")
	w.join("new")
	w.is("new", "coins", "0")
	require.NoError(t, w.self("ada", "wave"))
	w.is("ada", "coins", "1") // the season was due before the day: what was due first comes first
	w.is("ada", "away", "20")
	w.on("2030-01-01T12:00:00Z")
	require.NoError(t, w.self("ada", "wave"))
	w.is("ada", "coins", "1") // the last season, and then the day
}

// Days that were missed are at least one, and at most a hundred years of them.
func TestRule46DaysMissedHaveBounds(t *testing.T) {
	w := open(t, days)
	w.on("2027-02-03T12:00:00Z")
	w.join("ada")
	w.on("2027-02-04T03:30:00Z") // the next local date, the day after
	require.NoError(t, w.self("ada", "wave"))
	w.is("ada", "away", "1")
	ada := w.leave("ada")
	w.on("2199-01-01T12:00:00Z")
	w.back("ada", ada)
	w.is("ada", "away", "36500")
}

func TestRule44TurnsFallDueWhileNobodyIsThere(t *testing.T) {
	w := open(t, days)
	w.on("2027-02-03T12:00:00Z")
	w.join("ada")
	w.leave("ada")
	w.on("2027-02-09T12:00:00Z") // a Monday lies between
	w.join("bob")
	w.is("", "prize", "1")
	w.is("bob", "heard", "0")
}

func TestRule43TurnsGoBeforeTimersAndBeforeTheRequest(t *testing.T) {
	w := open(t, days)
	w.on("2027-02-07T23:00:00Z")
	w.join("ada")
	w.at = 3_600_000
	w.on("2027-02-08T00:00:00Z")
	require.NoError(t, w.self("ada", "wave"))
	w.is("", "prize", "0") // the timer came after the week
}

func TestWithoutADateNoTurnIsDue(t *testing.T) {
	w := open(t, days)
	w.join("ada")
	_, ok := w.run.NextTurn()
	assert.False(t, ok)
	ada := w.leave("ada")
	assert.Empty(t, ada.Crossed)
	w.on("2027-02-08T00:00:00Z")
	w.back("ada", ada)
	w.is("ada", "coins", "0")
}

// In a game for one player the world is stored in the slot, so that turns of the calendar reach it with the player.
func TestRule44TheWorldOfASlotMeetsTurnsWithItsPlayer(t *testing.T) {
	w := open(t, strings.Replace(days, "saving:", "session: {players: 1}\nsaving:", 1))
	w.on("2027-02-03T12:00:00Z")
	w.join("ada")
	ada := w.leave("ada")
	w.on("2027-02-17T12:00:00Z")
	w.join("bob") // a world of its own, which has missed nothing
	w.is("", "prize", "0")
	w.leave("bob")
	w.back("ada", ada)
	w.is("", "prize", "9") // by the rule on the week: 14 days
	w.is("ada", "coins", "1")
}
