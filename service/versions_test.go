package service_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/core/upgrade"
)

const history = "../examples/lantern-pass/history/"

func read(t *testing.T, name string) []byte {
	raw, err := os.ReadFile(history + name)
	require.NoError(t, err)
	return raw
}

func status(err error) int {
	var p *client.Problem
	if errors.As(err, &p) {
		return p.Status
	}
	return 0
}

// draft makes a text the game's plan.
func (h *house) draft(text []byte) string {
	_, etag, err := h.c.Plan(ctx, "lantern-pass")
	require.NoError(h.t, err)
	etag, _, err = h.c.PutPlan(ctx, "lantern-pass", text, etag)
	require.NoError(h.t, err)
	return etag
}

// tried runs a trial of the game's plan to its end.
func (h *house) tried() contract.TrialInfo {
	h.t.Helper()
	t, err := h.c.StartTrial(ctx, "lantern-pass", contract.TrialStart{Made: 20, Seed: 1})
	require.NoError(h.t, err)
	n := 0
	t, err = h.c.WatchTrial(ctx, "lantern-pass", t.Trial, func(contract.TrialInfo) { n++ })
	require.NoError(h.t, err)
	assert.Positive(h.t, n)
	require.Equal(h.t, "done", t.State, "%+v", t)
	return t
}

// From the first night to the fourth version: every version is published after a trial, every save is upgraded when it is
// loaded, and the old one stays.
func TestAGamesHistoryFromTheFirstVersionToTheFourth(t *testing.T) {
	t.Parallel()
	h := founded(t)
	etag := h.draft(read(t, "plan.v1.yaml"))
	_, err := h.c.Publish(ctx, "lantern-pass", `"another"`, "")
	assert.Equal(t, http.StatusPreconditionFailed, status(err))
	_, err = h.c.Publish(ctx, "lantern-pass", etag, "")
	require.NoError(t, err, "the first needs no trial: there is nothing to try")
	for _, slot := range []string{"ada", "bea", "dov"} {
		_, _, err := h.c.Upload(ctx, "lantern-pass", slot, 1, read(t, "saves/"+slot+".v1.json"), "", "from the archive", true)
		require.NoError(t, err, slot)
	}
	_, _, err = h.c.Upload(ctx, "lantern-pass", "cai", 1, read(t, "saves/cai.v1.json"), "", "", false)
	assert.ErrorContains(t, err, "no seal")

	etag = h.draft(read(t, "plan.v2.yaml"))
	_, err = h.c.Publish(ctx, "lantern-pass", etag, "")
	assert.ErrorContains(t, err, "no trial of this text")
	done := h.tried()
	assert.True(t, done.Clean, "%+v", done.Result)
	assert.Greater(t, done.Result.Saves, 40, "generated for version 1, and three that are stored")
	two, err := h.c.Publish(ctx, "lantern-pass", etag, "")
	require.NoError(t, err)
	assert.Equal(t, 1, two.Trial)

	etag = h.draft(read(t, "plan.v3.yaml"))
	done = h.tried()
	assert.False(t, done.Clean)
	_, err = h.c.Publish(ctx, "lantern-pass", etag, "")
	assert.Equal(t, http.StatusConflict, status(err))
	assert.ErrorContains(t, err, "corrected")
	three, err := h.c.Publish(ctx, "lantern-pass", etag, "long nicknames are rare")
	require.NoError(t, err)
	assert.Equal(t, "long nicknames are rare", three.Why)

	h.room, err = h.c.Open(ctx, "lantern-pass", "later")
	require.NoError(t, err)
	h.do(contract.Request{Do: "join", Player: "bea"})
	now := h.figures("bea")
	assert.Equal(t, "tarn", now["player.courier"].Live.Plain(), "gale left long ago")
	assert.Equal(t, "ridge_cairn", now["player.checkpoint"].Live.Plain())
	assert.Equal(t, "4", now["player.guild.pass_stage"].Live.Plain(), "the rank is the guild's now")
	assert.Equal(t, "2", now["player.stage"].Live.Plain())
	assert.Contains(t, now["place"].Live.Plain(), "ridge (66, 14)", "the pass is two scenes now")
	list, err := h.c.Revisions(ctx, "lantern-pass", "bea", 1)
	require.NoError(t, err)
	assert.Equal(t, []int{3, 1}, []int{list[0].Version, list[1].Version})
	assert.Equal(t, "upgraded", list[0].Moment)
	assert.Equal(t, "from the archive", list[1].Why)

	all, err := h.c.Versions(ctx, "lantern-pass")
	require.NoError(t, err)
	require.Len(t, all.Published, 3)
	assert.Equal(t, 4, all.Draft.Wanted)
	assert.True(t, all.Draft.Published)
	assert.Equal(t, 1, all.Published[0].Sessions)
	text, err := h.c.Version(ctx, "lantern-pass", 1)
	require.NoError(t, err)
	assert.Equal(t, string(read(t, "plan.v1.yaml")), string(text))
	both, err := h.c.CompareVersions(ctx, "lantern-pass", 1, 2)
	require.NoError(t, err)
	assert.Equal(t, upgrade.Converts, both.Forward.Overall)
	_, err = h.c.CompareVersions(ctx, "lantern-pass", 9, 0)
	assert.Equal(t, http.StatusNotFound, status(err))

	h.restart()
	after, err := h.c.Versions(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Len(t, after.Published, 3)
	kept, err := h.c.Trials(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Len(t, kept, 2)
}

func TestATrialIsStoppedGoneOnWithAndWritesNothing(t *testing.T) {
	t.Parallel()
	h := founded(t)
	etag := h.draft(read(t, "plan.v1.yaml"))
	_, err := h.c.Publish(ctx, "lantern-pass", etag, "")
	require.NoError(t, err)
	_, _, err = h.c.Upload(ctx, "lantern-pass", "ada", 1, read(t, "saves/ada.v1.json"), "", "", true)
	require.NoError(t, err)
	before, _, err := h.c.Download(ctx, "lantern-pass", "ada", 1)
	require.NoError(t, err)
	h.draft(read(t, "plan.v2.yaml"))
	begun, err := h.c.StartTrial(ctx, "lantern-pass", contract.TrialStart{Made: 2000, Seed: 3})
	require.NoError(t, err)
	_, err = h.c.StartTrial(ctx, "lantern-pass", contract.TrialStart{})
	assert.Equal(t, http.StatusConflict, status(err), "one at a time")
	_, err = h.c.StopTrial(ctx, "lantern-pass", begun.Trial)
	require.NoError(t, err)
	stopped, err := h.c.WatchTrial(ctx, "lantern-pass", begun.Trial, func(contract.TrialInfo) {})
	require.NoError(t, err)
	require.Equal(t, "stopped", stopped.State)
	assert.Less(t, stopped.Done, stopped.Total)
	h.stop()
	h.open()
	_, err = h.c.GoOnTrial(ctx, "lantern-pass", begun.Trial)
	require.NoError(t, err)
	done, err := h.c.WatchTrial(ctx, "lantern-pass", begun.Trial, func(contract.TrialInfo) {})
	require.NoError(t, err)
	assert.Equal(t, "done", done.State)
	assert.Equal(t, stopped.Total, done.Result.Saves, "each once, though it was stopped in between")
	_, err = h.c.GoOnTrial(ctx, "lantern-pass", begun.Trial)
	assert.Equal(t, http.StatusConflict, status(err))
	after, _, err := h.c.Download(ctx, "lantern-pass", "ada", 1)
	require.NoError(t, err)
	assert.Equal(t, string(before), string(after), "nothing was written")
	_, err = h.c.Trial(ctx, "lantern-pass", 99)
	assert.Equal(t, http.StatusNotFound, status(err))
}

// What the samples are said to be is what the service and the command line say of them.
func TestSavesAreCheckedThroughTheService(t *testing.T) {
	t.Parallel()
	h := start(t)
	for file, want := range map[string]struct {
		outcome save.Policy
		kinds   []save.Kind
	}{
		"ada.v1": {save.Take, nil}, "bea.v1": {save.Take, nil}, "world.v1": {save.Take, nil}, "eli.v2": {save.Take, nil}, "hal.v3": {save.Take, nil},
		"kai.v4": {save.Refuse, []save.Kind{save.KindVersion}}, "bad/not-json": {save.Refuse, []save.Kind{save.KindUnreadable}}, "bad/cut-short": {save.Refuse, []save.Kind{save.KindUnreadable}},
		"bad/too-deep": {save.Refuse, []save.Kind{save.KindUnreadable}}, "bad/another-game": {save.Refuse, []save.Kind{save.KindGame}}, "bad/missing": {save.Take, []save.Kind{save.KindMissing}},
		"bad/impossible": {save.Take, []save.Kind{save.KindImpossible}}, "bad/unknown-options": {save.Take, []save.Kind{save.KindOption, save.KindOption, save.KindOption}},
		"bad/extra": {save.Take, []save.Kind{save.KindExtra, save.KindExtra}}, "bad/changed-after-sealing": {save.Refuse, []save.Kind{save.KindSeal}},
	} {
		x, err := h.c.CheckSave(ctx, "lantern-pass", read(t, "saves/"+file+".json"), 0)
		require.NoError(t, err)
		assert.Equal(t, want.outcome, x.Outcome, file)
		var kinds []save.Kind
		for _, p := range x.Problems {
			kinds = append(kinds, p.Kind)
			assert.NotEmpty(t, p.Instead, "%s %+v", file, p)
		}
		assert.Equal(t, want.kinds, kinds, file)
	}
}

func TestASaveLeavesSealedAndComesBack(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(event("wren", "load"))
	h.do(contract.Request{Do: "leave", Player: "wren"})
	file, etag, err := h.c.Download(ctx, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	assert.True(t, save.IsSealed(file))
	assert.Contains(t, string(file), `"moment":"leave"`)
	assert.Contains(t, string(file), `"revision":1`)
	_, err = h.c.NewKey(ctx)
	require.NoError(t, err, "the newest seals, and the older verify")
	done, next, err := h.c.Upload(ctx, "lantern-pass", "wren", 1, file, etag, "a try", false)
	require.NoError(t, err)
	assert.Equal(t, "uploaded", done.Moment)
	assert.NotEqual(t, etag, next)
	_, _, err = h.c.Upload(ctx, "lantern-pass", "wren", 1, file, etag, "", false)
	require.Equal(t, http.StatusPreconditionFailed, status(err), "somebody else was there first")
	_, _, err = h.c.Upload(ctx, "lantern-pass", "wren", 1, file, "", "", false)
	assert.Equal(t, http.StatusPreconditionFailed, status(err), "what is there is not overwritten by who has not seen it")
	changed := []byte(strings.Replace(string(file), `"parcels":1`, `"parcels":9`, 1))
	_, _, err = h.c.Upload(ctx, "lantern-pass", "wren", 1, changed, next, "", false)
	assert.ErrorContains(t, err, "changed after it was sealed")
	_, _, err = h.c.Upload(ctx, "lantern-pass", "pike", 1, file, "", "", false)
	assert.ErrorContains(t, err, "of wren, not of pike")
	keys, err := h.c.Keys(ctx)
	require.NoError(t, err)
	assert.Equal(t, []bool{false, true}, []bool{keys[0].Seals, keys[1].Seals})
}

func TestTheSecondOfTwoWritersIsToldWhatTheFirstChanged(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(contract.Request{Do: "leave", Player: "wren"})
	_, etag, err := h.c.Download(ctx, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	right := contract.Correction{Name: "player.parcels", Value: types.OfInt(5), Why: "lost in a crash"}
	_, err = h.c.Correct(ctx, "lantern-pass", "wren", 1, right, etag)
	require.NoError(t, err)
	_, err = h.c.Correct(ctx, "lantern-pass", "wren", 1, contract.Correction{Name: "player.oil", Value: types.OfInt(1), Why: "x"}, etag)
	var p *client.Problem
	require.True(t, errors.As(err, &p))
	assert.Equal(t, http.StatusPreconditionFailed, p.Status)
	var patch []map[string]any
	require.NoError(t, json.Unmarshal(p.Patch, &patch))
	require.Len(t, patch, 1)
	assert.Equal(t, "/values/parcels", patch[0]["path"])
	assert.EqualValues(t, 5, patch[0]["value"])
}

func TestAValueIsPutRightByHand(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	right := func(name string, v types.Value, of string) error {
		_, etag, _ := h.c.Download(ctx, "lantern-pass", "wren", 1)
		_, err := h.c.Correct(ctx, "lantern-pass", "wren", 1, contract.Correction{Name: name, Value: v, Of: of, Why: "support"}, etag)
		return err
	}
	require.NoError(t, right("player.parcels", types.OfInt(7), ""), "while they play")
	assert.Equal(t, "7", h.figures("wren")["player.parcels"].Live.Plain())
	require.NoError(t, right("scene.visited", types.OfBool(true), "ridge"))
	h.do(contract.Request{Do: "leave", Player: "wren"})
	require.NoError(t, right("player.oil", types.OfInt(40), ""), "and while they do not")
	require.NoError(t, right("scene.visited", types.OfBool(true), "mill"))
	require.NoError(t, right("prop.cache.taken", types.OfBool(true), "cache.at_cairn"))
	assert.ErrorContains(t, right("player.oil", types.OfInt(41), ""), "outside 0 to 40")
	assert.ErrorContains(t, right("player.warmth", types.OfInt(140), ""), "always should")
	assert.Error(t, right("player.pace", types.OfInt(1), ""))
	assert.Error(t, right("scene.visited", types.OfBool(true), "nowhere"))
	assert.Equal(t, http.StatusNotFound, status(right("player.nothing", types.OfInt(1), "")))
	list, err := h.c.Revisions(ctx, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	assert.Equal(t, "corrected", list[0].Moment)
	assert.Equal(t, "prop.cache.taken: support", list[0].Why)
	h.do(contract.Request{Do: "join", Player: "wren"})
	assert.Equal(t, "40", h.figures("wren")["player.oil"].Live.Plain())
	changes, err := h.room.Changes(ctx, "wren", "player.parcels")
	require.NoError(t, err)
	assert.Contains(t, changes[len(changes)-1].Cause, "support")
}

// What is typed is read by the plan, and what came of it is told in the plan's words.
func TestAValueIsPutRightInWords(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	_, err := h.c.Save(ctx, "lantern-pass", "wren")
	require.NoError(t, err)
	before, _, err := h.c.Download(ctx, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	right := func(name, words string) error {
		_, etag, _ := h.c.Download(ctx, "lantern-pass", "wren", 1)
		_, err := h.c.Correct(ctx, "lantern-pass", "wren", 1, contract.Correction{Name: name, Words: &words, Why: "support"}, etag)
		return err
	}
	require.NoError(t, right("player.letters", "mill, lodge"), "while they play")
	assert.ErrorContains(t, right("player.oil", "much"), "player.oil cannot become much: a number is wanted")
	h.do(contract.Request{Do: "leave", Player: "wren"})
	require.NoError(t, right("player.chilled", "true"), "and while they do not")
	assert.ErrorContains(t, right("player.oil", "41"), "outside 0 to 40")
	assert.Equal(t, http.StatusNotFound, status(right("player.nothing", "1")))
	after, _, err := h.c.Download(ctx, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	told, err := h.c.Differences(ctx, "lantern-pass", before, after)
	require.NoError(t, err)
	words := map[string]string{}
	for _, d := range told {
		words[d.Title] = d.Before + " → " + d.After
	}
	assert.Equal(t, "false → true", words["Chilled"])
	assert.Equal(t, "empty → lodge, mill", words["Letters in the bag"])
	_, err = h.c.Differences(ctx, "lantern-pass", before, []byte("[1]"))
	assert.Equal(t, http.StatusUnprocessableEntity, status(err))
	_, err = h.c.Differences(ctx, "no-such-game", before, after)
	assert.ErrorContains(t, err, "There is no game no-such-game.")
	all, err := h.c.Differences(ctx, "lantern-pass", nil, after)
	require.NoError(t, err)
	assert.Greater(t, len(all), len(told))
	for _, v := range h.figures("wren") {
		wanted := strings.HasPrefix(v.Name, "player.") && v.Stored && !v.Computed && !slices.Contains([]string{"seed", "milestone", "waymark", "checkpoint", "checkpoints"}, v.Type)
		assert.Equal(t, wanted, v.Correctable && strings.HasPrefix(v.Name, "player."), v.Name)
	}
	assert.Equal(t, []string{"brisa", "oddny", "tarn", "eirik", "none"}, h.figures("wren")["player.courier"].Choices)
}

func TestSlotsAreCopiedEmptiedAndBegunAnew(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(event("wren", "load"))
	_, err := h.c.CopySlot(ctx, "lantern-pass", "wren", 1, 2, "")
	assert.Error(t, err, "nothing is saved yet")
	_, err = h.c.Reset(ctx, "lantern-pass", "wren", 1, "x", `"r0"`)
	assert.Equal(t, http.StatusConflict, status(err), "they play in it")
	h.do(contract.Request{Do: "leave", Player: "wren"})
	_, err = h.c.CopySlot(ctx, "lantern-pass", "wren", 1, 2, "")
	require.NoError(t, err)
	_, err = h.c.CopySlot(ctx, "lantern-pass", "wren", 1, 2, "")
	assert.Equal(t, http.StatusPreconditionFailed, status(err), "there is something by now")
	_, err = h.c.CopySlot(ctx, "lantern-pass", "wren", 1, 9, "")
	assert.Equal(t, http.StatusUnprocessableEntity, status(err))
	_, etag, err := h.c.Download(ctx, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	_, err = h.c.Reset(ctx, "lantern-pass", "wren", 1, "they asked for it", etag)
	require.NoError(t, err)
	h.do(contract.Request{Do: "join", Player: "wren"})
	assert.Equal(t, "0", h.figures("wren")["player.parcels"].Live.Plain())
	h.do(contract.Request{Do: "leave", Player: "wren"})
	h.do(contract.Request{Do: "join", Player: "wren", Slot: 2})
	assert.Equal(t, "1", h.figures("wren")["player.parcels"].Live.Plain())
	h.do(contract.Request{Do: "leave", Player: "wren"})
	require.NoError(t, h.c.EmptySlot(ctx, "lantern-pass", "wren", 2))
	_, _, err = h.c.Download(ctx, "lantern-pass", "wren", 2)
	assert.Equal(t, http.StatusNotFound, status(err))
	list, err := h.c.Revisions(ctx, "lantern-pass", "wren", 2)
	require.NoError(t, err)
	_, err = h.c.TakeUp(ctx, "lantern-pass", "wren", 2, list[0].Revision)
	require.NoError(t, err, "what was emptied can be restored")
	h.do(contract.Request{Do: "join", Player: "wren", Slot: 2})
	assert.Equal(t, "1", h.figures("wren")["player.parcels"].Live.Plain())
}

func TestEverythingAboutAPlayerIsGivenAndDeleted(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(event("wren", "load"))
	h.do(event("wren", "deliver"))
	h.do(contract.Request{Do: "join", Player: "pike"})
	_, err := h.c.Forget(ctx, "lantern-pass", "wren", true)
	assert.Equal(t, http.StatusConflict, status(err), "they are there")
	h.do(contract.Request{Do: "leave", Player: "wren"})
	h.do(contract.Request{Do: "leave", Player: "pike"})
	all, err := h.c.Export(ctx, "lantern-pass", "wren")
	require.NoError(t, err)
	assert.NotEmpty(t, all.Saves)
	assert.NotEmpty(t, all.Journal)
	assert.NotEmpty(t, all.Standings)
	assert.Equal(t, "1", string(all.Commons["courier-guild.pass_stage"]))
	h.tried() // which shows one save of each kind
	gone, err := h.c.Forget(ctx, "lantern-pass", "wren", true)
	require.NoError(t, err)
	assert.Positive(t, gone.Saves*gone.Ranks*gone.Journal*gone.Commons*gone.Slots)
	_, err = h.c.Export(ctx, "lantern-pass", "wren")
	assert.Equal(t, http.StatusNotFound, status(err))
	_, err = h.c.Export(ctx, "lantern-pass", "pike")
	assert.NoError(t, err, "others are left alone")
	h.stop()
	raw, err := os.ReadFile(h.path)
	require.NoError(t, err)
	assert.NotContains(t, string(raw), `"player":"wren"`, "nor is it in what the file has free")
	h.open()
}

// An upload and a join at the same time: one of them comes first, and whatever is said to be saved is what is come back to.
func TestAnUploadThatRacesAJoinIsLoadedOrRefused(t *testing.T) {
	t.Parallel()
	h := start(t)
	taken, refused := 0, 0
	for i := range 60 {
		id := fmt.Sprintf("wren%d", i)
		raw := []byte(strings.Replace(string(read(t, "saves/ada.v1.json")), `"ada"`, `"`+id+`"`, 1))
		var upload, join error
		var both sync.WaitGroup
		both.Add(2)
		go func() {
			defer both.Done()
			_, _, upload = h.c.Upload(ctx, "lantern-pass", id, 1, raw, "", "", true)
		}()
		go func() {
			defer both.Done()
			_, join = h.room.Do(ctx, contract.Request{Do: "join", Player: id})
		}()
		both.Wait()
		require.NoError(t, join)
		h.do(contract.Request{Do: "leave", Player: id})
		list, err := h.c.Revisions(ctx, "lantern-pass", id, 1)
		require.NoError(t, err)
		moments := []string{}
		for _, r := range list {
			moments = append(moments, r.Moment)
		}
		assert.NotContains(t, moments, "superseded")
		if upload == nil {
			taken++
			assert.Contains(t, moments, "uploaded")
		} else {
			refused++
			var p *client.Problem
			require.ErrorAs(t, upload, &p)
			assert.Contains(t, []int{409, 412}, p.Status)
			assert.NotContains(t, moments, "uploaded")
		}
	}
	t.Logf("%d uploads came first, %d joins", taken, refused)
}

// A play time that was lost is corrected in words, saved or live, and goes on from there.
func TestAStopwatchIsCorrectedByHand(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	words, why := "3600.5", "lost with the old machine"
	_, err := h.c.Correct(ctx, "lantern-pass", "wren", 1, contract.Correction{Name: "player.run_time", Words: &words, Why: why}, "")
	require.NoError(t, err)
	live := h.figures("wren")["player.run_time"].Live.Num
	assert.False(t, live.Less(fixed.Must("3600.5")))
	assert.True(t, live.Less(fixed.Must("3700")))
	h.do(contract.Request{Do: "leave", Player: "wren"})
	_, etag, err := h.c.Download(ctx, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	_, err = h.c.Correct(ctx, "lantern-pass", "wren", 1, contract.Correction{Name: "player.run_time", Value: types.OfInt(60), Why: why}, etag)
	require.NoError(t, err)
	h.do(contract.Request{Do: "join", Player: "wren"})
	assert.True(t, h.figures("wren")["player.run_time"].Live.Num.Less(fixed.FromInt(3600)))
	_, err = h.c.Correct(ctx, "lantern-pass", "wren", 1, contract.Correction{Name: "player.run_time", Value: types.OfInt(-1), Why: why}, "")
	assert.Equal(t, http.StatusUnprocessableEntity, status(err))
}
