package format_test

import (
	"archive/zip"
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/format"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/internal/worlds"
)

func tins(t *testing.T) (*format.Set, *model.Model) {
	m, _, found := check.Text([]byte(worlds.Tin), nil)
	require.NotNil(t, m, "%s", said(found))
	require.False(t, found.Errors(), "%s", said(found))
	return format.New(upgrade.New(m), m), m
}

// archive is a ZIP archive of files, in their order: names and texts by turns.
func archive(t *testing.T, files ...string) []byte {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for i := 0; i < len(files); i += 2 {
		w, err := z.Create(files[i])
		require.NoError(t, err)
		_, err = w.Write([]byte(files[i+1]))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return out.Bytes()
}

const state = `{"v": 2, "purse": 7, "x": 3, "y": 4, "other": [1, 2]}`

// A save in several files is one: whose it is their names say, what is missing is told, and what is none of its files
// stays in the archive.
func TestASaveInSeveralFiles(t *testing.T) {
	s, _ := tins(t)
	f := s.Formats[0]
	made, left, err := f.Write([]byte(`{"alluvion_save": 1, "game": "tin", "version": 2, "player": "ada", "slot": 3, "visits": 1, "dead": false, "place": {"scene": "yard", "at": [3, 4]}, "entry": {"scene": "yard", "at": [3, 4]}, "values": {"coins": 7}, "record": {"values": {}}, "world": {"alluvion_world": 1, "game": "tin", "version": 2, "values": {"day": 12}}}`), nil)
	require.NoError(t, err)
	assert.Empty(t, left)
	files, err := format.Unpack(made)
	require.NoError(t, err)
	assert.Len(t, files, 2)
	require.Contains(t, files, "ada/3/state.json")
	require.Contains(t, files, "ada/3/map.ini")

	gzipped := string(files["ada/3/map.ini"])
	opened, err := f.Open(archive(t, "saves/ada/3/picture.png", "PNG", "saves/ada/3/map.ini", gzipped, "saves/ada/3/state.json", state), "x.zip")
	require.NoError(t, err)
	x := opened[0].Check(nil)
	assert.Empty(t, x.Problems)
	assert.Equal(t, []any{"ada", 3}, []any{x.Player, x.Slot})
	doc, err := x.Document()
	require.NoError(t, err)
	back, left, err := f.Write(doc, opened[0])
	require.NoError(t, err)
	assert.Empty(t, left)
	files, err = format.Unpack(back)
	require.NoError(t, err)
	assert.Equal(t, []string{"PNG", state, gzipped}, []string{string(files["saves/ada/3/picture.png"]), string(files["saves/ada/3/state.json"]), string(files["saves/ada/3/map.ini"])}, "what did not change is as it was, to the byte")

	opened, err = f.Open(archive(t, "state.json", `{"v": 1, "purse": 700, "x": 3, "y": 4}`, "map.ini", gzipped), "bo.zip")
	require.NoError(t, err, "the innermost folder alone")
	x = opened[0].Check(nil)
	require.Len(t, x.Problems, 1)
	assert.Equal(t, []any{save.KindRange, "/state/purse", 1, 19, "player.coins", "bo"}, []any{x.Problems[0].Kind, x.Problems[0].Pointer, x.Problems[0].Line, x.Problems[0].Column, x.Problems[0].Name, x.Player})

	opened, err = f.Open(archive(t, `saves\ada\2\state.json`, state, `saves\ada\2\map.ini`, gzipped), "x.zip")
	require.NoError(t, err, "as some programs write it")
	assert.Equal(t, []any{"ada", 2}, []any{opened[0].Player, opened[0].Slot})

	opened, err = f.Open(archive(t, "ada/1/state.json", state), "x.zip")
	require.NoError(t, err)
	x = opened[0].Check(nil)
	require.NotEmpty(t, x.Problems)
	assert.Equal(t, []any{save.KindMissing, "/map"}, []any{x.Problems[0].Kind, x.Problems[0].Pointer})

	for why, raw := range map[string][]byte{
		"it is no ZIP archive of the save's files":                                  []byte(state),
		"there is no file like {player}/{slot}/state.json in it":                    archive(t, "ada/1/map.ini", gzipped),
		"there are two files like {player}/{slot}/state.json in it: one save is wa": archive(t, "ada/1/state.json", state, "bo/1/state.json", state),
		"a file in it has a name that leads out of it":                              archive(t, "../ada/1/state.json", state),
		"ada/1/map.ini: it is not gzip":                                             archive(t, "ada/1/state.json", state, "ada/1/map.ini", "[main]"),
		"it becomes larger than a save may be when it is unpacked":                  archive(t, "ada/1/state.json", string(make([]byte, 3<<20))),
	} {
		_, err := f.Open(raw, "x.zip")
		assert.ErrorContains(t, err, why)
	}
}

// Loose files go together by their folders, and by whose their names say that they are.
func TestLooseFilesOfASaveAreFound(t *testing.T) {
	s, _ := tins(t)
	saves := s.Loose([]string{"in/ada/1/map.ini", "in/ada/1/state.json", "in/ada/2/state.json", "in/bo/1/state.json", "in/bo/2/map.ini", "in/readme.txt"})
	var names []string
	for _, one := range saves {
		names = append(names, one.Name)
	}
	assert.Equal(t, []string{"in/ada/1/state.json", "in/ada/2/state.json", "in/bo/1/state.json"}, names)
	assert.Equal(t, map[string]string{"ada/1/state.json": "in/ada/1/state.json", "ada/1/map.ini": "in/ada/1/map.ini"}, saves[0].Files)
	assert.Len(t, saves[1].Files, 1, "the map of another slot is not taken")
}

// A file whose path names the player alone belongs to each of their saves.
func TestALooseFileMayBelongToSeveralSaves(t *testing.T) {
	m, _, found := check.Text([]byte(strings.Replace(worlds.Tin, "{player}/{slot}/map.ini", "{player}/map.ini", 1)), nil)
	require.NotNil(t, m, "%s", said(found))
	saves := format.New(upgrade.New(m), m).Loose([]string{"in/ada/1/state.json", "in/ada/2/state.json", "in/ada/map.ini", "in/bo/1/state.json", "other/ada/map.ini"})
	require.Len(t, saves, 3)
	for i, want := range []string{"in/ada/map.ini", "in/ada/map.ini", ""} {
		assert.Equal(t, want, saves[i].Files["ada/map.ini"], saves[i].Name)
	}
}

func TestWhatIsWrongWithSeveralFilesIsSaid(t *testing.T) {
	for what, want := range map[[2]string]string{
		{"/map/main/day", "/mop/main/day"}:                                   `A path begins with the file that it leads into, as /state/…, and "mop" is none. Did you mean map?`,
		{`"{player}/{slot}/state.json"`, "../state.json"}:                    "The name of a file is wanted here",
		{"    version: /state/v", "    wrap: [gzip]\n    version: /state/v"}: "What a file is wrapped in is said of each here",
		{"{slot}/map.ini", "{slot}/state.json"}:                              "state is called that already",
	} {
		text := bytes.Replace([]byte(worlds.Tin), []byte(what[0]), []byte(what[1]), 1)
		require.NotEqual(t, worlds.Tin, string(text))
		_, _, found := check.Text(text, nil)
		assert.Contains(t, said(found), want)
	}
}

// A signed file is read with the key, signed anew when it changed, and refused otherwise: also one of several files.
func TestSignedFilesAreReadWithTheirKey(t *testing.T) {
	text := strings.Replace(worlds.Tin, "wrap: [gzip]", "wrap: [gzip, hmac]", 1)
	m, _, found := check.Text([]byte(text), nil)
	require.NotNil(t, m, "%s", said(found))
	set := func(key string) *format.Format {
		return format.New(upgrade.New(m), m).Signed([]byte(key)).Formats[0]
	}
	doc := []byte(`{"alluvion_save": 1, "game": "tin", "version": 2, "player": "ada", "slot": 1, "visits": 1, "dead": false, "place": {"scene": "yard", "at": [3, 4]}, "entry": {"scene": "yard", "at": [3, 4]}, "values": {"coins": 7}, "record": {"values": {}}, "world": {"alluvion_world": 1, "game": "tin", "version": 2, "values": {"day": 12}}}`)
	made, left, err := set("secret").Write(doc, nil)
	require.NoError(t, err)
	assert.Empty(t, left)
	opened, err := set("secret").Open(made, "x.zip")
	require.NoError(t, err)
	assert.Empty(t, opened[0].Check(nil).Problems)
	again, _, err := set("secret").Write([]byte(strings.Replace(string(doc), `"day": 12`, `"day": 13`, 1)), opened[0])
	require.NoError(t, err)
	opened, err = set("secret").Open(again, "x.zip")
	require.NoError(t, err)
	_, err = set("another").Open(made, "x.zip")
	assert.ErrorContains(t, err, "its signature is wrong")
	_, err = set("").Open(made, "x.zip")
	assert.ErrorContains(t, err, "-save-key FILE")
	_, _, err = set("").Write(doc, nil)
	assert.ErrorContains(t, err, "-save-key FILE")
	_, _, err = set("").Write(doc, opened[0])
	assert.Error(t, err)
}
