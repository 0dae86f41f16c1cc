package upgrade_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
)

// pass is a plan to which upgrades are added; old is a save of its first version.
const pass = `
alluvion: 1
game: pass
version: 3
space: {axes: [x, y], facings: [north, south]}
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, pair: {scene: keep}, scene: {scene: keep, restart: keep}, game: {restart: keep}, place: {death: checkpoint, leave: exact}}
variables:
  warmth:  {of: player, type: decimal, min: 0, max: 100, step: 0.5, start: 50, across: {death: rewind}}
  loads:   {of: player, type: decimal, min: 0, max: 99, step: 0.1, start: 0}
  lamp:    {of: player, type: choice, choices: [out, low, bright], start: out}
  first:   {of: player, type: text, max_length: 20, start: ""}
  last:    {of: player, type: text, max_length: 20, start: ""}
  badge:   {of: player, type: text, max_length: 20, optional: true}
  letters: {of: player, type: set, items: {type: choice, choices: [mill, hut]}}
  dress:   {of: player, type: group, fields: {hood: {type: bool, start: false}, scarf: {type: text, start: red}}}
  total:   {of: player, type: int, min: 0, max: 999, start: 0}
  seen:    {of: [player, scene], type: bool, start: false}
  snow:    {of: scene, type: int, min: 0, max: 9, start: 0}
  deepest: {of: game, type: int, min: 0, max: 9, start: 0}
  planks:  {of: game, type: int, min: 0, max: 99, start: 0}
  open:    {of: prop:cache, type: bool, start: false}
scenes:
  hut:   {size: [10, 10], spots: {door: {at: [5, 0], facing: south}}}
  upper: {size: [40, 24], spots: {rim: {at: [20, 2]}}}
  lower: {size: [40, 24], spots: {ford: {at: [3, 3]}}}
checkpoints: {fallback: hut/door, list: {ford: {at: lower/ford}}}
waymarks: {camp: {}}
props: {cache: {placed: {a: hut/door, b: lower/ford}}}
movables: {sled: {start: hut/door}}
milestones: {crossed: {when: place.scene == 'lower'}}
standings: {hauled: {rank: player.loads, order: high}}
always: [player.warmth <= 100]
saving: {every: 30s}
upgrades: UPGRADES
`

const old = `{"alluvion_save":1,"game":"pass","version":VERSION,"player":"ada","slot":1,"visits":2,"number":0,"dead":false,
 "place":{"scene":"gorge","at":[10,30],"facing":"north"},"entry":{"scene":"gorge","at":[10,4],"facing":"north"},
 "checkpoint":"shallows","used":["shallows"],"milestones":["over"],"standings":{"carried":12},
 "waymarks":{"camp":{"scene":"gorge","at":[1,1]}},
 "values":{"heat":62.3,"parcels":37,"lamp":"dim","name":"Ada Wren","badge":null,"letters":["cottage","mill"],"dress.hood":true,"dress.scarf":"blue","left":3,"right":4,"rank":"smith"},
 "scenes":{"gorge":{"visited":true}},"props":{},
 "record":{"values":{"heat":20,"parcels":10}}}`

func passAt(t testing.TB, upgrades string) *upgrade.Chain {
	return upgrade.New(load(t, strings.Replace(pass, "UPGRADES", upgrades, 1)))
}

func opened(t testing.TB, c *upgrade.Chain, version string, around upgrade.Around) *upgrade.Loaded {
	l, err := c.Player([]byte(strings.Replace(old, "VERSION", version, 1)), around)
	require.NoError(t, err)
	return l
}

func TestRule32StepsReadTheOldSaveAndWriteTheNewOne(t *testing.T) {
	value := func(name string) func(*upgrade.Loaded) string {
		return func(l *upgrade.Loaded) string {
			v, ok := l.Player.Values[name]
			if !ok {
				return "absent"
			}
			return v.Plain()
		}
	}
	attic := func(name string) func(*upgrade.Loaded) string {
		return func(l *upgrade.Loaded) string { return string(l.Player.Attic[name]) }
	}
	for name, row := range map[string]struct {
		steps string
		see   func(*upgrade.Loaded) string
		want  string
	}{
		"a rename":                    {"{rename: {player.heat: player.warmth}}", value("warmth"), "62.5"},
		"a rename of what is rounded": {"{rename: {player.parcels: player.loads}}", value("loads"), "37"},
		"a swap": {"{rename: {player.dress.scarf: player.first, player.name: player.dress.scarf}}", func(l *upgrade.Loaded) string {
			return l.Player.Values["first"].Plain() + ", " + l.Player.Values["dress.scarf"].Plain()
		}, "blue, Ada Wren"},
		"a group":                           {"{rename: {player.dress.hood: player.dress.hood}}", value("dress.hood"), "true"},
		"a conversion":                      {"{convert: player.parcels, to: old / 10}, {rename: {player.parcels: player.loads}}", value("loads"), "3.7"},
		"a conversion of what is none":      {"{convert: player.badge, to: old + '!'}", value("badge"), "none"},
		"a conversion that rounds":          {"{convert: player.heat, to: old / 7}, {rename: {player.heat: player.warmth}}", value("warmth"), "9"},
		"options":                           {"{options: player.lamp, map: {dim: low}}", value("lamp"), "low"},
		"options of a set":                  {"{options: player.letters, map: {cottage: hut}}", value("letters"), "[hut, mill]"},
		"a split":                           {`{split: player.name, into: {player.first: "old.startsWith('Ada') ? 'Ada' : old", player.last: "'Wren'"}}`, value("first"), "Ada"},
		"a merge":                           {"{merge: player.total, from: [player.left, player.right], to: player.left * 10 + player.right}", value("total"), "34"},
		"a fill":                            {"{fill: player.total, to: player.parcels * 2}", value("total"), "74"},
		"a fill of what is none":            {"{fill: player.badge, to: \"place.scene == 'gorge' ? 'g' : 'h'\"}", value("badge"), "g"},
		"a fill with what may not be there": {"{fill: player.total, to: player.nothing.orValue(5)}", value("total"), "5"},
		"a fill from another scene":         {"{fill: player.total, to: \"scenes.gorge.visited ? 5 : 6\"}", value("total"), "5"},
		"a fill from no such scene":         {"{fill: player.total, to: \"scenes.hut.visited.orValue(false) ? 5 : 6\"}", value("total"), "6"},
		"a fill from who they are":          {"{fill: player.total, to: player.visits * 100 + player.slot}", value("total"), "201"},
		"a fill from where they came to":    {"{fill: player.badge, to: player.checkpoint.orValue('none yet')}", value("badge"), "shallows"},
		"a fill from where they are":        {"{fill: player.total, to: place.x + place.y}", value("total"), "40"},
		"a fill of what is there":           {"{fill: player.lamp, to: \"'low'\"}, {options: player.lamp, map: {dim: bright}}", value("lamp"), "bright"},
		"a drop":                            {"{drop: player.rank, why: it is the guild's}", attic("player.rank"), `{"version":2,"value":"smith","why":"it is the guild's"}`},
		"what no step is about":             {"", attic("player.rank"), `{"version":2,"value":"smith"}`},
		"the record":                        {"{rename: {player.heat: player.warmth}}", func(l *upgrade.Loaded) string { return l.Player.Record.Values["warmth"].Plain() }, "20"},
		"a scene": {"{rename: {scenes.gorge: scenes.lower, scene.visited: scene.seen}}", func(l *upgrade.Loaded) string {
			return l.Player.Scenes["lower"]["seen"].Plain() + " " + l.Player.Entry.String()
		}, "true lower (10, 4) north"},
		"a scene split in two": {"{place: gorge, in: {y: [0, 24]}, to: upper}, {place: gorge, to: lower, by: [0, -24]}", func(l *upgrade.Loaded) string {
			return l.Player.Place.String() + "; " + l.Player.Waymarks["camp"].String()
		}, "lower (10, 6) north; upper (1, 1) north"},
		"a scene at another scale":     {"{place: gorge, to: lower, scale: 0.5, by: [1, 0]}", func(l *upgrade.Loaded) string { return l.Player.Place.String() }, "lower (6, 15) north"},
		"a scene that becomes a spot":  {"{place: gorge, to: hut/door}", func(l *upgrade.Loaded) string { return l.Player.Place.String() }, "hut (5, 0) south"},
		"a checkpoint":                 {"{rename: {checkpoints.shallows: checkpoints.ford}}", func(l *upgrade.Loaded) string { return l.Player.Checkpoint + strings.Join(l.Player.Used, ",") }, "fordford"},
		"a milestone":                  {"{rename: {milestones.over: milestones.crossed}}", func(l *upgrade.Loaded) string { return strings.Join(l.Player.Milestones, ",") }, "crossed"},
		"a standing":                   {"{rename: {standings.carried: standings.hauled}}", func(l *upgrade.Loaded) string { return l.Player.Standings["hauled"].String() }, "12"},
		"a milestone that is given up": {"{drop: milestones.over, why: too easy}", attic("milestones.over"), `{"version":2,"value":true,"why":"too easy"}`},
		"what cannot be told":          {"{convert: player.parcels, to: 1 / (old - 37)}, {rename: {player.parcels: player.loads}}", value("loads"), "0"},
	} {
		t.Run(name, func(t *testing.T) {
			l := opened(t, passAt(t, "{3: ["+row.steps+"]}"), "2", upgrade.Around{})
			assert.Equal(t, row.want, row.see(l))
			assert.Equal(t, 3, l.Player.Version)
			assert.True(t, l.Upgraded())
			r := engine.New(load(t, strings.Replace(pass, "UPGRADES", "{}", 1)))
			_, err := r.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: l.Player})
			require.NoError(t, err, "what was upgraded can be played with")
		})
	}
}

// What was given up by one version comes back through a restore of a later one, whatever it is.
func TestWhatWasGivenUpIsRestored(t *testing.T) {
	given := "2: [{rename: {milestones.over: milestones.crossed, checkpoints.shallows: checkpoints.ford, standings.carried: standings.hauled}}], " +
		"3: [{drop: milestones.crossed, why: too easy}, {drop: checkpoints.ford, why: too near}, {drop: standings.hauled, why: nobody looked}]"
	at := func(version, upgrades string) *upgrade.Loaded {
		c := upgrade.New(load(t, strings.Replace(strings.Replace(pass, "UPGRADES", "{"+upgrades+"}", 1), "version: 3", "version: "+version, 1)))
		return opened(t, c, "1", upgrade.Around{})
	}
	gone := at("3", given)
	assert.Empty(t, gone.Player.Milestones)
	assert.Empty(t, gone.Player.Used)
	assert.Empty(t, gone.Player.Standings)
	assert.Contains(t, string(gone.Player.Attic["milestones.crossed"]), "too easy")
	back := at("4", given+", 4: [{restore: milestones.crossed}, {restore: checkpoints.ford}, {restore: standings.hauled}]")
	assert.Equal(t, []string{"crossed"}, back.Player.Milestones)
	assert.Equal(t, []string{"ford"}, back.Player.Used)
	assert.Equal(t, "12", back.Player.Standings["hauled"].String())
	for _, name := range []string{"milestones.crossed", "checkpoints.ford", "standings.hauled"} {
		assert.NotContains(t, back.Player.Attic, name, "it is in its place again")
	}
	still := at("4", given+", 4: [{restore: milestones.crossed}]")
	assert.Equal(t, []string{"crossed"}, still.Player.Milestones)
	assert.Contains(t, still.Player.Attic, "standings.hauled", "what no step asks for stays in the attic")
}

func TestAChainGoesThroughEveryVersion(t *testing.T) {
	c := passAt(t, "{2: [{rename: {player.heat: player.warm}}, {convert: player.parcels, to: old * 2}], 3: [{rename: {player.warm: player.warmth, player.parcels: player.loads}}, {convert: player.parcels, to: old / 10}]}")
	assert.Equal(t, "7.4", opened(t, c, "1", upgrade.Around{}).Player.Values["loads"].Plain())
	assert.Equal(t, "62.5", opened(t, c, "1", upgrade.Around{}).Player.Values["warmth"].Plain())
	assert.Equal(t, "3.7", opened(t, c, "2", upgrade.Around{}).Player.Values["loads"].Plain())
	again := opened(t, c, "3", upgrade.Around{})
	assert.False(t, again.Upgraded())
	assert.Equal(t, "0", again.Player.Values["loads"].Plain(), "no upgrade is applied twice")
}

func TestRule32WhatWasGivenUpComesBackOnlyByARestore(t *testing.T) {
	give := passAt(t, "{2: [{drop: player.first, why: not used}], 3: []}")
	text := strings.NewReplacer("VERSION", "1", `"rank":"smith"`, `"first":"Ada"`).Replace(old)
	l, err := give.Player([]byte(text), upgrade.Around{})
	require.NoError(t, err)
	assert.Empty(t, l.Player.Values["first"].Plain(), "a name that was dropped and is used again is new")
	raw, err := save.Encode(l.Player)
	require.NoError(t, err)
	for steps, want := range map[string]string{"{restore: player.first}": "Ada", "{restore: player.first, to: old + '!'}": "Ada!"} {
		later := upgrade.New(load(t, strings.NewReplacer("UPGRADES", "{4: ["+steps+"]}", "version: 3", "version: 4").Replace(pass)))
		back, err := later.Player(raw, upgrade.Around{})
		require.NoError(t, err)
		assert.Equal(t, want, back.Player.Values["first"].Plain())
		assert.NotContains(t, back.Player.Attic, "player.first")
	}
}

const oldWorld = `{"alluvion_world":1,"game":"pass","version":2,"values":{"planks":7},"scenes":{"gorge":{"depth":4},"hut":{"depth":9}},"props":{"cache":{"a":{"used":true}}},
 "movables":{"sledge":{"scene":"gorge","at":[10,30]}},"held":{"sledge":"ada"}}`

func TestAWorldIsTakenUpToo(t *testing.T) {
	c := passAt(t, "{3: [{rename: {scenes.gorge: scenes.lower, prop.cache.used: prop.cache.open, movables.sledge: movables.sled, scene.depth: scene.snow}}]}")
	w, err := c.World([]byte(oldWorld), upgrade.Around{})
	require.NoError(t, err)
	assert.Equal(t, "4", w.World.Scenes["lower"]["snow"].Plain())
	assert.Equal(t, "9", w.World.Scenes["hut"]["snow"].Plain())
	assert.Equal(t, "true", w.World.Props["cache"]["a"]["open"].Plain())
	assert.Equal(t, "lower (10, 23.999)", w.World.Movables["sled"].String(), "the nearest point")
	assert.Equal(t, map[string]string{"sled": "ada"}, w.World.Held)
}

func TestAValueMovesToAnotherHolder(t *testing.T) {
	everybody := func(visit func(*save.Loose) error) error {
		for _, loads := range []string{"5", "37", "12"} {
			l, err := save.OpenPlayer([]byte(strings.NewReplacer("VERSION", "2", `"parcels":37`, `"parcels":`+loads).Replace(old)))
			if err != nil {
				return err
			}
			if err := visit(l); err != nil {
				return err
			}
		}
		return nil
	}
	for many, want := range map[string]string{"sum": "54", "max": "37", "min": "5", "first": "5"} {
		c := passAt(t, "{3: [{move: player.parcels, into: game.planks, many: "+many+"}]}")
		w, err := c.World([]byte(oldWorld), upgrade.Around{Players: everybody})
		require.NoError(t, err)
		assert.Equal(t, want, w.World.Values["planks"].Plain(), many)

		// Whoever was upgraded before a world was is still counted.
		up := opened(t, c, "2", upgrade.Around{})
		raw, err := save.Encode(up.Player)
		require.NoError(t, err)
		w, err = c.World([]byte(oldWorld), upgrade.Around{Players: func(visit func(*save.Loose) error) error {
			l, err := save.OpenPlayer(raw)
			if err != nil {
				return err
			}
			return visit(l)
		}})
		require.NoError(t, err)
		assert.Equal(t, "37", w.World.Values["planks"].Plain())
	}

	down := passAt(t, "{3: [{move: game.planks, into: player.total}]}")
	world := func() (*save.LooseWorld, error) { return save.OpenWorld([]byte(oldWorld)) }
	assert.Equal(t, "7", opened(t, down, "2", upgrade.Around{World: world}).Player.Values["total"].Plain())
	w, err := down.World([]byte(oldWorld), upgrade.Around{})
	require.NoError(t, err)
	raw, err := save.Encode(w.World)
	require.NoError(t, err)
	assert.Equal(t, "7", opened(t, down, "2", upgrade.Around{World: func() (*save.LooseWorld, error) { return save.OpenWorld(raw) }}).Player.Values["total"].Plain(), "from a world that was upgraded before")

	up := passAt(t, "{3: [{rename: {scene.depth: scene.snow}}, {move: scene.depth, into: game.deepest, many: max}]}")
	w, err = up.World([]byte(oldWorld), upgrade.Around{})
	require.NoError(t, err)
	assert.Equal(t, "9", w.World.Values["deepest"].Plain())
}

func TestChecksAndInvariantsAreAskedAfterAnUpgrade(t *testing.T) {
	m := load(t, strings.Replace(pass, "UPGRADES", "{3: [{rename: {player.heat: player.warmth}}, {check: player.warmth < 50, why: somebody is warm}]}", 1))
	c := upgrade.New(m)
	l := opened(t, c, "2", upgrade.Around{})
	c.Judge(l, engine.NewJudge(m, nil))
	last := l.Problems[len(l.Problems)-1]
	assert.Equal(t, save.KindImpossible, last.Kind)
	assert.Contains(t, last.Reason, "somebody is warm")
}

// Any steps on any values: nothing panics, and what comes out can be played with and written, and is then the same
// when it is read again.
func FuzzUpgrade(f *testing.F) {
	f.Add(`{"values":{"heat":1}}`, "old / 10", uint8(1))
	f.Add(`{"values":{"parcels":[1,"x"]},"scenes":{"gorge":{"visited":7}}}`, "player.heat + 1", uint8(3))
	f.Add(`{"place":{"scene":"gorge","at":[]},"attic":{"player.first":5}}`, "has(player.badge) ? 1 : 2", uint8(7))
	m := load(f, strings.Replace(pass, "UPGRADES", "{}", 1))
	f.Fuzz(func(t *testing.T, changes, expression string, which uint8) {
		quoted, _ := json.Marshal(expression)
		steps := []string{"{convert: player.parcels, to: " + string(quoted) + "}, {rename: {player.parcels: player.loads}}", "{fill: player.total, to: " + string(quoted) + "}",
			"{split: player.name, into: {player.first: " + string(quoted) + "}}", "{merge: player.last, from: [player.heat, player.name], to: " + string(quoted) + "}",
			"{place: gorge, to: lower, scale: 1000000}", "{rename: {player.name: player.first, scenes.gorge: scenes.hut}}", "{restore: player.first}", "{drop: player.dress, why: x}"}
		text := strings.Replace(pass, "UPGRADES", "{3: ["+steps[int(which)%len(steps)]+"]}", 1)
		c := chainOf(text)
		if c == nil {
			return // the plan says what is wrong with it
		}
		var save1, more map[string]json.RawMessage
		_ = json.Unmarshal([]byte(strings.Replace(old, "VERSION", "2", 1)), &save1)
		if json.Unmarshal([]byte(changes), &more) == nil {
			for k, v := range more {
				save1[k] = v
			}
		}
		raw, _ := json.Marshal(save1)
		l, err := c.Player(raw, upgrade.Around{})
		if err != nil {
			return
		}
		again, err := save.Encode(l.Player)
		if err != nil {
			t.Fatal(err)
		}
		r := engine.New(m)
		if _, err := r.Step(&engine.Request{Do: "join", Player: "x", Slot: 1, Saved: l.Player}); err != nil {
			t.Fatalf("%v\n%s", err, again)
		}
		back, err := c.Player(again, upgrade.Around{})
		if err != nil {
			t.Fatalf("%v\n%s", err, again)
		}
		twice, err := save.Encode(back.Player)
		if err != nil || string(twice) != string(again) {
			t.Fatalf("%v\n%s\n%s", err, again, twice)
		}
	})
}

// What a step of the newest upgrade says is judged as far as the plan alone can; what only the old plan knows, by comparing.
func TestStepsAreJudgedByThePlanAndByTheOldOne(t *testing.T) {
	const old = `alluvion: 1
game: bag
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: entry, leave: exact, new-run: start}}
variables:
  badges: {of: player, type: set, items: {type: choice, choices: [gold, silver, tin]}, read_by: game, written_by: game}
  best: {of: player, type: choice, choices: [gold, silver, tin], start: gold, read_by: game, written_by: game}
scenes: {hut: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
saving: {when: [leave], every: 20s}
`
	next := func(step string) string {
		return strings.NewReplacer("version: 1", "version: 2", ", tin]", "]").Replace(old) + "upgrades: {2: [" + step + "]}\n"
	}
	for step, says := range map[string]string{
		`{convert: player.badges, to: "take(old)"}`:      `There is no function called "take".`,
		`{convert: player.badges, to: "siez(old)"}`:      `There is no function called "siez". Did you mean size?`,
		`{options: player.best, map: {tin: slver}}`:      `player.best has no option called "slver". Did you mean silver?`,
		`{options: player.badges, map: {tin: slver}}`:    `player.badges has no option called "slver". Did you mean silver?`,
		`{options: player.best, map: {tin: none}}`:       "None is no option that another can become",
		`{fill: player.best, to: "'gold' in player.x"}`:  "asked with contains",
		`{convert: player.best, to: "old.sze() > 2"}`:    "There is no function called",
		`{options: player.bst, map: {tin: silver}}`:      `hold nothing called "player.bst"`,
		`{convert: player.best, to: "has(old) ? old :"}`: "cannot be understood",
	} {
		m, _, found := model.Load([]byte(next(step)))
		assert.Nil(t, m, step)
		require.NotEmpty(t, found, step)
		assert.Contains(t, found[0].Message, says, step)
	}
	from, _, _ := model.Load([]byte(old))
	for step, says := range map[string]string{
		`{options: player.best, map: {tn: silver}}`: "player.best had no option tn under version 1. Did you mean tin?",
		`{convert: player.best, to: old * 2}`:       "player.best cannot be told like this under version 1",
	} {
		to, _, found := model.Load([]byte(next(step)))
		require.NotNil(t, to, found)
		c := upgrade.Compare(from, to)
		assert.Equal(t, upgrade.Blocks, c.Overall, step)
		var texts []string
		for _, d := range c.Differences {
			if d.Verdict == upgrade.Blocks {
				texts = append(texts, d.Text)
			}
		}
		require.Len(t, texts, 1, step)
		assert.Contains(t, texts[0], says)
	}
}
