package save_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

func schemaOf(t *testing.T, m *model.Model) *jsonschema.Schema {
	return compiled(t, save.Schema(m))
}

func compiled(t *testing.T, schema []byte) *jsonschema.Schema {
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(schema))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	c.AssertFormat()
	require.NoError(t, c.AddResource("save.json", doc))
	s, err := c.Compile("save.json")
	require.NoError(t, err)
	return s
}

func valid(t *testing.T, s *jsonschema.Schema, raw string) error {
	doc, err := jsonschema.UnmarshalJSON(strings.NewReader(raw))
	require.NoError(t, err)
	return s.Validate(doc)
}

// played gives a save of the demo with something of everything in it.
func played(t *testing.T, m *model.Model) string {
	r := engine.New(m)
	for _, req := range []engine.Request{
		{Do: "join", Player: "wren", Slot: 1, Picks: map[string]types.Value{"courier": types.OfText("oddny")}},
		{Do: "event", Player: "wren", Name: "letter", Args: map[string]types.Value{"for": types.OfText("mill")}},
		{Do: "move", Player: "wren", To: []fixed.Num{fixed.FromInt(30), fixed.FromInt(1)}},
		{Do: "pass", Player: "wren", Name: "porch_gorge"},
		{Do: "move", Player: "wren", To: []fixed.Num{fixed.FromInt(30), fixed.FromInt(19)}},
		{Do: "touch", Player: "wren", Name: "gorge_shelter"},
		{Do: "event", Player: "wren", Name: "pitch"},
		{Do: "move", Player: "wren", To: []fixed.Num{fixed.FromInt(50), fixed.FromInt(29)}},
		{Do: "event", Player: "wren", Name: "open", Args: map[string]types.Value{"cache": types.OfText("under_ledge")}},
		{Do: "event", Player: "wren", Name: "horn"},
	} {
		_, err := r.Step(&req)
		require.NoError(t, err, "%s %s", req.Do, req.Name)
	}
	raw, err := save.Encode(r.Save("wren"))
	require.NoError(t, err)
	return string(raw)
}

func TestTheSchemaOfSavesTakesWhatTheEngineWrites(t *testing.T) {
	m, _, found := model.LoadFor(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, "%+v", found)
	s, raw := schemaOf(t, m), played(t, m)
	assert.NoError(t, valid(t, s, raw))
	single := alone(t)
	assert.NoError(t, valid(t, schemaOf(t, single), played(t, single)))
	assert.Contains(t, played(t, single), `"movables":{"sled"`)
}

// What the schema refuses the loader does not take as it is either.
func TestTheSchemaOfSavesRefusesWhatDoesNotFit(t *testing.T) {
	m, _, _ := model.LoadFor(examples.LanternPass, examples.Commons)
	s, raw := schemaOf(t, m), played(t, m)
	for name, change := range map[string][2]string{
		"out of range":        {`"oil":12`, `"oil":41`},
		"not whole":           {`"oil":12`, `"oil":12.5`},
		"an unknown option":   {`"courier":"oddny"`, `"courier":"odny"`},
		"an unknown name":     {`"falls":0`, `"fals":0`},
		"an unknown scene":    {`"entry":{"at":[20,12],"facing":"south","scene":"lodge"}`, `"entry":{"at":[20,12],"facing":"south","scene":"loge"}`},
		"outside the scene":   {`"entry":{"at":[20,12],"facing":"south","scene":"lodge"}`, `"entry":{"at":[20,99],"facing":"south","scene":"lodge"}`},
		"an unknown prop":     {`"under_ledge":{"taken":true}`, `"under_lege":{"taken":true}`},
		"a letter to nowhere": {`"letters":["mill"]`, `"letters":["moon"]`},
		"a text for a number": {`"oil":12`, `"oil":"12"`},
		"another game":        {`"game":"lantern-pass"`, `"game":"lantern"`},
		"a newer version":     {`"version":3`, `"version":4`},
	} {
		require.Contains(t, raw, change[0], name)
		assert.Error(t, valid(t, s, strings.Replace(raw, change[0], change[1], 1)), name)
	}
}

// alone is the demo as a game for one player. Each save then has the world in it.
func alone(t *testing.T) *model.Model {
	single := strings.Replace(strings.Replace(string(examples.LanternPass), "players: 60", "players: 1", 1), "game:   {restart: keep}", "game:   {restart: keep, death: keep, new-run: keep}", 1)
	single = strings.Replace(single, "scene:  {scene: keep, restart: keep}", "scene:  {scene: keep, restart: keep, death: keep, new-run: keep}", 1)
	m, _, found := model.LoadFor([]byte(single), examples.Commons)
	require.NotNil(t, m, "%+v", found)
	return m
}

// everyType has a variable of each type, with limits of each kind.
const everyType = `
alluvion: 1
game: every-type
version: 2
space: {axes: [x, y], step: 0.01, facings: [in, out]}
scenes:
  attic: {size: [10, 4], spots: {bed: {at: [1, 1]}}}
  cellar: {origin: [-5, -5], size: [5, 5], spots: {vat: {at: [-1, -1]}}}
start: attic/bed
passages: {stairs: {from: attic/bed, to: cellar/vat, both_ways: true}}
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
variables:
  fives: {of: player, type: int, start: 10, min: -10, max: 50, step: 5}
  tenths: {of: player, type: decimal, start: 0.3, min: -1, max: 2.7, step: 0.1}
  word: {of: player, type: text, start: ab, min_length: 1, max_length: 4, alphabet: "a-z0-9]^_-"}
  at: {of: player, type: point, start: [1, 1]}
  maybe: {of: player, type: int, optional: true, min: 0, max: 9}
  few: {of: player, type: set, items: {type: int, min: 0, max: 9}, max_items: 3}
  row: {of: player, type: list, items: {type: choice, choices: [red, blue]}, max_items: 2}
  luck: {of: player, type: seed}
  watch: {of: player, type: stopwatch}
`

// What stands in a save in place of what stood there.
var strange = []any{nil, true, -1, 0, 1, 2, 3, 12, 41, 1e15, 4294967296, json.Number("-1"), json.Number("1.0"), json.Number("1e1"), json.Number("0.1"), json.Number("0.05"), json.Number("2.7000000001"),
	json.Number("1e30"), json.Number("0.12345678901"), json.Number("9007199254740993"), json.Number("18446744073709551616"), "", "x", "ab", "AB", "abcde", "attic", "lodge", "north", "mill", "in", "red", "1970-01-01T00:00:00Z", strings.Repeat("w", 65),
	[]any{}, []any{1, 1}, []any{1}, []any{1, 2, 3}, []any{3, 99}, []any{json.Number("1"), json.Number("1.0")}, []any{"red", "blue", "red"}, []any{"red", nil}, []any{json.Number("1.00000000001"), 1}, []any{9.99, 3.99}, []any{10, 4},
	map[string]any{}, map[string]any{"nowhere": map[string]any{}}, map[string]any{"scene": "attic", "at": []any{1, 1}}, map[string]any{"scene": "attic", "at": []any{1, 1}, "facing": "in"},
	map[string]any{"scene": "lodge", "at": []any{1, 1}, "facing": "north"}, map[string]any{"scene": "lodge", "at": []any{1, 1}, "facing": "north", "high": 1}}

// mutated changes one thing somewhere in a document: a value for a strange one or for one that stands elsewhere, a
// member away, a member more.
func mutated(doc any, r *rand.Rand) any {
	var nodes []func(any, bool)
	var values []any
	var walk func(any)
	walk = func(at any) {
		switch x := at.(type) {
		case map[string]any:
			for _, name := range slices.Sorted(maps.Keys(x)) {
				values = append(values, x[name])
				nodes = append(nodes, func(v any, away bool) {
					if x[name] = v; away {
						delete(x, name)
					}
				})
				if name != "attic" {
					walk(x[name])
				}
			}
			nodes = append(nodes, func(v any, _ bool) { x["high"] = v })
		case []any:
			for i := range x {
				nodes = append(nodes, func(v any, _ bool) { x[i] = v })
				walk(x[i])
			}
		}
	}
	walk(doc)
	v := strange[r.IntN(len(strange))]
	if r.IntN(4) == 0 {
		v = values[r.IntN(len(values))]
	}
	text, _ := json.Marshal(v)
	fresh, _ := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	nodes[r.IntN(len(nodes))](fresh, r.IntN(5) == 0)
	return doc
}

// The schema and the loader say the same of 10,000 changed saves: what the schema takes has no finding of a type or a
// range, and what has no finding at all the schema takes.
func TestTheSchemaAndTheLoaderAgree(t *testing.T) {
	demo, _, found := model.LoadFor(examples.LanternPass, examples.Commons)
	require.NotNil(t, demo, "%+v", found)
	types, _, found := model.Load([]byte(everyType))
	require.NotNil(t, types, "%+v", found)
	begun := engine.New(types)
	_, err := begun.Step(&engine.Request{Do: "join", Player: "wren", Slot: 1})
	require.NoError(t, err)
	first, err := save.Encode(begun.Save("wren"))
	require.NoError(t, err)
	first = save.Told(first, save.About{Plan: "f00d", Revision: 1, Moment: "leave"})
	single := alone(t)
	run := engine.New(demo)
	world, err := save.Encode(run.World())
	require.NoError(t, err)
	for _, x := range []struct {
		name   string
		m      *model.Model
		raw    string
		schema []byte
		world  bool
	}{
		{"the demo", demo, played(t, demo), save.Schema(demo), false},
		{"for one player", single, played(t, single), save.Schema(single), false},
		{"every type", types, string(first), save.Schema(types), false},
		{"a world", demo, string(world), save.WorldSchema(demo), true},
	} {
		s, r := compiled(t, x.schema), rand.New(rand.NewPCG(7, 11))
		require.NoError(t, valid(t, s, x.raw), x.name)
		taken, refused := 0, 0
		for range 2500 {
			doc, err := jsonschema.UnmarshalJSON(strings.NewReader(x.raw))
			require.NoError(t, err)
			for range 1 + r.IntN(2) {
				doc = mutated(doc, r)
			}
			if v, err := fixed.Exact(fmt.Sprint(doc.(map[string]any)["version"])); err == nil && v.Less(fixed.FromInt(int64(x.m.Plan.Version.Value))) {
				continue // of an earlier version: it is upgraded before it is loaded
			}
			text, err := json.Marshal(doc)
			require.NoError(t, err)
			wrong := valid(t, s, string(text))
			var problems []save.Problem
			if x.world {
				_, problems, err = save.DecodeWorld(text, x.m)
			} else {
				_, problems, err = save.DecodePlayer(text, x.m)
			}
			if wrong == nil {
				taken++
				require.NoError(t, err, "%s: the schema takes %s", x.name, text)
				for _, p := range problems {
					require.NotContains(t, []save.Kind{save.KindType, save.KindRange}, p.Kind, "%s: the schema takes %s, and the loader says: %s %s", x.name, text, p.Pointer, p.Reason)
				}
			} else {
				refused++
				require.False(t, err == nil && len(problems) == 0, "%s: the loader takes %s, and the schema says: %v", x.name, text, wrong)
			}
		}
		assert.Greater(t, taken, 100, x.name)
		assert.Greater(t, refused, 500, x.name)
	}
}

func TestASealedSaveFitsItsSchema(t *testing.T) {
	m, _, _ := model.LoadFor(examples.LanternPass, examples.Commons)
	s := compiled(t, save.SealedSchema(m))
	sealed, err := save.Keys{{ID: "k1", Secret: []byte("made up for this test")}}.Seal([]byte(played(t, m)))
	require.NoError(t, err)
	assert.NoError(t, valid(t, s, string(sealed)))
	assert.Error(t, valid(t, s, strings.Replace(string(sealed), `"mac":"`, `"mac":"z`, 1)))
	assert.Error(t, valid(t, s, strings.Replace(string(sealed), `"oil":12`, `"oil":"12"`, 1)))
}

// Each schema names itself, and its example is right by it.
func TestTheExamplesOfSchemasFitThem(t *testing.T) {
	m, _, _ := model.LoadFor(examples.LanternPass, examples.Commons)
	for name, schema := range map[string][]byte{"save": save.Schema(m), "world": save.WorldSchema(m), "save of one": save.Schema(alone(t))} {
		var doc struct {
			ID       string            `json:"$id"`
			Examples []json.RawMessage `json:"examples"`
		}
		require.NoError(t, json.Unmarshal(schema, &doc))
		assert.Contains(t, doc.ID, "lantern-pass/3/", name)
		require.Len(t, doc.Examples, 1, name)
		assert.NoError(t, valid(t, compiled(t, schema), string(doc.Examples[0])), name)
	}
}
