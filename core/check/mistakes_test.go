package check_test

import (
	"encoding/json"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/check"
	"alluvion.dev/core/finding"
	"alluvion.dev/examples"
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
		"a misspelt section":           {"\nscenes:\n", "\nscenery:\n", `There is nothing called "scenery" here. Did you mean scenes?`},
		"a misspelt key":               {"spots:\n      hearth", "spost:\n      hearth", `There is nothing called "spost" here. Did you mean spots?`},
		"a misspelt verb":              {"{set: args.at.chilled, to: true}", "{sett: args.at.chilled, to: true}", `There is nothing called "sett" here. Did you mean set?`},
		"no such type":                 {"oil:         {of: player, type: int,", "oil:         {of: player, type: imt,", `There is no type called "imt". Did you mean int?`},
		"no such type of items":        {"items: stop,", "items: stpo,", `There is no type called "stpo". Did you mean stop?`},
		"no such type of an attribute": {"pack: int", "pack: imt", `There is no type called "imt". Did you mean int?`},
		"no such commons":              {"commons: courier-guild", "commons: courier-gild", `The commons courier-gild cannot be found: there is no commons called "courier-gild".`},
		"no such milestone":            {"full_sack:", "ful_sack:", `There is no milestone called "full_sack". Did you mean ful_sack?`},
		"variables within another":     {"\nvariables:\n", "\nvariables:\n  purse: {silver: {of: player, type: int, min: 0, max: 9, start: 0}}\n", "Whose it is (of) and its type are missing here: there are only other variables. Each stands by itself: silver: {of: player, …}. Those that belong together are a group: {of: player, type: group, fields: {silver: …}}."},
		"what others call a type":      {"oil:         {of: player, type: int,", "oil:         {of: player, type: integer,", `There is no type called "integer". Did you mean int?`},
		"what others call on":          {"- on: horn", "- when: horn", `There is nothing called "when" here. Did you mean on?`},
		"what others call a sender":    {"horn:      {from: self}", "horn:      {from: client}", "from is one of self, server, not \"client\". Did you mean self?"},
		"things in a list":             {"requests:\n  start-over: {", "goals: [home, away]\nrequests:\n  start-over: {", "A table by ids is wanted here, not a list: one like {home: {…}, away: {…}}."},
		"a word for an operator":       {"place.scene == 'mill' || place.scene", "place.scene == 'mill' or place.scene", "This expression cannot be understood: or is written ||."},
		"a choice without quotes":      {"if: place.scene == 'cellar'", "if: place.scene == cellar", "Nothing is called \"cellar\" here. What one can choose stands in quotes: 'cellar'."},
		"a choice too many":            {"{for: stop}", "{for: {type: choice, choices: [lodge, mill, moon]}}", "This cannot be an item of player.letters: it can be moon, which is not one of lodge, mill, beacon."},
	} {
		t.Run(name, func(t *testing.T) {
			require.Contains(t, text, row.from)
			got := errorsOf(strings.Replace(text, row.from, row.to, 1))
			assert.Equal(t, []string{row.want}, got)
		})
	}
}

// Whatever of the demo is of another form than it has to be: that is told, and next to nothing that only follows from it.
func TestWhatIsOfAnotherFormIsToldByItself(t *testing.T) {
	var doc any
	text := regexp.MustCompile(`prop:(\w+)\]`).ReplaceAll(examples.LanternPass, []byte(`"prop:$1"]`)) // what the library takes for a table
	require.NoError(t, yaml.Unmarshal(text, &doc))
	n, tried, alone := 0, 0, 0
	try := func(path string, other any) {
		if n++; n%16 != 0 {
			return // one of so many: all of them take a minute
		}
		raw, err := json.Marshal(doc)
		require.NoError(t, err)
		told := errorsOf(string(raw))
		form := slices.IndexFunc(told, func(m string) bool { return strings.Contains(m, "wanted here") })
		if form < 0 {
			return // it may be so, or it is another mistake
		}
		if tried++; len(told) == 1 {
			alone++
		}
		assert.LessOrEqual(t, len(told), 5, "%s is %v: %q", path, other, told)
	}
	var walk func(at any, path string)
	walk = func(at any, path string) {
		switch x := at.(type) {
		case map[string]any:
			for _, k := range slices.Sorted(maps.Keys(x)) {
				was := x[k]
				for _, other := range []any{"zz", []any{"zz"}, map[string]any{}, nil} {
					x[k] = other
					try(path+"/"+k, other)
				}
				x[k] = was
				walk(was, path+"/"+k)
			}
		case []any:
			for i, was := range x {
				for _, other := range []any{"zz", []any{}, map[string]any{}} {
					x[i] = other
					try(fmt.Sprint(path, "/", i), other)
				}
				x[i] = was
				walk(was, fmt.Sprint(path, "/", i))
			}
		}
	}
	require.Empty(t, errorsOf(string(text)))
	walk(doc, "")
	assert.Greater(t, tried, 100)
	assert.Greater(t, alone*100/tried, 95, "%d of %d are told alone", alone, tried)
}

// What does not follow from an error of form is told with it.
func TestAnErrorOfFormHidesNothingElse(t *testing.T) {
	text := strings.NewReplacer("\ngame: lantern-pass", "\ngame: Lantern Pass", "\nspace: {", "\nspace: {quilt: 3, ", "to: gorge/mouth", "to: gorge/moth").Replace(string(examples.LanternPass))
	told := strings.Join(errorsOf(text), "\n")
	for _, part := range []string{`"Lantern Pass" cannot be`, `"quilt"`, `"moth"`} {
		assert.Contains(t, told, part)
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
// Most are said in one or two; the scene with the most spots, areas and rules in nine.
func TestAMisspeltWordIsToldInFewWords(t *testing.T) {
	text := string(examples.LanternPass)
	words := regexp.MustCompile(`[a-z][a-z_]{2,}`).FindAllStringIndex(text, -1)
	require.Greater(t, len(words), 1000)
	rapid.Check(t, func(t *rapid.T) {
		at := rapid.SampledFrom(words).Draw(t, "word")
		word := text[at[0]:at[1]]
		wrong := rapid.SampledFrom([]string{word[:1] + "q" + word[1:], word[:1] + word[2:], word[1:2] + word[:1] + word[2:]}).Draw(t, "as")
		assert.LessOrEqual(t, len(errorsOf(text[:at[0]]+wrong+text[at[1]:])), 9, "%s as %s", word, wrong)
	})
}

// A key that is not known hides only what the table misses: that may be what was meant.
func TestAnUnknownKeyHidesNothingElse(t *testing.T) {
	_, _, found := check.Text([]byte(`alluvion: 1
game: keys
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: entry, leave: exact, new-run: start}}
variables:
  a: {of: player, type: int, start: 0, colour: red, across: {death: {set: player.nothing + 1}}, read_by: game}
  b: {of: player, type: int, strt: 3, read_by: game}
  c: {of: player, typ: int, start: 3, read_by: game}
  d: {of: player, type: int, start: 3, max: 9, sieze: 3, min: 20, read_by: game}
scenes: {hut: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
saving: {when: [leave], every: 20s}
`), nil)
	var told []string
	for _, f := range found {
		text, _, _ := strings.Cut(f.Message, ".")
		text, _, _ = strings.Cut(text, " here")
		told = append(told, fmt.Sprint(f.Line, ": ", text))
	}
	assert.Equal(t, []string{`7: There is nothing called "colour"`, `7: player has no "nothing"`, `8: There is nothing called "strt"`, `9: There is nothing called "typ"`,
		"10: player", "10: d can have no value: its max 9 is less than its min 20", `10: There is nothing called "sieze"`}, told)
}

// What is accepted has to be a finding that can be accepted.
func TestWhatIsAcceptedIsAFinding(t *testing.T) {
	for accepted, want := range map[string]string{
		"missing: because":        `"missing" is an error: the plan cannot run with it, so it cannot be accepted.`,
		"nevr-read: because":      `There is no finding called "nevr-read". Did you mean never-read?`,
		"something-else: because": `There is no finding called "something-else". docs/findings.md lists what can be accepted.`,
	} {
		text := strings.Replace(string(examples.LanternPass), "oil:         {", "oil:         {accept: {"+accepted+"}, ", 1)
		require.NotEqual(t, text, string(examples.LanternPass))
		m, _, _ := check.Text([]byte(text), examples.Commons)
		assert.Nil(t, m)
		assert.Equal(t, []string{want}, errorsOf(text))
	}
}
