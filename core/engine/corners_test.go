package engine_test

import (
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/internal/worlds"
)

// wharf has what fails after it began: rules that refuse on every kind of moment, fates beyond a limit, props that stand
// over each other, and a stopwatch.
const wharf = `
alluvion: 1
game: wharf
version: 1
start: pier/foot
reach: 3
space: {facings: [north, south]}
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  pair:   {scene: keep, death: keep, leave: keep, new-run: reset}
  prop:   {scene: keep, restart: keep}
  scene:  {scene: keep, restart: keep}
  game:   {restart: keep}
  place:  {death: checkpoint, leave: exact}
variables:
  shaded: {of: scene, type: stopwatch, while: "scene.lit > 0"}
  lit:    {of: scene, type: int, min: 0, max: 9, start: 0}
  full:   {of: player, type: int, min: 0, max: 9, start: 5, at_limit: refuse, across: {death: {set: player.full + 7}}}
  order:  {of: player, type: list, items: text}
  seen:   {of: [player, scene], type: int, min: 0, max: 9, start: 0}
  watch:  {of: player, type: stopwatch, while: player.full > 5}
  tide:   {of: game, type: int, min: 0, max: 99, start: 0}
  banner: {of: player, type: int, min: 0, max: 9, start: 0}
scenes:
  pier:
    size: [40, 20]
    spots: {foot: {at: [2, 2]}, head: {at: [30, 10]}}
    areas: {end: {x: [28, 35], y: [5, 15]}}
  boat:
    size: [20, 10]
    spots: {plank: {at: [1, 1]}}
props: {lamp: {radius: 4, placed: {east: {in: pier, at: [22, 10]}, west: {in: pier, at: [20, 10]}}}}
passages:
  step: {from: pier/head, to: boat/plank, both_ways: true}
checkpoints: {fallback: pier/foot, back_after: 10s, list: {end: {in: pier/end}}}
waymarks: {buoy: {across: {death: rewind}}}
movables: {crate: {start: pier/foot}}
milestones:
  sailor: {progress: player.visits, goal: 30}
  inside: {progress: scenes.boat.seen, goal: 9}
  marked: {progress: "has(player.buoy) ? 1 : 0", goal: 9}
events:
  fall:   {from: self}
  snatch: {from: self}
  grab:   {from: self}
  drop:   {from: self}
  back:   {from: self}
  mark:   {from: self}
  fill:   {args: {by: {type: int, min: 0, max: 9}}, from: self}
  look:   {from: self}
  light:  {from: self}
  lose:   {from: self}
  flood:  {from: server}
rules:
  - {on: fall, do: [{die: player}]}
  - {on: snatch, do: [{take: crate}, {refuse: "It is nailed down."}]}
  - {on: grab, do: [{take: crate}]}
  - {on: drop, do: [{set-down: crate}]}
  - {on: back, do: [{set-down: crate, at: pier/foot}]}
  - {on: mark, do: [{remember: buoy}, {set: player.banner, to: 3}, {add: player.full, by: 9}]}
  - {on: fill, do: [{add: player.full, by: args.by}]}
  - {on: look, do: [{add: scene.seen, by: 1}]}
  - {on: light, do: [{add: scene.lit, by: 1}]}
  - {on: lose, do: [{remember: buoy}, {set: player.banner, to: 3}]}
  - {on: flood, do: [{add: game.tide, by: 1}]}
  - {on: {entered: "prop:lamp"}, do: [{put: player.order, item: "prop == prop.lamp.east ? 'east' : 'west'"}]}
  - {on: joined, do: [{refuse: "Nobody comes in."}]}
  - {on: left, do: [{refuse: "Nobody goes."}]}
  - {on: {every: 30s}, do: [{add: game.tide, by: 90}]}
always:
  - game.tide < 50
saving: {every: 30s, when: [leave]}
`

// What a refused event did is taken back whatever it was: a movable that was taken, a place that was remembered, and the
// number of the request, which can be sent again.
func TestRule10ARefusedEventLeavesNothing(t *testing.T) {
	w := open(t, wharf)
	w.join("ada")
	w.refused(w.self("ada", "snatch"), engine.Refused, "nailed down")
	holder, at := w.run.Thing(0)
	assert.Nil(t, holder)
	assert.Equal(t, "pier (2, 2)", w.run.PlaceText(at))
	w.refused(w.self("ada", "mark"), engine.Refused, "full")
	assert.Empty(t, w.run.Waymarks("ada"))
	w.is("ada", "banner", "0")
	require.Error(t, w.do(engine.Request{Do: "event", Player: "ada", Name: "snatch", Number: 7}))
	assert.Zero(t, w.run.Number("ada"))
	w.must(engine.Request{Do: "event", Player: "ada", Name: "grab", Number: 7})
	assert.EqualValues(t, 7, w.run.Number("ada"))
}

// A movable has no facing, and what is where it is to be is not moved.
func TestAMovableThatIsSetDownFacesNowhere(t *testing.T) {
	w := open(t, wharf)
	w.join("ada")
	require.NoError(t, w.self("ada", "grab"))
	w.must(engine.Request{Do: "move", Player: "ada", To: []fixed.Num{fixed.Must("2"), fixed.Must("2")}, Facing: "south"})
	require.NoError(t, w.self("ada", "drop"))
	_, at := w.run.Thing(0)
	assert.Empty(t, at.Facing)
	require.NoError(t, w.self("ada", "grab"))
	require.NoError(t, w.self("ada", "back"))
	assert.Equal(t, []string{"movables.crate"}, w.changed())
}

// Nobody is kept out or in by a rule that refuses; a timer holds, also where it breaks what should always hold, and that is
// reported.
func TestRule10NothingRefusesJoiningLeavingAndTimers(t *testing.T) {
	w := open(t, wharf)
	w.join("ada")
	assert.Contains(t, w.notice("undone"), "Nobody comes in.")
	require.NotNil(t, w.leave("ada"))
	assert.Contains(t, w.notice("undone"), "Nobody goes.")
	w.join("ada")
	res := w.run.Advance(30_000)
	w.is("", "tide", "90")
	require.Len(t, res.Notices, 1)
	assert.Equal(t, "breach", res.Notices[0].Kind)
	assert.Contains(t, res.Notices[0].Text, "game.tide < 50")
}

func (w *world) notice(kind string) string {
	for _, n := range w.res.Notices {
		if n.Kind == kind {
			return n.Text
		}
	}
	return ""
}

// A fate cannot be refused: where it sets more than fits, it sets the most that does.
func TestRule14AFateGoesToTheLimit(t *testing.T) {
	w := open(t, wharf)
	w.join("ada")
	w.refused(w.self("ada", "fill", "by", 9), engine.Refused, "full")
	require.NoError(t, w.self("ada", "fall"))
	w.run.Advance(10_000)
	w.is("ada", "full", "9")
}

// Props that stand over each other are entered in the order of the plan, whatever side one comes from.
func TestRule20PropsAreEnteredInTheOrderOfThePlan(t *testing.T) {
	w := open(t, wharf)
	w.join("ada")
	w.move("ada", "21", "10")
	w.is("ada", "order", "[east, west]")
	figures := w.run.Figures("ada")
	at := slices.IndexFunc(figures, func(f engine.Figure) bool { return f.Var.ID == "order" })
	require.Len(t, figures[at].Value.Items(), 2)
}

// What the run is asked for while it goes on: who is dead, the checkpoint reached, pairs, and a stopwatch that runs.
func TestWhatARunSaysOfAPlayer(t *testing.T) {
	w := open(t, wharf)
	w.join("ada")
	dead, point := w.run.State("ada")
	assert.False(t, dead)
	assert.Empty(t, point)
	w.move("ada", "30", "10")
	_, point = w.run.State("ada")
	assert.Equal(t, "end", point)
	require.NoError(t, w.self("ada", "look"))
	pairs := w.run.Now()[0].Pairs()
	require.Len(t, pairs, 1)
	assert.Equal(t, w.m.Scene("pier").Index, pairs[0].At)

	watch := w.m.Var("player.watch")
	_, runs := w.run.ValueOf(watch, w.run.Now()[0], -1)
	assert.False(t, runs, "it waits for more than 5")
	w.at = 4_000
	require.NoError(t, w.self("ada", "fill", "by", 1))
	zero, runs := w.run.ValueOf(watch, w.run.Now()[0], -1)
	assert.True(t, runs)
	assert.Equal(t, "4", zero.String())
	w.at = 6_000
	require.NoError(t, w.self("ada", "fall"))
	w.run.Advance(16_000)
	require.NoError(t, w.do(engine.Request{Do: "start-over", Player: "ada"}))
	assert.Empty(t, w.run.Waymarks("ada"))
}

// Who starts over is alive, and that is a change.
func TestStartingOverWhileDeadIsAChange(t *testing.T) {
	w := open(t, wharf)
	w.join("ada")
	require.NoError(t, w.self("ada", "fall"))
	w.must(engine.Request{Do: "start-over", Player: "ada"})
	for _, c := range w.res.Changes {
		if c.Name == "player.dead" {
			assert.Equal(t, "true false", c.From.Plain()+" "+c.To.Plain())
			return
		}
	}
	assert.Fail(t, "nothing says that ada is alive again", "%v", w.changed())
}

// A checkpoint that was a spot when it was saved and is an area now brings nobody back: nobody knows where in it.
func TestACheckpointThatBecameAnAreaIsNotReached(t *testing.T) {
	w := open(t, wharf)
	w.join("ada")
	w.move("ada", "30", "10")
	saved := w.leave("ada")
	require.NotNil(t, saved.Back)
	saved.Back = nil
	w.back("ada", saved)
	_, point := w.run.State("ada")
	assert.Empty(t, point)
}

// Who joins later has their own timers from then on.
func TestRule7TimersOfWhoJoinsLaterAreKnown(t *testing.T) {
	w := open(t, quay)
	w.join("ada")
	due, _ := w.run.Due()
	assert.EqualValues(t, 10_000, due)
	w.run.Advance(4_000)
	w.at = 4_000
	w.join("bob")
	w.run.Advance(13_999)
	w.is("bob", "turns", "0")
	w.run.Advance(14_000)
	assert.NotEqual(t, "0", w.value("bob", "turns"))
}

// Whoever comes and goes ten thousand times leaves no timers behind.
func TestTimersOfWhoHasLeftAreForgotten(t *testing.T) {
	w := open(t, quay)
	for i := range 10_000 {
		w.at = int64(i)
		w.join("ada")
		w.leave("ada")
	}
	assert.Less(t, w.run.Waiting(), 100)
	w.at = 20_000
	w.join("bob")
	w.run.Advance(30_000)
	assert.NotEqual(t, "0", w.value("bob", "turns"))
}

// Of a save, everything is asked that is asked of who is present.
func TestMilestonesOfASaveAreThoseOfWhoIsPresent(t *testing.T) {
	m := load(t, wharf)
	judge := engine.NewJudge(m, nil)
	doc := &save.Player{Player: "ada", Slot: 1, Visits: 2, Place: save.Place{Scene: "pier", At: []fixed.Num{fixed.Must("2"), fixed.Must("2")}},
		Scenes:   map[string]save.Values{"boat": {"seen": types.OfInt(2)}},
		Waymarks: map[string]save.Place{"buoy": {Scene: "pier", At: []fixed.Num{fixed.Must("2"), fixed.Must("2")}}}}
	reached := func(doc *save.Player) (out []string) {
		for _, p := range judge.Milestones(doc) {
			out = append(out, p.Milestone.ID+" "+p.Reached.Plain())
		}
		return out
	}
	assert.Equal(t, []string{"sailor 3", "inside 2", "marked 1"}, reached(doc))
	other := *doc
	other.Visits, other.Scenes, other.Waymarks = 7, nil, nil
	assert.Equal(t, []string{"sailor 8", "inside 0", "marked 0"}, reached(&other), "nothing of the other is left")
}

// The ledger knows whom a change is of, and takes whoever asked with them.
func TestRule30TheLedgerKnowsWhoChanged(t *testing.T) {
	w := open(t, wharf)
	w.join("ada")
	w.join("bob")
	var l engine.Ledger
	require.NoError(t, w.self("ada", "fill", "by", 0))
	l.Note(w.run, w.res.Changes, "ada")
	assert.Equal(t, []string{"ada"}, l.Players(w.run))
	assert.False(t, l.World(w.run))
	require.NoError(t, w.server("flood"))
	l.Note(w.run, w.res.Changes, "")
	assert.Equal(t, []string{"ada"}, l.Players(w.run))
	assert.True(t, l.World(w.run))
	l.Forget("ada")
	l.Note(w.run, nil, "cid")
	assert.Empty(t, l.Players(w.run), "who is not there has not changed")
}

// A stopwatch of scenes counts in each scene by itself, only while its condition holds there.
func TestAStopwatchOfScenesCountsInEachByItself(t *testing.T) {
	w := open(t, wharf)
	w.join("ada")
	w.at = 1_000
	require.NoError(t, w.self("ada", "light"))
	w.at = 4_000
	w.must(engine.Request{Do: "move", Player: "ada", To: []fixed.Num{fixed.Must("2"), fixed.Must("2")}})
	assert.Equal(t, "3", w.value("pier", "shaded"))
	assert.Equal(t, "0", w.value("boat", "shaded"))
}

// What a fate does to a waymark says so, and the checkpoint reached has a fate of its own.
func TestFatesSayWhatTheyDid(t *testing.T) {
	w := open(t, strings.Replace(wharf, "list: {end: {in: pier/end}}", "across: {death: reset}, list: {end: {in: pier/end}}", 1))
	w.join("ada")
	w.move("ada", "30", "10")
	_, point := w.run.State("ada")
	require.Equal(t, "end", point)
	require.NoError(t, w.self("ada", "lose"))
	require.NoError(t, w.self("ada", "fall"))
	res := w.run.Advance(w.at + 10_000)
	var causes []string
	for _, c := range res.Changes {
		causes = append(causes, c.Name+" "+c.Cause.String())
	}
	assert.Contains(t, causes, "player.buoy death: rewind")
	assert.Contains(t, causes, "player.checkpoint death: reset")
	_, point = w.run.State("ada")
	assert.Empty(t, point)
}

// What an upgrade checks may read all that a save has, also what is held for scenes.
func TestAJudgeAsksTheChecksOfAnUpgradeOfPairs(t *testing.T) {
	m := load(t, strings.NewReplacer("version: 1", "version: 2", "always:\n  - game.tide < 50\n", "").Replace(wharf)+"upgrades: {2: [{check: scenes.boat.seen < 2, why: Too often.}]}\n")
	doc := &save.Player{Player: "ada", Slot: 1, Place: save.Place{Scene: "pier", At: []fixed.Num{fixed.Must("2"), fixed.Must("2")}},
		Scenes: map[string]save.Values{"boat": {"seen": types.OfInt(2)}}}
	judge := engine.NewJudge(m, nil)
	require.Len(t, judge.Player(doc, true), 1)
	assert.Equal(t, "Too often.", judge.Player(doc, true)[0].Text)
	assert.Empty(t, judge.Player(doc, false))
	doc.Scenes = nil
	assert.Empty(t, judge.Player(doc, true))
}

// What the plan saves on death is saved when the player is back, with all that coming back did.
func TestWhoComesBackIsSavedWhereThePlanSavesOnDeath(t *testing.T) {
	m := worlds.Load(t, strings.Replace(worlds.Camp, "when: [checkpoint, scene, leave]", "when: [death]", 1))
	r := engine.New(m)
	_, err := r.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1})
	require.NoError(t, err)
	require.Empty(t, r.Checkpoints("ada"))
	require.Empty(t, r.Checkpoints("nobody"))
	_, err = r.Step(&engine.Request{Do: "touch", Player: "ada", Name: "bed"})
	require.NoError(t, err)
	assert.Equal(t, []string{"bed"}, r.Checkpoints("ada"))
	res, err := r.Step(&engine.Request{Do: "die", Player: "ada", Server: true})
	require.NoError(t, err)
	assert.Empty(t, res.Saves, "they are not back yet")
	back := r.Advance(2000)
	require.Len(t, back.Saves, 1)
	assert.Equal(t, engine.SaveMoment{Player: "ada", Moment: "death"}, back.Saves[0])
}

// Who is to come back at one time comes back in the order of their ids, whoever died first.
func TestWhoComesBackAtOneTimeDoesSoByID(t *testing.T) {
	m := worlds.Load(t, worlds.Camp)
	r := engine.New(m)
	for _, id := range []string{"cid", "ada", "bob"} {
		_, err := r.Step(&engine.Request{Do: "join", Player: id, Slot: 1})
		require.NoError(t, err)
	}
	for _, id := range []string{"bob", "cid", "ada"} {
		_, err := r.Step(&engine.Request{Do: "die", Player: id, Server: true, At: 10})
		require.NoError(t, err)
	}
	var back []string
	for _, n := range r.Advance(5000).Notices {
		if n.Kind == "came-back" {
			back = append(back, n.Player)
		}
	}
	assert.Equal(t, []string{"ada", "bob", "cid"}, back)
}

// An empty table of a save is nothing that was ever changed: it comes into being no more than what is left out.
func TestAnEmptyTableOfASaveIsNothing(t *testing.T) {
	m := worlds.Load(t, worlds.Cabin)
	first := engine.New(m)
	_, err := first.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1})
	require.NoError(t, err)
	saved := first.Save("ada")
	saved.World.Props = save.Props{"chest": {"red": {}, "blue": {"opened": types.OfBool(true)}}}
	saved.Scenes = map[string]save.Values{"room": {}, "garden": {"steps": types.OfInt(4)}}
	saved.Props = save.Props{"chest": {"green": {}}}
	r := engine.New(m)
	_, err = r.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: saved})
	require.NoError(t, err)
	assert.Len(t, r.PropCopies(), 1, "the blue chest")
	again := r.Save("ada")
	assert.Equal(t, []string{"blue"}, slices.Sorted(maps.Keys(again.World.Props["chest"])))
	assert.NotContains(t, again.Scenes, "room")
	assert.Empty(t, again.Props)
}
