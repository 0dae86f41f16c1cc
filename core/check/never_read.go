package check

import (
	"slices"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/format"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).readsAndWrites,
	finding.Kind{ID: "never-read", Severity: finding.Note, Title: "Kept, but nothing reads it",
		Why: "It costs space and attention and does nothing.",
		Do:  "Read it in a rule, say read_by: game, or remove it."},
	finding.Kind{ID: "never-written", Severity: finding.Note, Title: "Read, but nothing ever writes it",
		Why: "It keeps its start value.",
		Do:  "Write it in a rule, say written_by: game, or put the value where it is read."},
)

// readsAndWrites reports what nothing reads, and what is read though nothing writes it.
func (c *checker) readsAndWrites() {
	for _, v := range c.m.Vars {
		used := len(c.reads[v]) > 0 || v.Decl.ReadBy.Given || v.Decl.Share != nil && v.With != "nobody" || // whoever is sent it reads it
			c.conserved(v) || format.Holds(c.m, v)
		switch {
		case !used:
			c.report("never-read", v.At, ofVar(v), "Nothing reads %s.", v.Name)
		case c.constants[v] && c.onlyCounted(v): // goal-never-nears says it
		case c.constants[v] && len(c.reads[v]) > 0:
			c.report("never-written", v.At, ofVar(v), "%s is read, but nothing in this plan writes it: it stays %s.",
				v.Name, v.Start.Plain())
		}
	}
}

// conserved says whether a variable is counted in what the plan says is conserved.
func (c *checker) conserved(v *model.Var) bool {
	return slices.ContainsFunc(c.m.Conserved, func(x *model.Conserved) bool {
		return slices.ContainsFunc(x.Terms, func(t model.Term) bool { return t.Var == v })
	})
}

// onlyCounted says whether nothing but the progress of milestones reads a variable.
func (c *checker) onlyCounted(v *model.Var) bool {
	for _, u := range c.reads[v] {
		if u.what != "milestone" || u.program.Type.Kind == types.Bool {
			return false
		}
	}
	return true
}
