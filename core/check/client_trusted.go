package check

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
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
	if others := !h.OfPlayers() || byPlayer[h] && e.Action.Target.Who != expr.Self; others && !c.m.Single {
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

// byPlayer are the holders of which a reference says whose copy is meant.
var byPlayer = map[model.Holder]bool{model.OfPlayer: true, model.OfPlayerList: true, model.OfProfile: true,
	model.OfProfileList: true}
