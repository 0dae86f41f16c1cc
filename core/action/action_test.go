package action_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

// mill has a rule for each verb, by its name.
const mill = `
alluvion: 1
game: mill
version: 1
start: yard/gate
rosters: {hat: {options: {felt: {}, straw: {}}}}
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  game:   {restart: keep}
  place:  {death: checkpoint, leave: exact}
variables:
  flour: {of: player, type: int, min: 0, max: 99, start: 5}
  note:  {of: player, type: text, optional: true, start: hi}
  hat:   {of: player, type: pick, roster: hat, optional: true}
  bag:   {of: player, type: set, items: text}
scenes: {yard: {size: [9, 9], spots: {gate: {at: [1, 1]}, well: {at: [5, 5]}}}}
waymarks: {rest: {}}
movables: {cart: {start: yard/well}}
milestones: {miller: {when: player.flour > 90}}
checkpoints: {fallback: yard/gate}
events: {do: {from: self}, after: {from: self}}
rules:
  - on: do
    do:
      - {set: player.flour, to: 3}
      - {add: player.flour, by: 2}
      - {raise: player.flour, to: 4}
      - {clear: player.note}
      - {pick: player.hat, to: felt}
      - {put: player.bag, item: "'oats'"}
      - {take-out: player.bag, item: "'oats'"}
      - {earn: miller, of: player}
      - {unearn: miller, of: player}
      - {die: player}
      - {come-back: player}
      - {start-over: player}
      - {go: rest, else: yard/gate}
      - {remember: rest}
      - {forget: rest}
      - {take: cart}
      - {set-down: cart, at: yard/well}
      - {save: player}
      - {send: after}
      - {notify: player, text: Ground.}
      - {refuse: No more.}
      - {if: player.flour > 1, do: [{add: player.flour, by: 1}], else: [{add: player.flour, by: 2}]}
      - {let: {twice: player.flour * 2}, do: [{set: player.flour, to: twice}]}
      - {each: p, in: session, do: [{add: p.flour, by: 1}]}
`

// What the checks are told of an action without doing it.
func TestEveryVerbSaysWhatItDoes(t *testing.T) {
	m, _, found := model.Load([]byte(mill))
	require.NotNil(t, m, "%v", found)
	flour, note, hat, bag := m.Var("player.flour"), m.Var("player.note"), m.Var("player.hat"), m.Var("player.bag")
	changes := func(v *model.Var, how model.Change) func(model.Traits) bool {
		return func(x model.Traits) bool {
			return x.Var == v && x.Change == how && (x.Value != nil) == (how != model.Clears)
		}
	}
	turns := func(how model.Turn) func(model.Traits) bool {
		return func(x model.Traits) bool { return x.Turn == how && x.Var == nil }
	}
	harmless := func(x model.Traits) bool {
		return x.Var == nil && x.Turn == model.NoTurn && !x.Goes && x.Fails == "" && x.Blocks == nil && x.Takes == nil
	}
	says := map[string]func(model.Traits) bool{
		"set": changes(flour, model.Sets), "add": changes(flour, model.Adds), "raise": changes(flour, model.Raises),
		"clear": changes(note, model.Clears), "pick": changes(hat, model.Sets), "put": changes(bag, model.PutsIn), "take-out": changes(bag, model.TakesOut),
		"die": turns(model.Dies), "come-back": turns(model.ComesBack), "start-over": turns(model.StartsOver),
		"earn": harmless, "unearn": harmless, "save": func(x model.Traits) bool { return x.Saves && x.Var == nil }, "notify": harmless,
		"go":       func(x model.Traits) bool { return x.Goes && x.Waymark.ID == "rest" && x.Spot.ID == "yard/gate" },
		"remember": func(x model.Traits) bool { return x.Remembers && x.Waymark.ID == "rest" },
		"forget":   func(x model.Traits) bool { return !x.Remembers && x.Waymark.ID == "rest" },
		"take":     func(x model.Traits) bool { return x.Takes.ID == "cart" && x.Fails != "" },
		"set-down": func(x model.Traits) bool { return x.SetsDown.ID == "cart" && x.Spot.ID == "yard/well" },
		"send":     func(x model.Traits) bool { return x.Sends.ID == "after" },
		"refuse":   func(x model.Traits) bool { return x.Fails != "" },
		"if":       func(x model.Traits) bool { return x.If != nil && len(x.Blocks) == 2 && !x.Each },
		"let":      func(x model.Traits) bool { return len(x.Reads) == 1 && len(x.Blocks) == 1 && !x.Each },
		"each":     func(x model.Traits) bool { return len(x.Blocks) == 1 && x.Each },
	}
	seen := map[string]bool{}
	for _, a := range m.Rules[0].Do {
		seen[a.Verb] = true
		if assert.Contains(t, says, a.Verb) {
			assert.True(t, says[a.Verb](a.Traits), "%s says %+v", a.Verb, a.Traits)
		}
		assert.Equal(t, a.Verb == "set" || a.Verb == "add", a.Number != nil, "%s of a player's number is done quickly", a.Verb)
	}
	for _, verb := range plan.Verbs() {
		assert.True(t, seen[verb], "%s is in the plan of this test", verb)
	}
}

// The whole rule is undone by the one action that refuses.
func TestARefusalUndoesWhatStoodBeforeIt(t *testing.T) {
	m, _, found := model.Load([]byte(mill))
	require.NotNil(t, m, "%v", found)
	run := engine.New(m)
	_, err := run.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1})
	require.NoError(t, err)
	before := run.Digest()
	_, err = run.Step(&engine.Request{Do: "event", Player: "ada", Name: "do"})
	var refusal *engine.Refusal
	require.ErrorAs(t, err, &refusal)
	assert.Equal(t, before, run.Digest())
	assert.Positive(t, refusal.Line)
	assert.Equal(t, 1, refusal.Rule)
}
