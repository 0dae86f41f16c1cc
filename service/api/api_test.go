package api

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/contract"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
	"alluvion.dev/service/live"
	"alluvion.dev/service/store"
)

// What is granted is granted of calls that there are: a route that was renamed would be forbidden to everybody.
func TestWhatIsGrantedIsOfCallsThatThereAre(t *testing.T) {
	known := map[string]bool{"GET /metrics": true, "GET /v1/games/{game}/sessions/{session}/live": true}
	for _, a := range WhoMay() {
		known[a.Method+" "+a.Path] = true
		assert.True(t, a.Designer)
		assert.NotEmpty(t, a.Summary, a.Path)
		if a.Everybody {
			assert.True(t, a.Player && a.Server, a.Path)
		}
	}
	for route := range grants {
		assert.True(t, known[route], "%s is granted, and there is no such call", route)
	}
	may := map[string]Access{}
	for _, a := range WhoMay() {
		may[a.Method+" "+a.Path] = a
	}
	assert.False(t, may["PUT /v1/games/{game}/plan"].Server, "a game's server writes no plan")
	assert.False(t, may["GET /v1/games/{game}/players"].Player, "a player does not see who there is")
	assert.True(t, may["GET /v1/games/{game}/players/{player}"].Player)
	assert.False(t, may["DELETE /v1/games/{game}/players/{player}"].Player)
	assert.True(t, may["GET /healthz"].Everybody)
}

func TestEntityTagsAreReadAsProgramsSendThem(t *testing.T) {
	for sent, want := range map[string]string{`"abc"`: "abc", ` W/"abc" `: "abc", "abc": "abc", "*": "now", " * ": "now", "": ""} {
		assert.Equal(t, want, tagOf(sent, "now"), sent)
	}
	assert.Equal(t, "*", tagOf("*", ""), "there is nothing that it could stand for")
	assert.Equal(t, `"r7"`, etagOf(7))
	for sent, want := range map[string]int{"": -1, `"r7"`: 7, `W/"r12"`: 12} {
		n, err := base(sent)
		require.NoError(t, err, sent)
		assert.Equal(t, want, n, sent)
	}
	for _, bad := range []string{"*", `"rx"`} {
		_, err := base(bad)
		require.Error(t, err, bad)
	}
}

// Everything that can go wrong has a status of its own, and what is nobody's fault but ours is not told as theirs.
func TestWhatGoesWrongHasAStatus(t *testing.T) {
	s := &Server{log: slog.New(slog.NewTextHandler(io.Discard, nil))}
	require.NoError(t, s.asProblem(nil))
	for err, want := range map[error]int{
		&contract.Problem{Status: 418}:        418,
		store.ErrNotFound:                     http.StatusNotFound,
		live.ErrNoSession:                     http.StatusNotFound,
		live.ErrClosed:                        http.StatusGone,
		live.ErrName:                          http.StatusUnprocessableEntity,
		store.ErrLease:                        http.StatusConflict,
		store.ErrConflict:                     http.StatusPreconditionFailed,
		store.ErrNext:                         http.StatusConflict,
		store.ErrDamaged:                      http.StatusInternalServerError,
		save.ErrVersion:                       http.StatusConflict,
		save.ErrFormat:                        http.StatusConflict,
		save.ErrGame:                          http.StatusConflict,
		save.ErrSeal:                          http.StatusConflict,
		save.ErrUnknown:                       http.StatusNotFound,
		save.ErrByItself:                      http.StatusConflict,
		save.ErrValue:                         http.StatusUnprocessableEntity,
		context.DeadlineExceeded:              http.StatusServiceUnavailable,
		context.Canceled:                      http.StatusServiceUnavailable,
		errors.New("something"):               http.StatusInternalServerError,
		&engine.Refusal{Kind: engine.Unknown}: http.StatusNotFound,
	} {
		var p *contract.Problem
		require.ErrorAs(t, s.asProblem(fmt.Errorf("while trying: %w", err)), &p)
		assert.Equal(t, want, p.Status, "%v", err)
		assert.NotEmpty(t, p.Title+p.Detail+fmt.Sprint(p.Status))
	}
}
