package service_test

import (
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
)

// ended waits until a search is over.
func (h *house) ended(game string) contract.ScoutInfo {
	var now contract.ScoutInfo
	require.Eventually(h.t, func() bool {
		var err error
		now, err = h.c.Scout(ctx, game)
		require.NoError(h.t, err)
		return now.State != "running"
	}, time.Minute, 50*time.Millisecond)
	return now
}

func refusedWith(t *testing.T, err error, status int) {
	t.Helper()
	var p *client.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, status, p.Status)
}

// A search goes on beside the sessions, is looked at while it does, is stopped, and what it found stays.
func TestAPlanIsSearchedBesideItsSessions(t *testing.T) {
	t.Parallel()
	h := start(t)
	none, err := h.c.Scout(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Equal(t, "none", none.State)
	assert.Nil(t, none.Report)

	begun, err := h.c.StartScout(ctx, "lantern-pass", contract.ScoutStart{Seconds: 120})
	require.NoError(t, err)
	assert.Equal(t, "running", begun.State)
	_, err = h.c.StartScout(ctx, "lantern-pass", contract.ScoutStart{})
	refusedWith(t, err, http.StatusConflict)
	require.Eventually(t, func() bool {
		now, err := h.c.Scout(ctx, "lantern-pass")
		return err == nil && now.States > 500 && now.Rate > 0 && now.Searches == 6
	}, 30*time.Second, 50*time.Millisecond)
	_, err = h.c.StopScout(ctx, "lantern-pass")
	require.NoError(t, err)
	stopped := h.ended("lantern-pass")
	assert.Equal(t, "stopped", stopped.State)
	require.NotNil(t, stopped.Report)
	assert.Equal(t, 3, stopped.Report.Version)
	assert.NotEmpty(t, stopped.Report.Answers)
	for _, s := range stopped.Report.Searches {
		assert.False(t, s.Complete, "%s", s.Name)
		assert.NotEmpty(t, s.Why)
	}

	// Each run plays as a rehearsal of the game.
	played := 0
	for _, a := range stopped.Report.Answers {
		if a.Run == nil || a.Kind != "scene" {
			continue
		}
		require.NoError(t, h.c.PutRehearsal(ctx, "lantern-pass", "found-"+a.ID, []byte(a.Run.Script)))
		result, err := h.c.RunRehearsal(ctx, "lantern-pass", "found-"+a.ID, "")
		require.NoError(t, err)
		assert.True(t, result.Passed, "%+v", result.Failed)
		played++
	}
	assert.Greater(t, played, 1)
}

// A plan that cannot run is not searched, and is told as one that is checked.
func TestAPlanThatCannotRunIsNotSearched(t *testing.T) {
	t.Parallel()
	h := start(t)
	_, err := h.c.StartScout(ctx, "lantern-pass", contract.ScoutStart{Plan: "alluvion: 1\n"})
	refusedWith(t, err, http.StatusUnprocessableEntity)
	_, err = h.c.StartScout(ctx, "nowhere", contract.ScoutStart{})
	refusedWith(t, err, http.StatusNotFound)
}
