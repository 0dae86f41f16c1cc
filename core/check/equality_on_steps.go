package check

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).equalities,
	finding.Kind{ID: "equality-on-steps", Severity: finding.Warning, Title: "== on a number that can jump past it",
		Why: "A number that changes by more than one step may never be equal to this one.",
		Do:  "Use >= or <=."},
)

// equalities reports == on a number that can jump past it.
func (c *checker) equalities() {
	for _, u := range c.programs {
		for _, eq := range u.program.Equals {
			v := c.m.VarOf(eq.Read.Ref)
			if v == nil || v.Computed() || c.endsThere(v, eq.To) {
				continue
			}
			if v.Stopwatch {
				c.report("equality-on-steps", eq.Read.At, u.about,
					"%s counts on by itself and is hardly ever exactly %s.", v.Name, eq.To)
			} else if e, ok := c.jumps(v); ok {
				c.report("equality-on-steps", eq.Read.At, u.about,
					"%s can jump past %s: it changes by more than one step on line %d.", v.Name, eq.To, e.Action.At.Line)
			}
		}
	}
}

// endsThere says whether a limit catches the number exactly where it is compared.
func (c *checker) endsThere(v *model.Var, to types.Value) bool {
	return !v.Refuse && (to.Num == v.Min || to.Num == v.Max)
}

// jumps finds a rule that changes a number by more than one step, starting from what it was.
func (c *checker) jumps(v *model.Var) (model.Effect, bool) {
	for _, e := range c.writes[v] {
		by := c.change(e)
		if by == nil {
			continue
		}
		step := types.Between(v.Step.Neg(), v.Step, v.Step)
		if !by.Bounded() || by.Lo.Less(step.Lo) || step.Hi.Less(by.Hi) {
			return e, true
		}
	}
	return model.Effect{}, false
}
