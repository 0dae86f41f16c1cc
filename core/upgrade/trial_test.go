package upgrade_test

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/examples"
)

// Whatever is generated is a save that its own plan takes as it is, edge by edge, and the same seed makes the same.
func TestMadeUpSavesAreSavesOfTheirPlan(t *testing.T) {
	for _, text := range [][]byte{examples.LanternPass, examples.LanternMarket} {
		m := load(t, string(text))
		c, j := upgrade.New(m), engine.NewJudge(m, nil)
		trial := upgrade.NewTrial(m)
		var all [2][]string
		names := map[string]bool{}
		for turn := range all {
			require.NoError(t, upgrade.MadeUp(m, 7, 50, func(name string, doc any) error {
				raw, err := save.Encode(doc)
				require.NoError(t, err)
				all[turn] = append(all[turn], string(raw))
				names[name] = true
				trial.Add(c, j, name, raw, nil, upgrade.Around{})
				return nil
			}))
		}
		assert.True(t, trial.Clean(), "%+v", trial.Cases)
		assert.Equal(t, all[0], all[1])
		assert.Greater(t, len(all[0]), 70)
		if m.Plan.Game.Name == "lantern-pass" {
			for _, name := range []string{"player.oil is 40", "player.oil is 0", "player.nickname is none", "player.lamp is low", "has reached beacon_lamp", "at the last point of mill", "prop.cache.taken is true", "scene.visited is true", "world: game.planks is 20"} {
				assert.Contains(t, names, name)
			}
		}
	}
}

// What players have over all slots is made up too: at its edges, and at random, where everything is anything.
func TestProfilesAreMadeUp(t *testing.T) {
	m := load(t, string(examples.Harbour))
	begins, names, others := "", map[string]bool{}, map[string]bool{}
	require.NoError(t, upgrade.MadeUp(m, 7, 24, func(name string, doc any) error {
		p, is := doc.(*save.Profile)
		if !is {
			return nil
		}
		names[name] = true
		raw, err := save.Encode(p)
		require.NoError(t, err)
		if name == "profile: as it begins" {
			begins = string(raw)
		} else if strings.HasPrefix(name, "profile: random") {
			others[string(raw)] = true
		}
		return nil
	}))
	assert.NotEmpty(t, begins)
	assert.NotContains(t, others, begins)
	assert.Greater(t, len(others), 4)
	for _, name := range []string{"profile: random 1 of seed 7", "profile: random 6 of seed 7", "profile: profile.hints is false", "profile: channel.volume is 10"} {
		assert.Contains(t, names, name)
	}
	assert.NotContains(t, names, "profile: random 0 of seed 7")
}

func TestATrialCountsAndShowsAndCanBeGoneOnWith(t *testing.T) {
	before := load(t, string(examples.LanternPass))
	after := later(t, "max: 9999, start: 0, across: {death: rewind}}\n  delivered", "max: 12, start: 0, across: {death: rewind}}\n  delivered", "saving:  {", "saving:  {misfits: {option: refuse}, ", "choices: [out, low, bright], start: bright", "choices: [out, bright], start: bright", "to: low", "to: out")
	c, j := upgrade.New(after), engine.NewJudge(after, nil)
	trial := upgrade.NewTrial(after)
	n := 0
	require.NoError(t, upgrade.MadeUp(before, 1, 30, func(name string, doc any) error {
		raw, err := save.Encode(doc)
		require.NoError(t, err)
		trial.Add(c, j, name, raw, nil, upgrade.Around{})
		if n++; n == 20 { // stopped, and upgraded again
			kept, err := json.Marshal(trial)
			require.NoError(t, err)
			trial = &upgrade.Trial{}
			require.NoError(t, json.Unmarshal(kept, trial))
		}
		return nil
	}))
	trial.Add(c, j, "broken", []byte("{"), nil, upgrade.Around{})
	trial.Sort()
	assert.Equal(t, n+1, trial.Saves)
	assert.Equal(t, n, trial.From[3])
	sum := 0
	for _, count := range trial.Counts {
		sum += count
	}
	assert.Equal(t, n+1, sum)
	assert.False(t, trial.Clean())
	assert.Positive(t, trial.Counts[upgrade.NotLoaded])
	assert.Positive(t, trial.Counts[upgrade.Upgraded])
	assert.Equal(t, save.Refuse, trial.Cases[0].Policy, "the worst first")
	assert.Equal(t, upgrade.NotLoaded, trial.Sample[0].Fate)
	assert.Nil(t, trial.Sample[0].After)
	var parcels *upgrade.Case
	for i := range trial.Cases {
		if trial.Cases[i].Name == "player.parcels" {
			parcels = &trial.Cases[i]
		}
	}
	require.NotNil(t, parcels)
	assert.Equal(t, save.KindRange, parcels.Kind)
	assert.Contains(t, parcels.Instead, "it is 12")
}

func TestWhatIsHeldForManyOptionsIsOneTroubleInATrial(t *testing.T) {
	before, after := load(t, string(examples.HarbourBefore)), load(t, string(examples.Harbour))
	c, j := upgrade.New(after), engine.NewJudge(after, nil)
	trial := upgrade.NewTrial(after)
	require.NoError(t, upgrade.MadeUp(before, 1, 60, func(name string, doc any) error {
		raw, err := save.Encode(doc)
		require.NoError(t, err)
		trial.Add(c, j, name, raw, nil, upgrade.Around{})
		return nil
	}))
	require.Len(t, trial.Cases, 1, "%+v", trial.Cases)
	one := trial.Cases[0]
	assert.Equal(t, "ware.have", one.Name)
	assert.Equal(t, save.KindRange, one.Kind)
	assert.Equal(t, trial.Counts[upgrade.PutRight], one.Count, "it is counted by saves")
	assert.GreaterOrEqual(t, after.Lists[0].Option(one.Option), 0, one.Option)
	trial.Add(c, j, "of an option that nobody knows", []byte(`{"alluvion_save":1,"game":"harbour","version":2,"player":"ada","slot":1,"place":{"scene":"quay","at":[4,4]},"entry":{"scene":"quay","at":[4,4]},"values":{},"lists":{"ware":{"plums":{"have":3}}}}`), nil, upgrade.Around{})
	assert.True(t, slices.ContainsFunc(trial.Cases, func(x upgrade.Case) bool { return strings.Contains(x.Name, "plums") && x.Option == "" }), "%+v", trial.Cases)
}
