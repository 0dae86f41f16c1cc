//go:build compiled

package compiled_test

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"alluvion.dev/core/compiled"
	"alluvion.dev/core/offline"
	"alluvion.dev/core/upgrade"
)

// TestInsideWithoutReaders is run by TestAProgramWithoutReadersRunsThem, built without the readers of YAML and CEL.
func TestInsideWithoutReaders(t *testing.T) {
	dir := os.Getenv("COMPILED_PLANS")
	names, err := filepath.Glob(filepath.Join(dir, "*"))
	require.NoError(t, err)
	require.NotEmpty(t, names)
	for _, name := range names {
		raw, err := os.ReadFile(name)
		require.NoError(t, err)
		s, problems, err := offline.Open(raw, nil, nil, 1)
		require.NoError(t, err, name)
		require.Empty(t, problems)
		require.NoError(t, s.Connect(s.Protocols()[1]))
	}
	raw, err := os.ReadFile(filepath.Join(dir, "lantern-pass"))
	require.NoError(t, err)
	p, err := compiled.Read(raw)
	require.NoError(t, err)
	m, found := p.Load()
	require.NotNil(t, m, "%v", found)
	for _, name := range saves(t) {
		raw, err := os.ReadFile(name)
		require.NoError(t, err)
		fmt.Println(name, upgraded(upgrade.New(m), raw))
	}
	source, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	_, _, err = offline.Open(source, nil, nil, 1)
	require.ErrorContains(t, err, "This program was built for compiled plans")
}
