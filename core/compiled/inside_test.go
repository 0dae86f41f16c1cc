package compiled_test

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
)

func saves(t *testing.T) []string {
	names, err := filepath.Glob("../../examples/lantern-pass/history/saves/*.v?.json")
	require.NoError(t, err)
	require.Greater(t, len(names), 10)
	return names
}

// upgraded tells what a save is under a plan: a digest, and what did not fit.
func upgraded(chain *upgrade.Chain, raw []byte) string {
	l, err := chain.Player(raw, upgrade.Around{})
	if err != nil {
		return err.Error()
	}
	problems, err := json.Marshal(l.Problems)
	if err != nil {
		return err.Error()
	}
	text, err := save.Encode(l.Player)
	if err != nil {
		return err.Error()
	}
	return fmt.Sprintf("%x %d %s", sha256.Sum256(text), l.From, problems)
}
