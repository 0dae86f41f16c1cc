package service_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/wire"
)

// On the Square each machine is sent those around its player: who walks away is out of sight and still there, and who
// comes back over another connection is sent what is near anew.
func TestMachinesOnTheSquareAreSentThoseAround(t *testing.T) {
	t.Parallel() // it waits for the most part
	for name, packed := range map[string]bool{"text": false, "packed": true} {
		t.Run(name, func(t *testing.T) {
			h := start(t)
			h.room = h.market()
			ada := h.machine(client.Joining{Player: "ada", Packed: packed, Checks: true})
			bob := h.machine(client.Joining{Player: "bob", Packed: packed, Checks: true})
			ada.until("bob is at the well", inScene(ada, "bob", "square"))
			bob.move("0", "40")
			ada.until("bob is 40 away", func() bool { p, _ := ada.Here("bob"); return p.At != nil && p.At[1] == fixed.Must("40") })
			bob.move("0", "90")
			ada.unknown("player.place@bob")
			ada.is("player.here@bob", "true")
			bob.unknown("player.place@ada")

			ada.Drop()
			bob.move("0", "12")
			again := h.machine(client.Joining{Player: "ada", Packed: packed, From: ada.Machine, Checks: true})
			assert.True(t, again.Welcome.Resumed)
			again.until("bob is back", func() bool { p, _ := again.Here("bob"); return p.At != nil && p.At[1] == fixed.Must("12") })
			h.believesRight(again)
			o, err := h.room.Overview(ctx)
			require.NoError(t, err)
			require.Len(t, o.Players, 2)
			for _, p := range o.Players {
				require.NotNil(t, p.Machine)
				require.NotNil(t, p.Machine.Near)
				assert.Equal(t, 1, p.Machine.Near.Others, "%s", p.Player)
				assert.Zero(t, p.Machine.Mismatches)
			}
		})
	}
}

// A client that knows nothing of near would take what it is not told of for gone: it is told so, and not let in.
func TestAClientThatDoesNotKnowOfNearIsNotLetIn(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.room = h.market()
	address := h.s.URL() + "/v1/games/lantern-market/sessions/noon/live"
	for _, subs := range [][]string{nil, {wire.SubJSON}, {wire.SubPacked}} {
		c, cancel := context.WithTimeout(ctx, within)
		conn, _, err := websocket.Dial(c, address, &websocket.DialOptions{Subprotocols: subs})
		require.NoError(t, err)
		_, raw, err := conn.Read(c)
		require.NoError(t, err)
		assert.Contains(t, string(raw), "alluvion.json.2 or alluvion.packed.2")
		_, _, err = conn.Read(c)
		assert.EqualValues(t, wire.CodeLayout, websocket.CloseStatus(err))
		cancel()
	}
	server, err := h.room.Serve(ctx, "weather") // one of the game's servers is sent no state, and may go by either
	require.NoError(t, err)
	server.Drop()
}

// An overview is bounded, however many are there: it says how many there are, and holds those that somebody asks for.
func TestAnOverviewHoldsThoseThatSomebodyAsksFor(t *testing.T) {
	t.Parallel()
	h := start(t)
	for i := range 5 {
		h.do(contract.Request{Do: "join", Player: fmt.Sprintf("p%d", i)})
	}
	h.do(contract.Request{Do: "move", Player: "p3", To: to(20, 0)})
	h.do(contract.Request{Do: "pass", Player: "p3", Name: "porch_gorge"})
	ids := func(sought contract.Sought) (ids []string) {
		o, err := h.room.Seek(ctx, sought)
		require.NoError(t, err)
		assert.Equal(t, 5, o.Present)
		assert.Equal(t, map[string]int{"lodge": 4, "gorge": 1}, o.Scenes)
		for _, p := range o.Players {
			ids = append(ids, p.Player)
		}
		return ids
	}
	assert.Equal(t, []string{"p0", "p1", "p2", "p3", "p4"}, ids(contract.Sought{}))
	assert.Equal(t, []string{"p0", "p1"}, ids(contract.Sought{Most: 2}))
	assert.Equal(t, []string{"p0", "p4"}, ids(contract.Sought{Most: 2, Player: "p4"}))
	assert.Equal(t, []string{"p1"}, ids(contract.Sought{Most: 1, Player: "p1"}))
	assert.Equal(t, []string{"p3"}, ids(contract.Sought{Scene: "gorge"}))
	assert.Equal(t, []string{"p1", "p3"}, ids(contract.Sought{Scene: "gorge", Player: "p1"}))
	_, err := h.room.Seek(ctx, contract.Sought{Most: 1001})
	require.Error(t, err)
}
