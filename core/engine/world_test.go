package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion/core/check"
	"alluvion/core/engine"
	"alluvion/core/fixed"
	"alluvion/core/model"
	"alluvion/core/save"
	"alluvion/core/types"
	"alluvion/examples"
)

// world is a session with shorthand for the tests.
type world struct {
	t   testing.TB
	m   *model.Model
	run *engine.Run
	at  int64
	err error // of the last request
	res engine.Result
}

func load(t testing.TB, text string) *model.Model {
	m, _, found := check.Text([]byte(text), examples.Commons)
	require.NotNil(t, m, "%+v", found)
	return m
}

func open(t testing.TB, text string) *world {
	m := load(t, text)
	return &world{t: t, m: m, run: engine.New(m)}
}

// do carries out a request and gives its error.
func (w *world) do(req engine.Request) error {
	req.At = w.at
	w.res, w.err = w.run.Step(&req)
	return w.err
}

func (w *world) must(req engine.Request) {
	w.t.Helper()
	require.NoError(w.t, w.do(req), "%s %s", req.Do, req.Name)
}

func (w *world) join(player string) { w.must(engine.Request{Do: "join", Player: player, Slot: 1}) }

func (w *world) back(player string, s *save.Player) {
	w.must(engine.Request{Do: "join", Player: player, Slot: 1, Saved: s})
}

func (w *world) leave(player string) *save.Player {
	w.must(engine.Request{Do: "leave", Player: player})
	return w.res.Left[0]
}

func (w *world) point(coordinates ...string) []fixed.Num {
	var out []fixed.Num
	for _, c := range coordinates {
		out = append(out, fixed.Must(c))
	}
	return out
}

// from is the scene that was left, as the last arrival was told it.
func (w *world) from() string {
	for _, n := range w.res.Notices {
		if n.Kind == "arrived" {
			return n.From
		}
	}
	return ""
}

func (w *world) move(player, x, y string) {
	w.must(engine.Request{Do: "move", Player: player, To: []fixed.Num{fixed.Must(x), fixed.Must(y)}})
}

func (w *world) pass(player, passage string) {
	w.must(engine.Request{Do: "pass", Player: player, Name: passage})
}

func (w *world) touch(player, point string) {
	w.must(engine.Request{Do: "touch", Player: player, Name: point})
}

// self sends an event of a player; args are names and values in turn.
func (w *world) self(player, event string, args ...any) error {
	return w.do(engine.Request{Do: "event", Player: player, Name: event, Args: arguments(args)})
}

func (w *world) server(event string, args ...any) error {
	return w.do(engine.Request{Do: "event", Server: true, Name: event, Args: arguments(args)})
}

func arguments(args []any) map[string]types.Value {
	out := map[string]types.Value{}
	for i := 0; i < len(args); i += 2 {
		out[args[i].(string)] = valueOf(args[i+1])
	}
	return out
}

func valueOf(v any) types.Value {
	switch v := v.(type) {
	case int:
		return types.OfInt(v)
	case bool:
		return types.OfBool(v)
	case types.Value:
		return v
	}
	return types.OfText(v.(string))
}

// value reads player.x of a player (or of a save's owner who is present), game.x or gorge:scene.x.
func (w *world) value(player, name string) string {
	w.t.Helper()
	figures := w.run.Figures(player)
	if player == "" {
		figures = w.run.GameFigures()
	} else if w.m.Scene(player) != nil {
		figures = w.run.SceneFigures(player)
	}
	for _, f := range figures {
		if f.Var.ID == name {
			return f.Value.Plain()
		}
	}
	require.Fail(w.t, "no such value", "%s of %q", name, player)
	return ""
}

func (w *world) is(player, name, want string) {
	w.t.Helper()
	assert.Equal(w.t, want, w.value(player, name), "%s of %q", name, player)
}

func (w *world) at_(player string) string {
	w.t.Helper()
	p, ok := w.run.Place(player)
	require.True(w.t, ok)
	return p.String()
}

// refused makes sure that the last request was refused, for that kind of reason and in those words.
func (w *world) refused(err error, kind, words string) {
	w.t.Helper()
	var r *engine.Refusal
	require.ErrorAs(w.t, err, &r)
	assert.Equal(w.t, kind, r.Kind)
	assert.Contains(w.t, r.Reason, words)
}

func (w *world) told(kind string) bool {
	for _, n := range w.res.Notices {
		if n.Kind == kind {
			return true
		}
	}
	return false
}

// changed lists what the last request changed, in order.
func (w *world) changed() []string {
	var out []string
	for _, c := range w.res.Changes {
		out = append(out, c.Name)
	}
	return out
}

const camp = `
alluvion: 1
game: camp
version: 2
space: {axes: [x, y], facings: [north, south]}
start: hut/bed
reach: 2
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  scene:  {scene: keep, restart: keep}
  game:   {restart: keep}
  place:  {death: checkpoint, leave: exact}
rosters:
  courier: {attributes: {pack: int}, options: {brisa: {pack: 6}, oddny: {pack: 9}}}
variables:
  warmth: {of: player, type: decimal, min: 0, max: 100, step: 0.5, start: 50, read_by: game, across: {death: {set: player.most}}}
  most:   {of: player, type: decimal, min: 10, max: 100, step: 0.5, start: 80}
  logs:   {of: player, type: int, min: 0, max: 99, start: 0, read_by: game, across: {death: rewind}}
  muddy:  {of: player, type: bool, start: false, read_by: game, across: {scene: reset, leave: reset}}
  badge:  {of: player, type: text, max_length: 8, optional: true, read_by: game, across: {new-run: keep}}
  who:    {of: player, type: pick, roster: courier, optional: true}
  strict: {of: player, type: int, min: 0, max: 10, start: 5, at_limit: refuse, read_by: game}
  clock:  {of: player, type: stopwatch, read_by: game, across: {death: rewind}}
  seen:   {of: player, type: int, min: 0, max: 99, start: 0, read_by: game}
  room:   {of: player, type: int, min: 0, max: 99, is: player.who.pack.orValue(3) - player.logs, read_by: game}
  fire:   {of: scene, type: int, min: 0, max: 9, start: 0, read_by: game, across: {scene: reset}}
  marks:  {of: scene, type: int, min: 0, max: 9, start: 0, read_by: game}
  fund:   {of: game, type: int, min: 0, max: 99, start: 0}
scenes:
  hut:  {size: [10, 10], spots: {bed: {at: [2, 2], facing: south}, door: {at: [5, 0], facing: north, span: {x: [1, 9]}}}}
  yard: {size: [30, 30], spots: {gate: {at: [15, 29], span: {x: [4, 26]}}, well: {at: [4, 4]}, oak: {at: [25, 5]}}}
  loft: {size: [5, 5], spots: {hatch: {at: [1, 1]}}}
passages:
  out:    {from: hut/door, to: yard/gate, both_ways: true, carry: [x, facing]}
  ladder: {from: hut/bed, to: loft/hatch, both_ways: true, if: game.fund >= 2, refused: The ladder costs two.}
  maze:   {from: yard/well, to: yard/oak, if: player.logs > 0, else: hut/bed}
checkpoints:
  fallback: hut/bed
  back_after: 1s
  list: {well: {at: yard/well, order: 1}, oak: {at: yard/oak, order: 2, again: true}, bed: {at: hut/bed, order: 0}}
events:
  hurt:   {args: {by: {type: decimal, min: 0, max: 100, step: 0.5}, at: player}, from: server}
  chop:   {args: {n: {type: int, min: 1, max: 5}}, from: self}
  mud:    {from: self}
  give:   {from: self, if: player.logs > 0, refused: Nothing to give.}
  name:   {args: {text: {type: text, max_length: 20}}, from: self, while_dead: true}
  choose: {args: {who: {type: pick, roster: courier}}, from: self}
  bump:   {args: {n: {type: int, min: -9, max: 9}}, from: self}
  split:  {args: {n: {type: int, min: 0, max: 9}}, from: self}
  spiral: {from: self}
  home:   {from: self}
  again:  {from: self}
  cold:   {args: {to: {type: decimal, min: 10, max: 100, step: 0.5}}, from: self}
rules:
  - {on: hurt, do: [{add: args.at.warmth, by: -args.by}, {if: args.at.warmth <= 0, do: [{die: args.at}, {die: args.at}]}]}
  - {on: chop, do: [{add: player.logs, by: args.n}]}
  - {on: mud, do: [{set: player.muddy, to: true}, {add: scene.fire, by: 1}, {add: scene.marks, by: 1}]}
  - on: give
    accept: {rewinds-apart: a gift is a gift}
    do: [{add: player.logs, by: -1}, {add: game.fund, by: 1}]
  - {on: name, do: [{set: player.badge, to: args.text}]}
  - {on: choose, do: [{pick: player.who, option: args.who}]}
  - on: bump
    accept: {rewinds-apart: for the test}
    do: [{add: player.logs, by: 1}, {add: player.strict, by: args.n}]
  - on: split
    accept: {rewinds-apart: for the test}
    do: [{add: player.logs, by: 1}, {set: player.seen, to: "div(10, args.n)"}]
  - {on: spiral, do: [{add: player.seen, by: 1}]}
  - {on: {changed: player.seen}, if: player.seen > 0 && player.seen < 99, do: [{set: player.seen, to: "player.seen == 1 ? 2 : 1"}]}
  - {on: home, do: [{go: hut/bed}]}
  - {on: again, do: [{start-over: player}]}
  - {on: cold, do: [{set: player.most, to: args.to}]}
  - {on: [arrived, departed, came-back], do: [{notify: player, text: a moment}]}
always:
  - {that: player.warmth <= player.most, refused: Warmer than can be.}
saving:  {when: [checkpoint, scene, leave], slots: 2, every: 30s}
session: {players: 3}
`
