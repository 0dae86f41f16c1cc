package service_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
)

// atTheHarbour is a house in whose harbour a session is open.
func atTheHarbour(t *testing.T) *house {
	h := start(t)
	_, _, err := h.c.PutPlan(ctx, "harbour", examples.Harbour, "")
	require.NoError(t, err)
	h.room, err = h.c.Open(ctx, "harbour", "tide")
	require.NoError(t, err)
	return h
}

// What a machine is told and refused carries the key of the text, by its connection and by HTTP; so do frames that are
// packed.
func TestRule57TextsComeWithTheirKeys(t *testing.T) {
	t.Parallel()
	h := atTheHarbour(t)
	layout, err := h.room.Layout(ctx)
	require.NoError(t, err)
	ada := h.machine(client.Joining{Player: "ada"})
	bob := h.machine(client.Joining{Player: "bob", Packed: true, Layout: layout})

	var r *client.Refused
	tea := map[string]types.Value{"ware": types.OfText("tea")}
	require.ErrorAs(t, ada.do(wire.Ask{Is: "event", Name: "haul", Args: tea}), &r)
	assert.Equal(t, "events.haul.refused", r.Key)
	assert.Equal(t, "Choose a crew first.", r.Why)
	_, err = h.room.Do(ctx, contract.Request{Do: "event", Player: "ada", Name: "haul", Args: tea})
	var p *contract.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "events.haul.refused", p.Key)
	assert.Equal(t, r.Why, p.Detail)

	ada.must(wire.Ask{Is: "event", Name: "offer", Args: map[string]types.Value{"to": types.OfText("bob"), "give": types.OfText("tea"), "want": types.OfText("rice")}})
	for deadline := time.After(within); ; {
		select {
		case n := <-bob.told:
			if n.Kind == "message" {
				assert.Equal(t, "rules.offering.text", n.Key)
				assert.Equal(t, "Somebody offers you a trade.", n.Text)
				return
			}
		case <-deadline:
			require.Fail(t, "bob was never told")
		}
	}
}

// A designer corrects what a player has for an option, while the player is in a session and afterwards.
func TestAnOptionsValueIsCorrected(t *testing.T) {
	t.Parallel()
	h := atTheHarbour(t)
	ada := h.machine(client.Joining{Player: "ada"})
	rice := func() (live, saved string) {
		view, err := h.c.Player(ctx, "harbour", "ada", 1)
		require.NoError(t, err)
		for _, x := range view.Values {
			if x.Name == "ware.have" && x.Of == "rice" {
				return x.Live.Plain(), x.Saved.Plain()
			}
		}
		return "", ""
	}
	right := contract.Correction{Name: "ware.have", Of: "rice", Value: types.OfInt(7), Why: "It was lost."}
	_, err := h.c.Correct(ctx, "harbour", "ada", 1, right, "")
	require.NoError(t, err)
	live, saved := rice()
	assert.Equal(t, "7 7", live+" "+saved)
	right.Of = "plums"
	_, err = h.c.Correct(ctx, "harbour", "ada", 1, right, "")
	require.ErrorContains(t, err, "plums")
	require.NoError(t, ada.Leave(ctx))
	_, etag, err := h.c.Download(ctx, "harbour", "ada", 1)
	require.NoError(t, err)
	right.Of, right.Value = "ware.rice", types.OfInt(3)
	_, err = h.c.Correct(ctx, "harbour", "ada", 1, right, etag)
	require.NoError(t, err)
	_, saved = rice()
	assert.Equal(t, "3", saved)
}

// What a player has over all slots is seen in each slot and corrected there: also while they play in another one.
func TestWhatIsOverAllSlotsIsSeenAndCorrected(t *testing.T) {
	t.Parallel()
	h := atTheHarbour(t)
	h.do(contract.Request{Do: "join", Player: "ada"})
	h.do(contract.Request{Do: "leave", Player: "ada"})
	value := func(name, of string) string {
		view, err := h.c.Player(ctx, "harbour", "ada", 1)
		require.NoError(t, err)
		for _, x := range view.Values {
			if x.Name == name && x.Of == of {
				assert.True(t, x.Correctable, name)
				assert.Contains(t, x.Title, "over all slots")
				return x.Saved.Plain()
			}
		}
		return ""
	}
	assert.Equal(t, "true 7", value("profile.hints", "")+" "+value("channel.volume", "music"))
	correct := func(name, of string, to types.Value, etag string) error {
		_, err := h.c.Correct(ctx, "harbour", "ada", 1, contract.Correction{Name: name, Of: of, Value: to, Why: "They asked."}, etag)
		return err
	}
	for name, to := range map[string]types.Value{"profile.hints": types.OfBool(false), "channel.volume": types.OfInt(3)} {
		_, etag, err := h.c.Download(ctx, "harbour", "ada", 1)
		require.NoError(t, err)
		require.NoError(t, correct(name, map[string]string{"channel.volume": "music"}[name], to, etag))
	}
	assert.Equal(t, "false 3", value("profile.hints", "")+" "+value("channel.volume", "music"))

	h.do(contract.Request{Do: "join", Player: "ada", Slot: 2})
	require.NoError(t, correct("channel.volume", "music", types.OfInt(9), ""))
	h.do(contract.Request{Do: "leave", Player: "ada"})
	assert.Equal(t, "false 9", value("profile.hints", "")+" "+value("channel.volume", "music"))
	_, etag, err := h.c.Download(ctx, "harbour", "ada", 1)
	require.NoError(t, err)
	require.ErrorContains(t, correct("channel.volume", "music", types.OfInt(99), etag), "10")
}
