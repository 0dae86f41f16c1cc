package engine_test

import (
	"testing"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"

	"github.com/stretchr/testify/require"
)

// A player who was put elsewhere is not moved by what was asked for before that (rule 8).
func TestRule8WhatWasSentBeforeAnArrivalIsStale(t *testing.T) {
	w := cavern(t)
	p := w.run.Now()[0]
	_, _, arrival := p.Where()
	require.Equal(t, 1, arrival)
	before := w.run.Digest()
	w.to("ada", "pit")
	_, _, arrival = p.Where()
	require.Equal(t, 2, arrival)
	require.NotEqual(t, before, w.run.Digest())
	before = w.run.Digest()
	at, _ := w.run.Place("ada")
	req := engine.Request{Do: "move", Player: "ada", To: at.At, Arrival: 1}
	_, err := w.run.Step(&req)
	var refusal *engine.Refusal
	require.ErrorAs(t, err, &refusal)
	require.Equal(t, engine.Stale, refusal.Kind)
	require.Equal(t, before, w.run.Digest())
	req.Arrival = 2
	_, err = w.run.Step(&req)
	require.NoError(t, err)
}

// A server's requests carry numbers of its own; they lie in the world's save (rule 8).
func TestRule8AServersNumberIsKeptWithTheWorld(t *testing.T) {
	w := cavern(t)
	req := engine.Request{Do: "write", Server: true, Sender: "judge", Number: 4, Player: "ada", Name: "player.depth", Value: types.OfInt(1)}
	_, err := w.run.Step(&req)
	require.NoError(t, err)
	_, err = w.run.Step(&req)
	var refusal *engine.Refusal
	require.ErrorAs(t, err, &refusal)
	require.Equal(t, engine.Repeated, refusal.Kind)

	world := w.run.World()
	require.Equal(t, map[string]uint64{"judge": 4}, world.Senders)
	raw, err := save.Encode(world)
	require.NoError(t, err)
	opened, _, err := save.DecodeWorld(raw, w.m)
	require.NoError(t, err)
	again := engine.Reopen(w.m, opened)
	_, err = again.Step(&req)
	require.ErrorAs(t, err, &refusal)
	require.Equal(t, engine.Repeated, refusal.Kind)
}
