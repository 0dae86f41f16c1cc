package edit_test

import (
	"errors"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/check"
	"alluvion.dev/core/edit"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/examples"
)

func mend(text string, f finding.Finding) (string, error) {
	return edit.Apply(text, []edit.Edit{{Do: "mend", At: finding.At{Line: f.Line, Column: f.Column}}}, examples.Commons)
}

func TestAMisspeltNameIsMendedWhereverItStands(t *testing.T) {
	text := string(examples.LanternPass)
	for name, row := range map[string]struct{ right, wrong, nearest string }{
		"a name in an expression":        {"if: place.scene == 'gorge' && !game.bridge_mended", "if: place.scene == 'gorge' && !game.brige_mended", "game.bridge_mended"},
		"twice in one":                   {"\"min(player.max_warmth, player.warmth + args.minutes * 2.5)\"", "\"min(player.max_warmht, player.max_warmht + args.minutes * 2.5)\"", "player.max_warmth"},
		"a spot":                         {"porch_gorge: {from: lodge/porch,", "porch_gorge: {from: lodge/proch,", "lodge/porch"},
		"a key":                          {"spots:\n      hearth", "spost:\n      hearth", "spots"},
		"a verb":                         {"{raise: player.stage, to: \"place", "{rais: player.stage, to: \"place", "raise"},
		"a kind of prop":                 {"of: [player, prop:cache]", "of: [player, prop:cahce]", "prop:cache"},
		"a word of several, with dashes": {"leave: keep, new-run: reset}", "leave: keep, new-rum: reset}", "new-run"},
	} {
		t.Run(name, func(t *testing.T) {
			require.Contains(t, text, row.right)
			wrong := strings.Replace(text, row.right, row.wrong, 1)
			_, _, found := check.Text([]byte(wrong), examples.Commons)
			require.NotEmpty(t, found)
			var missed finding.Finding
			for _, f := range found {
				if f.Nearest == row.nearest {
					missed = f
				}
			}
			require.NotZero(t, missed.Line, "%v", found)
			out, err := mend(wrong, missed)
			require.NoError(t, err)
			want := text
			if name == "twice in one" {
				want = strings.Replace(text, row.right, strings.ReplaceAll(row.wrong, "max_warmht", "max_warmth"), 1)
			}
			assert.Equal(t, want, out)
		})
	}
	_, err := mend(text, finding.Finding{At: finding.At{Line: 3, Column: 1}})
	require.ErrorIs(t, err, plan.ErrEdit)
	assert.ErrorContains(t, err, "nobody knows what was meant on line 3, column 1")
}

// Whatever word is misspelt: where a name is offered instead, writing it mends just that, and if it is written where the
// slip was, the plan is as it was.
func TestWhatIsMendedIsNotWrongAnyMore(t *testing.T) {
	text := string(examples.LanternPass)
	words := regexp.MustCompile(`[a-z][a-z_-]{2,}`).FindAllStringIndex(text, -1)
	rapid.Check(t, func(t *rapid.T) {
		at := rapid.SampledFrom(words).Draw(t, "word")
		word := text[at[0]:at[1]]
		wrong := text[:at[0]] + word[:1] + "q" + word[1:] + text[at[1]:]
		_, _, found := check.Text([]byte(wrong), examples.Commons)
		for _, f := range found {
			if f.Severity != finding.Error || f.Nearest == "" {
				continue
			}
			out, err := mend(wrong, f)
			switch {
			case errors.Is(err, plan.ErrEdit) && strings.Contains(err.Error(), "as much is wrong as before"):
				continue // it is left
			case err != nil:
				t.Fatalf("%s: %v", f.Message, err)
			}
			_, _, after := check.Text([]byte(out), examples.Commons)
			for _, g := range after {
				if g.ID == f.ID && g.Message == f.Message {
					t.Fatalf("%s: it is still so on line %d", f.Message, g.Line)
				}
			}
			if strings.HasSuffix(f.Nearest, word) && !strings.Contains(f.Nearest, word[:1]+"q"+word[1:]) && out != text && after.Errors() {
				t.Fatalf("%s: %s was written, and something else is wrong:\n%v", f.Message, f.Nearest, after)
			}
		}
	})
}

// Where anything else can have been meant, or what would be written kills, moves, clears or saves, it is suggested and
// never written without asking.
func TestOnlyWhatCannotBeOtherwiseIsSure(t *testing.T) {
	text := string(examples.LanternPass)
	for name, row := range map[string]struct {
		right, wrong string
		sure         []string
	}{
		"a verb that kills":                 {"[{die: args.at}]", "[{dei: args.at}]", nil},
		"another verb of four letters":      {"do: [{die: player}]\n\nmilestones", "do: [{give: player}]\n\nmilestones", nil},
		"a verb that moves":                 {"{go: lodge/hearth}", "{goo: lodge/hearth}", nil},
		"a word that is near to save":       {"{remember: way_back}", "{sav: player}", nil},
		"a second key of a table":           {"start: lodge/hearth\n", "start: lodge/hearth\nstrat: {with: everyone}\n", nil},
		"what stands beside it does not go": {"{raise: player.stage, to: \"place", "{rase: player.stage, by: \"place", nil},
		"two words are as near":             {"max(0, player.courier.pack", "mix(0, player.courier.pack", nil},
		"a fate that clears":                {"across: {death: reset}}\n  nickname", "across: {death: rest}}\n  nickname", nil},
		"a fate that keeps":                 {"across: {new-run: keep}, share", "across: {new-run: kep}, share", []string{"keep"}},
		"a verb that adds":                  {"{add: player.falls, by: 1}", "{addd: player.falls, by: 1}", []string{"add"}},
	} {
		t.Run(name, func(t *testing.T) {
			require.Contains(t, text, row.right)
			_, _, found := check.Text([]byte(strings.Replace(text, row.right, row.wrong, 1)), examples.Commons)
			require.True(t, found.Errors())
			var sure []string
			for _, f := range found {
				if f.Sure {
					sure = append(sure, f.Nearest)
				}
			}
			assert.Equal(t, row.sure, sure, "%+v", found)
		})
	}
}
