package engine_test

import (
	"crypto/sha256"
	"fmt"
	"slices"
	"strings"
	"testing"

	"pgregory.net/rapid"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/internal/golden"
	"alluvion.dev/internal/worlds"
)

// What comes of a few hundred requests in each world is what is meant to come of them, word by word: what is refused and
// why, what changes and why, who is notified of what, and what is saved.
func TestWhatComesOfWhatIsAskedInEachWorld(t *testing.T) {
	models := worlds.All(t)
	models["quay"] = load(t, quay)
	names := make([]string, 0, len(models))
	for name := range models {
		names = append(names, name)
	}
	slices.Sort(names)
	var out strings.Builder
	for _, name := range names {
		fmt.Fprintf(&out, "== %s\n", name)
		playWorld(&out, models[name])
	}
	golden.Is(t, "testdata/played.txt", out.String())
}

// The same under made-up plans, in which all moments, verbs and conditions meet that no world of ours brings together: of
// each plan only the digests of what came of it.
func TestWhatComesOfWhatIsAskedUnderMadeUpPlans(t *testing.T) {
	var out strings.Builder
	for seed := range uint64(120) {
		m, _, found := check.Text([]byte(worlds.Made(seed)), nil)
		if found.Errors() {
			continue
		}
		var story strings.Builder
		playWorld(&story, m)
		sum := sha256.Sum256([]byte(story.String()))
		fmt.Fprintf(&out, "made %d: %d lines, %x\n", seed, strings.Count(story.String(), "\n"), sum[:8])
	}
	golden.Is(t, "testdata/made.txt", out.String())
}

// playWorld asks for a few hundred things in a session and writes down what comes of each.
func playWorld(out *strings.Builder, m *model.Model) {
	requests := rapid.Custom(func(t *rapid.T) engine.Request { return worlds.Request(t, m) })
	r := engine.Open(m, 5)
	saved := map[string]*save.Player{}
	var now int64
	for i := range 160 {
		req := requests.Example(i)
		now += []int64{0, 100, 2_000, 12_000}[i%4]
		req.At = now
		if i%9 == 0 { // otherwise hardly anybody would be there
			req = engine.Request{Do: "join", Player: worlds.Players[i/9%3], Slot: 1, At: now}
		}
		if here := r.Present(); req.Do != "join" && req.Player != "" && !r.Has(req.Player) && len(here) > 0 && i%7 != 0 {
			req.Player = here[i%len(here)] // who is not there is refused, which is soon known
		}
		if req.Do == "join" {
			req.Saved = saved[req.Player]
		}
		if spot := wanted(m, r, req); spot != nil {
			now += 20_000
			step := engine.Request{Do: "move", Player: req.Player, To: spot.Point[:len(m.Axes)], At: now}
			r.Advance(now)
			_, _ = r.Step(&step)
			req.At = now
		}
		tell(out, "  time", r.Advance(now), nil)
		res, err := r.Step(&req)
		for _, s := range res.Left {
			saved[s.Player] = s
		}
		fmt.Fprintf(out, "%s %s %s %v %s\n", req.Do, req.Player, req.Name, req.Args, req.Value)
		tell(out, " ", res, err)
	}
	fmt.Fprintf(out, "%s %s\n", strings.Join(r.Present(), " "), r.Digest())
}

// wanted is the spot at which a player has to stand for a request; nil where they need not, or are in another scene.
func wanted(m *model.Model, r *engine.Run, req engine.Request) *model.Spot {
	place, there := r.Place(req.Player)
	if !there {
		return nil
	}
	var spots []*model.Spot
	for _, p := range m.Passages {
		if req.Do == "pass" && p.ID == req.Name {
			spots = append(spots, p.From, p.To)
		}
	}
	for _, p := range m.Checkpoints {
		if req.Do == "touch" && p.ID == req.Name {
			spots = append(spots, p.Spot)
		}
	}
	for _, s := range spots {
		if s != nil && s.Scene.ID == place.Scene {
			return s
		}
	}
	return nil
}

func tell(out *strings.Builder, before string, res engine.Result, err error) {
	if err != nil {
		fmt.Fprintf(out, "%s refused: %v\n", before, err)
	}
	for _, c := range res.Changes {
		fmt.Fprintf(out, "%s %s%s%s %s: %s to %s, %s\n", before, c.Player, c.Scene, c.Prop+c.Option, c.Name, c.From, c.To, c.Cause)
	}
	for _, n := range res.Notices {
		fmt.Fprintf(out, "%s to %s %s: %s %q %s %s %s %d\n", before, n.To, n.Player, n.Kind, n.Text, n.ID, n.Scene, n.From, n.Rule)
	}
	for _, s := range res.Saves {
		fmt.Fprintf(out, "%s saves %s %s\n", before, s.Player, s.Moment)
	}
}
