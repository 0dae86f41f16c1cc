package expr_test

import (
	"os"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
)

// The test vectors that games check their own drawing against.
func TestRule25TheVectorsOfTheDocumentation(t *testing.T) {
	page, err := os.ReadFile("../../docs/draw.md")
	require.NoError(t, err)
	rows := regexp.MustCompile(`(?m)^\| (\d+) \| (-?\d+) \| (\d+) \| (-?\d+) \| (\d+) \| (-?\d+) \|$`).FindAllStringSubmatch(string(page), -1)
	require.Greater(t, len(rows), 10)
	for _, row := range rows {
		seed, err := strconv.ParseUint(row[1], 10, 32)
		require.NoError(t, err)
		index, err := strconv.ParseInt(row[2], 10, 64)
		require.NoError(t, err)
		assert.Equal(t, row[3], strconv.FormatUint(uint64(expr.Mix(uint32(seed), uint32(index))), 10), row)
		drawn, err := expr.Draw(fixed.Must(row[1]), fixed.Must(row[2]), fixed.Must(row[4]), fixed.Must(row[5]))
		require.NoError(t, err)
		assert.Equal(t, row[6], drawn.String(), row)
	}
}

func TestADrawStaysBetweenItsLimitsOrFails(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		seed, index := rapid.Uint32().Draw(t, "seed"), rapid.Int64Range(-1<<53, 1<<53).Draw(t, "index")
		from, to := rapid.Int64Range(-1<<40, 1<<40).Draw(t, "from"), rapid.Int64Range(-1<<40, 1<<40).Draw(t, "to")
		drawn, err := expr.Draw(fixed.FromInt(int64(seed)), fixed.FromInt(index), fixed.FromInt(from), fixed.FromInt(to))
		if to < from || to-from > 1<<32-1 || index == 1<<53 || index == -1<<53 {
			require.Error(t, err)
			return
		}
		require.NoError(t, err)
		n, whole := drawn.Int()
		require.True(t, whole && from <= n && n <= to, "%s", drawn)
	})
}
