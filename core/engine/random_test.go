package engine_test

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/internal/worlds"
)

var who = []string{"ada", "bob", "cid", "dee"}

// anyRequest draws a request of whatever sense.
func anyRequest(t *rapid.T) engine.Request {
	player := rapid.SampledFrom(who).Draw(t, "player")
	coordinate := func(name string) fixed.Num {
		return fixed.FromNano(rapid.Int64Range(-5, 35).Draw(t, name) * 1_000_000_000)
	}
	req := engine.Request{Player: player, Do: rapid.SampledFrom([]string{"join", "move", "move", "pass", "touch", "leave", "start-over", "event", "event", "event", "event", "hurt", "write"}).Draw(t, "do")}
	switch req.Do {
	case "join":
		req.Slot = rapid.IntRange(1, 2).Draw(t, "slot")
	case "move":
		req.To = []fixed.Num{coordinate("x"), coordinate("y")}
	case "pass":
		req.Name = rapid.SampledFrom([]string{"out", "ladder", "maze"}).Draw(t, "passage")
	case "touch":
		req.Name = rapid.SampledFrom([]string{"well", "oak", "bed"}).Draw(t, "checkpoint")
	case "event":
		req.Name = rapid.SampledFrom([]string{"chop", "mud", "give", "bump", "split", "spiral", "home", "again", "cold", "choose", "name"}).Draw(t, "event")
		req.Args = map[string]types.Value{}
		if n := rapid.SampledFrom([]string{"n", "to", "who", "text", ""}).Draw(t, "arg"); n != "" {
			req.Args[n] = rapid.SampledFrom([]types.Value{types.OfInt(0), types.OfInt(2), types.OfInt(40), types.OfText("brisa"), types.OfBool(true), types.None}).Draw(t, "value")
		}
	case "hurt":
		req.Do, req.Name, req.Player, req.Server = "event", "hurt", "", true
		req.Args = map[string]types.Value{"by": types.OfInt(rapid.SampledFrom([]int{0, 30, 100}).Draw(t, "by")), "at": types.OfText(player)}
	case "write":
		req.Server, req.Name, req.Value = true, "player.logs", types.OfInt(rapid.IntRange(-1, 100).Draw(t, "value"))
	}
	return req
}

// sound checks what is always true of a session's state.
func sound(t *rapid.T, r *engine.Run) {
	m := r.Model()
	inDomain := func(figures []engine.Figure) {
		for _, f := range figures {
			if !f.Var.Computed() {
				require.NoError(t, f.Var.Admit(f.Value), f.Var.Name)
			}
		}
	}
	inDomain(r.GameFigures())
	for _, s := range m.Scenes {
		inDomain(r.SceneFigures(s.ID))
	}
	thingsAreSomewhere(t, r)
	for _, id := range r.Present() {
		inDomain(r.Figures(id))
		p, _ := r.Place(id)
		scene := m.Scene(p.Scene)
		require.NotNil(t, scene)
		for i := range m.Axes {
			require.True(t, p.At[i].Sign() >= 0 && p.At[i].Less(scene.Size[i]), "%s is outside", p)
		}
		s := r.Save(id)
		require.True(t, s.Checkpoint == "" || contains(s.Used, s.Checkpoint), "the checkpoint reached was touched")
		roundTrip(t, s, m)
	}
}

// thingsAreSomewhere makes sure that each movable is with one present, living player, or at one place that it
// may be at.
func thingsAreSomewhere(t *rapid.T, r *engine.Run) {
	held := map[string]string{}
	for _, id := range r.Present() {
		for _, x := range r.Held(id) {
			require.Empty(t, held[x], "%s is with two", x)
			held[x] = id
			dead, _ := r.State(id)
			require.False(t, dead, "%s is with the dead", x)
		}
	}
	w := r.World()
	for _, m := range r.Model().Movables {
		require.Equal(t, held[m.ID], w.Held[m.ID])
		scene := r.Model().Scene(w.Movables[m.ID].Scene)
		require.False(t, m.NeverIn[scene], "%s is in %s", m.ID, scene.ID)
	}
}

func contains(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}

// roundTrip makes sure that a save written, read and written again is the same, byte for byte.
func roundTrip(t *rapid.T, s *save.Player, m *model.Model) {
	raw, err := save.Encode(s)
	require.NoError(t, err)
	back, problems, err := save.DecodePlayer(raw, m)
	require.NoError(t, err)
	require.Empty(t, problems)
	again, err := save.Encode(back)
	require.NoError(t, err)
	require.Equal(t, string(raw), string(again))
}

// Random requests, in their senses or not: the state stays sound, what is refused changes nothing, and
// two sessions that are asked the same stay the same.
func TestRandomRequestsKeepTheStateSound(t *testing.T) {
	m := load(t, worlds.Camp)
	rapid.Check(t, func(t *rapid.T) {
		one, two := engine.New(m), engine.New(m)
		saved := map[string]*save.Player{}
		var now int64
		for range rapid.IntRange(1, 40).Draw(t, "steps") {
			req := anyRequest(t)
			now += rapid.Int64Range(0, 900).Draw(t, "wait")
			req.At = now
			if req.Do == "join" && saved[req.Player] != nil {
				req.Saved, req.Slot = saved[req.Player], saved[req.Player].Slot
			}
			one.Advance(now)
			before := one.Digest()
			res, err := one.Step(&req)
			if err != nil {
				require.Equal(t, before, one.Digest(), "refused, and changed: %v", err)
				var refusal *engine.Refusal
				require.True(t, errors.As(err, &refusal) && refusal.Reason != "", "%v", err)
			}
			for _, s := range res.Left {
				saved[s.Player] = s
			}
			two.Advance(now)
			_, _ = two.Step(&req)
			require.Equal(t, one.Digest(), two.Digest())
			sound(t, one)
		}
	})
}

func TestAStepAllocatesOnlyWhatItHandsOut(t *testing.T) {
	w := open(t, worlds.Camp)
	w.join("ada")
	req := engine.Request{Do: "event", Player: "ada", Name: "mud"}
	_, _ = w.run.Step(&req)
	each := testing.AllocsPerRun(200, func() { _, _ = w.run.Step(&req) })
	assert.Zero(t, each)
}
