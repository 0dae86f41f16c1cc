package scout

import (
	"container/heap"
	"hash/fnv"
	"math"
	"slices"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// If there are more states than can be kept, a search expands new states first. A state is new if one of its values, or a
// pair of its values, was in no earlier state that is equally far from the goal. Single new values come before new pairs;
// among equals, the state that is nearer to the goal comes first. Numbers between two constants of the plan count as one.
//
// Source: N. Lipovetzky, H. Geffner, Best-First Width Search: Exploration and Exploitation in Classical Planning, AAAI
// 2017.

// newness is what is new in a state.
type newness uint8

const (
	newAlone    newness = iota // something that was in no state before
	newTogether                // two things that were in no state together
	nothingNew
)

// atom is one value of a state, as a hash.
type atom uint32

// atoms are the values in the worker's session: those that have changed since the start, and those that have not.
func (w *worker) atoms() (out, start []atom) {
	out, start = make([]atom, 0, 16), make([]atom, 0, 32)
	w.run.Shows(w.moves.lens, func(what uint32, v types.Value, atStart bool) {
		at := uint32(0)
		switch v.Kind {
		case types.IsNum:
			i, exact := slices.BinarySearchFunc(w.moves.d.numbers, v.Num, fixed.Num.Cmp)
			if at = uint32(2 * i); exact {
				at++
			}
		case types.IsBool:
			if v.Bool {
				at = 1
			}
		default:
			h := fnv.New32a()
			_, _ = h.Write([]byte(v.Text))
			at = h.Sum32()
		}
		one := atom(what*2654435761 ^ at*40503 + what)
		if atStart {
			start = append(start, one)
		} else {
			out = append(out, one)
		}
	})
	return out, start
}

// news remembers the values and pairs that were seen.
type news struct {
	alone    map[atom]bool
	together map[uint64]bool
}

// of says what is new in a state, among the states that are equally far from the goal, and remembers it.
func (n *news) of(gap float64, atoms, start []atom) newness {
	out := nothingNew
	n.each(gap, atoms, start, func(a atom) bool {
		if !n.alone[a] {
			n.alone[a], out = true, newAlone
		}
		return true
	}, func(pair uint64) bool {
		if !n.together[pair] {
			n.together[pair], out = true, min(out, newTogether)
		}
		return true
	})
	return out
}

// has says whether anything in a state is new, and does not remember it.
func (n *news) has(gap float64, atoms, start []atom) bool {
	return !n.each(gap, atoms, start, func(a atom) bool { return n.alone[a] }, func(pair uint64) bool { return n.together[pair] })
}

// each hands out the values of a state, and the pairs of them, as long as it is told to go on; it returns whether it was told
// so to the end. Start values make no pairs: nearly all values are start values.
func (n *news) each(gap float64, atoms, start []atom, alone func(atom) bool, together func(uint64) bool) bool {
	salt := atom(math.Float64bits(gap) >> 32 * 2654435761)
	for _, a := range start {
		if !alone(a ^ salt) {
			return false
		}
	}
	for i, a := range atoms {
		a ^= salt
		if !alone(a) {
			return false
		}
		for _, b := range atoms[:i] {
			b ^= salt
			if !together(uint64(min(a, b))<<32 | uint64(max(a, b))) {
				return false
			}
		}
	}
	return true
}

// waiting is a queue of states to expand: the nearest first, then in the order in which they were found.
type waiting []wait

type wait struct {
	gap float64
	at  int32
}

func (q *waiting) add(gap float64, at int32) { heap.Push(q, wait{gap, at}) }

func (q *waiting) next() (int32, bool) {
	if len(*q) == 0 {
		return 0, false
	}
	return heap.Pop(q).(wait).at, true
}

// Len, Less, Swap, Push and Pop are those of container/heap.
func (q waiting) Len() int { return len(q) }

// Less says which of two comes first.
func (q waiting) Less(a, b int) bool {
	return q[a].gap < q[b].gap || q[a].gap == q[b].gap && q[a].at < q[b].at
}

// Swap changes two.
func (q waiting) Swap(a, b int) { q[a], q[b] = q[b], q[a] }

// Push adds one.
func (q *waiting) Push(x any) { *q = append(*q, x.(wait)) }

// Pop takes the last one out.
func (q *waiting) Pop() any {
	last := (*q)[len(*q)-1]
	*q = (*q)[:len(*q)-1]
	return last
}

// gaps are what a search tries to bring to 0: its questions, or the passages' conditions if it has no questions.
type gaps struct {
	asks  []*expr.Gap // of each question; nil of progress
	gates []*expr.Gap
}

func gapsOf(m *model.Model, asks []question) gaps {
	var out gaps
	for _, q := range asks {
		switch {
		case q.goal != nil:
			out.asks = append(out.asks, q.goal.Reach.Gap())
		case q.mile.When != nil:
			out.asks = append(out.asks, q.mile.When.Gap())
		default:
			out.asks = append(out.asks, nil)
		}
	}
	for _, p := range m.Passages {
		if p.If != nil && len(asks) == 0 {
			out.gates = append(out.gates, p.If.Gap())
		}
	}
	return out
}

// gap is how far the worker's state is from the questions that have not held yet.
func (w *worker) gap(had uint64) float64 {
	watcher := engine.Watcher{Run: w.run, Of: w.moves.players[0]}
	ask := func(p *expr.Program) (types.Value, bool) {
		v, err := watcher.Ask(p)
		return v, err == nil
	}
	sum := 0.0
	for i, g := range w.gaps.asks {
		switch {
		case had&(1<<i) != 0:
		case g != nil:
			sum += g.Of(ask)
		default:
			if v, ok := ask(w.asks[i].mile.Progress); ok {
				sum += math.Max(0, w.asks[i].mile.Goal.Float()-v.Num.Float())
			}
		}
	}
	for _, g := range w.gaps.gates {
		sum += g.Of(ask)
	}
	return sum
}
