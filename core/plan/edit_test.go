package plan_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion/core/plan"
)

const toEdit = `alluvion: 1 # é comment, with {braces}
game: small
version: 1
start: hut/door
scenes: {hut: {size: [10, 10], spots: {door: {at: [5, 0]}}}}
variables:
  oil:    {of: player, type: int, start: 12}   # the lamp's
  heat:   {of: player, type: int, start: 12, across: {death: {set: "min(3, 4)"}, leave: reset}}
  "note": {of: player, type: text, start: "a, {b} # c", title: 'it''s'} # after
  warmth:
    of: player # whose
    type: int
    start: 3
    across:
      death: reset # at death
      leave: keep
  cold:
    of: player
    type: int
    start: 3
    across: {new-run: keep}   # once more
`

func TestAFateIsChangedAndNothingElse(t *testing.T) {
	for name, row := range map[string]struct {
		variable   string
		crossing   plan.Crossing
		kind, expr string
		from, to   string
	}{
		"none yet, in braces":              {"player.oil", plan.CrossDeath, "rewind", "", "start: 12}   # the", "start: 12, across: {death: rewind}}   # the"},
		"another one, in braces":           {"player.heat", plan.CrossScene, "keep", "", "leave: reset}", "leave: reset, scene: keep}"},
		"changed, in braces":               {"player.heat", plan.CrossLeave, "keep", "", "leave: reset", "leave: keep"},
		"an expression replaced":           {"player.heat", plan.CrossDeath, "rewind", "", `death: {set: "min(3, 4)"}`, "death: rewind"},
		"replaced by an expression":        {"player.heat", plan.CrossLeave, "set", "player.oil", "leave: reset", "leave: {set: player.oil}"},
		"by one that needs quotes":         {"player.heat", plan.CrossLeave, "set", "max(1, 2)", "leave: reset", `leave: {set: "max(1, 2)"}`},
		"behind quotes and commas":         {"player.note", plan.CrossLeave, "reset", "", "title: 'it''s'}", "title: 'it''s', across: {leave: reset}}"},
		"changed, indented":                {"player.warmth", plan.CrossDeath, "keep", "", "death: reset # at", "death: keep # at"},
		"another one, indented":            {"player.warmth", plan.CrossNewRun, "keep", "", "      death: reset", "      new-run: keep\n      death: reset"},
		"indented, with braces":            {"player.cold", plan.CrossNewRun, "reset", "", "{new-run: keep}", "{new-run: reset}"},
		"back to the default, in braces":   {"player.heat", plan.CrossLeave, "", "", `"min(3, 4)"}, leave: reset}`, `"min(3, 4)"}}`},
		"the first back to the default":    {"player.heat", plan.CrossDeath, "", "", `{death: {set: "min(3, 4)"}, leave`, "{leave"},
		"back to the default, indented":    {"player.warmth", plan.CrossDeath, "", "", "      death: reset # at death\n", ""},
		"the only one back to the default": {"player.cold", plan.CrossNewRun, "", "", "    across: {new-run: keep}   # once more\n", ""},
		"nothing to take back":             {"player.oil", plan.CrossDeath, "", "", "the lamp's", "the lamp's"},
	} {
		t.Run(name, func(t *testing.T) {
			require.Equal(t, 1, strings.Count(toEdit, row.from), row.from)
			got, err := plan.SetFate(toEdit, row.variable, row.crossing, row.kind, row.expr)
			require.NoError(t, err)
			assert.Equal(t, strings.Replace(toEdit, row.from, row.to, 1), got)
		})
	}
}

func TestWhatCannotBeChangedSaysSo(t *testing.T) {
	for _, row := range []struct{ text, variable, kind string }{
		{toEdit, "player.none", "keep"}, {toEdit, "player.oil", "vanish"}, {"a: [", "player.oil", "keep"}, {"", "player.oil", "keep"},
		{strings.Replace(toEdit, "{of: player, type: int, start: 12}   #", "7 #", 1), "player.oil", "keep"},
	} {
		_, err := plan.SetFate(row.text, row.variable, plan.CrossDeath, row.kind, "")
		assert.ErrorIs(t, err, plan.ErrEdit)
	}
}

// Whatever fates are written one after another into the demo, the plan says them, and every comment stays.
func TestFatesWrittenIntoTheDemoAreRead(t *testing.T) {
	raw, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	p, _ := plan.Read(raw)
	rapid.Check(t, func(t *rapid.T) {
		text := string(raw)
		for range rapid.IntRange(1, 6).Draw(t, "edits") {
			id := rapid.SampledFrom(p.Variables.IDs()).Draw(t, "variable")
			c := rapid.SampledFrom(plan.Crossings).Draw(t, "crossing")
			kind := rapid.SampledFrom([]string{"keep", "reset", ""}).Draw(t, "kind")
			next, err := plan.SetFate(text, "x."+id, c, kind, "")
			require.NoError(t, err)
			again, found := plan.Read([]byte(next))
			require.Empty(t, found)
			require.Equal(t, kind, again.Variables.Get(id).Across.At(c).Kind)
			text = next
		}
		require.GreaterOrEqual(t, strings.Count(text, "#"), strings.Count(string(raw), "#")-1, "comments stay, but for one on a line that is removed")
	})
}

func TestAFateOfAPairOrAFieldIsWrittenWhereItIsDeclared(t *testing.T) {
	const text = "alluvion: 1\ngame: g\nversion: 1\nstart: a/b\nprops: {cache: {placed: {one: a/b}}}\nvariables:\n" +
		"  taken: {of: [player, prop:cache], type: bool, start: false}\n  dress: {of: player, type: group, fields: {hood: {type: bool, start: true}}} # warm\n" +
		"scenes: {a: {size: [9, 9], spots: {b: {at: [1, 1]}}}}\n"
	out, err := plan.SetFate(text, "prop.cache.taken", plan.CrossDeath, "rewind", "")
	require.NoError(t, err)
	assert.Contains(t, out, "start: false, across: {death: rewind}}")
	out, err = plan.SetFate(text, "player.dress.hood", plan.CrossDeath, "reset", "")
	require.NoError(t, err)
	assert.Contains(t, out, "fields: {hood: {type: bool, start: true}}, across: {death: reset}} # warm")
}
