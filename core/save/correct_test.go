package save_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

func TestAValueIsPutRightInASave(t *testing.T) {
	m, _, found := model.LoadFor(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, found)
	p := &save.Player{Values: save.Values{}, Milestones: []string{"wayfarer"}}
	require.NoError(t, p.Correct(m, "player.oil", "", types.OfInt(7)))
	require.NoError(t, p.Correct(m, "scene.visited", "ridge", types.OfBool(true)))
	require.NoError(t, p.Correct(m, "prop.cache.taken", "cache.at_cairn", types.OfBool(true)))
	require.NoError(t, p.Correct(m, "player.courier", "", types.None))
	require.NoError(t, p.Correct(m, "player.earned.full_sack", "", types.OfBool(true)))
	require.NoError(t, p.Correct(m, "player.earned.full_sack", "", types.OfBool(true)), "twice is once")
	require.NoError(t, p.Correct(m, "player.earned.wayfarer", "", types.OfBool(false)))
	assert.Equal(t, save.Values{"oil": types.OfInt(7), "courier": types.None}, p.Values)
	assert.Equal(t, types.OfBool(true), p.Scenes["ridge"]["visited"])
	assert.Equal(t, types.OfBool(true), p.Props["cache"]["at_cairn"]["taken"])
	assert.Equal(t, []string{"full_sack"}, p.Milestones)
}

func TestWhatCannotBePutRightChangesNothing(t *testing.T) {
	m, _, found := model.LoadFor(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, found)
	for name, row := range map[string]struct {
		variable, of string
		value        types.Value
		err          error
	}{
		"nothing of that name":     {"player.songs", "", types.OfInt(1), save.ErrUnknown},
		"what the game holds":      {"game.planks", "", types.OfInt(1), save.ErrUnknown},
		"what is computed":         {"player.pack_room", "", types.OfInt(1), save.ErrByItself},
		"a stopwatch below 0":      {"player.run_time", "", types.OfInt(-1), save.ErrValue},
		"what the guild holds":     {"player.guild.pass_stage", "", types.OfInt(1), save.ErrByItself},
		"out of its range":         {"player.oil", "", types.OfInt(41), save.ErrValue},
		"another type":             {"player.oil", "", types.OfText("much"), save.ErrValue},
		"none where it may not be": {"player.oil", "", types.None, save.ErrValue},
		"of no scene":              {"scene.visited", "", types.OfBool(true), save.ErrValue},
		"of a scene that is none":  {"scene.visited", "moon", types.OfBool(true), save.ErrValue},
		"of another kind":          {"prop.cache.taken", "stall.wool", types.OfBool(true), save.ErrValue},
		"of a prop that is none":   {"prop.cache.taken", "cache.moon", types.OfBool(true), save.ErrValue},
		"half a milestone":         {"player.earned.full_sack", "", types.OfInt(1), save.ErrValue},
	} {
		t.Run(name, func(t *testing.T) {
			p := &save.Player{Values: save.Values{"oil": types.OfInt(3)}}
			assert.ErrorIs(t, p.Correct(m, row.variable, row.of, row.value), row.err)
			assert.Equal(t, &save.Player{Values: save.Values{"oil": types.OfInt(3)}}, p)
		})
	}
}

// What is corrected over all slots of somebody who has nothing there yet begins a document of this version.
func TestACorrectionOverAllSlotsBeginsADocument(t *testing.T) {
	m, _, found := model.LoadFor(examples.Harbour, examples.Commons)
	require.NotNil(t, m, found)
	name := ""
	for _, v := range m.Vars {
		if v.Holder == model.OfProfile && v.Hold == m.Profile && v.Type.Numeric() && !v.Computed() && name == "" {
			name = v.Name
			p := &save.Player{Player: "ada", Values: save.Values{}}
			require.NoError(t, p.Correct(m, name, "", types.OfNum(v.Max)))
			require.NotNil(t, p.Profile)
			assert.Equal(t, 1, p.Profile.Format)
			assert.Equal(t, "harbour", p.Profile.Game)
			assert.Equal(t, m.Plan.Version.Value, p.Profile.Version)
			assert.Equal(t, "ada", p.Profile.Player)
			assert.Equal(t, types.OfNum(v.Max), p.Profile.Values[v.ID])
		}
	}
	require.NotEmpty(t, name)
}

// A value that a player has over all slots, for one option of a list, can be corrected: also for the first option.
func TestAValueOfAnOptionOverAllSlotsIsCorrected(t *testing.T) {
	m, _, found := model.Load([]byte(`
alluvion: 1
game: found
version: 1
start: hall/door
lists: {shell: [conch, whelk]}
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  place: {death: checkpoint, leave: exact}
variables: {found: {of: [profile, shell], type: int, min: 0, max: 9, start: 0, read_by: game, across: {scene: keep, death: keep, leave: keep, new-run: keep}}}
scenes: {hall: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
checkpoints: {fallback: hall/door}
saving: {when: [leave]}
`))
	if found.Errors() {
		t.Log(found)
	}
	require.NotNil(t, m)
	p := &save.Player{Values: save.Values{}}
	for i, option := range []string{"conch", "whelk"} {
		require.NoError(t, p.Correct(m, "shell.found", "shell."+option, types.OfInt(i+3)))
	}
	require.Error(t, p.Correct(m, "shell.found", "shell.clam", types.OfInt(3)))
	assert.Equal(t, types.OfInt(3), p.Profile.Lists["shell"]["conch"]["found"])
	assert.Equal(t, types.OfInt(4), p.Profile.Lists["shell"]["whelk"]["found"])
}
