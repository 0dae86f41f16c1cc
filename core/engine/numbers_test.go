package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
)

// A request of a game's server without a number can be sent twice. A numbered one is refused the second time. Each server
// has its own numbers.
func TestOnlyNumberedRequestsOfAServerAreKnownAgain(t *testing.T) {
	m, r, _ := searchedPlan(t)
	ask := func(sender string, number uint64) error {
		_, err := r.Step(&engine.Request{Do: "event", Player: "ada", Name: "spend", Server: true, Sender: sender,
			Number: number, At: r.Clock()})
		return err
	}
	till := func() string { return r.Sum(m.Var("game.till")).String() }
	require.NoError(t, ask("west", 0))
	require.NoError(t, ask("west", 0))
	assert.Equal(t, "7", till())
	require.NoError(t, ask("west", 1))
	require.ErrorContains(t, ask("west", 1), "was applied before")
	assert.Equal(t, "8", till())
	require.NoError(t, ask("east", 1))
	assert.Equal(t, "9", till())
}
