package upgrade_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/examples"
)

func TestWhatIsNotLoadedSaysWhy(t *testing.T) {
	fine := save.Problem{Name: "player.oil", Reason: "it is old", Policy: save.Take}
	bad := save.Problem{Name: "player.heat", Pointer: "/values/heat", Reason: "41 is outside 0 to 40", Policy: save.Refuse}
	require.NoError(t, upgrade.RefusedBy(nil))
	require.NoError(t, upgrade.RefusedBy([]save.Problem{fine}))
	for _, list := range [][]save.Problem{{bad}, {fine, bad}, {bad, fine}} {
		err := upgrade.RefusedBy(list)
		require.EqualError(t, err, "player.heat (/values/heat): 41 is outside 0 to 40; the plan says that such a save is not loaded")
		assert.True(t, upgrade.IsRefused(fmt.Errorf("the save of ada: %w", err)))
	}
	bad.Pointer = ""
	require.EqualError(t, upgrade.RefusedBy([]save.Problem{bad}), "player.heat: 41 is outside 0 to 40; the plan says that such a save is not loaded")
	assert.False(t, upgrade.IsRefused(save.ErrFormat))
}

// Everything that can be wrong with the bytes of a save is one problem of the whole.
func TestBytesThatAreNoSaveAreOneProblem(t *testing.T) {
	m := mill(t)[1]
	c := upgrade.New(m)
	keys := save.Keys{{ID: "k", Secret: []byte("0123456789abcdef")}}
	for text, of := range map[string]string{
		"":                                   "nothing",
		"{":                                  "nothing",
		`{"alluvion_save":1,"game":"x"}`:     "player",
		`{"alluvion_world":7,"game":"mill"}`: "world",
		`{"alluvion_world":1,"game":"x"}`:    "world",
		`{"alluvion_world":1,"game":"mill","version":9}`:                      "world",
		`{"alluvion_seal":1,"key":"k","mac":"00","save":{"alluvion_save":1}}`: "player",
		`{"alluvion_seal":2,"key":"k","mac":"00","save":{}}`:                  "nothing",
	} {
		got := c.Check([]byte(text), keys, upgrade.Around{}, nil)
		assert.NotEqual(t, save.Take, got.Outcome, "%s: %+v", text, got)
		assert.NotEmpty(t, got.Problems, text)
		if of == "nothing" {
			assert.Equal(t, of, got.Of, text)
		}
	}
	assert.Equal(t, "not asked", c.Check([]byte(`{"alluvion_seal":1,"key":"k","mac":"00","save":{"alluvion_save":1}}`), nil, upgrade.Around{}, nil).Seal)
}

// A trial shows at most 200 kinds of trouble, and counts the rest.
func TestATrialCountsWhatItDoesNotShow(t *testing.T) {
	m := mill(t)[0]
	c, j := upgrade.New(m), engine.NewJudge(m, nil)
	trial := upgrade.NewTrial(m)
	const good = `{"alluvion_save":1,"game":"mill","version":1,"player":"ada","slot":1,"visits":1,"number":0,"dead":false,"place":{"scene":"yard","at":[2,2],"facing":"north"},"entry":{"scene":"yard","at":[2,2],"facing":"north"},"values":{`
	for i := range 3 {
		var values []string
		for k := range 90 {
			values = append(values, fmt.Sprintf(`"strange%03d":%d`, 90*i+k, k))
		}
		trial.Add(c, j, fmt.Sprintf("ada, slot %d", i), []byte(good+strings.Join(values, ",")+`},"record":{"values":{}}}`), nil, upgrade.Around{})
	}
	assert.Len(t, trial.Cases, 200)
	first := 0
	for _, x := range trial.Cases {
		if x.Kind == save.KindMissing {
			first++
			assert.Equal(t, 3, x.Count, x.Name)
		}
	}
	assert.Positive(t, first)
	assert.Equal(t, 270+first-200, trial.More)
	assert.Equal(t, 3, trial.Saves)

	require.True(t, trial.Forget("ada, slot 1"))
	for _, x := range trial.Cases {
		assert.NotEqual(t, "ada, slot 1", x.Save)
	}
	for _, w := range trial.Worst {
		assert.NotEqual(t, "ada, slot 1", w.Save)
	}
	for _, x := range trial.Sample {
		assert.NotEqual(t, "ada, slot 1", x.Save)
	}
	assert.False(t, trial.Forget("nobody"))
	assert.False(t, trial.Forget("ada, slot 1"), "it has been forgotten")
}

// A move to a commons that the plan does not say it writes says what is missing.
func TestAMoveToACommonsNeedsToBeSaid(t *testing.T) {
	_, _, found := model.LoadFor([]byte(`
alluvion: 1
game: lantern-pass
version: 2
start: a/s
uses: [{commons: courier-guild, as: guild}]
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
variables: {oil: {of: player, type: int, min: 0, max: 40, start: 1, read_by: game}}
scenes: {a: {size: [4, 4], spots: {s: {at: [1, 1]}}}}
saving: {every: 30s}
upgrades: {2: [{move: player.stage, into: player.guild.pass_stage, many: max}]}
`), examples.Commons)
	require.True(t, found.Errors())
	assert.Contains(t, found[0].Message, "add writes: [pass_stage] where it uses the commons courier-guild")
}

// A value that moves to a commons is what the step says of what is there already and of what the save has.
func TestAMoveToACommonsCountsWhatIsThere(t *testing.T) {
	const plan = `
alluvion: 1
game: lantern-pass
version: 2
start: a/s
uses: [{commons: courier-guild, as: guild, writes: [pass_stage]}]
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
variables: {oil: {of: player, type: int, min: 0, max: 40, start: 1, read_by: game}}
scenes: {a: {size: [4, 4], spots: {s: {at: [1, 1]}}}}
saving: {every: 30s}
upgrades: {2: [{move: player.stage, into: player.guild.pass_stage, many: MANY}]}
`
	const old = `{"alluvion_save":1,"game":"lantern-pass","version":1,"player":"ada","slot":1,"visits":1,"number":0,"dead":false,"place":{"scene":"a","at":[1,1]},"entry":{"scene":"a","at":[1,1]},"values":{"oil":3,"stage":STAGE},"record":{"values":{}}}`
	for _, row := range []struct{ many, stage, there, want string }{
		{"max", "4", "none", "4"}, {"max", "4", "6", "6"}, {"max", "7", "6", "7"}, {"sum", "4", "3", "7"}, {"min", "4", "3", "3"},
		{"first", "4", "3", "3"}, {"sum", "4", "0", "4"}, {"sum", "9", "8", "9"}, {"max", "null", "3", ""}, {"max", `"x"`, "3", ""},
	} {
		c := upgrade.New(load(t, strings.Replace(plan, "MANY", row.many, 1)))
		asked := ""
		around := upgrade.Around{Shared: func(name string) (types.Value, bool) {
			asked = name
			if row.there == "none" {
				return types.None, false
			}
			var v types.Value
			require.NoError(t, v.UnmarshalJSON([]byte(row.there)))
			return v, true
		}}
		l, err := c.Player([]byte(strings.Replace(old, "STAGE", row.stage, 1)), around)
		require.NoError(t, err)
		if row.want == "" {
			assert.Empty(t, l.Moved, "%+v", row)
			continue
		}
		if !assert.Len(t, l.Moved, 1, "%+v: %+v", row, l.Problems) {
			continue
		}
		assert.Equal(t, row.want, l.Moved[0].Value.Plain(), "%+v", row)
		assert.Equal(t, "player.guild.pass_stage", l.Moved[0].Var.Name)
		assert.Equal(t, "player.guild.pass_stage", asked)
		assert.Equal(t, "3", l.Player.Values["oil"].Plain())
	}
}

// None stays none through every step that reads one value; a step that reads several says what it is then.
func TestNoneStaysNoneThroughAStep(t *testing.T) {
	for steps, want := range map[string]string{
		"{3: [{convert: player.badge, to: \"old + '!'\"}]}":                                                   "none",
		"{3: [{fill: player.badge, to: \"'new'\"}]}":                                                          "new",
		"{3: [{split: player.badge, into: {player.badge: old, player.first: \"'x'\"}}]}":                      "none",
		"{3: [{merge: player.badge, from: [player.badge], to: \"player.badge.orValue('?') + '!'\"}]}":         "?!",
		"{3: [{rename: {player.rank: player.badge}}, {drop: player.badge, why: it is called rank now}]}":      "smith",
		"{3: [{drop: player.badge, why: nobody wears one}]}":                                                  "none",
		"{3: [{convert: player.badge, to: \"old.orValue('?') + player.rank.orValue('-')\"}]}":                 "none",
		"{3: [{merge: player.badge, from: [player.rank, player.name], to: player.rank + ' ' + player.name}]}": "smith Ada Wren",
	} {
		c, found := perhaps(t, steps)
		require.NotNil(t, c, "%s cannot be: %s", steps, found)
		l, err := c.Player([]byte(strings.Replace(old, "VERSION", "2", 1)), upgrade.Around{})
		require.NoError(t, err)
		assert.Equal(t, want, l.Player.Values["badge"].Plain(), "%s: %+v", steps, l.Problems)
		for _, p := range l.Problems {
			assert.NotContains(t, p.Name, "badge", steps)
		}
	}
}

func perhaps(t *testing.T, upgrades string) (*upgrade.Chain, string) {
	m, _, found := model.LoadFor([]byte(strings.Replace(pass, "UPGRADES", upgrades, 1)), examples.Commons)
	if m == nil || found.Errors() {
		return nil, found[0].Message
	}
	return upgrade.New(m), ""
}

// A save whose seal is wrong, whose key is not known, or whose seal nobody asks about: each is said.
func TestWhatASealIsIsSaid(t *testing.T) {
	m := load(t, before)
	r := engine.New(m)
	_, err := r.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1})
	require.NoError(t, err)
	raw, err := save.Encode(r.Save("ada"))
	require.NoError(t, err)
	keys, others := save.Keys{{ID: "k1", Secret: []byte("0123456789abcdef")}}, save.Keys{{ID: "k1", Secret: []byte("fedcba9876543210")}}
	sealed, err := keys.Seal(raw)
	require.NoError(t, err)
	c := upgrade.New(m)
	for want, with := range map[string]save.Keys{"right": keys, "wrong": others, "not asked": nil} {
		said := c.Check(sealed, with, upgrade.Around{}, nil)
		assert.Equal(t, want, said.Seal)
		outcome := save.Take
		if want == "wrong" {
			outcome = save.Outcome(said.Problems)
			assert.NotEqual(t, save.Take, outcome)
		}
		assert.Equal(t, outcome, said.Outcome, want)
	}
	assert.Empty(t, c.Check(raw, keys, upgrade.Around{}, nil).Seal, "it has none")
}
