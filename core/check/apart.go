package check

import (
	"fmt"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).givenTwice,
	finding.Kind{ID: "given-twice", Severity: finding.Warning, Title: "Survives death, and is handed back too",
		Why: "The player has it twice after dying.",
		Do:  "Let the fate at death do it, or let it be reset there and the rule hand it back."},
)

// givenTwice reports what survives death and is handed back by a rule all the same: what was put aside when
// the player died, or what they begin with.
func (c *checker) givenTwice() {
	for _, e := range c.m.Effects {
		v := e.Action.Var
		d := c.does(e)
		if !d.adds || e.Rule.Moment.Kind != "came-back" || v.Holder != model.OfPlayer ||
			v.Fates.At(plan.CrossDeath).Kind == "set" {
			continue
		}
		kept := v.Fates.At(plan.CrossDeath).Kind
		if kept == "reset" && !c.putAside(e.Action.Value, v) {
			kept = "" // it begins anew, and gets something else besides
		}
		switch n, single := d.by.Single(); {
		case kept == "":
		case c.putAside(e.Action.Value, v):
			c.report("given-twice", e.Action.At, ofRule(e.Rule),
				"%s is handed back after death, though its own fate there is %s.", v.Name, kept)
		case single && n.Sign() > 0 && v.Type.Numeric() && n == v.Start.Num:
			c.report("given-twice", e.Action.At, ofRule(e.Rule),
				"What %s starts with is given again after death, though its own fate there is %s.", v.Name, kept)
		}
	}
}

// putAside says whether an expression reads something that a rule sets from v when a player dies.
func (c *checker) putAside(p *expr.Program, v *model.Var) bool {
	for _, r := range p.Reads {
		if c.m.VarOf(r.Ref) == v {
			continue
		}
		for _, e := range c.writes[c.m.VarOf(r.Ref)] {
			if e.Rule.Moment.Kind == "died" && e.Action.Value != nil &&
				e.Action.Value.ReadsAny(func(r expr.Ref) bool { return c.m.VarOf(r) == v }) &&
				v.Fates.At(plan.CrossDeath).Kind == "keep" {
				return true
			}
		}
	}
	return false
}

var _ = judges((*checker).resetApart,
	finding.Kind{ID: "reset-apart", Severity: finding.Warning,
		Title: "Set from another value, and only one of the two is reset",
		Why:   "After the crossing one of them says what is no longer so.",
		Do:    "Give both the same fate at that crossing, or accept this with the reason."},
)

// resetApart reports a value that a rule sets from another, of which only one is reset at a crossing; and
// milestones that say themselves that they stay when what they count is reset.
func (c *checker) resetApart() {
	for _, e := range c.m.Effects {
		b := e.Action.Var
		if e.Action.Value == nil || !c.does(e).sets {
			continue
		}
		for _, r := range e.Action.Value.Reads {
			a := c.m.VarOf(r.Ref)
			if a == nil || a == b || a.Computed() || a.Hold != b.Hold || c.constants[a] {
				continue
			}
			if cross, ok := apart(a.Fates, b.Fates, momentOf[e.Rule.Moment.Kind]); ok {
				c.report("reset-apart", e.Action.At, ofRule(e.Rule),
					"%s is set from %s here, and at %s only one of the two is reset.", b.Name, a.Name, cross)
			}
		}
	}
	for _, m := range c.m.Milestones {
		c.milestoneApart(m)
	}
}

// momentOf are the crossings that moments belong to: what is set just then is meant to be apart.
var momentOf = map[string]plan.Crossing{
	"died": plan.CrossDeath, "came-back": plan.CrossDeath, "departed": plan.CrossScene, "arrived": plan.CrossScene,
	"left": plan.CrossLeave, "joined": plan.CrossLeave, "loaded": plan.CrossLeave, "started": plan.CrossNewRun,
}

// apart finds a crossing at which only one of two values is reset.
func apart(a, b model.Fates, meant plan.Crossing) (plan.Crossing, bool) {
	for _, cross := range plan.Crossings {
		if cross == meant {
			continue
		}
		if x, y := a.At(cross).Kind, b.At(cross).Kind; x == "reset" && y == "keep" || x == "keep" && y == "reset" {
			return cross, true
		}
	}
	return 0, false
}

func (c *checker) milestoneApart(m *model.Milestone) {
	for _, p := range []*expr.Program{m.When, m.Progress} {
		if p == nil {
			continue
		}
		for _, r := range p.Reads {
			v := c.m.VarOf(r.Ref)
			for _, cross := range plan.Crossings {
				if v != nil && m.Fates.At(cross).By == model.ByItself && v.Holder == model.OfPlayer &&
					(m.Fates.At(cross).Kind == "reset" && v.Fates.At(cross).Kind == "keep" ||
						m.Fates.At(cross).Kind == "keep" && v.Fates.At(cross).Kind == "reset") {
					c.report("reset-apart", m.Fates.At(cross).At, ofMilestone(m),
						"The milestone %s counts %s, and at %s only one of the two is reset.", m.ID, v.Name, cross)
				}
			}
		}
	}
}

var _ = judges((*checker).timeOutlives,
	finding.Kind{ID: "time-outlives", Severity: finding.Warning,
		Title: "A time of this session is kept into the next one",
		Why:   "The next session's time begins at 0: what was to be over in a minute may last for hours.",
		Do:    "Reset it at leave (for players) or at restart, or use a stopwatch."},
)

// timeOutlives reports what is taken from the session's time and is kept into another session.
func (c *checker) timeOutlives() {
	for _, e := range c.m.Effects {
		v := e.Action.Var
		if v == nil || e.Action.Value == nil || !e.Action.Value.ReadsAny(func(r expr.Ref) bool {
			return r.What == expr.Time
		}) {
			continue
		}
		cross := plan.CrossRestart
		if v.Holder.OfPlayers() {
			cross = plan.CrossLeave
		}
		if v.Fates.At(cross).Kind == "keep" {
			c.report("time-outlives", e.Action.At, ofRule(e.Rule),
				"%s is set from the session's time and kept at %s; the next session's time begins at 0 again.", v.Name, cross)
		}
	}
}

var _ = judges((*checker).clampedTransfers,
	finding.Kind{ID: "clamped-transfer", Severity: finding.Warning,
		Title: "A transfer of which one side can stop at its limit",
		Why:   "At the limit value is made out of nothing, or lost.",
		Do:    "Ask first whether there is enough, and enough room, or say at_limit: refuse."},
)

// clampedTransfers reports rules that take from one number and give the same to another, where one of the
// two may be moved to its limit and nothing asks for it first. What is taken in one branch and given in another is
// no transfer.
func (c *checker) clampedTransfers() {
	byRule := map[*model.Rule][]model.Effect{}
	for _, e := range c.m.Effects {
		if c.does(e).adds {
			byRule[e.Rule] = append(byRule[e.Rule], e)
		}
	}
	for _, r := range c.m.Rules {
		for _, from := range byRule[r] {
			taken, ok := takes(c.does(from).terms)
			if !ok {
				continue
			}
			for _, to := range byRule[r] {
				if to.Block == from.Block && opposite(c.does(from).terms, c.does(to).terms) {
					c.clamped(taken, from, to)
				}
			}
		}
	}
}

var _ = judges((*checker).rewardsThatFail,
	finding.Kind{ID: "reward-can-fail", Severity: finding.Warning,
		Title: "A rule on a milestone or on saving that can fail",
		Why:   "The milestone is earned and the save is made all the same; only what the rule does is undone, and the player is notified.",
		Do:    "Let the value stop at its limit (at_limit: clamp), or ask first whether it goes."},
)

// rewardsThatFail reports rules on what follows by itself (a milestone, a save) that can fail: they are undone alone
// then, and what they give is not given.
func (c *checker) rewardsThatFail() {
	for _, e := range c.m.Effects {
		if kind := e.Rule.Moment.Kind; kind != "milestone" && kind != "saved" {
			continue
		}
		if why := c.canFail(e); why != "" {
			c.report("reward-can-fail", e.Action.At, ofRule(e.Rule),
				"This can fail: %s. What the rule on %s does is undone then, and what set it off stands.", why, e.Rule.On())
		}
	}
}

// canFail says how an action can fail though its rule acts; "" where nothing is known.
func (c *checker) canFail(e model.Effect) string {
	a := e.Action
	switch {
	case a.Fails != "":
		return a.Fails
	case a.Var == nil || c.asksFor(e):
		return ""
	case a.Change == model.TakesOut:
		return a.Var.Name + " may not have it"
	case a.Change == model.PutsIn:
		return fmt.Sprintf("%s takes %d items", a.Var.Name, a.Var.MaxItems)
	case c.does(e).adds && a.Var.Refuse:
		return a.Var.Name + " says at_limit: refuse, and may be at its limit"
	}
	return ""
}

var _ = judges((*checker).heldTwice)

// heldTwice reports items that a rule takes out of one list and puts into a set: whoever has such an item already has
// it once after that, too, and the other is lost.
func (c *checker) heldTwice() {
	for _, to := range c.m.Effects {
		if to.Action.Change != model.PutsIn || to.Action.Var.Type.Kind != types.Set || c.asksFor(to) {
			continue
		}
		for _, from := range c.m.Effects {
			if from.Action.Change == model.TakesOut && from.Rule == to.Rule && from.Block == to.Block &&
				from.Action.Value.Source == to.Action.Value.Source {
				c.report("clamped-transfer", to.Action.At, ofRule(to.Rule),
					"This rule moves %s from %s to %s, which is a set: where it is there already, it is there once after that, too, and what was taken is lost.",
					to.Action.Value.Source, from.Action.Var.Name, to.Action.Var.Name)
			}
		}
	}
}

func (c *checker) clamped(taken string, from, to model.Effect) {
	for _, side := range []model.Effect{from, to} {
		if v := side.Action.Var; !v.Refuse && !c.asksFor(side) {
			c.report("clamped-transfer", side.Action.At, ofRule(side.Rule),
				"This rule moves %s from %s to %s; where %s is at its limit it stays there, and the other changes all the same.", taken, from.Action.Var.Name, to.Action.Var.Name, v.Name)
		}
	}
}

// takes is how much terms take away, as it is written; false where they give.
func takes(terms []expr.Term) (string, bool) {
	text := ""
	for i, t := range terms {
		switch {
		case i == 0 && !t.Minus:
			return "", false
		case i > 0 && t.Minus:
			text += " + "
		case i > 0:
			text += " - "
		}
		text += t.Source
	}
	return text, text != ""
}

// asksFor says whether a condition of the rule or of its event reads the very value that an action changes.
func (c *checker) asksFor(e model.Effect) bool {
	same := func(r expr.Ref) bool { return r == e.Action.Target }
	if e.Rule.If != nil && e.Rule.If.ReadsAny(same) || e.Rule.Event != nil && e.Rule.Event.If != nil &&
		e.Rule.Event.If.ReadsAny(same) {
		return true
	}
	for _, other := range c.m.Effects {
		if other.Rule == e.Rule && other.Action.If != nil && other.Action.If.ReadsAny(same) {
			return true
		}
	}
	return false
}

var _ = judges((*checker).ruleLoops,
	finding.Kind{ID: "rule-loop", Severity: finding.Warning, Title: "Rules set each other off without end",
		Why: "The event is refused after 256 steps.",
		Do:  "Put a condition on the way."},
)

// ruleLoops reports rules that certainly set each other off more often than one event may: no condition
// stands on the way, and no limit ends it.
func (c *checker) ruleLoops() {
	next := map[*model.Rule][]model.Effect{} // what each rule sets off for certain
	for _, e := range c.m.Effects {
		if len(e.Guards) == 0 && !e.Maybe && !e.Action.Each {
			next[e.Rule] = append(next[e.Rule], e)
		}
	}
	for _, r := range c.m.Rules {
		if e, ok := c.comesBack(r, r, next, map[*model.Rule]bool{}); ok {
			c.report("rule-loop", e.Action.At, ofRule(r),
				"This sets off the rule on line %d again, and so on: the event is refused after 256 steps.", r.At.Line)
		}
	}
}

// comesBack finds the action of a rule that leads back to it.
func (c *checker) comesBack(from, to *model.Rule, next map[*model.Rule][]model.Effect,
	seen map[*model.Rule]bool) (model.Effect, bool) {
	if seen[from] {
		return model.Effect{}, false
	}
	seen[from] = true
	for _, e := range next[from] {
		for _, r := range c.setsOff(e) {
			if r == to {
				return e, true
			}
			if _, ok := c.comesBack(r, to, next, seen); ok {
				return e, true
			}
		}
	}
	return model.Effect{}, false
}

// setsOff lists the rules that an action certainly sets off, each time anew.
func (c *checker) setsOff(e model.Effect) []*model.Rule {
	switch a := e.Action; {
	case a.Sends != nil && a.Sends.If == nil:
		return a.Sends.Rules
	case a.Turn == model.StartsOver:
		return c.m.On("started")
	case a.Var != nil && c.alwaysChanges(e):
		return c.m.OnChanged(a.Var)
	}
	return nil
}

// alwaysChanges says whether adding changes a number every time, more often than one event may do anything.
func (c *checker) alwaysChanges(e model.Effect) bool {
	d := c.does(e)
	r := d.by
	if !d.adds || !r.Bounded() || r.Lo.Sign() <= 0 && r.Hi.Sign() >= 0 {
		return false
	}
	room, err := e.Action.Var.Max.Sub(e.Action.Var.Min)
	most := fixed.Max(r.Lo.Abs(), r.Hi.Abs())
	steps, err2 := room.Div(most)
	return err != nil || err2 == nil && fixed.FromInt(256).Less(steps)
}
