package check

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).narrows,
	finding.Kind{ID: "narrows", Severity: finding.Warning, Title: "A value is cut to fit its variable",
		Why: "What is computed is finer than the variable's step, or outside its limits: part of it is lost at each assignment.",
		Do:  "Give the variable a finer step or wider limits, or round in the expression, so that it is visible."},
)

// narrows reports values that are cut to fit their variable: finer than its step, or always outside
// its limits.
func (c *checker) narrows() {
	for _, e := range c.m.Effects {
		if a := e.Action; a.Var != nil && a.Value != nil && a.Value.Type.Numeric() {
			c.narrow(a.Var, a.Value, ofRule(e.Rule), a.Change == model.Adds)
		}
	}
	for _, v := range c.m.Vars {
		c.outside(v, v.Is, ofVar(v)) // what is computed is never stored: nothing of it is lost
		for _, f := range v.Fates {
			c.narrow(v, f.Set, ofVar(v), false)
		}
	}
}

func (c *checker) narrow(v *model.Var, p *expr.Program, of about, added bool) {
	if p == nil || !v.Type.Numeric() || !p.Type.Numeric() {
		return
	}
	if r := p.Type.Range; !r.FitsStep(v.Step) {
		finer := "has no fixed step"
		if r.Step.Sign() > 0 {
			finer = "comes in steps of " + r.Step.String()
		}
		c.report("narrows", p.At, of, "%s comes in steps of %s; %s %s, and is rounded.", v.Name, v.Step, p.Source,
			finer)
	} else if !added {
		c.outside(v, p, of)
	}
}

// outside reports what never lies within the limits of its variable.
func (c *checker) outside(v *model.Var, p *expr.Program, of about) {
	if p != nil && v.Type.Numeric() && p.Type.Numeric() && p.Type.Range.Outside(types.Between(v.Min, v.Max, v.Step)) {
		c.report("narrows", p.At, of, "%s goes from %s to %s; %s is never inside.", v.Name, v.Min, v.Max, p.Source)
	}
}
