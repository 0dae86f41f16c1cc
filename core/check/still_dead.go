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

var _ = judges((*checker).stillDead,
	finding.Kind{ID: "still-dead", Severity: finding.Warning, Title: "What led to death still holds after coming back",
		Why: "The player dies again at once.",
		Do:  "Reset or set at death what the condition reads."},
)

// stillDead reports deaths whose condition holds again as soon as the player has come back.
func (c *checker) stillDead() {
	for i, e := range c.m.Effects {
		if e.Action.Turn != model.Dies || len(e.Guards) == 0 || e.Maybe {
			continue
		}
		d := dying{checker: c, who: e.Action.Who, rule: e.Rule, later: c.m.Effects[i:]}
		if how := d.after(e.Guards); how != "" {
			g := e.Guards[len(e.Guards)-1]
			c.report("still-dead", e.Action.At, ofRule(e.Rule), "%s still %s after coming back.", g.Source, how)
		}
	}
}

// dying is one action by which a player dies, and what is known of them after they have come back: the dead cannot
// die, so they were alive before, as they are then; what the column death keeps is as it was, what it resets or sets
// is known; of the rest nothing is.
type dying struct {
	*checker
	who   expr.Ref
	rule  *model.Rule
	later []model.Effect // what the rules do behind it
}

// the parts that a condition is made of, by what dying does to them.
type part uint8

const (
	same    part = iota // it is after coming back as it was before
	set                 // the column death sets it, so that its values there are known to be possible
	said                // an argument of the event, which can come again
	unknown             // nothing is known of it, or it is reset
)

// after says whether the conditions that led to death hold after coming back: "holds", "can hold", or "" where that
// is not known.
func (d dying) after(guards []*expr.Program) string {
	sure, seen := true, map[part]bool{}
	for _, g := range guards {
		of := d.partsOf(g)
		if !of[set] && !of[said] && !of[unknown] { // it held, and nothing that it reads has changed
			seen[same] = seen[same] || of[same]
			continue
		}
		switch g.Under(d.known).Truth {
		case types.False:
			return ""
		case types.Unknown:
			sure = false
			for p := range of {
				seen[p] = true
			}
		case types.True:
			seen[same] = true
		}
	}
	switch {
	case !seen[same] && !seen[set] || !d.aboutThem(guards):
		return ""
	case sure:
		return "holds"
	case seen[unknown] || seen[set] && (seen[same] || seen[said]):
		return ""
	}
	return "can hold"
}

// aboutThem says whether the conditions read anything that the player has; otherwise death is not what they are about.
func (d dying) aboutThem(guards []*expr.Program) bool {
	return slices.ContainsFunc(guards, func(g *expr.Program) bool {
		return slices.ContainsFunc(d.deep(g), func(r expr.Read) bool {
			return d.theirs(r.Ref) && d.m.VarOf(r.Ref) != nil
		})
	})
}

func (d dying) theirs(r expr.Ref) bool { return r.Who == d.who.Who && r.Index == d.who.Index }

func (d dying) partsOf(g *expr.Program) map[part]bool {
	out := map[part]bool{}
	for _, r := range d.deep(g) {
		if v := d.m.VarOf(r.Ref); v == nil || !v.Computed() {
			out[d.partOf(r.Ref, v)] = true
		}
	}
	return out
}

func (d dying) partOf(r expr.Ref, v *model.Var) part {
	switch {
	case d.theirs(r) && r.What == expr.Dead:
		return same
	case r.Who == expr.Nobody && r.What == expr.Itself:
		return said
	case v == nil || !d.theirs(r) || r.What != expr.Variable || d.restored(v):
		return unknown
	case v.Fates.At(plan.CrossDeath).Kind == "keep":
		return same
	case v.Fates.At(plan.CrossDeath).Kind == "set":
		return set
	}
	return unknown
}

// restored says whether a rule may change a variable between dying and being back: on the way, or behind the death in
// the same rule.
func (d dying) restored(v *model.Var) bool {
	onTheWay := func(e model.Effect) bool {
		switch e.Rule.Moment.Kind {
		case "died", "came-back", "arrived", "departed", "entered", "exited", "changed", "checkpoint", "milestone":
			return e.Action.Var == v
		}
		return false
	}
	return slices.ContainsFunc(d.m.Effects, onTheWay) ||
		slices.ContainsFunc(d.later, func(e model.Effect) bool { return e.Rule == d.rule && e.Action.Var == v })
}

// known is what is known of a value after coming back.
func (d dying) known(r expr.Ref, t types.Type) types.Type {
	v := d.m.VarOf(r)
	switch {
	case !d.theirs(r):
		return t
	case r.What == expr.Dead:
		return types.Constant(types.OfBool(false), t)
	case v == nil || r.What != expr.Variable || d.restored(v):
		return t
	case v.Is != nil:
		return d.computed(v, t)
	}
	switch f := v.Fates.At(plan.CrossDeath); {
	case f.Kind == "reset" && !v.Start.IsNone():
		return types.Constant(v.Start, t)
	case f.Set != nil && f.Set.Type.Numeric():
		t.Range = clampedTo(f.Set.Type.Range, v)
	case f.Set != nil:
		return f.Set.Type
	}
	return t
}

// computed is what is known of a computed value after coming back, from what it is computed from.
func (d dying) computed(v *model.Var, t types.Type) types.Type {
	if !v.Type.Numeric() && v.Type.Kind != types.Bool {
		return t
	}
	own := d
	own.who = expr.Ref{Who: expr.Self}
	is := v.Is.Under(own.known)
	if v.Type.Numeric() {
		t.Range = clampedTo(is.Range, v)
	} else {
		t.Truth = is.Truth
	}
	return t
}

// clampedTo is what a range becomes when it is assigned to a variable.
func clampedTo(r types.Range, v *model.Var) types.Range {
	out := types.Between(v.Min, v.Max, v.Step)
	if r.HasLo {
		out.Lo = fixed.Max(out.Lo, fixed.Min(out.Hi, r.Lo))
	}
	if r.HasHi {
		out.Hi = fixed.Min(out.Hi, fixed.Max(out.Lo, r.Hi))
	}
	return out
}
