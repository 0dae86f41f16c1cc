package check_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

const rewards = `
alluvion: 1
game: rewards
version: 1
start: hut/door
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  place: {death: checkpoint, leave: exact}
events:
  prize: {from: self, args: {some: {type: int, min: 1, max: 3}}}
variables:
  x: {of: player, %s, read_by: game}
  y: {of: player, type: int, min: 0, max: 9, start: 2, written_by: game, read_by: game}
  z: {of: player, type: int, min: 0, max: 90, start: 0, read_by: game}
scenes: {hut: {size: [10, 10], spots: {door: {at: [5, 0]}}}}
saving: {when: [scene], every: 30s}
rules:
  - {on: prize, do: [%s]}
`

// What rules can make of a variable holds all that they can, and leaves out what they cannot.
func TestWhatRulesCanMakeOfAVariable(t *testing.T) {
	const steps = "type: int, min: 0, max: 50, start: 0"
	for _, row := range []struct {
		declared, done, want string
		has, hasNot          []int64
	}{
		{steps, "{set: player.z, to: 1}", "0", []int64{0}, []int64{1}},
		{steps, "{set: player.x, to: 10}, {set: player.x, to: 5}", "0, 5 or 10", []int64{0, 5, 10}, []int64{1, 7, 15}},
		{steps, "{add: player.x, by: 5}", "0 to 50 in steps of 5", []int64{5, 50}, []int64{7, -5}},
		{steps, "{set: player.x, to: player.x + 10}", "0 to 50 in steps of 10", []int64{10, 50}, []int64{5}},
		{"type: int, min: 0, max: 12, start: 0", "{add: player.x, by: 5}, {add: player.x, by: -5}", "", nil, nil}, // cut off at 12: 7 and 2
		{"type: int, min: 0, max: 12, start: 0, at_limit: refuse", "{add: player.x, by: 5}, {add: player.x, by: -5}", "0 to 12 in steps of 5", []int64{10}, []int64{7, 12}},
		{steps, "{raise: player.x, to: args.some}", "0 to 3", []int64{0, 3}, []int64{4}},
		{steps, "{set: player.x, to: args.some * 10}", "0 to 30 in steps of 10", []int64{30}, []int64{40, 5}},
		{steps, "{set: player.x, to: args.some * 20}", "0 to 50 in steps of 10", []int64{50, 40}, []int64{5}}, // 60 is cut off
		{steps, "{set: player.z, to: 4}, {set: player.x, to: player.z + 1}", "0 to 5", []int64{1, 5}, []int64{6}},
		{steps, "{set: player.x, to: player.y}", "0 to 9", []int64{9}, []int64{10}},    // the game's server writes y
		{steps, "{add: player.z, by: 1}, {set: player.x, to: player.z}", "", nil, nil}, // as far as z goes
		{steps, "{set: player.x, to: player.x * 2}", "0", []int64{0}, []int64{2}},      // of nothing comes nothing
		{"type: int, min: 0, max: 50, start: 3", "{set: player.x, to: player.x * 2}", "3 to 50", []int64{3, 6}, []int64{2}},
		{steps, "{if: player.z > 3, do: [{set: player.x, to: 8}]}", "0", []int64{0}, []int64{8}}, // z stays 0
		{steps, "{set: player.z, to: 9}, {if: player.z > 3, do: [{set: player.x, to: 8}]}", "0 or 8", []int64{8}, []int64{1}},
		{steps + ", across: {leave: {set: '7'}}", "{set: player.z, to: 1}", "0 or 7", []int64{7}, []int64{8}},
		{"type: int, min: 2, max: 50, start: 4", "{set: player.x, to: 1}", "2 or 4", []int64{2}, []int64{1, 3}}, // moved to the limit
		{steps + ", written_by: game", "{set: player.z, to: 1}", "", nil, nil},
		{"type: decimal, min: 0, max: 1, step: 0.1, start: 0", "{set: player.x, to: 0.26}", "0 or 0.3", []int64{0}, []int64{1}},
	} {
		t.Run(row.declared+" "+row.done, func(t *testing.T) {
			m, _, found := check.Plan(fmt.Appendf(nil, rewards, row.declared, row.done))
			require.NotNil(t, m, "%v", found)
			require.False(t, found.Errors(), "%v", found)
			given := check.GivenBy(m)[m.Var("player.x")]
			if row.want == "" {
				assert.Nil(t, given)
				return
			}
			require.NotNil(t, given)
			assert.Equal(t, row.want, given.String())
			for _, n := range row.has {
				assert.True(t, given.Has(types.OfNum(fixed.FromInt(n))), "%d", n)
			}
			for _, n := range row.hasNot {
				assert.False(t, given.Has(types.OfNum(fixed.FromInt(n))), "%d", n)
			}
			assert.True(t, given.Has(types.None), "whether it may be none is asked elsewhere")
		})
	}
}

// Of options, truths and items it says which.
func TestWhichOptionsRulesCanGive(t *testing.T) {
	for _, row := range []struct{ declared, done, want, not string }{
		{"type: choice, choices: [dim, lit, out], start: dim", "{set: player.x, to: '\"lit\"'}", "dim or lit", "out"},
		{"type: choice, choices: [dim, lit, out], optional: true", "{set: player.x, to: '\"lit\"'}", "lit", "out"},
		{"type: bool, start: false", "{set: player.z, to: 1}", "false", "true"},
		{"type: bool, start: false", "{set: player.x, to: 'player.y > 3'}", "", ""},
		{"type: set, items: {type: choice, choices: [a, b, c]}, max_items: 3", "{put: player.x, item: '\"a\"'}, {put: player.x, item: '\"b\"'}", "a or b", "c"},
		{"type: list, items: {type: int, min: 0, max: 90}, max_items: 3", "{put: player.x, item: 10}, {put: player.x, item: args.some * 20}", "10 to 60 in steps of 10", "15"},
	} {
		m, _, found := check.Plan(fmt.Appendf(nil, rewards, row.declared, row.done))
		require.False(t, m == nil || found.Errors(), "%v", found)
		v := m.Var("player.x")
		given := check.GivenBy(m)[v]
		if row.want == "" {
			assert.Nil(t, given)
			continue
		}
		require.NotNil(t, given, row.declared)
		assert.Equal(t, row.want, given.String())
		not := types.OfText(row.not)
		switch {
		case v.Type.Kind == types.Bool:
			not = types.OfBool(row.not == "true")
		case v.Type.Item != nil && v.Type.Item.Numeric():
			not = types.OfItems([]types.Value{types.OfInt(10), types.OfInt(15)})
		case v.Type.Item != nil:
			not = types.OfItems([]types.Value{types.OfText("a"), not})
		}
		assert.False(t, given.Has(not))
		assert.True(t, given.Has(v.Start) || v.Start.IsNone())
	}
}
