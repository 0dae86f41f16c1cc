package engine_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion/core/engine"
	"alluvion/core/fixed"
	"alluvion/core/model"
	"alluvion/core/plan"
	"alluvion/core/save"
	"alluvion/core/types"
)

// something draws a request that a plan could mean, of whatever its passages, checkpoints and events are.
func something(t *rapid.T, m *model.Model) engine.Request {
	player := rapid.SampledFrom(who).Draw(t, "player")
	req := engine.Request{Player: player, Slot: 1}
	switch rapid.IntRange(0, 11).Draw(t, "kind") {
	case 0, 1:
		req.Do = "join"
		if rapid.IntRange(0, 3).Draw(t, "picks") == 0 {
			for _, v := range m.Holders[model.OfPlayer].Stored {
				if v.Type.Kind == types.Pick {
					req.Picks = map[string]types.Value{v.ID: types.OfText(rapid.SampledFrom(v.Type.Names).Draw(t, "pick"))}
				}
			}
		}
	case 2:
		req.Do = rapid.SampledFrom([]string{"leave", "start-over"}).Draw(t, "do")
	case 3:
		spot := anySpot(t, m)
		req.Do = "move"
		req.To = append([]fixed.Num{}, spot.Point[:len(m.Axes)]...)
	case 4:
		if len(m.Passages) > 0 {
			req.Do, req.Name = "pass", rapid.SampledFrom(m.Passages).Draw(t, "passage").ID
		}
	case 5:
		if len(m.Checkpoints) > 0 {
			req.Do, req.Name = "touch", rapid.SampledFrom(m.Checkpoints).Draw(t, "checkpoint").ID
		}
	case 6:
		if len(m.Vars) == 0 {
			break
		}
		v := rapid.SampledFrom(m.Vars).Draw(t, "variable")
		req.Do, req.Server, req.Name = rapid.SampledFrom([]string{"write", "correct"}).Draw(t, "write"), rapid.Bool().Draw(t, "server"), v.Name
		req.Args = map[string]types.Value{"scene": types.OfText(rapid.SampledFrom(m.Scenes).Draw(t, "in").ID)}
		if v.Hold.Kind != nil {
			req.Args["prop"] = types.OfText(rapid.SampledFrom(v.Hold.Kind.Props).Draw(t, "prop").ID)
		}
		req.Value = anyValue(t, &model.Arg{Domain: v.Domain}, player)
		if v.Type.Item != nil {
			req.Value = types.OfItems([]types.Value{anyValue(t, &model.Arg{Domain: *v.Item}, player)})
		}
	case 7:
		req.Do, req.Server = "die", true
	default:
		e := rapid.SampledFrom(m.Events).Draw(t, "event")
		req.Do, req.Name, req.Server, req.Args = "event", e.ID, !e.Self, map[string]types.Value{}
		if !e.Self {
			req.Player = ""
		}
		for i := range e.Args {
			req.Args[e.Args[i].ID] = anyValue(t, &e.Args[i], player)
		}
	}
	return req
}

func anySpot(t *rapid.T, m *model.Model) *model.Spot {
	s := rapid.SampledFrom(m.Scenes).Draw(t, "scene")
	return rapid.SampledFrom(s.Spots).Draw(t, "spot")
}

// anyValue draws a value that is right for an argument, most of the time.
func anyValue(t *rapid.T, a *model.Arg, player string) types.Value {
	switch {
	case rapid.IntRange(0, 20).Draw(t, "wrong") == 0:
		return rapid.SampledFrom([]types.Value{types.None, types.OfInt(-77), types.OfText("?"), types.OfBool(true)}).Draw(t, "value")
	case a.Type.Numeric():
		steps := rapid.IntRange(0, 12).Draw(t, "steps")
		n, _ := a.Step.Mul(fixed.FromInt(int64(steps)))
		sum, _ := fixed.Max(a.Min, fixed.FromInt(-5)).Add(n)
		return types.OfNum(sum)
	case a.Type.Named():
		return types.OfText(rapid.SampledFrom(a.Type.Names).Draw(t, "name"))
	case a.Type.Kind == types.Prop:
		return types.OfText(rapid.SampledFrom(a.Kind.Props).Draw(t, "prop").ID)
	case a.Type.Kind == types.Player:
		return types.OfText(player)
	case a.Type.Kind == types.Bool:
		return types.OfBool(rapid.Bool().Draw(t, "bool"))
	}
	return types.OfText(rapid.StringOfN(rapid.RuneFrom([]rune("abz 9é")), 0, 12, -1).Draw(t, "text"))
}

// Whatever is asked under whatever plan: the state stays sound, what is refused changes nothing, and a
// session that is saved and loaded into another goes on with the same values.
func TestAnyRequestsUnderAnyPlanKeepTheStateSound(t *testing.T) {
	demo, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	for name, text := range map[string]string{"camp": camp, "cabin": cabin, "choir": choir, "moor": moor, "marks": marks, "marsh": marsh, "caves": caves, "lantern-pass": string(demo)} {
		m := load(t, text)
		t.Run(name, func(t *testing.T) {
			rapid.Check(t, func(t *rapid.T) {
				r := engine.New(m)
				saved := map[string]*save.Player{}
				var now int64
				for range rapid.IntRange(1, 50).Draw(t, "steps") {
					req := something(t, m)
					now += rapid.SampledFrom([]int64{0, 0, 10, 400, 3000, 700_000}).Draw(t, "wait")
					req.At = now
					if req.Do == "join" {
						req.Saved = saved[req.Player]
					}
					r.Advance(now)
					before := r.Digest()
					res, err := r.Step(&req)
					if err != nil {
						require.Equal(t, before, r.Digest(), "%v", err)
					}
					for _, s := range res.Left {
						saved[s.Player] = s
					}
					sound(t, r)
				}
				for _, id := range r.Present() {
					sameInAnother(t, m, r, id)
				}
			})
		})
	}
}

// sameInAnother saves a player and loads them into a session of its own: what every crossing on the way
// keeps is the same there.
func sameInAnother(t *rapid.T, m *model.Model, r *engine.Run, id string) {
	was := map[string]types.Value{}
	dead, _ := r.State(id)
	for _, f := range r.Figures(id) {
		was[f.Var.Name] = f.Value
	}
	s := r.Save(id)
	s.World = nil
	other := engine.New(m)
	_, err := other.Step(&engine.Request{Do: "join", Player: id, Slot: 1, Saved: s})
	require.NoError(t, err)
	rules := len(m.On("joined")) + len(m.On("arrived")) + len(m.On("came-back")) + len(m.On("milestone"))
	for _, a := range m.Areas {
		rules += len(a.Entered) // who joins inside an area enters it
	}
	for _, f := range other.Figures(id) {
		kept := f.Var.Fates.At(plan.CrossLeave).Kind == "keep" && (!dead || f.Var.Fates.At(plan.CrossDeath).Kind == "keep")
		if kept && !f.Var.Computed() && !f.Var.Seed && f.Var.While == nil && rules == 0 && f.Scene == "" && f.Prop == "" {
			require.Equal(t, was[f.Var.Name], f.Value, f.Var.Name)
		}
	}
}
