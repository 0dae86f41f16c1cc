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
	"alluvion.dev/core/population"
	"alluvion.dev/examples/starts"
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
	assert.Equal(t, 1, count(contract.PopulationPick{Pick: population.Pick{After: ago(time.Hour)}}), "worlds and profiles have no time")
	assert.Equal(t, 0, count(contract.PopulationPick{Pick: population.Pick{Before: ago(time.Hour)}}))
	assert.Equal(t, 1, count(contract.PopulationPick{Pick: population.Pick{After: ago(time.Hour), Before: ago(-time.Hour)}}))

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

// What saves hold and a complete search found no way to is marked, with a save in which it is.
func TestWhatNoSearchGetsToIsMarkedWhereASaveHasIt(t *testing.T) {
	t.Parallel()
	h := founded(t)
	var plan string
	for _, s := range starts.All() {
		if s.ID == "least" {
			plan = strings.Replace(s.Plan, "scenes:\n", "scenes:\n  attic: {size: [9, 9], spots: {hatch: {at: [1, 1]}}}\n", 1)
		}
	}
	_, report, err := h.c.PutPlan(ctx, "least", []byte(plan), "")
	require.NoError(t, err)
	require.True(t, report.Runnable)
	room, err := h.c.Open(ctx, "least", "one")
	require.NoError(t, err)
	for _, do := range []string{"join", "leave"} {
		_, err = room.Do(ctx, contract.Request{Do: do, Player: "wren"})
		require.NoError(t, err)
	}
	raw, etag, err := h.c.Download(ctx, "least", "wren", 1)
	require.NoError(t, err)
	var sealed struct {
		Save json.RawMessage `json:"save"`
	}
	require.NoError(t, json.Unmarshal(raw, &sealed))
	there := strings.ReplaceAll(string(sealed.Save), `"scene":"room"`, `"scene":"attic"`)
	require.NotEqual(t, string(sealed.Save), there)
	_, _, err = h.c.Upload(ctx, "least", "wren", 1, []byte(there), etag, "as it was", true)
	require.NoError(t, err)

	scenes := func() map[string]bool {
		p, err := h.c.Population(ctx, "least", contract.PopulationPick{})
		require.NoError(t, err)
		out := map[string]bool{}
		for _, b := range p.Spread("place.scene").Bars {
			out[b.Value+" "+b.Save] = b.NoWay
		}
		return out
	}
	assert.Equal(t, map[string]bool{"attic wren/1": false}, scenes(), "nothing was searched yet")
	_, err = h.c.StartScout(ctx, "least", contract.ScoutStart{Seconds: 60})
	require.NoError(t, err)
	require.Equal(t, "done", h.ended("least").State)
	assert.Equal(t, map[string]bool{"attic wren/1": true}, scenes())
}
