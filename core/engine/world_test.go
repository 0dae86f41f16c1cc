package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

// world is a session with shorthand for the tests.
type world struct {
	t    testing.TB
	m    *model.Model
	run  *engine.Run
	at   int64
	date int64 // of requests; 0 for none
	err  error // of the last request
	res  engine.Result
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
	req.At, req.Date = w.at, w.date
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
