package plan_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// A form that fills in just what is needed makes a declaration; one that leaves it out does not.
func TestFormsAskForWhatADeclarationNeeds(t *testing.T) {
	spoken := plan.Spoken()
	require.Len(t, spoken.Types, len(types.All()))
	for _, form := range spoken.Types {
		assert.NotEmpty(t, form.Sentence, form.Name)
		about := types.Called(form.Name).About()
		for _, limit := range form.Limits {
			assert.NotEmpty(t, limit.Title, "%s of %s", limit.Key, form.Name)
			assert.NotEmpty(t, limit.Meaning, "%s of %s", limit.Key, form.Name)
		}
		if about.Stands&types.InVariable == 0 {
			continue
		}
		for _, key := range about.Limits {
			assert.True(t, slices.ContainsFunc(form.Limits, func(l plan.LimitForm) bool { return l.Key == key }), "a form asks for %s of %s", key, form.Name)
		}
	}
}
