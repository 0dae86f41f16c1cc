package save_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion/core/expr"
	"alluvion/core/model"
	"alluvion/core/save"
	"alluvion/examples"
)

func TestAValueIsPutRightInASave(t *testing.T) {
	m, _, found := model.LoadFor(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, found)
	p := &save.Player{Values: save.Values{}, Milestones: []string{"wayfarer"}}
	require.NoError(t, p.Correct(m, "player.oil", "", expr.OfInt(7)))
	require.NoError(t, p.Correct(m, "scene.visited", "ridge", expr.OfBool(true)))
	require.NoError(t, p.Correct(m, "prop.cache.taken", "cache.at_cairn", expr.OfBool(true)))
	require.NoError(t, p.Correct(m, "player.courier", "", expr.None))
	require.NoError(t, p.Correct(m, "player.earned.full_sack", "", expr.OfBool(true)))
	require.NoError(t, p.Correct(m, "player.earned.full_sack", "", expr.OfBool(true)), "twice is once")
	require.NoError(t, p.Correct(m, "player.earned.wayfarer", "", expr.OfBool(false)))
	assert.Equal(t, save.Values{"oil": expr.OfInt(7), "courier": expr.None}, p.Values)
	assert.Equal(t, expr.OfBool(true), p.Scenes["ridge"]["visited"])
	assert.Equal(t, expr.OfBool(true), p.Props["cache"]["at_cairn"]["taken"])
	assert.Equal(t, []string{"full_sack"}, p.Milestones)
}

func TestWhatCannotBePutRightChangesNothing(t *testing.T) {
	m, _, found := model.LoadFor(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, found)
	for name, row := range map[string]struct {
		variable, of string
		value        expr.Value
		err          error
	}{
		"nothing of that name":     {"player.songs", "", expr.OfInt(1), save.ErrUnknown},
		"what the game holds":      {"game.planks", "", expr.OfInt(1), save.ErrUnknown},
		"what is computed":         {"player.pack_room", "", expr.OfInt(1), save.ErrByItself},
		"a stopwatch below 0":      {"player.run_time", "", expr.OfInt(-1), save.ErrValue},
		"what the guild holds":     {"player.guild.pass_stage", "", expr.OfInt(1), save.ErrByItself},
		"out of its range":         {"player.oil", "", expr.OfInt(41), save.ErrValue},
		"another type":             {"player.oil", "", expr.OfText("much"), save.ErrValue},
		"none where it may not be": {"player.oil", "", expr.None, save.ErrValue},
		"of no scene":              {"scene.visited", "", expr.OfBool(true), save.ErrValue},
		"of a scene that is none":  {"scene.visited", "moon", expr.OfBool(true), save.ErrValue},
		"of another kind":          {"prop.cache.taken", "stall.wool", expr.OfBool(true), save.ErrValue},
		"of a prop that is none":   {"prop.cache.taken", "cache.moon", expr.OfBool(true), save.ErrValue},
		"half a milestone":         {"player.earned.full_sack", "", expr.OfInt(1), save.ErrValue},
	} {
		t.Run(name, func(t *testing.T) {
			p := &save.Player{Values: save.Values{"oil": expr.OfInt(3)}}
			assert.ErrorIs(t, p.Correct(m, row.variable, row.of, row.value), row.err)
			assert.Equal(t, &save.Player{Values: save.Values{"oil": expr.OfInt(3)}}, p)
		})
	}
}
