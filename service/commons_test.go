package service_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

// market opens the sister game beside the demo.
func (h *house) market() *client.Session {
	_, report, err := h.c.PutPlan(ctx, "lantern-market", examples.LanternMarket, "")
	require.NoError(h.t, err)
	require.True(h.t, report.Runnable)
	return h.noon()
}

func (h *house) noon() *client.Session {
	s, err := h.c.Open(ctx, "lantern-market", "noon")
	require.NoError(h.t, err)
	return s
}

// sells lets a player sell three times at the same stall, which opens the guild to them.
func (h *house) sells(s *client.Session, player string) {
	for _, r := range []contract.Request{{Do: "move", Player: player, To: to(0, 8)}, event(player, "sell", "stall", "wool"), event(player, "sell", "stall", "wool"), event(player, "sell", "stall", "wool")} {
		_, err := s.Do(ctx, r)
		require.NoError(h.t, err)
	}
}

func TestRule4WhatOneGameChangesTheOtherSeesAtOnce(t *testing.T) {
	t.Parallel()
	h := start(t)
	noon := h.market()
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(contract.Request{Do: "move", Player: "wren", To: to(37, 10)})
	assert.Contains(t, h.refused(contract.Request{Do: "pass", Player: "wren", Name: "guild_door"}).Detail, "The guild knows only those")
	_, err := noon.Do(ctx, contract.Request{Do: "join", Player: "wren"})
	require.NoError(t, err)
	h.sells(noon, "wren")
	require.Eventually(t, func() bool { return h.figures("wren")["player.guild.market_stage"].Live.String() == "1" }, 30*time.Second, 10*time.Millisecond)
	h.do(contract.Request{Do: "pass", Player: "wren", Name: "guild_door"})
	steps, err := h.room.Changes(ctx, "wren", "player.guild.market_stage")
	require.NoError(t, err)
	require.Len(t, steps, 1)
	assert.Contains(t, steps[0].Cause, "lantern-market")
	write := h.refused(contract.Request{Do: "write", Player: "wren", Server: true, Name: "player.guild.market_stage", Value: &steps[0].To})
	assert.Contains(t, write.Detail, "lantern-market writes")
}

func TestRule4WhatWasChangedElsewhereIsThereOnJoiningInAnySlot(t *testing.T) {
	t.Parallel()
	h := start(t)
	noon := h.market()
	_, err := noon.Do(ctx, contract.Request{Do: "join", Player: "wren"})
	require.NoError(t, err)
	h.sells(noon, "wren")
	h.do(contract.Request{Do: "join", Player: "wren", Slot: 2}) // nothing of the market is saved yet
	assert.Equal(t, "1", h.figures("wren")["player.guild.market_stage"].Live.String())
	h.do(contract.Request{Do: "leave", Player: "wren"})
	_, err = noon.Do(ctx, contract.Request{Do: "leave", Player: "wren"})
	require.NoError(t, err)
	h.restart()
	h.do(contract.Request{Do: "join", Player: "wren"})
	assert.Equal(t, "1", h.figures("wren")["player.guild.market_stage"].Live.String(), "it is on disk, and in every slot")
	noon = h.noon()
	_, err = noon.Do(ctx, contract.Request{Do: "join", Player: "wren"})
	require.NoError(t, err)
	players, err := h.c.Players(ctx, "lantern-market")
	require.NoError(t, err)
	require.Len(t, players, 1)
}

func TestCommonsAreKeptAndJudged(t *testing.T) {
	t.Parallel()
	h := start(t)
	text, etag, err := h.c.Commons(ctx, "courier-guild")
	require.NoError(t, err)
	assert.Equal(t, string(examples.CourierGuild), string(text))
	list, err := h.c.AllCommons(ctx)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, []string{"pass_stage", "market_stage", "seals", "renown"}, list[0].Variables)
	_, err = h.c.PutCommons(ctx, "courier-guild", text, "")
	assert.ErrorContains(t, err, "somebody else changed it")
	_, err = h.c.PutCommons(ctx, "courier-guild", []byte("alluvion: 1\ncommons: courier-guild\nversion: 1\nvariables: {a: {type: int, start: 0}}\n"), etag)
	assert.ErrorContains(t, err, "needs its writer")
	_, err = h.c.PutCommons(ctx, "another", text, "")
	assert.ErrorContains(t, err, "courier-guild")
	_, _, err = h.c.PutPlan(ctx, "courier-guild", text, "")
	assert.ErrorContains(t, err, "commons")
	_, _, err = h.c.Commons(ctx, "nobody")
	assert.Error(t, err)
}

// What a player has in common over all games belongs to no slot: beginning one anew takes nothing of it away.
func TestRule3BeginningASlotAnewLeavesTheCommonsAlone(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	value := types.OfInt(2)
	h.do(contract.Request{Do: "write", Server: true, Player: "wren", Name: "player.guild.pass_stage", Value: &value})
	h.do(contract.Request{Do: "leave", Player: "wren"})
	held := func() string {
		all, err := h.c.Export(ctx, "lantern-pass", "wren")
		require.NoError(t, err)
		return string(all.Commons["courier-guild.pass_stage"])
	}
	require.Equal(t, "2", held())
	_, etag, err := h.c.Download(ctx, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	_, err = h.c.Reset(ctx, "lantern-pass", "wren", 1, "a fresh start", etag)
	require.NoError(t, err)
	assert.Equal(t, "2", held())
	h.do(contract.Request{Do: "join", Player: "wren"})
	assert.Equal(t, "2", h.figures("wren")["player.guild.pass_stage"].Live.String())
}
