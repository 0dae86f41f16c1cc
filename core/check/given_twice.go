package check

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = judges((*checker).givenTwice,
	finding.Kind{ID: "given-twice", Severity: finding.Warning, Title: "Survives death, and is handed back too",
		Why: "The player has it twice after dying.",
		Do:  "Let the fate at death do it, or let it be reset there and the rule hand it back."},
)

// givenTwice reports what survives death and is handed back by a rule all the same: what was put aside when
// the player died, or what they begin with.
func (c *checker) givenTwice() {
	for _, e := range c.m.Effects {
		v := e.Action.Var
		d := c.does(e)
		if !d.adds || e.Rule.Moment.Kind != "came-back" || v.Holder != model.OfPlayer ||
			v.Fates.At(plan.CrossDeath).Kind == "set" {
			continue
		}
		kept := v.Fates.At(plan.CrossDeath).Kind
		if kept == "reset" && !c.putAside(e.Action.Value, v) {
			kept = "" // it begins anew, and gets something else besides
		}
		switch n, single := d.by.Single(); {
		case kept == "":
		case c.putAside(e.Action.Value, v):
			c.report("given-twice", e.Action.At, ofRule(e.Rule),
				"%s is handed back after death, though its own fate there is %s.", v.Name, kept)
		case single && n.Sign() > 0 && v.Type.Numeric() && n == v.Start.Num:
			c.report("given-twice", e.Action.At, ofRule(e.Rule),
				"What %s starts with is given again after death, though its own fate there is %s.", v.Name, kept)
		}
	}
}

// putAside says whether an expression reads something that a rule sets from v when a player dies.
func (c *checker) putAside(p *expr.Program, v *model.Var) bool {
	for _, r := range p.Reads {
		if c.m.VarOf(r.Ref) == v {
			continue
		}
		for _, e := range c.writes[c.m.VarOf(r.Ref)] {
			if e.Rule.Moment.Kind == "died" && e.Action.Value != nil &&
				e.Action.Value.ReadsAny(func(r expr.Ref) bool { return c.m.VarOf(r) == v }) &&
				v.Fates.At(plan.CrossDeath).Kind == "keep" {
				return true
			}
		}
	}
	return false
}
