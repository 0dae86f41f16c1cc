package texts_test

import (
	"fmt"
	"strings"
	"testing"

	yaml "github.com/goccy/go-yaml"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/texts"
	"alluvion.dev/internal/worlds"
)

func TestWhatIsWrittenIsWholeAndReadsAsThePlanHasIt(t *testing.T) {
	for name, m := range worlds.All(t) {
		raw := texts.Write(m)
		there := map[string]string{}
		require.NoError(t, yaml.Unmarshal(raw, &there), "%s\n%s", name, raw)
		keys := 0
		for _, x := range m.Texts {
			if x.Key != "" {
				keys++
				assert.Equal(t, x.Text, there[x.Key], x.Key)
			} else {
				assert.Contains(t, string(raw), x.Text)
			}
		}
		assert.Len(t, there, keys, "each key is one text: %s", name)
		if keys == 0 {
			continue
		}
		lacking, found := texts.Compare(m, raw)
		assert.Empty(t, found, name)
		assert.Empty(t, lacking, name)
	}
}

const bells = `
alluvion: 1
game: bells
version: 1
start: hall/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
variables:
  rope: {of: player, type: int, min: 0, max: 9, start: 0, at_limit: refuse, refused: "The rope: it is \"taut\".", read_by: game}
scenes: {hall: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
events: {pull: {from: self, if: player.rope < 9, refused: yes}}
rules:
  - {name: bell, on: [pull, joined], do: [{add: player.rope, by: 1}, {notify: player, text: Ding.}, {notify: scene, text: "1"}]}
  - {on: pull, do: [{notify: everyone, text: Dong.}]}
always: [{that: player.rope < 9, refused: It would break.}]
`

func TestAFileInAnotherLanguageIsHeldAgainstThePlan(t *testing.T) {
	m := worlds.Load(t, strings.Replace(bells, "refused: yes", `refused: "yes"`, 1))
	keys := []string{}
	for _, x := range m.Texts {
		keys = append(keys, x.Key)
	}
	assert.Equal(t, []string{"variables.rope.refused", "events.pull.refused", "rules.bell.text", "rules.bell.text_2", "", ""}, keys)
	for file, wanted := range map[string]struct {
		lacking int
		found   string
	}{
		"variables.rope.refused: Tauet er stramt.\nevents.pull.refused: ja da\nrules.bell.text: Ding.\nrules.bell.text_2: \"1\"\n": {0, ""},
		"# nothing yet\nrules.bell.text: |\n  Ding,\n  dong.\n":                                                                    {3, ""},
		"rules.bell.txt: Ding.\n":                       {4, `1:1 The plan has no text called "rules.bell.txt". Did you mean rules.bell.text?`},
		"rules.bell.text: Ding.\nrules.bell.text: D.\n": {0, "2:1"},
		"rules.bell.text_2: 1\n":                        {3, "1:20 A text is wanted here"},
		"rules.bell.text_2: {a: b}\n":                   {3, "A text is wanted here"},
		"- rules.bell.text\n":                           {4, "A table of texts is wanted here"},
		"":                                              {0, "There are no texts in it"},
		"a: [\n":                                        {0, "This is not YAML"},
	} {
		lacking, found := texts.Compare(m, []byte(file))
		if wanted.found == "" {
			assert.Empty(t, found, file)
			assert.Len(t, lacking, wanted.lacking, file)
			continue
		}
		require.NotEmpty(t, found, file)
		assert.Contains(t, fmt.Sprintf("%d:%d %s", found[0].Line, found[0].Column, found[0].Message), wanted.found, file)
	}
}
