package engine_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/internal/worlds"
)

// Whatever is asked under whatever plan: the state stays sound, what is refused changes nothing, and a
// session that is saved and loaded into another goes on with the same values.
func TestAnyRequestsUnderAnyPlanKeepTheStateSound(t *testing.T) {
	for name, m := range worlds.All(t) {
		t.Run(name, func(t *testing.T) {
			rapid.Check(t, func(t *rapid.T) {
				r := engine.New(m)
				saved, profiles := map[string]*save.Player{}, map[string]*save.Profile{}
				var now int64
				for range rapid.IntRange(1, 50).Draw(t, "steps") {
					req := worlds.Request(t, m)
					now += rapid.SampledFrom([]int64{0, 0, 10, 400, 3000, 700_000}).Draw(t, "wait")
					req.At = now
					if req.Do == "join" {
						req.Saved, req.Profile = saved[req.Player], profiles[req.Player]
					}
					r.Advance(now)
					r.Turn(req.Date) // which comes even where the request is refused
					before := r.Digest()
					res, err := r.Step(&req)
					if err != nil {
						require.Equal(t, before, r.Digest(), "%v", err)
					}
					for _, s := range res.Left {
						saved[s.Player], profiles[s.Player] = s, s.Profile
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
		was[f.Var.Name+f.Option] = f.Value
	}
	s := r.Save(id)
	s.World = nil
	other := engine.New(m)
	if len(m.OwnCrossings) > 0 { // in a session that counts otherwise they would be met on the way in
		other = engine.Reopen(m, r.World())
	}
	_, err := other.Step(&engine.Request{Do: "join", Player: id, Slot: 1, Saved: s, Profile: s.Profile})
	require.NoError(t, err)
	rules := len(m.On("joined")) + len(m.On("arrived")) + len(m.On("came-back")) + len(m.On("milestone"))
	for _, a := range m.Areas {
		rules += len(a.Entered) // who joins inside an area enters it
	}
	for _, f := range other.Figures(id) {
		kept := (f.Var.Hold == m.Profile || f.Var.Fates.At(plan.CrossLeave).Kind == "keep") && (!dead || f.Var.Fates.At(plan.CrossDeath).Kind == "keep")
		if kept && !f.Var.Computed() && !f.Var.Seed && f.Var.While == nil && rules == 0 && f.Scene == "" && f.Prop == "" {
			require.Equal(t, was[f.Var.Name+f.Option], f.Value, f.Var.Name)
		}
	}
}
