package cluster

import (
	"crypto/tls"
	"io"
	"net"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whoever knows the secret is let in, by a link that nobody reads; whoever knows another one is not, at either end.
func TestALinkNeedsTheSecretAtBothEnds(t *testing.T) {
	t.Parallel()
	over := func(here, there string) (heard string, err error) {
		a, b := ends(t)
		ours, err := linksOf(here)
		require.NoError(t, err)
		theirs, err := linksOf(there)
		require.NoError(t, err)
		go func() {
			asks := tls.Client(a, theirs)
			_, _ = asks.Write([]byte("hello"))
			_ = asks.Close()
		}()
		answers := tls.Server(b, ours)
		raw, err := io.ReadAll(answers)
		return string(raw), err
	}
	heard, err := over("one secret of the nodes", "one secret of the nodes")
	require.NoError(t, err)
	assert.Equal(t, "hello", heard)
	_, err = over("one secret of the nodes", "another secret of theirs")
	require.Error(t, err)

	// Nor is anybody let in who shows nothing.
	a, b := ends(t)
	ours, err := linksOf("one secret of the nodes")
	require.NoError(t, err)
	go func() {
		asks := tls.Client(a, &tls.Config{InsecureSkipVerify: true}) //nolint:gosec // whoever breaks in verifies nothing
		_, _ = asks.Write([]byte("hello"))
		_ = asks.Close()
	}()
	_, err = io.ReadAll(tls.Server(b, ours))
	require.Error(t, err)
}

// ends are both ends of a connection.
func ends(t *testing.T) (a, b net.Conn) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	a, err = net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	b, err = l.Accept()
	require.NoError(t, err)
	t.Cleanup(func() { _, _, _ = a.Close(), b.Close(), l.Close() })
	return a, b
}
