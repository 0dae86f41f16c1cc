package edit_test

import (
	"fmt"
	"strings"
	"testing"

	_ "alluvion.dev/core/action" // what rules can do

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/check"
	"alluvion.dev/core/edit"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/matrix"
	"alluvion.dev/core/plan"
	"alluvion.dev/examples"
)

func apply(t *testing.T, e ...edit.Edit) string {
	t.Helper()
	out, err := edit.Apply(string(examples.LanternPass), e, examples.Commons)
	require.NoError(t, err)
	return out
}

// changedLines are the lines that only one of two texts has, each with - or +.
func changedLines(before, after string) []string {
	had, has := map[string]int{}, map[string]int{}
	for line := range strings.SplitSeq(before, "\n") {
		had[line]++
	}
	for line := range strings.SplitSeq(after, "\n") {
		has[line]++
	}
	var out []string
	for line := range strings.SplitSeq(before, "\n") {
		if has[line] < had[line] {
			out = append(out, "- "+strings.TrimSpace(line))
		}
	}
	for line := range strings.SplitSeq(after, "\n") {
		if had[line] < has[line] {
			out = append(out, "+ "+strings.TrimSpace(line))
		}
	}
	return out
}

func TestAVariableIsRenamedWhereverThePlanSaysIt(t *testing.T) {
	before := string(examples.LanternPass)
	out := apply(t, edit.Edit{Do: "rename", Name: "player.warmth", To: "heat", Step: true, Published: 3})
	m, _, found := check.Text([]byte(out), examples.Commons)
	require.NotNil(t, m, found)
	assert.Nil(t, m.Var("player.warmth"))
	assert.NotNil(t, m.Var("player.heat"))
	lines := changedLines(before, out)
	assert.Contains(t, lines, "+ version: 4")
	assert.Contains(t, lines, "+ 4:")
	assert.Contains(t, lines, "+ - {rename: {player.warmth: player.heat}}")
	assert.Contains(t, lines, "+ - {set: args.at.heat, to: args.at.heat - args.amount}")
	assert.Contains(t, lines, `+ - {set: player.heat, to: "min(player.max_warmth, player.heat + args.minutes * 2.5)"}`)
	assert.Contains(t, lines, "+ - {that: player.heat <= player.max_warmth, refused: Nobody can be warmer than they can be.}")
	assert.Contains(t, out, "- {convert: player.warmth, to: old / 10}", "what versions before called it stays")
	// But for the name, nothing survives otherwise than before.
	was, _, _ := check.Text(examples.LanternPass, examples.Commons)
	for g, group := range matrix.Of(was).Groups {
		for r, row := range group.Rows {
			again := matrix.Of(m).Groups[g].Rows[r]
			for c, cell := range row.Cells {
				assert.Equal(t, cell.Fate, again.Cells[c].Fate, row.Name)
			}
		}
	}
}

func TestVariablesOfEveryKindCanBeRenamed(t *testing.T) {
	m, _, _ := check.Text(examples.LanternPass, examples.Commons)
	for _, name := range []string{"player.courier", "player.oil", "player.dress.hood", "player.sled_time", "player.pack_room", "scene.visited", "prop.cache.taken", "scene.snow", "game.night"} {
		t.Run(name, func(t *testing.T) {
			require.NotNil(t, m.Var(name), "it is there")
			out := apply(t, edit.Edit{Do: "rename", Name: name, To: "something_else", Step: true, Published: 3})
			again, _, found := check.Text([]byte(out), examples.Commons)
			require.NotNil(t, again, found)
			assert.Len(t, again.Vars, len(m.Vars))
			assert.Nil(t, again.Var(name))
		})
	}
}

func TestAVariableMovesToAnotherHolder(t *testing.T) {
	out := apply(t, edit.Edit{Do: "move", Name: "game.planks", To: "scene", Step: true, Published: 3})
	assert.True(t, strings.Contains(out, "planks:        {of: scene, type: int"))
	lines := changedLines(string(examples.LanternPass), out)
	assert.Contains(t, lines, "+ - {add: scene.planks, by: 1}")
	assert.Contains(t, lines, "+ - if: scene.planks >= 3")
	assert.Contains(t, lines, "+ - {drop: game.planks, why: \"It is held otherwise now, and begins anew.\"}")
	for name, want := range map[string][2]string{
		"player.falls": {"game", "+ - {into: game.falls, many: max, move: player.falls}"}, "scene.lanterns_lit": {"game", "+ - {into: game.lanterns_lit, many: max, move: scene.lanterns_lit}"},
		"game.bridge_mended": {"player", "+ - {into: player.bridge_mended, move: game.bridge_mended}"}, "player.lamp": {"game", "+ - {into: game.lamp, many: first, move: player.lamp}"},
	} {
		out := apply(t, edit.Edit{Do: "move", Name: name, To: want[0], Step: true, Published: 3})
		assert.Contains(t, changedLines(string(examples.LanternPass), out), want[1], name)
		_, _, found := check.Text([]byte(out), examples.Commons)
		for _, f := range found {
			assert.False(t, strings.HasPrefix(f.Pointer, "/upgrades") && f.Severity == finding.Error, "%s: %s", name, f.Message)
		}
	}
	out = apply(t, edit.Edit{Do: "move", Name: "player.falls", To: "[player, scene]"})
	lines = changedLines(string(examples.LanternPass), out)
	assert.Contains(t, lines, "+ falls:       {of: [player, scene], type: int, min: 0, max: 9999, start: 0, read_by: game}")
	assert.Contains(t, lines, "+ do: [{add: scene.falls, by: 1}]")
	_, err := edit.Apply(out, []edit.Edit{{Do: "move", Name: "player.falls", To: "nobody"}}, examples.Commons)
	assert.ErrorIs(t, err, plan.ErrEdit)
}

func TestAVariableIsAddedRetypedAndRemoved(t *testing.T) {
	before := string(examples.LanternPass)
	added := apply(t, edit.Edit{Do: "put", Path: []string{"variables", "songs"}, Value: []byte(`{"of":"player","type":"int","min":0,"max":9,"start":0}`)})
	assert.Equal(t, []string{"+ songs: {of: player, type: int, min: 0, max: 9, start: 0}"}, changedLines(before, added))
	retyped, err := edit.Apply(added, []edit.Edit{{Do: "retype", Name: "player.songs", Value: []byte(`{"type":"choice","choices":["none_yet","some"],"start":"none_yet"}`)}}, examples.Commons)
	require.NoError(t, err)
	assert.Equal(t, []string{"+ songs: {of: player, type: choice, start: none_yet, choices: [none_yet, some]}"}, changedLines(before, retyped))
	longer := apply(t, edit.Edit{Do: "retype", Name: "player.nickname", Value: []byte(`{"type":"text","max_length":20,"optional":true}`)})
	assert.Equal(t, []string{}, append([]string{}, changedLines(strings.Replace(before, "max_length: 16, alph", "max_length: 20, alph", 1), longer)...), "its alphabet stays")
	many, err := edit.Apply(added, []edit.Edit{{Do: "retype", Name: "player.songs", Value: []byte(`{"type":"set","items":{"type":"choice","choices":["low","high"]},"max_items":2}`)}}, examples.Commons)
	require.NoError(t, err)
	assert.Equal(t, []string{"+ songs: {of: player, type: set, items: {type: choice, choices: [low, high]}, max_items: 2}"}, changedLines(before, many))
	gone, err := edit.Apply(retyped, []edit.Edit{{Do: "remove", Path: []string{"variables", "songs"}, Name: "player.songs", Step: true, Published: 3}}, examples.Commons)
	require.NoError(t, err)
	assert.Equal(t, []string{"- version: 3", "+ version: 4", "+ 4:", "+ - {drop: player.songs, why: It is not needed any more.}"}, changedLines(before, gone))
}

func TestWhatCannotBeChangedIsToldAndNothingIs(t *testing.T) {
	for name, e := range map[string]edit.Edit{
		"no such change":   {Do: "sing"},
		"no such variable": {Do: "rename", Name: "player.songs", To: "tunes"},
		"a bad id":         {Do: "rename", Name: "player.oil", To: "Lamp Oil"},
		"a taken id":       {Do: "rename", Name: "player.oil", To: "parcels"},
		"a bad type":       {Do: "retype", Name: "player.oil", Value: []byte(`3`)},
		"no path":          {Do: "put", Value: []byte(`3`)},
		"nothing there":    {Do: "remove", Path: []string{"scenes", "moon"}},
	} {
		good := edit.Edit{Do: "put", Path: []string{"title"}, Value: []byte(`"Other"`)}
		out, err := edit.Apply(string(examples.LanternPass), []edit.Edit{good, e}, examples.Commons)
		assert.ErrorIs(t, err, plan.ErrEdit, name)
		assert.Equal(t, string(examples.LanternPass), out, name)
	}
}

// Whatever is changed and in whatever order: the text can be read, every comment is still there, and each change is
// what the plan says afterwards.
func TestAnyChangesKeepEverythingElse(t *testing.T) {
	var lines []string
	for i, line := range strings.Split(string(examples.LanternMarket), "\n") {
		if strings.HasPrefix(line, "  ") {
			line += fmt.Sprintf("   # remark %d", i)
		}
		lines = append(lines, line)
	}
	sample := strings.Join(lines, "\n")
	before, _ := plan.Read(examples.LanternMarket)
	scene := before.Scenes.Entries[0]
	spot := scene.Value.Spots.Entries[0].ID
	ids := before.Variables.IDs()
	rapid.Check(t, func(t *rapid.T) {
		text := sample
		for range rapid.IntRange(1, 6).Draw(t, "changes") {
			id := rapid.SampledFrom(ids).Draw(t, "variable")
			decl := before.Variables.Get(id)
			e := edit.Edit{Do: "put", Path: []string{"variables", id, "title"}, Value: fmt.Appendf(nil, "%q", rapid.StringMatching(`[A-Za-z ,:#{}'-]{1,12}`).Draw(t, "title"))}
			switch rapid.IntRange(0, 3).Draw(t, "kind") {
			case 0:
				e = edit.Edit{Do: "fate", Name: "player." + id, Crossing: rapid.SampledFrom(plan.Crossings).Draw(t, "crossing").String(), Fate: rapid.SampledFrom([]string{"keep", "reset", "default"}).Draw(t, "fate")}
			case 1:
				e = edit.Edit{Do: "put", Path: []string{"scenes", scene.ID, "spots", spot, "at"}, Value: fmt.Appendf(nil, "[%d, %d]", rapid.IntRange(0, 9).Draw(t, "x"), rapid.IntRange(0, 9).Draw(t, "y"))}
			case 2:
				e = edit.Edit{Do: "put", Path: []string{"passages", rapid.StringMatching(`[a-z]{3,8}`).Draw(t, "passage")}, Value: fmt.Appendf(nil, `{"from": "%[1]s/%[2]s", "to": "%[1]s/%[2]s"}`, scene.ID, spot)}
			}
			out, err := edit.Apply(text, []edit.Edit{e}, nil)
			if err != nil {
				t.Fatalf("%+v: %v", e, err)
			}
			after, found := plan.Read([]byte(out))
			if found.Errors() {
				t.Fatalf("%+v: %v", e, found[0])
			}
			if e.Do == "fate" {
				want := strings.TrimPrefix(e.Fate, "default")
				c, _ := after.Crossing(e.Crossing)
				if is := after.Variables.Get(id).Across.At(c).Kind; is != want {
					t.Fatalf("%s of %s (%s) is %q", e.Crossing, id, decl.Type.Name, is)
				}
			}
			text = out
		}
		for _, line := range lines {
			if _, remark, ok := strings.Cut(line, "   # "); ok && strings.Count(text, "   # "+remark+"\n") != 1 {
				t.Fatalf("%q is gone", remark)
			}
		}
	})
}
