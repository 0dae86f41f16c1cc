package service_test

import (
	"encoding/json"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/contract"
	"alluvion.dev/core/types"
	"alluvion.dev/service/api"
)

func (h *house) move(player string, x, y int64) {
	h.do(contract.Request{Do: "move", Player: player, To: to(x, y)})
}

func TestAPickOnTheWayIn(t *testing.T) {
	t.Parallel()
	h := start(t)
	pick := func(who string) contract.Request {
		return contract.Request{Do: "join", Player: "wren", Picks: map[string]types.Value{"courier": types.OfText(who)}}
	}
	p := h.refused(pick("eirik"))
	assert.Equal(t, http.StatusConflict, p.Status)
	assert.Contains(t, p.Detail, "Eirik walks only for those")
	assert.Contains(t, h.refused(pick("nobody")).Detail, "there is no courier")
	a := h.do(pick("oddny"))
	assert.Contains(t, kinds(a), "joined")
	assert.Equal(t, "oddny", h.figures("wren")["player.courier"].Live.Plain())
}

func TestACacheIsEachPlayersOwn(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.toTheGorge("wren")
	h.move("wren", 50, 29)
	a := h.do(event("wren", "open", "cache", "under_ledge"))
	require.NotEmpty(t, a.Changes)
	assert.Equal(t, "cache.under_ledge", a.Changes[0].Prop)
	assert.Equal(t, "prop.cache.taken", a.Changes[0].Name)
	view, err := h.c.Player(ctx, "lantern-pass", "wren", 0)
	require.NoError(t, err)
	found := false
	for _, v := range view.Values {
		if v.Of == "cache.under_ledge" {
			found = true
			assert.Equal(t, "true", v.Live.String())
			assert.Equal(t, "Taken · cache.under_ledge", v.Title)
		}
	}
	assert.True(t, found)
	h.toTheGorge("finn")
	h.move("finn", 50, 29)
	a = h.do(event("finn", "open", "cache", "under_ledge"))
	assert.Len(t, a.Changes, 2, "finn has it to take, too")
	h.restart()
	h.do(contract.Request{Do: "join", Player: "wren"})
	assert.Empty(t, h.do(event("wren", "open", "cache", "under_ledge")).Changes, "it is taken, after the restart too")
	assert.Contains(t, h.refused(event("wren", "open", "cache", "at_cairn")).Detail, "is not here")
}

func TestTheSledStaysWhereItWasLeftOverARestart(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.move("wren", 5, 19)
	a := h.do(event("wren", "take_sled"))
	assert.Contains(t, kinds(a), "taken")
	h.move("wren", 30, 1)
	h.do(contract.Request{Do: "pass", Player: "wren", Name: "porch_gorge"})
	assert.Equal(t, "2.2", h.figures("wren")["player.pace"].Live.String())
	assert.Equal(t, "[sled]", h.figures("wren")["player.holds"].Live.String())
	h.move("wren", 30, 19)
	h.do(contract.Request{Do: "touch", Player: "wren", Name: "gorge_shelter"})
	assert.Equal(t, "[gorge_shelter]", h.figures("wren")["player.checkpoints"].Live.String())
	h.move("wren", 40, 40)
	h.restart() // ends the visit: the sled is set down where wren was
	a = h.do(contract.Request{Do: "join", Player: "wren"})
	assert.Contains(t, kinds(a), "stands")
	assert.Equal(t, "1", h.figures("wren")["player.pace"].Live.String())
	h.do(event("wren", "take_sled"))
	steps, err := h.room.Changes(ctx, "", "movables.sled")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(steps), 3)
	assert.Equal(t, "with wren", steps[0].To.Plain())
	assert.Equal(t, "gorge (40, 40)", steps[0].From.Plain())
}

func TestRule29TheServiceCountsWhatSendersSend(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	name := types.OfText("Wren")
	write := contract.Request{Do: "write", Player: "wren", Name: "player.nickname", Value: &name}
	for range 6 {
		h.do(write)
	}
	assert.Contains(t, h.refused(write).Detail, "at most 6 times a minute")
	write.Name = "player.oil"
	assert.Contains(t, h.refused(write).Detail, "is not written by players")
	answers := make(chan error, 40) // at once: one after the other, a busy machine is slower than that
	for range cap(answers) {
		go func() {
			_, err := h.room.Do(ctx, gust("wren", 0))
			answers <- err
		}()
	}
	taken := 0
	for range cap(answers) {
		if err := <-answers; err == nil {
			taken++
		} else {
			assert.ErrorContains(t, err, "at most 5 times a second")
		}
	}
	assert.GreaterOrEqual(t, taken, 5)
	assert.Less(t, taken, cap(answers))
	assert.Eventually(t, func() bool {
		_, err := h.room.Do(ctx, gust("wren", 0))
		return err == nil
	}, 30*time.Second, 50*time.Millisecond)
}

func TestSeedsAreTheSessionsOwn(t *testing.T) {
	t.Parallel()
	h := start(t)
	state, err := h.room.State(ctx)
	require.NoError(t, err)
	other, err := h.c.Open(ctx, "lantern-pass", "spring")
	require.NoError(t, err)
	there, err := other.State(ctx)
	require.NoError(t, err)
	seed := func(list []contract.Figure) string {
		for _, f := range list {
			if f.Name == "game.night" {
				return f.Value.String()
			}
		}
		return ""
	}
	assert.NotEmpty(t, seed(state.Game))
	assert.NotEqual(t, seed(state.Game), seed(there.Game), "but once in four thousand million")
}

func TestCarriersMessagesAndBudgetsOverHTTP(t *testing.T) {
	t.Parallel()
	h := start(t)
	ask := func(path, body string) (int, string) {
		res, err := http.Post(h.s.URL()+"/v1/games/lantern-pass/budgets/"+path, "application/json", strings.NewReader(body))
		require.NoError(t, err)
		defer func() { _ = res.Body.Close() }()
		raw, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res.StatusCode, string(raw)
	}
	values := `{"place.scene":["gorge","gorge","lodge"],"place.x":[30,30.5,12],"place.y":[20,7.25,0],"player.courier":["brisa"],"player.nickname":[null]}`
	code, raw := ask("beacon/encode", values)
	require.Equal(t, http.StatusOK, code, raw)
	var encoded api.Encoded
	require.NoError(t, json.Unmarshal([]byte(raw), &encoded))
	code, raw = ask("beacon/decode", `{"message":"`+encoded.Message+`"}`)
	require.Equal(t, http.StatusOK, code, raw)
	assert.JSONEq(t, values, raw)
	code, raw = ask("beacon/decode", `{"message":"123"}`)
	assert.Equal(t, http.StatusUnprocessableEntity, code)
	assert.Contains(t, raw, "has 66 symbols, not 3")
	code, raw = ask("beacon/encode", `{"place.x":[1]}`)
	assert.Equal(t, http.StatusUnprocessableEntity, code)
	assert.Contains(t, raw, "is missing")
	code, _ = ask("pigeon/encode", values)
	assert.Equal(t, http.StatusNotFound, code)

	res, err := http.Get(h.s.URL() + "/v1/games/lantern-pass/budgets")
	require.NoError(t, err)
	defer func() { _ = res.Body.Close() }()
	var b api.Budgets
	require.NoError(t, json.NewDecoder(res.Body).Decode(&b))
	assert.EqualValues(t, 10, b.Ticks)
	require.Len(t, b.Carriers, 1)
	assert.Equal(t, 6, b.Carriers[0].Left)
	assert.NotEmpty(t, b.Frames)
}
