package engine

import (
	"slices"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// number is what a standing orders by now; none where it does not count. False where what counted before stays.
func (f *frame) number(s *model.Standing, before types.Value) (types.Value, bool) {
	counts := s.If == nil || s.If.True(f)
	to := types.None
	if counts && f.err == nil {
		to = s.Rank.Eval(f)
	}
	return to, f.err == nil && (!s.Best || better(s, to, before)) && to != before
}

// rank evaluates the number that a standing orders a player by, and keeps it where it counts.
func (t *tx) rank(p *Player, s *model.Standing) {
	f := t.other()
	f.about(p)
	to, counts := f.number(s, p.ranks[s.Index])
	if !counts {
		return
	}
	t.touch(p)
	t.cause = &Cause{Kind: "request", Moment: "standing: " + s.ID}
	t.note(p, "player.standings."+s.ID, p.ranks[s.Index], to)
	ranks := slices.Clone(p.ranks)
	ranks[s.Index] = to
	p.ranks = ranks
}

// rankOptions evaluates the numbers that a standing orders the options of its list by (rule 28). They are the world's.
func (t *tx) rankOptions(s *model.Standing) {
	t.cause = &Cause{Kind: "request", Moment: "standing: " + s.ID}
	var now []types.Value // those that count, where they are others than before
	for i, option := range s.List.Options {
		before := t.run.optionRank(s, i)
		f := t.other()
		f.aboutOwner(owner{s.List.Own.Index, nil, i})
		to, counts := f.number(s, before)
		if !counts {
			continue
		}
		t.res.Changes = append(t.res.Changes, Change{Name: "standings." + s.ID, Option: option.ID,
			From: before, To: to, Cause: t.cause})
		if now == nil {
			now = make([]types.Value, len(s.List.Options))
			if t.run.ranks != nil {
				copy(now, t.run.ranks[s.Index])
			}
		}
		now[i] = to
	}
	if now == nil {
		return
	}
	all := make([][]types.Value, len(t.run.m.Standings))
	copy(all, t.run.ranks)
	all[s.Index] = now
	t.run.ranks = all
}

// optionRank is the number that counts of an option; none where none does.
func (r *Run) optionRank(s *model.Standing, option int) types.Value {
	if r.ranks == nil || r.ranks[s.Index] == nil {
		return types.None
	}
	return r.ranks[s.Index][option]
}

// RankedOptions are the options that have a place in a standing of options, the best first, those with the same number
// in the list's order.
func (r *Run) RankedOptions(standing int) []Ranked {
	s := r.m.Standings[standing]
	if s.List == nil {
		return nil
	}
	numbers := map[string]fixed.Num{}
	for i, option := range s.List.Options {
		if n := r.optionRank(s, i); !n.IsNone() {
			numbers[option.ID] = n.Num
		}
	}
	return RankedIn(s, numbers)
}

// RankedIn orders the options of a standing of options by their numbers, as RankedOptions does.
func RankedIn(s *model.Standing, numbers map[string]fixed.Num) []Ranked {
	var out []Ranked
	for _, option := range s.List.Options {
		if n, ok := numbers[option.ID]; ok {
			out = append(out, Ranked{ID: option.ID, Number: n})
		}
	}
	slices.SortStableFunc(out, func(a, b Ranked) int {
		if s.High {
			return b.Number.Cmp(a.Number)
		}
		return a.Number.Cmp(b.Number)
	})
	return out
}

// optionRanksOut are the numbers of options that count, by standing and option.
func (r *Run) optionRanksOut() map[string]map[string]fixed.Num {
	var out map[string]map[string]fixed.Num
	for _, s := range r.m.Standings {
		for _, x := range r.RankedOptions(s.Index) {
			if out == nil {
				out = map[string]map[string]fixed.Num{}
			}
			if out[s.ID] == nil {
				out[s.ID] = map[string]fixed.Num{}
			}
			out[s.ID][x.ID] = x.Number
		}
	}
	return out
}

// optionRanksIn takes the numbers of options out of a saved world.
func (r *Run) optionRanksIn(saved map[string]map[string]fixed.Num) [][]types.Value {
	if len(saved) == 0 {
		return nil
	}
	out := make([][]types.Value, len(r.m.Standings))
	for i, s := range r.m.Standings {
		if s.List == nil || len(saved[s.ID]) == 0 {
			continue
		}
		out[i] = make([]types.Value, len(s.List.Options))
		for at, option := range s.List.Options {
			if n, ok := saved[s.ID][option.ID]; ok {
				out[i][at] = types.OfNum(n)
			}
		}
	}
	return out
}

// better says whether a number comes before another in a standing; every number comes before none.
func better(s *model.Standing, a, b types.Value) bool {
	switch {
	case a.IsNone() || b.IsNone():
		return !a.IsNone()
	case s.High:
		return b.Num.Less(a.Num)
	}
	return a.Num.Less(b.Num)
}

// ranksOut are the numbers of a player that count, by the standings' ids.
func (r *Run) ranksOut(p *Player) map[string]fixed.Num {
	var out map[string]fixed.Num
	for i, v := range p.ranks {
		if v.IsNone() {
			continue
		}
		if out == nil {
			out = map[string]fixed.Num{}
		}
		out[r.m.Standings[i].ID] = v.Num
	}
	return out
}
