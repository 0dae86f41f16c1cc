package upgrade_test

import (
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
)

const before = `
alluvion: 1
game: pass
version: 2
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, pair: {scene: keep}, scene: {scene: keep, restart: keep}, game: {restart: keep}, place: {death: checkpoint, leave: exact}}
variables:
  heat:    {of: player, type: int, min: 0, max: 150, start: 100}
  parcels: {of: player, type: int, min: 0, max: 9999, start: 0}
  lamp:    {of: player, type: choice, choices: [out, dim], start: out}
  name:    {of: player, type: text, max_length: 20, optional: true}
  planks:  {of: game, type: int, min: 0, max: 99, start: 0}
scenes: {hut: {size: [10, 10], spots: {door: {at: [5, 0]}}}, gorge: {size: [40, 48], spots: {rim: {at: [20, 2]}}}}
milestones: {over: {when: place.scene == 'gorge'}}
saving: {every: 30s}
`

// Each upgrade of that plan, and what comparing says of it.
func TestComparingFollowsTheStepsAndSaysWhatCannotWork(t *testing.T) {
	old := load(t, before)
	for name, row := range map[string]struct {
		change  []string
		steps   string
		about   string // what and name and change
		verdict upgrade.Verdict
		words   string
	}{
		"a rename":                      {[]string{"  heat:   ", "  warmth: "}, "{rename: {player.heat: player.warmth}}", "variable player.heat renamed", upgrade.Safe, "player.warmth now"},
		"a conversion":                  {nil, "{convert: player.heat, to: old / 2}", "variable player.heat converted", upgrade.Converts, "old / 2"},
		"one that leaves the range":     {nil, "{convert: player.heat, to: old * 2}", "variable player.heat limits", upgrade.Loses, "0 to 300"},
		"one of another type":           {nil, "{convert: player.heat, to: \"'warm'\"}", "variable player.heat type", upgrade.Blocks, "cannot become"},
		"one that asks for what is not": {nil, "{convert: player.heat, to: old + player.heet}", "variable player.heat type", upgrade.Blocks, "Did you mean player.heat"},
		"one of nothing":                {nil, "{convert: player.heat, to: old}, {drop: player.heet, why: x}", "step player.heet unknown", upgrade.Blocks, "Did you mean player.heat?"},
		"a drop":                        {[]string{"  name:    {of: player, type: text, max_length: 20, optional: true}\n", ""}, "{drop: player.name, why: nobody reads it}", "variable player.name dropped", upgrade.Loses, "nobody reads it"},
		"options":                       {[]string{"[out, dim]", "[out, low]"}, "{options: player.lamp, map: {dim: low}}", "variable player.lamp options", upgrade.Converts, "dim becomes low"},
		"an option that is forgotten":   {[]string{"[out, dim]", "[out, low]"}, "{fill: player.name, to: \"'x'\"}", "variable player.lamp options", upgrade.Loses, "dim is no choice"},
		"a split":                       {[]string{"  name:    {of", "  first: {of: player, type: text, max_length: 20, start: ''}\n  last: {of"}, "{split: player.name, into: {player.first: old, player.last: old}}", "variable player.name split", upgrade.Converts, "player.first and player.last"},
		"a merge":                       {[]string{"  heat:    {of", "  both:    {of", "max: 150", "max: 99999", "  parcels: {of: player, type: int, min: 0, max: 9999, start: 0}\n", ""}, "{merge: player.both, from: [player.heat, player.parcels], to: player.heat + player.parcels}", "variable player.parcels merged", upgrade.Converts, "a part of player.both"},
		"a move":                        {[]string{"  parcels: {of: player", "  parcels: {of: game"}, "{move: player.parcels, into: game.parcels, many: sum}", "variable player.parcels moved", upgrade.Converts, "all added up"},
		"a fill":                        {[]string{"  heat:    {of", "  cold: {of: player, type: int, min: 0, max: 9, start: 0}\n  heat:    {of"}, "{fill: player.cold, to: 3}", "variable player.cold added", upgrade.Converts, "is new: 3"},
		"a scene with a new name":       {[]string{"gorge: {size", "canyon: {size", "== 'gorge'", "== 'canyon'"}, "{rename: {scenes.gorge: scenes.canyon}}", "scene gorge renamed", upgrade.Safe, "canyon now"},
		"a scene that is led elsewhere": {[]string{", gorge: {size: [40, 48], spots: {rim: {at: [20, 2]}}}", "", "== 'gorge'", "== 'hut'"}, "{place: gorge, to: hut/door}", "scene gorge gone", upgrade.Converts, "comes to hut/door"},
		"a milestone that is given up":  {[]string{"milestones: {over: {when: place.scene == 'gorge'}}\n", ""}, "{drop: milestones.over, why: too easy}", "milestone over dropped", upgrade.Loses, "too easy"},
	} {
		t.Run(name, func(t *testing.T) {
			text := strings.Replace(before, "version: 2", "version: 3", 1)
			for i := 0; i < len(row.change); i += 2 {
				require.Contains(t, text, row.change[i])
				text = strings.Replace(text, row.change[i], row.change[i+1], 1)
			}
			all := upgrade.Compare(old, load(t, text+"upgrades: {3: ["+row.steps+"]}\n"))
			i := slices.IndexFunc(all.Differences, func(d upgrade.Difference) bool { return d.What+" "+d.Name+" "+d.Change == row.about })
			require.GreaterOrEqual(t, i, 0, "%+v", all.Differences)
			assert.Equal(t, row.verdict, all.Differences[i].Verdict)
			assert.Contains(t, all.Differences[i].Text, row.words)
		})
	}
}

// What the history's comparisons promise, generated saves of every version bear out: where nothing is said to be lost,
// nothing is, and the checks of the upgrades hold.
func TestTheHistoryOfTheDemoIsWhatItsComparisonsSay(t *testing.T) {
	const folder = "../../examples/lantern-pass/history/plan.v"
	var models []*model.Model
	for _, v := range []string{"1", "2", "3", "4"} {
		raw, err := os.ReadFile(folder + v + ".yaml")
		require.NoError(t, err)
		models = append(models, load(t, string(raw)))
	}
	for i, from := range models {
		for _, to := range models[i+1:] {
			said := upgrade.Compare(from, to)
			trial, c, j := upgrade.NewTrial(to), upgrade.New(to), engine.NewJudge(to, nil)
			require.NoError(t, upgrade.MadeUp(from, 5, 40, func(name string, doc any) error {
				raw, err := save.Encode(doc)
				require.NoError(t, err)
				trial.Add(c, j, name, raw, nil, upgrade.Around{})
				return nil
			}))
			assert.Zero(t, trial.Counts[upgrade.NotLoaded]+trial.Counts[upgrade.Earlier])
			for _, x := range trial.Cases {
				if x.Kind == save.KindPlace {
					continue // that a scene is split says nothing of how large its parts are
				}
				told := slices.ContainsFunc(said.Differences, func(d upgrade.Difference) bool { return d.Name == x.Name && d.Verdict == upgrade.Loses })
				assert.True(t, told, "%d to %d: %+v", said.From, said.To, x)
			}
		}
	}
}

func TestStepsThatCannotBeAreFoundInThePlan(t *testing.T) {
	for steps, words := range map[string]string{
		"{rename: {player.cold: player.warmth}}":            `nothing called "player.warmth"`,
		"{convert: player.heet, to: old}":                   "Did you mean player.heat?",
		"{rename: {player.a: game.planks}}":                 "keeps the holder",
		"{move: player.a, into: game.planks}":               "many: max",
		"{move: game.planks, into: player.heat, many: sum}": "does not go with that",
		"{move: scene.a, into: player.heat, many: middle}":  "is one of",
		"{move: player.a, into: scene.b, many: sum}":        "hold nothing called",
		"{place: gorge, to: nowhere}":                       "no scene or spot",
		"{place: gorge, to: hut, by: [1]}":                  "2 axes",
		"{place: gorge, in: {z: [0, 1]}, to: hut}":          "no axis",
		"{check: player.heat, why: x}":                      "condition is wanted",
		"{convert: player.heat, to: old +}":                 "cannot be understood",
		"{merge: player.heat, from: [game.planks], to: 1}":  "keeps the holder",
		"{convert: player.heat, to: old, why: x}":           "does not go with convert",
		"{fill: player.name}":                               `"to"`,
		"{restore: player.gone}":                            "hold nothing called",
		"{split: player.heat, into: player.heat}":           "A table of new names",
		"{drop: heat, why: x}":                              "What saves hold is named",
		"{drop: player, why: x}":                            "is no name of what saves hold",
		"{rename: {milestones.a: milestones.b}}":            "hold nothing called",
	} {
		m, _, found := model.Load([]byte(strings.Replace(before, "version: 2", "version: 3", 1) + "upgrades: {3: [" + steps + "]}\n"))
		assert.Nil(t, m, steps)
		var texts []string
		for _, f := range found {
			texts = append(texts, f.Message)
			assert.Positive(t, f.Line)
		}
		assert.Contains(t, strings.Join(texts, "\n"), words, steps)
	}
}
