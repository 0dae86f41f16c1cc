package save_test

import (
	"strings"
	"testing"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// Who is in a scene that is no more is at the checkpoint that they reached, wherever that is.
func TestRule33WhoIsNowhereIsAtTheirCheckpoint(t *testing.T) {
	text := strings.Replace(lodge, " MISFITS", "", 1)
	area := strings.NewReplacer("list: {tree: {at: b/t}}", "list: {tree: {in: b/grove}}", "b: {size: [4, 4],", "b: {size: [4, 4], areas: {grove: {x: [0, 3], y: [0, 3]}},").Replace(text)
	raw, err := save.Encode(joined(t, modelOf(t, text)).Save("ada"))
	require.NoError(t, err)
	nowhere := strings.NewReplacer(`"place":{"at":[1,1],"facing":"north","scene":"a"}`, `"place":{"at":[1,1],"facing":"north","scene":"z"}`, `"dead":false`, `"checkpoint":"tree","dead":false`).Replace(string(raw))
	back := strings.Replace(nowhere, `"checkpoint":"tree"`, `"back":{"at":[2,1],"facing":"north","scene":"b"},"checkpoint":"tree"`, 1)
	for name, row := range map[string][3]string{
		"a spot":                    {text, nowhere, "the checkpoint that they have reached, b/t"},
		"an area":                   {area, back, "the checkpoint that they have reached, b (2, 1)"},
		"an area that nobody knows": {area, nowhere, "the fallback, a/s"},
	} {
		_, problems, err := save.DecodePlayer([]byte(row[1]), modelOf(t, row[0]))
		require.NoError(t, err)
		var told []string
		for _, p := range problems {
			told = append(told, p.Pointer+" "+p.Instead)
		}
		assert.Contains(t, strings.Join(told, "\n"), "/place/scene they are at "+row[2], name)
	}
}

// A plan that knows no facings takes none, and finds nothing wrong with none.
func TestWithoutFacingsNobodyFacesAnywhere(t *testing.T) {
	m := modelOf(t, hut)
	raw, err := save.Encode(joined(t, m).Save("ada"))
	require.NoError(t, err)
	p, problems, err := save.DecodePlayer(raw, m)
	require.NoError(t, err)
	assert.Empty(t, problems)
	assert.Nil(t, p.Attic)
	require.Contains(t, string(raw), `"place":{"at":[1,1],"scene":"a"}`)
	p, problems, err = save.DecodePlayer([]byte(strings.Replace(string(raw), `"place":{"at":[1,1],`, `"place":{"at":[1,1],"facing":"up",`, 1)), m)
	require.NoError(t, err)
	require.Len(t, problems, 1)
	assert.Equal(t, "/place/facing", problems[0].Pointer)
	assert.Empty(t, p.Place.Facing)
}

// Where the plan says that what does not fit is the nearest, that is so of items, too: each by itself.
func TestItemsGoToTheNearestWhereThePlanSaysSo(t *testing.T) {
	text := strings.NewReplacer(" MISFITS", ", misfits: {range: nearest}", "  badge:", "  marks:   {of: player, type: list, items: {type: int, min: 0, max: 9}}\n  badge:").Replace(lodge)
	m := modelOf(t, text)
	raw, err := save.Encode(joined(t, m).Save("ada"))
	require.NoError(t, err)
	p, problems, err := save.DecodePlayer([]byte(strings.Replace(string(raw), `"marks":[]`, `"marks":[3,12,-1]`, 1)), m)
	require.NoError(t, err)
	assert.Len(t, problems, 2)
	assert.Equal(t, "[3, 9, 0]", p.Values["marks"].Plain())
	m = modelOf(t, strings.Replace(text, "range: nearest", "range: start", 1))
	p, problems, err = save.DecodePlayer([]byte(strings.Replace(string(raw), `"marks":[]`, `"marks":[3,12,-1]`, 1)), m)
	require.NoError(t, err)
	assert.Len(t, problems, 2)
	assert.Equal(t, "[3]", p.Values["marks"].Plain())
}

// The attic of the first saves held values alone.
func TestTheAtticReadsWhatTheFirstSavesHeld(t *testing.T) {
	attic := save.Attic{"old": jsontext.Value("5"), "none": nil, "kept": save.KeptAs(3, jsontext.Value("7"), "it was dropped"), "odd": jsontext.Value(`{"a":1}`)}
	for name, want := range map[string]string{"old": "5", "none": "", "kept": "7"} {
		kept, ok := attic.Get(name)
		assert.True(t, ok, name)
		assert.Equal(t, want, string(kept.Value), name)
	}
	for _, name := range []string{"odd", "missing"} {
		_, ok := attic.Get(name)
		assert.False(t, ok, name)
	}
}

// Brackets may stand in each other as deep as the limit, and no deeper.
func TestHowDeepASaveMayBe(t *testing.T) {
	m := modelOf(t, hut)
	raw, err := save.Encode(joined(t, m).Save("ada"))
	require.NoError(t, err)
	nested := func(depth int) error { // the outermost table is one of them
		deep := strings.Repeat("[", depth-1) + strings.Repeat("]", depth-1)
		_, _, err := save.DecodePlayer([]byte(strings.Replace(string(raw), `"dead":false`, `"dead":false,"mood":`+deep, 1)), m)
		return err
	}
	assert.NoError(t, nested(save.MaxDepth))
	assert.ErrorIs(t, nested(save.MaxDepth+1), save.ErrFormat)
}

// A standing of options that the plan does not know waits in the attic; what stands in one that it knows is within limits,
// and is read the same quickly and patiently.
func TestStandingsOfOptionsAreFitted(t *testing.T) {
	m := modelOf(t, strings.NewReplacer("scenes: {a", "lists: {side: [east, west]}\nstandings: {sides: {rank: side.won}}\nscenes: {a", "  fund:", "  won:   {of: side, type: int, min: 0, max: 9, start: 0}\n  fund:").Replace(hut))
	doc := `{"alluvion_world":1,"game":"hut","version":2,"values":{"fund":3},"scenes":{"a":{"snow":4}},"standings":{"sides":{"west":7,"north":2,"east":1e16},"others":{"east":1}}}`
	w, problems, err := save.DecodeWorld([]byte(doc), m)
	require.NoError(t, err)
	var told []string
	for _, p := range problems {
		told = append(told, p.Pointer+": "+p.Reason)
	}
	assert.Equal(t, []string{"/standings/sides/east: it is from -1000000000000000 to 1000000000000000, not 10000000000000000", "/standings/sides/north: side has no such option", "/standings/others/east: the plan has no such standing of options"}, told)
	assert.Equal(t, "7", w.Standings["sides"]["west"].String())
	for _, name := range []string{"standings.sides.north", "standings.others.east"} {
		assert.Contains(t, w.Attic, name)
	}
	_, problems, err = save.DecodeWorld([]byte(strings.Replace(doc, `"west":7`, `"west":"7"`, 1)), m)
	require.NoError(t, err)
	assert.Equal(t, "/standings/sides/west", problems[0].Pointer)
}

// Brackets in a text are no tables: however many they are, the save is read.
func TestBracketsInATextAreNoDepth(t *testing.T) {
	m := modelOf(t, strings.Replace(hut, "variables:\n", "variables:\n  note: {of: player, type: text, max_length: 2000, optional: true, read_by: game, written_by: game}\n", 1))
	p := joined(t, m).Save("ada")
	p.Values["note"] = types.OfText(strings.Repeat(`[{"`, 300))
	raw, err := save.Encode(p)
	require.NoError(t, err)
	for name, open := range map[string]func([]byte) (*save.Loose, error){"quickly": save.OpenQuickly, "patiently": save.OpenPatiently, "either way": save.OpenPlayer} {
		loose, err := open(raw)
		require.NoError(t, err, name)
		read, problems, err := loose.Fit(m)
		require.NoError(t, err)
		assert.Empty(t, problems)
		assert.Equal(t, p.Values["note"], read.Values["note"], name)
	}
}

// Where there is just one facing, everybody has it.
func TestTheOnlyFacingIsEverybodys(t *testing.T) {
	const old = "space: {facings: [north, south]}\n"
	m := modelOf(t, strings.Replace(hut, "start:", old+"start:", 1))
	p := joined(t, m).Save("ada")
	p.Place.Facing = "south"
	raw, err := save.Encode(p)
	require.NoError(t, err)
	one := modelOf(t, strings.Replace(hut, "start:", "space: {facings: [west]}\nstart:", 1))
	read, problems, err := save.DecodePlayer(raw, one)
	require.NoError(t, err)
	assert.Equal(t, "west", read.Place.Facing)
	require.Len(t, problems, 2, "of the place, and of where they came in")
	assert.Equal(t, "it is west", problems[0].Instead)
}
