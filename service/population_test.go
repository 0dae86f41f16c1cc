package service_test

import (
	"bufio"
	"net/http"
	"strings"
	"testing"
	"time"

	json "github.com/go-json-experiment/json/v1"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/contract"
)

// progress reads what is told of the counting of saves: how often, and the last of it.
func (h *house) progress(query string) (events int, last contract.PopulationProgress) {
	res, err := http.Get(h.s.URL() + "/v1/games/lantern-pass/population/events" + query)
	require.NoError(h.t, err)
	defer func() { _ = res.Body.Close() }()
	require.Equal(h.t, http.StatusOK, res.StatusCode)
	for lines := bufio.NewScanner(res.Body); lines.Scan(); {
		if data, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
			last = contract.PopulationProgress{}
			require.NoError(h.t, json.Unmarshal([]byte(data), &last))
			events++
		}
	}
	return events, last
}

func TestWhatSavesHoldIsCountedByTimeAndUnderTwoVersions(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(event("wren", "load"))
	_, err := h.c.Save(ctx, "lantern-pass", "wren")
	require.NoError(t, err)
	count := func(pick contract.PopulationPick) int {
		p, err := h.c.Population(ctx, "lantern-pass", pick)
		require.NoError(t, err)
		return p.Picked
	}
	ago := func(d time.Duration) time.Time { return time.Now().Add(-d) }
	whole := count(contract.PopulationPick{})
	assert.Positive(t, whole)
	assert.Equal(t, 1, count(contract.PopulationPick{After: ago(time.Hour)}), "worlds and profiles have no time")
	assert.Equal(t, 0, count(contract.PopulationPick{Before: ago(time.Hour)}))
	assert.Equal(t, 1, count(contract.PopulationPick{After: ago(time.Hour), Before: ago(-time.Hour)}))

	events, last := h.progress("?after=" + ago(time.Hour).UTC().Format(time.RFC3339))
	assert.Positive(t, events)
	require.NotNil(t, last.Counted)
	assert.Equal(t, []int{1, 1}, []int{last.Counted.Picked, last.All})
	for _, query := range []string{"?after=yesterday", "?version=two"} {
		res, err := http.Get(h.s.URL() + "/v1/games/lantern-pass/population/events" + query)
		require.NoError(t, err)
		_ = res.Body.Close()
		assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, query)
	}

	// Under the version that is published the pack holds what it held; in work it may hold less.
	text, etag, err := h.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	_, err = h.c.Publish(ctx, "lantern-pass", etag, "a test")
	require.NoError(t, err)
	narrow := strings.Replace(string(text), "version: 3", "version: 4", 1)
	narrow = strings.Replace(narrow, "title: Parcels delivered, read_by", "title: Bundles delivered, read_by", 1)
	require.NotEqual(t, string(text), narrow)
	_, _, err = h.c.PutPlan(ctx, "lantern-pass", []byte(narrow), etag)
	require.NoError(t, err)
	title := func(under int) string {
		p, err := h.c.Population(ctx, "lantern-pass", contract.PopulationPick{Under: under})
		require.NoError(t, err)
		return p.Spread("player.delivered").Title
	}
	assert.Equal(t, []string{"Bundles delivered", "Parcels delivered"}, []string{title(0), title(3)})
}
