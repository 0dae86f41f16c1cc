package save_test

import (
	"bytes"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
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

func TestASealThatIsNoneCannotBeRead(t *testing.T) {
	raw, err := save.Encode(joined(t, modelOf(t, hut)).Save("ada"))
	require.NoError(t, err)
	file, err := ring.Seal(raw)
	require.NoError(t, err)
	_, _, err = ring.Unseal(file)
	require.NoError(t, err)
	for from, to := range map[string]string{`"alluvion_seal":1`: `"alluvion_seal":2`, `"key":`: `"more":1,"key":`, `"mac":"`: `"mac":"zz`, `{`: `[`} {
		_, _, err = ring.Unseal(bytes.Replace(file, []byte(from), []byte(to), 1))
		assert.ErrorIs(t, err, save.ErrSeal, "%s instead of %s", to, from)
	}
	large := append(bytes.Clone(file), bytes.Repeat([]byte(" "), 2*save.MaxBytes)...)
	_, _, err = ring.Unseal(large)
	assert.ErrorIs(t, err, save.ErrSeal, "it is too large")
	_, err = save.Differences(modelOf(t, hut), append(bytes.Clone(raw), bytes.Repeat([]byte(" "), 2*save.MaxBytes)...), raw)
	assert.ErrorIs(t, err, save.ErrFormat, "it is too large")
	_, err = save.Keys{}.Seal(raw)
	assert.ErrorIs(t, err, save.ErrSeal)
}

func TestWhatTheServiceKnowsIsWrittenIntoASave(t *testing.T) {
	raw, err := save.Encode(joined(t, modelOf(t, hut)).Save("ada"))
	require.NoError(t, err)
	told := save.Told(raw, save.About{Plan: "f00d", Revision: 3, Moment: "leave"})
	l, err := save.OpenPlayer(told)
	require.NoError(t, err)
	require.NotNil(t, l.About)
	assert.Equal(t, 3, l.About.Revision)
	for _, none := range []string{"", "{", "7", "null", "[]"} {
		assert.Equal(t, none, string(save.Told([]byte(none), save.About{})))
	}
}

// A seal is the same in every version of the program: HMAC-SHA-256 over the key's id, a new line and the save.
func TestASealIsTheSameForEver(t *testing.T) {
	sealed, err := ring[:1].Seal([]byte(`{"alluvion_save":1}`))
	require.NoError(t, err)
	h := hmac.New(sha256.New, ring[0].Secret)
	h.Write([]byte("k1\n" + `{"alluvion_save":1}`))
	assert.Contains(t, string(sealed), hex.EncodeToString(h.Sum(nil)), "%s", sealed)
}
