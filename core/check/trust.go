package check

import (
	"alluvion/core/expr"
	"alluvion/core/model"
	"alluvion/core/plan"
)

// clientTrusted reports numbers that a player's own machine says and that count for others.
func (c *checker) clientTrusted() {
	said := map[*model.Var]string{} // which variables a player's machine decides, and how
	for _, v := range c.m.Vars {
		if v.SelfMay && v.Type.Numeric() {
			said[v] = "its own player writes it"
			if v.With == "scene" || v.With == "everyone" {
				c.report("client-trusted", v.Decl.Share.Writer.At, ofVar(v), "%s is a number that its own player writes, and others see it.", v.Name)
			}
		}
	}
	for _, e := range c.m.Effects {
		if e.Rule.Event == nil || !e.Rule.Event.Self || e.Action.Var == nil || e.Action.Value == nil || !c.saysNumber(e) {
			continue
		}
		h := e.Action.Var.Holder // pairs are always the rule's player's own
		if !h.OfPlayers() || h == model.OfPlayer && e.Action.Target.Who != expr.Self {
			c.report("client-trusted", e.Action.At, ofRule(e.Rule), "A number that a player's machine sends (%s) changes %s, which is not only theirs.", e.Action.Value.Source, e.Action.Var.Name)
			continue
		}
		said[e.Action.Var] = "a number that a player's machine sends is put into it"
	}
	for v, how := range said {
		c.trusted(v, how)
	}
}

// saysNumber says whether an action uses a number that came with the event.
func (c *checker) saysNumber(e model.Effect) bool {
	return e.Action.Value.ReadsAny(func(r expr.Ref) bool {
		return r.Who == expr.Nobody && r.What == expr.Itself && e.Rule.Event.Args[r.Index].Type.Numeric()
	})
}

// trusted reports where a number that a player's machine decides is held against something.
func (c *checker) trusted(v *model.Var, how string) {
	reads := func(p *expr.Program) bool {
		return p != nil && p.ReadsAny(func(r expr.Ref) bool { return c.m.VarOf(r) == v })
	}
	for _, s := range c.m.Standings {
		if reads(s.Rank) || reads(s.If) {
			c.report("client-trusted", s.At, about{"standings." + s.ID, &s.Decl.Accept}, "The standing %s orders players by %s, and %s.", s.ID, v.Name, how)
		}
	}
	for _, m := range c.m.Milestones {
		if reads(m.When) || reads(m.Progress) {
			c.report("client-trusted", m.At, about{"milestones." + m.ID, &m.Decl.Accept}, "The milestone %s is earned by %s, and %s.", m.ID, v.Name, how)
		}
	}
	for _, p := range c.m.Passages {
		if reads(p.If) {
			c.report("client-trusted", p.At, about{"passages." + p.ID, &p.Decl.Accept}, "The passage %s asks for %s, and %s.", p.ID, v.Name, how)
		}
	}
}

// setDownOnArrival reports movables that are put where players arrive.
func (c *checker) setDownOnArrival() {
	arrivals := map[*model.Spot]string{c.m.Start: "a run begins there"}
	arrive := func(s *model.Spot, how string) {
		if s != nil && arrivals[s] == "" {
			arrivals[s] = how
		}
	}
	arrive(c.m.Fallback, "who dies early comes back there")
	for _, p := range c.m.Passages {
		arrive(p.To, "the passage "+p.ID+" leads there")
		arrive(p.Else, "the passage "+p.ID+" leads there")
		if p.BothWays {
			arrive(p.From, "the passage "+p.ID+" leads back there")
		}
	}
	for _, p := range c.m.Checkpoints {
		arrive(p.Spot, "who dies comes back there")
	}
	for _, e := range c.m.Effects {
		if e.Action.Verb == "go" {
			arrive(e.Action.Spot, "a rule brings players there")
		}
	}
	for _, m := range c.m.Movables {
		if how := arrivals[m.Start]; how != "" {
			c.report("set-down-on-arrival", m.Decl.Start.At, about{"movables." + m.ID, &m.Decl.Accept}, "%s stands on %s at first, where players arrive: %s.", m.Title, m.Start.ID, how)
		}
	}
	for _, e := range c.m.Effects {
		if e.Action.Verb == "set-down" && e.Action.Spot != nil && arrivals[e.Action.Spot] != "" {
			c.report("set-down-on-arrival", e.Action.At, ofRule(e.Rule), "%s is set down on %s, where players arrive: %s.", e.Action.Movable.Title, e.Action.Spot.ID, arrivals[e.Action.Spot])
		}
	}
}

// gatesOutOfReach reports passages that ask for what can only be had behind them.
func (c *checker) gatesOutOfReach() {
	for _, p := range c.m.Passages {
		if p.If == nil || p.To == nil || p.Else != nil || p.From.Scene == p.To.Scene || !c.closedAtFirst(p.If) {
			continue
		}
		before := reach(c.waysWithout(p), c.m.Start.Scene.Index)
		if before[p.From.Scene.Index] && before[p.To.Scene.Index] {
			continue
		}
		if v, ok := c.hadOnlyBehind(p, before); ok {
			c.report("gate-out-of-reach", p.At, about{"passages." + p.ID, &p.Decl.Accept}, "%s asks for %s, and everything that changes it lies behind it.", p.ID, v.Name)
		}
	}
}

// closedAtFirst says whether a condition certainly does not hold before anything has happened.
func (c *checker) closedAtFirst(p *expr.Program) bool {
	return p.Under(func(r expr.Ref, t expr.Type) expr.Type {
		if v := c.m.VarOf(r); v != nil && !v.Computed() && !v.Stopwatch && !v.Seed && r.What == expr.Variable && !v.Start.IsNone() {
			return expr.Constant(v.Start, t)
		}
		return t
	}).Truth == expr.False
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
		if v == nil || v.Computed() || v.Stopwatch || v.Seed || v.SelfMay || v.Decl.WrittenBy.Given || len(c.writes[v]) == 0 {
			return nil, false
		}
		for _, f := range v.Fates {
			if f.Set != nil {
				return nil, false
			}
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

// undecidedThings reports cells of movables that nothing decides.
func (c *checker) undecidedThings() {
	for _, m := range c.m.Movables {
		for i, cross := range plan.Crossings {
			if m.Fates[i].By == model.ByNobody {
				c.report("undecided-fate", m.At, about{"movables." + m.ID, &m.Decl.Accept}, "Nothing decides what happens to the movable %s at %s.", m.ID, cross)
			}
		}
	}
}
