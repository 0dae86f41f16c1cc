package engine_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
	"alluvion.dev/internal/worlds"
)

// Whatever happened in a session that a state is recalled into: nothing of that is left, and both go on alike.
func TestAStateThatIsRecalledGoesOnAsTheOneThatWasKept(t *testing.T) {
	for name, m := range worlds.All(t) {
		t.Run(name, func(t *testing.T) {
			used := engine.Open(m, 7) // by all runs, one after the other; its own seed is of no matter
			rapid.Check(t, func(t *rapid.T) {
				r := engine.New(m)
				saved, profiles := map[string]*save.Player{}, map[string]*save.Profile{}
				var now int64
				ask := func(runs ...*engine.Run) {
					req := worlds.Request(t, m)
					now += rapid.SampledFrom([]int64{0, 0, 10, 400, 3000, 700_000}).Draw(t, "wait")
					req.At, req.Sender, req.Number = now, "", 0
					if req.Do == "join" {
						req.Saved, req.Profile = saved[req.Player], profiles[req.Player]
					}
					said := ""
					for i, run := range runs {
						one := req
						res, err := run.Step(&one)
						if err != nil && i > 0 {
							require.EqualError(t, err, said)
						}
						if err != nil {
							said = err.Error()
						} else if i > 0 {
							require.Empty(t, said)
						}
						for _, s := range res.Left {
							saved[s.Player], profiles[s.Player] = s, s.Profile
						}
					}
				}
				for range rapid.IntRange(0, 30).Draw(t, "before") {
					ask(r)
				}
				kept := r.Keep(nil)
				used.Recall(kept)
				require.Equal(t, r.Digest(), used.Digest())
				require.Equal(t, kept, used.Keep(nil))
				for range rapid.IntRange(0, 15).Draw(t, "behind") {
					ask(r, used)
				}
				require.Equal(t, r.Digest(), used.Digest())
				require.Equal(t, r.Keep(nil), used.Keep(nil))
			})
		})
	}
}

// A request that was applied, and then one that was refused, is as if it had never been.
func TestARequestThatIsTakenBackLeavesNothing(t *testing.T) {
	taken := 0
	for name, m := range worlds.All(t) {
		t.Run(name, func(t *testing.T) {
			rapid.Check(t, func(t *rapid.T) {
				r := engine.New(m)
				var now int64
				ask := func(wait int64) (*engine.Request, error) {
					now += wait
					req := worlds.Request(t, m)
					req.At, req.Sender, req.Number = now, "", 0
					_, err := r.Step(&req)
					return &req, err
				}
				for range rapid.IntRange(0, 30).Draw(t, "before") {
					_, _ = ask(rapid.SampledFrom([]int64{0, 0, 10, 400, 3000, 700_000}).Draw(t, "wait"))
				}
				for range 10 {
					r.Advance(now) // nothing is due
					kept, digest, before, date := r.Keep(nil), r.Digest(), r.Transactions(), r.Date()
					req, err := ask(0)
					switch {
					case r.Date() != date: // a day came with it, and stays
						continue
					case err != nil:
					case req.Do == "join" || req.Do == "leave" || r.Transactions() != before+1:
						continue
					default:
						r.TakeBack()
						taken++
					}
					require.Equal(t, digest, r.Digest(), req.Do)
					require.Equal(t, kept, r.Keep(nil), req.Do)
				}
			})
		})
	}
	require.Positive(t, taken)
}
