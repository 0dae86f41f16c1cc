package live_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/service/live"
)

// withProfile is the hut with something that players have over all slots, and with rivals.
func withProfile(t *testing.T) *hall {
	return openWith(t, "every: 30s, slots: 3",
		"  ticks: {of", "  burnt: {of: profile, type: int, min: 0, max: 99, start: 0, read_by: game}\n  mentor: {of: profile, type: player, read_by: game, written_by: game}\n"+
			"  rival: {of: player, type: player, read_by: game, written_by: game}\n  king: {of: game, type: player, read_by: game, written_by: game}\n  ticks: {of",
		"do: [{add: player.oil, by: -1}]}", "do: [{add: player.oil, by: -1}, {add: profile.burnt, by: 1}]}")
}

func (h *hall) joinIn(player string, slot int) error {
	_, err := h.m.Do(ctx, h.s, engine.Request{Do: "join", Player: player, Slot: slot})
	return err
}

func TestAProfileIsOneOverAllSlotsAndOutlastsTheService(t *testing.T) {
	h := withProfile(t)
	require.NoError(t, h.joinIn("ada", 1))
	h.event("ada", "burn")
	h.event("ada", "burn")
	h.do(engine.Request{Do: "leave", Player: "ada"})
	require.NoError(t, h.joinIn("ada", 2))
	assert.Equal(t, "2", h.figure("ada", "burnt"))
	assert.Equal(t, "12", h.figure("ada", "oil"))
	h.event("ada", "burn")
	require.NoError(t, h.m.CloseAll(ctx))
	h.st.Close()

	h.start()
	h.enter("one")
	require.NoError(t, h.joinIn("ada", 1))
	assert.Equal(t, "3", h.figure("ada", "burnt"))
	assert.Equal(t, "10", h.figure("ada", "oil"))

	raw, err := h.st.Profile(ctx, "hut", "ada")
	require.NoError(t, err)
	_, err = save.OpenProfile(raw)
	require.NoError(t, err)
	h.do(engine.Request{Do: "leave", Player: "ada"})
	h.sql("UPDATE profiles SET doc = replace(doc, '3', '4')")
	assert.ErrorContains(t, h.joinIn("ada", 1), "what ada has over all slots")
	gone, err := h.st.Forget(ctx, "hut", "ada", false)
	require.NoError(t, err)
	assert.EqualValues(t, 1, gone.Profiles)
	require.NoError(t, h.joinIn("ada", 1))
	assert.Equal(t, "0", h.figure("ada", "burnt"))
}

func TestRule49ASessionOfAnOlderVersionLetsNobodyInWhoHasANewerProfile(t *testing.T) {
	h := withProfile(t)
	h.next("version: 1", "version: 2", "burnt: {of: profile, type: int, min: 0, max: 99", "burnt: {of: profile, type: int, min: 0, max: 50")
	old := h.s
	h.enter("two")
	require.NoError(t, h.joinIn("ada", 1))
	h.event("ada", "burn")
	h.do(engine.Request{Do: "leave", Player: "ada"})
	h.s = old
	assert.ErrorContains(t, h.joinIn("ada", 3), "newer version")
	require.NoError(t, h.joinIn("bob", 1), "who has none comes in")
}

func TestWhoIsDeletedIsReferredToNoMore(t *testing.T) {
	h := withProfile(t)
	for _, id := range []string{"ada", "bob", "cid"} {
		require.NoError(t, h.joinIn(id, 1))
	}
	point := func(name, player, at string) {
		h.do(engine.Request{Do: "write", Server: true, Player: player, Name: name, Value: types.OfText(at)})
	}
	point("player.rival", "ada", "bob")
	point("player.rival", "cid", "bob")
	point("game.king", "", "bob")
	point("profile.mentor", "cid", "bob")
	h.do(engine.Request{Do: "leave", Player: "cid"})
	h.do(engine.Request{Do: "leave", Player: "bob"})
	assert.Equal(t, `"bob"`, h.figure("ada", "rival"))
	require.NoError(t, h.m.Aside(ctx, "hut", "bob", live.EverySlot, func() error {
		if _, err := h.st.Forget(ctx, "hut", "bob", false); err != nil {
			return err
		}
		return h.m.Deleted(ctx, "hut", "bob")
	}))
	assert.Equal(t, "none", h.figure("ada", "rival"), "at once, where a session is open")
	require.NoError(t, h.joinIn("cid", 1))
	assert.Equal(t, "none", h.figure("cid", "rival"), "when a save is loaded")
	assert.Equal(t, "none", h.figure("cid", "mentor"), "and what the profile says")
	steps, err := h.s.Trail(ctx, "cid", "player.rival", 10)
	require.NoError(t, err)
	require.NotEmpty(t, steps)
	assert.Contains(t, steps[0].Cause.String(), "bob was deleted")

	// What a world holds, too, when it is opened again after somebody was deleted meanwhile.
	require.NoError(t, h.joinIn("dan", 1))
	point("game.king", "", "dan")
	h.do(engine.Request{Do: "leave", Player: "dan"})
	require.NoError(t, h.m.CloseAll(ctx))
	_, err = h.st.Forget(ctx, "hut", "dan", false)
	require.NoError(t, err)
	h.st.Close()
	h.start()
	h.enter("one")
	v, err := h.s.Look(ctx)
	require.NoError(t, err)
	for _, f := range v.Game {
		if f.Var.ID == "king" {
			assert.Equal(t, "none", f.Value.Plain())
		}
	}
}
