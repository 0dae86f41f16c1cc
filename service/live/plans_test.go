package live

import (
	"context"
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/examples"
)

// A plan is read once for all its sessions, and again where its text or that of a commons is another.
func TestAPlanIsReadOnceForAllSessions(t *testing.T) {
	guild, err := examples.Commons("courier-guild")
	require.NoError(t, err)
	read := 0
	commons := func(context.Context) func(string) ([]byte, error) {
		return func(id string) ([]byte, error) {
			if id != "courier-guild" {
				return nil, errors.New("there is no such commons")
			}
			read++
			return guild, nil
		}
	}
	var p plans
	of := func(text []byte) *playable {
		one, err := p.of(t.Context(), "lantern-pass", string(text), commons)
		require.NoError(t, err)
		return one
	}
	first := of(examples.LanternPass)
	assert.Same(t, first, of(examples.LanternPass))
	assert.Positive(t, read)
	assert.NotSame(t, first, of(append(examples.LanternPass, "# another\n"...)))
	assert.Same(t, first, of(examples.LanternPass))
	guild = append(guild, "# another\n"...)
	assert.NotSame(t, first, of(examples.LanternPass), "the commons is another")
	_, err = p.of(t.Context(), "x", "alluvion: 1\n", commons)
	assert.ErrorContains(t, err, "cannot run")
}
