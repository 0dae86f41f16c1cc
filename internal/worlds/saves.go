package worlds

import (
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/model"
	"alluvion.dev/core/upgrade"
)

// Saves are some of the saves that are made up for a plan, from first to last: worlds, players and profiles.
func Saves(t require.TestingT, m *model.Model, seed uint32, some int) []any {
	var all, out []any
	require.NoError(t, upgrade.MadeUp(m, seed, 6, func(_ string, doc any) error {
		all = append(all, doc)
		return nil
	}))
	for i := range some {
		out = append(out, all[i*(len(all)-1)/(some-1)])
	}
	return out
}
