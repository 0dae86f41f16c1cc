package engine_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// The plan for the tests of what a search reads from a session: totals, values that are kept at a crossing, the result of
// each transaction, and what a lens shows.
const hoard = `
alluvion: 1
game: hoard
version: 1
start: hall/door
lists: {ware: [rice, tea, salt]}
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  pair:   {scene: keep, death: keep, leave: keep, new-run: reset}
  scene:  {scene: keep, restart: keep}
  game:   {restart: keep}
  prop:   {scene: keep, restart: keep}
  place:  {death: checkpoint, leave: exact}
variables:
  coins: {of: player, type: int, min: -9, max: 9, start: 3, across: {death: reset}}
  own:   {of: [player, ware], type: int, min: 0, max: 9, start: 1}
  been:  {of: [player, scene], in: [hall], type: int, min: 0, max: 9, start: 2}
  till:  {of: game, type: int, min: 0, max: 9, start: 5}
  oil:   {of: scene, type: int, min: 0, max: 9, start: 1}
  gold:  {of: "prop:chest", type: int, min: 0, max: 9, start: 2}
  stock: {of: ware, type: int, min: 0, max: 9, start: 4}
  seed:  {of: player, type: bool, start: false}
scenes:
  hall: {size: [10, 10], spots: {door: {at: [1, 1]}}}
  loft: {size: [10, 10]}
props: {chest: {placed: {one: {in: hall, at: [2, 2]}, two: {in: loft, at: [2, 2]}}}}
checkpoints: {fallback: hall/door, back_after: 5s}
events:
  spend: {from: self}
  fill:  {args: {chest: prop:chest}, from: server}
  buy:   {args: {what: ware}, from: self}
rules:
  - {on: spend, do: [{add: player.coins, by: -1}, {add: game.till, by: 1}, {set: player.seed, to: true}]}
  - {on: fill, do: [{add: args.chest.gold, by: 3}]}
  - {on: buy, do: [{add: args.what.own, by: 2}, {add: args.what.stock, by: -1}]}
  - {on: {every: 10s}, do: [{add: game.till, by: -1}]}
saving: {when: [leave]}
session: {players: 4}
`

func searchedPlan(t *testing.T) (*model.Model, *engine.Run, func(engine.Request)) {
	m, _, found := model.Load([]byte(hoard))
	require.False(t, found.Errors(), "%v", found)
	r := engine.New(m)
	ask := func(req engine.Request) {
		req.At = r.Clock()
		_, err := r.Step(&req)
		require.NoError(t, err)
	}
	ask(engine.Request{Do: "join", Player: "ada", Slot: 1})
	ask(engine.Request{Do: "join", Player: "bo", Slot: 1})
	return m, r, ask
}

func TestASumIsOverAllThatHaveAVariable(t *testing.T) {
	m, r, ask := searchedPlan(t)
	sums := func() map[string]string {
		out := map[string]string{}
		for _, v := range m.Vars {
			if v.Type.Numeric() {
				out[v.Name] = r.Sum(v).String()
			}
		}
		return out
	}
	names := map[string]string{"player.coins": "6", "ware.own": "6", "scene.been": "4", "game.till": "5", "scene.oil": "2",
		"prop.chest.gold": "4", "ware.stock": "12"}
	assert.Equal(t, names, sums())
	ask(engine.Request{Do: "event", Player: "ada", Name: "spend"})
	ask(engine.Request{Do: "event", Server: true, Name: "fill", Args: map[string]types.Value{"chest": types.OfText("two")}})
	ask(engine.Request{Do: "event", Player: "bo", Name: "buy", Args: map[string]types.Value{"what": types.OfText("tea")}})
	names["player.coins"], names["game.till"], names["prop.chest.gold"] = "5", "6", "7"
	names["ware.own"], names["ware.stock"] = "8", "11"
	assert.Equal(t, names, sums())
	ask(engine.Request{Do: "leave", Player: "bo"})
	assert.Equal(t, "2", r.Sum(m.Var("player.coins")).String())
}

func TestKeepersAreWhatWouldBeLostOtherwise(t *testing.T) {
	_, r, ask := searchedPlan(t)
	keepers := func(cross plan.Crossing, player string) []string {
		var out []string
		r.Keepers(cross, player, func(v *model.Var) { out = append(out, v.Name) })
		return out
	}
	assert.Empty(t, keepers(plan.CrossScene, "ada"))
	ask(engine.Request{Do: "event", Player: "ada", Name: "spend"})
	assert.Equal(t, []string{"player.coins", "player.seed"}, keepers(plan.CrossScene, "ada"))
	assert.Empty(t, keepers(plan.CrossScene, "bo"))
	assert.Equal(t, []string{"player.seed"}, keepers(plan.CrossDeath, "ada"), "coins are reset")
	assert.Equal(t, []string{"game.till"}, keepers(plan.CrossRestart, ""))
	ask(engine.Request{Do: "event", Player: "bo", Name: "buy", Args: map[string]types.Value{"what": types.OfText("tea")}})
	assert.Equal(t, []string{"ware.own"}, keepers(plan.CrossDeath, "bo"))
	assert.Equal(t, []string{"game.till", "ware.stock"}, keepers(plan.CrossRestart, ""))
}

func TestEachTransactionIsHeardOfByItself(t *testing.T) {
	_, r, ask := searchedPlan(t)
	var heard [][]string
	r.Settled(func(res *engine.Result) {
		names := []string{}
		for i := range res.Changes {
			names = append(names, res.Changes[i].Name)
		}
		heard = append(heard, names)
	})
	ask(engine.Request{Do: "event", Player: "ada", Name: "spend"})
	assert.Equal(t, [][]string{{"player.coins", "game.till", "player.seed"}}, heard)
	heard = nil
	_, err := r.Step(&engine.Request{Do: "event", Player: "ada", Name: "nothing", At: r.Clock()})
	require.Error(t, err)
	assert.Empty(t, heard, "a refused request is not reported")
	r.Advance(10_000)
	r.Advance(20_000)
	assert.Equal(t, [][]string{{"game.till"}, {"game.till"}}, heard)
}

func TestALensShowsWhatItIsSetTo(t *testing.T) {
	m, r, ask := searchedPlan(t)
	lens := func(names ...string) *engine.Lens {
		l := &engine.Lens{Exact: make([]bool, len(m.Scenes)), Marks: make([]bool, len(m.Waymarks)), Earned: make([]bool, len(m.Milestones))}
		for _, h := range m.Holders {
			var shown []int
			for i, v := range h.Stored {
				if slices.Contains(names, v.Name) {
					shown = append(shown, i)
				}
			}
			l.Slots, l.Most = append(l.Slots, shown), append(l.Most, make([]fixed.Num, len(h.Stored)))
		}
		return l
	}
	coins, till, none := lens("player.coins"), lens("game.till"), lens()
	look := func(l *engine.Lens) string { return string(r.Look(nil, l)) }
	of := func(l *engine.Lens, player string) string { return string(r.LookAt(nil, l, player)) }
	before := []string{look(coins), look(till), look(none), of(coins, "ada"), of(coins, "bo"), of(till, "ada")}
	ask(engine.Request{Do: "event", Player: "ada", Name: "spend"})
	after := []string{look(coins), look(till), look(none), of(coins, "ada"), of(coins, "bo"), of(till, "ada")}
	for i, changed := range []bool{true, true, false, true, false, false} {
		assert.Equal(t, changed, before[i] != after[i], "%d", i)
	}
	assert.Empty(t, of(coins, "cy"))

	type one struct {
		what  uint32
		value string
		start bool
	}
	shows := func(l *engine.Lens) (out []one) {
		r.Shows(l, func(what uint32, v types.Value, start bool) { out = append(out, one{what, v.String(), start}) })
		return out
	}
	assert.Equal(t, []one{{1, "6", false}}, shows(till)[:1])
	all := shows(coins)
	assert.Len(t, all, len(shows(none))+2, "the coins of both")
	differs := 0
	for i, x := range all {
		if i > 0 {
			assert.Greater(t, x.what, all[i-1].what)
		}
		if !x.start && x.value == "2" {
			differs++
		}
	}
	assert.Equal(t, 1, differs)
}

// Recovery state that is written together with another player's save is no save: the next regular save includes the player.
func TestRule30RecoveryStateIsNoSave(t *testing.T) {
	_, r, _ := searchedPlan(t)
	var l engine.Ledger
	l.Together([]string{"ada", "bo"}, false)
	cut, ok := l.Cut(r, []engine.SaveMoment{{Player: "ada", Moment: "checkpoint"}}, nil, true)
	require.True(t, ok)
	require.Len(t, cut.Parts, 2)
	assert.Empty(t, cut.Parts[1].Moment)
	assert.Equal(t, []string{"bo"}, l.Players(r))
	_, ok = l.Cut(r, []engine.SaveMoment{{Player: "bo", Moment: "every"}}, nil, false)
	require.True(t, ok)
	assert.Empty(t, l.Players(r))

	l.Changed("bo")
	l.Cut(r, nil, nil, true)
	assert.Equal(t, []string{"bo"}, l.Players(r))
	l.Forget("bo")
	assert.Empty(t, l.Players(r))
}
