package types_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

func TestValuesAreReadAsPeopleTypeThem(t *testing.T) {
	m, _, found := model.LoadFor(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, found)
	text := func(items ...string) types.Value {
		list := []types.Value{}
		for _, i := range items {
			list = append(list, types.OfText(i))
		}
		return types.OfItems(list)
	}
	for name, row := range map[string]struct {
		variable, typed string
		want            types.Value
		wrong           string
	}{
		"a number":                   {"player.oil", " 12 ", types.OfInt(12), ""},
		"a number that is none":      {"player.oil", "much", types.None, "a number is wanted"},
		"out of its range":           {"player.oil", "41", types.None, "0 to 40"},
		"off its step":               {"player.warmth", "1.3", types.None, "0.5"},
		"none where it may not be":   {"player.oil", "none", types.None, "a number is wanted"},
		"true":                       {"player.chilled", "true", types.OfBool(true), ""},
		"neither true nor false":     {"player.chilled", "yes", types.None, "true or false"},
		"a choice":                   {"player.lamp", "low", types.OfText("low"), ""},
		"no choice":                  {"player.lamp", "12", types.None, "there is"},
		"a pick":                     {"player.courier", "oddny", types.OfText("oddny"), ""},
		"no pick":                    {"player.courier", "none", types.None, ""},
		"a text":                     {"player.nickname", "12", types.OfText("12"), ""},
		"no text":                    {"player.nickname", "none", types.None, ""},
		"a set, twice the same":      {"player.letters", "mill, lodge,mill", text("lodge", "mill"), ""},
		"an empty set":               {"player.letters", "", text(), ""},
		"a set that says so":         {"player.letters", "empty", text(), ""},
		"a set of what is no choice": {"player.letters", "moon", types.None, "there is"},
		"a point":                    {"player.camp", "(3, 4.5)", types.OfItems([]types.Value{types.OfInt(3), types.OfNum(fixed.Must("4.5"))}), ""},
		"half a point":               {"player.camp", "3", types.None, "2 coordinates"},
	} {
		t.Run(name, func(t *testing.T) {
			got, err := m.Var(row.variable).FromWords(row.typed)
			if row.wrong != "" {
				require.ErrorContains(t, err, row.wrong)
				return
			}
			require.NoError(t, err)
			assert.Equal(t, row.want, got)
		})
	}
}

// Whatever is typed: it is refused, or it is a value that the variable can have.
func TestWhateverIsTypedIsAValueOrRefused(t *testing.T) {
	m, _, found := model.LoadFor(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, found)
	rapid.Check(t, func(t *rapid.T) {
		v := rapid.SampledFrom(m.Vars).Draw(t, "variable")
		typed := rapid.OneOf(rapid.String(), rapid.SampledFrom([]string{"[", ",", "1e9", "-0", "none", strings.Repeat("9", 40), "lodge,,mill", "(1,2)"})).Draw(t, "typed")
		if got, err := v.FromWords(typed); err == nil {
			require.NoError(t, v.Admit(got))
		}
	})
}
