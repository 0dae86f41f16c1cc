package service_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/offline"
	"alluvion.dev/core/save"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
)

// alone is somebody who plays without the service.
type alone struct {
	t   *testing.T
	s   *offline.Session
	now int64
}

func playAlone(t *testing.T, plan, saved []byte, player string) *alone {
	s, problems, err := offline.Open(plan, examples.Commons, saved, 7)
	require.NoError(t, err)
	assert.Empty(t, problems)
	require.NoError(t, s.Connect(s.Protocols()[0]))
	a := &alone{t, s, 1000}
	a.say(`{"is":"hello","player":"` + player + `"}`)
	return a
}

func (a *alone) say(text string) {
	a.s.Received([]byte(text), a.now)
	a.now += 100
	a.s.Advance(a.now)
	for _, m := range a.s.Outgoing() {
		require.NotContains(a.t, string(m.Data), `"is":"refused"`)
	}
}

func (a *alone) kept() []byte {
	raw, _ := a.s.Save()
	return raw
}

func (h *house) parcels(player string, slot int) string {
	h.t.Helper()
	view, err := h.c.Player(ctx, "lantern-pass", player, slot)
	require.NoError(h.t, err)
	for _, x := range view.Values {
		if x.Name == "player.parcels" {
			return x.Saved.Plain()
		}
	}
	return "none"
}

// What was played without the service goes to the slot that it began from while nothing was saved there since, otherwise to
// an empty one; the same again changes nothing; and what the service has is played on without it.
func TestRule60WhatWasPlayedAloneIsHandedOver(t *testing.T) {
	t.Parallel()
	h := start(t)
	a := playAlone(t, examples.LanternPass, nil, "ada")
	a.say(`{"is":"event","name":"load"}`)
	over, err := h.c.HandOver(ctx, "lantern-pass", "ada", a.kept())
	require.NoError(t, err)
	assert.Equal(t, contract.HandedOver{Slot: 1, Revision: 1, Problems: []save.Problem{}}, over)
	again, err := h.c.HandOver(ctx, "lantern-pass", "ada", a.kept())
	require.NoError(t, err)
	assert.Equal(t, over, again, "its answer was lost")
	assert.Equal(t, "1", h.parcels("ada", 1))
	revisions, err := h.c.Revisions(ctx, "lantern-pass", "ada", 1)
	require.NoError(t, err)
	require.Len(t, revisions, 1)
	assert.Equal(t, "offline", revisions[0].Moment)

	// Played on alone, from what was handed over.
	a.s.HandedOver(over.Slot, over.Revision)
	a.say(`{"is":"event","name":"load"}`)
	over, err = h.c.HandOver(ctx, "lantern-pass", "ada", a.kept())
	require.NoError(t, err)
	assert.Equal(t, 1, over.Slot)
	assert.Equal(t, 2, over.Revision)
	a.s.HandedOver(over.Slot, over.Revision)

	// Played on with the service, and without: two ways, and both are kept.
	ada := h.machine(client.Joining{Player: "ada"})
	ada.is("player.parcels@ada", "2")
	_, err = h.c.HandOver(ctx, "lantern-pass", "ada", a.kept())
	require.NoError(t, err, "this is there already")
	a.say(`{"is":"event","name":"load"}`)
	_, err = h.c.HandOver(ctx, "lantern-pass", "ada", a.kept())
	require.ErrorContains(t, err, "they have to leave first")
	ada.must(wire.Ask{Is: "event", Name: "load"})
	require.NoError(t, ada.Leave(ctx))
	over, err = h.c.HandOver(ctx, "lantern-pass", "ada", a.kept())
	require.NoError(t, err)
	assert.Equal(t, 2, over.Slot)
	assert.Equal(t, "Slot 1 is not as it was at revision 2 any more, from which this save began.", over.Why)

	// The other way round: a save that was downloaded is played on, and comes back to its slot.
	raw, _, err := h.c.Download(ctx, "lantern-pass", "ada", 1)
	require.NoError(t, err)
	b := playAlone(t, examples.LanternPass, raw, "ada")
	b.say(`{"is":"event","name":"load"}`)
	over, err = h.c.HandOver(ctx, "lantern-pass", "ada", b.kept())
	require.NoError(t, err)
	assert.Equal(t, 1, over.Slot)
	assert.Empty(t, over.Why)

	// Where every slot is used, nothing is lost and nothing taken.
	c := playAlone(t, examples.LanternPass, nil, "ada")
	c.say(`{"is":"event","name":"load"}`)
	over, err = h.c.HandOver(ctx, "lantern-pass", "ada", c.kept())
	require.NoError(t, err)
	assert.Equal(t, 3, over.Slot)
	assert.Equal(t, "Slot 1 has a save of its own.", over.Why)
	d := playAlone(t, examples.LanternPass, nil, "ada")
	_, err = h.c.HandOver(ctx, "lantern-pass", "ada", d.kept())
	require.ErrorContains(t, err, "All 3 slots of ada are in use.")
}

// What is no such save, is another player's, was changed into what cannot be, or is not wanted by the plan is refused.
func TestWhatIsHandedOverIsJudged(t *testing.T) {
	t.Parallel()
	h := start(t)
	a := playAlone(t, examples.LanternPass, nil, "ada")
	good := string(a.kept())
	refused := func(player, kept, words string, status int) {
		t.Helper()
		_, err := h.c.HandOver(ctx, "lantern-pass", player, []byte(kept))
		var p *contract.Problem
		require.ErrorAs(t, err, &p)
		assert.Equal(t, status, p.Status)
		assert.Contains(t, p.Detail, words)
	}
	refused("bea", good, "It is of ada, not of bea.", http.StatusConflict)
	refused("ada", `{"alluvion_offline":1}`, "This is nothing that was saved without the service", http.StatusUnprocessableEntity)
	refused("ada", `[]`, "This is nothing that was saved without the service", http.StatusUnprocessableEntity)
	refused("ada", `{"alluvion_offline":2,"player":{}}`, "This is nothing that was saved without the service", http.StatusUnprocessableEntity)
	refused("ada", strings.Replace(good, `"game":"lantern-pass"`, `"game":"harbour"`, 1), "harbour", http.StatusConflict)
	refused("ada", strings.Replace(good, `"version":3`, `"version":30`, 1), "30", http.StatusConflict)

	// A value beyond its limits is what the plan makes of it, and said.
	require.Contains(t, good, `"oil":`)
	var doc map[string]any
	require.NoError(t, json.Unmarshal([]byte(good), &doc))
	doc["player"].(map[string]any)["values"].(map[string]any)["oil"] = 4000
	raw, err := json.Marshal(doc)
	require.NoError(t, err)
	over, err := h.c.HandOver(ctx, "lantern-pass", "ada", raw)
	require.NoError(t, err)
	require.Len(t, over.Problems, 1)
	assert.Equal(t, "player.oil", over.Problems[0].Name)
	assert.Contains(t, over.Problems[0].Instead, "it is 40")

	// Ranks are not taken along; and a plan that says nothing takes nothing.
	_, _, err = h.c.PutPlan(ctx, "harbour", examples.Harbour, "")
	require.NoError(t, err)
	b := playAlone(t, examples.Harbour, nil, "ada")
	_, err = h.c.HandOver(ctx, "harbour", "ada", b.kept())
	require.ErrorContains(t, err, "The plan says so: saving.offline is refuse.")
}
