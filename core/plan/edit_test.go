package plan_test

import (
	"maps"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	_ "alluvion.dev/core/action" // what rules can do

	"github.com/goccy/go-yaml"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/plan"
)

const toEdit = `alluvion: 1 # é comment, with {braces}
game: small
version: 1
start: hut/door
scenes: {hut: {size: [10, 10], spots: {door: {at: [5, 0]}}}}
variables:
  oil:    {of: player, type: int, start: 12}   # the lamp's
  heat:   {of: player, type: int, start: 12, across: {death: {set: "min(3, 4)"}, leave: reset}}
  "note": {of: player, type: text, start: "a, {b} # c", title: 'it''s'} # after
  warmth:
    of: player # whose
    type: int
    start: 3
    across:
      death: reset # at death
      leave: keep
  cold:
    of: player
    type: int
    start: 3
    across: {new-run: keep}   # once more
`

func TestAFateIsChangedAndNothingElse(t *testing.T) {
	for name, row := range map[string]struct {
		variable   string
		crossing   string
		kind, expr string
		from, to   string
	}{
		"none yet, in braces":              {"player.oil", "death", "rewind", "", "start: 12}   # the", "start: 12, across: {death: rewind}}   # the"},
		"another one, in braces":           {"player.heat", "scene", "keep", "", "leave: reset}", "leave: reset, scene: keep}"},
		"changed, in braces":               {"player.heat", "leave", "keep", "", "leave: reset", "leave: keep"},
		"an expression replaced":           {"player.heat", "death", "rewind", "", `death: {set: "min(3, 4)"}`, "death: rewind"},
		"replaced by an expression":        {"player.heat", "leave", "set", "player.oil", "leave: reset", "leave: {set: player.oil}"},
		"by one that needs quotes":         {"player.heat", "leave", "set", "max(1, 2)", "leave: reset", `leave: {set: "max(1, 2)"}`},
		"behind quotes and commas":         {"player.note", "leave", "reset", "", "title: 'it''s'}", "title: 'it''s', across: {leave: reset}}"},
		"changed, indented":                {"player.warmth", "death", "keep", "", "death: reset # at", "death: keep # at"},
		"another one, indented":            {"player.warmth", "new-run", "keep", "", "      leave: keep\n", "      leave: keep\n      new-run: keep\n"},
		"indented, with braces":            {"player.cold", "new-run", "reset", "", "{new-run: keep}", "{new-run: reset}"},
		"back to the default, in braces":   {"player.heat", "leave", "", "", `"min(3, 4)"}, leave: reset}`, `"min(3, 4)"}}`},
		"the first back to the default":    {"player.heat", "death", "", "", `{death: {set: "min(3, 4)"}, leave`, "{leave"},
		"back to the default, indented":    {"player.warmth", "death", "", "", "      death: reset # at death\n", ""},
		"the only one back to the default": {"player.cold", "new-run", "", "", "    across: {new-run: keep}   # once more\n", ""},
		"nothing to take back":             {"player.oil", "death", "", "", "the lamp's", "the lamp's"},
	} {
		t.Run(name, func(t *testing.T) {
			require.Equal(t, 1, strings.Count(toEdit, row.from), row.from)
			got, err := plan.SetFate(toEdit, row.variable, row.crossing, row.kind, row.expr)
			require.NoError(t, err)
			assert.Equal(t, strings.Replace(toEdit, row.from, row.to, 1), got)
		})
	}
}

func TestWhatCannotBeChangedSaysSo(t *testing.T) {
	for _, row := range []struct{ text, variable, kind string }{
		{toEdit, "player.none", "keep"}, {toEdit, "player.oil", "vanish"}, {"a: [", "player.oil", "keep"}, {"", "player.oil", "keep"},
		{strings.Replace(toEdit, "{of: player, type: int, start: 12}   #", "7 #", 1), "player.oil", "keep"},
	} {
		_, err := plan.SetFate(row.text, row.variable, "death", row.kind, "")
		assert.ErrorIs(t, err, plan.ErrEdit)
	}
}

// Whatever fates are written one after another into the demo, the plan says them, and every comment stays.
func TestFatesWrittenIntoTheDemoAreRead(t *testing.T) {
	raw, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	p, _ := plan.Read(raw)
	rapid.Check(t, func(t *rapid.T) {
		text := string(raw)
		for range rapid.IntRange(1, 6).Draw(t, "edits") {
			id := rapid.SampledFrom(p.Variables.IDs()).Draw(t, "variable")
			c := rapid.SampledFrom(plan.Crossings).Draw(t, "crossing")
			kind := rapid.SampledFrom([]string{"keep", "reset", ""}).Draw(t, "kind")
			next, err := plan.SetFate(text, "x."+id, c.String(), kind, "")
			require.NoError(t, err)
			again, found := plan.Read([]byte(next))
			require.Empty(t, found)
			require.Equal(t, kind, again.Variables.Get(id).Across.At(c).Kind)
			text = next
		}
		require.GreaterOrEqual(t, strings.Count(text, "#"), strings.Count(string(raw), "#")-1, "comments stay, but for one on a line that is removed")
	})
}

func TestAFateOfAPairOrAFieldIsWrittenWhereItIsDeclared(t *testing.T) {
	const text = "alluvion: 1\ngame: g\nversion: 1\nstart: a/b\nprops: {cache: {placed: {one: a/b}}}\nvariables:\n" +
		"  taken: {of: [player, prop:cache], type: bool, start: false}\n  dress: {of: player, type: group, fields: {hood: {type: bool, start: true}}} # warm\n" +
		"scenes: {a: {size: [9, 9], spots: {b: {at: [1, 1]}}}}\n"
	out, err := plan.SetFate(text, "prop.cache.taken", "death", "rewind", "")
	require.NoError(t, err)
	assert.Contains(t, out, "start: false, across: {death: rewind}}")
	out, err = plan.SetFate(text, "player.dress.hood", "death", "reset", "")
	require.NoError(t, err)
	assert.Contains(t, out, "fields: {hood: {type: bool, start: true}}, across: {death: reset}} # warm")
}

func TestAValueIsPutAnywhereAndNothingElseChanges(t *testing.T) {
	for name, row := range map[string]struct {
		path     string
		value    string
		from, to string
	}{
		"a number in braces":             {"variables/oil/start", `13`, "start: 12}   # the", "start: 13}   # the"},
		"a key more, in braces":          {"variables/oil/max", `40`, "start: 12}   # the", "start: 12, max: 40}   # the"},
		"a text that needs quotes":       {"variables/oil/title", `"a, b"`, "start: 12}   # the", "start: 12, title: \"a, b\"}   # the"},
		"a point":                        {"scenes/hut/spots/door/at", `[5.5, 1]`, "at: [5, 0]", "at: [5.5, 1]"},
		"a spot more, in braces":         {"scenes/hut/spots/bed", `{"at": [1, 2], "facing": "south"}`, "door: {at: [5, 0]}", "door: {at: [5, 0]}, bed: {at: [1, 2], facing: south}"},
		"a key more, indented":           {"variables/warmth/max", `9`, "      leave: keep\n", "      leave: keep\n    max: 9\n"},
		"a variable more, at the end":    {"variables/soot", `{"of": "player", "type": "int"}`, "{new-run: keep}   # once more\n", "{new-run: keep}   # once more\n  soot: {of: player, type: int}\n"},
		"a section that was not there":   {"passages/out", `{"from": "hut/door"}`, "# once more\n", "# once more\n\npassages:\n  out: {from: hut/door}\n"},
		"deep in one that was not there": {"checkpoints/list/bed", `{"at": "hut/bed"}`, "# once more\n", "# once more\n\ncheckpoints:\n  list:\n    bed: {at: hut/bed}\n"},
		"in place of a whole table":      {"variables/warmth/across", `{"death": "keep"}`, "\n      death: reset # at death\n      leave: keep\n", " {death: keep}\n"},
		"of a plain word":                {"version", `2`, "version: 1", "version: 2"},
	} {
		t.Run(name, func(t *testing.T) {
			require.Contains(t, toEdit, row.from)
			out, err := plan.Put(toEdit, strings.Split(row.path, "/"), []byte(row.value))
			require.NoError(t, err)
			assert.Equal(t, strings.Replace(toEdit, row.from, row.to, 1), out)
		})
	}
	for name, row := range map[string]struct{ path, value string }{
		"no JSON":                {"version", `{`},
		"under what is no table": {"version/of", `1`},
		"nowhere":                {"", `1`},
	} {
		_, err := plan.Put(toEdit, strings.Split(row.path, "/"), []byte(row.value))
		assert.ErrorIs(t, err, plan.ErrEdit, name)
	}
}

func TestSomethingIsRemovedRenamedOrAddedToAList(t *testing.T) {
	out, err := plan.Remove(toEdit, []string{"variables", "cold"})
	require.NoError(t, err)
	assert.Equal(t, toEdit[:strings.Index(toEdit, "  cold:")], out)
	const last = "scenes:\n  hut:\n    areas: # where it is warm\n      stove: {x: [1, 2]}\n    size: [9, 9]\n"
	out, err = plan.Remove(last, []string{"scenes", "hut", "areas", "stove"})
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(last, "areas: # where it is warm\n      stove: {x: [1, 2]}", "areas: {} # where it is warm", 1), out)

	out, err = plan.RenameKey(toEdit, []string{"variables", "note"}, "remark")
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(toEdit, `"note":`, `remark:`, 1), out)
	_, err = plan.RenameKey(toEdit, []string{"variables", "gone"}, "x")
	assert.ErrorIs(t, err, plan.ErrEdit)

	once, err := plan.AddItem(toEdit, []string{"upgrades", "2"}, []byte(`{"rename": {"player.a": "player.oil"}}`))
	require.NoError(t, err)
	assert.Equal(t, toEdit+"\nupgrades:\n  2:\n    - {rename: {player.a: player.oil}}\n", once)
	twice, err := plan.AddItem(once, []string{"upgrades", "2"}, []byte(`{"drop": "player.b", "why": "it, too"}`))
	require.NoError(t, err)
	assert.Equal(t, once+"    - {drop: player.b, why: \"it, too\"}\n", twice)
	third, err := plan.AddItem(twice, []string{"upgrades", "3"}, []byte(`{"drop": "player.c", "why": "gone"}`))
	require.NoError(t, err)
	assert.Equal(t, twice+"  3:\n    - {drop: player.c, why: gone}\n", third)
}

// Whatever is put anywhere into a sample plan, it is there afterwards, and all else is as it was.
func TestWhatIsPutIsThere(t *testing.T) {
	sample, err := os.ReadFile("../../examples/lantern-market/plan.yaml")
	require.NoError(t, err)
	before, _ := plan.Read(sample)
	rapid.Check(t, func(t *rapid.T) {
		id := before.Variables.IDs()[rapid.IntRange(0, len(before.Variables.IDs())-1).Draw(t, "which")]
		title := rapid.StringMatching(`[ -~]{1,20}`).Draw(t, "title")
		raw := strconv.Quote(title)
		out, err := plan.Put(string(sample), []string{"variables", id, "title"}, []byte(raw))
		if err != nil {
			t.Fatalf("%s: %v", raw, err)
		}
		after, found := plan.Read([]byte(out))
		if found.Errors() {
			t.Fatalf("%s of %s: %v", raw, id, found)
		}
		if got := after.Variables.Get(id).Title.Value; got != title {
			t.Fatalf("%q became %q", title, got)
		}
		after.Variables.Get(id).Title.Value = before.Variables.Get(id).Title.Value
		for _, other := range before.Variables.IDs() {
			if a, b := after.Variables.Get(other), before.Variables.Get(other); a.Title.Value != b.Title.Value {
				t.Fatalf("%s changed too", other)
			}
		}
		if len(after.Rules) != len(before.Rules) || len(after.Passages.Entries) != len(before.Passages.Entries) {
			t.Fatal("something else changed")
		}
	})
}

// everyPath lists the paths of keys to everything that stands in a table.
func everyPath(table map[string]any, above []string) (all [][]string) {
	for _, key := range slices.Sorted(maps.Keys(table)) {
		path := append(slices.Clone(above), key)
		all = append(all, path)
		if below, ok := table[key].(map[string]any); ok {
			all = append(all, everyPath(below, path)...)
		}
	}
	return all
}

// tableAt finds the table that something at a path stands in.
func tableAt(root map[string]any, path []string) map[string]any {
	for _, key := range path[:len(path)-1] {
		root = root[key].(map[string]any)
	}
	return root
}

// oddlyWritten is laid out in every way that YAML allows and people use.
const oddlyWritten = `# A plan that several people have had a hand in.
about: |
  Two lines: with a colon,
    and one further in # no remark

  and one after a gap
folded: >-
  once
  upon

"quoted key": 'it''s "so"' # a remark
'other': "a \"b\" {c}"
flow: {a: 1, "b c": [1, {d: 2}, 'x, y'],
  e: {f: ~},   # in the middle
  g: h i
}
empty:
nothing: {}
list:
- {a: 1}
-   b: 2
    c: |
      text in a list
- [ ]
deep:
    far:       # indented by four
        in: 1.50
        "also": -3
    # a remark by itself
    near: yes then
last: {x: 1}`

// Whatever is removed from, renamed in or put into a sample plan, YAML reads the same as before, but for just that.
func TestAnEditChangesJustWhatItSays(t *testing.T) {
	pass, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	market, err := os.ReadFile("../../examples/lantern-market/plan.yaml")
	require.NoError(t, err)
	for _, text := range []string{oddlyWritten, string(pass), string(market)} {
		read := func(text string) (root map[string]any) {
			require.NoError(t, yaml.Unmarshal([]byte(text), &root), text)
			return root
		}
		paths := everyPath(read(text), nil)
		rapid.Check(t, func(rt *rapid.T) {
			path := rapid.SampledFrom(paths).Draw(rt, "path")
			last := path[len(path)-1]
			want := read(text)
			table := tableAt(want, path)
			var got string
			switch rapid.SampledFrom([]string{"remove", "rename", "put", "enter"}).Draw(rt, "what") {
			case "remove":
				got, err = plan.Remove(text, path)
				delete(table, last)
			case "rename":
				got, err = plan.RenameKey(text, path, "another_name")
				table["another_name"] = table[last]
				delete(table, last)
			case "put":
				got, err = plan.Put(text, path, []byte(`{"a": [1.5, "x, y"]}`))
				table[last] = map[string]any{"a": []any{1.5, "x, y"}}
			case "enter":
				got, err = plan.Put(text, append(slices.Clone(path[:len(path)-1]), "another", "deeper"), []byte(`"z"`))
				table["another"] = map[string]any{"deeper": "z"}
			}
			if err != nil {
				rt.Fatalf("%s: %v", path, err)
			}
			assert.Equal(rt, want, read(got))
		})
	}
}

// A value without quotes on a line of its own may have commas and brackets in it: all of it is replaced.
func TestAPlainValueWithCommasIsReplacedWhole(t *testing.T) {
	for _, was := range []string{"malt, oats", "malt,oats] and more", "a {b} c", "malt # and a remark"} {
		out, err := plan.Put("game: x\ntitle: "+was+"\nversion: 1\n", []string{"title"}, []byte(`"rye"`))
		require.NoError(t, err, was)
		_, remark, has := strings.Cut(was, " #")
		if has {
			remark = " #" + remark
		}
		assert.Equal(t, "game: x\ntitle: rye"+remark+"\nversion: 1\n", out, was)
	}
	out, err := plan.Put("{game: x, title: malt, version: 1}\n", []string{"title"}, []byte(`"rye"`))
	require.NoError(t, err)
	assert.Equal(t, "{game: x, title: rye, version: 1}\n", out)
}
