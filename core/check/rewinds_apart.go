package check

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = judges((*checker).rewindsApart,
	finding.Kind{ID: "rewinds-apart", Severity: finding.Warning,
		Title: "Two changes of one rule, of which only one rewinds at death",
		Why:   "After a death one of the two is taken back and the other is not: something is lost or had twice.",
		Do:    "Give both the same fate at death."},
)

// rewindsApart reports rules that change something that rewinds together with something that does not.
func (c *checker) rewindsApart() {
	type change struct{ back, stays *model.Var }
	rules := map[*model.Rule]*change{}
	for _, e := range c.m.Effects {
		v := e.Action.Var
		if v == nil {
			continue
		}
		if rules[e.Rule] == nil {
			rules[e.Rule] = &change{}
		}
		switch f := v.Fates.At(plan.CrossDeath); {
		case f.Kind == "rewind":
			rules[e.Rule].back = v
		case f.Kind == "keep" || f.By == model.NotAtAll:
			rules[e.Rule].stays = v
		}
	}
	for _, r := range c.m.Rules {
		if ch := rules[r]; ch != nil && ch.back != nil && ch.stays != nil {
			c.report("rewinds-apart", r.At, ofRule(r),
				"This rule changes %s, which rewinds at death, together with %s, which does not.", ch.back.Name, ch.stays.Name)
		}
	}
}
