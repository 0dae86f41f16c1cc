package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

const council = `
alluvion: 1
game: council
version: 1
space: {axes: [x, y, z], step: 0.5}
start: hall/seat
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, scene: {scene: keep, restart: keep}, game: {restart: reset}, place: {death: entry, leave: entry}}
variables:
  votes: {of: player, type: int, min: 0, max: 9, start: 3, read_by: game}
  mood:  {of: player, type: choice, choices: [calm, cross], start: calm, across: {leave: {set: "player.votes > 2 ? 'calm' : 'cross'"}}}
  limit: {of: game, type: int, min: 0, max: 9, start: 9}
  heat:  {of: scene, type: decimal, min: 0, max: 1, step: 0.1, start: 0.5, across: {scene: {set: "scene.heat / 2"}}, accept: {narrows: it may cool to the nearest tenth}}
  seen:  {of: scene, type: int, min: 0, max: 99, start: 0, read_by: game}
scenes:
  hall:  {size: [10, 10, 4], spots: {seat: {at: [5, 5, 0]}, stair: {at: [1, 1, 0], reach: 0.5}, bell: {at: [9, 9, 3], reach: any}}}
  tower: {size: [4, 4, 30], spots: {top: {at: [1, 1, 29]}}}
passages:
  climb: {from: hall/stair, to: tower/top, both_ways: true}
  pull:  {from: hall/bell, to: hall/seat}
events:
  tighten: {args: {to: {type: int, min: 0, max: 9}}, from: server}
  vote:    {from: self, if: player.votes > 0, refused: No votes are left.}
  shout:   {from: self}
  forbid:  {from: self}
  stoke:   {args: {by: {type: decimal, min: 0, max: 1, step: 0.1}}, from: self}
  ring:    {from: server}
  strike:  {args: {who: player}, from: server}
rules:
  - {on: tighten, do: [{set: game.limit, to: args.to}]}
  - {on: vote, do: [{add: player.votes, by: -1}]}
  - {on: shout, do: [{set: player.mood, to: cross}, {notify: scene, text: Order!}]}
  - {on: forbid, do: [{set: player.mood, to: cross}, {if: player.mood == 'cross', do: [{refuse: Not in this hall.}]}]}
  - {on: stoke, do: [{add: scene.heat, by: args.by}]}
  - {on: ring, do: [{set: scenes.hall.heat, to: 1}, {notify: everyone, text: The bell.}]}
  - {on: strike, do: [{die: args.who}]}
  - {on: arrived, do: [{add: scene.seen, by: 1}]}
  - {on: {changed: scene.heat}, do: [{if: scene.heat >= 0.9, do: [{add: scene.seen, by: 10}]}]}
always:
  - {that: player.votes <= game.limit, refused: That takes votes from somebody who has them.}
  - game.limit >= 1
saving: {every: 30s}
`

func sitting(t *testing.T) *world {
	w := open(t, council)
	w.join("ada")
	return w
}

func TestRule10TheWorldsInvariantsAreHeldForEverybodyPresent(t *testing.T) {
	w := sitting(t)
	w.join("bob")
	require.NoError(t, w.self("ada", "vote"))
	digest := w.run.Digest()
	w.refused(w.server("tighten", "to", 2), engine.Refused, "takes votes")
	assert.Equal(t, digest, w.run.Digest(), "bob has three")
	require.NoError(t, w.self("bob", "vote"))
	require.NoError(t, w.server("tighten", "to", 2))
	w.refused(w.server("tighten", "to", 0), engine.Refused, "")
	require.NoError(t, w.self("ada", "vote"))
	require.NoError(t, w.self("ada", "vote"))
	w.refused(w.self("ada", "vote"), engine.Refused, "No votes are left.")
}

func TestARuleMayRefuseAndNothingHasChanged(t *testing.T) {
	w := sitting(t)
	digest := w.run.Digest()
	err := w.self("ada", "forbid")
	w.refused(err, engine.Refused, "Not in this hall.")
	assert.Equal(t, digest, w.run.Digest())
	require.NoError(t, w.self("ada", "shout"))
	require.Len(t, w.res.Notices, 1)
	assert.Equal(t, engine.Notice{Player: "ada", To: "scene", Kind: "message", Text: "Order!", Rule: 3, Scene: "hall"}, w.res.Notices[0])
}

func TestAServersRuleMayNameASceneAndChangedRunsThere(t *testing.T) {
	w := sitting(t)
	w.is("hall", "seen", "1")
	require.NoError(t, w.server("ring"))
	w.is("hall", "heat", "1")
	w.is("hall", "seen", "11")
	require.NoError(t, w.server("ring"))
	w.is("hall", "seen", "11") // nothing changed, so nothing fired
}

func TestRule18ASceneCoolsByItsOwnFate(t *testing.T) {
	w := sitting(t)
	require.NoError(t, w.self("ada", "stoke", "by", types.OfNum(fixed.Must("0.2"))))
	w.is("hall", "heat", "0.7")
	w.move3("ada", "1", "1", "0")
	w.pass("ada", "climb")
	w.is("hall", "heat", "0.4") // half of 0.7, rounded half away from zero to a tenth
	w.is("tower", "heat", "0.5")
}

func (w *world) move3(player, x, y, z string) {
	w.must(engine.Request{Do: "move", Player: player, To: []fixed.Num{fixed.Must(x), fixed.Must(y), fixed.Must(z)}})
}

func TestRule6ASpotMayHaveAReachOfItsOwnInThreeDimensions(t *testing.T) {
	w := sitting(t)
	w.move3("ada", "1", "1", "1")
	w.refused(w.do(engine.Request{Do: "pass", Player: "ada", Name: "climb"}), engine.Refused, "within 0.5")
	w.pass("ada", "pull") // reach: any
	assert.Equal(t, "hall (5, 5, 0)", w.at_("ada"))
	w.move3("ada", "1.26", "1", "0.2")
	assert.Equal(t, "hall (1.5, 1, 0)", w.at_("ada"), "coordinates are rounded to the step of the space")
	w.pass("ada", "climb")
	assert.Equal(t, "tower (1, 1, 29)", w.at_("ada"))
}

func TestPlaceEntryIsWhereTheyLastArrived(t *testing.T) {
	w := sitting(t)
	w.move3("ada", "1", "1", "0")
	w.pass("ada", "climb")
	w.move3("ada", "3", "3", "2")
	require.NoError(t, w.server("strike", "who", "ada"))
	w.run.Advance(w.at)
	assert.Equal(t, "tower (1, 1, 29)", w.at_("ada"))
	w.move3("ada", "2", "2", "2")
	w.back("ada", w.leave("ada"))
	assert.Equal(t, "tower (1, 1, 29)", w.at_("ada"))
}

func TestASetAtLeaveIsWorkedOutWhenTheSaveIsLoaded(t *testing.T) {
	w := sitting(t)
	require.NoError(t, w.self("ada", "shout"))
	w.is("ada", "mood", "cross")
	s := w.leave("ada")
	assert.Equal(t, "cross", s.Values["mood"].Text)
	w.back("ada", s)
	w.is("ada", "mood", "calm")
	require.NoError(t, w.self("ada", "vote"))
	w.back("ada", w.leave("ada"))
	w.is("ada", "mood", "cross")
}

func TestRestartResetsWhatThePlanSays(t *testing.T) {
	w := sitting(t)
	require.NoError(t, w.server("tighten", "to", 5))
	require.NoError(t, w.server("ring"))
	again := engine.Reopen(w.m, w.run.World())
	assert.Equal(t, "9", again.GameFigures()[0].Value.String(), "reset")
	assert.Equal(t, "1", again.SceneFigures("hall")[0].Value.String(), "kept")
	assert.Nil(t, again.SceneFigures("cellar"))
	assert.Nil(t, again.Figures("ada"))
	_, there := again.Place("ada")
	assert.False(t, there)
}

func TestTheServerWritesWhatScenesAndTheGameHold(t *testing.T) {
	w := sitting(t)
	write := func(name string, v types.Value, args ...any) error {
		return w.do(engine.Request{Do: "write", Server: true, Name: name, Value: v, Args: arguments(args)})
	}
	require.NoError(t, write("game.limit", types.OfInt(7)))
	w.is("", "limit", "7")
	require.NoError(t, write("scene.seen", types.OfInt(42), "scene", "tower"))
	w.is("tower", "seen", "42")
	w.refused(write("scene.seen", types.OfInt(42), "scene", "moon"), engine.Invalid, "name the scene")
	w.refused(write("game.limt", types.OfInt(1)), engine.Unknown, "limt")
	w.refused(write("player.votes", types.OfInt(1)), engine.Invalid, "name the player")
	w.refused(write("game.limit", types.OfInt(0)), engine.Refused, "")
}
