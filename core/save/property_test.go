package save_test

import (
	"bytes"
	"encoding/json"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/internal/worlds"
)

// somethingPlayed plays in a world for a while, and gives the saves of everybody who is there, and of the world.
func somethingPlayed(t *rapid.T, m *model.Model) (players []*save.Player, world *save.World) {
	r := engine.New(m)
	var now int64
	for range rapid.IntRange(5, 40).Draw(t, "steps") {
		req := worlds.Request(t, m)
		now += rapid.SampledFrom([]int64{0, 10, 3000, 20_000}).Draw(t, "wait")
		req.At = now
		r.Advance(now)
		_, _ = r.Step(&req)
	}
	for _, id := range r.Present() {
		players = append(players, r.Save(id))
	}
	return players, r.World()
}

// What was played is written, read and written again as the same, in all worlds.
func TestWhatWasPlayedComesBackAsItWas(t *testing.T) {
	for name, m := range worlds.All(t) {
		t.Run(name, func(t *testing.T) {
			rapid.Check(t, func(t *rapid.T) {
				players, world := somethingPlayed(t, m)
				for _, p := range players {
					once, err := save.Encode(p)
					require.NoError(t, err)
					takenQuickly(t, once, m)
					read, problems, err := save.DecodePlayer(once, m)
					require.NoError(t, err)
					require.Empty(t, problems, "%s", once)
					twice, err := save.Encode(read)
					require.NoError(t, err)
					require.Equal(t, string(once), string(twice))
				}
				once, err := save.Encode(world)
				require.NoError(t, err)
				_, err = save.OpenWorldQuickly(once)
				require.NoError(t, err, "%s", once)
				read, problems, err := save.DecodeWorld(once, m)
				require.NoError(t, err)
				require.Empty(t, problems, "%s", once)
				twice, err := save.Encode(read)
				require.NoError(t, err)
				require.Equal(t, string(once), string(twice))
			})
		})
	}
}

// Whatever is wrong in a save: both readers find the same, what is loaded instead is right, what was corrected is kept,
// and a session takes it.
func TestWhateverIsWrongInASaveWhatIsLoadedIsRight(t *testing.T) {
	for name, m := range worlds.All(t) {
		t.Run(name, func(t *testing.T) {
			rapid.Check(t, func(rt *rapid.T) {
				players, world := somethingPlayed(rt, m)
				r := rand.New(rand.NewPCG(rapid.Uint64().Draw(rt, "seed"), 3))
				for _, p := range players {
					raw, err := save.Encode(p)
					require.NoError(rt, err)
					for range 3 {
						holdsBothReaders(rt, damaged(rt, raw, r), m)
					}
				}
				raw, err := save.Encode(world)
				require.NoError(rt, err)
				for range 3 {
					holdsAWorld(rt, damaged(rt, raw, r), m)
				}
			})
		})
	}
}

// damaged changes one or two things in a save, and now and then how it is written.
func damaged(t require.TestingT, raw []byte, r *rand.Rand) []byte {
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	require.NoError(t, err)
	for range 1 + r.IntN(2) {
		doc = mutated(doc, r)
	}
	text, err := json.Marshal(doc)
	require.NoError(t, err)
	switch r.IntN(6) {
	case 0:
		var out bytes.Buffer
		require.NoError(t, json.Indent(&out, text, "", "\t"))
		text = out.Bytes()
	case 1:
		text = bytes.Replace(text, []byte(`"a`), []byte(`"\u0061`), 2)
	case 2:
		text = bytes.Replace(text, []byte(`:1`), []byte(`:10e-1`), 1)
	case 3:
		text = bytes.Replace(text, []byte(`{"`), []byte(`{"scene":"x","`), 1+r.IntN(3))
	}
	return text
}

func holdsBothReaders(t require.TestingT, raw []byte, m *model.Model) {
	quick, err := save.OpenPlayer(raw)
	patient, err2 := save.OpenPatiently(raw)
	require.Equal(t, err == nil, err2 == nil, "%v quickly, %v patiently: %s", err, err2, raw)
	if err != nil {
		return
	}
	a, problems, errA := quick.Fit(m)
	b, problemsB, errB := patient.Fit(m)
	require.Equal(t, errA == nil, errB == nil)
	if errA != nil {
		return
	}
	require.Equal(t, problemsB, problems, "%s", raw)
	once, err := save.Encode(a)
	require.NoError(t, err)
	other, err := save.Encode(b)
	require.NoError(t, err)
	require.Equal(t, string(other), string(once), "%s", raw)

	for _, p := range problems {
		require.NotEmpty(t, p.Reason)
		require.NotEmpty(t, p.Instead, "%+v", p)
		if strings.HasPrefix(p.Pointer, "/values/") && strings.Count(p.Pointer, "/") == 2 && p.Kind != save.KindMissing && p.Kind != save.KindImpossible && !strings.Contains(p.Reason, "table is wanted") {
			require.Contains(t, a.Attic, p.Name, "what was corrected is kept: %+v in %s", p, raw)
		}
	}
	again, problems, err := save.DecodePlayer(once, m)
	require.NoError(t, err)
	for _, p := range problems { // whose save it is the service says, and a world or a place that is not there the engine makes
		whose := p.Pointer == "/slot" || p.Pointer == "/player" || p.Pointer == "/world" && p.Kind == save.KindMissing
		gone := p.Kind == save.KindPlace && p.Pointer != "/place/facing" && (strings.HasPrefix(p.Pointer, "/place/") || strings.HasPrefix(p.Pointer, "/entry/") || strings.HasPrefix(p.Pointer, "/back/"))
		require.True(t, whose || gone, "what is loaded is right: %+v\n%s\n%s", p, raw, once)
	}
	twice, err := save.Encode(again)
	require.NoError(t, err)
	require.Equal(t, string(once), string(twice), "%s", raw)

	run := engine.New(m)
	again.Player, again.Slot = "ada", 1
	_, err = run.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: again})
	require.NoError(t, err, "%s", once)
	last, err := save.Encode(run.Save("ada"))
	require.NoError(t, err)
	_, problems, err = save.DecodePlayer(last, m)
	require.NoError(t, err)
	require.Empty(t, problems, "what a session makes of it is right: %s\n%s", raw, last)
}

func holdsAWorld(t require.TestingT, raw []byte, m *model.Model) {
	w, _, err := save.DecodeWorld(raw, m)
	if err != nil {
		return
	}
	once, err := save.Encode(w)
	require.NoError(t, err)
	again, problems, err := save.DecodeWorld(once, m)
	require.NoError(t, err)
	require.Empty(t, problems, "%s\n%s", raw, once)
	twice, err := save.Encode(again)
	require.NoError(t, err)
	require.Equal(t, string(once), string(twice), "%s", raw)
	engine.Reopen(m, again)
}

// storehouse has something of everything that a save holds, each of which a plan can do without.
var storehouse = []struct{ in, line string }{
	{"variables", "oil: {of: player, type: int, min: 0, max: 40, start: 12, read_by: game}"},
	{"variables", "bag: {of: player, type: list, items: {type: int, min: 0, max: 9}, max_items: 3, read_by: game}"},
	{"variables", "lit: {of: [player, scene], type: bool, start: false, read_by: game}"},
	{"variables", "mined: {of: [player, prop:vein], type: int, min: 0, max: 9, start: 0, read_by: game}"},
	{"variables", "dug: {of: prop:vein, type: int, min: 0, max: 9, start: 0, read_by: game}"},
	{"variables", "fund: {of: game, type: int, min: 0, max: 9, start: 3, read_by: game}"},
	{"variables", "snow: {of: scene, type: int, min: 0, max: 9, start: 4, read_by: game}"},
	{"waymarks", "camp: {}"},
	{"movables", "sled: {start: a/s}"},
	{"milestones", "first: {title: First, when: player.depth >= 9}"},
	{"checkpoints", "tree: {at: b/t}"},
	{"standings", "deep: {title: Deep, rank: player.depth, order: high, keep: best}"},
}

func store(t testing.TB, without map[int]bool) *model.Model {
	sections := map[string]string{}
	for i, x := range storehouse {
		if !without[i] {
			sections[x.in] += "  " + x.line + "\n"
		}
	}
	text := "alluvion: 1\ngame: store\nversion: 2\nstart: a/s\ndefaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, pair: {scene: keep}, prop: {scene: keep, restart: keep}, " +
		"game: {restart: keep}, scene: {scene: keep, restart: keep}, place: {death: stay, leave: exact}}\n" +
		"scenes: {a: {size: [9, 9], spots: {s: {at: [1, 1]}}}, b: {size: [9, 9], spots: {t: {at: [2, 2]}}}}\nprops: {vein: {placed: {north: {in: b, at: [5, 5]}}}}\n" +
		"passages: {way: {from: a/s, to: b/t, both_ways: true}}\nsaving: {every: 30s}\n" +
		"variables:\n  depth: {of: player, type: int, min: 0, max: 9, start: 0, read_by: game}\n" + sections["variables"]
	for _, name := range []string{"waymarks", "movables", "milestones", "standings"} {
		if sections[name] != "" {
			text += name + ":\n" + sections[name]
		}
	}
	text += "checkpoints:\n  list:\n    stone: {at: a/s}\n" + strings.ReplaceAll(sections["checkpoints"], "  tree", "    tree")
	m, _, found := model.Load([]byte(text))
	require.NotNil(t, m, "%+v\n%s", found, text)
	return m
}

// full has another value than its start for everything in the storehouse.
const full = `{"alluvion_save":1,"game":"store","version":2,"player":"ada","slot":1,"visits":3,"number":7,"dead":false,
 "place":{"scene":"a","at":[1,1]},"entry":{"scene":"a","at":[2,1]},"used":["stone","tree"],"waymarks":{"camp":{"scene":"b","at":[3,4]}},"milestones":["first"],
 "values":{"depth":4,"oil":5,"bag":[3,1,3]},"scenes":{"b":{"lit":true}},"props":{"vein":{"north":{"mined":6}}},"standings":{"deep":4},"record":{"values":{}}}`

const fullWorld = `{"alluvion_world":1,"game":"store","version":2,"values":{"fund":8},"scenes":{"a":{"snow":1},"b":{"snow":2}},"props":{"vein":{"north":{"dug":5}}},"movables":{"sled":{"scene":"b","at":[7,8]}}}`

// What a plan does not know waits in the attic, whatever it is, and comes back to its place under a plan that knows it.
func TestWhateverAPlanDoesNotKnowComesBackUnderOneThatDoes(t *testing.T) {
	whole := store(t, nil)
	fitted := func(raw []byte, m *model.Model) []byte {
		p, _, err := save.DecodePlayer(raw, m)
		require.NoError(t, err)
		out, err := save.Encode(p)
		require.NoError(t, err)
		return out
	}
	fittedWorld := func(raw []byte, m *model.Model) []byte {
		w, _, err := save.DecodeWorld(raw, m)
		require.NoError(t, err)
		out, err := save.Encode(w)
		require.NoError(t, err)
		return out
	}
	p, problems, err := save.DecodePlayer([]byte(full), whole)
	require.NoError(t, err)
	require.Empty(t, problems)
	require.Len(t, p.Used, 2)
	was, worldWas := string(fitted([]byte(full), whole)), string(fittedWorld([]byte(fullWorld), whole))
	r := rand.New(rand.NewPCG(1, 2))
	for try := range 3 * len(storehouse) {
		without := map[int]bool{try % len(storehouse): true}
		for range try / len(storehouse) * 3 {
			without[r.IntN(len(storehouse))] = true
		}
		narrow := store(t, without)
		there := fitted([]byte(full), narrow)
		assert.NotEqual(t, was, string(there)+string(fittedWorld([]byte(fullWorld), narrow)))
		assert.Equal(t, sorted(t, was), sorted(t, string(fitted(there, whole))), "without %v: %s", without, there)
		assert.Equal(t, worldWas, string(fittedWorld(fittedWorld([]byte(fullWorld), narrow), whole)), "without %v", without)
	}
}

// sorted is a save whose lists of ids are in order: what comes back to them stands at their end.
func sorted(t *testing.T, raw string) string {
	return strings.Replace(raw, `["tree","stone"]`, `["stone","tree"]`, 1)
}

// takenQuickly says that what the engine writes is read by the quick way alone, however it is spaced, and as the patient
// way reads it.
func takenQuickly(t require.TestingT, raw []byte, m *model.Model) {
	var spaced bytes.Buffer
	require.NoError(t, json.Indent(&spaced, raw, " ", "\t"))
	for _, text := range [][]byte{raw, spaced.Bytes(), append([]byte("\n "), append(raw, '\n')...)} {
		quick, err := save.OpenQuickly(text)
		require.NoError(t, err, "%s", text)
		patient, err := save.OpenPatiently(text)
		require.NoError(t, err)
		require.Empty(t, patient.Broken)
		a, problems, err := quick.Fit(m)
		require.NoError(t, err)
		require.Empty(t, problems)
		b, _, err := patient.Fit(m)
		require.NoError(t, err)
		one, err := save.Encode(a)
		require.NoError(t, err)
		other, err := save.Encode(b)
		require.NoError(t, err)
		require.Equal(t, string(other), string(one))
		require.Equal(t, string(raw), string(one))
	}
}

// What the quick way takes and what it leaves to the patient one.
func TestTheQuickWayTakesOnlyWhatIsOfTheRightForm(t *testing.T) {
	for text, wanted := range map[string]bool{
		`"player":"a\"b\\c\u00e9"`:                   true,
		`"player":""`:                                true,
		`"slot":123456789012345`:                     true,
		`"slot":1234567890123456`:                    false,
		`"slot":1.0`:                                 false,
		`"number":9223372036854775807`:               true,
		`"number":9223372036854775808`:               false,
		`"number":-1`:                                false,
		`"dead":true`:                                true,
		`"dead":"true"`:                              false,
		`"used":[]`:                                  true,
		`"used":["a","b"]`:                           true,
		`"used":[1]`:                                 false,
		`"place":{"scene":"a","at":[1,2.5,-3]}`:      true,
		`"place":{"scene":"a","at":[1],"up":1}`:      false,
		`"place":{"scene":"a","scene":"b"}`:          false,
		`"values":{"a":[1,{"b":"}\""}],"c":null}`:    true,
		`"values":{"a":1,"a":2}`:                     false,
		`"values":[]`:                                false,
		`"scenes":{"a":{"b":1},"c":{}}`:              true,
		`"scenes":{"a":{},"a":{}}`:                   false,
		`"record":{"values":{"a":1,"a":1}}`:          false,
		`"record":{"world":{"senders":{"x":0}}}`:     true,
		`"record":{"world":{"senders":{"x":-1}}}`:    false,
		`"record":{"world":{"senders":{"x":"1"}}}`:   false,
		`"strange":1`:                                false,
		`"standings":{"a":1.123456789}`:              true,
		`"standings":{"a":1.1234567891}`:             false,
		`"attic":{"a":{"version":1,"value":[[[]]]}}`: true,
		`"values":{"a":` + strings.Repeat("[", 16) + strings.Repeat("]", 16) + `}`: true,
		`"values":{"a":` + strings.Repeat("[", 17) + strings.Repeat("]", 17) + `}`: false,
	} {
		_, err := save.OpenQuickly([]byte(`{` + text + `}`))
		assert.Equal(t, wanted, err == nil, "%s: %v", text, err)
		_, err = save.OpenQuickly([]byte(`{` + text + `}x`))
		require.Error(t, err, "something stands behind it")
	}
	l, err := save.OpenQuickly([]byte(`{"player":"a\"b\\c\u00e9","values":{"\u0061b":" {x} "},"used":["q","r"],"number":12}`))
	require.NoError(t, err)
	assert.Equal(t, `a"b\cé`, l.Player.Player)
	assert.Equal(t, `" {x} "`, string(l.Values["ab"]))
	assert.Equal(t, []string{"q", "r"}, l.Used)
	assert.EqualValues(t, 12, l.Number)
	_, err = save.OpenQuickly([]byte(`{"player":"` + strings.Repeat("x", save.MaxBytes-13) + `"}`))
	require.NoError(t, err, "just as large as it may be")
	_, err = save.OpenQuickly([]byte(`{"player":"` + strings.Repeat("x", save.MaxBytes-12) + `"}`))
	require.Error(t, err)
	_, err = save.OpenPatiently([]byte(`{"player":"` + strings.Repeat("x", save.MaxBytes-12) + `"}`))
	require.ErrorIs(t, err, save.ErrFormat)
}

func TestAWorldIsToldFromAPlayersSave(t *testing.T) {
	for text, is := range map[string]bool{
		fullWorld: true, full: false, ` {"x":1, "alluvion_world":1}`: true, `{"values":{"alluvion_world":1}}`: false, `{"alluvion_world"`: false, ``: false,
		`{"alluvion_save":1,"record":{"world":{"alluvion_world":1}}}`: false, `{"alluvion_save":1,"alluvion_world":1}`: false,
	} {
		assert.Equal(t, is, save.IsWorld([]byte(text)), text)
	}
}

// Each member that a save needs is asked for by its schema, each value too; and of all it says what it is.
func TestASchemaAsksForWhatASaveNeeds(t *testing.T) {
	m := store(t, nil)
	s, world := compiled(t, save.Schema(m)), compiled(t, save.WorldSchema(m))
	require.NoError(t, valid(t, s, full))
	require.NoError(t, valid(t, world, fullWorld))
	without := func(doc, member string) string {
		out := strings.Replace(doc, `"`+member+`":`, `"-":`, 1)
		var all map[string]any
		require.NoError(t, json.Unmarshal([]byte(out), &all))
		delete(all, "-")
		if values, ok := all["values"].(map[string]any); ok {
			delete(values, "-")
		}
		raw, err := json.Marshal(all)
		require.NoError(t, err)
		return string(raw)
	}
	for _, member := range []string{"alluvion_save", "game", "version", "player", "slot", "place", "entry", "values", "depth", "oil", "bag"} {
		require.Error(t, valid(t, s, without(full, member)), member)
	}
	for _, member := range []string{"visits", "number", "dead", "used", "waymarks", "milestones", "scenes", "props", "standings", "record"} {
		require.NoError(t, valid(t, s, without(full, member)), member)
	}
	for _, member := range []string{"alluvion_world", "game", "version", "values", "fund"} {
		require.Error(t, valid(t, world, without(fullWorld, member)), member)
	}
	require.Error(t, valid(t, s, strings.Replace(full, `"at":[1,1]}`, `"at":[1,1],"facing":"north"}`, 1)), "there are no facings here")
	var root struct {
		Properties struct {
			Values struct {
				Properties map[string]struct{ Title string }
			}
		}
	}
	require.NoError(t, json.Unmarshal(save.Schema(m), &root))
	assert.Equal(t, "Depth", root.Properties.Values.Properties["depth"].Title)
	every, _, found := model.Load([]byte(everyType))
	require.NotNil(t, every, "%+v", found)
	var of struct {
		Properties struct {
			Values struct {
				Properties map[string]map[string]any
			}
		}
	}
	require.NoError(t, json.Unmarshal(save.Schema(every), &of))
	for name, schema := range of.Properties.Values.Properties {
		_, has := schema["default"]
		assert.Equal(t, name != "luck" && name != "watch", has, "%s begins with what the plan says, but for what has its value by itself", name)
	}
	for _, raw := range [][]byte{save.Schema(m), save.WorldSchema(m), save.SealedSchema(m)} {
		var root struct {
			Title, Description string
			ID                 string `json:"$id"`
		}
		require.NoError(t, json.Unmarshal(raw, &root))
		assert.Contains(t, root.Title, "Store")
		assert.NotEmpty(t, root.Description)
		assert.Contains(t, root.ID, "alluvion:store/2/")
	}
}

func TestAPlayersNameHasOneTo64Characters(t *testing.T) {
	m := store(t, nil)
	for name, right := range map[string]bool{"": false, "a": true, strings.Repeat("é", 64): true, strings.Repeat("é", 65): false} {
		_, problems, err := save.DecodePlayer([]byte(strings.Replace(full, `"player":"ada"`, `"player":"`+name+`"`, 1)), m)
		require.NoError(t, err)
		assert.Equal(t, right, len(problems) == 0, "%q: %v", name, problems)
	}
}
