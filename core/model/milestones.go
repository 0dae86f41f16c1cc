package model

import (
	"alluvion/core/expr"
	"alluvion/core/plan"
)

// nameMilestones makes the milestones known, so that expressions can ask for them.
func (b *builder) nameMilestones() {
	for i := range b.Plan.Milestones.Entries {
		e := &b.Plan.Milestones.Entries[i]
		b.Milestones = append(b.Milestones, &Milestone{ID: e.ID, Title: Title(e.Value.Title, e.ID), Index: i, Goal: e.Value.Goal.Value, At: e.At, Decl: &e.Value})
	}
}

func (b *builder) allMilestones() {
	for _, m := range b.Milestones {
		d := m.Decl
		switch {
		case d.When.Given() == d.Progress.Given():
			b.report("missing", m.At, "The milestone %s needs either when, or progress with its goal.", m.ID)
			continue
		case d.Progress.Given() != d.Goal.Given:
			b.report("missing", m.At, "The milestone %s needs progress and goal together.", m.ID)
			continue
		case d.When.Given():
			m.When, _ = b.condition(d.When, b.scopes.player, nil)
		default:
			b.progress(m)
		}
		for i, c := range plan.Crossings {
			m.Fates[i] = b.milestoneFate(m, c)
		}
		b.dependencies(m)
	}
}

func (b *builder) progress(m *Milestone) {
	p, found := expr.Compile(m.Decl.Progress, b.scopes.player, nil)
	b.add(found...)
	switch {
	case p == nil:
	case p.Type.Optional:
		b.report("none-unhandled", p.At, "This may be none: say what counts then with orValue(0).")
	case !p.Type.Numeric():
		b.report("type-mismatch", p.At, "Progress is a number; this is %s.", p.Type)
	default:
		m.Progress = p
	}
}

// milestoneFate is what a crossing does to a milestone: nothing, unless it says otherwise itself.
func (b *builder) milestoneFate(m *Milestone, c plan.Crossing) Fate {
	own := m.Decl.Across.At(c)
	if own.Kind == "" && b.Applies(OfPlayer, c) {
		return Fate{Kind: "keep", By: ByNature}
	}
	f := b.fate("the milestone "+m.ID, OfPlayer, c, own, nil)
	if f.Kind == "set" || f.Kind == "rewind" {
		b.report("bad-value", f.At, "A milestone can be kept or reset at %s.", c)
	}
	return f
}

// dependencies files a milestone under everything that its condition depends on.
func (b *builder) dependencies(m *Milestone) {
	seen := map[*Var]bool{}
	core := false
	var visit func(p *expr.Program)
	visit = func(p *expr.Program) {
		if p == nil {
			return
		}
		for _, r := range p.Reads {
			v := b.VarOf(r.Ref)
			switch {
			case v == nil || v.Stopwatch:
				core = true
			case v.Computed():
				visit(v.Is)
			case !seen[v]:
				seen[v] = true
				b.weighed[v] = append(b.weighed[v], m)
			}
		}
	}
	visit(m.When)
	visit(m.Progress)
	if core {
		b.weighCore = append(b.weighCore, m)
	}
}
