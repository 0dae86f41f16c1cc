package check

import (
	"slices"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = judges((*checker).resetApart,
	finding.Kind{ID: "reset-apart", Severity: finding.Warning,
		Title: "Set from another value, and only one of the two is reset",
		Why:   "After the crossing one of them says what is no longer so.",
		Do:    "Give both the same fate at that crossing, or accept this with the reason."},
)

// resetApart reports a value that a rule sets from another, of which only one is reset at a crossing; and
// milestones that say themselves that they stay when what they count is reset.
func (c *checker) resetApart() {
	for _, e := range c.m.Effects {
		b := e.Action.Var
		if e.Action.Value == nil || !c.does(e).sets {
			continue
		}
		for _, r := range e.Action.Value.Reads {
			a := c.m.VarOf(r.Ref)
			if a == nil || a == b || a.Computed() || a.Hold != b.Hold || c.constants[a] {
				continue
			}
			if cross, ok := c.apart(a.Fates, b.Fates, c.meantAt(e.Rule.Moment)); ok {
				c.report("reset-apart", e.Action.At, ofRule(e.Rule),
					"%s is set from %s here, and at %s only one of the two is reset.", b.Name, a.Name, cross)
			}
		}
	}
	for _, m := range c.m.Milestones {
		c.milestoneApart(m)
	}
}

// momentOf are the crossings of every game that moments belong to.
var momentOf = map[string]plan.Crossing{
	"died": plan.CrossDeath, "came-back": plan.CrossDeath, "departed": plan.CrossScene, "arrived": plan.CrossScene,
	"left": plan.CrossLeave, "joined": plan.CrossLeave, "loaded": plan.CrossLeave, "started": plan.CrossNewRun,
}

// meantAt are the crossings that belong to a moment: that what is set just then is apart afterwards is what is meant.
func (c *checker) meantAt(m plan.Moment) []plan.Crossing {
	out := []plan.Crossing{momentOf[m.Kind]}
	for _, cross := range c.m.Crossings {
		own := cross.Own()
		if own != nil && (m.Kind == "crossed" && m.Of == cross.String() || slices.ContainsFunc(own.On, m.Same)) {
			out = append(out, cross)
		}
	}
	return out
}

// apart finds a crossing at which only one of two values is reset.
func (c *checker) apart(a, b model.Fates, meant []plan.Crossing) (plan.Crossing, bool) {
	for _, cross := range c.m.Crossings {
		if slices.Contains(meant, cross) {
			continue
		}
		if x, y := a.At(cross).Kind, b.At(cross).Kind; x == "reset" && y == "keep" || x == "keep" && y == "reset" {
			return cross, true
		}
	}
	return plan.Crossing{}, false
}

func (c *checker) milestoneApart(m *model.Milestone) {
	for _, p := range []*expr.Program{m.When, m.Progress} {
		if p == nil {
			continue
		}
		for _, r := range p.Reads {
			v := c.m.VarOf(r.Ref)
			for _, cross := range c.m.Crossings {
				if v != nil && m.Fates.At(cross).By == model.ByItself &&
					(v.Holder == model.OfPlayer || v.Holder.OfProfiles()) &&
					(m.Fates.At(cross).Kind == "reset" && v.Fates.At(cross).Kind == "keep" ||
						m.Fates.At(cross).Kind == "keep" && v.Fates.At(cross).Kind == "reset") {
					c.report("reset-apart", m.Fates.At(cross).At, ofMilestone(m),
						"The milestone %s counts %s, and at %s only one of the two is reset.", m.ID, v.Name, cross)
				}
			}
		}
	}
}
