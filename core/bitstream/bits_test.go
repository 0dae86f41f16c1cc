package bitstream_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/bitstream"
)

// What is written comes back, wherever it falls; and nothing is read beyond the end.
func TestWhatIsWrittenIsRead(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		type part struct {
			v uint64
			n uint
		}
		var b bitstream.Bits
		var parts []part
		bits := uint(0)
		for range rapid.IntRange(0, 30).Draw(t, "parts") {
			n := uint(rapid.IntRange(0, 64).Draw(t, "bits"))
			v := rapid.Uint64().Draw(t, "value")
			b.Write(v, n)
			if n < 64 {
				v &= 1<<n - 1
			}
			parts, bits = append(parts, part{v, n}), bits+n
		}
		require.Len(t, b.Raw(), int(bits+7)/8)
		s := bitstream.NewSource(b.Raw())
		for _, p := range parts {
			require.Equal(t, p.v, s.Read(p.n))
		}
		require.NoError(t, s.Err())
		s.Read(8)
		require.ErrorIs(t, s.Err(), bitstream.ErrShort)
	})
}

func TestFlagsAndBytesFallWhereverTheyMay(t *testing.T) {
	var b bitstream.Bits
	b.Flag(true)
	b.Bytes([]byte("né"))
	b.Flag(false)
	s := bitstream.NewSource(b.Raw())
	assert.True(t, s.Flag())
	assert.Equal(t, "né", s.Text(len("né")))
	assert.False(t, s.Flag())
	assert.NoError(t, s.Err())
}

// A row of bits at the end of another is as if its bits had been written there.
func TestRowsAreJoinedWhereverTheyEnd(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var whole, joined bitstream.Bits
		for range rapid.IntRange(0, 5).Draw(t, "rows") {
			var row bitstream.Bits
			for range rapid.IntRange(0, 4).Draw(t, "parts") {
				v, n := rapid.Uint64().Draw(t, "value"), uint(rapid.IntRange(0, 64).Draw(t, "bits"))
				whole.Write(v, n)
				row.Write(v, n)
			}
			joined.Append(&row)
			require.Equal(t, whole.Len(), joined.Len())
			require.Equal(t, append([]byte{}, whole.Raw()...), append([]byte{}, joined.Raw()...))
		}
	})
}
