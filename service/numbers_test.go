package service_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/contract"
	"alluvion.dev/core/wire"
)

// talk is a machine that says whatever it is told to, byte by byte.
type talk struct {
	t    *testing.T
	conn *websocket.Conn
}

func (h *house) talk(hello string) *talk {
	h.t.Helper()
	conn, _, err := websocket.Dial(ctx, strings.Replace(h.s.URL(), "http", "ws", 1)+"/v1/games/lantern-pass/sessions/winter/live", &websocket.DialOptions{Subprotocols: []string{wire.SubJSON}})
	require.NoError(h.t, err)
	h.t.Cleanup(func() { _ = conn.CloseNow() })
	x := &talk{h.t, conn}
	x.say(hello)
	return x
}

func (x *talk) say(text string) {
	x.t.Helper()
	require.NoError(x.t, x.conn.Write(ctx, websocket.MessageText, []byte(text)))
}

// hears gives the next message that is no frame.
func (x *talk) hears() wire.Said {
	x.t.Helper()
	c, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	for {
		_, raw, err := x.conn.Read(c)
		require.NoError(x.t, err)
		var said wire.Said
		require.NoError(x.t, json.Unmarshal(raw, &said))
		if said.Is != "tick" && said.Is != "saved" {
			return said
		}
	}
}

func (x *talk) asks(text string) wire.Said {
	x.t.Helper()
	x.say(text)
	return x.hears()
}

// A normal game loop computes in binary fractions, and is never cut off for it.
func TestCoordinatesOfAnyWriterAreNoOffence(t *testing.T) {
	t.Parallel()
	h := start(t)
	x := h.talk(`{"is":"hello","player":"ada","slot":1.0,"from":"a client that we do not know"}`)
	assert.Equal(t, "welcome", x.hears().Is)
	for range 200 {
		x.say(`{"is":"move","to":[20.100000000000001, 3.0000000000000004]}`)
	}
	assert.Equal(t, "pong", x.asks(`{"is":"ping","number":1.0}`).Is)
	ada, err := h.c.Player(ctx, "lantern-pass", "ada", 0)
	require.NoError(t, err)
	require.True(t, ada.Present)
	said := x.asks(`{"is":"event","number":5,"name":"load","arg":{}}`)
	assert.Equal(t, wire.Said{Is: "refused", Number: 5, Kind: "invalid", Member: "arg", Why: `A message has no member "arg". Did you mean args?`}, said)
}

// A repeated request gets its first answer, whatever that was; one that is no longer kept is never said to be applied.
func TestRepeatsGiveTheFirstAnswer(t *testing.T) {
	t.Parallel()
	h := start(t)
	x := h.talk(`{"is":"hello","player":"ada"}`)
	assert.Equal(t, "welcome", x.hears().Is)
	deliver, load := `{"is":"event","number":3,"name":"deliver"}`, `{"is":"event","number":5,"name":"load"}`
	first := x.asks(deliver)
	assert.Equal(t, "refused", first.Is)
	assert.Equal(t, wire.Said{Is: "answer", Number: 5}, x.asks(load))
	assert.Equal(t, wire.Said{Is: "answer", Number: 5, Repeat: true}, x.asks(load))
	again := x.asks(deliver)
	assert.True(t, again.Repeat)
	again.Repeat = false
	assert.Equal(t, first, again, "refused it was, and refused it stays")
	skipped := x.asks(`{"is":"event","number":4,"name":"load"}`)
	assert.Equal(t, "refused", skipped.Is)
	assert.Equal(t, "unknown", skipped.Kind)
	assert.Contains(t, skipped.Why, "Nothing is known of request 4")
	assert.Equal(t, "refused", x.asks(`{"is":"event","number":9007199254740993,"name":"load"}`).Is)
	assert.Equal(t, "1", h.figures("ada")["player.parcels"].Live.Plain(), "applied once")
}

// Whoever holds on to the service keeps nobody from being saved, and the stop from no end.
func TestAStopSavesFirstAndThenHangsUp(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "ada"})
	h.do(contract.Request{Do: "event", Player: "ada", Name: "load"})
	for range 5 { // asks on and on, and reads nothing
		conn, err := net.Dial("tcp", strings.TrimPrefix(h.s.URL(), "http://"))
		require.NoError(t, err)
		t.Cleanup(func() { _ = conn.Close() })
		go func() {
			for {
				if _, err := conn.Write([]byte("GET /v1/games/lantern-pass/matrix HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")); err != nil {
					return
				}
			}
		}()
	}
	for range 50 { // connected, and silent
		conn, err := net.Dial("tcp", strings.TrimPrefix(h.s.URL(), "http://"))
		require.NoError(t, err)
		t.Cleanup(func() { _ = conn.Close() })
	}
	c, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	require.NoError(t, h.s.Stop(c))
	h.open()
	h.enter()
	h.do(contract.Request{Do: "join", Player: "ada"})
	assert.Equal(t, "1", h.figures("ada")["player.parcels"].Live.Plain())
}

// Who leaves is told that the visit ended when it is on disk, not before: what is read then is what they left with.
func TestWhoLeavesIsToldWhenItIsSaved(t *testing.T) {
	t.Parallel()
	h := start(t)
	for n := range 12 {
		x := h.talk(`{"is":"hello","player":"ada"}`)
		assert.Equal(t, "welcome", x.hears().Is)
		time.Sleep(time.Duration(n) * 7 * time.Millisecond) // somewhere between two ticks
		x.say(fmt.Sprintf(`{"is":"leave","number":%d}`, 100+n))
		var told []wire.Said
		var end websocket.CloseError
		for {
			_, raw, err := x.conn.Read(ctx)
			if err != nil {
				require.ErrorAs(t, err, &end)
				break
			}
			var said wire.Said
			require.NoError(t, json.Unmarshal(raw, &said))
			if said.Is != "tick" {
				told = append(told, said)
			}
		}
		assert.Equal(t, websocket.StatusCode(wire.CodeLeft), end.Code, end.Reason)
		require.Len(t, told, 2)
		assert.Equal(t, "answer", told[1].Is)
		assert.Equal(t, wire.Said{Is: "saved", Number: uint64(100 + n), Revision: told[0].Revision, Moment: "leave"}, told[0])
		revisions, err := h.c.Revisions(ctx, "lantern-pass", "ada", 1)
		require.NoError(t, err)
		assert.Equal(t, told[0].Revision, revisions[0].Revision)
	}
}
