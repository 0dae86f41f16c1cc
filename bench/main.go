// Command bench measures Alluvion against peers and limits, prints one table, and writes it to
// docs/benchmarks.md. Times mean little on a shared machine, so each row is a ratio taken in one run.
package main

import (
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"alluvion/core/check"
	"alluvion/core/engine"
	"alluvion/core/expr"
	"alluvion/core/fixed"
	"alluvion/core/model"
)

// row is one line of the table.
type row struct{ what, ours, peer, ratio, wanted string }

func main() {
	rows := []row{event(), allocations()}
	rows = append(rows, flat()...)
	rows = append(rows, growth(), start(), firstLoad())
	table := render(rows)
	fmt.Print(table)
	page := "# Benchmarks\n\nMade by `make bench`; the ratios are what counts.\n\n" + table
	if err := os.WriteFile("docs/benchmarks.md", []byte(page), 0o644); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func render(rows []row) string {
	var b strings.Builder
	b.WriteString("| what | ours | peer | ratio | wanted |\n| --- | ---: | ---: | ---: | --- |\n")
	for _, r := range rows {
		fmt.Fprintf(&b, "| %s | %s | %s | %s | %s |\n", r.what, r.ours, r.peer, r.ratio, r.wanted)
	}
	return b.String()
}

// planWith is a plan with so many variables, and one event with a condition and two sets.
func planWith(variables, scenes int) string {
	var b strings.Builder
	b.WriteString("alluvion: 1\ngame: bench\nversion: 1\nstart: s0/a\ndefaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}\nvariables:\n")
	for i := range variables {
		fmt.Fprintf(&b, "  v%d: {of: player, type: decimal, min: 0, max: 1000, step: 0.5, start: 500, read_by: game}\n", i)
	}
	b.WriteString("scenes:\n")
	for i := range scenes {
		fmt.Fprintf(&b, "  s%d: {size: [9, 9], spots: {a: {at: [1, 1]}, b: {at: [5, 5]}}}\n", i)
	}
	b.WriteString("passages:\n")
	for i := range scenes - 1 {
		fmt.Fprintf(&b, "  p%d: {from: s%d/b, to: s%d/a, both_ways: true, if: player.v%d > 3}\n", i, i, i+1, i%variables)
	}
	b.WriteString("events: {gust: {args: {amount: {type: decimal, min: 0, max: 40, step: 0.5}}, from: self}}\nrules:\n")
	b.WriteString("  - {on: gust, if: player.v0 > 1, do: [{set: player.v0, to: player.v0 - args.amount}, {set: player.v1, to: player.v1 + args.amount}]}\n")
	b.WriteString("saving: {every: 30s}\nsession: {players: 5000}\n")
	return b.String()
}

func modelOf(text string) *model.Model {
	m, _, found := model.Load([]byte(text))
	if m == nil {
		panic(fmt.Sprint(found))
	}
	return m
}

func players(m *model.Model, n int) (*engine.Run, []string) {
	r := engine.New(m)
	ids := make([]string, n)
	for i := range ids {
		ids[i] = fmt.Sprintf("player-%04d", i)
		if _, err := r.Step(engine.Request{Do: "join", Player: ids[i], Slot: 1}); err != nil {
			panic(err)
		}
	}
	return r, ids
}

func gusts(m *model.Model, n int) func(b *testing.B) {
	return func(b *testing.B) {
		r, ids := players(m, n)
		up, down := amounts()
		b.ReportAllocs()
		b.ResetTimer()
		for i := range b.N {
			args := up
			if i/n%2 == 1 {
				args = down
			}
			if _, err := r.Step(engine.Request{Do: "event", Player: ids[i%n], Name: "gust", Args: args}); err != nil {
				b.Fatal(err)
			}
		}
	}
}

func amounts() (up, down map[string]expr.Value) {
	return map[string]expr.Value{"amount": expr.OfNum(fixed.Must("0.5"))}, map[string]expr.Value{"amount": expr.OfNum(fixed.Must("1.5"))}
}

// event compares with the same rule written by hand in Go: the same checks of the same request, the
// same clamping, the same list of changes.
func event() row {
	ours := testing.Benchmark(gusts(modelOf(planWith(10, 2)), 1000))
	peer := testing.Benchmark(byHand)
	return compare("an event with a condition and two sets, 1,000 players", ours, peer, "≤ 3")
}

func compare(what string, ours, peer testing.BenchmarkResult, wanted string) row {
	return row{what, nanos(ours), nanos(peer), fmt.Sprintf("%.2f", per(ours)/per(peer)), wanted}
}

func per(r testing.BenchmarkResult) float64 { return float64(r.T.Nanoseconds()) / float64(r.N) }

func nanos(r testing.BenchmarkResult) string { return fmt.Sprintf("%.0f ns", per(r)) }

// handPlayer, handChange and byHand are what a programmer would write for this one rule.
type handPlayer struct{ v0, v1 float64 }

type handChange struct {
	player, name string
	from, to     float64
	cause        string
}

func byHand(b *testing.B) {
	state := map[string]*handPlayer{}
	var ids []string
	for i := range 1000 {
		ids = append(ids, fmt.Sprintf("player-%04d", i))
		state[ids[i]] = &handPlayer{500, 500}
	}
	up, down := map[string]float64{"amount": 0.5}, map[string]float64{"amount": 1.5}
	var changes []handChange
	b.ResetTimer()
	for i := range b.N {
		args := up
		if i/1000%2 == 1 {
			args = down
		}
		p, ok := state[ids[i%1000]]
		amount, given := args["amount"]
		if !ok || !given || len(args) != 1 || amount < 0 || amount > 40 || amount*2 != float64(int(amount*2)) {
			b.Fatal("refused")
		}
		changes = changes[:0]
		if p.v0 > 1 {
			v0, v1 := min(1000, max(0, p.v0-amount)), min(1000, max(0, p.v1+amount))
			if v0 != p.v0 {
				changes = append(changes, handChange{ids[i%1000], "player.v0", p.v0, v0, "gust"})
			}
			if v1 != p.v1 {
				changes = append(changes, handChange{ids[i%1000], "player.v1", p.v1, v1, "gust"})
			}
			p.v0, p.v1 = v0, v1
		}
	}
}

func allocations() row {
	r := testing.Benchmark(gusts(modelOf(planWith(10, 2)), 1000))
	return row{"allocations of that event, beyond the list of changes", fmt.Sprint(r.AllocsPerOp()), "–", "–", "0"}
}

// flat shows that an event costs the same however many variables the plan has.
func flat() []row {
	base := testing.Benchmark(gusts(modelOf(planWith(10, 2)), 20))
	var rows []row
	for _, n := range []int{100, 1000, 4000} {
		r := testing.Benchmark(gusts(modelOf(planWith(n, 2)), 20))
		rows = append(rows, compare(fmt.Sprintf("an event in a plan with %d variables, against 10", n), r, base, "flat"))
	}
	return rows
}

// growth shows that checking grows in step with the plan.
func growth() row {
	measure := func(variables, scenes int) testing.BenchmarkResult {
		text := []byte(planWith(variables, scenes))
		return testing.Benchmark(func(b *testing.B) {
			for range b.N {
				check.Text(text)
			}
		})
	}
	small, large := measure(250, 50), measure(1000, 200)
	return row{"check 1,000 variables and 200 scenes, against a quarter of it", fmt.Sprintf("%.0f ms", per(large)/1e6), fmt.Sprintf("%.0f ms", per(small)/1e6),
		fmt.Sprintf("%.2f", per(large)/per(small)), "about 4; under 150 ms"}
}

func seconds(d time.Duration) string { return fmt.Sprintf("%.2f s", d.Seconds()) }
