// Package golden holds what a test made against a file that says what it is meant to be. Only tests use it.
package golden

import (
	"os"
	"path/filepath"
	"strings"

	"github.com/stretchr/testify/require"
)

// T is a test.
type T interface {
	require.TestingT
	Helper()
}

// Is fails at the first line in which a text and the file differ. With UPDATE_GOLDEN=1 the file is written anew: what is
// different in it then is to be read before it is kept.
func Is(t T, path, got string) {
	t.Helper()
	if os.Getenv("UPDATE_GOLDEN") == "1" {
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(got), 0o644))
	}
	raw, err := os.ReadFile(path)
	require.NoError(t, err)
	if string(raw) == got {
		return
	}
	want, is := strings.Split(string(raw), "\n"), strings.Split(got, "\n")
	for i := range min(len(want), len(is)) {
		require.Equal(t, want[i], is[i], "%s, line %d; UPDATE_GOLDEN=1 writes it anew, to be read", path, i+1)
	}
	require.Len(t, is, len(want), path)
}
