package scout

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// If only another player or the game's server can open the way, it is a dead end with -alone, and none without.
func TestWhoIsAloneHasOnlyTheirOwnWays(t *testing.T) {
	const gate = `
variables: {open: {of: game, type: bool, start: false}, shut: {of: player, type: bool, start: true}}
passages: {up: {from: hall/far, to: loft/hatch, both_ways: true, if: game.open}}
goals: {up: {reach: place.scene == 'loft'}}
`
	for name, row := range map[string]struct {
		parts         string
		players       int
		alone, helped []string
	}{
		"the server opens":  {gate + "events: {unlock: {from: server}}\nrules: [{on: unlock, do: [{set: game.open, to: true}]}]\n", 1, []string{"up"}, nil},
		"time opens":        {gate + "rules: [{on: {every: 1m}, do: [{set: game.open, to: true}]}]\n", 1, nil, nil},
		"they open":         {gate + "events: {unlock: {from: self}}\nrules: [{on: unlock, do: [{set: game.open, to: true}]}]\n", 1, nil, nil},
		"any of them opens": {gate + "events: {unlock: {from: self}}\nrules: [{on: unlock, do: [{set: game.open, to: true}]}]\n", 2, nil, nil},
		"another opens": {gate + `
events: {tie: {from: self, args: {who: player}, if: player.shut}, unlock: {from: self, if: player.shut}}
rules:
  - {on: tie, do: [{set: args.who.shut, to: false}]}
  - {on: unlock, do: [{set: game.open, to: true}]}
`, 2, []string{"up"}, []string{"up"}},
	} {
		text := small(row.parts)
		if row.players > 1 {
			text = strings.NewReplacer("players: 1}", "players: 2}", ", death: keep, new-run: keep}", "}").Replace(text)
		}
		for _, alone := range []bool{true, false} {
			r := searched(t, text, Options{Players: row.players, Alone: alone})
			wanted := row.helped
			if alone {
				wanted = row.alone
			}
			var got []string
			for _, d := range r.DeadEnds {
				got = append(got, d.ID)
				assert.Equal(t, alone, d.Alone, name)
				assert.True(t, d.Proved, "%s: %s", name, d.Why)
			}
			assert.Equal(t, wanted, got, "%s, alone %t", name, alone)
			plays(t, r, text)
		}
	}
}
