package model

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
)

// Conserved is a total that has to stay the same, whatever happens. Searches look for what changes it; the engine knows
// nothing of it.
type Conserved struct {
	ID     string
	Title  string
	Terms  []Term
	MadeBy []string // ids of events, names of rules and crossings, and names of variables
	LostBy []string
	At     finding.At
}

// Term is a variable that counts, as often as Times says: below 0 where it is taken away.
type Term struct {
	Var   *Var
	Times fixed.Num
}

func (b *builder) allConserved() {
	for i := range b.Plan.Conserved.Entries {
		e := &b.Plan.Conserved.Entries[i]
		c := &Conserved{ID: e.ID, Title: Title(e.Value.Title, e.ID), At: e.At}
		terms, found := expr.Sum(e.Value.Sum)
		b.add(found...)
		for _, t := range terms {
			if v := b.counted(t); v != nil {
				c.Terms = append(c.Terms, Term{v, t.Times})
			}
		}
		c.MadeBy, c.LostBy = b.changers(c, e.Value.MadeBy), b.changers(c, e.Value.LostBy)
		b.Conserved = append(b.Conserved, c)
	}
}

// counted is the variable of a term; nil, and a finding, where it cannot be counted.
func (b *builder) counted(t expr.Counted) *Var {
	v := b.vars[t.Name]
	switch {
	case v == nil:
		var names []string
		for _, v := range b.Vars {
			if v.Type.Numeric() && !v.Computed() {
				names = append(names, v.Name)
			}
		}
		b.oneOf(t.Name, names, "variable", t.At)
	case v.Computed():
		b.report("type-mismatch", t.At, "%s is computed: count what it is computed from.", v.Name)
	case v.Stopwatch || v.Seed || !v.Type.Numeric() || v.Type.Optional:
		b.report("type-mismatch", t.At, "%s is %s: only numbers that are never none can be counted.", v.Name, v.Type.Value())
	default:
		return v
	}
	return nil
}

// changers are what may change what is conserved.
func (b *builder) changers(c *Conserved, list []plan.Given[string]) []string {
	var known, out []string
	for _, e := range b.Events {
		known = append(known, e.ID)
	}
	for _, r := range b.Rules {
		if name := r.Decl.Name.Name; name != "" {
			known = append(known, name)
		}
	}
	for _, x := range b.Crossings {
		known = append(known, x.String())
	}
	for _, t := range c.Terms {
		known = append(known, t.Var.Name)
	}
	for _, one := range list {
		b.oneOf(one.Value, known, "event, named rule, crossing or counted variable", one.At)
		out = append(out, one.Value)
	}
	return out
}
