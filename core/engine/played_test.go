package engine_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/rehearse"
)

// The rehearsals of our games go as expected: each is a story of many rules at once.
func TestTheRehearsalsOfOurGamesGoAsExpected(t *testing.T) {
	scripts, err := filepath.Glob("../../examples/*/rehearsals/*.yaml")
	require.NoError(t, err)
	require.NotEmpty(t, scripts)
	for _, path := range scripts {
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		report := rehearse.Play(text, func(name string) ([]byte, error) {
			raw, err := os.ReadFile(filepath.Join(filepath.Dir(path), name))
			if err != nil {
				raw, err = os.ReadFile(filepath.Join("../../examples", filepath.Base(name)))
			}
			return raw, err
		})
		assert.True(t, report.Passed(), "%s: %+v", path, report)
	}
}
