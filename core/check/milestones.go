package check

import (
	"alluvion/core/expr"
	"alluvion/core/types"
)

// milestones reports milestones that nobody can ever earn.
func (c *checker) milestones() {
	for _, m := range c.m.Milestones {
		of := ofMilestone(m)
		p := m.Progress
		switch {
		case p == nil:
			if known, rests := c.truth(m.When); known == types.False {
				c.report("always-refused", m.When.At, of, "The milestone %s is never earned: %s%s %s hold.", m.ID, because(rests), m.When.Source, never(rests))
			}
		case p.Type.Range.HasHi && p.Type.Range.Hi.Less(m.Goal):
			c.report("goal-out-of-range", m.Decl.Goal.At, of, "%s goes up to %s, so the goal %s of %s is never reached.", p.Source, p.Type.Range.Hi, m.Goal, m.ID)
		case c.standsStill(p):
			c.report("goal-never-nears", p.At, of, "Nothing in this plan changes %s, so %s is never earned.", p.Source, m.ID)
		}
	}
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
