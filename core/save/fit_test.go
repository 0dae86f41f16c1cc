package save_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
)

const lodge = `
alluvion: 1
game: hut
version: 2
space: {axes: [x, y], facings: [north, south]}
start: a/s
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, pair: {scene: keep}, game: {restart: keep}, scene: {scene: keep, restart: keep}, place: {death: checkpoint, leave: exact}}
variables:
  oil:     {of: player, type: int, min: 0, max: 40, start: 12}
  heat:    {of: player, type: decimal, min: 0, max: 10, step: 0.5, start: 1.5}
  lamp:    {of: player, type: choice, choices: [out, lit], start: lit}
  letters: {of: player, type: set, items: {type: choice, choices: [a, b]}, max_items: 2}
  badge:   {of: player, type: text, max_length: 4, optional: true}
  visited: {of: [player, scene], type: bool, start: false}
scenes: {a: {size: [4, 4], spots: {s: {at: [1, 1]}}}, b: {size: [4, 4], spots: {t: {at: [2, 2]}}}}
checkpoints: {fallback: a/s, list: {tree: {at: b/t}}}
waymarks: {camp: {}}
milestones: {first: {when: player.oil == 40}}
movables: {sled: {start: a/s, never_in: [b]}}
saving: {every: 30s MISFITS}
`

// Everything that can be wrong in a save is told, with a pointer and with what is loaded instead; and that is what the
// engine has then.
func TestWhatIsWrongIsToldWithWhatIsLoadedInstead(t *testing.T) {
	m := modelOf(t, strings.Replace(lodge, "MISFITS", "", 1))
	raw, err := save.Encode(joined(t, m).Save("ada"))
	require.NoError(t, err)
	for name, row := range map[string]struct {
		from, to, pointer string
		kind              save.Kind
		instead           string
		figure, value     string
	}{
		"a text for a number":     {`"oil":12`, `"oil":"12"`, "/values/oil", save.KindType, "its start value, 12", "player.oil", "12"},
		"a table for a number":    {`"oil":12`, `"oil":{"a":1}`, "/values/oil", save.KindType, "its start value, 12", "player.oil", "12"},
		"too many":                {`"oil":12`, `"oil":41`, "/values/oil", save.KindRange, "it is 40", "player.oil", "40"},
		"too few":                 {`"oil":12`, `"oil":-1`, "/values/oil", save.KindRange, "it is 0", "player.oil", "0"},
		"between two steps":       {`"heat":1.5`, `"heat":2.7`, "/values/heat", save.KindStep, "it is 2.5", "player.heat", "2.5"},
		"no such option":          {`"lamp":"lit"`, `"lamp":"dim"`, "/values/lamp", save.KindOption, "its start value, lit", "player.lamp", "lit"},
		"an item of no option":    {`"letters":[]`, `"letters":["a","z"]`, "/values/letters/1", save.KindOption, "it is left out", "player.letters", "[a]"},
		"an item of another type": {`"letters":[]`, `"letters":[7,"b"]`, "/values/letters/0", save.KindType, "it is left out", "player.letters", "[b]"},
		"a long text":             {`"badge":null`, `"badge":"silver"`, "/values/badge", save.KindRange, "its start value, none", "player.badge", "none"},
		"none where none is not":  {`"oil":12`, `"oil":null`, "/values/oil", save.KindType, "its start value, 12", "player.oil", "12"},
		"nothing":                 {`,"oil":12`, ``, "/values/oil", save.KindMissing, "its start value, 12", "player.oil", "12"},
		"something more":          {`"oil":12`, `"oil":12,"tin":1`, "/values/tin", save.KindExtra, "the attic keeps it", "player.oil", "12"},
		"no such scene":           {`"place":{"at":[1,1],"facing":"north","scene":"a"}`, `"place":{"at":[1,1],"facing":"north","scene":"z"}`, "/place/scene", save.KindPlace, "the fallback, a/s", "player.oil", "12"},
		"outside a scene":         {`"place":{"at":[1,1]`, `"place":{"at":[9,1]`, "/place/at", save.KindPlace, "a (3.999, 1)", "player.oil", "12"},
		"too few coordinates":     {`"place":{"at":[1,1]`, `"place":{"at":[1]`, "/place/at", save.KindPlace, "they are at", "player.oil", "12"},
		"no such facing":          {`"place":{"at":[1,1],"facing":"north"`, `"place":{"at":[1,1],"facing":"up"`, "/place/facing", save.KindPlace, "it is north", "player.oil", "12"},
		"no such checkpoint":      {`"dead":false`, `"checkpoint":"rock","dead":false`, "/checkpoint", save.KindPlace, "no checkpoint", "player.oil", "12"},
		"no such milestone":       {`"dead":false`, `"dead":false,"milestones":["last"]`, "/milestones/0", save.KindExtra, "the attic keeps it", "player.oil", "12"},
		"no such waymark":         {`"dead":false`, `"dead":false,"waymarks":{"x":{"scene":"a","at":[1,1]}}`, "/waymarks/x", save.KindExtra, "the attic", "player.oil", "12"},
		"a waymark nowhere":       {`"dead":false`, `"dead":false,"waymarks":{"camp":{"scene":"z","at":[1,1]}}`, "/waymarks/camp/scene", save.KindPlace, "forgotten", "player.oil", "12"},
		"a strange member":        {`"dead":false`, `"dead":false,"mood":1`, "/mood", save.KindExtra, "the attic keeps it", "player.oil", "12"},
		"a place that is none":    {`"place":{"at":[1,1],"facing":"north","scene":"a"}`, `"place":5`, "/place", save.KindType, "left out", "player.oil", "12"},
		"values that are none":    {`"scenes":{}`, `"scenes":{"a":7}`, "/scenes/a", save.KindType, "left out", "player.oil", "12"},
		"a slot too many":         {`"slot":1`, `"slot":4`, "/slot", save.KindImpossible, "the slot that is asked for", "player.oil", "12"},
		"in the record":           {`"record":{"values":{}`, `"record":{"values":{"oil":99}`, "/record/values/oil", save.KindRange, "it is 40", "player.oil", "12"},
	} {
		t.Run(name, func(t *testing.T) {
			text := string(raw)
			if strings.HasPrefix(row.from, `"scenes"`) {
				text = strings.Replace(text, `"slot":1`, `"scenes":{},"slot":1`, 1)
			}
			require.Contains(t, text, row.from)
			p, problems, err := save.DecodePlayer([]byte(strings.Replace(text, row.from, row.to, 1)), m)
			require.NoError(t, err)
			var found *save.Problem
			for i := range problems {
				if problems[i].Pointer == row.pointer {
					found = &problems[i]
				}
			}
			require.NotNil(t, found, "%+v", problems)
			assert.Equal(t, row.kind, found.Kind)
			assert.Contains(t, found.Instead, row.instead)
			assert.NotEmpty(t, found.Reason)
			r := engine.New(m)
			_, err = r.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: p})
			require.NoError(t, err)
			for _, f := range r.Figures("ada") {
				if f.Var.Name == row.figure {
					assert.Equal(t, row.value, f.Value.Plain())
				}
			}
			again, err := save.Encode(r.Save("ada"))
			require.NoError(t, err)
			_, problems, err = save.DecodePlayer(again, m)
			require.NoError(t, err)
			assert.Empty(t, problems, "what was loaded is right")
		})
	}
}

func TestAWorldSaysWhatIsWrongWithIt(t *testing.T) {
	m := modelOf(t, strings.Replace(lodge, "MISFITS", "", 1))
	for text, want := range map[string]string{
		`{"movables":{"sled":{"scene":"b","at":[1,1]}}}`:                       "/movables/sled: sled is never in b; it is at its start, a/s",
		`{"movables":{"sled":{"scene":"z","at":[1,1]}}}`:                       "/movables/sled/scene: there is no scene called \"z\"; it is at its start, a/s",
		`{"movables":{"cart":{"scene":"a","at":[1,1]}}}`:                       "/movables/cart: the plan has no such movable; nothing reads it; the attic keeps it",
		`{"held":{"sled":"ada"}}`:                                              "/held/sled: somebody holds it, and it is nowhere; it is at its start",
		`{"movables":{"sled":{"scene":"a","at":[1,1]}},"held":{"sled":"ada"}}`: "",
		`{"scenes":{"a":{"snow":1}}}`:                                          "/scenes/a/snow: the plan has no such variable; nothing reads it; the attic keeps it",
	} {
		doc := `{"alluvion_world":1,"game":"hut","version":2,"values":{},` + text[1:]
		_, problems, err := save.DecodeWorld([]byte(doc), m)
		require.NoError(t, err, doc)
		var told []string
		for _, p := range problems {
			told = append(told, p.Pointer+": "+p.Reason+"; "+p.Instead)
		}
		assert.Equal(t, want, strings.Join(told, "\n"), doc)
	}
}

func TestAPolicyIsThePlansOwn(t *testing.T) {
	raw, err := save.Encode(joined(t, modelOf(t, strings.Replace(lodge, "MISFITS", "", 1))).Save("ada"))
	require.NoError(t, err)
	many := []byte(strings.NewReplacer(`"oil":12`, `"oil":41`, `"lamp":"lit"`, `"lamp":"dim"`).Replace(string(raw)))
	for misfits, want := range map[string]save.Policy{"": save.Take, ", misfits: {range: start}": save.Take, ", misfits: {range: last}": save.Last, ", misfits: {range: refuse}": save.Refuse,
		", misfits: {range: last, option: refuse}": save.Refuse, ", misfits: {extra: refuse}": save.Take} {
		p, problems, err := save.DecodePlayer(many, modelOf(t, strings.Replace(lodge, "MISFITS", misfits, 1)))
		require.NoError(t, err)
		assert.Len(t, problems, 2)
		assert.Equal(t, want, save.Outcome(problems), misfits)
		assert.Contains(t, p.Attic, "player.oil", "nothing is corrected before it was kept")
	}
}

// Any bytes are a save or not, and never more than that; what is read can be written and is then the same.
func FuzzOpen(f *testing.F) {
	m := modelOf(f, strings.Replace(lodge, "MISFITS", "", 1))
	good, err := save.Encode(joined(f, m).Save("ada"))
	require.NoError(f, err)
	f.Add(good)
	f.Add([]byte(`{"alluvion_world":1,"game":"hut","version":2,"values":{},"movables":{"sled":{"scene":"a","at":[1,1]}},"held":{"sled":"x"}}`))
	f.Add([]byte(`{"alluvion_save":1,"alluvion_save":1}`))
	f.Add([]byte(`{"alluvion_save":1,"game":"hut","version":1,"values":[],"scenes":{"a":[]},"record":5,"attic":{"player.oil":{"version":1,"value":3}}}`))
	f.Fuzz(func(t *testing.T, raw []byte) {
		if w, _, err := save.DecodeWorld(raw, m); err == nil {
			engine.Reopen(m, w)
		}
		p, _, err := save.DecodePlayer(raw, m)
		if err != nil {
			return
		}
		once, err := save.Encode(p)
		if err != nil {
			t.Fatal(err)
		}
		again, _, err := save.DecodePlayer(once, m)
		if err != nil {
			t.Fatalf("%v\n%s", err, once)
		}
		if twice, err := save.Encode(again); err != nil || string(twice) != string(once) {
			t.Fatalf("%v\n%s\n%s", err, once, twice)
		}
	})
}
