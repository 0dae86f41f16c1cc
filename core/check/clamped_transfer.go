package check

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).clampedTransfers,
	finding.Kind{ID: "clamped-transfer", Severity: finding.Warning,
		Title: "A transfer of which one side can stop at its limit",
		Why:   "At the limit value is made out of nothing, or lost.",
		Do:    "Ask first whether there is enough, and enough room, or say at_limit: refuse."},
)

// clampedTransfers reports rules that take from one number and give the same to another, where one of the
// two may be moved to its limit and nothing asks for it first. What is taken in one branch and given in another is
// no transfer.
func (c *checker) clampedTransfers() {
	byRule := map[*model.Rule][]model.Effect{}
	for _, e := range c.m.Effects {
		if c.does(e).adds {
			byRule[e.Rule] = append(byRule[e.Rule], e)
		}
	}
	for _, r := range c.m.Rules {
		for _, from := range byRule[r] {
			taken, ok := takes(c.does(from).terms)
			if !ok {
				continue
			}
			for _, to := range byRule[r] {
				if to.Block == from.Block && opposite(c.does(from).terms, c.does(to).terms) {
					c.clamped(taken, from, to)
				}
			}
		}
	}
}

var _ = judges((*checker).heldTwice)

// heldTwice reports items that a rule takes out of one list and puts into a set: whoever has such an item already has
// it once after that, too, and the other is lost.
func (c *checker) heldTwice() {
	for _, to := range c.m.Effects {
		if to.Action.Change != model.PutsIn || to.Action.Var.Type.Kind != types.Set || c.asksFor(to) {
			continue
		}
		for _, from := range c.m.Effects {
			if from.Action.Change == model.TakesOut && from.Rule == to.Rule && from.Block == to.Block &&
				from.Action.Value.Source == to.Action.Value.Source {
				c.report("clamped-transfer", to.Action.At, ofRule(to.Rule),
					"This rule moves %s from %s to %s, which is a set: where it is there already, it is there once after that, too, and what was taken is lost.",
					to.Action.Value.Source, from.Action.Var.Name, to.Action.Var.Name)
			}
		}
	}
}

func (c *checker) clamped(taken string, from, to model.Effect) {
	for _, side := range []model.Effect{from, to} {
		if v := side.Action.Var; !v.Refuse && !c.asksFor(side) {
			c.report("clamped-transfer", side.Action.At, ofRule(side.Rule),
				"This rule moves %s from %s to %s; where %s is at its limit it stays there, and the other changes all the same.", taken, from.Action.Var.Name, to.Action.Var.Name, v.Name)
		}
	}
}

// takes is how much terms take away, as it is written; false where they give.
func takes(terms []expr.Term) (string, bool) {
	text := ""
	for i, t := range terms {
		switch {
		case i == 0 && !t.Minus:
			return "", false
		case i > 0 && t.Minus:
			text += " + "
		case i > 0:
			text += " - "
		}
		text += t.Source
	}
	return text, text != ""
}

// asksFor says whether a condition of the rule or of its event reads the very value that an action changes.
func (c *checker) asksFor(e model.Effect) bool {
	same := func(r expr.Ref) bool { return r == e.Action.Target }
	if e.Rule.If != nil && e.Rule.If.ReadsAny(same) || e.Rule.Event != nil && e.Rule.Event.If != nil &&
		e.Rule.Event.If.ReadsAny(same) {
		return true
	}
	for _, other := range c.m.Effects {
		if other.Rule == e.Rule && other.Action.If != nil && other.Action.If.ReadsAny(same) {
			return true
		}
	}
	return false
}
