package upgrade_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/examples"
)

func load(t testing.TB, text string) *model.Model {
	m, _, found := model.LoadFor([]byte(text), examples.Commons)
	require.NotNil(t, m, "%+v", found)
	return m
}

func chainOf(text string) *upgrade.Chain {
	m, _, _ := model.LoadFor([]byte(text), examples.Commons)
	if m == nil {
		return nil
	}
	return upgrade.New(m)
}

// later is the demo's next version, with some parts put in others' places.
func later(t *testing.T, change ...string) *model.Model {
	text := strings.Replace(string(examples.LanternPass), "version: 3", "version: 4", 1)
	for i := 0; i < len(change); i += 2 {
		require.Equal(t, 1, strings.Count(text, change[i]), "%q stands once", change[i])
		text = strings.Replace(text, change[i], change[i+1], 1)
	}
	return load(t, text)
}

// Each change of the demo, what is said of it, and a value of a save of the version before: where it is said to
// be lost, the loader keeps it in the attic, and where it is said to be safe the loader takes it.
func TestWhatIsSaidOfAChangeIsWhatTheLoaderDoes(t *testing.T) {
	before := load(t, string(examples.LanternPass))
	for name, row := range map[string]struct {
		change       []string
		name, what   string
		verdict      upgrade.Verdict
		words        string
		value, saved types.Value // of the variable in the old save; and after loading
	}{
		"a wider range":    {[]string{"max: 9999, start: 0, title: Parcels delivered", "max: 99999, start: 0, title: Parcels delivered"}, "player.delivered", "limits", upgrade.Safe, "wider", types.OfInt(9999), types.OfInt(9999)},
		"a narrower range": {[]string{"max: 9999, start: 0, title: Parcels delivered", "max: 50, start: 0, title: Parcels delivered"}, "player.delivered", "limits", upgrade.Loses, "what is beyond", types.OfInt(51), types.OfInt(50)},
		"a coarser step":   {[]string{"max: 150\n    step: 0.5\n    start: 100", "max: 150\n    step: 1\n    start: 100"}, "player.warmth", "step", upgrade.Loses, "between them", types.OfNum(fixed.Must("62.5")), types.OfInt(63)},
		"a finer step":     {[]string{"max: 150\n    step: 0.5\n    start: 100", "max: 150\n    step: 0.1\n    start: 100"}, "player.warmth", "step", upgrade.Safe, "finer", types.OfNum(fixed.Must("62.5")), types.OfNum(fixed.Must("62.5"))},
		"another start":    {[]string{"max: 40, start: 12", "max: 40, start: 20"}, "player.oil", "start", upgrade.Safe, "existing saves keep", types.OfInt(3), types.OfInt(3)},
		"another type":     {[]string{"falls:       {of: player, type: int, min: 0, max: 9999, start: 0", "falls:       {of: player, type: bool, start: false", "{add: player.falls, by: 1}", "{set: player.falls, to: true}", "rank: player.falls", "rank: player.oil"}, "player.falls", "type", upgrade.Blocks, "converts it", types.OfInt(2), types.OfBool(false)},
		"a choice less":    {[]string{"choices: [out, low, bright], start: bright", "choices: [out, bright], start: bright", "to: low", "to: out"}, "player.lamp", "options", upgrade.Loses, "no choice any more", types.OfText("low"), types.OfText("bright")},
		"a choice more":    {[]string{"choices: [out, low, bright]", "choices: [out, low, bright, blinding]"}, "player.lamp", "options", upgrade.Safe, "more to choose", types.OfText("low"), types.OfText("low")},
		"a shorter name":   {[]string{"min_length: 1, max_length: 16, alphabet: \"A-Za-z0-9 _-\", optional", "min_length: 1, max_length: 3, alphabet: \"A-Za-z0-9 _-\", optional", "name: {type: text, min_length: 1, max_length: 16}", "name: {type: text, min_length: 1, max_length: 3}"}, "player.nickname", "limits", upgrade.Loses, "1 to 3 characters", types.OfText("Wren"), types.None},
		"a fate":           {[]string{"max: 40, start: 12, across: {death: rewind}", "max: 40, start: 12"}, "player.oil", "fate", upgrade.Safe, "death: keep, not rewind", types.OfInt(3), types.OfInt(3)},
		"fewer items":      {[]string{"max_items: 3, title: Letters", "max_items: 1, title: Letters"}, "player.letters", "limits", upgrade.Loses, "1 items, not 3", types.OfItems([]types.Value{types.OfText("lodge"), types.OfText("mill")}), types.OfItems([]types.Value{types.OfText("lodge")})},
		"an option less":   {[]string{"      tarn:  {title: Tarn, pace: 1.0, pack: 7, portrait: tarn.png}\n", ""}, "courier.tarn", "gone", upgrade.Loses, "cannot be picked", types.None, types.None},
		"a variable less":  {[]string{"  chilled:     {of: player, type: bool, start: false, read_by: game, across: {scene: reset, death: reset}}\n", "", "      - {set: args.at.chilled, to: true}\n", "", "      - {set: player.chilled, to: false}\n", ""}, "player.chilled", "gone", upgrade.Loses, "nothing reads it", types.OfBool(true), types.None},
		"sharing":          {[]string{"writer: self, at_most: 6/m", "writer: server"}, "player.nickname", "sharing", upgrade.Safe, "rules and the server", types.OfText("Wren"), types.OfText("Wren")},
	} {
		t.Run(name, func(t *testing.T) {
			after := later(t, row.change...)
			all := upgrade.Compare(before, after)
			i := slices.IndexFunc(all.Differences, func(d upgrade.Difference) bool { return d.Name == row.name && d.Change == row.what })
			require.GreaterOrEqual(t, i, 0, "%+v", all.Differences)
			d := all.Differences[i]
			assert.Equal(t, row.verdict, d.Verdict)
			assert.Contains(t, d.Text, row.words)
			assert.Positive(t, d.At.Line)
			if v := before.Var(row.name); v != nil {
				loads(t, before, after, v, row.value, row.saved, row.verdict)
			}
		})
	}
}

// loads makes a save with a value under one plan, and loads it under another.
func loads(t *testing.T, before, after *model.Model, v *model.Var, value, want types.Value, verdict upgrade.Verdict) {
	r := engine.New(before)
	_, err := r.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1})
	require.NoError(t, err)
	doc := r.Save("ada")
	doc.Values[v.ID] = value
	raw, err := save.Encode(doc)
	require.NoError(t, err)
	read, problems, err := save.DecodePlayer(raw, after)
	require.NoError(t, err)
	lost := slices.ContainsFunc(problems, func(p save.Problem) bool { return p.Name == v.Name })
	assert.Equal(t, verdict == upgrade.Loses || verdict == upgrade.Blocks, lost, "%+v", problems)
	other := engine.New(after)
	_, err = other.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: read})
	require.NoError(t, err)
	for _, f := range other.Figures("ada") {
		if f.Var.Name == v.Name {
			assert.Equal(t, want, f.Value)
		}
	}
}

func TestWhatIsGoneAndNewIsListedWorstFirst(t *testing.T) {
	before := load(t, string(examples.LanternPass))
	after := later(t,
		"  stage:       {of: player, type: int, min: 0, max: 9, start: 0, title: Furthest stage}", "  stage:       {of: game, type: int, min: 0, max: 9, start: 0, title: Furthest stage}",
		"if: player.stage >= 1, refused: The miller", "if: game.stage >= 1, refused: The miller",
		"      - {raise: player.stage, to: \"place.scene == 'mill' ? 2 : 1\"}\n      - {raise: player.guild.pass_stage, to: player.stage}\n", "      - {raise: game.stage, to: \"place.scene == 'mill' ? 2 : 1\"}\n      - {raise: player.guild.pass_stage, to: game.stage}\n",
		"if: player.stage >= 2, refused: Eirik", "if: game.stage >= 2, refused: Eirik",
		"    beacon_lamp:   {at: beacon/lamp, order: 3, again: true}\n", "",
		"by_the_wheel: {in: mill, at: [26, 16]}", "by_the_mill: {in: mill, at: [26, 16]}",
		"size: [80, 40]", "size: [80, 30]", "span_west: {at: [0, 22], span: {y: [8, 38]}}", "span_west: {at: [0, 22], span: {y: [8, 28]}}",
		"milestones:\n", "milestones:\n  early: {title: Early, when: player.oil > 39}\n")
	all := upgrade.Compare(before, after)
	assert.Equal(t, upgrade.Blocks, all.Overall)
	assert.Equal(t, 3, all.From)
	assert.Equal(t, 4, all.To)
	last := upgrade.Blocks
	order := []upgrade.Verdict{upgrade.Blocks, upgrade.Loses, upgrade.Converts, upgrade.Safe}
	seen := map[string]upgrade.Verdict{}
	for _, d := range all.Differences {
		assert.GreaterOrEqual(t, slices.Index(order, d.Verdict), slices.Index(order, last), "the worst first")
		last = d.Verdict
		seen[d.What+" "+d.Name+" "+d.Change] = d.Verdict
	}
	for what, want := range map[string]upgrade.Verdict{
		"variable player.stage moved": upgrade.Blocks, "variable game.stage added": upgrade.Safe, "checkpoint beacon_lamp gone": upgrade.Loses,
		"prop cache.by_the_wheel gone": upgrade.Loses, "prop cache.by_the_mill added": upgrade.Safe, "scene ridge size": upgrade.Converts, "milestone early added": upgrade.Safe,
	} {
		assert.Equal(t, want, seen[what], what)
	}
	back := upgrade.Compare(after, before)
	assert.Equal(t, 4, back.From)
	assert.Equal(t, upgrade.Blocks, back.Overall)
}

// Of props and pairs only what was changed is in a save: another start is theirs at once.
func TestAnotherStartOfAPairReachesOldSaves(t *testing.T) {
	before := load(t, string(examples.LanternPass))
	after := later(t, "taken:       {of: [player, prop:cache], type: bool, start: false", "taken:       {of: [player, prop:cache], type: bool, start: true")
	all := upgrade.Compare(before, after)
	require.Len(t, all.Differences, 1)
	assert.Equal(t, upgrade.Converts, all.Differences[0].Verdict)
	assert.Contains(t, all.Differences[0].Text, "wherever it was never changed")
	r := engine.New(before)
	_, err := r.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1})
	require.NoError(t, err)
	raw, err := save.Encode(r.Save("ada"))
	require.NoError(t, err)
	doc, _, err := save.DecodePlayer(raw, after)
	require.NoError(t, err)
	other := engine.New(after)
	_, err = other.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: doc})
	require.NoError(t, err)
	p, found := expr.Compile(plan.Expr{Source: "count(ada.taken)"}, after.Watching([]string{"ada"}, false), nil)
	require.NotNil(t, p, "%+v", found)
	n, err := engine.Watcher{Run: other, Players: []string{"ada"}}.Ask(p)
	require.NoError(t, err)
	assert.Equal(t, "3", n.String())
}

func TestARenameIsGuessed(t *testing.T) {
	before := load(t, string(examples.LanternPass))
	after := later(t, "  falls:       {of: player", "  tumbles:     {of: player", "{add: player.falls, by: 1}", "{add: player.tumbles, by: 1}", "rank: player.falls", "rank: player.tumbles")
	for _, d := range upgrade.Compare(before, after).Differences {
		if d.Name == "player.falls" {
			assert.Equal(t, "rename: {player.falls: player.tumbles}", d.Suggest)
			return
		}
	}
	t.Fail()
}

func TestTheSameVersionDiffersInNothing(t *testing.T) {
	for _, text := range [][]byte{examples.LanternPass, examples.LanternMarket} {
		all := upgrade.Compare(load(t, string(text)), load(t, string(text)))
		assert.Empty(t, all.Differences)
		assert.Equal(t, upgrade.Safe, all.Overall)
	}
}

// Where a place has one more coordinate than before, no saved place is one any more.
func TestAnotherNumberOfAxesLosesPlaces(t *testing.T) {
	deep := strings.NewReplacer("axes: [x, y]", "axes: [x, y, z]", "[9, 9]", "[9, 9, 9]", "[1, 1]", "[1, 1, 1]", "version: 1\n", "version: 2\n").Replace(flat)
	c := upgrade.Compare(load(t, flat), load(t, deep))
	assert.Equal(t, upgrade.Loses, c.Overall)
	require.NotEmpty(t, c.Differences)
	assert.True(t, slices.ContainsFunc(c.Differences, func(d upgrade.Difference) bool {
		return d.Verdict == upgrade.Loses && strings.Contains(fmt.Sprint(d), "Places had 2 coordinates, and have 3")
	}), "%+v", c.Differences)
}

const flat = `
alluvion: 1
game: lantern-pass
version: 1
space: {axes: [x, y]}
start: a/one
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
scenes: {a: {size: [9, 9], spots: {one: {at: [1, 1]}}}}
saving: {every: 30s}
`
