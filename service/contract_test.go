package service_test

import (
	"alluvion.dev/contract"
	"alluvion.dev/examples"
	"bytes"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// openapi is api/openapi.yaml, ready to hold answers against.
type openapi struct {
	doc      any
	compiler *jsonschema.Compiler
}

func readContract(t *testing.T) openapi {
	text, err := os.ReadFile("../api/openapi.yaml")
	require.NoError(t, err)
	raw, err := yaml.YAMLToJSON(text)
	require.NoError(t, err)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("contract.json", doc))
	return openapi{doc, c}
}

// schema finds what an operation says that it answers with a status.
func (c openapi) schema(t *testing.T, path, method string, status int, kind string) *jsonschema.Schema {
	escaped := strings.ReplaceAll(strings.ReplaceAll(path, "~", "~0"), "/", "~1")
	for _, s := range []string{fmt.Sprint(status), "default"} {
		at := fmt.Sprintf("contract.json#/paths/%s/%s/responses/%s/content/%s/schema", escaped, method, s, strings.ReplaceAll(kind, "/", "~1"))
		if schema, err := c.compiler.Compile(at); err == nil {
			return schema
		}
	}
	require.Fail(t, "the contract does not say this", "%s %s answers %d as %s", method, path, status, kind)
	return nil
}

// Every answer is what the contract says, errors among them.
func TestAnswersAreWhatTheContractSays(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(event("wren", "choose", "who", "oddny"))
	h.do(contract.Request{Do: "move", Player: "wren", To: to(30, 1)})
	h.do(contract.Request{Do: "pass", Player: "wren", Name: "porch_gorge"})
	c := readContract(t)
	const game, room, player = "/v1/games/lantern-pass", "/v1/games/lantern-pass/sessions/winter", "/v1/games/lantern-pass/players/wren"
	const pathGame, pathRoom, pathPlayer = "/v1/games/{game}", "/v1/games/{game}/sessions/{session}", "/v1/games/{game}/players/{player}"
	for _, row := range []struct {
		method, url, path, body string
		status                  int
	}{
		{"GET", "/healthz", "/healthz", "", 200},
		{"GET", "/v1/findings", "/v1/findings", "", 200},
		{"GET", "/v1/games", "/v1/games", "", 200},
		{"GET", game + "/findings", pathGame + "/findings", "", 200},
		{"GET", game + "/matrix", pathGame + "/matrix", "", 200},
		{"PUT", game + "/fates/player.none/death", pathGame + "/fates/{variable}/{crossing}", `{"fate": "keep"}`, 409},
		{"PUT", game + "/fates/player.oil/death", pathGame + "/fates/{variable}/{crossing}", `{"fate": "keep"}`, 412},
		{"PUT", game + "/fates/player.oil/restart", pathGame + "/fates/{variable}/{crossing}", `{"fate": "keep"}`, 422},
		{"GET", game + "/names", pathGame + "/names", "", 200},
		{"GET", game + "/sessions", pathGame + "/sessions", "", 200},
		{"GET", game + "/players", pathGame + "/players", "", 200},
		{"GET", room, pathRoom, "", 200},
		{"PUT", room, pathRoom, "", 200},
		{"PUT", game + "/sessions/No", pathRoom, "", 422},
		{"GET", room + "/changes?player=wren&most=3", pathRoom + "/changes", "", 200},
		{"GET", room + "/changes?most=0", pathRoom + "/changes", "", 422},
		{"POST", room + "/requests", pathRoom + "/requests", `{"do": "event", "player": "wren", "name": "load"}`, 200},
		{"POST", room + "/requests", pathRoom + "/requests", `{"do": "event", "player": "wren", "name": "deliver"}`, 200},
		{"POST", room + "/requests", pathRoom + "/requests", `{"do": "pass", "player": "wren", "name": "mill_gate"}`, 409},
		{"POST", room + "/requests", pathRoom + "/requests", `{"do": "leap"}`, 422},
		{"GET", player, pathPlayer, "", 200},
		{"GET", player + "?slot=2", pathPlayer, "", 200},
		{"POST", player + "/save", pathPlayer + "/save", "", 200},
		{"GET", player + "/slots/1/revisions", pathPlayer + "/slots/{slot}/revisions", "", 200},
		{"GET", player + "/slots/2/revisions", pathPlayer + "/slots/{slot}/revisions", "", 404},
		{"POST", player + "/slots/1/revisions/1/take-up", pathPlayer + "/slots/{slot}/revisions/{revision}/take-up", "", 409},
		{"POST", "/v1/check", "/v1/check", "game: x", 200},
		{"POST", "/v1/matrix", "/v1/matrix", "game: x", 422},
		{"POST", "/v1/matrix", "/v1/matrix", string(examples.CourierGuild), 422},
		{"POST", "/v1/matrix/csv", "/v1/matrix/{form}", "game: x", 422},
		{"POST", "/v1/matrix/clay", "/v1/matrix/{form}", "game: x", 422},
		{"POST", "/v1/map", "/v1/map", "game: x", 422},
		{"POST", "/v1/edits", "/v1/edits", `{"text": "game: x", "edits": [{"do": "put", "path": ["game"], "value": "y"}]}`, 200},
		{"POST", "/v1/edits", "/v1/edits", `{"text": "game: x", "edits": [{"do": "remove", "path": ["scenes"]}]}`, 409},
		{"POST", "/v1/edits", "/v1/edits", `{"text": "game: x", "edits": []}`, 422},
		{"POST", game + "/dry-run", pathGame + "/dry-run", `{"players": ["wren"], "steps": [{"join": "wren"}, {"wait": "1s"}], "at": -1, "keep": true}`, 200},
		{"POST", game + "/dry-run", pathGame + "/dry-run", `{"steps": [{"sing": "wren"}], "at": -1}`, 422},
		{"GET", game + "/rehearsals", pathGame + "/rehearsals", "", 200},
		{"GET", game + "/rehearsals/none", pathGame + "/rehearsals/{name}", "", 404},
		{"POST", game + "/rehearsals/none/run", pathGame + "/rehearsals/{name}/run", `{}`, 404},
		{"GET", game + "/milestones", pathGame + "/milestones", "", 200},
	} {
		t.Run(row.method+" "+row.url+" "+row.body, func(t *testing.T) {
			req, err := http.NewRequest(row.method, h.s.URL()+row.url, strings.NewReader(row.body))
			require.NoError(t, err)
			if strings.HasPrefix(row.body, "{") {
				req.Header.Set("Content-Type", "application/json")
			}
			res, err := http.DefaultClient.Do(req)
			require.NoError(t, err)
			raw, err := io.ReadAll(res.Body)
			require.NoError(t, err)
			_ = res.Body.Close()
			require.Equal(t, row.status, res.StatusCode, "%s", raw)
			kind, _, _ := strings.Cut(res.Header.Get("Content-Type"), ";")
			answer, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
			require.NoError(t, err)
			assert.NoError(t, c.schema(t, row.path, strings.ToLower(row.method), row.status, kind).Validate(answer), "%s", raw)
		})
	}
}
