package share_test

import (
	"crypto/sha256"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/share"
	"alluvion.dev/internal/golden"
	"alluvion.dev/internal/worlds"
)

// What machines are sent in a long run in each world is what is meant to be sent, to the byte: how long each frame is, and
// what it begins with or what stands in it. Some machines hear each tick, others are behind; some frames have a budget.
func TestWhatIsSentInEachWorldIsWhatIsMeant(t *testing.T) {
	all := worlds.All(t)
	all["fair"] = worlds.Load(t, worlds.Fair)
	all["fair of four"] = worlds.Load(t, strings.Replace(worlds.Fair, "at_most: 3", "at_most: 4", 1))
	names := make([]string, 0, len(all))
	for name := range all {
		names = append(names, name)
	}
	slices.Sort(names)
	var out strings.Builder
	for _, name := range names {
		fmt.Fprintf(&out, "== %s\n", name)
		recordWorld(t, &out, all[name])
	}
	golden.Is(t, "testdata/sent.txt", out.String())
}

// recordWorld lets a crowd walk about and ask for things, and writes down what each of them is sent.
func recordWorld(t *testing.T, out *strings.Builder, m *model.Model) {
	dice := rand.New(rand.NewPCG(11, 13))
	requests := rapid.Custom(func(t *rapid.T) engine.Request { return worlds.Request(t, m) })
	r := engine.New(m)
	b := share.NewBoard(r, share.LayoutOf(m))
	saved := map[string]*save.Player{}
	seen := map[string][]int64{}
	sights := map[string][]*share.Sight{}
	var now int64
	ask := func(req engine.Request) {
		req.At = now
		if req.Do == "join" {
			req.Slot, req.Saved = 1, saved[req.Player]
		}
		res, err := r.Step(&req)
		b.Note(res.Changes, req.Player)
		for _, s := range res.Left {
			saved[s.Player] = s
			delete(seen, s.Player)
		}
		if req.Do == "join" && err == nil && m.Single {
			b.Replaced()
		}
	}
	for tick := range 40 {
		now += []int64{100, 100, 100, 900}[tick%4]
		if tick < 14 {
			ask(engine.Request{Do: "join", Player: fmt.Sprintf("p%02d", tick)})
		}
		for _, id := range r.Present() {
			place, _ := r.Place(id)
			var to []fixed.Num
			for i, n := range place.At {
				step, _ := n.Add(fixed.FromInt(int64(dice.IntN(7) - 3)))
				to = append(to, fixed.Max(m.Scene(place.Scene).Lo[i], step))
			}
			if dice.IntN(3) > 0 {
				ask(engine.Request{Do: "move", Player: id, To: to})
			}
		}
		if here := r.Present(); len(here) > 0 {
			for i := range 3 {
				req := requests.Example(tick*3 + i)
				if req.Player != "" && req.Do != "join" {
					req.Player = here[dice.IntN(len(here))]
				}
				if req.Do != "leave" || dice.IntN(4) == 0 {
					ask(req)
				}
			}
		}
		b.Note(r.Advance(now).Changes, "")
		b.Tick(now)
		for k, id := range r.Present() {
			if len(seen[id]) == 0 {
				seen[id] = []int64{share.Whole, share.Whole}
				sights[id] = []*share.Sight{{}, {}}
			}
			for i, as := range []share.Codec{share.JSON, share.Packed} {
				if (tick+k)%(3*i+1) != 0 || !b.News(id, seen[id][i], sights[id][i]) {
					continue
				}
				raw, ok := b.Frame(nil, as, id, seen[id][i], share.Words{Done: uint64(tick), Check: tick%5 == 0}, sights[id][i])
				require.True(t, ok)
				seen[id][i] = b.Now()
				others, waiting, near := sights[id][i].Knows()
				sum := sha256.Sum256(raw)
				fmt.Fprintf(out, "%d %s %d: %d %x", tick, id, i, len(raw), sum[:4])
				if near {
					fmt.Fprintf(out, " near %d, waiting %d", others, waiting)
				}
				out.WriteString("\n")
			}
			if tick%20 == 19 {
				fmt.Fprintf(out, "%d %s believes %s\n", tick, id, b.Digest(id, sights[id][0]))
			}
		}
	}
}

// A packed frame that was cut short or damaged is refused, or understood as what it says then: as it is meant, for each
// byte of some frames.
func TestWhatIsDamagedIsUnderstoodAsItIsMeant(t *testing.T) {
	all := worlds.All(t)
	all["fair"] = worlds.Load(t, worlds.Fair)
	var out strings.Builder
	for _, name := range []string{"camp", "market", "lantern-pass", "harbour", "fair"} {
		m := all[name]
		layout := readLayout(t, share.LayoutOf(m))
		r := engine.New(m)
		b := share.NewBoard(r, share.LayoutOf(m))
		for _, id := range []string{"ada", "bob"} {
			res, err := r.Step(&engine.Request{Do: "join", Player: id, Slot: 1})
			require.NoError(t, err)
			b.Note(res.Changes, id)
		}
		b.Tick(100)
		raw, _ := b.Frame(nil, share.Packed, "ada", share.Whole, share.Words{Check: true}, &share.Sight{})
		fmt.Fprintf(&out, "== %s, %d bytes\n", name, len(raw))
		become := func(what string, raw []byte) {
			mirror := share.NewMirror(layout)
			if _, err := mirror.ApplyPacked(raw); err != nil {
				fmt.Fprintf(&out, "%s: %v\n", what, err)
			} else {
				fmt.Fprintf(&out, "%s: %s\n", what, mirror.Digest()[:8])
			}
		}
		for i := range raw {
			become(fmt.Sprintf("only %d", i), raw[:i])
			for _, bit := range []byte{1, 0x10, 0x80} {
				damaged := slices.Clone(raw)
				damaged[i] ^= bit
				become(fmt.Sprintf("byte %d with %02x turned", i, bit), damaged)
			}
		}
	}
	golden.Is(t, "testdata/damaged.txt", out.String())
}
