package engine_test

import (
	_ "alluvion/core/action" // what rules can do
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion/core/engine"
	"alluvion/core/types"
)

const choir = `
alluvion: 1
game: choir
version: 1
start: hall/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, scene: {scene: keep, restart: keep}, game: {restart: keep}, place: {death: stay, leave: exact}}
rosters: {voice: {attributes: {low: bool}, options: {alto: {low: false}, bass: {low: true}}}}
variables:
  warmth: {of: player, type: int, min: 0, max: 99, start: 10, read_by: game}
  share:  {of: player, type: int, min: 0, max: 99, start: 0, read_by: game}
  turns:  {of: player, type: int, min: 0, max: 99, start: 0, read_by: game}
  voice:  {of: player, type: pick, roster: voice, optional: true, read_by: game}
  fund:   {of: game, type: int, min: 0, max: 99, start: 12}
  ticks:  {of: game, type: int, min: 0, max: 99, start: 0, read_by: game}
scenes:
  hall: {size: [9, 9], spots: {door: {at: [1, 1]}}}
  yard: {size: [9, 9], spots: {gate: {at: [1, 1]}}}
passages: {out: {from: hall/door, to: yard/gate, both_ways: true}}
events:
  divide: {from: server}
  sing:   {from: self}
  loud:   {args: {by: {type: int, min: 0, max: 9}, note: {type: text, max_length: 9, optional: true}}, from: self}
  open:   {args: {at: player}, from: server, if: args.at.warmth > 0, refused: Too cold.}
  call:   {args: {who: player, by: int}, from: self}
  pickv:  {args: {v: {type: pick, roster: voice}}, from: self}
rules:
  - on: divide
    do:
      - let: {part: "div(game.fund, count(present))", twice: part * 2}
        do:
          - {each: p, in: session, do: [{add: p.share, by: part}, {if: p.warmth > 50, do: [{set: p.share, to: twice}]}]}
          - {set: game.fund, to: 0}
  - {on: sing, do: [{each: near, in: scene, do: [{add: near.warmth, by: 5}]}]}
  - {on: sing, do: [{send: loud, args: {by: player.warmth}}]}
  - {on: loud, do: [{add: player.share, by: args.by}, {if: has(args.note), do: [{notify: everyone, text: noted}]}]}
  - {on: call, do: [{send: open, args: {at: args.who}}, {add: player.turns, by: args.by}]}
  - {on: open, do: [{add: args.at.warmth, by: 1}]}
  - {on: pickv, do: [{pick: player.voice, option: args.v}]}
  - {on: picked, do: [{add: player.turns, by: 10}]}
  - {on: {every: 2s}, do: [{add: game.ticks, by: 1}]}
  - {on: {every: {time: 3s, of: player}}, do: [{add: player.turns, by: 1}]}
saving: {every: 30s}
`

func singers(t *testing.T) *world {
	w := open(t, choir)
	w.join("ada")
	w.join("bob")
	return w
}

func TestLetNamesValuesAndEachGoesOverPlayers(t *testing.T) {
	w := singers(t)
	require.NoError(t, w.server("divide"))
	w.is("ada", "share", "6")
	w.is("bob", "share", "6")
	w.is("", "fund", "0")
	var whose []string
	for _, c := range w.res.Changes {
		whose = append(whose, c.Player)
	}
	assert.Equal(t, []string{"ada", "bob", ""}, whose, "by id")
}

func TestEachInTheSceneLeavesTheOthersOut(t *testing.T) {
	w := singers(t)
	w.pass("bob", "out")
	w.must(engine.Request{Do: "write", Server: true, Player: "ada", Name: "player.warmth", Value: types.OfInt(1)})
	require.NoError(t, w.self("ada", "sing"))
	w.is("ada", "warmth", "6")
	w.is("bob", "warmth", "10")
	w.is("ada", "share", "6") // the event that was sent ran behind the rules, and saw the change
}

func TestASentEventIsHeldToItsArguments(t *testing.T) {
	w := singers(t)
	require.NoError(t, w.self("ada", "sing"), "15 is beyond what loud takes, and is moved to its limit")
	w.is("ada", "share", "9")
}

func TestASentEventThatIsRefusedRefusesAll(t *testing.T) {
	w := singers(t)
	w.must(engine.Request{Do: "write", Server: true, Player: "bob", Name: "player.warmth", Value: types.OfInt(0)})
	digest := w.run.Digest()
	w.refused(w.self("ada", "call", "who", "bob", "by", 1), engine.Refused, "Too cold.")
	assert.Equal(t, digest, w.run.Digest())
	require.NoError(t, w.self("bob", "call", "who", "ada", "by", 1))
	w.is("ada", "warmth", "11")
}

func TestPickingTheSameAgainIsNoMoment(t *testing.T) {
	w := singers(t)
	require.NoError(t, w.self("ada", "pickv", "v", "bass"))
	require.NoError(t, w.self("ada", "pickv", "v", "bass"))
	w.is("ada", "turns", "10")
}

func TestRule7TimersOfTheSessionAndOfEachPlayer(t *testing.T) {
	w := open(t, choir)
	w.at = 1000
	w.join("ada")
	for at := int64(1000); at <= 7000; at += 500 {
		w.run.Advance(at)
	}
	w.is("", "ticks", "3")    // at 2, 4 and 6 seconds
	w.is("ada", "turns", "2") // at 4 and 7 seconds: since she came
	due, ok := w.run.Due()
	assert.True(t, ok)
	assert.EqualValues(t, 8000, due)
}

func TestRule7ATimerThatMissedSeveralTurnsHasOne(t *testing.T) {
	w := singers(t)
	w.run.Advance(11_500)
	w.is("", "ticks", "1")
	due, _ := w.run.Due()
	assert.EqualValues(t, 12_000, due)
}

func TestASharedClockIsNoFasterWithTenPlayers(t *testing.T) {
	for _, n := range []int{1, 10} {
		w := open(t, choir)
		for i := range n {
			w.join(string(rune('a' + i)))
		}
		for at := int64(0); at <= 10_000; at += 100 {
			w.run.Advance(at)
		}
		w.is("", "ticks", "5")
	}
}
