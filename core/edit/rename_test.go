package edit_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/edit"
	"alluvion.dev/core/plan"
	"alluvion.dev/examples"
)

// everythingNamed are the paths of all that has an id in a plan, but for variables.
func everythingNamed(text []byte) [][]string {
	p, _ := plan.Read(text)
	var out [][]string
	add := func(ids []string, path ...string) {
		for _, id := range ids {
			out = append(out, append(append([]string{}, path...), id))
		}
	}
	add(p.Scenes.IDs(), "scenes")
	for _, s := range p.Scenes.Entries {
		add(s.Value.Spots.IDs(), "scenes", s.ID, "spots")
		add(s.Value.Areas.IDs(), "scenes", s.ID, "areas")
	}
	add(p.Props.IDs(), "props")
	for _, k := range p.Props.Entries {
		add(k.Value.Placed.IDs(), "props", k.ID, "placed")
	}
	add(p.Passages.IDs(), "passages")
	if p.Checkpoints != nil {
		add(p.Checkpoints.List.IDs(), "checkpoints", "list")
	}
	add(p.Waymarks.IDs(), "waymarks")
	add(p.Movables.IDs(), "movables")
	add(p.Milestones.IDs(), "milestones")
	add(p.Standings.IDs(), "standings")
	add(p.Events.IDs(), "events")
	add(p.Rosters.IDs(), "rosters")
	add(p.Lists.IDs(), "lists")
	add(p.Crossings.IDs(), "crossings")
	return out
}

// Whatever is renamed: the plan means the same afterwards, and renaming it back gives the very same text.
func TestEverythingCanBeRenamedAndBack(t *testing.T) {
	for name, sample := range map[string][]byte{"lantern-pass": examples.LanternPass, "lantern-market": examples.LanternMarket, "harbour": examples.Harbour} {
		_, _, before := check.Text(sample, examples.Commons)
		paths := everythingNamed(sample)
		require.Greater(t, len(paths), 10)
		for _, path := range paths {
			t.Run(name+"/"+strings.Join(path, "."), func(t *testing.T) {
				t.Parallel()
				there, err := edit.Apply(string(sample), []edit.Edit{{Do: "rename", Path: path, To: "quite_other"}}, examples.Commons)
				require.NoError(t, err)
				_, _, found := check.Text([]byte(there), examples.Commons)
				for _, f := range found {
					assert.True(t, strings.HasPrefix(f.Pointer, "/upgrades/") || len(found) == len(before), "%s: %s", f.Pointer, f.Message)
				}
				back := append(append([]string{}, path[:len(path)-1]...), "quite_other")
				again, err := edit.Apply(there, []edit.Edit{{Do: "rename", Path: back, To: path[len(path)-1]}}, examples.Commons)
				require.NoError(t, err)
				assert.Empty(t, changedLines(string(sample), again))
				assert.Equal(t, string(sample), again)
			})
		}
	}
}

// Saves are taken along, whatever has another name now.
func TestARenameTakesSavesAlong(t *testing.T) {
	for says, path := range map[string][]string{
		"{rename: {scenes.gorge: scenes.quite_other}}":                  {"scenes", "gorge"},
		"{rename: {props.cache: props.quite_other}}":                    {"props", "cache"},
		"{rename: {props.cache.at_cairn: props.cache.quite_other}}":     {"props", "cache", "placed", "at_cairn"},
		"{rename: {checkpoints.ridge_cairn: checkpoints.quite_other}}":  {"checkpoints", "list", "ridge_cairn"},
		"{rename: {waymarks.way_back: waymarks.quite_other}}":           {"waymarks", "way_back"},
		"{rename: {movables.sled: movables.quite_other}}":               {"movables", "sled"},
		"{rename: {milestones.first_crossing: milestones.quite_other}}": {"milestones", "first_crossing"},
		"{rename: {standings.carried: standings.quite_other}}":          {"standings", "carried"},
	} {
		out := apply(t, edit.Edit{Do: "rename", Path: path, To: "quite_other", Step: true, Published: 3})
		_, _, before := check.Text(examples.LanternPass, examples.Commons)
		m, _, found := check.Text([]byte(out), examples.Commons)
		require.NotNil(t, m, "%s: %v", says, found)
		assert.Len(t, found, len(before), "%s: %v", says, found)
		assert.Contains(t, changedLines(string(examples.LanternPass), out), "+ - "+says)
	}
	out := apply(t, edit.Edit{Do: "rename", Path: []string{"scenes", "gorge", "spots", "ledge"}, To: "sill", Step: true, Published: 3})
	assert.Contains(t, out, "version: 3", "saves know no spots")
}

func TestWhatCannotBeRenamedSaysWhy(t *testing.T) {
	for says, e := range map[string]edit.Edit{
		"there is a scenes/ridge already":  {Path: []string{"scenes", "gorge"}, To: "ridge"},
		"is no id":                         {Path: []string{"scenes", "gorge"}, To: "The Gorge"},
		"there is no scenes/moon":          {Path: []string{"scenes", "moon"}, To: "sun"},
		"what is at space cannot be":       {Path: []string{"space"}, To: "room"},
		"at scenes/gorge/title cannot be":  {Path: []string{"scenes", "gorge", "title"}, To: "name"},
		"there is no variable player.moon": {Name: "player.moon", To: "sun"},
	} {
		e.Do = "rename"
		_, err := edit.Apply(string(examples.LanternPass), []edit.Edit{e}, examples.Commons)
		require.ErrorIs(t, err, plan.ErrEdit)
		assert.ErrorContains(t, err, says)
	}
}

// Where a plan cannot be read whole, nobody knows where else a name stands: it is not renamed in half of it.
func TestNothingIsRenamedInAPlanThatCannotBeReadWhole(t *testing.T) {
	for says, row := range map[string]struct{ from, to string }{
		"Correct line 5 first":   {"version: 3", "version: three"},
		"Correct line 141 first": {"start: lodge/shed", "start: lodge/gorge"},
	} {
		broken := strings.Replace(string(examples.LanternPass), row.from, row.to, 1)
		out, err := edit.Apply(broken, []edit.Edit{{Do: "rename", Path: []string{"scenes", "gorge"}, To: "ravine"}}, examples.Commons)
		require.ErrorIs(t, err, plan.ErrEdit)
		assert.ErrorContains(t, err, says)
		assert.Equal(t, broken, out)
	}
	// What is wrong by itself is no hindrance, and left to the designer.
	wrong := strings.Replace(string(examples.LanternPass), "if: game.bridge_mended,", "if: game.bridge_mend,", 1)
	require.NotEqual(t, string(examples.LanternPass), wrong)
	out, err := edit.Apply(wrong, []edit.Edit{{Do: "rename", Path: []string{"scenes", "gorge"}, To: "ravine"}}, examples.Commons)
	require.NoError(t, err)
	assert.Contains(t, out, "if: game.bridge_mend,")
	assert.Contains(t, out, "place.scene == 'ravine'")
}

// A word that is said of something else stays: only what the checks miss is renamed.
func TestOnlyWhatMeansItIsRenamed(t *testing.T) {
	out := apply(t, edit.Edit{Do: "rename", Path: []string{"scenes", "mill"}, To: "wheelhouse"})
	assert.Contains(t, out, "player.letters.contains('mill') && place.scene == 'wheelhouse'")
	assert.Contains(t, out, "stop: [lodge, mill, beacon]", "a letter's address is no scene")
	out = apply(t, edit.Edit{Do: "rename", Path: []string{"scenes", "beacon"}, To: "light"})
	assert.Contains(t, out, "  beacon: {title: The beacon, alphabet", "a carrier of the same name")
}

// Also what is held for the options of lists, wherever it is read: behind a list, a player, an argument, in brackets.
func TestVariablesOfListsAndProfilesCanBeRenamed(t *testing.T) {
	m, _, _ := check.Text(examples.Harbour, nil)
	for _, v := range m.Vars {
		t.Run(v.Name, func(t *testing.T) {
			t.Parallel()
			there, err := edit.Apply(string(examples.Harbour), []edit.Edit{{Do: "rename", Name: v.Name, To: "quite_other"}}, nil)
			require.NoError(t, err)
			_, _, found := check.Text([]byte(there), nil)
			for _, f := range found {
				assert.True(t, strings.HasPrefix(f.Pointer, "/upgrades/"), "%s: %s", f.Pointer, f.Message)
			}
		})
	}
}
