package service_test

import (
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/contract"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
	"alluvion.dev/service/api"
)

func steps(texts ...string) []json.RawMessage {
	var out []json.RawMessage
	for _, t := range texts {
		out = append(out, json.RawMessage(t))
	}
	return out
}

// dryRun plays steps as JSON through the client.
func (h *house) dryRun(at int, texts ...string) contract.DryRunView {
	h.t.Helper()
	raw, err := json.Marshal(map[string]any{"players": []string{"wren", "finn"}, "steps": steps(texts...), "at": at, "keep": true, "title": "A try"})
	require.NoError(h.t, err)
	var wish contract.DryRunWish
	require.NoError(h.t, json.Unmarshal(raw, &wish))
	view, err := h.c.DryRun(ctx, "lantern-pass", wish)
	require.NoError(h.t, err)
	return view
}

func row(t *testing.T, list []contract.BeforeAfter, name string) contract.BeforeAfter {
	t.Helper()
	for _, x := range list {
		if x.Name == name {
			return x
		}
	}
	require.Fail(t, "there is no row "+name)
	return contract.BeforeAfter{}
}

func TestATextIsChangedByJustWhatIsAskedAndNotKept(t *testing.T) {
	t.Parallel()
	h := start(t)
	out, err := h.c.Edit(ctx, examples.LanternPass, contract.PlanEdit{Do: "fate", Name: "player.oil", Crossing: "death", Fate: "keep"})
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(string(examples.LanternPass), "start: 12, across: {death: rewind}}", "start: 12, across: {death: keep}}", 1), out.Text)
	assert.True(t, out.Report.Runnable)
	kept, _, err := h.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Equal(t, string(examples.LanternPass), string(kept))
	// What has errors afterwards is given all the same, with its findings.
	out, err = h.c.Edit(ctx, examples.LanternPass, contract.PlanEdit{Do: "remove", Path: []string{"variables", "oil"}, Name: "player.oil"})
	require.NoError(t, err)
	assert.False(t, out.Report.Runnable)
	assert.NotContains(t, out.Text, "\n  oil:")
	_, err = h.c.Edit(ctx, examples.LanternPass, contract.PlanEdit{Do: "rename", Name: "player.oil", To: "Oil!"})
	assert.Equal(t, 409, status(err))
	assert.ErrorContains(t, err, "is no id")
}

func TestADryRunShowsBeforeAndAfterAndWhy(t *testing.T) {
	t.Parallel()
	h := start(t)
	tries := []string{`{"join":"wren"}`, `{"pass":"porch_gorge","by":"wren","at":{"x":30,"y":1}}`, `{"move":"wren","to":[50,29]}`, `{"event":"open","by":"wren","args":{"cache":"under_ledge"}}`, `{"pass":"mill_gate","by":"wren"}`}
	view := h.dryRun(4, tries...)
	require.Len(t, view.Steps, 5)
	wren := view.Stands[0]
	assert.True(t, wren.Present)
	assert.Equal(t, "gorge", wren.Scene)
	assert.Equal(t, []float64{50, 29}, wren.At)
	assert.False(t, view.Stands[1].Present)
	parcels := row(t, wren.Values, "player.parcels")
	assert.Equal(t, "0 → 1", parcels.Before.String()+" → "+parcels.After.String())
	assert.True(t, parcels.Change)
	assert.Contains(t, parcels.Cause, "open")
	assert.Positive(t, parcels.Line)
	room := row(t, wren.Values, "player.pack_room")
	assert.Equal(t, "follows from other values", room.Cause)
	assert.False(t, row(t, wren.Values, "player.oil").Change)
	assert.Equal(t, "1 of 5", row(t, wren.Values, "player.earned.full_sack").After.Text)
	assert.NotEmpty(t, view.Steps[4].Failed, "the gate is not near")
	assert.Contains(t, view.Script, "wren.parcels: 1")

	// Stepped back, it stands as it did.
	back := h.dryRun(1, tries...)
	assert.Equal(t, "lodge", back.Stands[0].Scene)
	assert.Len(t, back.Steps, 5, "the steps after are still there")
	all := h.dryRun(-1, tries...)
	assert.Equal(t, 5, all.At)
	first := h.dryRun(0, tries...)
	assert.False(t, first.Stands[0].Present)
	assert.Equal(t, "sled", h.dryRun(0).Things[0].ID)

	_, err := h.c.DryRun(ctx, "lantern-pass", contract.DryRunWish{Script: "rehearsal: x"})
	assert.Equal(t, 422, status(err))
	_, err = h.c.DryRun(ctx, "no-game", contract.DryRunWish{})
	assert.Equal(t, 404, status(err))
	_, err = h.c.DryRun(ctx, "lantern-pass", contract.DryRunWish{Plan: "game: x"})
	assert.Equal(t, 422, status(err))
}

// A name that is misspelt is mended where it was found, by the place that the finding gives.
func TestAFindingIsMendedByItsPlace(t *testing.T) {
	t.Parallel()
	h := start(t)
	wrong := strings.Replace(string(examples.LanternPass), "\n  oil: ", "\n  oill: ", 1)
	report, err := h.c.Check(ctx, []byte(wrong))
	require.NoError(t, err)
	require.Len(t, report.Findings, 1)
	missed := find(t, report.Findings, func(f finding.Finding) bool { return f.Severity == finding.Error })
	assert.Len(t, missed.Also, 3)
	out, err := h.c.Edit(ctx, []byte(wrong), contract.PlanEdit{Do: "mend", Line: missed.Line, Column: missed.Column})
	require.NoError(t, err)
	assert.True(t, out.Report.Runnable)
	assert.Equal(t, strings.ReplaceAll(wrong, "player.oil", "player.oill"), out.Text)
	_, err = h.c.Edit(ctx, []byte(wrong), contract.PlanEdit{Do: "mend", Line: 1, Column: 1})
	assert.Equal(t, 409, status(err))
}

// A dry run shows who joins and who leaves. A player who comes back has what they had when they left.
func TestADryRunShowsComingAndGoing(t *testing.T) {
	t.Parallel()
	h := start(t)
	tries := []string{`{"join":"wren"}`, `{"event":"load","by":"wren"}`, `{"wait":"1s"}`, `{"leave":"wren"}`, `{"join":"finn"}`, `{"join":"wren","slot":2}`}
	place := row(t, h.dryRun(1, tries...).Stands[0].Values, "place")
	assert.Equal(t, `none → "lodge (20, 12) south", because joined`, place.Before.String()+" → "+place.After.String()+", because "+place.Cause)
	assert.True(t, place.Change)

	gone := h.dryRun(4, tries...).Stands[0]
	require.Len(t, gone.Values, 1)
	assert.Equal(t, `"lodge (20, 12) south" → none, because left`, gone.Values[0].Before.String()+" → "+gone.Values[0].After.String()+", because "+gone.Values[0].Cause)
	assert.Empty(t, h.dryRun(5, tries...).Stands[0].Values, "nothing of who was gone already")

	again := h.dryRun(6, tries...).Stands[0]
	parcels := row(t, again.Values, "player.parcels")
	assert.Equal(t, "1 → 0", parcels.Before.String()+" → "+parcels.After.String(), "the other slot is empty")
	assert.True(t, parcels.Change)
}

func TestRehearsalsAreKeptRunAndGoneOnWith(t *testing.T) {
	t.Parallel()
	h := start(t)
	kept := h.dryRun(-1, `{"join":"wren"}`, `{"event":"load","by":"wren"}`, `{"die":"wren"}`, `{"wait":"1s"}`).Script
	require.NoError(t, h.c.PutRehearsal(ctx, "lantern-pass", "a-first-try", []byte(kept)))
	list, err := h.c.Rehearsals(ctx, "lantern-pass")
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "A try", list[0].Title)
	res, err := h.c.RunRehearsal(ctx, "lantern-pass", "a-first-try", "")
	require.NoError(t, err)
	assert.True(t, res.Passed, "%+v\n%s", res, kept)
	// Under a text in which parcels stay at death, it fails where that shows.
	draft, err := h.c.Edit(ctx, examples.LanternPass, contract.PlanEdit{Do: "fate", Name: "player.parcels", Crossing: "death", Fate: "keep"})
	require.NoError(t, err)
	res, err = h.c.RunRehearsal(ctx, "lantern-pass", "a-first-try", draft.Text)
	require.NoError(t, err)
	require.False(t, res.Passed)
	assert.Equal(t, "wren.parcels", res.Failed[0].Wanted[0].Name)
	assert.Equal(t, "1", res.Failed[0].Wanted[0].Is)
	assert.Equal(t, "0", res.Failed[0].Wanted[0].Wanted)
	view, err := h.c.DryRun(ctx, "lantern-pass", contract.DryRunWish{Script: kept, Plan: draft.Text, At: -1})
	require.NoError(t, err)
	assert.NotEmpty(t, view.Steps[res.Failed[0].Step-1].Failed)

	assert.Equal(t, 422, status(h.c.PutRehearsal(ctx, "lantern-pass", "broken", []byte("rehearsal: x"))))
	assert.Equal(t, 404, status(h.c.PutRehearsal(ctx, "no-game", "a", []byte(kept))))
	require.NoError(t, h.c.DropRehearsal(ctx, "lantern-pass", "a-first-try"))
	assert.Equal(t, 404, status(h.c.DropRehearsal(ctx, "lantern-pass", "a-first-try")))
}

func TestMilestonesAreGivenByHandAndTakenBack(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(event("wren", "load"))
	h.do(contract.Request{Do: "join", Player: "finn"})
	h.do(contract.Request{Do: "leave", Player: "finn"})
	stands := func() map[string]contract.MilestoneStand {
		all, err := h.c.Milestones(ctx, "lantern-pass")
		require.NoError(t, err)
		require.Equal(t, "full_sack", all.Milestones[1].ID)
		out := map[string]contract.MilestoneStand{}
		for _, p := range all.Players {
			out[p.Player] = p.Stands[1]
		}
		return out
	}
	assert.Equal(t, map[string]contract.MilestoneStand{"wren": {Reached: 1}, "finn": {}}, stands())
	give := func(player string, yes bool, etag string) error {
		_, err := h.c.Correct(ctx, "lantern-pass", player, 1, contract.Correction{Name: "player.earned.full_sack", Value: types.OfBool(yes), Why: "to see the message"}, etag)
		return err
	}
	require.NoError(t, give("wren", true, ""))
	require.NoError(t, give("finn", true, `"1"`))
	assert.Equal(t, map[string]contract.MilestoneStand{"wren": {Earned: true, Reached: 1}, "finn": {Earned: true}}, stands())
	require.NoError(t, give("wren", false, ""))
	assert.Equal(t, contract.MilestoneStand{Reached: 1}, stands()["wren"])
	_, err := h.c.Correct(ctx, "lantern-pass", "wren", 1, contract.Correction{Name: "player.earned.full_sack", Value: types.OfText("yes"), Why: "no"}, "")
	assert.Equal(t, 422, status(err))

	// What was read before is not told of who is deleted, nor under another plan.
	_, err = h.c.Forget(ctx, "lantern-pass", "finn", false)
	require.NoError(t, err)
	assert.Equal(t, map[string]contract.MilestoneStand{"wren": {Reached: 1}}, stands())
	h.do(contract.Request{Do: "leave", Player: "wren"})
	assert.Equal(t, map[string]contract.MilestoneStand{"wren": {Reached: 1}}, stands())
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(event("wren", "load"))
	h.do(contract.Request{Do: "leave", Player: "wren"})
	assert.Equal(t, map[string]contract.MilestoneStand{"wren": {Reached: 2}}, stands())
}

// posted sends a text and reads what comes back.
func posted[T any](t *testing.T, h *house, path, text string) T {
	t.Helper()
	res, err := http.Post(h.s.URL()+path, "application/yaml", strings.NewReader(text))
	require.NoError(t, err)
	defer func() { _ = res.Body.Close() }()
	require.Equal(t, http.StatusOK, res.StatusCode)
	var out T
	require.NoError(t, json.NewDecoder(res.Body).Decode(&out))
	return out
}

func find[T any](t *testing.T, list []T, is func(T) bool) T {
	t.Helper()
	i := slices.IndexFunc(list, is)
	require.GreaterOrEqual(t, i, 0)
	return list[i]
}

func TestTheMapOfATextHasAllThatIsDrawn(t *testing.T) {
	t.Parallel()
	h := start(t)
	m := posted[api.Map](t, h, "/v1/map", string(examples.LanternPass))
	assert.Equal(t, "metre", m.Unit)
	assert.Equal(t, []string{"x", "y"}, m.Axes)
	assert.Equal(t, 2.0, m.Reach)
	gorge := find(t, m.Scenes, func(s api.MapScene) bool { return s.ID == "gorge" })
	assert.Equal(t, "Scree Gorge", gorge.Title)
	assert.Equal(t, []float64{64, 48}, gorge.High)
	assert.Positive(t, gorge.Line)
	shelter := find(t, gorge.Spots, func(s api.MapSpot) bool { return s.ID == "gorge/shelter" })
	assert.True(t, shelter.Checkpoint)
	assert.Equal(t, "gorge_shelter", shelter.Point)
	assert.Equal(t, 1, shelter.Order)
	mouth := find(t, gorge.Spots, func(s api.MapSpot) bool { return s.ID == "gorge/mouth" })
	assert.Equal(t, [2]float64{2, 40}, [2]float64{mouth.From[0], mouth.To[0]}, "an edge has its ends")
	assert.Equal(t, "gorge/scree", gorge.Areas[0].ID)
	assert.Equal(t, "Loose scree", gorge.Areas[0].Title)
	cache := find(t, gorge.Props, func(p api.MapProp) bool { return p.ID == "cache.under_ledge" })
	assert.Equal(t, api.MapProp{ID: "cache.under_ledge", Kind: "cache", At: []float64{50, 30}, Spot: "gorge/ledge", Line: cache.Line}, cache)
	assert.Equal(t, api.MapKind{ID: "cache", Title: "Cache", Radius: 1.5, Line: m.Kinds[0].Line}, m.Kinds[0])
	bridge := find(t, m.Passages, func(p api.MapPassage) bool { return p.ID == "rope_bridge" })
	assert.Equal(t, api.MapPassage{ID: "rope_bridge", Title: "Rope bridge", From: "gorge/span_east", To: "ridge/span_west", BothWays: true, Gated: true,
		If: "game.bridge_mended", Refused: "The bridge is down.", Carries: []string{"y"}, Line: bridge.Line}, bridge)
	tunnel := find(t, m.Passages, func(p api.MapPassage) bool { return p.ID == "old_tunnel" })
	assert.Equal(t, []string{"", "way_back", "lodge/porch"}, []string{tunnel.To, tunnel.Waymark, tunnel.Else})
	assert.Equal(t, []string{"cellar", "ridge"}, m.Movables[0].NeverIn)
	assert.Equal(t, "lodge/shed", m.Movables[0].Start)
	gust := find(t, m.Events, func(e api.MapEvent) bool { return e.ID == "gust" })
	assert.Equal(t, "server", gust.From)
	assert.Equal(t, api.MapArg{ID: "amount", Type: "decimal", Input: "number", Words: "a decimal 0 to 40 in steps of 0.5", Choices: []types.Value{}, Begins: types.OfInt(0)}, gust.Args[0])
	assert.Equal(t, "player", gust.Args[1].Input)
	assert.Equal(t, "player", gust.Args[1].Type)
	opened := find(t, m.Events, func(e api.MapEvent) bool { return e.ID == "open" })
	assert.Equal(t, texts("under_ledge", "at_cairn", "by_the_wheel"), opened.Args[0].Choices)
	who := find(t, m.Events, func(e api.MapEvent) bool { return e.ID == "choose" }).Args[0]
	assert.Equal(t, texts("brisa", "oddny", "tarn", "eirik"), who.Choices)
	assert.Equal(t, types.OfText("brisa"), who.Begins)
}

func texts(list ...string) []types.Value {
	var out []types.Value
	for _, x := range list {
		out = append(out, types.OfText(x))
	}
	return out
}

// A rehearsal may name another version of its plan, and a commons; a file that is neither is told.
func TestRehearsalsFindTheFilesThatTheyName(t *testing.T) {
	t.Parallel()
	h := start(t)
	_, etag, err := h.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	_, err = h.c.Publish(ctx, "lantern-pass", etag, "a test")
	require.NoError(t, err)
	next, err := examples.LanternPassHistory.ReadFile("lantern-pass/history/plan.v4.yaml")
	require.NoError(t, err)
	text, err := examples.Rehearsals.ReadFile("lantern-pass/rehearsals/the-next-version.yaml")
	require.NoError(t, err)
	require.NoError(t, h.c.PutRehearsal(ctx, "lantern-pass", "next", text))
	res, err := h.c.RunRehearsal(ctx, "lantern-pass", "next", "")
	require.NoError(t, err)
	assert.False(t, res.Passed, "there is no fourth version yet")
	_, _, err = h.c.PutPlan(ctx, "lantern-pass", next, etag)
	require.NoError(t, err)
	v3, err := h.c.RunRehearsal(ctx, "lantern-pass", "next", string(examples.LanternPass))
	require.NoError(t, err)
	assert.False(t, v3.Passed, "the plan in work is the third here, and no fourth is published")
	assert.NotEmpty(t, v3.Failed[0].Why)

	require.NoError(t, h.c.PutRehearsal(ctx, "lantern-pass", "lost", []byte("rehearsal: x\nplan: map.yaml\nplayers: [wren]\nsteps: [{join: wren}]\n")))
	res, err = h.c.RunRehearsal(ctx, "lantern-pass", "lost", "")
	require.NoError(t, err)
	require.Len(t, res.Failed, 1)
	assert.Contains(t, res.Failed[0].Why, "map.yaml")
	assert.Zero(t, res.Failed[0].Step)
}
