package check_test

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion/core/check"
	"alluvion/core/finding"
	"alluvion/examples"
)

// errorsOf are what is wrong with a text, each message once.
func errorsOf(text string) []string {
	_, _, found := check.Text([]byte(text), examples.Commons)
	var out []string
	for _, f := range found {
		if f.Severity == finding.Error {
			out = append(out, f.Message)
		}
	}
	return out
}

// One mistake is told as that one: nothing that only follows from it stands beside it.
func TestOneMistakeIsToldByItself(t *testing.T) {
	text := string(examples.LanternPass)
	for name, row := range map[string]struct{ from, to, want string }{
		"a misspelt section":           {"\nscenes:\n", "\nscenery:\n", `There is nothing called "scenery" here. Did you mean "scenes"?`},
		"a misspelt key":               {"spots:\n      hearth", "spost:\n      hearth", `There is nothing called "spost" here. Did you mean "spots"?`},
		"a misspelt verb":              {"{set: args.at.chilled, to: true}", "{sett: args.at.chilled, to: true}", `There is nothing called "sett" here. Did you mean "set"?`},
		"no such type":                 {"oil:         {of: player, type: int,", "oil:         {of: player, type: imt,", `There is no type called "imt". Did you mean int?`},
		"no such type of items":        {"items: {type: choice, choices: [lodge", "items: {type: chioce, choices: [lodge", `There is no type called "chioce". Did you mean choice?`},
		"no such type of an attribute": {"pack: int", "pack: imt", `There is no type called "imt". Did you mean int?`},
		"no such commons":              {"commons: courier-guild", "commons: courier-gild", `The commons courier-gild cannot be found: there is no commons called "courier-gild".`},
		"no such milestone":            {"full_sack:", "ful_sack:", `There is no milestone called "full_sack". Did you mean ful_sack?`},
		"a choice too many":            {"for: {type: choice, choices: [lodge, mill, beacon]}", "for: {type: choice, choices: [lodge, mill, moon]}", "This cannot be an item of player.letters: it can be moon, which is none of lodge, mill, beacon."},
	} {
		t.Run(name, func(t *testing.T) {
			require.Contains(t, text, row.from)
			got := errorsOf(strings.Replace(text, row.from, row.to, 1))
			assert.Equal(t, []string{row.want}, got)
		})
	}
}

// A name that is misspelt where it is declared is missed in one place after another: that is told once, with the others.
func TestANameThatIsMissedInManyPlacesIsToldOnce(t *testing.T) {
	text := strings.Replace(string(examples.LanternPass), "\n  oil: ", "\n  oill: ", 1)
	_, _, found := check.Text([]byte(text), examples.Commons)
	require.Equal(t, []string{`There is no variable called "player.oil". Did you mean player.oill?`}, errorsOf(text))
	missed := found[slices.IndexFunc(found, func(f finding.Finding) bool { return strings.Contains(f.Message, "no variable") })]
	assert.Greater(t, len(missed.AlsoLines()), 1)
	for _, at := range missed.Also {
		assert.Contains(t, strings.Split(text, "\n")[at.Line-1][at.Column-1:], "player.oil")
	}
}

// Whatever word is misspelt: it is said in few messages, one for each way in which it is missed.
func TestAMisspeltWordIsToldInFewWords(t *testing.T) {
	text := string(examples.LanternPass)
	words := regexp.MustCompile(`[a-z][a-z_]{2,}`).FindAllStringIndex(text, -1)
	require.Greater(t, len(words), 1000)
	rapid.Check(t, func(t *rapid.T) {
		at := rapid.SampledFrom(words).Draw(t, "word")
		word := text[at[0]:at[1]]
		wrong := rapid.SampledFrom([]string{word[:1] + "q" + word[1:], word[:1] + word[2:], word[1:2] + word[:1] + word[2:]}).Draw(t, "as")
		assert.LessOrEqual(t, len(errorsOf(text[:at[0]]+wrong+text[at[1]:])), 8, "%s as %s", word, wrong)
	})
}
