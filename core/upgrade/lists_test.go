package upgrade_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
)

// inks is a plan with a list of inks, of which versions have others.
const inks = `
alluvion: 1
game: inks
version: VERSION
start: a/b
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, game: {restart: keep}, place: {death: stay, leave: exact}}
lists: {ink: OPTIONS}
variables:
  have:   {of: [player, ink], type: int, min: 0, max: 50, start: 1, read_by: game, written_by: game}
  best:   {of: [player, ink], type: int, min: 0, max: 50, start: 0, read_by: game, written_by: game}
  stock:  {of: ink, type: int, min: 0, max: 500, start: 0, read_by: game, written_by: game}
  seen:   {of: [profile, ink], type: bool, start: false, read_by: game, written_by: game}
  pen:    {of: player, type: ink, optional: true, read_by: game, written_by: game}
  pot:    {of: player, type: ink, start: black, read_by: game, written_by: game}
  shelf:  {of: player, type: set, items: ink, max_items: 9, read_by: game, written_by: game}
  marks:  {of: player, type: list, items: ink, max_items: 9, read_by: game, written_by: game}
scenes: {a: {size: [9, 9], spots: {b: {at: [1, 1]}}}}
saving: {when: [leave], every: 30s}
`

func inkPlan(t *testing.T, version, options, upgrades string) *model.Model {
	m, _, found := model.Load([]byte(strings.NewReplacer("VERSION", version, "OPTIONS", options).Replace(inks) + upgrades))
	require.NotNil(t, m, "%v", found)
	return m
}

// inked is a save of version 1, with something for each of four inks.
const inked = `{"alluvion_save":1,"game":"inks","version":1,"player":"ada","slot":1,"visits":1,"number":0,"dead":false,"place":{"scene":"a","at":[1,1]},"entry":{"scene":"a","at":[1,1]},
	"values":{"pen":"indigo","pot":"indigo","shelf":["azure","black","indigo","navy"],"marks":["azure","indigo","navy"]},
	"lists":{"ink":{"azure":{"have":20,"best":7},"indigo":{"have":9},"navy":{"have":3,"best":9}}},
	"record":{"values":{},"lists":{"ink":{"indigo":{"have":2}}}}}`

func TestRule56AnOptionThatGoesTakesOnlyItselfOutOfWhatHasIt(t *testing.T) {
	m := inkPlan(t, "2", "[black, azure, navy]", "upgrades: {2: [{drop: ink.indigo, why: It fades.}]}")
	l, err := upgrade.New(m).Player([]byte(inked), upgrade.Around{})
	require.NoError(t, err)
	assert.Empty(t, l.Problems)
	p := l.Player
	assert.True(t, p.Values["pen"].IsNone())
	assert.Equal(t, "black", p.Values["pot"].Plain())
	assert.Equal(t, "[azure, black, navy]", p.Values["shelf"].Plain())
	assert.Equal(t, "[azure, navy]", p.Values["marks"].Plain())
	assert.NotContains(t, p.Lists["ink"], "indigo")
	assert.Equal(t, "20", p.Lists["ink"]["azure"]["have"].Plain())
	for _, kept := range []string{"player.lists.ink.indigo.have", "player.pen[indigo]", "player.shelf[indigo]", "player.marks[indigo]"} {
		assert.Contains(t, p.Attic, kept)
	}

	// A later version has it again: sets, choices that are none or at their start, and what was held for it come back.
	raw, err := save.Encode(p)
	require.NoError(t, err)
	again := inkPlan(t, "3", "[black, azure, navy, indigo]", "upgrades: {2: [{drop: ink.indigo, why: It fades.}], 3: [{restore: ink.indigo}]}")
	l, err = upgrade.New(again).Player(raw, upgrade.Around{})
	require.NoError(t, err)
	assert.Empty(t, l.Problems)
	assert.Equal(t, "indigo", l.Player.Values["pen"].Plain())
	assert.Equal(t, "indigo", l.Player.Values["pot"].Plain())
	assert.Equal(t, "[azure, black, indigo, navy]", l.Player.Values["shelf"].Plain())
	assert.Equal(t, "[azure, navy]", l.Player.Values["marks"].Plain(), "a list does not know where it was")
	assert.Equal(t, "9", l.Player.Lists["ink"]["indigo"]["have"].Plain())
}

func TestRule56OptionsThatBecomeOneAreAddedUpOrWhatManySays(t *testing.T) {
	for many, row := range map[string][2]string{
		"": {"20", "7"}, ", many: sum": {"23", "16"}, ", many: max": {"20", "9"}, ", many: {have: sum, best: max}": {"23", "9"},
	} {
		m := inkPlan(t, "2", "[black, blue, indigo]", "upgrades: {2: [{options: ink, map: {azure: blue, navy: blue}"+many+"}]}")
		l, err := upgrade.New(m).Player([]byte(inked), upgrade.Around{})
		require.NoError(t, err)
		assert.Empty(t, l.Problems, many)
		assert.Equal(t, row[0], l.Player.Lists["ink"]["blue"]["have"].Plain(), many)
		assert.Equal(t, row[1], l.Player.Lists["ink"]["blue"]["best"].Plain(), many)
		assert.Equal(t, "[black, blue, indigo]", l.Player.Values["shelf"].Plain(), "a set has it once")
		assert.Equal(t, "[blue, indigo, blue]", l.Player.Values["marks"].Plain(), "a list keeps each")
	}
	// What was never changed has its start: two starts of 1 are 2.
	m := inkPlan(t, "2", "[black, blue, indigo]", "upgrades: {2: [{options: ink, map: {azure: blue, navy: blue}, many: sum}]}")
	text := strings.Replace(inked, `"navy":{"have":3,"best":9}`, `"navy":{"best":9}`, 1)
	l, err := upgrade.New(m).Player([]byte(text), upgrade.Around{})
	require.NoError(t, err)
	assert.Equal(t, "21", l.Player.Lists["ink"]["blue"]["have"].Plain())
}

// The numbers of options in a standing go with the options: the best of several that become one, and back again.
func TestRule56AStandingOfOptionsGoesWithThem(t *testing.T) {
	const ranks = "standings: {sold: {rank: ink.stock}}\n"
	world := func(doc, version, options, standings, upgrades string) *save.World {
		t.Helper()
		l, err := upgrade.New(inkPlan(t, version, options, standings+"upgrades: {"+upgrades+"}")).World([]byte(doc), upgrade.Around{})
		require.NoError(t, err)
		assert.Empty(t, l.Problems)
		return l.World
	}
	const doc = `{"alluvion_world":1,"game":"inks","version":1,"values":{},"standings":{"sold":{"azure":20,"navy":31,"indigo":9}}}`
	was := func(w *save.World) string {
		raw, err := save.Encode(w.Standings)
		require.NoError(t, err)
		return string(raw)
	}
	const drop = "2: [{drop: ink.indigo, why: It fades.}, {options: ink, map: {azure: blue, navy: blue}}]"
	w := world(doc, "2", "[black, blue]", ranks, drop)
	assert.Equal(t, `{"sold":{"blue":31}}`, was(w))
	assert.Contains(t, w.Attic, "standings.sold.indigo")
	raw, err := save.Encode(w)
	require.NoError(t, err)
	w = world(string(raw), "3", "[black, blue, indigo]", ranks, drop+", 3: [{restore: ink.indigo}]")
	assert.Equal(t, `{"sold":{"blue":31,"indigo":9}}`, was(w))
	w = world(doc, "2", "[azure, navy, indigo, black]", "standings: {most: {rank: ink.stock}}\n", "2: [{rename: {standings.sold: standings.most}}]")
	assert.Equal(t, `{"most":{"azure":20,"indigo":9,"navy":31}}`, was(w))
	w = world(doc, "2", "[azure, navy, indigo, black]", "", "2: [{drop: standings.sold, why: Nobody looks.}]")
	assert.Empty(t, w.Standings)
	raw, err = save.Encode(w)
	require.NoError(t, err)
	w = world(string(raw), "3", "[azure, navy, indigo, black]", ranks, "2: [{drop: standings.sold, why: Nobody looks.}], 3: [{restore: standings.sold}]")
	assert.Equal(t, `{"sold":{"azure":20,"indigo":9,"navy":31}}`, was(w))
}

func TestRule56WhatAVersionDropsWithoutAStepIsTold(t *testing.T) {
	one, two := inkPlan(t, "1", "[black, azure, indigo, navy]", ""), inkPlan(t, "2", "[black, azure, navy]", "")
	c := upgrade.Compare(one, two)
	assert.Equal(t, upgrade.Loses, c.Overall)
	l, err := upgrade.New(two).Player([]byte(inked), upgrade.Around{})
	require.NoError(t, err)
	assert.NotEmpty(t, l.Problems)
	assert.Equal(t, "[azure, black, navy]", l.Player.Values["shelf"].Plain())
	for _, wrong := range []string{"{options: ink, map: {azure: blu}}", "{options: ink, map: {azure: blue}, many: {hav: sum}}", "{restore: ink.blu}",
		"{move: player.pen, into: ink.blue.hve}", "{move: player.pen, into: ink.blu.have}", "{move: player.pen, into: ink.blue}", "{options: player.pen, map: {azure: blue}, many: sum}"} {
		m, _, found := model.Load([]byte(strings.NewReplacer("VERSION", "2", "OPTIONS", "[black, blue]").Replace(inks) + "upgrades: {2: [" + wrong + "]}"))
		assert.Nil(t, m, wrong)
		assert.NotEmpty(t, found, wrong)
	}
}

// What was twenty variables becomes one of a list, and settings of slots become those of a profile.
func TestValuesMoveIntoOptionsAndProfiles(t *testing.T) {
	const text = `
alluvion: 1
game: shop
version: 2
start: a/b
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
lists: {ware: [rice, tea]}
variables:
  have:  {of: [player, ware], type: int, min: 0, max: 50, start: 0, read_by: game, written_by: game}
  best:  {of: profile, type: int, min: 0, max: 999, start: 0, read_by: game, written_by: game}
scenes: {a: {size: [9, 9], spots: {b: {at: [1, 1]}}}}
saving: {when: [leave], every: 30s}
upgrades:
  2:
    - {move: player.rice, into: ware.rice.have}
    - {move: player.tea, into: ware.tea.have}
    - {move: player.best, into: profile.best, many: max}
`
	m, _, found := model.Load([]byte(text))
	require.NotNil(t, m, "%v", found)
	doc := func(rice, best string) []byte {
		return []byte(`{"alluvion_save":1,"game":"shop","version":1,"player":"ada","slot":1,"visits":1,"number":0,"dead":false,"place":{"scene":"a","at":[1,1]},"entry":{"scene":"a","at":[1,1]},
			"values":{"rice":` + rice + `,"tea":60,"best":` + best + `},"record":{"values":{}}}`)
	}
	l, err := upgrade.New(m).Player(doc("7", "40"), upgrade.Around{})
	require.NoError(t, err)
	require.Len(t, l.Problems, 1)
	assert.Equal(t, "/lists/ware/tea/have", l.Problems[0].Pointer)
	assert.Equal(t, "7", l.Player.Lists["ware"]["rice"]["have"].Plain())
	assert.Equal(t, "50", l.Player.Lists["ware"]["tea"]["have"].Plain(), "as misfits say of a range")
	profile := upgrade.WithOver(m, nil, "ada", l.Over)
	assert.Equal(t, "40", profile.Values["best"].Plain())
	for best, want := range map[string]string{"30": "40", "55": "55"} { // of another slot, later
		l, err = upgrade.New(m).Player(doc("1", best), upgrade.Around{Profile: profile})
		require.NoError(t, err)
		assert.Equal(t, want, l.Over[0].Value.Plain())
	}
}

// What a player has over all slots becomes each slot's own again, and what they have for an option becomes theirs alone.
func TestValuesMoveBackToPlayers(t *testing.T) {
	const before = `
alluvion: 1
game: shop
version: 1
start: a/b
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
lists: {ware: [rice, tea]}
variables:
  have:  {of: [player, ware], type: int, min: 0, max: 50, start: 0, read_by: game, written_by: game}
  hints: {of: profile, type: bool, start: true, read_by: game, written_by: game}
  best:  {of: profile, type: int, min: 0, max: 999, start: 0, read_by: game, written_by: game}
scenes: {a: {size: [9, 9], spots: {b: {at: [1, 1]}}}}
saving: {slots: 2, when: [leave], every: 30s}
`
	after := strings.NewReplacer("version: 1", "version: 2", "  have:  {of: [player, ware]", "  rice:  {of: player", "hints: {of: profile", "hints: {of: player",
		"  best:", "  sold:  {of: [player, ware], type: int, min: 0, max: 9, start: 0, read_by: game, written_by: game}\n  best:").Replace(before) + `upgrades:
  2:
    - {move: ware.rice.have, into: player.rice}
    - {move: profile.hints, into: player.hints}
    - {drop: ware.have, why: Nobody carries more than rice.}
`
	m, _, found := model.Load([]byte(after))
	require.NotNil(t, m, "%v", found)
	chain := upgrade.New(m)
	assert.True(t, chain.FromProfile())
	profile, problems, err := chain.Profile([]byte(`{"alluvion_profile":1,"game":"shop","version":1,"player":"ada","values":{"hints":false,"best":7}}`))
	require.NoError(t, err)
	assert.Empty(t, problems)
	assert.Equal(t, "7", profile.Values["best"].Plain())
	for slot, want := range map[string]string{"1": "false", "2": "false"} {
		doc := `{"alluvion_save":1,"game":"shop","version":1,"player":"ada","slot":` + slot + `,"visits":1,"number":0,"dead":false,"place":{"scene":"a","at":[1,1]},"entry":{"scene":"a","at":[1,1]},
			"values":{},"lists":{"ware":{"rice":{"have":7},"tea":{"have":3}}},"record":{"values":{}}}`
		l, err := chain.Player([]byte(doc), upgrade.Around{Profile: profile})
		require.NoError(t, err)
		assert.Empty(t, l.Problems)
		assert.Equal(t, want, l.Player.Values["hints"].Plain())
		assert.Equal(t, "7", l.Player.Values["rice"].Plain())
		assert.Empty(t, l.Player.Lists["ware"]["rice"])
		assert.Contains(t, l.Player.Attic, "player.lists.ware.tea.have")
		l, err = chain.Player([]byte(doc), upgrade.Around{})
		require.NoError(t, err)
		assert.Equal(t, "true", l.Player.Values["hints"].Plain(), "of whom there is no profile")
	}
	for wrong, says := range map[string]string{
		"{move: ware.rice, into: player.rice}":                 "Which ware is meant?",
		"{move: ware.rice.have, into: profile.best}":           "can become what they have by themselves",
		"{move: ware.rice.have, into: player.rice, many: max}": "One value becomes one here",
	} {
		_, _, found := model.Load([]byte(strings.Replace(after, "{move: ware.rice.have, into: player.rice}", wrong, 1)))
		require.NotEmpty(t, found, wrong)
		assert.Contains(t, found[0].Message, says)
	}
}

// What the record of a checkpoint keeps of options goes as the rest does; a step about one option of one variable touches
// neither the other options nor the other variables.
func TestRule56TheRecordAndOneOptionByItself(t *testing.T) {
	text := strings.Replace(inked, `"record":{"values":{}`, `"record":{"values":{"pen":"indigo","pot":"azure"}`, 1)
	m := inkPlan(t, "2", "[black, azure, navy]", "upgrades: {2: [{drop: ink.indigo, why: It fades.}]}")
	l, err := upgrade.New(m).Player([]byte(text), upgrade.Around{})
	require.NoError(t, err)
	assert.True(t, l.Player.Record.Values["pen"].IsNone())
	assert.Equal(t, "azure", l.Player.Record.Values["pot"].Plain())

	moved := strings.Replace(inks, "  pen: ", "  blue: {of: player, type: int, min: 0, max: 50, start: 0, read_by: game, written_by: game}\n  pen: ", 1)
	m, _, found := model.Load([]byte(strings.NewReplacer("VERSION", "2", "OPTIONS", "[black, azure, navy, indigo]").Replace(moved) + "upgrades: {2: [{move: ink.azure.have, into: player.blue}, {convert: ink.best, to: old + 1}]}"))
	require.NotNil(t, m, "%v", found)
	l, err = upgrade.New(m).Player([]byte(inked), upgrade.Around{})
	require.NoError(t, err)
	assert.Empty(t, l.Problems)
	assert.Equal(t, "20", l.Player.Values["blue"].Plain())
	azure, navy := l.Player.Lists["ink"]["azure"], l.Player.Lists["ink"]["navy"]
	assert.NotContains(t, azure, "have")
	assert.Equal(t, "8", azure["best"].Plain())
	assert.Equal(t, "3", navy["have"].Plain(), "only what is of azure went")
	assert.Equal(t, "10", navy["best"].Plain())
	assert.Contains(t, l.Player.Attic, "player.lists.ink.azure.have")
	assert.NotContains(t, l.Player.Attic, "player.lists.ink.navy.have")
}

// Of two plans that are the same nothing differs, and a program that reads that has a list all the same.
func TestPlansThatAreTheSameDifferInNothing(t *testing.T) {
	one := inkPlan(t, "1", "[black, azure]", "")
	raw, err := json.Marshal(upgrade.Compare(one, one))
	require.NoError(t, err)
	assert.Contains(t, string(raw), `"differences":[]`)
}
