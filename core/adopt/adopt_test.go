package adopt_test

import (
	"fmt"
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
		t.Run(name, func(t *testing.T) {
			d, err := adopt.New(written(t, text, 120), adopt.Options{Game: "cellar"})
			require.NoError(t, err)
			for _, f := range d.Found {
				assert.NotEmpty(t, f.Accepted, "%d: %s\n%s", f.Line, f.Message, d.Plan)
			}
			assert.Empty(t, d.Told, d.Plan)
			assert.Equal(t, d.Saves, d.Clean)
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
	assert.Equal(t, 300, d.Clean)
	assert.Len(t, d.Formats, 2)
	for what, line := range map[string]string{
		"the versions":            "version: 3   # 1 in 60, 2 in 60, 3 in 120 of 240",
		"another unit":            "player.oven: {at: /hero/oven, read: old / 100}",
		"a table that was a list": `pack.*.count: {each: /pack, id: key, at: ""}`,
		"where one is":            "place.scene: /hero/scene",
		"whose it is":             `player: {file: "{player}-{slot}.json"}`,
		"over all slots":          "music: {of: profile, type: int, min: 0, max: 10, start: 0}",
		"yes and no":              "{at: /game/hints, map: {off: false, on: true}}",
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
