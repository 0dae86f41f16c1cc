package adopt_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/adopt"
	"alluvion.dev/core/check"
	"alluvion.dev/core/format"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/internal/worlds"
)

// written are made-up saves of the Cellar in one of its formats.
func written(t *testing.T, text string, many int) []adopt.File {
	m, _, found := check.Plan([]byte(worlds.Cellar + text))
	require.False(t, found.Errors())
	set := format.New(upgrade.New(m), m)
	var files []adopt.File
	require.NoError(t, upgrade.MadeUp(m, 11, many, func(_ string, doc any) error {
		p, ok := doc.(*save.Player)
		if !ok {
			return nil
		}
		p.Player = fmt.Sprintf("baker%d", len(files)%9)
		raw, err := save.Encode(p)
		require.NoError(t, err)
		file, left, err := set.Formats[0].Write(raw, nil)
		require.NoError(t, err)
		require.Empty(t, left)
		files = append(files, adopt.File{Name: fmt.Sprintf("saves/%d.sav", len(files)), Raw: file})
		return nil
	}))
	return files
}

// Whatever language saves are written in, their draft checks clean, and each of them loads under it and is written back as
// it was.
func TestSavesOfEveryLanguageAreAdopted(t *testing.T) {
	for name, text := range worlds.CellarFormats {
		if name == "files" { // a save of several files is drafted as so many formats
			continue
		}
		t.Run(name, func(t *testing.T) {
			d, err := adopt.New(written(t, text, 120), adopt.Options{Game: "cellar"})
			require.NoError(t, err)
			for _, f := range d.Found {
				assert.NotEmpty(t, f.Accepted, "%d: %s\n%s", f.Line, f.Message, d.Plan)
			}
			assert.Empty(t, d.Told, d.Plan)
			assert.Equal(t, []int{d.Saves, d.Saves}, []int{d.Clean, d.Back})
			assert.Contains(t, d.Plan, "place.scene", "where players are is found:\n%s", d.Plan)
			assert.Contains(t, d.Plan, "purse: {of: player, type: int", d.Plan)
		})
	}
}

func cellarFiles(t *testing.T) []adopt.File {
	names, err := filepath.Glob("../../examples/old-cellar/saves/*")
	require.NoError(t, err)
	var files []adopt.File
	for _, name := range names {
		raw, err := os.ReadFile(name)
		require.NoError(t, err)
		files = append(files, adopt.File{Name: name, Raw: raw})
	}
	return files
}

func TestTheOldCellarIsAdopted(t *testing.T) {
	files := cellarFiles(t)
	require.Len(t, files, 300)
	d, err := adopt.New(files, adopt.Options{Game: "old-cellar"})
	require.NoError(t, err)
	assert.Empty(t, d.Told)
	assert.Equal(t, []int{300, 180}, []int{d.Clean, d.Back}, "those of the first two versions are upgraded")
	assert.Len(t, d.Formats, 2)
	for what, line := range map[string]string{
		"the versions":            "version: 3   # 1 in 60, 2 in 60, 3 in 120 of 240",
		"another unit":            "player.oven: {at: /hero/oven, read: old / 100}",
		"a table that was a list": `pack.*.count: {each: /pack, id: key, at: ""}`,
		"where one is":            "place.scene: /hero/scene",
		"whose it is":             `player: {file: "{player}-{slot}.json"}`,
		"over all slots":          "music: {of: profile, type: int, min: 0, max: 10, start: 0}",
		"yes and no":              "{at: /game/hints, map: {off: false, on: true}}",
		"what counts by itself":   "played: {of: player, type: stopwatch}   # ? in 120 of 120",
		"what never falls":        "; never falls in 60 pairs of one player's saves",
		"what nothing is like":    "# ? /gold in 60 saves of version 1",
	} {
		assert.Contains(t, d.Plan, line, what)
	}
	for _, f := range files {
		for _, word := range []string{"@example.org", "rent is due"} {
			assert.NotContains(t, d.Plan, word, "what somebody wrote, and what is nobody else's business, is not shown")
		}
		if _, token, ok := strings.Cut(string(f.Raw), `"token": "`); ok {
			assert.NotContains(t, d.Plan, token[:20])
		}
	}
}

func TestWhatCannotBeAdoptedSaysWhy(t *testing.T) {
	file := func(name, text string) adopt.File { return adopt.File{Name: name, Raw: []byte(text)} }
	for want, files := range map[string][]adopt.File{
		"at least 3 are wanted":           {file("a", `{"a": 1}`), file("b", `{"a": 2}`)},
		"1 of them cannot be read":        {file("a", `{"a": 1}`), file("b", `{"a": 2}`), file("c", `{"a": 1}`), file("d", "\x00\x01\x02")},
		"are of a format of their own":    {file("a", `{"a": 1}`), file("b", `{"a": 2}`), file("c", `{"a": 1}`), file("d", `<save/>`), file("e", "<save><a>1</a></save>")},
		"name the path with -version":     {file("a", `{"p": 1, "q": 1, "x": 1}`), file("b", `{"p": 1, "r": 1, "s": 3}`), file("c", `{"p": 1, "q": 2, "x": 3}`), file("d", `{"p": 4, "r": 9, "s": 1}`)},
		"does not stand in each of 3 fil": {file("a", `{"a": "x"}`), file("b", `{"a": "y"}`), file("c", `{"a": "z"}`)},
	} {
		o := adopt.Options{}
		if strings.HasPrefix(want, "does not") {
			o.Version = "/a"
		}
		_, err := adopt.New(files, o)
		require.ErrorIs(t, err, adopt.ErrSaves, want)
		assert.ErrorContains(t, err, want)
	}
}

// One value of another type is told, and does not change what all others say.
func TestOneOddSaveIsTold(t *testing.T) {
	var files []adopt.File
	for i := range 100 {
		files = append(files, adopt.File{Name: fmt.Sprintf("p%d-1.json", i), Raw: fmt.Appendf(nil, `{"v": 1, "coins": %d, "on": true}`, i%40)})
	}
	files[50].Raw = []byte(`{"v": 1, "coins": "many", "on": true}`)
	d, err := adopt.New(files, adopt.Options{Game: "odd"})
	require.NoError(t, err)
	assert.Contains(t, d.Plan, "coins: {of: player, type: int")
	require.Len(t, d.Told, 1)
	assert.Equal(t, "p50-1.json", d.Told[0].File)
	assert.NotContains(t, d.Told[0].What, "many")
}

// Three sets of saves with other habits: a table of players; YAML with dotted versions and a time in another unit; JSON with
// names that other programs use, and records that do not say which each is.
func TestSavesWithOtherHabits(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	table := "id;level;gold;banned;clan\n"
	for i := range 400 {
		table += fmt.Sprintf("%d;%d;%d;%s;%s\n", 1000+7*i, 1+r.IntN(60), r.IntN(900), []string{"yes", "no"}[r.IntN(2)], []string{"", "reds", "blues"}[r.IntN(3)])
	}
	d, err := adopt.New([]adopt.File{{Name: "table.csv", Raw: []byte(table)}}, adopt.Options{Game: "rows"})
	require.NoError(t, err)
	assert.Equal(t, []int{400, 400, 400}, []int{d.Saves, d.Clean, d.Back}, "%v\n%s", d.Told, d.Plan)
	assert.Contains(t, d.Plan, "rows: saves")
	assert.Contains(t, d.Plan, "{at: /banned, map: {no: false, yes: true}}")
	assert.Contains(t, d.Plan, "{at: /clan, none: empty}")

	var files, others []adopt.File
	for i := range 90 {
		version, played := []string{"0.9", "1.0", "1.1"}[i%3], "playtime: %d"
		seconds := 1000 + r.IntN(90_000)
		if version == "1.1" {
			played, seconds = "playtime_ms: %d", seconds*1000
		}
		files = append(files, adopt.File{Name: fmt.Sprintf("save_%d.yaml", i), Raw: fmt.Appendf(nil, "# a save\ngame_version: %q\nplayer_id: id%04d\nposition: {map: %s, x: %.2f, y: %.2f}\n"+played+"\n",
			version, i%30, []string{"town", "cave"}[r.IntN(2)], r.Float64()*90-40, r.Float64()*50, seconds)})
		others = append(others, adopt.File{Name: fmt.Sprintf("u%d.sav", i), Raw: fmt.Appendf(nil, `{"formatVersion": 7, "slot": %d, "userId": "u%04d", "weapon": %s, "log": [{"t": %d, "msg": "rent is due"}],
 "villagers": {"Abe": {"friend": %d, "met": true}, "Bea": {"friend": %d, "met": %t}, "Cyd": {"friend": 0, "met": false}}}`, 1+i%3, i%30, []string{"null", `"Axe"`, `"Bow"`}[r.IntN(3)], i, r.IntN(11), r.IntN(11), r.IntN(2) == 0)})
	}
	d, err = adopt.New(files, adopt.Options{Game: "quest"})
	require.NoError(t, err)
	assert.Empty(t, d.Told, d.Plan)
	assert.Equal(t, []int{90, 30}, []int{d.Clean, d.Back})
	assert.Contains(t, d.Plan, "version: {at: /game_version, map: {0.9: 1, 1.0: 2, 1.1: 3}}")
	assert.Contains(t, d.Plan, "player.playtime_ms: {at: /playtime, read: old * 1000}")
	assert.NotContains(t, d.Plan, "{slot}", "the number in a file's name counts the files")

	d, err = adopt.New(others, adopt.Options{Game: "village"})
	require.NoError(t, err)
	assert.Empty(t, d.Told, d.Plan)
	assert.Equal(t, []int{90, 90}, []int{d.Clean, d.Back})
	assert.Contains(t, d.Plan, "version: 7 ")
	assert.Contains(t, d.Plan, "saving: {slots: 3,")
	assert.Contains(t, d.Plan, "# /log in 90 of 90: a list of records that do not say which each is")
	assert.Contains(t, d.Plan, "villagers.*.friend: {each: /villagers, id: {at: key, map: {Abe: abe, Bea: bea, Cyd: cyd}}, at: /friend}")
	assert.NotContains(t, d.Plan, "rent is due")
}
