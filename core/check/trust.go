package check

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).clientTrusted,
	finding.Kind{ID: "client-trusted", Severity: finding.Warning,
		Title: "A number that a player's own machine says counts for others",
		Why:   "Whoever changes their game can say any number.",
		Do:    "Let a rule or the server compute it, or accept this with the reason."},
)

// clientTrusted reports numbers that a player's own machine says and that count for others.
func (c *checker) clientTrusted() {
	said := map[*model.Var]string{} // which variables a player's machine decides, and how
	for _, v := range c.m.Vars {
		if v.SelfMay && v.Type.Numeric() {
			said[v] = "its own player writes it"
			c.shown(v)
		}
	}
	var paid []model.Effect
	for _, e := range c.m.Effects {
		if e.Rule.Event == nil || !e.Rule.Event.Self || e.Action.Var == nil || e.Action.Value == nil ||
			!c.saysNumber(e) {
			continue
		}
		if c.pays(e) || c.paidFor(e) != nil {
			paid = append(paid, e)
		} else {
			c.saidBy(e, said)
		}
	}
	for _, e := range paid { // what is paid with is worth only as much as where it came from
		if p := c.paidFor(e); p != nil && said[p.Action.Var] != "" && p.Action.Var != e.Action.Var {
			c.saidBy(e, said)
		}
	}
	for _, v := range c.m.Vars {
		if how := said[v]; how != "" {
			c.trusted(v, how)
		}
	}
}

// saidBy notes a number that a player's machine sends, and reports it where what it changes is not only theirs.
func (c *checker) saidBy(e model.Effect, said map[*model.Var]string) {
	h := e.Action.Var.Holder // pairs are always the rule's player's own
	if others := !h.OfPlayers() || h == model.OfPlayer && e.Action.Target.Who != expr.Self; others && !c.m.Single {
		c.report("client-trusted", e.Action.At, ofRule(e.Rule),
			"A number that a player's machine sends (%s) changes %s, which is not only theirs.", e.Action.Value.Source, e.Action.Var.Name)
		return
	}
	said[e.Action.Var] = "a number that a player's machine sends is put into it"
}

// shown reports a number that its own player writes where others see it, itself or in what is computed from it.
func (c *checker) shown(v *model.Var) {
	if c.m.Single {
		return
	}
	seen := func(w *model.Var) bool { return w.With == "scene" || w.With == "everyone" }
	if seen(v) {
		c.report("client-trusted", v.Decl.Share.Writer.At, ofVar(v),
			"%s is a number that its own player writes, and others see it.", v.Name)
	}
	for _, w := range c.m.Vars {
		if w.Is != nil && w.Type.Numeric() && seen(w) && c.readsDeep(w.Is, v) {
			c.report("client-trusted", w.At, ofVar(w),
				"%s is computed from %s, a number that its own player writes, and others see it.", w.Name, v.Name)
		}
	}
}

// saysNumber says whether an action uses a number that came with the event.
func (c *checker) saysNumber(e model.Effect) bool {
	return e.Action.Value.ReadsAny(func(r expr.Ref) bool {
		return r.Who == expr.Nobody && r.What == expr.Itself && e.Rule.Event.Args[r.Index].Type.Numeric()
	})
}

// pays says whether an action takes from the sender's own limited means: the event is refused where there is not
// enough, and nobody can pay less than nothing.
func (c *checker) pays(e model.Effect) bool {
	v, d := e.Action.Var, c.does(e)
	return e.Action.Target.Who == expr.Self && v.Holder == model.OfPlayer && v.Refuse && v.Decl.Min.Given &&
		!v.SelfMay &&
		d.adds && d.by.HasHi && d.by.Hi.Sign() <= 0
}

// paidFor finds the action that pays in full for what another gives: the same amount, in the same breath.
func (c *checker) paidFor(e model.Effect) *model.Effect {
	for _, p := range c.m.Effects {
		if p.Rule == e.Rule && p.Block == e.Block && p.Action != e.Action && c.pays(p) &&
			opposite(c.does(p).terms, c.does(e).terms) {
			return &p
		}
	}
	return nil
}

// trusted reports where a number that a player's machine decides is compared with something.
func (c *checker) trusted(v *model.Var, how string) {
	for _, s := range c.m.Standings {
		if c.readsDeep(s.Rank, v) || c.readsDeep(s.If, v) {
			c.report("client-trusted", s.At, ofStanding(s), "The standing %s orders players by %s, and %s.", s.ID,
				v.Name, how)
		}
	}
	for _, m := range c.m.Milestones {
		if c.readsDeep(m.When, v) || c.readsDeep(m.Progress, v) {
			c.report("client-trusted", m.At, ofMilestone(m), "The milestone %s is earned by %s, and %s.", m.ID, v.Name,
				how)
		}
	}
	for _, p := range c.m.Passages {
		if c.readsDeep(p.If, v) {
			c.report("client-trusted", p.At, ofPassage(p), "The passage %s asks for %s, and %s.", p.ID, v.Name, how)
		}
	}
}

var _ = judges((*checker).setDownOnArrival,
	finding.Kind{ID: "set-down-on-arrival", Severity: finding.Warning, Title: "A movable where players arrive",
		Why: "It stands in the way of who arrives.",
		Do:  "Put it on a spot of its own."},
)

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
		if e.Action.Goes {
			arrive(e.Action.Spot, "a rule brings players there")
		}
	}
	for _, m := range c.m.Movables {
		if how := arrivals[m.Start]; how != "" {
			c.report("set-down-on-arrival", m.Decl.Start.At, about{"movables." + m.ID, &m.Decl.Accept},
				"%s stands on %s at first, where players arrive: %s.", m.Title, m.Start.ID, how)
		}
	}
	for _, e := range c.m.Effects {
		if e.Action.SetsDown != nil && e.Action.Spot != nil && arrivals[e.Action.Spot] != "" {
			c.report("set-down-on-arrival", e.Action.At, ofRule(e.Rule),
				"%s is set down on %s, where players arrive: %s.", e.Action.SetsDown.Title, e.Action.Spot.ID, arrivals[e.Action.Spot])
		}
	}
}

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

var _ = judges((*checker).undecidedThings)

// undecidedThings reports cells of movables that nothing decides.
func (c *checker) undecidedThings() {
	for _, m := range c.m.Movables {
		for _, cross := range plan.Crossings {
			if m.Fates.At(cross).By == model.ByNobody {
				c.report("undecided-fate", m.At, about{"movables." + m.ID, &m.Decl.Accept},
					"Nothing decides what happens to the movable %s at %s.", m.ID, cross)
			}
		}
	}
}
