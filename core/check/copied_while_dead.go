package check

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
)

var _ = judges((*checker).copiedWhileDead,
	finding.Kind{ID: "copied-while-dead", Severity: finding.Warning, Title: "Copied at the moment of death",
		Why: "The value is about to go through the death column; what is copied may be zero or about to be reset.",
		Do:  "Copy it on came-back, or before the player dies."},
)

// copiedWhileDead reports copies of what led to death, made at the moment of death.
func (c *checker) copiedWhileDead() {
	deadly := map[*model.Var]bool{}
	for _, e := range c.m.Effects {
		if e.Action.Turn == model.Dies {
			for _, g := range e.Guards {
				for _, r := range g.Reads {
					deadly[c.m.VarOf(r.Ref)] = true
				}
			}
		}
	}
	for _, e := range c.m.Effects {
		if e.Rule.Moment.Kind != "died" || e.Action.Value == nil || !c.does(e).sets {
			continue
		}
		for _, r := range e.Action.Value.Reads {
			if v := c.m.VarOf(r.Ref); v != nil && v != e.Action.Var && deadly[v] {
				c.report("copied-while-dead", e.Action.At, ofRule(e.Rule),
					"%s is copied to %s at the moment of death, when it is what led to death.", v.Name, e.Action.Var.Name)
			}
		}
	}
}
