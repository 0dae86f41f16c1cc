package live_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/service/live"
	"alluvion.dev/service/store"
)

// What is held of sessions that nobody has used for long goes by itself; one that is open stays, whatever its age.
func TestSessionsThatNobodyUsesAreSweptAway(t *testing.T) {
	h := open(t, "every: 30s")
	for _, session := range []string{"old", "open"} {
		r := <-h.st.Write(store.Cut{Game: "hut", Session: session, World: []byte(`{"alluvion_world":1,"game":"hut","version":1,"values":{}}`), Journal: []store.Entry{{Number: 1, At: time.Now(), Name: "x", Doc: []byte("{}")}}})
		require.NoError(t, r.Err)
	}
	_, _, err := h.m.Open(ctx, "hut", "open")
	require.NoError(t, err)
	idle, err := h.st.Idle(ctx, time.Now().Add(-time.Hour))
	require.NoError(t, err)
	assert.Empty(t, idle)
	stopped := make(chan struct{})
	close(stopped)
	h.m.Keep(context.Background(), -time.Hour, stopped) // whatever is older than an hour from now
	_, err = h.st.EndSession(ctx, "hut", "old")
	require.ErrorIs(t, err, store.ErrNotFound, "it is gone")
	_, err = h.m.End(ctx, "hut", "open")
	assert.ErrorIs(t, err, live.ErrOpen)
}
