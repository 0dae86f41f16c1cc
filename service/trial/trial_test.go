package trial_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/upgrade"
	"alluvion.dev/examples"
	"alluvion.dev/service/store"
	"alluvion.dev/service/trial"
)

var ctx = context.Background()

const game = "lantern-pass"

// shelf is a store with two published versions of the demo, the third as its plan, and a save of some players.
type shelf struct {
	t    *testing.T
	st   *store.Store
	runs *trial.Runner
	plan store.Game
}

func stocked(t *testing.T, players int) *shelf {
	st, err := store.Open(filepath.Join(t.TempDir(), "a.db"), slog.New(slog.NewTextHandler(io.Discard, nil)))
	require.NoError(t, err)
	t.Cleanup(st.Close)
	guild, err := examples.Commons("courier-guild")
	require.NoError(t, err)
	_, err = st.PutCommons(ctx, store.Commons{ID: "courier-guild", Title: "Guild", Version: 1, Text: string(guild)}, "")
	require.NoError(t, err)
	h := &shelf{t: t, st: st, runs: trial.New(st, slog.New(slog.NewTextHandler(io.Discard, nil)))}
	t.Cleanup(func() { h.runs.Close() })
	etag := ""
	for version := 1; version <= 3; version++ {
		text := examples.LanternPass
		if version < 3 {
			text, err = examples.LanternPassHistory.ReadFile(fmt.Sprintf("lantern-pass/history/plan.v%d.yaml", version))
			require.NoError(t, err)
		}
		h.plan, err = st.PutPlan(ctx, store.Game{ID: game, Title: "Lantern Pass", Version: version, Text: string(text)}, etag)
		require.NoError(t, err)
		etag = h.plan.ETag
		if version < 3 {
			_, err = st.Publish(ctx, store.Version{Game: game, Version: version}, etag, nil, nil)
			require.NoError(t, err)
		}
	}
	saves := []string{"ada.v1", "bea.v1", "eli.v2", "fay.v2"}
	for i := range players {
		raw, err := examples.LanternPassHistory.ReadFile("lantern-pass/history/saves/" + saves[i%len(saves)] + ".json")
		require.NoError(t, err)
		h.put(fmt.Sprintf("p%04d", i), raw)
	}
	return h
}

func (h *shelf) put(player string, raw []byte) {
	_, err := h.st.Put(ctx, store.Cut{Game: game, Keep: 3, Players: []store.PlayerCut{{Player: player, Slot: 1, Moment: "upload", Version: 1, Doc: raw}}}, -1)
	require.NoError(h.t, err)
}

// ended waits until a trial runs no more.
func (h *shelf) ended(id int) (trial.Progress, upgrade.Trial) {
	var p trial.Progress
	require.Eventually(h.t, func() bool {
		var err error
		p, err = h.runs.Look(ctx, game, id)
		require.NoError(h.t, err)
		return p.State != store.TrialRuns
	}, time.Minute, 2*time.Millisecond)
	require.Eventually(h.t, func() bool { // it is written down before it is taken from those that run
		err := h.runs.Forget(ctx, game, "nobody")
		return err == nil
	}, time.Minute, 2*time.Millisecond)
	full, err := h.st.Trial(ctx, game, id)
	require.NoError(h.t, err)
	var result upgrade.Trial
	require.NoError(h.t, json.Unmarshal(full.Doc, &result))
	return trial.Progress{Trial: full}, result
}

func TestATrialTriesEverySaveOnceAndCountsIt(t *testing.T) {
	h := stocked(t, 12)
	h.put("torn", []byte(`{"alluvion_save":1,`))
	began, err := h.runs.Start(ctx, h.plan, 5, 7)
	require.NoError(t, err)
	p, result := h.ended(began.ID)
	assert.Equal(t, store.TrialDone, p.State)
	assert.Equal(t, began.Total, p.Total, "what it was to be is what it was")
	assert.Equal(t, p.Total, p.Done)
	assert.Equal(t, p.Done, result.Saves)
	sum := 0
	for _, n := range result.Counts {
		sum += n
	}
	assert.Equal(t, result.Saves, sum, "each save has one outcome")
	assert.Equal(t, 1, result.Counts["refused"], "the torn one: %v", result.Counts)
	assert.GreaterOrEqual(t, result.From[1], 6)
	assert.GreaterOrEqual(t, result.From[2], 6)
	assert.Zero(t, result.From[3], "nothing is generated for the version that it is taken to")

	// The same once more is the same, and a trial that is done is not gone on with.
	again, err := h.runs.Start(ctx, h.plan, 5, 7)
	require.NoError(t, err)
	assert.Equal(t, began.ID+1, again.ID)
	_, second := h.ended(again.ID)
	assert.Equal(t, result, second)
	_, err = h.runs.GoOn(ctx, game, began.ID)
	require.ErrorIs(t, err, trial.ErrDone)
	list, err := h.runs.List(ctx, game)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, again.ID, list[0].ID, "the newest first")

	// Nothing was written: the saves are as they were.
	saved, err := h.st.Peek(ctx, game, "p0000", 1)
	require.NoError(t, err)
	first, err := examples.LanternPassHistory.ReadFile("lantern-pass/history/saves/ada.v1.json")
	require.NoError(t, err)
	assert.Equal(t, string(first), string(saved.Doc))
}

// A trial that is stopped, wherever that is, and gone on with comes to the same end as one that ran through.
func TestATrialThatIsStoppedAndGoneOnWithComesToTheSame(t *testing.T) {
	h := stocked(t, 400)
	through, err := h.runs.Start(ctx, h.plan, 20, 7)
	require.NoError(t, err)
	_, want := h.ended(through.ID)
	for _, after := range []time.Duration{0, 10 * time.Millisecond, 40 * time.Millisecond, 150 * time.Millisecond} {
		x, err := h.runs.Start(ctx, h.plan, 20, 7)
		require.NoError(t, err)
		_, err = h.runs.Start(ctx, h.plan, 20, 7)
		require.ErrorIs(t, err, trial.ErrRunning)
		require.ErrorIs(t, h.runs.Forget(ctx, game, "p0001"), trial.ErrRunning)
		stops := 0
		for {
			time.Sleep(after)
			h.runs.Stop(game)
			p, _ := h.ended(x.ID)
			if p.State == store.TrialDone {
				break
			}
			require.Equal(t, store.TrialStopped, p.State)
			assert.LessOrEqual(t, p.Done, want.Saves, "it may be stopped when all is done but to say so")
			if stops++; stops == 3 {
				after = time.Minute // let it come to its end
				h.runs.Stop("another game")
			}
			_, err = h.runs.GoOn(ctx, game, x.ID)
			require.NoError(t, err)
			if stops >= 3 {
				p, _ = h.ended(x.ID)
				require.Equal(t, store.TrialDone, p.State)
				break
			}
		}
		_, got := h.ended(x.ID)
		assert.Equal(t, want, got, "stopped after %s, %d times", after, stops)
	}
}

func TestATrialOfTheServiceThatWasKilledIsStopped(t *testing.T) {
	h := stocked(t, 3)
	x, err := h.st.NewTrial(ctx, store.Trial{Game: game, ETag: h.plan.ETag, Version: 3, State: store.TrialRuns, Total: 3, Text: h.plan.Text, Doc: []byte(`{"game":"lantern-pass","to":3}`)})
	require.NoError(t, err)
	p, err := h.runs.Look(ctx, game, x.ID)
	require.NoError(t, err)
	assert.Equal(t, store.TrialStopped, p.State, "nothing runs it")
	list, err := h.runs.List(ctx, game)
	require.NoError(t, err)
	assert.Equal(t, store.TrialStopped, list[0].State)
	_, err = h.runs.Look(ctx, game, x.ID+1)
	require.ErrorIs(t, err, store.ErrNotFound)
}

func TestAPlanThatCannotRunIsNotTried(t *testing.T) {
	h := stocked(t, 1)
	_, err := h.runs.Start(ctx, store.Game{ID: game, Version: 3, Text: "alluvion: 1\n"}, 1, 1)
	require.ErrorIs(t, err, trial.ErrPlan)
	h.runs.Close()
	_, err = h.runs.Start(ctx, h.plan, 1, 1)
	require.ErrorIs(t, err, trial.ErrRunning, "nothing begins while the service stops")
}

// What a trial shows of a player goes with them.
func TestATrialForgetsAPlayer(t *testing.T) {
	h := stocked(t, 2)
	raw, err := examples.LanternPassHistory.ReadFile("lantern-pass/history/saves/ada.v1.json")
	require.NoError(t, err)
	h.put("zelda", append([]byte(`{"strange_thing":1,`), raw[1:]...))
	x, err := h.runs.Start(ctx, h.plan, 0, 1)
	require.NoError(t, err)
	p, result := h.ended(x.ID)
	before, err := json.Marshal(result)
	require.NoError(t, err)
	require.Contains(t, string(before), "zelda")
	require.Equal(t, "zelda", p.Player)
	require.NoError(t, h.runs.Forget(ctx, game, "zelda"))
	full, err := h.st.Trial(ctx, game, x.ID)
	require.NoError(t, err)
	assert.NotContains(t, string(full.Doc), "zelda")
	assert.Empty(t, full.Player)
	assert.Equal(t, p.Done, full.Done, "how many there were is still known")
}

// What players have over all slots is tried, too, both what is stored and what is generated; what is damaged is told.
func TestATrialTriesProfiles(t *testing.T) {
	st, err := store.Open(filepath.Join(t.TempDir(), "a.db"), slog.New(slog.NewTextHandler(io.Discard, nil)))
	require.NoError(t, err)
	t.Cleanup(st.Close)
	runs := trial.New(st, slog.New(slog.NewTextHandler(io.Discard, nil)))
	t.Cleanup(runs.Close)
	before, err := st.PutPlan(ctx, store.Game{ID: "harbour", Title: "The Harbour", Version: 1, Text: string(examples.HarbourBefore)}, "")
	require.NoError(t, err)
	_, err = st.Publish(ctx, store.Version{Game: "harbour", Version: 1}, before.ETag, nil, nil)
	require.NoError(t, err)
	const profile = `{"alluvion_profile":1,"game":"harbour","version":1,"player":"ada","values":{"hints":true,"played":0},"lists":{"channel":{"music":{"volume":9}}}}`
	const slot = `{"alluvion_save":1,"game":"harbour","version":1,"player":"ada","slot":1,"visits":1,"dead":false,"place":{"scene":"quay","at":[4,4]},"entry":{"scene":"quay","at":[4,4]},"values":{}}`
	taken, err := st.Take(ctx, "harbour", "ada", 1)
	require.NoError(t, err)
	require.NoError(t, (<-st.Write(store.Cut{Game: "harbour", Session: "tide", Keep: 3, Players: []store.PlayerCut{{Player: "ada", Slot: 1, Lease: taken.Lease, Moment: "leave", Version: 1, Doc: []byte(slot), Profile: []byte(profile)}}})).Err)
	quieter := strings.Replace(string(examples.Harbour), "type: int, min: 0, max: 10, start: 7, title: Volume", "type: int, min: 0, max: 8, start: 7, title: Volume", 1)
	after, err := st.PutPlan(ctx, store.Game{ID: "harbour", Title: "The Harbour", Version: 2, Text: quieter}, before.ETag)
	require.NoError(t, err)

	begun, err := runs.Start(ctx, after, 40, 1)
	require.NoError(t, err)
	var p trial.Progress
	require.Eventually(t, func() bool {
		p, err = runs.Look(ctx, "harbour", begun.ID)
		return err == nil && p.State == store.TrialDone
	}, time.Minute, 5*time.Millisecond)
	full, err := st.Trial(ctx, "harbour", begun.ID)
	require.NoError(t, err)
	var result upgrade.Trial
	require.NoError(t, json.Unmarshal(full.Doc, &result))
	assert.Equal(t, p.Total, result.Saves)
	assert.Equal(t, begun.Total, result.Saves, "as many as were promised")
	var volume *upgrade.Case
	for i, x := range result.Cases {
		if x.Name == "channel.volume" {
			volume = &result.Cases[i]
		}
	}
	require.NotNil(t, volume, "%+v", result.Cases)
	assert.Equal(t, "generated for version 1: profile: channel.volume is 10", volume.Save)
	assert.True(t, slices.ContainsFunc(result.Worst, func(w upgrade.Worst) bool { return w.Save == "ada, over all slots" }), "%+v", result.Worst)
	require.Eventually(t, func() bool { return runs.Forget(ctx, "harbour", "ada") == nil }, time.Minute, 5*time.Millisecond)
}
