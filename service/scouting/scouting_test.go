package scouting

import (
	"bytes"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// A fault of the program in a search ends that search, and not the sessions that play beside it.
func TestAFaultEndsTheSearchAlone(t *testing.T) {
	var log bytes.Buffer
	r := New(slog.New(slog.NewTextHandler(&log, nil)))
	s := &searching{now: Progress{State: Running, Began: time.Now()}, stop: make(chan struct{})}
	r.games["small"] = s
	r.search(s, nil, time.Second) // there is nothing to search
	now, _ := r.Look("small")
	assert.Equal(t, Failed, now.State)
	assert.Contains(t, now.Error, "Sessions go on")
	assert.Contains(t, log.String(), "scouting.go")
}
