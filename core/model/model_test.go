package model_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

const plain = `
alluvion: 1
game: plain
version: 1
space: {axes: [x, y], facings: [north, south]}
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, game: {restart: keep}, place: {death: stay, leave: exact}}
rosters: {courier: {attributes: {pack: int}, options: {brisa: {pack: 6}}}}
variables:
  oil:   {of: player, type: int, min: 0, max: 40, start: 12}
  who:   {of: player, type: pick, roster: courier, optional: true}
  clock: {of: player, type: stopwatch}
  twice: {of: player, type: int, min: 0, max: 80, is: player.oil * 2}
  fund:  {of: game, type: int, min: 0, max: 9, start: 0}
scenes: {hut: {size: [10, 10], spots: {door: {at: [5, 0], facing: north}}}}
events: {burn: {args: {n: int}, from: self}, storm: {from: server}}
rules:
  - {on: burn, do: [{add: player.oil, by: -1}]}
saving: {every: 30s}
`

func TestMistakesThatOnlyTheWholePlanShows(t *testing.T) {
	_, found := build(plain)
	require.Empty(t, found)
	for name, row := range map[string]struct{ from, to, id, words string }{
		"a step that a decimal lacks":            {"type: int, min: 0, max: 40, start: 12", "type: decimal, start: 12", "missing", "step"},
		"a limit off step":                       {"max: 40, start: 12", "max: 40, step: 5, start: 12", "bad-value", "steps of 5"},
		"a limit beyond every reader":            {"max: 40, start: 12", "max: 90071992547409920, start: 12", "bad-value", "JSON"},
		"a seat that is kept for a day":          {"saving: {every: 30s}", "saving: {every: 30s}\nsession: {grace: 24h}", "bad-value", "at most an hour"},
		"frames that nobody draws":               {"saving: {every: 30s}", "saving: {every: 30s}\nsession: {ticks: 90/s}", "bad-value", "1/s to 60/s"},
		"no value at all":                        {"max: 40, start: 12", "max: -1, start: 12", "bad-value", "no value"},
		"no start":                               {", start: 12", "", "missing", "no start"},
		"a type that is none":                    {"type: stopwatch", "type: stopwach", "unknown-name", "stopwatch"},
		"a limit that does not go with it":       {"type: stopwatch", "type: stopwatch, max_length: 3", "wrong-type", "max_length"},
		"a pick without its roster":              {"roster: courier, optional", "optional", "missing", "roster"},
		"an attribute that nothing declares":     {"brisa: {pack: 6}", "brisa: {pack: 6, pac: 7}", "unknown-name", "pack"},
		"an attribute that is missing":           {"brisa: {pack: 6}", "brisa: {}", "missing", "pack"},
		"an attribute of another type":           {"brisa: {pack: 6}", "brisa: {pack: six}", "bad-value", "number"},
		"a computed variable in a circle":        {"is: player.oil * 2", "is: player.twice + 1", "bad-expression", "from itself"},
		"a computed variable that is set":        {"{add: player.oil, by: -1}", "{add: player.twice, by: -1}", "bad-value", "computed"},
		"a stopwatch that is set":                {"{add: player.oil, by: -1}", "{set: player.clock, to: 1}", "bad-value", "stopwatch"},
		"a fate that cannot apply":               {"max: 9, start: 0", "max: 9, start: 0, across: {death: reset}", "bad-value", "does not speak for all"},
		"a fate that sets a stopwatch":           {"type: stopwatch", "type: stopwatch, across: {death: {set: 3}}", "wrong-type", "kept or reset"},
		"a default that cannot apply":            {"game: {restart: keep}", "game: {restart: keep, leave: keep}", "bad-value", "cannot apply"},
		"no player on a server's event":          {"{on: burn,", "{on: storm,", "unknown-name", "no player here"},
		"an option that is none":                 {"{add: player.oil, by: -1}", "{pick: player.who, option: birsa}", "unknown-name", "brisa"},
		"to add to what may be none":             {"{add: player.oil, by: -1}", "{clear: player.oil}", "type-mismatch", "not optional"},
		"to change what is no variable":          {"{add: player.oil, by: -1}", "{set: place.x, to: 1}", "bad-value", "Only a variable"},
		"to kill what is no player":              {"{add: player.oil, by: -1}", "{die: player.oil}", "type-mismatch", "needs a player"},
		"a facing that is none":                  {"facing: north", "facing: nroth", "unknown-name", "north"},
		"too many coordinates":                   {"at: [5, 0]", "at: [5, 0, 1]", "bad-value", "2 axes"},
		"a built-in name":                        {"  oil:", "  dead:", "bad-value", "built in"},
		"an axis that is none":                   {"at: [5, 0]", "at: [5, 0], span: {z: [1, 2]}", "unknown-name", "axis"},
		"a span the wrong way round":             {"at: [5, 0]", "at: [5, 0], span: {x: [3, 1]}", "bad-value", "from and to"},
		"a rule on a change of nothing":          {"{on: burn,", "{on: {changed: player.oill},", "unknown-name", "player.oil"},
		"an argument that the event has not":     {"{add: player.oil, by: -1}", "{send: burn, args: {m: 1}}", "unknown-name", "argument"},
		"an argument that is left out":           {"{add: player.oil, by: -1}", "{send: burn}", "missing", "needs the argument n"},
		"an argument of another type":            {"{add: player.oil, by: -1}", "{send: burn, args: {n: place.scene}}", "type-mismatch", "argument n"},
		"a player's event sent by nobody":        {"{on: burn, do: [{add: player.oil, by: -1}]}", "{on: storm, do: [{send: burn, args: {n: 1}}]}", "bad-value", "about no player"},
		"a name of a rule's own that is taken":   {"{add: player.oil, by: -1}", "{let: {game: 1}, do: [{die: player}]}", "bad-value", "something else"},
		"the scene of nobody":                    {"{on: burn, do: [{add: player.oil, by: -1}]}", "{on: storm, do: [{each: p, in: scene, do: [{die: p}]}]}", "bad-value", "in: session"},
		"nobody who could go":                    {"{on: burn, do: [{add: player.oil, by: -1}]}", "{on: storm, do: [{go: hut/door}]}", "bad-value", "no player"},
		"a standing of options and players":      {"scenes: {hut", "  stock: {of: courier, type: int, min: 0, max: 9, start: 0}\nstandings: {s: {title: S, rank: courier.stock + player.oil}}\nscenes: {hut", "unknown-name", "orders the options of courier, and is about no player"},
		"a standing of options by no number":     {"scenes: {hut", "  open: {of: courier, type: bool, start: false}\nstandings: {s: {title: S, rank: courier.open}}\nscenes: {hut", "type-mismatch", "Options are ordered by a number"},
		"a milestone that asks for nothing":      {"saving:", "milestones: {m: {title: M}}\nsaving:", "missing", "either when"},
		"a milestone without its goal":           {"saving:", "milestones: {m: {progress: player.oil}}\nsaving:", "missing", "together"},
		"a milestone that counts no number":      {"saving:", "milestones: {m: {progress: place.scene, goal: 3}}\nsaving:", "type-mismatch", "number"},
		"a milestone that is set":                {"saving:", "milestones: {m: {when: player.dead, across: {death: {set: 1}}}}\nsaving:", "bad-value", "kept or reset"},
		"a sum of something that is no variable": {"saving:", "conserved: {oil: {sum: player.oill}}\nsaving:", "unknown-name", "Did you mean player.oil?"},
		"a sum of something else than numbers":   {"saving:", "conserved: {oil: {sum: player.oil + player.who}}\nsaving:", "type-mismatch", "only numbers that are never none"},
		"a sum times itself":                     {"saving:", "conserved: {oil: {sum: player.oil * player.oil}}\nsaving:", "bad-expression", "A sum is variables"},
		"something made by what is none":         {"saving:", "conserved: {oil: {sum: player.oil, made_by: [brun]}}\nsaving:", "unknown-name", "Did you mean burn?"},
		"a milestone that nobody declared":       {"saving:", "milestones: {first: {when: player.earned('frist')}}\nsaving:", "unknown-name", "first"},
		"a waymark named like a variable":        {"saving:", "waymarks: {oil: {}}\nsaving:", "duplicate-id", "something else"},
		"a waymark that is set":                  {"saving:", "waymarks: {w: {across: {leave: {set: 1}}}}\nsaving:", "bad-value", "not set"},
		"a passage to a waymark and back":        {"saving:", "waymarks: {w: {}}\npassages: {p: {from: hut/door, to: w, both_ways: true}}\nsaving:", "bad-value", "cannot lead back"},
		"a refusal without a condition":          {"saving:", "passages: {p: {from: hut/door, to: hut/door, refused: No.}}\nsaving:", "missing", "has no if"},
		"a scene without end":                    {"size: [10, 10]", "size: [10, 10000001]", "bad-value", "at most 10000000"},
		"a circle without end":                   {"spots: {door", "areas: {a: {at: [1, 1], radius: 10000001}}, spots: {door", "bad-value", "radius"},
		"a reach without end":                    {"at: [5, 0], facing", "at: [5, 0], reach: 10000001, facing", "bad-value", "reach"},
		"an area of nothing":                     {"spots: {door", "areas: {a: {}}, spots: {door", "missing", "a box"},
		"a circle without its radius":            {"spots: {door", "areas: {a: {at: [1, 1]}}, spots: {door", "missing", "together"},
		"a circle that is a box":                 {"spots: {door", "areas: {a: {at: [1, 1], radius: 1, x: [1, 2]}}, spots: {door", "wrong-type", "not both"},
		"a box the wrong way round":              {"spots: {door", "areas: {a: {x: [3, 1]}}, spots: {door", "bad-value", "from and to"},
		"a box along no axis":                    {"spots: {door", "areas: {a: {z: [1, 2]}}, spots: {door", "unknown-name", "axis"},
		"a checkpoint that is nowhere":           {"saving:", "checkpoints: {list: {c: {order: 1}}}\nsaving:", "missing", "either at"},
		"to be inside of nothing":                {"{on: burn,", "{on: burn, if: inside('hut/den'),", "unknown-name", "no area"},
		"nobody to be inside":                    {"{on: burn, do: [{add: player.oil, by: -1}]}", "{on: storm, if: inside('hut/den'), do: [{notify: everyone, text: x}]}", "unknown-name", "no player"},
		"a fate that reads what is set too": {"max: 40, start: 12}", "max: 40, start: 12, across: {death: {set: player.more}}}\n  more: {of: player, type: int, min: 0, max: 40, start: 1, across: {death: {set: player.oil}}}",
			"bad-value", "both are set at once"},
	} {
		t.Run(name, func(t *testing.T) {
			require.Equal(t, 1, strings.Count(plain, row.from), row.from)
			m, found := build(strings.Replace(plain, row.from, row.to, 1))
			require.Nil(t, m)
			require.NotEmpty(t, found)
			assert.Contains(t, found, row.id)
			assert.Contains(t, strings.Join(found[row.id], "\n"), row.words)
		})
	}
}

// build gives the messages by id.
func build(text string) (*model.Model, map[string][]string) {
	m, _, found := model.Load([]byte(text))
	out := map[string][]string{}
	for _, f := range found {
		out[f.ID] = append(out[f.ID], f.Message)
	}
	return m, out
}

func TestDomainsFitAndAdmit(t *testing.T) {
	m, _ := build(plain)
	require.NotNil(t, m)
	oil := m.Var("player.oil")
	v, err := oil.Fit(types.OfInt(99))
	require.NoError(t, err)
	assert.Equal(t, "40", v.String())
	assert.Error(t, oil.Admit(types.OfInt(99)))
	assert.Error(t, oil.Admit(types.OfNum(fixed.Must("0.5"))))
	assert.Error(t, oil.Admit(types.OfText("12")))
	assert.NoError(t, m.Var("player.who").Admit(types.None))
	assert.Error(t, oil.Admit(types.None))
	for raw, ok := range map[string]bool{`12`: true, `"12"`: false, `12.5`: false, `[12]`: false, `{}`: false, `null`: false, `1e1`: true, `1.00000000001e1`: false, ``: false, `41`: false} {
		_, err := oil.FromJSON([]byte(raw))
		assert.Equal(t, ok, err == nil, raw)
	}
}

func TestUnlimitedNumbersStayStorable(t *testing.T) {
	m, found := build(strings.Replace(plain, "min: 0, max: 40, ", "", 1))
	require.NotNil(t, m, "%v", found)
	oil := m.Var("player.oil")
	assert.True(t, oil.Max.Storable(oil.Step))
	more, _ := oil.Max.Add(fixed.FromInt(2))
	assert.False(t, more.Storable(oil.Step))
}

// A list has from 1 to 1,000 options, in their order, and a name that is no other word of expressions and no type.
func TestRule52ListsHaveOptionsInOrderAndNamesOfTheirOwn(t *testing.T) {
	with := func(lists string) (*model.Model, finding.List) {
		m, _, found := model.Load([]byte("alluvion: 1\ngame: hut\nversion: 1\nstart: a/b\nlists: {" + lists + "}\ndefaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}\nvariables: {v: {of: player, type: int, start: 0}}\nscenes: {a: {size: [9, 9], spots: {b: {at: [1, 1]}}}}\nsaving: {every: 30s}\n"))
		return m, found
	}
	many := func(n int) string {
		names := make([]string, n)
		for i := range names {
			names[i] = fmt.Sprintf("o%d", i)
		}
		return "ware: [" + strings.Join(names, ", ") + "]"
	}
	m, found := with("ware: [salt, rice, tea]")
	require.NotNil(t, m, "%v", found)
	for i, id := range []string{"salt", "rice", "tea"} {
		assert.Equal(t, id, m.List("ware").Options[i].ID)
		assert.Equal(t, i, m.List("ware").Option(id))
	}
	m, found = with(many(1000))
	require.NotNil(t, m, "%v", found)
	for _, wrong := range []string{"ware: []", many(1001), "player: [a]", "int: [a]", "sum: [a]", "present: [a]", "ware: [a, a]"} {
		m, found = with(wrong)
		assert.Nil(t, m, wrong[:min(40, len(wrong))])
		assert.NotEmpty(t, found)
	}
}
