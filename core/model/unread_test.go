package model_test

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/examples"
)

func errorsOf(t *testing.T, text string) []string {
	t.Helper()
	m, _, found := model.LoadFor([]byte(text), examples.Commons)
	var out []string
	for _, f := range found {
		if f.Severity == finding.Error {
			out = append(out, f.Message)
		}
	}
	if out != nil {
		require.Nil(t, m)
	}
	return out
}

// Errors of form, of names and in expressions are told in one run; what follows from one of them is not told again.
func TestOneRunTellsAllThatCanBeKnown(t *testing.T) {
	text := string(examples.LanternPass)
	with := func(pairs ...string) string {
		out := text
		for i := 0; i < len(pairs); i += 2 {
			require.Equal(t, 1, strings.Count(out, pairs[i]), pairs[i])
			out = strings.Replace(out, pairs[i], pairs[i+1], 1)
		}
		return out
	}
	for name, row := range map[string]struct {
		text string
		says []string
	}{
		"a form, a name and an expression": {with("from: self, if: player.pack_room > 0", "from: selv, if: player.pack_rom > 0", "to: gorge/mouth", "to: groge/mouth", "{add: player.falls, by: 1}", "{add: player.falls, by: one}"),
			[]string{`from is one of`, "no scene called", "player.pack_rom", `Nothing is called "one"`}},
		"two in one rule":                         {with("    if: place.scene == 'cellar'\n    do:\n      - {set: player.oil, to: 40}", "    if: place.scene == 'cellra'\n    do:\n      - {sett: player.oil, to: 40}"), []string{`no scene called "cellra"`, `nothing called "sett"`}},
		"a variable that is not understood":       {with("falls:       {of: player, type: int, min: 0,", "falls:       {of: player, type: int, min: zero,"), []string{"plain decimal number"}},
		"a variable whose start is called wrong":  {with("max: 9999, start: 0, read_by: game}\n  chilled", "max: 9999, begin: 0, read_by: game}\n  chilled"), []string{`nothing called "begin"`}},
		"an event whose arguments are none":       {with("warm_up:   {args: {minutes: {type: int, min: 1, max: 60}}, from: self}", "warm_up:   {args: minutes, from: self}"), []string{"A table is wanted"}},
		"a roster that is not understood":         {with("attributes: {pace: {type: decimal, step: 0.1}, pack: int, portrait: text}", "attributes: [pace, pack, portrait]"), []string{"A table by ids is wanted"}},
		"a rule on a moment that there is not":    {with("  - on: warm_up\n", "  - on: warn_up\n"), []string{`no event or moment called "warn_up"`}},
		"a table misspelt, and what stands in it": {with("\nmilestones:\n  first_crossing: {title: First Crossing, when: place.scene == 'ridge'}", "\nmilestnes:\n  first_crossing: {title: First Crossing, when: place.scene == 'rigde'}"), []string{`nothing called "milestnes"`, `no scene called "rigde"`}},
		"a prop in no scene":                      {with("by_the_wheel: {in: mill,", "by_the_wheel: {in: mil,", "start: lodge/shed, never_in", "start: lodge/sheet, never_in"), []string{"no spot called", `no scene called "mil"`}},
	} {
		t.Run(name, func(t *testing.T) {
			said := errorsOf(t, row.text)
			if assert.Len(t, said, len(row.says), "%q", said) {
				all := strings.Join(said, "\n")
				for _, words := range row.says {
					assert.Contains(t, all, words)
				}
			}
		})
	}
}

// Whatever is misspelt or left out: the builder does not stumble over what could not be read.
func TestNoErrorOfFormMakesTheBuilderStumble(t *testing.T) {
	defer model.OnStumble(func(any) {})
	word := regexp.MustCompile(`[a-z_]{2,}|[0-9.]+|[{}\[\],:]`)
	rapid.Check(t, func(t *rapid.T) {
		model.OnStumble(func(over any) { t.Fatalf("stumbled: %v", over) })
		changed := string(rapid.SampledFrom([][]byte{examples.LanternPass, examples.Harbour}).Draw(t, "plan"))
		for range rapid.IntRange(1, 4).Draw(t, "slips") {
			at := word.FindAllStringIndex(changed, -1)
			from, to := rapid.SampledFrom(at).Draw(t, "from"), rapid.SampledFrom(at).Draw(t, "to")
			changed = changed[:from[0]] + rapid.SampledFrom([]string{changed[to[0]:to[1]], "x", "", "[a]", "{a: 1}"}).Draw(t, "instead") + changed[from[1]:]
		}
		model.LoadFor([]byte(changed), examples.Commons)
	})
}
