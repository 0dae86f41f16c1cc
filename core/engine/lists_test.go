package engine_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// wares has an inventory, a quest log, and two sides with a store each.
const wares = `
alluvion: 1
game: wares
version: 1
start: quay/steps
lists:
  ware:  {attributes: {weight: int, from: text}, options: {rice: {title: Rice, weight: 2, from: hills}, tea: {weight: 1, from: hills}, salt: {weight: 5, from: sea}}}
  side:  [harbour, dunes]
  quest: [ferry, lamp, well]
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset, round: keep}
  pair:   {round: keep}
  game:   {restart: keep}
  side:   {round: reset}
  place:  {death: checkpoint, leave: exact}
crossings:
  round: {on: bell, for: [side, player]}
variables:
  have:   {of: [player, ware], type: int, min: 0, max: 99, start: 0, at_limit: refuse, across: {death: rewind}}
  seen:   {of: [player, ware], type: bool, start: false, across: {scene: reset}}
  log:    {of: [player, quest], type: choice, choices: [open, done], optional: true}
  price:  {of: ware, type: int, min: 1, max: 50, start: 10}
  trend:  {of: ware, type: int, min: -5000, max: 5000, is: "ware.price * ware.weight"}
  stock:  {of: side, type: int, min: 0, max: 500, start: 3, across: {round: keep}}
  calls:  {of: side, type: int, min: 0, max: 9, start: 0}
  wins:   {of: side, type: int, min: 0, max: 99, start: 0, across: {round: {set: "side.stock > 5 ? side.wins + 1 : side.wins"}}}
  best:   {of: side, type: int, min: 0, max: 500, start: 0, across: {round: {set: "max(side.best, side.stock)"}}}
  side_of: {of: player, type: side, optional: true}
  wish:   {of: player, type: ware, start: tea}
  load:   {of: player, type: int, min: 0, max: 900, is: "sum(player.have * ware.weight)"}
  mate:   {of: player, type: player}
  envy:   {of: player, type: bool, is: "has(player.mate.have['rice']) && player.mate.have['rice'] > player.have['rice']"}
  kinds:  {of: player, type: int, min: 0, max: 3, is: "count(player.have)"}
  done:   {of: player, type: int, min: 0, max: 3, is: "count(player.log == 'done')"}
  all_in: {of: game, type: int, min: 0, max: 1000, is: "sum(side.stock)"}
  heard:  {of: player, type: text, max_length: 40, start: ""}
  log_n:  {of: player, type: int, min: 0, max: 99, start: 0}
standings:
  sides:  {rank: side.stock, if: side.stock != 4}
  lowest: {rank: side.stock, order: low, keep: last}
scenes:
  quay:  {size: [40, 20], spots: {steps: {at: [2, 2]}, crane: {at: [30, 10]}}}
  dunes_: {size: [40, 20], spots: {reed: {at: [2, 2]}}}
passages: {out: {from: quay/steps, to: dunes_/reed, both_ways: true}}
checkpoints: {fallback: quay/steps, back_after: 0s, list: {crane: {at: quay/crane}}}
events:
  find:  {args: {ware: ware, by: {type: int, min: -9, max: 99}}, from: self}
  give:  {args: {ware: ware, to: player, by: {type: int, min: 1, max: 99}}, from: self}
  join_side: {args: {side: side}, from: self}
  haul:  {args: {by: {type: int, min: 1, max: 99}}, from: self}
  begin: {args: {quest: quest}, from: self}
  befriend: {args: {whom: player}, from: self}
  hand:  {args: {ware: ware}, from: self}
  fall:  {from: self}
  bell:  {from: server}
  spoil: {from: self}
  cheap: {args: {ware: ware}, from: server}
  ship:  {args: {side: side, by: {type: int, min: -99, max: 499}}, from: server}
always: ["sum(side.stock) <= 400"]
milestones:
  heavy: {when: "player.load >= 20"}
  full:  {when: "all(player.have > 0)"}
  rich:  {when: "any(player.have >= 50)"}
rules:
  - {on: find, do: [{add: args.ware.have, by: args.by}, {set: args.ware.seen, to: true}]}
  - {on: give, do: [{add: args.ware.have, by: -args.by}, {add: "args.to.have[args.ware]", by: args.by}]}
  - {on: join_side, do: [{set: player.side_of, to: args.side}]}
  - {on: haul, if: has(player.side_of), do: [{add: player.side_of.stock, by: args.by}, {add: player.side_of.calls, by: 1}]}
  - {on: begin, do: [{set: args.quest.log, to: open}]}
  - {on: befriend, do: [{set: player.mate, to: args.whom}]}
  - {on: hand, if: has(player.mate), do: [{add: "player.have[args.ware]", by: -1}, {add: "player.mate.have[args.ware]", by: 1}]}
  - {on: fall, do: [{die: player}]}
  - {on: ship, do: [{add: args.side.stock, by: args.by}]}
  - {on: spoil, do: [{each: w, in: ware, do: [{if: "player.have[w] > 2", do: [{set: w.have, to: 2}]}]}]}
  - {on: cheap, do: [{set: args.ware.price, to: "args.ware.weight"}]}
  - {on: {changed: ware.have}, if: ware.weight >= 2, do: [{set: player.heard, to: "ware.from"}, {add: player.log_n, by: 1}]}
saving: {every: 30s, when: [leave]}
`

// held reads what a player has for an option, or (for nobody) what the option has.
func (w *world) held(player, name, option string) string {
	w.t.Helper()
	figures := w.run.Figures(player)
	if player == "" {
		figures = w.run.GameFigures()
	}
	for _, f := range figures {
		if f.Var.ID == name && f.Option == option {
			return f.Value.Plain()
		}
	}
	return "start"
}

func TestRule53AnInventoryIsOneVariableForEachOptionOfAList(t *testing.T) {
	w := open(t, wares)
	w.join("ada")
	w.join("bob")
	require.NoError(t, w.self("ada", "find", "ware", "rice", "by", 6))
	require.NoError(t, w.self("ada", "find", "ware", "salt", "by", 1))
	assert.Equal(t, "6", w.held("ada", "have", "rice"))
	assert.Equal(t, "start", w.held("ada", "have", "tea"), "what was never changed takes no room")
	w.is("ada", "load", "17")
	w.is("ada", "kinds", "2")
	w.is("ada", "heard", "sea")
	w.is("ada", "log_n", "2")
	require.NoError(t, w.self("ada", "find", "ware", "tea", "by", 3))
	assert.True(t, w.told("milestone"), "heavy and full")
	w.is("ada", "log_n", "2") // the rule waits for what weighs 2 and more
	assert.Equal(t, []string{"heavy", "full"}, w.run.Save("ada").Milestones)

	require.NoError(t, w.self("ada", "give", "ware", "rice", "to", "bob", "by", 2))
	assert.Equal(t, "4", w.held("ada", "have", "rice"))
	assert.Equal(t, "2", w.held("bob", "have", "rice"))
	w.refused(w.self("ada", "give", "ware", "rice", "to", "bob", "by", 9), engine.Refused, "ware.have cannot become -5")
	assert.Equal(t, "2", w.held("bob", "have", "rice"), "giving away what one does not have makes nothing")

	require.NoError(t, w.self("ada", "spoil"))
	assert.Equal(t, "2", w.held("ada", "have", "rice"))
	assert.Equal(t, "1", w.held("ada", "have", "salt"))
	assert.Equal(t, "2", w.held("ada", "have", "tea"))
}

func TestWhatAReferenceLeadsToHasOptionsToo(t *testing.T) {
	w := open(t, wares)
	w.join("ada")
	w.join("bob")
	require.NoError(t, w.self("ada", "befriend", "whom", "bob"))
	require.NoError(t, w.self("ada", "find", "ware", "rice", "by", 2))
	w.is("ada", "envy", "false")
	for range 2 {
		require.NoError(t, w.self("ada", "hand", "ware", "rice"))
	}
	assert.Equal(t, "0", w.held("ada", "have", "rice"))
	assert.Equal(t, "2", w.held("bob", "have", "rice"))
	w.is("ada", "envy", "true")
	w.leave("bob")
	w.is("ada", "envy", "false")
	require.NoError(t, w.self("ada", "find", "ware", "rice", "by", 1))
	w.refused(w.self("ada", "hand", "ware", "rice"), engine.Refused, "Have: the player who is meant is not here.")
	assert.Equal(t, "1", w.held("ada", "have", "rice"))
}

func TestRule55WhatAChoiceLeadsToIsHeldByTheOption(t *testing.T) {
	w := open(t, wares)
	w.join("ada")
	w.join("bob")
	require.NoError(t, w.self("ada", "haul", "by", 5))
	w.is("", "all_in", "6") // on no side, nothing is hauled
	require.NoError(t, w.self("ada", "join_side", "side", "dunes"))
	require.NoError(t, w.self("bob", "join_side", "side", "harbour"))
	require.NoError(t, w.self("ada", "haul", "by", 5))
	assert.Equal(t, "8", w.held("", "stock", "dunes"))
	w.is("", "all_in", "11")
	require.NoError(t, w.server("bell"))
	assert.Equal(t, "0", w.held("", "calls", "dunes"), "what the list's own defaults say")
	assert.Equal(t, "1", w.held("", "wins", "dunes"), "each by itself")
	assert.Equal(t, "0", w.held("", "wins", "harbour"))
	assert.Equal(t, "3", w.held("", "best", "harbour"))
	require.NoError(t, w.server("cheap", "ware", "salt"))
	assert.Equal(t, "5", w.held("", "price", "salt"))
	assert.Equal(t, "25", w.held("", "trend", "salt"))
}

func TestRule53OptionsAreInTheSaveAndComeBack(t *testing.T) {
	w := open(t, wares)
	w.join("ada")
	require.NoError(t, w.self("ada", "find", "ware", "rice", "by", 6))
	require.NoError(t, w.self("ada", "begin", "quest", "lamp"))
	require.NoError(t, w.self("ada", "join_side", "side", "dunes"))
	require.NoError(t, w.self("ada", "haul", "by", 5))
	s := w.leave("ada")
	assert.Equal(t, "6", s.Lists["ware"]["rice"]["have"].Plain())
	assert.Equal(t, "open", s.Lists["quest"]["lamp"]["log"].Plain())
	assert.NotContains(t, s.Lists["ware"], "tea")
	kept := w.run.World()
	assert.Equal(t, "8", kept.Lists["side"]["dunes"]["stock"].Plain())
	again := &world{t: t, m: w.m, run: engine.Reopen(w.m, kept)}
	again.back("ada", s)
	again.is("ada", "load", "12")
	again.is("", "all_in", "11")
	left := again.leave("ada")
	assert.Equal(t, s.Lists, left.Lists)
}

func TestRewindAndChangesOfSceneTakeOptionsAlong(t *testing.T) {
	w := open(t, wares)
	w.join("ada")
	require.NoError(t, w.self("ada", "find", "ware", "rice", "by", 6))
	w.move("ada", "30", "10")
	w.touch("ada", "crane")
	require.NoError(t, w.self("ada", "find", "ware", "rice", "by", 3))
	require.NoError(t, w.self("ada", "find", "ware", "salt", "by", 3))
	require.NoError(t, w.self("ada", "fall"))
	w.run.Advance(1)
	assert.Equal(t, "6", w.held("ada", "have", "rice"))
	assert.Equal(t, "0", w.held("ada", "have", "salt"), "what was unchanged in the record goes back to its start")
	assert.Equal(t, "true", w.held("ada", "seen", "salt"))
	w.move("ada", "2", "2")
	w.pass("ada", "out")
	assert.Equal(t, "false", w.held("ada", "seen", "salt"))
	assert.Equal(t, "6", w.held("ada", "have", "rice"))
}

func TestTheServerWritesOfWhichOption(t *testing.T) {
	w := open(t, wares)
	w.join("ada")
	write := engine.Request{Do: "write", Player: "ada", Server: true, Name: "ware.have", Value: types.OfInt(30),
		Args: map[string]types.Value{"option": types.OfText("tea")}}
	w.must(write)
	assert.Equal(t, "30", w.held("ada", "have", "tea"))
	write.Args["option"] = types.OfText("tee")
	w.refused(w.do(write), engine.Unknown, `There is no option of ware called "tee". Did you mean tea?`)
	write.Args = nil
	w.refused(w.do(write), engine.Invalid, "ware.have is held for each ware; name the option in args.")
}

// rivals has variables that refer to players, and what is read through them.
const rivals = `
alluvion: 1
game: rivals
version: 1
start: ring/east
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, game: {restart: keep}, place: {death: stay, leave: exact}}
lists: {job: [mason, cook]}
variables:
  rival: {of: player, type: player, share: {with: everyone}}
  champion: {of: game, type: player}
  score: {of: player, type: int, min: 0, max: 99, start: 0}
  behind: {of: player, type: bool, is: "has(player.rival.score) ? player.rival.score > player.score : false"}
  job: {of: player, type: job, start: mason}
  masons: {of: game, type: int, min: 0, max: 50, is: "count(present, p, p.job == 'mason')"}
  note: {of: player, type: text, max_length: 20, start: ""}
scenes: {ring: {size: [9, 9], spots: {east: {at: [1, 1]}}}}
events:
  defy: {args: {whom: player}, from: self}
  score: {args: {by: {type: int, min: 0, max: 50}}, from: self}
  steal: {from: self}
  strike: {from: self}
  crown: {from: self}
  learn: {args: {job: job}, from: self}
  give_up: {from: self}
  wave: {from: self}
  call: {args: {whom: player}, from: server}
milestones:
  outdone: {when: "has(player.rival.score) && player.rival.score >= 10"}
  alone:   {when: "count(present, p, p.job == 'cook') == 1"}
always:
  - {that: "!has(player.rival.score) || player.rival.score <= 40", refused: Nobody may get that far ahead of a rival.}
rules:
  - {on: defy, do: [{set: player.rival, to: args.whom}]}
  - {on: score, do: [{add: player.score, by: args.by}]}
  - {on: steal, if: has(player.rival), do: [{add: player.rival.score, by: -1}, {add: player.score, by: 1}]}
  - {on: strike, if: has(player.rival), do: [{die: player.rival}]}
  - {on: crown, do: [{set: game.champion, to: player}]}
  - {on: crown, if: "has(game.champion.note) && game.champion == player", do: [{set: player.note, to: "'crowned'"}]}
  - {on: learn, do: [{set: player.job, to: args.job}]}
  - {on: give_up, do: [{clear: player.rival}]}
  - {on: wave, do: [{notify: player.rival, text: Somebody waves.}, {notify: "player.score > 3 ? player.rival : player", text: I see.}]}
  - {on: call, do: [{notify: args.whom, text: You are called.}]}
saving: {every: 30s, when: [leave]}
`

func TestAReferenceLeadsToAPlayerWhileTheyAreThere(t *testing.T) {
	w := open(t, rivals)
	for _, id := range []string{"ada", "bob", "cid"} {
		w.join(id)
	}
	w.is("ada", "rival", "none")
	require.NoError(t, w.self("ada", "steal"), "there is none: the rule does nothing")
	require.NoError(t, w.self("ada", "defy", "whom", "bob"))
	require.NoError(t, w.self("bob", "score", "by", 12))
	assert.True(t, w.told("milestone"), "what is counted of another is evaluated when the other's changes")
	assert.Equal(t, []string{"outdone"}, w.run.Save("ada").Milestones)
	w.is("ada", "behind", "true")
	require.NoError(t, w.self("ada", "steal"))
	w.is("bob", "score", "11")
	w.is("ada", "score", "1")
	require.NoError(t, w.self("ada", "strike"))
	assert.True(t, w.told("died"))
	w.run.Advance(1)
	w.refused(w.self("bob", "score", "by", 40), engine.Refused, "Nobody may get that far ahead of a rival.")

	bob := w.leave("bob")
	w.is("ada", "rival", "bob")
	w.is("ada", "behind", "false")
	w.refused(w.self("ada", "steal"), engine.Refused, "Score: the player who is meant is not here.")
	w.is("ada", "score", "1")
	w.back("bob", bob)
	w.is("ada", "behind", "true")
	require.NoError(t, w.self("cid", "crown"))
	w.is("", "champion", "cid")
	w.is("cid", "note", "crowned")
	require.NoError(t, w.self("ada", "give_up"))
	w.is("ada", "rival", "none")
}

// heard are the messages of the last request, as "to: text".
func (w *world) heard() (out []string) {
	for _, n := range w.res.Notices {
		if n.Kind == "message" {
			out = append(out, n.To+" "+n.Player+" in "+n.Scene+": "+n.Text)
		}
	}
	return out
}

func TestRule50WhoIsNoneOrAwayIsToldNothing(t *testing.T) {
	w := open(t, rivals)
	w.join("ada")
	w.join("bob")
	require.NoError(t, w.self("ada", "wave"))
	assert.Equal(t, []string{"player ada in ring: I see."}, w.heard(), "ada has no rival")
	require.NoError(t, w.self("ada", "defy", "whom", "bob"))
	require.NoError(t, w.self("ada", "score", "by", 4))
	require.NoError(t, w.self("ada", "wave"))
	assert.Equal(t, []string{"player bob in ring: Somebody waves.", "player bob in ring: I see."}, w.heard())
	require.NoError(t, w.server("call", "whom", "bob"))
	assert.Equal(t, []string{"player bob in ring: You are called."}, w.heard(), "by a rule that is about nobody")
	w.leave("bob")
	require.NoError(t, w.self("ada", "wave"))
	assert.Empty(t, w.heard(), "bob is away")

	m := strings.Replace(rivals, "notify: player.rival, text: Somebody", "notify: evryone, text: Somebody", 1)
	_, _, found := model.Load([]byte(m))
	require.NotEmpty(t, found)
	assert.Equal(t, "notify does not know \"evryone\". Did you mean everyone?", found[0].Message)
	_, _, found = model.Load([]byte(strings.Replace(rivals, "notify: player.rival, text: Somebody", "notify: player.score, text: Somebody", 1)))
	require.NotEmpty(t, found)
	assert.Contains(t, found[0].Message, "notify needs a player")
}

// What a checkpoint keeps for after death refers to nobody who was deleted, either; nor does a profile in a new slot.
func TestRule51WhoWasDeletedIsInNoRecordAndInNoProfile(t *testing.T) {
	w := open(t, strings.Replace(rivals, "rival: {of: player, type: player, ", "mentor: {of: profile, type: player, written_by: game, read_by: game}\n  rival: {of: player, type: player, across: {death: rewind}, ", 1))
	for _, id := range []string{"ada", "bob", "cid"} {
		w.join(id)
	}
	ada := w.leave("ada")
	ada.Record.Values["rival"] = types.OfText("bob") // reached with this one, who was given up since
	ada.Values["rival"] = types.OfText("cid")
	ada.Profile.Values["mentor"] = types.OfText("dan")
	assert.Equal(t, []string{"bob", "cid", "dan"}, engine.Refers(w.m, ada))
	w.must(engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: ada, Profile: ada.Profile, Gone: []string{"bob", "dan"}})
	w.is("ada", "rival", "cid")
	w.must(engine.Request{Do: "die", Player: "ada", Server: true})
	w.run.Advance(1)
	w.is("ada", "rival", "none")
	assert.NotContains(t, engine.Refers(w.m, w.run.Save("ada")), "dan")

	w.leave("ada")
	over := *ada.Profile
	over.Values = save.Values{"mentor": types.OfText("dan")}
	assert.Equal(t, []string{"dan"}, engine.Refers(w.m, &save.Player{Profile: &over}))
	w.must(engine.Request{Do: "join", Player: "ada", Slot: 1, Profile: &over, Gone: []string{"dan"}})
	w.is("ada", "mentor", "none")
}

func TestPlayersAreCountedOfWhomSomethingIsTrue(t *testing.T) {
	w := open(t, rivals)
	w.join("ada")
	w.join("bob")
	w.is("", "masons", "2")
	require.NoError(t, w.self("bob", "learn", "job", "cook"))
	w.is("", "masons", "1")
	assert.Equal(t, []string{"alone"}, w.run.Save("ada").Milestones, "everybody is evaluated when one changes")
	w.leave("ada")
	w.is("", "masons", "0")
}

// Where a standing reads what each option has, it orders the options, of equals the first of the list first; the best
// number ever counts, where nothing else is said, and is part of the world.
func TestRule28AStandingOrdersOptions(t *testing.T) {
	w := open(t, wares)
	w.join("ada")
	sides := w.m.Standing("sides").Index
	order := func() (out []string) {
		for _, x := range w.run.RankedOptions(sides) {
			out = append(out, x.ID+" "+x.Number.String())
		}
		return out
	}
	assert.Equal(t, []string{"harbour 3", "dunes 3"}, order())
	require.NoError(t, w.server("ship", "side", "dunes", "by", 6))
	assert.Equal(t, []string{"dunes 9", "harbour 3"}, order())
	assert.Contains(t, w.changed(), "standings.sides")
	require.Error(t, w.server("ship", "side", "dunes", "by", 450), "refused: what it ranked on the way is taken back")
	require.NoError(t, w.server("ship", "side", "dunes", "by", -7))
	assert.Equal(t, []string{"dunes 9", "harbour 3"}, order(), "the best counts")
	require.NoError(t, w.server("ship", "side", "harbour", "by", 1))
	assert.Equal(t, []string{"dunes 9", "harbour 3"}, order(), "4 does not count")
	lowest := w.run.RankedOptions(w.m.Standing("lowest").Index)
	assert.Equal(t, "dunes", lowest[0].ID)
	assert.Equal(t, "2", lowest[0].Number.String())

	saved := w.run.World()
	again := engine.Reopen(w.m, saved)
	assert.Equal(t, w.run.RankedOptions(sides), again.RankedOptions(sides))
	assert.Equal(t, saved.Standings, again.World().Standings)
}
