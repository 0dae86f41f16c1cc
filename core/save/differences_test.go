package save_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

func TestWhatTwoSavesSayOtherwiseIsToldInThePlansWords(t *testing.T) {
	m, _, found := model.LoadFor(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, found)
	at := func(scene string, x, y int64) save.Place {
		return save.Place{Scene: scene, At: []fixed.Num{fixed.FromInt(x), fixed.FromInt(y)}, Facing: "south"}
	}
	before := &save.Player{Game: "lantern-pass", Version: 3, Player: "wren", Slot: 1, Place: at("lodge", 20, 12), Entry: at("lodge", 20, 12),
		Values: save.Values{"oil": types.OfInt(12), "parcels": types.OfInt(2), "courier": types.None}, Record: save.Record{Values: save.Values{"parcels": types.OfInt(0)}}}
	after := &save.Player{Game: "lantern-pass", Version: 3, Player: "finn", Slot: 2, Dead: true, Place: at("gorge", 30, 20), Entry: at("lodge", 20, 12), Checkpoint: "gorge_shelter", Used: []string{"gorge_shelter"},
		Waymarks: map[string]save.Place{"way_back": at("gorge", 1, 2)}, Milestones: []string{"first_crossing", "full_sack"}, Standings: map[string]fixed.Num{"carried": fixed.FromInt(4)},
		Values: save.Values{"oil": types.OfInt(9), "parcels": types.OfInt(2), "courier": types.OfText("brisa"), "kites": types.OfText("")},
		Scenes: map[string]save.Values{"ridge": {"visited": types.OfBool(true)}, "moon": {"visited": types.OfBool(true)}}, Props: save.Props{"cache": {"at_cairn": {"taken": types.OfBool(true)}}},
		Record: save.Record{Values: save.Values{"parcels": types.OfInt(2)}}, Attic: save.Attic{"player.songs": []byte("3")}}
	raw := [2][]byte{}
	for i, doc := range []*save.Player{before, after} {
		var err error
		raw[i], err = save.Encode(doc)
		require.NoError(t, err)
	}
	got, err := save.Differences(m, raw[0], raw[1])
	require.NoError(t, err)
	rows := make([][3]string, len(got))
	for i, d := range got {
		rows[i] = [3]string{d.Title, d.Before, d.After}
	}
	assert.Equal(t, [][3]string{
		{"Dead", "false", "true"},
		{"Place", "lodge (20, 12) south", "gorge (30, 20) south"},
		{"Checkpoint reached", "", "gorge_shelter"},
		{"Checkpoints of this run", "", "gorge_shelter"},
		{"Way back", "", "gorge (1, 2) south"},
		{"Milestones", "", "first_crossing, full_sack"},
		{"Parcels delivered, what counts", "", "4"},
		{"Courier", "none", "brisa"},
		{"Oil", "12", "9"},
		{"Visited in moon", "", "true"},
		{"Visited in The Ridge", "", "true"},
		{"Taken of at_cairn", "", "true"},
		{"kites", "", `""`},
		{"Parcels, as it was at the checkpoint", "0", "2"},
		{"In the attic: player.songs", "", "3"},
	}, rows)
	assert.Equal(t, "/scenes/ridge/visited", got[10].Pointer)

	whole, err := save.Differences(m, nil, raw[0])
	require.NoError(t, err)
	assert.Equal(t, save.Otherwise{Pointer: "/version", Title: "Version of the plan", After: "3"}, whole[0])
	sealed, err := save.Keys{{ID: "k", Secret: make([]byte, 32)}}.Seal(raw[1])
	require.NoError(t, err)
	through, err := save.Differences(m, raw[1], sealed)
	require.NoError(t, err)
	assert.Empty(t, through)
	for name, bad := range map[string]string{"no JSON": "{", "too deep": strings.Repeat(`{"a":`, 500) + "1" + strings.Repeat("}", 500), "a list": "[1]", "keys twice": `{"a": 1, "a": 2}`} {
		_, err = save.Differences(m, raw[0], []byte(bad))
		assert.ErrorIs(t, err, save.ErrFormat, name)
	}
}

// Whatever is compared, a save differs from itself in nothing, and both ways round the same is told.
func TestDifferencesAreTheSameBothWaysRound(t *testing.T) {
	m, _, found := model.LoadFor(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, found)
	text := rapid.SampledFrom([]string{`{}`, `{"scene":1,"at":2}`, `{"":0}`, `{"values":{"oil":1}}`, `{"record":{}}`, `{"record":3,"world":[]}`, `{"attic":{"a/b":1,"~":2}}`, `{"place":{"scene":1,"at":2}}`, `{"place":{"scene":"x","at":[]},"":{"":0}}`,
		`{"scenes":{"ridge":5},"props":{"cache":{}},"standings":{"x":{"y":1}}}`, `{"values":{"lists":[[1,[]],{"a":null}]},"world":{"values":{"planks":3}}}`, `{"waymarks":{"way_back":null},"held":{"sled":"wren"}}`})
	rapid.Check(t, func(t *rapid.T) {
		a, b := []byte(text.Draw(t, "a")), []byte(text.Draw(t, "b"))
		there, err := save.Differences(m, a, b)
		require.NoError(t, err)
		back, err := save.Differences(m, b, a)
		require.NoError(t, err)
		require.Len(t, back, len(there))
		for i := range there {
			require.Equal(t, there[i], save.Otherwise{Pointer: back[i].Pointer, Title: back[i].Title, Before: back[i].After, After: back[i].Before})
			require.NotEmpty(t, there[i].Title, there[i].Pointer)
		}
		same, err := save.Differences(m, a, a)
		require.NoError(t, err)
		require.Empty(t, same)
	})
}

// What is held for options is called by the variable and the option, as people call them.
func TestWhatIsHeldForOptionsHasATitle(t *testing.T) {
	m, _, found := model.LoadFor(examples.Harbour, examples.Commons)
	require.NotNil(t, m, found)
	before := &save.Player{Game: "harbour", Version: m.Plan.Version.Value, Player: "finn", Slot: 1, Place: save.Place{Scene: m.Scenes[0].ID}, Values: save.Values{}}
	after := *before
	after.Lists = save.Props{"ware": {"rice": {"have": types.OfInt(2)}}}
	raw := [2][]byte{}
	for i, doc := range []*save.Player{before, &after} {
		var err error
		raw[i], err = save.Encode(doc)
		require.NoError(t, err)
	}
	got, err := save.Differences(m, raw[0], raw[1])
	require.NoError(t, err)
	require.Len(t, got, 1)
	assert.Equal(t, m.Var("ware.have").Title+" of Rice", got[0].Title)
	assert.Equal(t, "2", got[0].After)
}
