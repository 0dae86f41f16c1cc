package check_test

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion/core/check"
	"alluvion/core/finding"
)

const troubled = "../../examples/troubled"

// withoutExample are the findings that no small readable plan shows; tests of the reader do.
var withoutExample = []string{"empty", "too-large"}

func ids(l finding.List) []string {
	var out []string
	for _, f := range l {
		if f.Accepted == "" {
			out = append(out, f.ID)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Each troubled plan gets exactly its finding, and its near twin, mended as its second line says, none.
func TestEveryFindingFiresAndItsTwinDoesNot(t *testing.T) {
	for _, kind := range finding.Kinds() {
		if slices.Contains(withoutExample, kind.ID) {
			continue
		}
		t.Run(kind.ID, func(t *testing.T) {
			raw, err := os.ReadFile(filepath.Join(troubled, kind.ID+".yaml"))
			require.NoError(t, err, "every finding has a troubled plan")
			_, _, found := check.Text(raw)
			assert.Equal(t, []string{kind.ID}, ids(found), "%+v", found)
			for _, f := range found {
				assert.Positive(t, f.Line)
				assert.Positive(t, f.Column)
				assert.NotEmpty(t, f.Excerpt)
			}
			_, _, twin := check.Text([]byte(mended(t, string(raw))))
			assert.Empty(t, ids(twin), "%+v", twin)
		})
	}
}

// mended makes the change that the plan's second line describes: # Mended:  old  =>  new
func mended(t *testing.T, text string) string {
	head, body, ok := strings.Cut(text, "alluvion: 1")
	require.True(t, ok)
	_, change, _ := strings.Cut(head, "# Mended:  ")
	from, to, ok := strings.Cut(strings.TrimSuffix(strings.TrimSuffix(change, "{"), "\n"), "  =>  ")
	require.True(t, ok, "the second line says how the plan is mended")
	from, to = strings.TrimRight(from, "\n"), strings.TrimRight(to, "\n")
	whole := strings.TrimPrefix(text, head)
	if strings.HasSuffix(head, "{") {
		whole = "{alluvion: 1" + body
	}
	require.Equal(t, 1, strings.Count(whole, from), "%q stands once in the plan", from)
	return strings.Replace(whole, from, to, 1)
}

func TestTroubledHasNothingElse(t *testing.T) {
	files, err := filepath.Glob(filepath.Join(troubled, "*.yaml"))
	require.NoError(t, err)
	for _, f := range files {
		_, ok := finding.Lookup(strings.TrimSuffix(filepath.Base(f), ".yaml"))
		assert.True(t, ok, "%s is named after a finding", f)
	}
}

func TestTheDemoHasNothingToMend(t *testing.T) {
	raw, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	m, p, found := check.Text(raw)
	require.NotNil(t, m)
	assert.Empty(t, ids(found), "%+v", found)
	assert.GreaterOrEqual(t, len(p.Scenes.Entries), 6)
	for _, f := range found {
		assert.NotEmpty(t, f.Accepted, "%+v", f)
	}
}
