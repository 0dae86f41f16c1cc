package save

import (
	"bytes"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// Key is one of those that seal saves. Its secret is at least 16 bytes.
type Key struct {
	ID     string
	Secret []byte
}

// Keys seal with the last of them, and verify with all (rule 34).
type Keys []Key

// sealed is a save as it leaves the service: MAC is HMAC-SHA256 (RFC 2104) over the save in canonical form (RFC
// 8785), in hexadecimal. The key's id is sealed with it: it comes first, with a line feed.
type sealed struct {
	Seal int            `json:"alluvion_seal"`
	Key  string         `json:"key"`
	MAC  string         `json:"mac"`
	Save jsontext.Value `json:"save"`
}

// Seal writes a save with a seal, by the newest key. The save has to be JSON.
func (k Keys) Seal(raw []byte) ([]byte, error) {
	if len(k) == 0 {
		return nil, fmt.Errorf("%w: there is no key", ErrSeal)
	}
	text := jsontext.Value(bytes.Clone(raw))
	if err := text.Canonicalize(); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrFormat, err)
	}
	key := k[len(k)-1]
	return json.Marshal(sealed{1, key.ID, hex.EncodeToString(mac(key, text)), text}, json.Deterministic(true))
}

func mac(key Key, text []byte) []byte {
	h := hmac.New(sha256.New, key.Secret)
	h.Write([]byte(key.ID + "\n"))
	h.Write(text)
	return h.Sum(nil)
}

// IsSealed says whether the bytes are a save with a seal.
func IsSealed(raw []byte) bool {
	if isPlayers(raw) || !bytes.Contains(raw, []byte(`"alluvion_seal"`)) {
		return false
	}
	root, err := apart(raw)
	_, is := root["alluvion_seal"]
	return err == nil && is
}

// Unseal takes a save out of its seal, and gives the id of the key. An error, which is ErrSeal, means that something in
// it is not as it was when it was sealed, or that the key is not known.
func (k Keys) Unseal(raw []byte) (inner []byte, key string, err error) {
	var s sealed
	if len(raw) > 2*MaxBytes || tooDeep(raw) || json.Unmarshal(raw, &s, json.RejectUnknownMembers(true)) != nil ||
		s.Seal != 1 {
		return nil, "", fmt.Errorf("%w: it cannot be read", ErrSeal)
	}
	i := slices.IndexFunc(k, func(key Key) bool { return key.ID == s.Key })
	if i < 0 {
		return s.Save, s.Key, fmt.Errorf("%w: the key %q is not known here", ErrSeal, s.Key)
	}
	text := s.Save.Clone()
	if err := text.Canonicalize(); err != nil {
		return nil, s.Key, fmt.Errorf("%w: %w", ErrFormat, err)
	}
	want, err := hex.DecodeString(s.MAC)
	if err != nil || !hmac.Equal(want, mac(k[i], text)) {
		return s.Save, s.Key, fmt.Errorf("%w: something in it was changed after it was sealed", ErrSeal)
	}
	return text, s.Key, nil
}
