package check

import (
	"fmt"
	"slices"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).progressDrops,
	finding.Kind{ID: "progress-drops", Severity: finding.Note, Title: "Progress is set, not raised",
		Why: "Replaying an early part lowers what a gate, a milestone or a standing asks for.",
		Do:  "Use raise in place of set."},
)

// progressDrops reports progress that something asks for and that a rule may lower by setting it: once for each rule,
// whoever asks. A number of which a rule takes away is a stock, not progress.
func (c *checker) progressDrops() {
	askers := c.askers()
	for _, v := range c.m.Vars {
		if v.Type.Numeric() && v.Holder == model.OfPlayer && len(askers[v]) > 0 && !c.stock(v) {
			c.dropped(v, askers[v])
		}
	}
}

// askers are the gates, milestones and standings that read each variable, itself or through computed ones.
func (c *checker) askers() map[*model.Var][]string {
	out := map[*model.Var][]string{}
	add := func(text string, programs ...*expr.Program) {
		seen := map[*model.Var]bool{}
		for _, p := range programs {
			for _, r := range c.deep(p) {
				if v := c.m.VarOf(r.Ref); v != nil && !seen[v] {
					seen[v], out[v] = true, append(out[v], text)
				}
			}
		}
	}
	for _, p := range c.m.Passages {
		add("the passage "+p.ID+" asks for", p.If)
	}
	for _, m := range c.m.Milestones {
		add("the milestone "+m.ID+" asks for", m.When, m.Progress)
	}
	for _, s := range c.m.Standings {
		if s.High {
			who := "players"
			if s.List != nil {
				who = "options"
			}
			add("the standing "+s.ID+" orders "+who+" by", s.Rank)
		}
	}
	return out
}

// stock says whether a rule takes something away from a number.
func (c *checker) stock(v *model.Var) bool {
	return slices.ContainsFunc(c.writes[v], func(e model.Effect) bool {
		d := c.does(e)
		return d.lowers || d.adds && (!d.by.HasHi || d.by.Hi.Sign() <= 0)
	})
}

func (c *checker) dropped(v *model.Var, askers []string) {
	more := ""
	if n := len(askers) - 1; n > 0 {
		more = fmt.Sprintf(" (and %d more)", n)
	}
	for _, e := range c.writes[v] {
		if d := c.does(e); !d.sets || e.Action.Value == nil || c.comparesFirst(e) {
			continue
		}
		for _, f := range c.writes[v] {
			if !lower(c.does(e).to, c.does(f)) {
				continue
			}
			from := fmt.Sprintf("from what line %d gave", f.Action.At.Line)
			if f.Action == e.Action {
				from = "from what it gave before"
			}
			c.report("progress-drops", e.Action.At, ofRule(e.Rule), "%s, which %s%s, can go down here %s.", v.Name,
				askers[0], more, from)
			break
		}
	}
}

// comparesFirst says whether a condition compares the variable with what it is to become, or makes sure that it is
// not higher.
func (c *checker) comparesFirst(e model.Effect) bool {
	v := e.Action.Var
	isIt := func(r expr.Ref) bool { return r == e.Action.Target }
	for _, g := range e.Guards {
		if !g.ReadsAny(isIt) {
			continue
		}
		for _, r := range e.Action.Value.Reads {
			if g.ReadsAny(func(x expr.Ref) bool { return x == r.Ref }) {
				return true
			}
		}
		to := e.Action.Value.Type.Range
		if !to.HasLo {
			continue
		}
		above := g.Under(func(r expr.Ref, t types.Type) types.Type {
			if lo, err := to.Lo.Add(v.Step); isIt(r) && err == nil && !v.Max.Less(lo) {
				t.Range = types.Between(lo, v.Max, v.Step)
			}
			return t
		})
		if above.Truth == types.False {
			return true
		}
	}
	return false
}

// lower says whether a set value can lie below what an action gives.
func lower(set types.Range, other deed) bool {
	if other.adds {
		return other.by.HasHi && other.by.Hi.Sign() > 0
	}
	return set.HasLo && other.to.HasHi && set.Lo.Less(other.to.Hi)
}
