package check

import (
	"slices"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).metAgain,
	finding.Kind{ID: "met-again", Severity: finding.Warning, Title: "A reward that another session gives again",
		Why: "Who joins a session that has counted the crossing otherwise than the one before meets it on the way in (rule 41), so that leaving and coming gives it once more.",
		Do:  "Give it where the event happens, to who is there; or let a crossing of the calendar give it, which nobody meets twice."},
)

// metAgain reports what a player gains at a crossing that each session counts for itself, and keeps on leaving.
func (c *checker) metAgain() {
	for _, e := range c.m.Effects {
		own := c.m.OwnCrossing(e.Rule.Moment.Of)
		if e.Rule.Moment.Kind != "crossed" || own == nil || !c.countedBySessions(own) ||
			e.Action.Target.Who != expr.Self || !c.leavesWith(e.Action.Var, own.Crossing) {
			continue
		}
		if d := c.does(e); d.adds && gains(d.by) {
			c.report("met-again", e.Action.At, ofRule(e.Rule),
				"%s grows here, and who goes to another session meets %s there again.",
				e.Action.Var.Name, own)
		}
	}
	for _, own := range c.m.OwnCrossings {
		for _, v := range c.m.Vars {
			f := v.Fates.At(own.Crossing)
			if c.countedBySessions(own) && f.Kind == "set" && c.leavesWith(v, own.Crossing) && c.grows(v, f.Set) {
				c.report("met-again", f.At, ofVar(v),
					"%s grows at %s, and who goes to another session meets %s there again.",
					v.Name, own, own)
			}
		}
	}
}

// countedBySessions says whether each session counts a crossing for itself, and lets who has met another number of them
// meet it on joining.
func (c *checker) countedBySessions(own *model.OwnCrossing) bool {
	if own.Calendar != nil || c.m.Single {
		return false
	}
	byNobody := func(m plan.Moment) bool {
		e := c.m.Event(m.Of)
		return m.Kind == "event" && e != nil && !e.Self
	}
	return own.World || slices.ContainsFunc(own.Own().On, byNobody)
}

// leavesWith says whether a player takes a number along to another session, and the crossing lets it be.
func (c *checker) leavesWith(v *model.Var, at plan.Crossing) bool {
	if v == nil || !v.Holder.OfPlayers() || !v.Type.Numeric() || v.Fates.At(at).Kind == "reset" {
		return false
	}
	return v.Holder.OfProfiles() || v.Fates.At(plan.CrossLeave).Kind == "keep"
}

// grows says whether an expression is the variable's own value and something more.
func (c *checker) grows(v *model.Var, to *expr.Program) bool {
	if to == nil {
		return false
	}
	mine := func(r expr.Ref) bool { return c.m.VarOf(r) == v }
	for _, r := range to.Reads {
		if _, ok := to.Increment(r.Path); ok && mine(r.Ref) {
			return gains(to.Under(func(r expr.Ref, t types.Type) types.Type {
				if mine(r) {
					t.Range = types.Exactly(fixed.Num{})
				}
				return t
			}).Range)
		}
	}
	return false
}

// gains says whether a number can be more than 0.
func gains(by types.Range) bool { return !by.HasHi || by.Hi.Sign() > 0 }
