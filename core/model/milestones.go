package model

import (
	"slices"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/plan"
)

// nameMilestones makes the milestones known, so that expressions can ask for them.
func (b *builder) nameMilestones() {
	for i := range b.Plan.Milestones.Entries {
		e := &b.Plan.Milestones.Entries[i]
		b.Milestones = append(b.Milestones, &Milestone{ID: e.ID, Fates: b.newFates(), Title: Title(e.Value.Title, e.ID),
			Index: i, Goal: e.Value.Goal.Value, At: e.At, Decl: &e.Value,
			Text: b.titled("milestones", e.ID, Title(e.Value.Title, e.ID), firstAt(e.Value.Title.At, e.At))})
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
		for _, c := range b.Crossings {
			*m.Fates.At(c) = b.milestoneFate(m, c)
		}
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
	if own.Kind == "" && b.Applies(b.Holders[OfPlayer], c) {
		return Fate{Kind: "keep", By: ByNature}
	}
	f := b.fate("the milestone "+m.ID, b.Holders[OfPlayer], c, own, nil)
	if f.Kind == "set" || f.Kind == "rewind" {
		b.report("bad-value", f.At, "A milestone can be kept or reset at %s.", c)
	}
	return f
}

// allWeighed files what is evaluated under everything that it depends on.
func (b *builder) allWeighed() {
	for _, m := range b.Milestones {
		b.dependencies(Weighed{Milestone: m}, m.When, m.Progress)
	}
	for _, s := range b.Standings {
		b.dependencies(Weighed{Standing: s}, s.Rank, s.If)
	}
	for _, v := range b.Whiles {
		b.dependencies(Weighed{While: v}, v.While)
	}
}

func (b *builder) dependencies(w Weighed, programs ...*expr.Program) {
	b.weighAll = append(b.weighAll, w)
	seen := map[*Var]bool{}
	core, others := false, false
	var visit func(p *expr.Program)
	visit = func(p *expr.Program) {
		if p == nil {
			return
		}
		for _, r := range p.Reads {
			v := b.VarOf(r.Ref)
			switch {
			case r.Ref.Elsewhere():
				others = true
				if v != nil && v.Computed() {
					visit(v.Is)
				} else if v != nil && !slices.Contains(v.elsewhere, w) {
					v.elsewhere = append(v.elsewhere, w)
				}
			case r.Ref.What == expr.Present:
				others = true
			case v == nil || v.Stopwatch:
				core = true
			case v.Computed():
				core = core || v.Holder != OfPlayer // whose it is may change by moving
				visit(v.Is)
			case !seen[v]:
				core = core || v.Holder.Lazy() || v.Holder == OfScene
				seen[v] = true
				v.weighed = append(v.weighed, w)
			}
		}
	}
	for _, p := range programs {
		visit(p)
	}
	if others {
		b.weighOthers = append(b.weighOthers, w)
	}
	if core {
		b.weighCore = append(b.weighCore, w)
	}
}
