package live_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/share"
	"alluvion.dev/core/wire"
)

// However soon a machine's patience is over, either its player is in and has a seat, or is not in: somebody who is in
// without a seat could not lose a connection, and so would never leave.
func TestWhoIsInHasASeatHoweverSoonTheMachineGaveUp(t *testing.T) {
	h := open(t, "every: 30s")
	in := 0
	for i := range 300 {
		impatient, stop := context.WithTimeout(ctx, time.Duration(i)*10*time.Microsecond)
		player := fmt.Sprint("p", i)
		line, _, err := h.m.Attach(impatient, h.s, wire.Hello{Player: player}, "here", share.JSON)
		stop()
		v, err2 := h.s.Look(ctx)
		require.NoError(t, err2)
		if err != nil {
			assert.NotContains(t, v.Present, player, "after %v: %v", i, err)
			continue
		}
		in++
		assert.Contains(t, v.Present, player)
		h.m.Detach(h.s, line)
		h.do(engine.Request{Do: "leave", Player: player})
	}
	assert.Positive(t, in)
}

// Where hundreds leave at once, those who stay are told of hundreds at once, and none of them is cut off for it.
func TestManyWhoLeaveAtOnceCutNobodyOff(t *testing.T) {
	h := openWith(t, "every: 30s", "session: {players: 20}", "session: {players: 600}")
	line, _, err := h.m.Attach(ctx, h.s, wire.Hello{Player: "ada"}, "here", share.JSON)
	require.NoError(t, err)
	line.Greet([]byte("{}"))
	defer time.AfterFunc(20*time.Second, func() { line.End(wire.CodeAway, "too late") }).Stop()
	left := make(chan int)
	go func() {
		n := 0
		for n < 500 {
			messages, frame, ok := line.Next()
			if !ok {
				break
			}
			n += strings.Count(string(frame), `"kind":"left"`)
			line.Sent(len(messages), len(frame), frame != nil)
		}
		left <- n
	}()
	for i := range 500 {
		h.do(join(fmt.Sprintf("p%d", i)))
	}
	for i := range 500 {
		h.do(engine.Request{Do: "leave", Player: fmt.Sprintf("p%d", i)})
	}
	assert.Equal(t, 500, <-left, "it was cut off")
}

// Who plays by requests has no connection to lose: they are there for as long as something is heard of them. The time is
// the test's own, so that it does not matter how busy the machine is.
func TestWhoIsNotHeardOfLeavesByWhateverWayTheyCame(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		h := openWith(t, "every: 30s", "session: {players: 20}", "session: {players: 20, grace: 0s}")
		there := func(player string) bool {
			_, there, err := h.s.Player(ctx, player)
			require.NoError(t, err)
			return there
		}
		for _, id := range []string{"quiet", "pinged", "played", "connected"} {
			h.do(join(id))
		}
		line, _, err := h.m.Attach(ctx, h.s, wire.Hello{Player: "connected"}, "here", share.JSON)
		require.NoError(t, err)
		for range 6 {
			time.Sleep(10 * time.Second)
			h.do(engine.Request{Do: "ping", Player: "pinged"})
			h.event("played", "burn")
		}
		assert.False(t, there("quiet"))
		assert.Nil(t, h.m.Where("hut", "quiet"))
		assert.Equal(t, []string{"leave"}, h.moments("quiet"), "and was saved")
		assert.True(t, there("pinged"))
		assert.True(t, there("played"))
		assert.True(t, there("connected"))
		h.m.Detach(h.s, line)
		time.Sleep(time.Minute)
		assert.False(t, there("pinged") || there("played") || there("connected"))
		_, err = h.m.Do(ctx, h.s, engine.Request{Do: "ping", Player: "quiet"})
		var refusal *engine.Refusal
		require.ErrorAs(t, err, &refusal)
		assert.Equal(t, engine.Unknown, refusal.Kind)
	})
}
