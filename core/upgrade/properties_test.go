package upgrade_test

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
)

// canonical is a save without its version and its attic.
func canonical(t require.TestingT, doc any) string {
	raw, err := save.Encode(doc)
	require.NoError(t, err)
	var all map[string]any
	require.NoError(t, json.Unmarshal(raw, &all))
	delete(all, "version")
	delete(all, "attic")
	if world, ok := all["world"].(map[string]any); ok {
		delete(world, "version")
	}
	out, err := json.Marshal(all)
	require.NoError(t, err)
	return string(out)
}

// An upgrade that says nothing changes nothing; one that swaps, and swaps back, leaves everything as it was: for any save.
func TestUpgradesThatUndoOneAnotherLeaveSavesAsTheyWere(t *testing.T) {
	text := strings.Replace(before, "  heat:    {of: player, type: int, min: 0, max: 150, start: 100}\n  parcels: {of: player, type: int, min: 0, max: 9999, start: 0}\n",
		"  heat:    {of: player, type: int, min: 0, max: 150, start: 100}\n  parcels: {of: player, type: int, min: 0, max: 150, start: 0}\n  seen: {of: [player, scene], type: bool, start: false}\n", 1)
	require.NotEqual(t, before, text)
	old := load(t, text)
	later := func(version, upgrades string) *upgrade.Chain {
		return upgrade.New(load(t, strings.Replace(text, "version: 2", "version: "+version, 1)+"upgrades: {"+upgrades+"}\n"))
	}
	nothing := later("3", "3: []")
	twice := later("4", "3: [{rename: {player.heat: player.parcels, player.parcels: player.heat}}, {convert: game.planks, to: 99 - old}, {options: player.lamp, map: {out: dim, dim: out}}], "+
		"4: [{rename: {player.heat: player.parcels, player.parcels: player.heat}}, {convert: game.planks, to: 99 - old}, {options: player.lamp, map: {out: dim, dim: out}}]")
	rapid.Check(t, func(t *rapid.T) {
		seed := rapid.Uint32().Draw(t, "seed")
		require.NoError(t, upgrade.MadeUp(old, seed, 6, func(name string, doc any) error {
			raw, err := save.Encode(doc)
			require.NoError(t, err)
			for _, c := range []*upgrade.Chain{nothing, twice} {
				x := c.Check(raw, nil, upgrade.Around{}, nil)
				require.Empty(t, x.Problems, name)
				after := any(nil)
				if x.Loaded != nil {
					after = x.Loaded.Player
				} else {
					after = x.World.World
				}
				require.Equal(t, canonical(t, doc), canonical(t, after), name)
			}
			return nil
		}))
	})
}

// A save that was upgraded is of its version: it is taken as it is, byte for byte, whatever it was made of.
func TestWhatWasTakenUpIsTakenAsItIs(t *testing.T) {
	var models []*model.Model
	for _, v := range []string{"1", "2", "3", "4"} {
		raw, err := os.ReadFile("../../examples/lantern-pass/history/plan.v" + v + ".yaml")
		require.NoError(t, err)
		models = append(models, load(t, string(raw)))
	}
	for i, from := range models {
		for _, to := range models[i+1:] {
			c := upgrade.New(to)
			require.NoError(t, upgrade.MadeUp(from, 11, 25, func(name string, doc any) error {
				raw, err := save.Encode(doc)
				require.NoError(t, err)
				x := c.Check(raw, nil, upgrade.Around{}, nil)
				if x.Loaded == nil {
					return nil
				}
				once, err := save.Encode(x.Loaded.Player)
				require.NoError(t, err)
				again := c.Check(once, nil, upgrade.Around{}, nil)
				assert.Empty(t, again.Problems, "%s: what was corrected is right", name)
				twice, err := save.Encode(again.Loaded.Player)
				require.NoError(t, err)
				assert.Equal(t, string(once), string(twice), name)
				return nil
			}))
		}
	}
}
