package engine_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/types"
)

// hold has a list of 40 wares, with what players have and what each costs, and everything that can be added up of them.
func hold() string {
	var options []string
	for i := range 40 {
		options = append(options, fmt.Sprintf("w%d: {weight: %d}", i, i%7))
	}
	return strings.Replace(`
alluvion: 1
game: hold
version: 1
start: quay/steps
lists: {ware: {attributes: {weight: int}, options: {OPTIONS}}}
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  game:   {restart: keep}
  place:  {death: stay, leave: exact}
variables:
  have:   {of: [player, ware], type: int, min: 0, max: 99, start: 2}
  mark:   {of: [player, ware], type: choice, choices: [good, bad], optional: true}
  price:  {of: ware, type: int, min: 1, max: 9, start: 3}
  load:   {of: player, type: int, min: 0, max: 999999, is: sum(player.have * ware.weight), read_by: game}
  worth:  {of: player, type: int, min: 0, max: 999999, is: sum(player.have * ware.price), read_by: game}
  kinds:  {of: player, type: int, min: 0, max: 40, is: count(player.have), read_by: game}
  marked: {of: player, type: int, min: 0, max: 40, is: count(player.mark), read_by: game}
  parts:  {of: player, type: int, min: 0, max: 9999, is: "sum(div(90, player.have))", read_by: game}
  more:   {of: player, type: int, min: 0, max: 9999, is: "count(player.have > player.marked)", read_by: game}
events:
  put:   {args: {ware: ware, n: {type: int, min: 0, max: 99}}, from: self}
  note:  {args: {ware: ware}, from: self}
  wipe:  {args: {ware: ware}, from: self}
  price: {args: {ware: ware, n: {type: int, min: 1, max: 9}}, from: server}
rules:
  - {on: put, do: [{set: args.ware.have, to: args.n}]}
  - {on: note, do: [{set: args.ware.mark, to: "args.ware.have > 5 ? 'good' : 'bad'"}]}
  - {on: wipe, do: [{clear: args.ware.mark}]}
  - {on: price, do: [{set: args.ware.price, to: args.n}]}
scenes: {quay: {size: [40, 20], spots: {steps: {at: [2, 2]}}}}
saving: {every: 30s, when: [leave]}
`, "OPTIONS", strings.Join(options, ", "), 1)
}

// Whatever was changed, a sum and a count are those of all options: also of those that nobody ever changed, that have
// their start again, and where some of them cannot be computed.
func TestRule54SumsAreThoseOfAllOptions(t *testing.T) {
	text := hold()
	rapid.Check(t, func(rt *rapid.T) {
		w := open(t, text)
		w.join("ada")
		w.join("bob")
		have, mark, price := map[string]int{}, map[string]bool{}, map[string]int{}
		for range rapid.IntRange(1, 60).Draw(rt, "steps") {
			ware := fmt.Sprintf("w%d", rapid.IntRange(0, 39).Draw(rt, "ware"))
			n := rapid.SampledFrom([]int{0, 1, 2, 2, 9, 99}).Draw(rt, "n")
			switch rapid.IntRange(0, 4).Draw(rt, "what") {
			case 0, 1:
				require.NoError(rt, w.self("ada", "put", "ware", ware, "n", n))
				have[ware] = n - 2
			case 2:
				require.NoError(rt, w.self("ada", "note", "ware", ware))
				mark[ware] = true
			case 3:
				require.NoError(rt, w.self("ada", "wipe", "ware", ware))
				delete(mark, ware)
			case 4:
				require.NoError(rt, w.server("price", "ware", ware, "n", max(1, n%10)))
				price[ware] = max(1, n%10) - 3
			}
			var load, worth, kinds, parts, more int
			whole := true
			for i := range 40 {
				ware := fmt.Sprintf("w%d", i)
				n := have[ware] + 2
				load, worth = load+n*(i%7), worth+n*(price[ware]+3)
				if n != 0 {
					kinds++
					parts += 90 / n
				}
				whole = whole && n != 0
				if n > len(mark) {
					more++
				}
			}
			if !whole {
				parts = -1
			}
			assert.Equal(rt, []int{load, worth, kinds, len(mark), parts, more}, w.numbers("ada", "load", "worth", "kinds", "marked", "parts", "more"))
		}
		assert.Equal(rt, []int{230, 40*6 + 2*sum(price), 40, 0, 40 * 45, 40}, w.numbers("bob", "load", "worth", "kinds", "marked", "parts", "more"), "of another")
	})
}

func sum(of map[string]int) (total int) {
	for _, n := range of {
		total += n
	}
	return total
}

// numbers are figures of a player; -1 for one that cannot be computed.
func (w *world) numbers(player string, names ...string) []int {
	var out []int
	for _, name := range names {
		for _, f := range w.run.Figures(player) {
			if f.Var.ID == name && f.Value.Kind == types.IsNum {
				n, _ := f.Value.Num.Int()
				out = append(out, int(n))
			} else if f.Var.ID == name {
				out = append(out, -1)
			}
		}
	}
	return out
}

// What begins anew counts as at its start again.
func TestASumBeginsAnewWithItsRun(t *testing.T) {
	w := open(t, hold())
	w.join("ada")
	require.NoError(t, w.self("ada", "put", "ware", "w3", "n", 5))
	before := w.numbers("ada", "load")
	require.NoError(t, w.do(engine.Request{Do: "start-over", Player: "ada"}))
	assert.Equal(t, []int{before[0] - 9}, w.numbers("ada", "load"))
}
