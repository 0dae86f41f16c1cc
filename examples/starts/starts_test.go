package starts_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/rehearse"
	"alluvion.dev/examples/starts"
)

// What a game begins with has no finding that it does not accept with a reason, not even a note, and does what its
// rehearsals say.
func TestWhatAGameBeginsWithIsWhole(t *testing.T) {
	all := starts.All()
	folders, err := os.ReadDir(".")
	require.NoError(t, err)
	n := 0
	for _, f := range folders {
		if f.IsDir() {
			n++
		}
	}
	assert.Len(t, all, n, "each folder is offered")
	for _, s := range all {
		t.Run(s.ID, func(t *testing.T) {
			m, _, found := check.Plan([]byte(s.Plan))
			require.NotNil(t, m, "%v", found)
			for _, f := range found {
				assert.NotEmpty(t, f.Accepted, "%s: %s", f.ID, f.Message)
			}
			assert.Equal(t, s.ID, m.Plan.Game.Name)
			assert.NotEmpty(t, s.Title)
			assert.Greater(t, len(strings.Fields(s.About)), 5)
			assert.NotEmpty(t, s.Rehearsals)
			for name, text := range s.Rehearsals {
				report := rehearse.Play([]byte(text), func(string) ([]byte, error) { return []byte(s.Plan), nil })
				require.Empty(t, report.Found, name)
				assert.True(t, report.Passed(), name)
			}
		})
	}
}
