package service_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/contract"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

// A session that is closed can be deleted: it begins anew when it is opened again, and players keep what they have.
func TestASessionComesToItsEnd(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	three := types.OfInt(3)
	h.do(contract.Request{Do: "write", Server: true, Name: "game.planks", Value: &three})
	h.do(contract.Request{Do: "write", Player: "wren", Server: true, Name: "player.parcels", Value: &three})
	_, err := h.c.EndSession(ctx, "lantern-pass", "winter")
	require.ErrorContains(t, err, "close it first")
	require.NoError(t, h.room.Close(ctx))
	e, err := h.c.EndSession(ctx, "lantern-pass", "winter")
	require.NoError(t, err)
	assert.EqualValues(t, 1, e.Worlds)
	assert.Positive(t, e.Journal)
	_, err = h.c.EndSession(ctx, "lantern-pass", "winter")
	require.ErrorContains(t, err, "There is no")
	h.room, err = h.c.Open(ctx, "lantern-pass", "winter")
	require.NoError(t, err)
	state, err := h.room.State(ctx)
	require.NoError(t, err)
	for _, f := range state.Game {
		if f.Name == "game.planks" {
			assert.Equal(t, "0", f.Value.Plain())
		}
	}
	h.do(contract.Request{Do: "join", Player: "wren"})
	view, err := h.c.Player(ctx, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	for _, x := range view.Values {
		if x.Name == "player.parcels" {
			assert.Equal(t, "3", x.Live.Plain())
		}
	}
}

// A game is deleted with all that is held of it, and nothing of another one.
func TestAGameComesToItsEnd(t *testing.T) {
	t.Parallel()
	h := start(t)
	_, _, err := h.c.PutPlan(ctx, "harbour", examples.Harbour, "")
	require.NoError(t, err)
	other, err := h.c.Open(ctx, "harbour", "tide")
	require.NoError(t, err)
	_, err = other.Do(ctx, contract.Request{Do: "join", Player: "ada"})
	require.NoError(t, err)
	h.do(contract.Request{Do: "join", Player: "wren"})
	_, err = h.c.DeleteGame(ctx, "lantern-pass")
	require.ErrorContains(t, err, "close it first")
	require.NoError(t, h.room.Close(ctx))
	e, err := h.c.DeleteGame(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Positive(t, e.Saves)
	assert.EqualValues(t, 1, e.Players)
	_, _, err = h.c.Plan(ctx, "lantern-pass")
	require.ErrorContains(t, err, "There is no")
	_, err = h.c.DeleteGame(ctx, "lantern-pass")
	require.ErrorContains(t, err, "There is no")
	view, err := h.c.Player(ctx, "harbour", "ada", 1)
	require.NoError(t, err)
	assert.True(t, view.Present, "the other game goes on")

	// The same game can be made anew, and holds nothing of the old one.
	_, _, err = h.c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	require.NoError(t, err)
	_, err = h.c.Player(ctx, "lantern-pass", "wren", 1)
	assert.ErrorContains(t, err, "no player")
}
