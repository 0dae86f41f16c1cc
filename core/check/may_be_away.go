package check

import (
	"slices"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
)

var _ = judges((*checker).mayBeAway,
	finding.Kind{ID: "may-be-away", Severity: finding.Note, Title: "Written through a reference to somebody who may be away",
		Why: "While they are not in the session, the event is refused whole.",
		Do:  "Ask first whether they are there, or clear the reference when they leave."},
)

// mayBeAway reports what is written of another player through a reference, where nothing asks whether they are there.
func (c *checker) mayBeAway() {
	for _, e := range c.m.Effects {
		if e.Action.Var != nil && !e.Maybe && e.Action.Target.Who == expr.Through && !asksThrough(e) {
			c.report("may-be-away", e.Action.At, ofRule(e.Rule),
				"%s is written of whoever a reference leads to, and nothing asks whether they are in the session: has(…) of what they have does.",
				e.Action.Var.Name)
		}
	}
}

// asksThrough says whether a condition that leads to an action reads anything through the same reference: it can do so
// only behind has, which asks whether they are there.
func asksThrough(e model.Effect) bool {
	same := func(r expr.Ref) bool { return r.Who == expr.Through && *r.Via == *e.Action.Target.Via }
	guards := e.Guards
	if e.Rule.Event != nil {
		guards = append(slices.Clone(guards), e.Rule.Event.If)
	}
	return slices.ContainsFunc(guards, func(p *expr.Program) bool { return p != nil && p.ReadsAny(same) })
}
