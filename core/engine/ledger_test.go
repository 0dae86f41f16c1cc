package engine_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
)

// till has coins that go from hand to hand, and a chest and a box that are everybody's.
const till = `
alluvion: 1
game: till
version: 1
start: hall/door
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: keep}
  game:   {restart: keep}
  scene:  {scene: keep, restart: keep}
  place:  {death: stay, leave: exact}
variables:
  coins: {of: player, type: int, min: 0, max: 9999, start: 10, at_limit: refuse, refused: There are not so many.}
  steps: {of: player, type: int, min: 0, max: 9999, start: 0, read_by: game}
  chest: {of: game, type: int, min: 0, max: 9999, start: 10, at_limit: refuse, refused: There are not so many.}
  box:   {of: scene, type: int, min: 0, max: 9999, start: 10, at_limit: refuse, refused: There are not so many.}
scenes: {hall: {size: [40, 20], spots: {door: {at: [2, 2]}}}}
events:
  give: {args: {to: player, n: {type: int, min: 1, max: 9}}, from: self}
  put:  {args: {n: {type: int, min: -9, max: 9}}, from: self}
  lay:  {args: {n: {type: int, min: -9, max: 9}}, from: self}
  step: {from: self}
rules:
  - {on: give, do: [{add: player.coins, by: -args.n}, {add: args.to.coins, by: args.n}]}
  - {on: put, do: [{add: player.coins, by: -args.n}, {add: game.chest, by: args.n}]}
  - {on: lay, do: [{add: player.coins, by: -args.n}, {add: scene.box, by: args.n}]}
  - {on: step, do: [{add: player.steps, by: 1}]}
saving: {every: 30s, when: [leave]}
`

// disk is what was written of a session: what a crash brings back.
type disk struct {
	players map[string]*save.Player
	world   *save.World
}

func (d *disk) write(c engine.Cut) {
	for _, p := range c.Parts {
		d.players[p.Doc.Player] = p.Doc
	}
	if c.World != nil {
		d.world = c.World
	}
}

func (d *disk) coins(t require.TestingT, everybody []string) int {
	total := 0
	add := func(values save.Values, id string) {
		n, ok := values[id].Num.Int()
		require.True(t, ok)
		total += int(n)
	}
	for _, id := range everybody {
		if p := d.players[id]; p != nil {
			add(p.Values, "coins")
		} else {
			total += 10
		}
	}
	if d.world == nil {
		return total + 20
	}
	add(d.world.Values, "chest")
	add(d.world.Scenes["hall"], "box")
	return total
}

// Whatever is written when, and whoever is to be saved: after a crash there are as many coins as there were.
func TestRule30WhatChangedHandsIsNeitherDoubledNorLost(t *testing.T) {
	m := load(t, till)
	rapid.Check(t, func(rt *rapid.T) {
		w := &world{t: t, m: m, run: engine.New(m)}
		var l engine.Ledger
		d := disk{players: map[string]*save.Player{}}
		var ids []string
		for i := range 6 {
			ids = append(ids, fmt.Sprint("p", i))
		}
		note := func(who string) { l.Note(w.run, w.res.Changes, who) }
		for range rapid.IntRange(1, 80).Draw(rt, "steps") {
			who := rapid.SampledFrom(ids).Draw(rt, "who")
			if !w.run.Has(who) {
				w.must(engine.Request{Do: "join", Player: who, Slot: 1, Saved: d.players[who]})
				note(who)
				continue
			}
			n := rapid.IntRange(-9, 9).Draw(rt, "n")
			var err error
			switch rapid.IntRange(0, 7).Draw(rt, "what") {
			case 0:
				to := rapid.SampledFrom(ids).Draw(rt, "to")
				if !w.run.Has(to) {
					continue
				}
				err = w.self(who, "give", "to", to, "n", max(1, n))
			case 1:
				err = w.self(who, "put", "n", n)
			case 2:
				err = w.self(who, "lay", "n", n)
			case 3, 4:
				err = w.self(who, "step")
			case 5, 6:
				if c, ok := l.Cut(w.run, []engine.SaveMoment{{Player: who, Moment: "asked"}}, nil, rapid.Bool().Draw(rt, "whole")); ok {
					d.write(c)
				}
				assert.Equal(rt, 80, d.coins(rt, ids), "after a save of %s", who)
				continue
			case 7:
				left := w.leave(who)
				note(who)
				c, ok := l.Cut(w.run, nil, []*save.Player{left}, false)
				require.True(rt, ok)
				d.write(c)
				assert.Equal(rt, 80, d.coins(rt, ids), "after %s left", who)
				continue
			}
			if err == nil {
				note(who)
			}
		}
		if c, ok := l.Cut(w.run, nil, nil, true); ok {
			d.write(c)
		}
		assert.Equal(rt, 80, d.coins(rt, ids))
		_, again := l.Cut(w.run, nil, nil, true)
		assert.False(rt, again, "all is written")
	})
}

// A save takes with it who changed anything together with the one who is saved, and nobody else.
func TestRule30ASaveTakesWhoIsBoundToIt(t *testing.T) {
	w := open(t, till)
	var l engine.Ledger
	for _, id := range []string{"ada", "bob", "cid", "dan"} {
		w.join(id)
	}
	cut := func(who string) (out []string) {
		c, _ := l.Cut(w.run, []engine.SaveMoment{{Player: who, Moment: "asked"}}, nil, false)
		for _, p := range c.Parts {
			out = append(out, p.Doc.Player)
		}
		if c.World != nil {
			out = append(out, "the world")
		}
		return out
	}
	does := func(who, event string, args ...any) {
		require.NoError(t, w.self(who, event, args...))
		l.Note(w.run, w.res.Changes, who)
	}
	does("ada", "step")
	does("bob", "step")
	assert.Equal(t, []string{"ada"}, cut("ada"))
	assert.Equal(t, 1, l.Many(), "bob is not written yet")
	does("ada", "give", "to", "cid", "n", 1)
	does("cid", "give", "to", "dan", "n", 1)
	assert.Equal(t, []string{"ada", "cid", "dan"}, cut("dan"), "it went through three hands")
	does("ada", "put", "n", 1)
	assert.Equal(t, []string{"ada", "cid", "the world"}, cut("cid"), "the world, and who changed it, are always written")
	assert.Equal(t, []string{"bob"}, cut("bob"))
	l.Together([]string{"ada", "dan"}, true)
	assert.Equal(t, []string{"ada", "dan", "the world"}, cut("ada"), "what could not be written stays together")
}

// The number of a server's request is stored with the world, together with what the request did: after a crash it is
// carried out neither twice nor never.
func TestRule30AServersNumberIsWrittenWithWhatItDid(t *testing.T) {
	w := open(t, till)
	var l engine.Ledger
	w.join("ada")
	two := valueOf(2)
	w.must(engine.Request{Do: "write", Player: "ada", Server: true, Sender: "shop", Number: 7, Name: "player.steps", Value: two})
	l.Note(w.run, w.res.Changes, "")
	c, ok := l.Cut(w.run, []engine.SaveMoment{{Player: "ada", Moment: "asked"}}, nil, false)
	require.True(t, ok)
	require.NotNil(t, c.World)
	again := &world{t: t, m: w.m, run: engine.Reopen(w.m, c.World)}
	again.back("ada", c.Parts[0].Doc)
	again.is("ada", "steps", "2")
	again.refused(again.do(engine.Request{Do: "write", Player: "ada", Server: true, Sender: "shop", Number: 7, Name: "player.steps", Value: two}), engine.Repeated, "applied before")
}
