package check

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = judges((*checker).neverCrossed,
	finding.Kind{ID: "never-crossed", Severity: finding.Warning, Title: "A crossing that nothing sets off",
		Why: "Its column of the matrix decides what never happens.",
		Do:  "Say in on what sets it off, or let a rule change what it waits for."},
)

// neverCrossed reports crossings of the plan's own that wait only for what never happens: the change of what nothing
// writes, or another crossing of which the same is so.
func (c *checker) neverCrossed() {
	happens := map[string]bool{}
	for again := true; again; {
		again = false
		for _, own := range c.m.OwnCrossings {
			if !happens[own.String()] && c.mayHappen(own, happens) {
				happens[own.String()], again = true, true
			}
		}
	}
	for _, own := range c.m.OwnCrossings {
		if !happens[own.String()] {
			e := &c.m.Plan.Crossings.Entries[own.Index]
			c.report("never-crossed", e.At, about{"crossings." + e.ID, &e.Value.Accept},
				"Nothing sets off the crossing %s: what it waits for never happens.", e.ID)
		}
	}
}

func (c *checker) mayHappen(own *model.OwnCrossing, happens map[string]bool) bool {
	may := func(m plan.Moment) bool {
		switch m.Kind {
		case "changed":
			v := c.m.Var(m.Of)
			return v == nil || !c.constants[v]
		case "crossed":
			return happens[m.Of]
		}
		return true
	}
	for _, m := range own.Own().On {
		if may(m) {
			return true
		}
	}
	return own.Calendar != nil
}
