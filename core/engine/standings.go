package engine

import (
	"slices"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// rank weighs the number that a standing orders a player by, and keeps it where it counts.
func (t *tx) rank(p *Player, s *model.Standing) {
	f := frame{run: t.run}
	f.about(p)
	counts := s.If == nil || s.If.True(&f)
	to := types.None
	if counts && f.err == nil {
		to = s.Rank.Eval(&f)
	}
	if f.err != nil || s.Best && !better(s, to, p.ranks[s.Index]) || p.ranks[s.Index] == to {
		return
	}
	t.touch(p)
	t.cause = &Cause{Kind: "request", Moment: "standing: " + s.ID}
	t.note(p, "player.standings."+s.ID, p.ranks[s.Index], to)
	ranks := slices.Clone(p.ranks)
	ranks[s.Index] = to
	p.ranks = ranks
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
