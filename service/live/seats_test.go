package live_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion/core/engine"
	"alluvion/core/share"
	"alluvion/core/wire"
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
