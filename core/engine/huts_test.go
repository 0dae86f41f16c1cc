package engine_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/types"
)

// huts has small things that larger plans never ask about alone.
const huts = `
alluvion: 1
game: huts
version: 1
space: {axes: [x, y], facings: [south, north, west]}
start: hall/door
reach: 100
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  scene:  {scene: keep, restart: keep}
  game:   {restart: keep}
  prop:   {scene: keep, restart: keep}
  place:  {death: stay, leave: exact}
lists: {ware: {options: {rice: {}, tea: {}}}}
variables:
  first:  {of: player, type: bool, start: false, read_by: game}
  count:  {of: player, type: int, min: 0, max: 9, start: 0, read_by: game}
  friend: {of: player, type: player, optional: true, read_by: game}
  rung:   {of: [player, prop:bell], type: int, min: 0, max: 9, start: 0, across: {scene: reset}, read_by: game}
  have:   {of: [player, ware], type: int, min: 0, max: 9, start: 0}
  twice:  {of: [player, ware], type: int, min: 0, max: 5, is: ware.have * 2, at_limit: refuse, read_by: game}
  level:  {of: player, type: int, min: 0, max: 9, start: 0}
  half:   {of: player, type: int, min: 0, max: 9, is: "div(10, player.level)", read_by: game}
  fund:   {of: game, type: int, min: 0, max: 99, start: 0, read_by: game}
  walked: {of: game, type: stopwatch, read_by: game}
scenes:
  hall: {size: [40, 40], spots: {door: {at: [1, 1]}, post: {at: [30, 20]}}}
  yard: {size: [40, 40], spots: {gate: {at: [1, 1], facing: north}}}
passages: {out: {from: hall/door, to: yard/gate, both_ways: true, carry: [facing]}}
props: {bell: {placed: {small: hall/post, large: yard/gate}}}
movables: {sled: {start: hall/post}}
events:
  ring:  {args: {bell: prop:bell}, from: self}
  drag:  {from: self}
  drop:  {from: self}
  take:  {args: {ware: ware}, from: self}
  ask:   {args: {who: player}, from: self}
  raise: {from: self}
  third: {from: server}
rules:
  - {on: arrived, do: [{set: player.first, to: player.first_visit}]}
  - {on: ring, do: [{add: args.bell.rung, by: 1}]}
  - {on: drag, do: [{take: sled}]}
  - {on: drop, do: [{set-down: sled, at: hall/post}]}
  - {on: take, do: [{add: args.ware.have, by: 1}, {set: player.count, to: args.ware.twice}]}
  - {on: ask, do: [{set: player.friend, to: args.who}]}
  - {on: raise, do: [{add: player.level, by: 1}]}
  - {on: third, do: [{add: game.fund, by: 1}]}
saving: {slots: 2, when: [leave], every: 30s}
`

func TestTheFirstVisitIsTheFirst(t *testing.T) {
	w := open(t, huts)
	w.join("ada")
	w.is("ada", "first", "true")
	assert.Equal(t, 1, w.run.Now()[0].Visits())
	saved := w.leave("ada")
	w.back("ada", saved)
	assert.Equal(t, 2, w.run.Now()[0].Visits())
	w.must(engine.Request{Do: "pass", Player: "ada", Name: "out"})
	w.is("ada", "first", "false")
}

// Who begins where a spot says nothing faces the first way; a passage that carries facing keeps it, whatever the spot says.
func TestFacingAtTheStartAndThroughAPassage(t *testing.T) {
	w := open(t, huts)
	w.join("ada")
	at, _ := w.run.Place("ada")
	assert.Equal(t, "south", at.Facing)
	w.must(engine.Request{Do: "move", Player: "ada", To: w.point("2", "2"), Facing: "west"})
	w.pass("ada", "out")
	at, _ = w.run.Place("ada")
	assert.Equal(t, "west", at.Facing)
}

func TestWhatIsSetDownAtASpotStandsThere(t *testing.T) {
	w := open(t, huts)
	w.join("ada")
	require.NoError(t, w.self("ada", "drag"))
	w.pass("ada", "out")
	require.NoError(t, w.self("ada", "drop"))
	holder, at := w.run.Thing(0)
	assert.Nil(t, holder)
	assert.Equal(t, "hall", w.m.Scenes[at.Scene].ID)
	assert.Equal(t, "30", at.At[0].String())
}

// What a player has for a prop of a scene goes through the scene column when that scene is left, and not before.
func TestWhatAPlayerHasForAPropIsResetWithItsScene(t *testing.T) {
	w := open(t, huts)
	w.join("ada")
	require.NoError(t, w.self("ada", "ring", "bell", "small"))
	rung := func(bell string) string {
		for _, f := range w.run.Figures("ada") {
			if f.Var.ID == "rung" && strings.HasSuffix(f.Prop, bell) {
				return f.Value.Plain()
			}
		}
		return "none"
	}
	assert.Equal(t, "1", rung("small"))
	w.pass("ada", "out")
	assert.NotEqual(t, "1", rung("small"))
}

func TestAnIDHasNoControlCharacters(t *testing.T) {
	w := open(t, huts)
	for _, id := range []string{"a\nb", "a\x00", "a\x7f", "\xff"} {
		w.refused(w.do(engine.Request{Do: "join", Player: id, Slot: 1}), engine.Invalid, "without control characters")
	}
	w.join("ä ß 😀")
}

// Of servers, the numbers of 64 are kept; one more, and those of the others are forgotten.
func TestTheNumbersOf64ServersAreKept(t *testing.T) {
	w := open(t, huts)
	w.join("ada")
	send := func(server string, number uint64) error {
		return w.do(engine.Request{Do: "event", Server: true, Sender: server, Number: number, Name: "third"})
	}
	for i := range 64 {
		require.NoError(t, send(fmt.Sprint("server", i), 5))
	}
	w.refused(send("server0", 5), engine.Repeated, "")
	require.NoError(t, send("server64", 5))
	w.refused(send("server64", 5), engine.Repeated, "")
	require.NoError(t, send("server0", 5), "it is not known any more")
}

// A computed value of an option is computed of that option; where it fails, what reads it is refused, and only that.
func TestWhatIsComputedForAnOption(t *testing.T) {
	w := open(t, huts)
	w.join("ada")
	require.NoError(t, w.self("ada", "take", "ware", "rice"))
	require.NoError(t, w.self("ada", "take", "ware", "tea"))
	require.NoError(t, w.self("ada", "take", "ware", "rice"))
	w.is("ada", "count", "4")
	assert.Error(t, w.self("ada", "take", "ware", "rice"), "6 is more than twice may be")
	w.is("ada", "count", "4")
	require.NoError(t, w.self("ada", "take", "ware", "tea"))
	w.is("ada", "count", "4")
}

// A stopwatch of the game that runs changes by itself, and is kept: so the world is written again and again.
func TestAWorldThatMovesByItselfIsWritten(t *testing.T) {
	w := open(t, huts)
	var l engine.Ledger
	w.join("ada")
	assert.True(t, l.World(w.run))
	still := open(t, strings.Replace(huts, "  walked: {of: game, type: stopwatch, read_by: game}\n", "", 1))
	still.join("ada")
	assert.False(t, l.World(still.run))
}

// Whoever is deleted is forgotten by those who remember them, who are told.
func TestAPlayerWhoIsDeletedIsForgotten(t *testing.T) {
	w := open(t, huts)
	w.join("ada")
	w.join("bob")
	require.NoError(t, w.self("ada", "ask", "who", "bob"))
	w.leave("bob")
	w.must(engine.Request{Do: "deleted", Name: "bob", Server: true})
	w.is("ada", "friend", "none")
	found := false
	for _, n := range w.res.Notices {
		if n.Kind == "gone" {
			found = true
			assert.Equal(t, "player", n.To)
			assert.Equal(t, "ada", n.Player)
		}
	}
	assert.True(t, found)
}

// What a player picks on the way in has to be a pick.
func TestOnlyPicksArePicked(t *testing.T) {
	w := open(t, huts)
	w.refused(w.do(engine.Request{Do: "join", Player: "ada", Slot: 1, Picks: map[string]types.Value{"level": types.OfInt(3)}}), engine.Unknown, "no pick")
}
