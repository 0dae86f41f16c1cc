package check

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).gatesOutOfReach,
	finding.Kind{ID: "gate-out-of-reach", Severity: finding.Warning,
		Title: "A gate that asks for what can only be had behind it",
		Why:   "Whoever begins a run never gets through.",
		Do:    "Let it be had on this side too, or lead another way to it."},
)

// gatesOutOfReach reports passages that ask for what can only be had behind them.
func (c *checker) gatesOutOfReach() {
	for _, p := range c.m.Passages {
		if p.If == nil || p.To == nil || p.Else != nil || p.From.Scene == p.To.Scene || !c.closedAtFirst(p.If) {
			continue
		}
		if !c.affords(len(c.m.Scenes) + 4*len(c.m.Passages)) {
			return
		}
		before := reach(c.waysWithout(p), c.m.Start.Scene.Index)
		if before[p.From.Scene.Index] && before[p.To.Scene.Index] {
			continue
		}
		if v, ok := c.hadOnlyBehind(p, before); ok {
			c.report("gate-out-of-reach", p.At, ofPassage(p),
				"%s asks for %s, and every rule that changes it acts only behind it.", p.ID, v.Name)
		}
	}
}

// closedAtFirst says whether a condition certainly does not hold before anything has happened.
func (c *checker) closedAtFirst(p *expr.Program) bool {
	return p.Under(func(r expr.Ref, t types.Type) types.Type {
		if v := c.m.VarOf(r); v != nil && !v.Computed() && !v.Stopwatch && !v.Seed && r.What == expr.Variable &&
			!v.Start.IsNone() {
			return types.Constant(v.Start, t)
		}
		return t
	}).Truth == types.False
}

// waysWithout lists which scenes lead to which, leaving one passage out.
func (c *checker) waysWithout(gate *model.Passage) []map[int]bool {
	all := c.m.Passages
	var others []*model.Passage
	for _, p := range all {
		if p != gate {
			others = append(others, p)
		}
	}
	without := *c.m
	without.Passages = others
	return (&checker{m: &without}).ways(false)
}

// hadOnlyBehind finds what a gate asks for that nothing before it changes. Where it asks for anything that
// cannot be told of, it gives none.
func (c *checker) hadOnlyBehind(gate *model.Passage, before map[int]bool) (*model.Var, bool) {
	var first *model.Var
	for _, r := range gate.If.Reads {
		v := c.m.VarOf(r.Ref)
		if v == nil || r.Ref.What != expr.Variable || !c.onlyByRules(v) {
			return nil, false
		}
		for _, e := range c.writes[v] {
			if c.happensIn(e, before) {
				return nil, false
			}
		}
		first = v
	}
	return first, first != nil
}

// happensIn says whether a rule may act for somebody who is in one of some scenes.
func (c *checker) happensIn(e model.Effect, scenes map[int]bool) bool {
	r := e.Rule
	if !r.AboutPlayer {
		return true
	}
	switch {
	case (r.Moment.Kind == "entered" || r.Moment.Kind == "exited") && r.AboutProp == nil:
		for _, a := range c.m.Areas {
			if a.ID == r.Moment.Of {
				return scenes[a.Scene.Index]
			}
		}
	case r.AboutProp != nil:
		for _, p := range r.AboutProp.Props {
			if scenes[p.Scene.Index] {
				return true
			}
		}
		return false
	case r.Moment.Kind == "checkpoint":
		return c.pointIn(scenes)
	}
	for i := range scenes {
		if c.possibleIn(e, c.m.Scenes[i]) {
			return true
		}
	}
	return false
}

func (c *checker) pointIn(scenes map[int]bool) bool {
	for _, p := range c.m.Checkpoints {
		if p.Spot != nil && scenes[p.Spot.Scene.Index] || p.Area != nil && scenes[p.Area.Scene.Index] {
			return true
		}
	}
	return false
}
