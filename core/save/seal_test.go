package save_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/save"
)

var ring = save.Keys{{ID: "k1", Secret: []byte("0123456789abcdef")}, {ID: "k2", Secret: []byte("fedcba9876543210")}}

func TestRule34OldKeysVerifyAndTheNewestSeals(t *testing.T) {
	raw, err := save.Encode(joined(t, modelOf(t, hut)).Save("ada"))
	require.NoError(t, err)
	by1, err := ring[:1].Seal(raw)
	require.NoError(t, err)
	by2, err := ring.Seal(raw)
	require.NoError(t, err)
	for id, file := range map[string][]byte{"k1": by1, "k2": by2} {
		inner, key, err := ring.Unseal(file)
		require.NoError(t, err)
		assert.Equal(t, id, key)
		assert.Equal(t, string(raw), string(inner))
		assert.True(t, save.IsSealed(file))
	}
	_, _, err = ring[:1].Unseal(by2)
	assert.ErrorIs(t, err, save.ErrSeal, "the key is not known")
	assert.False(t, save.IsSealed(raw))
}

// Every single byte of a sealed save that is changed is found out, or changes nothing that the seal is about.
func TestAChangedByteIsFoundOut(t *testing.T) {
	raw, err := save.Encode(joined(t, modelOf(t, hut)).Save("ada"))
	require.NoError(t, err)
	file, err := ring.Seal(raw)
	require.NoError(t, err)
	for i := range file {
		changed := bytes.Clone(file)
		changed[i] ^= 1
		inner, _, err := ring.Unseal(changed)
		if err == nil {
			assert.Equal(t, string(raw), string(inner), "byte %d: %q", i, changed)
		}
	}
}
