package population_test

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/format"
	"alluvion.dev/core/model"
	"alluvion.dev/core/population"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/core/upgrade"
)

func cellar(t *testing.T) (*model.Model, *format.Set) {
	raw, err := os.ReadFile("../../examples/old-cellar/plan.yaml")
	require.NoError(t, err)
	m, _, found := check.Plan(raw)
	require.False(t, found.Errors())
	return m, format.New(upgrade.New(m), m)
}

func counted(t *testing.T, pick population.Pick) population.Population {
	m, set := cellar(t)
	c := population.New(m, pick)
	names, err := filepath.Glob("../../examples/old-cellar/saves/*")
	require.NoError(t, err)
	for _, name := range names {
		raw, err := os.ReadFile(name)
		require.NoError(t, err)
		for _, x := range set.Check(raw, name, nil) {
			c.Add(&x.Checked, name)
		}
	}
	return c.Population()
}

func TestWhatTheSavesOfTheOldCellarHold(t *testing.T) {
	p := counted(t, population.Pick{})
	assert.Equal(t, []int{300, 300, 0}, []int{p.Saves, p.Picked, p.Unread})
	assert.Equal(t, map[int]int{1: 60, 2: 60, 3: 180}, p.Versions)
	coins := p.Spread("player.coins")
	require.NotNil(t, coins)
	assert.Equal(t, []any{240, 0, true, 35}, []any{coins.Count, coins.None, coins.Exact, coins.AtMin})
	for _, b := range p.Spread("player.lamp").Bars {
		assert.NotEmpty(t, b.Save, "each leads to a save")
	}
	total := 0
	for _, b := range coins.Bars {
		total += b.Count
		byVersion := 0
		for _, n := range b.Versions {
			byVersion += n
		}
		assert.Equal(t, b.Count, byVersion)
	}
	assert.Equal(t, 240, total)
	below, above := coins.Cut(1, 100)
	assert.Equal(t, []int{35, 56}, []int{below, above})
	note := p.Spread("player.note")
	assert.Equal(t, "text", note.Type)
	assert.Equal(t, 240, note.Count+note.None)
	for _, b := range note.Bars {
		assert.NotContains(t, b.Value, "rent", "what people wrote is measured, and not shown")
	}
	assert.Equal(t, 240, p.Spread("ware.rye.have").Count, "what a save leaves out has its start value")

	attic := counted(t, population.Pick{Scene: "attic", Version: 3})
	assert.Equal(t, map[int]int{3: attic.Picked}, attic.Versions)
	for _, b := range attic.Spread("place.scene").Bars {
		assert.Equal(t, "attic", b.Value)
	}
	assert.Less(t, attic.Picked, 60)
}

const many = `
alluvion: 1
game: many
version: 1
start: hut/door
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  place: {death: checkpoint, leave: exact}
variables:
  wealth: {of: player, type: int, min: 0, max: 100000000, start: 0, read_by: game}
  name: {of: player, type: text, start: '', read_by: game}
scenes: {hut: {size: [10, 10], spots: {door: {at: [5, 0]}}}}
saving: {when: [scene], every: 30s}
`

// Of more values than are counted one by one, quantiles are off by at most what is said.
func TestAQuantileIsAsExactAsItSays(t *testing.T) {
	m, _, found := check.Plan([]byte(many))
	require.False(t, found.Errors(), "%v", found)
	c := population.New(m, population.Pick{})
	r := rand.New(rand.NewPCG(4, 2))
	var all []float64
	for i := range 20_000 {
		n := int(math.Exp(r.NormFloat64()*2+9)) % 100_000_000
		all = append(all, float64(n))
		c.Add(&upgrade.Checked{Of: "player", From: 1, Outcome: save.Take, Loaded: &upgrade.Loaded{From: 1, Player: &save.Player{
			Place: save.Place{Scene: "hut"}, Values: save.Values{"wealth": types.OfInt(n), "name": types.OfText(fmt.Sprint("n", i))}}}}, fmt.Sprint(i))
	}
	slices.Sort(all)
	p := c.Population()
	wealth := p.Spread("player.wealth")
	require.False(t, wealth.Exact)
	assert.NotEmpty(t, wealth.Error)
	for _, q := range wealth.Quantiles {
		want := all[int(q.Share*float64(len(all)-1))]
		assert.InDelta(t, want, q.Value, want*0.011+1, "%g", q.Share)
	}
	total := 0
	for _, b := range wealth.Bars {
		total += b.Count
	}
	assert.Equal(t, 20_000, total)
	name := p.Spread("player.name")
	assert.InDelta(t, 20_000, name.Distinct, 20_000*0.0081*4, "within four standard deviations of what is said")
	assert.Empty(t, name.Ends)
}

// A value far from all others leads to its save.
func TestAnOutlierLeadsToItsSave(t *testing.T) {
	m, _, _ := check.Plan([]byte(many))
	c := population.New(m, population.Pick{})
	for i := range 100 {
		n := i
		if i == 50 {
			n = 90_000
		}
		c.Add(&upgrade.Checked{From: 1, Outcome: save.Take, Loaded: &upgrade.Loaded{From: 1, Player: &save.Player{Values: save.Values{"wealth": types.OfInt(n)}}}}, fmt.Sprint("p", i))
	}
	c.Add(&upgrade.Checked{Outcome: save.Refuse}, "broken")
	p := c.Population()
	assert.Equal(t, []int{101, 100, 1}, []int{p.Saves, p.Picked, p.Unread})
	ends := p.Spread("player.wealth").Ends
	last := ends[len(ends)-1]
	assert.Equal(t, population.End{Value: 90_000, Save: "p50", Far: true}, last)
	for _, e := range ends[:len(ends)-1] {
		assert.False(t, e.Far, "%v", e)
	}
	beyond := p.Spread("player.wealth").Beyond
	require.NotNil(t, beyond, "nothing in the plan changes it")
	assert.Equal(t, []any{"0", 99, map[int]int{1: 99}}, []any{beyond.Given, beyond.Count, beyond.Versions})
	assert.Equal(t, population.Example{Value: "1", Save: "p1"}, beyond.Saves[0])
}

// What the plan's rules can give is no reason to look, and neither is what only the game itself could say.
func TestOnlyWhatNoRuleGivesIsMarked(t *testing.T) {
	for by, want := range map[string]int{"max: 100": 3, "max: 100, written_by: game": 0, "max: 100, across: {leave: {set: '7'}}": 2} {
		m, _, found := check.Plan(bytes.Replace([]byte(many), []byte("max: 100000000"), []byte(by), 1))
		require.False(t, found.Errors(), "%v", found)
		c := population.New(m, population.Pick{})
		for i, n := range []int{0, 7, 40, 41} {
			c.Add(&upgrade.Checked{From: 1, Outcome: save.Take, Loaded: &upgrade.Loaded{From: 1, Player: &save.Player{Values: save.Values{"wealth": types.OfInt(n)}}}}, fmt.Sprint("p", i))
		}
		p, got := c.Population(), 0
		if b := p.Spread("player.wealth").Beyond; b != nil {
			got = b.Count
		}
		assert.Equal(t, want, got, by)
	}
}

// Saves are counted by when they were written; one that does not say when is left out where that is asked for, and told.
func TestSavesAreCountedByWhenTheyWereWritten(t *testing.T) {
	m, set := cellar(t)
	day := func(n int) time.Time { return time.Date(2026, 11, n, 0, 0, 0, 0, time.UTC) }
	raw, err := os.ReadFile("../../examples/old-cellar/saves/bo-3.json")
	require.NoError(t, err)
	for name, row := range map[string]struct {
		pick population.Pick
		want int
	}{
		"all":          {population.Pick{}, 11},
		"from the 4th": {population.Pick{After: day(4)}, 7},
		"before":       {population.Pick{Before: day(4)}, 3},
		"within":       {population.Pick{After: day(4), Before: day(6)}, 2},
		"never":        {population.Pick{After: day(20)}, 0},
	} {
		c := population.New(m, row.pick)
		for n := 0; n <= 10; n++ {
			x := set.Check(raw, "bo-3.json", nil)[0]
			if n > 0 {
				x.Loaded.Player.About = &save.About{SavedAt: day(n)}
			}
			c.Add(&x.Checked, "bo-3.json")
		}
		p := c.Population()
		assert.Equal(t, row.want, p.Picked, name)
		undated := 1
		if name == "all" {
			undated = 0
		}
		assert.Equal(t, undated, p.Undated, name)
	}
}

// A value that stands in a save twice, as it is and as it was at the checkpoint, is one that was corrected.
func TestWhatIsCorrectedTwiceInASaveCountsOnce(t *testing.T) {
	raw, err := os.ReadFile("../../examples/old-cellar/plan.yaml")
	require.NoError(t, err)
	now, _, found := check.Plan(raw)
	require.False(t, found.Errors())
	const wide = "max: 500, start: 12, title: Purse"
	narrow := bytes.Replace(bytes.Replace(raw, []byte("version: 3"), []byte("version: 4"), 1), []byte(wide), []byte("max: 60, start: 12, title: Purse"), 1)
	require.NotEqual(t, len(raw), len(narrow))
	m, _, found := check.Plan(narrow)
	require.False(t, found.Errors())
	set := format.New(upgrade.New(now), now)
	c := population.New(m, population.Pick{})
	names, err := filepath.Glob("../../examples/old-cellar/saves/*-3.json")
	require.NoError(t, err)
	for _, name := range names {
		raw, err := os.ReadFile(name)
		require.NoError(t, err)
		x := set.Check(raw, name, nil)[0]
		doc, err := x.Document()
		require.NoError(t, err)
		then := upgrade.New(m).Check(doc, nil, upgrade.Around{}, nil)
		c.Add(&then, name)
	}
	p := c.Population()
	coins := p.Spread("player.coins")
	assert.Positive(t, coins.Misfits)
	assert.LessOrEqual(t, coins.Misfits, coins.AtMax)
}

func TestWhatASearchFoundNoWayToIsMarked(t *testing.T) {
	p := counted(t, population.Pick{})
	p.NoWay("scene", "attic")
	p.NoWay("scene", "nowhere")
	p.NoWay("option", "dim")
	for i := range p.Spreads {
		for _, b := range p.Spreads[i].Bars {
			assert.Equal(t, p.Spreads[i].Name == "place.scene" && b.Value == "attic", b.NoWay, b.Value)
		}
	}
}
