package engine_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// quay has timers of the session and of players, invariants over what moves, fates in certain scenes only, a checkpoint
// that is an area, and two ways between its scenes.
const quay = `
alluvion: 1
game: quay
version: 1
start: dock/steps
reach: 3
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  pair:   {scene: keep}
  scene:  {scene: keep, restart: keep}
  game:   {restart: keep}
  place:  {death: checkpoint, leave: exact}
variables:
  turns:  {of: player, type: int, min: 0, max: 9999, start: 0}
  turn:   {of: game, type: int, min: 0, max: 9999, start: 0}
  deaths: {of: player, type: int, min: 0, max: 99, start: 0}
  back:   {of: player, type: int, min: 0, max: 9999, start: 0}
  wet:    {of: player, type: int, min: 0, max: 9, start: 0, across: {scene: reset}}
  crates: {of: scene, type: int, min: 0, max: 9, start: 5, across: {scene: reset}}
  rope:   {of: [player, scene], in: [dock], type: int, min: 0, max: 9, start: 0}
scenes:
  dock: {size: [40, 20], spots: {steps: {at: [2, 2]}, crane: {at: [30, 10]}}, areas: {berth: {x: [25, 35], y: [5, 15]}}}
  ship: {size: [20, 10], spots: {plank: {at: [1, 1]}, hold: {at: [15, 8]}}}
passages:
  gangway: {from: dock/crane, to: ship/plank, both_ways: true}
checkpoints: {fallback: dock/steps, back_after: 10s, list: {berth: {in: dock/berth, again: true}}}
movables: {barrel: {start: dock/steps}, chest: {start: ship/hold}}
always:
  - movables.barrel.place.scene == 'dock'
  - "player.wet <= 8"
events:
  fall:   {from: self}
  soak:   {args: {by: {type: int, min: 0, max: 9}}, from: self}
  grab:   {from: self}
  haul:   {from: self}
  drop:   {from: self}
  storm:  {from: server}
rules:
  - {on: {every: {time: 10s, of: player}}, do: [{add: game.turn, by: 1}, {set: player.turns, to: game.turn}]}
  - {on: {every: 10s}, do: [{add: game.turn, by: 100}]}
  - {on: came-back, do: [{set: player.back, to: game.turn}]}
  - {on: fall, do: [{die: player}]}
  - {on: died, do: [{add: player.deaths, by: 1}]}
  - {on: soak, do: [{add: player.wet, by: args.by}]}
  - {on: grab, do: [{take: barrel}]}
  - {on: haul, do: [{add: scene.crates, by: -1}, {add: scene.rope, by: 1}]}
  - {on: drop, do: [{set-down: barrel}]}
  - {on: storm, do: [{set: game.turn, to: 0}]}
saving: {every: 30s, when: [leave]}
`

// Of what is due at once, dead players come back first, then timers run by their place in the plan and by the player's id.
func TestRule7OfWhatIsDueAtOnceTheDeadComeFirst(t *testing.T) {
	w := open(t, quay)
	for _, id := range []string{"cid", "ada", "bob"} { // not in the order of their ids
		w.join(id)
	}
	w.must(engine.Request{Do: "event", Player: "bob", Name: "fall"})
	w.run.Advance(9_999)
	assert.Equal(t, "0", w.value("ada", "turns"))
	w.run.Advance(10_000)
	w.is("bob", "back", "0") // before any timer ran
	w.is("ada", "turns", "1")
	w.is("bob", "turns", "2")
	w.is("cid", "turns", "3")
	assert.Equal(t, "103", w.value("", "turn")) // the session's own timer stands behind theirs in the plan
}

// What always holds is asked of what moves, too, whoever moves it.
func TestRule10AlwaysIsAskedOfMovables(t *testing.T) {
	w := open(t, quay)
	w.join("ada")
	w.refused(w.self("ada", "soak", "by", 9), engine.Refused, "always")
	require.NoError(t, w.self("ada", "soak", "by", 8))
	w.is("ada", "wet", "8")
	require.NoError(t, w.self("ada", "grab"))
	w.at = 20_000
	w.move("ada", "30", "10")
	w.refused(w.do(engine.Request{Do: "pass", Player: "ada", Name: "gangway"}), engine.Refused, "always")
	w.is("ada", "wet", "8")
}

// A fate of what only some scenes have is theirs alone, and that of a scene applies when the last one leaves it.
func TestFatesOfCertainScenesAreTheirsAlone(t *testing.T) {
	w := open(t, quay)
	w.join("ada")
	w.join("bob")
	require.NoError(t, w.self("ada", "haul"))
	assert.Equal(t, "4", w.value("dock", "crates"))
	assert.Equal(t, "1", rope(w))
	w.at = 20_000
	w.move("ada", "30", "10")
	w.pass("ada", "gangway")
	assert.Equal(t, "4", w.value("dock", "crates"), "bob is still there")
	assert.Equal(t, "1", rope(w), "it is kept")
	require.Error(t, w.self("ada", "haul"), "there is no rope on the ship")
	w.at = 40_000
	w.move("bob", "30", "10")
	w.pass("bob", "gangway")
	assert.Equal(t, "5", w.value("dock", "crates"), "the last one has left")
}

// rope is what ada has of it at the dock.
func rope(w *world) string {
	for _, f := range w.run.Figures("ada") {
		if f.Var.Name == "scene.rope" && f.Scene == "dock" {
			return f.Value.Plain()
		}
	}
	return "-"
}

// A checkpoint that is an area, with again: each time that it is entered it is reached, and remembers where.
func TestAnAreaThatCountsAgainRemembersWhereItWasEnteredLast(t *testing.T) {
	w := open(t, quay)
	w.join("ada")
	w.at = 20_000
	w.move("ada", "26", "6")
	assert.True(t, w.told("checkpoint"))
	first := w.run.Save("ada")
	require.NotNil(t, first.Back)
	assert.Equal(t, "berth", first.Checkpoint)
	w.at = 22_000
	w.move("ada", "20", "6")
	w.at = 24_000
	w.move("ada", "34", "14")
	assert.True(t, w.told("checkpoint"), "again")
	second := w.run.Save("ada")
	assert.NotEqual(t, first.Back.String(), second.Back.String())
	w.at = 25_000
	require.NoError(t, w.self("ada", "fall"))
	w.run.Advance(35_000)
	assert.Equal(t, second.Back.String(), w.run.Save("ada").Place.String(), "and there the dead come back")
}

func TestWhoStandsBeforeAPassageOnEitherSide(t *testing.T) {
	w := open(t, quay)
	w.join("ada")
	gangway := w.m.Passages[0]
	assert.False(t, w.run.StandsBefore("ada", gangway))
	assert.False(t, w.run.StandsBefore("nobody", gangway))
	w.at = 20_000
	w.move("ada", "28", "10")
	assert.True(t, w.run.StandsBefore("ada", gangway))
	w.pass("ada", "gangway")
	assert.True(t, w.run.StandsBefore("ada", gangway), "there is a way back")
	w.at = 40_000
	w.move("ada", "15", "8")
	assert.False(t, w.run.StandsBefore("ada", gangway))
}

// The ledger knows who and what has changed since the last cut, and cuts all of it together.
func TestALedgerCutsAllThatChanged(t *testing.T) {
	w := open(t, quay)
	var l engine.Ledger
	for _, id := range []string{"cid", "ada", "bob"} {
		w.join(id)
		l.Note(w.run, w.res.Changes, id)
	}
	assert.Equal(t, []string{"ada", "bob", "cid"}, l.Players(w.run), "in order")
	_, ok := l.Cut(w.run, nil, nil, false)
	assert.False(t, ok, "there is no moment to save")
	assert.Len(t, l.Players(w.run), 3, "so all of it is still to be written")
	c, ok := l.Cut(w.run, []engine.SaveMoment{{Player: "ada", Moment: "checkpoint"}}, nil, true)
	require.True(t, ok)
	moments := map[string]string{}
	for _, p := range c.Parts {
		moments[p.Doc.Player] = p.Moment
		assert.False(t, p.Left)
	}
	assert.Equal(t, map[string]string{"ada": "checkpoint", "bob": "", "cid": ""}, moments)
	assert.Equal(t, []string{"bob", "cid"}, l.Players(w.run), "recovery state is no save")
	assert.False(t, l.World(w.run))

	c, ok = l.Cut(w.run, []engine.SaveMoment{{Player: "ada", Moment: "every"}}, nil, true)
	require.True(t, ok)
	assert.Nil(t, c.World, "nothing in it has changed")
	require.Len(t, c.Parts, 1)

	require.NoError(t, w.server("storm"))
	l.Note(w.run, []engine.Change{{Name: "game.turn"}}, "")
	assert.True(t, l.World(w.run))
	assert.Equal(t, []string{"bob", "cid"}, l.Players(w.run))
	left := w.leave("bob")
	l.Changed("bob")
	c, ok = l.Cut(w.run, nil, []*save.Player{left}, true)
	require.True(t, ok)
	require.NotNil(t, c.World)
	require.Len(t, c.Parts, 1)
	assert.True(t, c.Parts[0].Left)
	assert.Equal(t, []string{"cid"}, l.Players(w.run), "who has left is not written twice")

	// What somebody holds is where they are: their moves change the world.
	require.NoError(t, w.self("ada", "grab"))
	l.Cut(w.run, []engine.SaveMoment{{Player: "ada", Moment: "every"}}, nil, true)
	l.Note(w.run, nil, "cid")
	assert.False(t, l.World(w.run))
	l.Note(w.run, nil, "ada")
	assert.True(t, l.World(w.run))
	assert.Equal(t, []string{"ada", "cid"}, l.Players(w.run))
	l.Forget("cid")
	assert.Equal(t, []string{"ada"}, l.Players(w.run))
	_, ok = l.Cut(w.run, []engine.SaveMoment{{Moment: "world"}}, nil, true)
	assert.True(t, ok)
}

// A judge asks of a save what always holds of it as it stands: what reads the world only where the world is known.
func TestAJudgeAsksOfSavesWhatAlwaysHolds(t *testing.T) {
	w := open(t, quay)
	w.join("ada")
	s := w.run.Save("ada")
	j := engine.NewJudge(w.m, nil)
	assert.Empty(t, j.Player(s, false))
	s.Values["wet"] = types.OfInt(9)
	broken := j.Player(s, false)
	require.Len(t, broken, 1)
	assert.Contains(t, broken[0].Text, "player.wet <= 8")
	assert.False(t, broken[0].Check)
	assert.Positive(t, broken[0].Line)

	world := w.run.World()
	world.Movables["barrel"] = save.Place{Scene: "ship", At: s.Place.At}
	s.Values["wet"] = types.OfInt(1)
	assert.Empty(t, j.Player(s, false), "what it knows nothing of it does not ask")
	broken = engine.NewJudge(w.m, world).Player(s, false)
	require.Len(t, broken, 1)
	assert.Contains(t, broken[0].Text, "movables.barrel.place.scene")

	// Of a plan that asks nothing but variables, and of one that asks where somebody is or what follows from others.
	for text, wrong := range map[string]bool{"player.turns <= 3": true, "place.scene == 'dock'": false, "place.scene == 'ship'": true, "player.dead || player.turns > 3": false} {
		m := load(t, changed(quay, "  - movables.barrel.place.scene == 'dock'\n  - \"player.wet <= 8\"\n", "  - \""+text+"\"\n"))
		s.Values["turns"] = types.OfInt(4)
		assert.Equal(t, wrong, len(engine.NewJudge(m, nil).Player(s, true)) == 1, text)
	}
	quiet := load(t, changed(quay, "always:\n  - movables.barrel.place.scene == 'dock'\n  - \"player.wet <= 8\"\n", ""))
	assert.Empty(t, engine.NewJudge(quiet, nil).Player(s, true))
}

// A checkpoint whose own rule refuses is not reached: nothing of it stays.
func TestRule9ACheckpointWhoseRuleRefusesIsNotReached(t *testing.T) {
	w := open(t, changed(changed(quay, "list: {berth: {in: dock/berth, again: true}}", "list: {crane: {at: dock/crane}}"), "  - {on: came-back,", "  - {on: {checkpoint: crane}, do: [{refuse: Not today.}]}\n  - {on: came-back,"))
	w.join("ada")
	w.at = 20_000
	w.move("ada", "30", "12")
	before := w.run.Digest()
	w.refused(w.do(engine.Request{Do: "touch", Player: "ada", Name: "crane"}), engine.Refused, "Not today.")
	require.Error(t, w.do(engine.Request{Do: "touch", Player: "ada", Name: "crane"}))
	assert.Equal(t, before, w.run.Digest())
	s := w.run.Save("ada")
	assert.Empty(t, s.Checkpoint)
	assert.Empty(t, s.Used)
}

// An id may be as long as it is said, and not longer.
func TestAnIdHasUpToSixtyFourBytes(t *testing.T) {
	r := engine.New(load(t, quay))
	_, err := r.Step(&engine.Request{Do: "join", Player: strings.Repeat("a", 64), Slot: 1})
	require.NoError(t, err)
	_, err = r.Step(&engine.Request{Do: "join", Player: strings.Repeat("b", 65), Slot: 1})
	require.ErrorContains(t, err, "1 to 64 bytes")
}

// What differs from its start is asked of each variable by itself: of pairs that hold something else nothing is said.
func TestOnlyWhatWasChangedDiffersFromItsStart(t *testing.T) {
	m := load(t, `
alluvion: 1
game: pairs
version: 1
start: a/one
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, scene: {scene: keep, restart: keep}, prop: {scene: keep, restart: keep}, place: {death: stay, leave: exact}}
variables:
  seen:   {of: [player, scene], type: bool, start: false}
  opened: {of: [player, prop:box], type: bool, start: false}
  dusty:  {of: prop:box, type: bool, start: false}
  lit:    {of: scene, type: bool, start: false}
scenes: {a: {size: [9, 9], spots: {one: {at: [1, 1]}}}}
props: {box: {placed: {left: a/one}}}
events: {open: {args: {box: prop:box}, from: self}, dust: {args: {box: prop:box}, from: self}, light: {from: self}}
rules:
  - {on: open, do: [{set: args.box.opened, to: true}]}
  - {on: dust, do: [{set: args.box.dusty, to: true}]}
  - {on: light, do: [{set: scene.lit, to: true}]}
saving: {every: 30s}
`)
	box := map[bool]map[string]types.Value{true: {"box": types.OfText("left")}}
	for event, name := range map[string]string{"open": "prop.box.opened", "dust": "prop.box.dusty", "light": "scene.lit"} {
		r := engine.New(m)
		for _, req := range []engine.Request{{Do: "join", Player: "ada", Slot: 1}, {Do: "event", Name: event, Player: "ada", Args: box[event != "light"]}} {
			_, err := r.Step(&req)
			require.NoError(t, err, event)
		}
		for _, v := range m.Vars {
			assert.Equal(t, strings.HasSuffix(name, "."+v.ID), r.Differs(v), "%s after %s", v.Name, event)
		}
	}
}

// solo is a game for one player in which an action stands within another.
const solo = `
alluvion: 1
game: solo
version: 1
start: a/one
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  scene:  {scene: keep, restart: keep, death: keep, new-run: reset}
  place:  {death: stay, leave: exact}
variables:
  n:    {of: player, type: int, min: 0, max: 9, start: 4}
scenes: {a: {size: [9, 9], spots: {one: {at: [1, 1]}}}}
checkpoints: {fallback: a/one, back_after: 0s}
events: {no: {from: self}}
rules:
  - on: no
    do:
      - if: player.n > 0
        do:
          - {refuse: Not at all.}
saving: {every: 30s}
session: {players: 1}
`

// A refusal says where the action stands that refuses, and not the one around it; who traces a session hears of the rule.
func TestARefusalSaysWhereTheActionStands(t *testing.T) {
	r := engine.New(load(t, solo))
	var acted []int
	r.Trace(func(rule *model.Rule) { acted = append(acted, rule.Number) })
	_, err := r.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1})
	require.NoError(t, err)
	_, err = r.Step(&engine.Request{Do: "event", Name: "no", Player: "ada"})
	var refusal *engine.Refusal
	require.ErrorAs(t, err, &refusal)
	assert.Equal(t, 1, refusal.Rule)
	lines := strings.Split(solo, "\n")
	assert.Contains(t, lines[refusal.Line-1], "refuse: Not at all.")
	assert.Equal(t, []int{1}, acted)
}

// Who is forgotten is not written with those who changed something together with them.
func TestWhoIsForgottenIsInNobodysCut(t *testing.T) {
	m := load(t, quay)
	r := engine.New(m)
	var l engine.Ledger
	for _, id := range []string{"ada", "bob"} {
		res, err := r.Step(&engine.Request{Do: "join", Player: id, Slot: 1})
		require.NoError(t, err)
		l.Note(r, res.Changes, id)
	}
	together := []engine.Change{{Player: "ada", Name: "player.wet"}, {Player: "bob", Name: "player.wet"}}
	l.Note(r, together, "ada")
	l.Forget("bob")
	cut, ok := l.Cut(r, []engine.SaveMoment{{Player: "ada", Moment: "every"}}, nil, false)
	require.True(t, ok)
	require.Len(t, cut.Parts, 1)
	assert.Equal(t, "ada", cut.Parts[0].Doc.Player)
}
