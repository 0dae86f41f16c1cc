package scout

import (
	"cmp"
	"slices"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
)

// Cost is something of a state that makes many states of few: a variable, or what is built in.
type Cost struct {
	Name   string `json:"name"`
	States int    `json:"states"` // that would be left if it were not told apart, of those that were looked at
}

// mostWeighed is how many states are looked at, the first ones; mostCosts is how many costs are named.
const (
	mostWeighed = 5000
	mostCosts   = 4
)

// costs are what tells most states apart, and how many states were looked at for it. What leaves nearly all of them is not
// named.
func (x *search) costs() (of int, most []Cost) {
	of = min(len(x.nodes), mostWeighed)
	w := x.worker()
	without := x.s.without()
	seen := make([]map[key]bool, len(without))
	for i := range seen {
		seen[i] = map[key]bool{}
	}
	for at := range of {
		w.recall(x.stateAt(int32(at)))
		for i := range without {
			seen[i][w.keyWith(without[i].lens, x.nodes[at].had)] = true
		}
	}
	for i, one := range without {
		if left := len(seen[i]); 10*left <= 9*of {
			most = append(most, Cost{one.name, left})
		}
	}
	slices.SortStableFunc(most, func(a, b Cost) int { return cmp.Compare(a.States, b.States) })
	return of, most[:min(len(most), mostCosts)]
}

// Share is what Cost is, of all searches: the percentage of the states that would be left in the one where it costs most.
type Share struct {
	Name    string
	Percent int
}

// Costs are what tells most states apart in any search that had too many, the dearest first.
func (r *Report) Costs() []Share {
	var out []Share
	for _, x := range r.Searches {
		for _, one := range x.Costs {
			share := Share{one.Name, max(1, 100*one.States/x.Looked)}
			if i := slices.IndexFunc(out, func(s Share) bool { return s.Name == one.Name }); i < 0 {
				out = append(out, share)
			} else {
				out[i].Percent = min(out[i].Percent, share.Percent)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Share) int { return cmp.Compare(a.Percent, b.Percent) })
	return out[:min(len(out), mostCosts+1)]
}

// lesser is a lens that shows all but one thing.
type lesser struct {
	name string
	lens *engine.Lens
}

// without are the lenses that show all of the slice but one thing each.
func (s *slice) without() []lesser {
	var out []lesser
	add := func(name string, but func(*engine.Lens)) {
		one := *s.lens()
		but(&one)
		out = append(out, lesser{name, &one})
	}
	for at, h := range s.m.Holders {
		for _, slot := range s.lens().Slots[at] {
			add(h.Stored[slot].Name, func(l *engine.Lens) {
				l.Slots = slices.Clone(l.Slots)
				l.Slots[at] = slices.DeleteFunc(slices.Clone(l.Slots[at]), func(i int) bool { return i == slot })
			})
		}
	}
	for _, mark := range s.m.Waymarks {
		if s.marks[mark.Index] {
			add("the waymark "+mark.ID, func(l *engine.Lens) {
				l.Marks = slices.Clone(l.Marks)
				l.Marks[mark.Index] = false
			})
		}
	}
	if s.timers && slices.ContainsFunc([][]model.Timer{s.m.Timers, s.m.OwnTimers}, func(t []model.Timer) bool { return len(t) > 0 }) {
		add("when timers are due", func(l *engine.Lens) { l.Timers = false })
	}
	if s.clock {
		add("the time of the session", func(l *engine.Lens) { l.Clock = false })
	}
	if slices.Contains(s.lens().Exact, true) {
		add("where players are in a scene", func(l *engine.Lens) { l.Exact = make([]bool, len(l.Exact)) })
	}
	return out
}
