package check

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).lostAtLeave,
	finding.Kind{ID: "lost-at-leave", Severity: finding.Warning,
		Title: "Lost when play ends, though it is read when play begins",
		Why:   "The player chose or reached it, and the next visit begins without it.",
		Do:    "Keep it at leave, or accept this with the reason."},
)

// lostAtLeave reports what a player chose or reached, and the next visit asks for and does not find.
func (c *checker) lostAtLeave() {
	for _, v := range c.m.Vars {
		if !v.Holder.OfPlayers() || v.Fates.At(plan.CrossLeave).Kind != "reset" || c.constants[v] {
			continue
		}
		if at, how, ok := c.askedAtStart(v); ok {
			c.report("lost-at-leave", v.Fates.At(plan.CrossLeave).At, ofVar(v),
				"%s is reset at leave, though %s (line %d).", v.Name, how, at.Line)
		}
	}
}

func (c *checker) askedAtStart(v *model.Var) (finding.At, string, bool) {
	for _, u := range c.reads[v] {
		switch {
		case u.rule != nil && (u.rule.Moment.Kind == "joined" || u.rule.Moment.Kind == "arrived"):
			return u.rule.At, "a rule on " + u.rule.Moment.Kind + " reads it", true
		case v.Type.Kind == types.Pick && u.program != nil:
			return u.read.At, "it is what the player picked, and is read", true
		case u.what == "fate" && isFateOf(c.m, u.program, plan.CrossLeave):
			return u.read.At, "another variable is set from it at leave", true
		}
	}
	return finding.At{}, "", false
}

func isFateOf(m *model.Model, p *expr.Program, col plan.Crossing) bool {
	for _, v := range m.Vars {
		if v.Fates.At(col).Set == p {
			return true
		}
	}
	return false
}
