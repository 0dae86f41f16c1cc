package save

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/model"
)

// Reasons for which a save cannot be used, for errors.Is.
var (
	ErrFormat  = errors.New("this is not a save that can be read")
	ErrGame    = errors.New("the save is of another game")
	ErrVersion = errors.New("the save was written under a newer version of the plan")
	ErrSeal    = errors.New("the seal of the save does not fit it")
)

// Encode writes a save in canonical form (RFC 8785). doc is a *Player, a *World or a *Profile.
func Encode(doc any) ([]byte, error) {
	switch d := doc.(type) {
	case *Player:
		d.Format = Format
		for _, w := range []*World{d.World, d.Record.World} {
			if w != nil {
				w.Format = Format
			}
		}
	case *World:
		d.Format = Format
	case *Profile:
		d.Format = Format
	}
	raw, err := json.Marshal(doc, json.Deterministic(true))
	if err != nil {
		return nil, fmt.Errorf("save: %w", err)
	}
	text := jsontext.Value(raw)
	if err := text.Canonicalize(); err != nil {
		return nil, fmt.Errorf("save: %w", err)
	}
	return text, nil
}

// Told writes what the service knows of a save into its bytes. Bytes that are no save stay as they are.
func Told(raw []byte, about About) []byte {
	var root map[string]jsontext.Value
	if json.Unmarshal(raw, &root) != nil || root == nil {
		return raw
	}
	about.SavedAt = about.SavedAt.UTC()
	text, err := json.Marshal(about)
	if err != nil {
		return raw
	}
	root["about"] = text
	out, err := Encode(root)
	if err != nil {
		return raw
	}
	return out
}

// Digest is SHA-256 over what Encode writes, in hexadecimal.
func Digest(doc any) string {
	raw, err := Encode(doc)
	if err != nil {
		panic(err) // what the engine holds can always be written
	}
	sum := sha256.Sum256(raw)
	return hex.EncodeToString(sum[:])
}

// DecodePlayer reads a player's save under the plan that it was written under, or a later one without upgrades.
func DecodePlayer(raw []byte, m *model.Model) (*Player, []Problem, error) {
	l, err := OpenPlayer(raw)
	if err != nil {
		return nil, nil, err
	}
	return l.Fit(m)
}

// DecodeWorld reads a world's save, as DecodePlayer does a player's.
func DecodeWorld(raw []byte, m *model.Model) (*World, []Problem, error) {
	w, err := OpenWorld(raw)
	if err != nil {
		return nil, nil, err
	}
	return w.Fit(m)
}
