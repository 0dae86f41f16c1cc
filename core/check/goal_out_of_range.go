package check

import (
	"slices"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).milestones,
	finding.Kind{ID: "goal-out-of-range", Severity: finding.Warning, Title: "A goal that progress can never reach",
		Why: "The milestone can never be earned.",
		Do:  "Lower the goal, or widen the limits of what it counts."},
	finding.Kind{ID: "goal-never-nears", Severity: finding.Warning, Title: "Nothing brings the goal nearer",
		Why: "Nothing in the plan changes what the milestone counts, so it is never earned.",
		Do:  "Write a rule that raises it, or say written_by: game."},
)

// milestones reports milestones that nobody can ever earn.
func (c *checker) milestones() {
	for _, m := range c.m.Milestones {
		of := ofMilestone(m)
		p := m.Progress
		switch {
		case slices.ContainsFunc(c.m.Effects, func(e model.Effect) bool { return e.Action.Earns == m }): // a rule gives it
		case p == nil:
			if known, rests := c.truth(m.When); known == types.False {
				c.report("always-refused", m.When.At, of, "The milestone %s is never earned: %s%s %s hold.", m.ID,
					because(rests), m.When.Source, never(rests))
			}
		case p.Type.Range.HasHi && p.Type.Range.Hi.Less(m.Goal):
			c.report("goal-out-of-range", m.Decl.Goal.At, of,
				"%s goes up to %s, so the goal %s of %s is never reached.", p.Source, p.Type.Range.Hi, m.Goal, m.ID)
		case c.standsStill(p) && c.below(p, m.Goal):
			c.report("goal-never-nears", p.At, of, "Nothing in this plan changes %s, so %s is never earned.", p.Source,
				m.ID)
		}
	}
}

// below says whether what nothing changes is below a number from the start.
func (c *checker) below(p *expr.Program, goal fixed.Num) bool {
	r := p.Under(c.neverWritten).Range
	return r.HasHi && r.Hi.Less(goal)
}

// standsStill says whether nothing that an expression reads can ever change.
func (c *checker) standsStill(p *expr.Program) bool {
	for _, r := range p.Reads {
		v := c.m.VarOf(r.Ref)
		if v == nil || v.Computed() || v.Stopwatch || !c.constants[v] {
			return false
		}
	}
	return true
}
