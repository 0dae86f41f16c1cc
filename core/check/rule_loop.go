package check

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
)

var _ = judges((*checker).ruleLoops,
	finding.Kind{ID: "rule-loop", Severity: finding.Warning, Title: "Rules set each other off without end",
		Why: "The event is refused after 256 steps.",
		Do:  "Put a condition on the way."},
)

// ruleLoops reports rules that certainly set each other off more often than one event may: no condition
// stands on the way, and no limit ends it.
func (c *checker) ruleLoops() {
	next := map[*model.Rule][]model.Effect{} // what each rule sets off for certain
	for _, e := range c.m.Effects {
		if len(e.Guards) == 0 && !e.Maybe && !e.Action.Each {
			next[e.Rule] = append(next[e.Rule], e)
		}
	}
	for _, r := range c.m.Rules {
		if e, ok := c.comesBack(r, r, next, map[*model.Rule]bool{}); ok {
			c.report("rule-loop", e.Action.At, ofRule(r),
				"This sets off the rule on line %d again, and so on: the event is refused after 256 steps.", r.At.Line)
		}
	}
}

// comesBack finds the action of a rule that leads back to it.
func (c *checker) comesBack(from, to *model.Rule, next map[*model.Rule][]model.Effect,
	seen map[*model.Rule]bool) (model.Effect, bool) {
	if seen[from] {
		return model.Effect{}, false
	}
	seen[from] = true
	for _, e := range next[from] {
		for _, r := range c.setsOff(e) {
			if r == to {
				return e, true
			}
			if _, ok := c.comesBack(r, to, next, seen); ok {
				return e, true
			}
		}
	}
	return model.Effect{}, false
}

// setsOff lists the rules that an action certainly sets off, each time anew.
func (c *checker) setsOff(e model.Effect) []*model.Rule {
	switch a := e.Action; {
	case a.Sends != nil && a.Sends.If == nil:
		return a.Sends.Rules
	case a.Turn == model.StartsOver:
		return c.m.On("started")
	case a.Var != nil && c.alwaysChanges(e):
		return c.m.OnChanged(a.Var)
	}
	return nil
}

// alwaysChanges says whether adding changes a number every time, more often than one event may do anything.
func (c *checker) alwaysChanges(e model.Effect) bool {
	d := c.does(e)
	r := d.by
	if !d.adds || !r.Bounded() || r.Lo.Sign() <= 0 && r.Hi.Sign() >= 0 {
		return false
	}
	room, err := e.Action.Var.Max.Sub(e.Action.Var.Min)
	most := fixed.Max(r.Lo.Abs(), r.Hi.Abs())
	steps, err2 := room.Div(most)
	return err != nil || err2 == nil && fixed.FromInt(256).Less(steps)
}
