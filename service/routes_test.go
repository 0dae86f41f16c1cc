package service_test

import (
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/service/auth"
)

// Every route of the contract, as every role, with odd ids and odd headers: who may, by a reckoning of the test's own.
// Nobody gets further than that by how an id or a header is written.
func TestWhoMayByEveryRoute(t *testing.T) {
	t.Parallel()
	h, keys := guarded(t)
	ada := auth.Who{Role: auth.Player, Game: "lantern-pass", Player: "ada"}
	server := auth.Who{Role: auth.Server, Game: "lantern-pass", Player: "weather"}
	other := auth.Who{Role: auth.Server, Game: "lantern-market"}
	oddIDs := []string{"ada", "bob", "ada/bob", "ada/live", "live", "..", ".", "ada%2Fbob", "a\x00b", "ada/../bob", "ada?x=1", "ada;x", strings.Repeat("l", 3000)}
	oddHeaders := []http.Header{nil, {"Upgrade": {"websocket"}, "Connection": {"Upgrade"}}, {"X-Http-Method-Override": {"GET"}, "X-Forwarded-Uri": {"/healthz"}, "X-Original-Url": {"/healthz"}}}

	open := map[string]bool{"GET /healthz": true, "GET /v1/games/{game}/sessions/{session}/live": true}
	mayPlayer := func(op operation, ids map[string]string) bool {
		handsOver := op.method == http.MethodPost && strings.HasSuffix(op.path, "/{player}/offline")
		may := (op.method == http.MethodGet || handsOver) && ids["game"] == "lantern-pass"
		return may && (strings.HasSuffix(op.path, "/layout") || strings.Contains(op.path, "/{player}") && ids["player"] == "ada")
	}
	mayServer := func(op operation, ids map[string]string) bool {
		if op.path == "/metrics" {
			return true
		}
		if !strings.HasPrefix(op.path, "/v1/games/{game}/") || ids["game"] != "lantern-pass" {
			return false
		}
		rest := strings.TrimPrefix(op.path, "/v1/games/{game}/")
		return op.method == http.MethodGet || strings.HasPrefix(rest, "players") || strings.HasPrefix(rest, "sessions") || rest == "tokens"
	}
	tokens := map[string]string{"nobody": "", "forged": "eyJhbGciOiJIUzI1NiJ9.e30.x", "ada": token(t, keys, ada), "server": token(t, keys, server), "another game's server": token(t, keys, other)}
	asked := 0
	for _, op := range readContract(t).operations() {
		if op.path == "/v1/login" { // which judges the token by itself
			continue
		}
		for i, id := range oddIDs {
			for j, header := range oddHeaders {
				if j > 0 && i > 1 { // every header with some ids, every id with some headers
					continue
				}
				path, ids := op.path, map[string]string{}
				for _, name := range []string{"game", "player", "session", "slot", "revision", "name", "carrier", "variable", "crossing", "commons", "standing", "trial", "version", "form"} {
					value := id
					if name == "game" && i%2 == 0 {
						value = "lantern-pass"
					}
					ids[name] = value
					path = strings.ReplaceAll(path, "{"+name+"}", url.PathEscape(value))
				}
				require.NotContains(t, path, "{", "a parameter that this test does not know")
				for who, token := range tokens {
					req, err := http.NewRequest(op.method, h.s.URL(), nil)
					require.NoError(t, err)
					req.URL, err = url.Parse(h.s.URL() + path)
					require.NoError(t, err)
					for name, values := range header {
						req.Header[name] = values
					}
					if token != "" {
						req.Header.Set("Authorization", "Bearer "+token)
					}
					res, err := http.DefaultTransport.RoundTrip(req)
					require.NoError(t, err, path)
					_, _ = io.Copy(io.Discard, io.LimitReader(res.Body, 1<<20))
					_ = res.Body.Close()
					asked++
					may := open[op.method+" "+op.path] || who == "ada" && mayPlayer(op, ids) || who == "server" && mayServer(op, ids) || who == "another game's server" && op.path == "/metrics"
					refused := res.StatusCode == http.StatusUnauthorized || res.StatusCode == http.StatusForbidden
					routed := !strings.Contains(path, "/./") && !strings.Contains(path, "/../") && !strings.HasSuffix(path, "/.") && !strings.HasSuffix(path, "/..")
					if routed {
						assert.Equal(t, !may, refused, "%s %s as %s with %v: %d", op.method, path, who, header, res.StatusCode)
					} else if !may {
						assert.True(t, refused || res.StatusCode == http.StatusNotFound, "%s %s as %s: %d", op.method, path, who, res.StatusCode)
					}
				}
			}
		}
	}
	assert.Greater(t, asked, 5000)
}

func TestMethodsThatAPathDoesNotTakeAreProblems(t *testing.T) {
	t.Parallel()
	h := start(t)
	ask := func(method, path string) *http.Response {
		req, err := http.NewRequest(method, h.s.URL()+path, nil)
		require.NoError(t, err)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		t.Cleanup(func() { _ = res.Body.Close() })
		return res
	}
	for _, method := range []string{"DELETE", "PATCH"} {
		res := ask(method, "/v1/games/lantern-pass/plan")
		assert.Equal(t, http.StatusMethodNotAllowed, res.StatusCode)
		assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"))
		assert.Equal(t, "OPTIONS, GET, HEAD, PUT", res.Header.Get("Allow"))
	}
	res := ask("OPTIONS", "/v1/games/lantern-pass/plan")
	assert.Equal(t, http.StatusNoContent, res.StatusCode)
	assert.Equal(t, "OPTIONS, GET, HEAD, PUT", res.Header.Get("Allow"))
	get, head := ask("GET", "/v1/games/lantern-pass/plan"), ask("HEAD", "/v1/games/lantern-pass/plan")
	assert.Equal(t, get.StatusCode, head.StatusCode)
	assert.Equal(t, get.Header.Get("ETag"), head.Header.Get("ETag"))
	body, err := io.ReadAll(head.Body)
	require.NoError(t, err)
	assert.Empty(t, body)
	assert.Equal(t, http.StatusNotFound, ask("HEAD", "/v1/games/nothing/plan").StatusCode)
}
