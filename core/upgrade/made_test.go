package upgrade_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/internal/golden"
	"alluvion.dev/internal/worlds"
)

// madeSteps are steps to the second version of a made-up plan.
var madeSteps = []string{
	"{convert: player.n1, to: old + 1}", "{convert: player.n1, to: 'div(6, old)'}", "{convert: game.n2, to: 'max(old, 2)'}",
	"{fill: player.d1, to: 1.5}", "{fill: player.n1, to: 'player.b1 ? 2 : 0'}", "{options: player.c1, map: {high: mid}}",
	"{options: side, map: {west: east}}", "{place: a, in: {x: [0, 5]}, to: b}", "{place: b, to: a, by: [1, 1]}",
	"{drop: player.s1, why: No more.}", "{drop: milestones.m2, why: No more.}", "{convert: scene.n3, to: 3 - old}",
	"{fill: player.seen, to: true}", "{convert: prop.box.used, to: '!old'}",
}

// What becomes of saves of made-up plans under another made-up plan with steps of every kind: what is told, and what is
// in them then, to the byte.
func TestWhatBecomesOfSavesOfMadeUpPlans(t *testing.T) {
	var out strings.Builder
	ran := 0
	for seed := range 160 {
		old, _, found := check.Text([]byte(worlds.Made(uint64(seed))), nil)
		if found.Errors() {
			continue
		}
		steps := madeSteps[seed%len(madeSteps)] + ", " + madeSteps[(seed*5+3)%len(madeSteps)]
		text := strings.Replace(worlds.Made(uint64(seed/2*2+seed%3)), "version: 1\n", "version: 2\n", 1) +
			"upgrades: {2: [" + strings.ReplaceAll(steps, "'", "\"") + "]}\n"
		if seed%4 == 0 { // less is admitted, and some things are no more
			text = strings.NewReplacer("max: 9, is", "max: 99, is", "[low, mid, high]", "[low, mid]", "places: ", "places: ", "right: {in: b, at: [2, 7]}", "third: {in: b, at: [2, 7]}").Replace(text)
		}
		now, _, found := check.Text([]byte(text), nil)
		if now == nil || found.Errors() {
			fmt.Fprintf(&out, "made %d, %s: %s\n", seed, steps, found[0].ID)
			continue
		}
		ran++
		requests := rapid.Custom(func(t *rapid.T) engine.Request { return worlds.Request(t, old) })
		r := engine.Open(old, 5)
		for i := range 60 {
			req := requests.Example(i)
			req.At = int64(i) * 900
			if i%9 == 0 {
				req = engine.Request{Do: "join", Player: worlds.Players[i/9%3], Slot: 1, At: req.At}
			}
			if here := r.Present(); req.Do != "join" && req.Player != "" && len(here) > 0 {
				req.Player = here[i%len(here)]
			}
			_, _ = r.Step(&req)
		}
		for _, id := range r.Present() {
			raw, err := save.Encode(r.Save(id))
			require.NoError(t, err)
			l, err := upgrade.New(now).Player(raw, upgrade.Around{})
			if err != nil {
				fmt.Fprintf(&out, "made %d, %s, %s: %v\n", seed, steps, id, err)
				continue
			}
			fmt.Fprintf(&out, "made %d, %s, %s: %.16s", seed, steps, id, save.Digest(l.Player))
			for _, p := range l.Problems {
				fmt.Fprintf(&out, "; %s: %s: %s", p.Pointer, p.Reason, p.Instead)
			}
			out.WriteString("\n")
		}
		raw, err := save.Encode(r.World())
		require.NoError(t, err)
		w, err := upgrade.New(now).World(raw, upgrade.Around{})
		if err != nil {
			fmt.Fprintf(&out, "made %d, %s, world: %v\n", seed, steps, err)
			continue
		}
		fmt.Fprintf(&out, "made %d, %s, world: %.16s", seed, steps, save.Digest(w.World))
		for _, p := range w.Problems {
			fmt.Fprintf(&out, "; %s: %s: %s", p.Pointer, p.Reason, p.Instead)
		}
		out.WriteString("\n")
	}
	require.Greater(t, ran, 60)
	golden.Is(t, "testdata/made.txt", out.String())
}
