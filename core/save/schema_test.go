package save_test

import (
	"bytes"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion/core/engine"
	"alluvion/core/expr"
	"alluvion/core/fixed"
	"alluvion/core/model"
	"alluvion/core/save"
	"alluvion/examples"
)

func schemaOf(t *testing.T, m *model.Model) *jsonschema.Schema {
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(save.Schema(m)))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
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
		{Do: "join", Player: "wren", Slot: 1, Picks: map[string]expr.Value{"courier": expr.OfText("oddny")}},
		{Do: "event", Player: "wren", Name: "letter", Args: map[string]expr.Value{"for": expr.OfText("mill")}},
		{Do: "move", Player: "wren", To: []fixed.Num{fixed.FromInt(30), fixed.FromInt(1)}},
		{Do: "pass", Player: "wren", Name: "porch_gorge"},
		{Do: "move", Player: "wren", To: []fixed.Num{fixed.FromInt(30), fixed.FromInt(19)}},
		{Do: "touch", Player: "wren", Name: "gorge_shelter"},
		{Do: "event", Player: "wren", Name: "pitch"},
		{Do: "move", Player: "wren", To: []fixed.Num{fixed.FromInt(50), fixed.FromInt(29)}},
		{Do: "event", Player: "wren", Name: "open", Args: map[string]expr.Value{"cache": expr.OfText("under_ledge")}},
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
	single := strings.Replace(strings.Replace(string(examples.LanternPass), "players: 60", "players: 1", 1), "game:   {restart: keep}", "game:   {restart: keep, death: keep, new-run: keep}", 1)
	single = strings.Replace(single, "scene:  {scene: keep, restart: keep}", "scene:  {scene: keep, restart: keep, death: keep, new-run: keep}", 1)
	alone, _, found := model.LoadFor([]byte(single), examples.Commons)
	require.NotNil(t, alone, "%+v", found)
	assert.NoError(t, valid(t, schemaOf(t, alone), played(t, alone)))
	assert.Contains(t, played(t, alone), `"movables":{"sled"`)
}

// What the schema refuses the loader does not take as it is either.
func TestTheSchemaOfSavesRefusesWhatDoesNotFit(t *testing.T) {
	m, _, _ := model.LoadFor(examples.LanternPass, examples.Commons)
	s, raw := schemaOf(t, m), played(t, m)
	for name, change := range map[string][2]string{
		"out of range":        {`"oil":12`, `"oil":41`},
		"off step":            {`"warmth":100`, `"warmth":100.3`},
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
