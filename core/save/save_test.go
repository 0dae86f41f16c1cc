package save_test

import (
	"bytes"
	"strings"
	"testing"

	"github.com/gowebpki/jcs"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
)

const hut = `
alluvion: 1
game: hut
version: 2
start: a/s
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, game: {restart: keep}, scene: {scene: keep, restart: keep}, place: {death: stay, leave: exact}}
variables:
  oil:   {of: player, type: int, min: 0, max: 40, start: 12}
  heat:  {of: player, type: decimal, min: 0, max: 10, step: 0.1, start: 1.5}
  badge: {of: player, type: text, max_length: 8, optional: true}
  fund:  {of: game, type: int, min: 0, max: 9, start: 3}
  snow:  {of: scene, type: int, min: 0, max: 9, start: 4}
scenes: {a: {size: [4, 4], spots: {s: {at: [1, 1]}}}}
saving: {every: 30s}
`

func modelOf(t testing.TB, text string) *model.Model {
	m, _, found := model.Load([]byte(text))
	require.NotNil(t, m, "%+v", found)
	return m
}

func joined(t testing.TB, m *model.Model) *engine.Run {
	r := engine.New(m)
	_, err := r.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1})
	require.NoError(t, err)
	return r
}

func TestASaveIsCanonicalJSON(t *testing.T) {
	raw, err := save.Encode(joined(t, modelOf(t, hut)).Save("ada"))
	require.NoError(t, err)
	canonical, err := jcs.Transform(raw)
	require.NoError(t, err)
	assert.Equal(t, string(canonical), string(raw))
	assert.Contains(t, string(raw), `"heat":1.5`)
	assert.Contains(t, string(raw), `"badge":null`)
}

func TestWhatThePlanDoesNotKnowWaitsInTheAttic(t *testing.T) {
	m := modelOf(t, hut)
	raw, err := save.Encode(joined(t, m).Save("ada"))
	require.NoError(t, err)
	narrower := modelOf(t, strings.NewReplacer("version: 2", "version: 3", "  heat:", "  warmth:", "max: 40, start: 12", "max: 10, start: 1", "saving: {", "saving: {misfits: {range: start}, ").Replace(hut))
	p, problems, err := save.DecodePlayer(raw, narrower)
	require.NoError(t, err)
	assert.Len(t, problems, 2)
	assert.JSONEq(t, `{"value": 1.5, "version": 2}`, string(p.Attic["player.heat"]))
	assert.JSONEq(t, `{"value": 12, "version": 2}`, string(p.Attic["player.oil"]))
	assert.Equal(t, "1", p.Values["oil"].String())

	run := engine.New(narrower)
	_, err = run.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: p})
	require.NoError(t, err)
	raw, err = save.Encode(run.Save("ada"))
	require.NoError(t, err)
	_, _, err = save.DecodePlayer(raw, m)
	assert.ErrorIs(t, err, save.ErrVersion)
	later := modelOf(t, strings.Replace(hut, "version: 2", "version: 4", 1))
	back, problems, err := save.DecodePlayer(raw, later)
	require.NoError(t, err)
	assert.Equal(t, "1.5", back.Values["heat"].String(), "back in place under a plan that knows it")
	assert.NotContains(t, back.Attic, "player.heat")
	assert.Len(t, problems, 1, "warmth is not known here")
}

func TestSavesThatAreRefused(t *testing.T) {
	m := modelOf(t, hut)
	good, err := save.Encode(joined(t, m).Save("ada"))
	require.NoError(t, err)
	for name, row := range map[string]struct {
		text string
		want error
	}{
		"nothing":             {"", save.ErrFormat},
		"no JSON":             {"hello", save.ErrFormat},
		"another shape":       {`{"alluvion_save":1}`, save.ErrGame},
		"a later format":      {strings.Replace(string(good), `"alluvion_save":1`, `"alluvion_save":2`, 1), save.ErrFormat},
		"another game":        {strings.Replace(string(good), `"game":"hut"`, `"game":"inn"`, 1), save.ErrGame},
		"a newer version":     {strings.Replace(string(good), `"version":2`, `"version":3`, 1), save.ErrVersion},
		"a list":              {`[1]`, save.ErrFormat},
		"too deep":            {strings.Repeat(`[`, 99) + strings.Repeat(`]`, 99), save.ErrFormat},
		"the same name twice": {strings.Replace(string(good), `"dead":false`, `"dead":false,"dead":true`, 1), save.ErrFormat},
		"bad UTF-8":           {strings.Replace(string(good), `"ada"`, "\"a\xffa\"", 1), save.ErrFormat},
		"cut short":           {string(good[:len(good)/2]), save.ErrFormat},
		"too large":           {strings.Repeat(" ", save.MaxBytes+1), save.ErrFormat},
	} {
		_, _, err := save.DecodePlayer([]byte(row.text), m)
		assert.ErrorIs(t, err, row.want, name)
	}
}

func TestTheWorldComesBack(t *testing.T) {
	m := modelOf(t, hut)
	raw, err := save.Encode(engine.New(m).World())
	require.NoError(t, err)
	w, problems, err := save.DecodeWorld(raw, m)
	require.NoError(t, err)
	assert.Empty(t, problems)
	assert.Equal(t, "3", w.Values["fund"].String())
	assert.Equal(t, "4", w.Scenes["a"]["snow"].String())
	gone := modelOf(t, strings.NewReplacer("scenes: {a:", "scenes: {b:", "a/s", "b/s").Replace(hut))
	w, problems, err = save.DecodeWorld(raw, gone)
	require.NoError(t, err)
	assert.Len(t, problems, 1)
	assert.Contains(t, w.Attic, "scenes.a.snow")
}

func FuzzDecode(f *testing.F) {
	m := modelOf(f, hut)
	good, err := save.Encode(joined(f, m).Save("ada"))
	require.NoError(f, err)
	f.Add(good)
	f.Add([]byte(`{"alluvion_save":1,"game":"hut","version":1,"values":{"oil":[1]},"place":{"scene":"x","at":[1]}}`))
	f.Fuzz(func(t *testing.T, raw []byte) {
		p, _, err := save.DecodePlayer(raw, m)
		if err != nil {
			return
		}
		again, err := save.Encode(p)
		if err != nil {
			t.Fatal(err)
		}
		run := engine.New(m)
		if _, err := run.Step(&engine.Request{Do: "join", Player: "x", Slot: 1, Saved: p}); err != nil {
			t.Fatalf("a save that was read can be joined with: %v\n%s", err, again)
		}
	})
}

// The two ways of reading a save agree: what the quick one takes, the patient one takes as the same.
func FuzzBothReadersAgree(f *testing.F) {
	m := modelOf(f, hut)
	good, err := save.Encode(joined(f, m).Save("ada"))
	require.NoError(f, err)
	f.Add(good)
	f.Add(bytes.Replace(good, []byte(`"dead":false`), []byte(`"dead":true`), 1))
	f.Add(bytes.Replace(good, []byte(`"values":{`), []byte(`"values":{"strange":[1,{"a":null}],`), 1))
	f.Add(bytes.Replace(good, []byte(`"slot":1`), []byte(`"slot":1.0`), 1))
	f.Add(bytes.Replace(good, []byte(`"slot":1`), []byte(`"slot": 1e0 , "number":9007199254740993`), 1))
	f.Add(bytes.Replace(good, []byte(`"place":{`), []byte(`"milestones":["a","a"],"standings":{"x":1e30},"place":{`), 1))
	f.Fuzz(func(t *testing.T, raw []byte) {
		quick, err := save.OpenPlayer(raw)
		patient, err2 := save.OpenPatiently(raw)
		if quick == nil || patient == nil {
			if err == nil && err2 != nil {
				t.Fatalf("taken quickly, and not patiently: %v\n%s", err2, raw)
			}
			return
		}
		if (err == nil) != (err2 == nil) {
			t.Fatalf("%v quickly, %v patiently\n%s", err, err2, raw)
		}
		if err != nil {
			return
		}
		a, problemsA, errA := quick.Fit(m)
		b, problemsB, errB := patient.Fit(m)
		require.Equal(t, errB, errA)
		if errA == nil {
			written, err := save.Encode(a)
			require.NoError(t, err)
			other, err := save.Encode(b)
			require.NoError(t, err)
			require.Equal(t, string(other), string(written), "%s", raw)
		}
		require.Equal(t, problemsB, problemsA, "%s", raw)
	})
}

// A save of exactly the greatest size is read, and so is one with spaces wherever JSON has room for them.
func TestASaveMayBeAsLargeAsItMayBeAndHaveSpaces(t *testing.T) {
	const begin, end = `{"alluvion_save":1,"player":"`, `"}`
	full := begin + strings.Repeat("x", save.MaxBytes-len(begin)-len(end)) + end
	require.Len(t, full, save.MaxBytes)
	_, err := save.OpenPatiently([]byte(full))
	require.NotErrorIs(t, err, save.ErrFormat)

	compact := `{"alluvion_save":1,"game":"g","version":1,"player":"p","slot":1,"values":{"n":12,"b":true,"s":["x",2]}}`
	spaced := `{ "alluvion_save" : 1 , "game" : "g" , "version" : 1 , "player" : "p" , "slot" : 1 , "values" : { "n" : 12 , "b" : true , "s" : [ "x" , 2 ] } }`
	for name, open := range map[string]func([]byte) (*save.Loose, error){"quickly": save.OpenQuickly, "patiently": save.OpenPatiently} {
		a, err := open([]byte(compact))
		require.NoError(t, err, name)
		b, err := open([]byte(spaced))
		require.NoError(t, err, name)
		assert.Equal(t, string(a.Values["n"]), string(b.Values["n"]), name)
		assert.Equal(t, string(a.Values["b"]), string(b.Values["b"]), name)
	}
}
