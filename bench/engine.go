package main

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

// timers is what own timers of many players cost: each of 10,000 has a turn a second.
func timers() row {
	const n, seconds = 10_000, 20
	r, _ := players(modelOf(strings.NewReplacer("players: 5000", fmt.Sprint("players: ", n),
		"rules:\n", "rules:\n  - {on: {every: {time: 1s, of: player}}, do: [{add: player.v1, by: 1}]}\n").Replace(planWith(2, 2))), n)
	began := time.Now()
	for s := range seconds {
		r.Advance(int64(s+1) * 1000)
	}
	took := time.Since(began)
	share := took.Seconds() / seconds
	return row{fmt.Sprintf("own timers of %d players, one turn a second each", n), fmt.Sprintf("%.1f ms a second", 1000*share), "a core",
		fmt.Sprintf("%.2f %%", 100*share), "≤ 2 % of a core"}
}

// lists compares an event whose condition sums over a long list with one over a short list.
func lists() row {
	const event = "an event that asks for a sum and a count over a list of 1,000, against 20 (3 of them changed)"
	long, short := best(hauls(1000), hauls(20))
	return compare(event, long, short, "flat")
}

func hauls(options int) func(b *testing.B) {
	var names []string
	for i := range options {
		names = append(names, fmt.Sprintf("w%d: {weight: %d}", i, i%7))
	}
	m := modelOf(strings.Replace(`alluvion: 1
game: bench
version: 1
start: s/a
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
lists: {ware: {attributes: {weight: int}, options: {OPTIONS}}}
variables:
  have: {of: [player, ware], type: int, min: 0, max: 99, start: 0}
  load: {of: player, type: int, min: 0, max: 999999, is: sum(player.have * ware.weight)}
  kinds: {of: player, type: int, min: 0, max: 1000, is: count(player.have)}
scenes: {s: {size: [9, 9], spots: {a: {at: [1, 1]}}}}
events: {find: {args: {ware: ware, by: {type: int, min: -9, max: 9}}, from: self, if: player.load < 90000 && player.kinds < 900}}
rules: [{on: find, do: [{add: args.ware.have, by: args.by}]}]
saving: {every: 30s}
`, "OPTIONS", strings.Join(names, ", "), 1))
	return func(b *testing.B) {
		r, ids := players(m, 1)
		find := func(ware string, by int) {
			if _, err := r.Step(&engine.Request{Do: "event", Player: ids[0], Name: "find",
				Args: map[string]types.Value{"ware": types.OfText(ware), "by": types.OfInt(by)}}); err != nil {
				b.Fatal(err)
			}
		}
		find("w5", 3)
		find("w6", 3)
		b.ResetTimer()
		for i := range b.N {
			find("w3", 1-2*(i%2))
		}
	}
}

// cut is what a save of one player costs the session while many others have moved.
func cut() row {
	const n = 1000
	r, ids := players(modelOf(planWith(10, 2)), n)
	moved := func(l *engine.Ledger) {
		for i, id := range ids {
			res, err := r.Step(&engine.Request{Do: "move", Player: id, To: []fixed.Num{fixed.FromInt(int64(1 + i%7)), fixed.FromInt(1)}})
			must(err)
			l.Note(r, res.Changes, id)
		}
	}
	one := func(whole bool) time.Duration {
		least := time.Hour
		for range 20 {
			var l engine.Ledger
			moved(&l)
			began := time.Now()
			l.Cut(r, []engine.SaveMoment{{Player: ids[0], Moment: "asked"}}, nil, whole)
			least = min(least, time.Since(began))
		}
		return least
	}
	alone, all := one(false), one(true)
	return row{fmt.Sprintf("a save of one while %d moved, on the session; against one that takes all, once a second", n-1),
		fmt.Sprintf("%.3f ms", 1000*alone.Seconds()), fmt.Sprintf("%.1f ms", 1000*all.Seconds()),
		fmt.Sprintf("%.4f", alone.Seconds()/all.Seconds()), "≤ 0.2 ms"}
}
