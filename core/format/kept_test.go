package format_test

import (
	"bytes"
	"strings"
	"testing"

	"github.com/fxamacker/cbor/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/vmihailenco/msgpack/v5"

	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/internal/worlds"
)

// small says where little stands, so that nearly everything in a file is what the plan knows nothing of.
const small = `
  slot_file:
    is: LANGUAGE
    version: ROOT/rev
    player: ROOT/who
    where: {place.scene: ROOT/scene, place.x: ROOT/x, place.y: ROOT/y, place.facing: ROOT/facing, player.coins: ROOT/coins}
`

// changed reads a file, gives whoever it is of 77 coins, and writes it.
func changed(t *testing.T, language, root, file string) (string, error) {
	t.Helper()
	s, m, judge := setOf(t, strings.NewReplacer("LANGUAGE", language, "ROOT", root).Replace(small))
	opened, err := s.Open([]byte(file), "file")
	require.NoError(t, err, file)
	x := opened[0].Check(judge)
	require.Empty(t, x.Problems, file)
	doc, err := x.Document()
	require.NoError(t, err)
	out, left, err := s.Formats[0].Write(bytes.ReplaceAll(doc, []byte(`"coins":5,`), []byte(`"coins":77,`)), opened[0])
	require.Empty(t, left)
	if err == nil {
		again, err := s.Open(out, "file")
		require.NoError(t, err, "%s", out)
		loaded, err := upgrade.New(m).Player(again[0].Save, upgrade.Around{})
		require.NoError(t, err)
		assert.Equal(t, "77", loaded.Player.Values["coins"].Plain())
	}
	return string(out), err
}

// One figure is changed, and everything else stays as the language can keep it.
func TestWhatElseStandsInAFileIsKept(t *testing.T) {
	const json = "\ufeff{\r\n\t\"rev\" : 3, \"who\":\"bo\",\"scene\":\"cellar\", \"x\":1.50,\"y\":2,\r\n \"facing\":\"north\",\"coins\": 5 , \"mods\": [ ], \"old\": {\"a\\u0041\":1e3}}\n\n"
	got, err := changed(t, "json", "", json)
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(json, `"coins": 5`, `"coins": 77`, 1), got)

	const yaml = "# of bo\nrev: 3 # the third\nwho: bo\nscene: cellar\nx: 1.50\ny: 2\nfacing: north\n\ncoins: 5   # gold\nmods: [a,  b]\n"
	got, err = changed(t, "yaml", "", yaml)
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(yaml, "coins: 5", "coins: 77", 1), got)

	const ini = "; of bo\r\n[main]\r\nrev=3\r\nwho = bo\r\nscene=cellar\r\nx=1.50\r\ny=2\r\nfacing=north\r\ncoins=5\r\n# more\r\n[mods]\r\nhat=\" a \"\r\n"
	got, err = changed(t, "ini", "/main", ini)
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(ini, "coins=5", "coins=77", 1), got)

	// The last entry goes, and another comes.
	s, _, judge := setOf(t, worlds.CellarFormats["ini"])
	opened, err := s.Open([]byte("slot = 1\n[main]\nv = 3\nwho = bo\n; the end\nnote = a\n[at]\nscene = cellar\nx = 1\ny = 1\nfacing = north\n"), "file")
	require.NoError(t, err)
	x := opened[0].Check(judge)
	x.Loaded.Player.Values["note"] = types.None
	doc, err := save.Encode(x.Loaded.Player)
	require.NoError(t, err)
	out, left, err := s.Formats[0].Write(doc, opened[0])
	require.NoError(t, err)
	assert.Empty(t, left)
	assert.True(t, strings.HasPrefix(string(out), "slot = 1\n[main]\nv = 3\nwho = bo\npurse = 10\n"), "%s", out)
	assert.NotContains(t, string(out), "note")

	got, err = changed(t, "toml", "", "rev = 3\nwho = \"bo\"\nscene = \"cellar\"\nx = 1.50\ny = 2\nfacing = \"north\"\ncoins = 5\nmade = 2027-03-01T12:00:00Z\nflags = 0x1f\nmuch = 1_000\nfar = inf\n")
	require.NoError(t, err)
	for _, line := range []string{"made = 2027-03-01T12:00:00Z\n", "flags = 0x1f\n", "much = 1_000\n", "far = inf\n", "x = 1.50\n"} {
		assert.Contains(t, got, line)
	}

	got, err = changed(t, "xml", "/save", `<save rev="3"><rev>3</rev><who>bo</who><scene>cellar</scene><x>1.50</x><y>2</y><facing>north</facing><coins>5</coins><mod n="1">a &lt; b</mod><mod n="2"/></save>`)
	require.NoError(t, err)
	for _, part := range []string{`<mod n="1">a &lt; b</mod>`, `<mod n="2"></mod>`, `<save rev="3">`} {
		assert.Contains(t, got, part)
	}
	_, err = changed(t, "xml", "/save", `<save xmlns:m="urn:mods"><rev>3</rev><who>bo</who><scene>cellar</scene><x>1</x><y>2</y><facing>north</facing><coins>5</coins><m:mod/></save>`)
	assert.ErrorContains(t, err, "namespaces")
}

// Names that are numbers, and whole numbers of 64 bits, are in binary files what they were.
func TestBinaryFilesKeepWhatTheyHold(t *testing.T) {
	held := map[any]any{"rev": 3, "who": "bo", "scene": "cellar", "x": 1.5, "y": 2, "facing": "north", "coins": 5, uint64(7): "seven", "seed": uint64(18446744073709551615), "low": int64(-9223372036854775808)}
	raw, err := msgpack.Marshal(held)
	require.NoError(t, err)
	got, err := changed(t, "messagepack", "", string(raw))
	require.NoError(t, err)
	var back map[any]any
	d := msgpack.NewDecoder(strings.NewReader(got))
	back, err = d.DecodeUntypedMap()
	require.NoError(t, err)
	assert.EqualValues(t, uint64(18446744073709551615), back["seed"])
	assert.EqualValues(t, int64(-9223372036854775808), back["low"])
	assert.Contains(t, back, any(int8(7)), "%v", back)

	raw, err = cbor.Marshal(held)
	require.NoError(t, err)
	got, err = changed(t, "cbor", "", string(raw))
	require.NoError(t, err)
	back = nil
	require.NoError(t, cbor.Unmarshal([]byte(got), &back))
	assert.EqualValues(t, uint64(18446744073709551615), back["seed"])
	assert.Equal(t, "seven", back[uint64(7)])
}

// Each row of a table is a save: one is changed, one cannot be read, and all else stays.
func TestRowsOfATableAreWritten(t *testing.T) {
	s, _, judge := setOf(t, `
  slot_file:
    is: csv
    rows: saves
    version: {is: 3}
    player: /who
    where: {place.scene: /scene, place.x: /x, place.y: /y, place.facing: /facing, player.coins: /coins, player.note: {at: /note, none: missing}}
`)
	const file = "who;scene;x;y;facing;coins;note;mods\nbo;cellar;1.50;2;north;5;\"a, b\";x\nada;cellar;3;4;south;many;;y\ntor;bakehouse;3;4;east;9;;z\n"
	opened, err := s.Open([]byte(file), "table.csv")
	require.NoError(t, err)
	require.Len(t, opened, 3)
	docs := make([][]byte, 3)
	for i, one := range opened {
		x := one.Check(judge)
		assert.Equal(t, []int{0, 1, 0}[i], len(x.Problems), "%v", x.Problems)
		if i == 2 {
			doc, err := x.Document()
			require.NoError(t, err)
			docs[i] = bytes.ReplaceAll(doc, []byte(`"coins":9,`), []byte(`"coins":77,`))
		}
	}
	out, left, err := s.Formats[0].WriteAll(docs, opened)
	require.NoError(t, err)
	assert.Empty(t, left)
	assert.Equal(t, strings.NewReplacer("9;;z", "77;;z", `"a, b"`, "a, b").Replace(file), string(out))
}
