package service_test

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
	"alluvion.dev/service"
)

// send asks with headers; nothing is added to them.
func (h *house) send(method, path, body string, headers ...string) *http.Response {
	h.t.Helper()
	req, err := http.NewRequest(method, h.s.URL()+path, strings.NewReader(body))
	require.NoError(h.t, err)
	for i := 0; i < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	res, err := (&http.Transport{DisableCompression: true}).RoundTrip(req)
	require.NoError(h.t, err)
	h.t.Cleanup(func() { _ = res.Body.Close() })
	return res
}

func TestEntityTagsSpareAndGuard(t *testing.T) {
	t.Parallel()
	h := founded(t)
	const path = "/v1/games/lantern-pass/plan"
	first := h.send("GET", path, "")
	tag := first.Header.Get("ETag")
	require.NotEmpty(t, tag)
	for _, known := range []string{tag, `"x", W/` + tag, "*"} {
		res := h.send("GET", path, "", "If-None-Match", known)
		assert.Equal(t, http.StatusNotModified, res.StatusCode, known)
		raw, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		assert.Empty(t, raw)
		assert.Equal(t, tag, res.Header.Get("ETag"))
	}
	assert.Equal(t, http.StatusOK, h.send("GET", path, "", "If-None-Match", `"x"`).StatusCode)
	h.enter()
	h.do(contract.Request{Do: "join", Player: "ada"})
	const ada = "/v1/games/lantern-pass/players/ada"
	before := h.send("GET", ada, "")
	h.do(contract.Request{Do: "event", Player: "ada", Name: "load"})
	assert.Equal(t, http.StatusOK, h.send("GET", ada, "", "If-None-Match", before.Header.Get("ETag")).StatusCode, "that tag is the save's, and what she has now is another")
	assert.Equal(t, http.StatusNotFound, h.send("GET", "/v1/games/none/plan", "", "If-None-Match", "*").StatusCode)

	plan := string(examples.LanternPass)
	assert.Equal(t, http.StatusPreconditionFailed, h.send("PUT", path, plan, "If-Match", `"x"`).StatusCode)
	assert.Equal(t, http.StatusOK, h.send("PUT", path, plan+"\n", "If-Match", "*").StatusCode, "* replaces whatever is there")
	market := string(examples.LanternMarket)
	assert.Equal(t, http.StatusPreconditionFailed, h.send("PUT", "/v1/games/lantern-market/plan", market, "If-Match", "*").StatusCode, "and nothing is there")
	assert.Equal(t, http.StatusOK, h.send("PUT", "/v1/games/lantern-market/plan", market).StatusCode)
}

func TestLongAnswersAreSentPacked(t *testing.T) {
	t.Parallel()
	h := founded(t)
	res := h.send("GET", "/v1/games/lantern-pass/matrix", "", "Accept-Encoding", "gzip")
	assert.Equal(t, "gzip", res.Header.Get("Content-Encoding"))
	packed, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	whole, err := io.ReadAll(h.send("GET", "/v1/games/lantern-pass/matrix", "").Body)
	require.NoError(t, err)
	assert.Less(t, len(packed), len(whole)/4)
	assert.Empty(t, h.send("GET", "/v1/keys", "", "Accept-Encoding", "gzip").Header.Get("Content-Encoding"), "no secret is")
}

// Pages of the listed origins may ask and connect; of no others.
func TestOriginsThatMayAsk(t *testing.T) {
	t.Parallel()
	h := &house{t: t, path: filepath.Join(t.TempDir(), "a.db")}
	const game, elsewhere = "https://game.example", "https://elsewhere.example"
	for _, bad := range []string{"game.example", "https://game.example/", "https://game.example/play", "*"} {
		_, err := service.Start(service.Config{Addr: "127.0.0.1:0", Data: h.path, Origins: []string{bad}})
		require.ErrorIs(t, err, service.ErrOrigin, bad)
	}
	var err error
	h.s, err = service.Start(service.Config{Addr: "127.0.0.1:0", Data: h.path, Origins: []string{game}})
	require.NoError(t, err)
	t.Cleanup(h.stop)
	h.c = client.New(h.s.URL())
	_, err = h.c.PutCommons(ctx, "courier-guild", examples.CourierGuild, "")
	require.NoError(t, err)
	_, _, err = h.c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	require.NoError(t, err)
	h.enter()
	cross := []string{"Origin", game, "Sec-Fetch-Site", "cross-site"}
	before := h.send("OPTIONS", "/v1/games/lantern-pass/plan", "", append(cross, "Access-Control-Request-Method", "PUT", "Access-Control-Request-Headers", "if-match")...)
	assert.Equal(t, http.StatusNoContent, before.StatusCode)
	assert.Equal(t, game, before.Header.Get("Access-Control-Allow-Origin"))
	assert.Contains(t, before.Header.Get("Access-Control-Allow-Methods"), "PUT")
	assert.Empty(t, before.Header.Get("Access-Control-Allow-Credentials"), "no cookie is taken")
	got := h.send("GET", "/v1/games/lantern-pass/plan", "", cross...)
	assert.Equal(t, http.StatusOK, got.StatusCode)
	assert.Equal(t, game, got.Header.Get("Access-Control-Allow-Origin"))
	assert.Equal(t, http.StatusOK, h.send("PUT", "/v1/games/lantern-pass/plan", string(examples.LanternPass), append(cross, "If-Match", "*")...).StatusCode)
	foreign := h.send("GET", "/v1/games/lantern-pass/plan", "", "Origin", elsewhere)
	assert.Equal(t, http.StatusForbidden, foreign.StatusCode)
	assert.Empty(t, foreign.Header.Get("Access-Control-Allow-Origin"))

	connect := func(origin string) error {
		conn, _, err := websocket.Dial(ctx, strings.Replace(h.s.URL(), "http", "ws", 1)+"/v1/games/lantern-pass/sessions/winter/live",
			&websocket.DialOptions{Subprotocols: []string{wire.SubJSON}, HTTPHeader: http.Header{"Origin": {origin}}})
		if err == nil {
			_ = conn.CloseNow()
		}
		return err
	}
	assert.NoError(t, connect(game))
	assert.Error(t, connect(elsewhere))
}

// Two servers that use one name: the newer one goes on, and the other is told.
func TestAServersNameIsUsedOnce(t *testing.T) {
	t.Parallel()
	h := start(t)
	first, err := h.room.Serve(ctx, "weather")
	require.NoError(t, err)
	second, err := h.room.Serve(ctx, "weather")
	require.NoError(t, err)
	gone := &machine{Machine: first, t: t, id: "weather"}
	gone.ends(wire.CodeReplaced)
	require.NoError(t, second.Do(ctx, wire.Ask{Is: "event", Name: "blizzard"}))
	other, err := h.room.Serve(ctx, "chronicle")
	require.NoError(t, err)
	require.NoError(t, other.Do(ctx, wire.Ask{Is: "event", Name: "blizzard"}))
	require.NoError(t, second.Do(ctx, wire.Ask{Is: "event", Name: "blizzard"}), "a name of its own disturbs nobody")
}

// What is wrong with a request is said: what, and where.
func TestADetailSaysWhatAndWhere(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "ada"})
	const path = "/v1/games/lantern-pass/sessions/winter/requests"
	for body, says := range map[string]string{
		`{"do":"correct","player":"ada"}`:                                     "do: it is one of join, move, pass, touch, leave, start-over, event, write",
		`{"do":"event","player":"ada","nmae":"load"}`:                         "nmae: there is nothing called so here.",
		`{"do":"event","player":5}`:                                           "player: a text is wanted, not 5.",
		`{"do":"move","player":"ada","to":"here"}`:                            "to: a list (JSON array) is wanted, not here.",
		`{"do":"move","player":"ada","to":[1,"two"]}`:                         "to[1]: a number is wanted, not two.",
		`{"do":"event","player":"ada","number":"one"}`:                        "number: a whole number is wanted, not one.",
		`{"do":"event","player":"ada","number":1.5}`:                          "number",
		`{"player":"ada"}`:                                                    "do is missing.",
		`{"do":"event","player":"ada","args":["x"]}`:                          "args",
		`{"do":"event","number":9007199254740993,"server":true,"sender":"w"}`: "number",
		`not JSON`: "",
	} {
		res := h.send("POST", path, body, "Content-Type", "application/json")
		raw, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		var p contract.Problem
		require.NoError(t, json.Unmarshal(raw, &p), "%s", raw)
		assert.Contains(t, []int{400, 422}, res.StatusCode, body)
		assert.Contains(t, p.Detail, says, body)
		assert.NotContains(t, p.Detail, "validation failed", body)
		assert.NotContains(t, p.Detail, "Go ", body)
		assert.NotEmpty(t, p.Detail, body)
	}
	for _, body := range []string{`{"do":"event","player":"ada","name":"load","number":1.0,"args":[]}`, `{"do":"move","player":"ada","to":[20.100000000000001,3],"number":2.0}`} {
		res := h.send("POST", path, body, "Content-Type", "application/json")
		raw, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		assert.Equal(t, http.StatusOK, res.StatusCode, "%s: %s", body, raw)
	}
	up := h.send("GET", "/v1/games/lantern-pass/sessions/winter/live", "")
	raw, err := io.ReadAll(up.Body)
	require.NoError(t, err)
	assert.Equal(t, http.StatusUpgradeRequired, up.StatusCode)
	assert.Equal(t, "application/problem+json", up.Header.Get("Content-Type"))
	assert.True(t, bytes.Contains(raw, []byte("alluvion.packed.1")), "%s", raw)
}

// A machine that says nothing after it has connected is told why the connection ends.
func TestALateHelloIsToldSo(t *testing.T) {
	t.Parallel()
	h := start(t)
	c, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	conn, _, err := websocket.Dial(c, h.s.URL()+"/v1/games/lantern-pass/sessions/winter/live", nil)
	require.NoError(t, err)
	_, raw, err := conn.Read(c)
	require.NoError(t, err)
	assert.Contains(t, string(raw), "No hello came within 5 seconds.")
	_, _, err = conn.Read(c)
	assert.Equal(t, websocket.StatusCode(wire.CodeBad), websocket.CloseStatus(err))
}
