package check

import (
	"alluvion/core/expr"
	"alluvion/core/finding"
	"alluvion/core/fixed"
	"alluvion/core/model"
)

// narrows reports values that are cut to fit their variable: finer than its step, or always outside
// its limits.
func (c *checker) narrows() {
	for _, e := range c.m.Effects {
		if a := e.Action; a.Var != nil && a.Value != nil && a.Value.Type.Numeric() {
			c.narrow(a.Var, a.Value, ofRule(e.Rule), a.Verb == "add")
		}
	}
	for _, v := range c.m.Vars {
		c.narrow(v, v.Is, ofVar(v), false)
		for _, f := range v.Fates {
			c.narrow(v, f.Set, ofVar(v), false)
		}
	}
}

func (c *checker) narrow(v *model.Var, p *expr.Program, of about, added bool) {
	if p == nil || !v.Type.Numeric() || !p.Type.Numeric() {
		return
	}
	switch r := p.Type.Range; {
	case !r.FitsStep(v.Step):
		finer := "has no fixed step"
		if r.Step.Sign() > 0 {
			finer = "comes in steps of " + r.Step.String()
		}
		c.report("narrows", p.At, of, "%s comes in steps of %s; %s %s, and is rounded.", v.Name, v.Step, p.Source, finer)
	case !added && r.Outside(expr.Between(v.Min, v.Max, v.Step)):
		c.report("narrows", p.At, of, "%s goes from %s to %s; %s is never inside.", v.Name, v.Min, v.Max, p.Source)
	}
}

// conditions reports conditions that can never hold, and gates that always let pass.
func (c *checker) conditions() {
	for _, p := range c.m.Passages {
		c.gate(p.If, about{"passages." + p.ID, &p.Decl.Accept}, "The passage "+p.ID)
	}
	for _, e := range c.m.Events {
		c.gate(e.If, about{"events." + e.ID, &e.Decl.Accept}, "The event "+e.ID)
	}
	for _, u := range c.programs {
		if u.what == "if" && u.program.Under(c.neverWritten).Truth == expr.False {
			c.report("always-refused", u.program.At, ofRule(u.rule), "This condition can never hold: %s.", u.program.Source)
		}
	}
}

func (c *checker) gate(p *expr.Program, of about, what string) {
	if p == nil {
		return
	}
	switch p.Under(c.neverWritten).Truth {
	case expr.False:
		c.report("always-refused", p.At, of, "%s is always refused: %s can never hold.", what, p.Source)
	case expr.True:
		c.report("never-refuses", p.At, of, "%s is never refused: %s always holds.", what, p.Source)
	}
}

// equalities reports == on a number that can jump past it.
func (c *checker) equalities() {
	for _, u := range c.programs {
		for _, eq := range u.program.Equals {
			v := c.m.VarOf(eq.Read.Ref)
			if v == nil || v.Computed() || c.endsThere(v, eq.To) {
				continue
			}
			if v.Stopwatch {
				c.report("equality-on-steps", eq.Read.At, c.aboutUse(u), "%s counts on by itself and is hardly ever exactly %s.", v.Name, eq.To)
			} else if e, ok := c.jumps(v); ok {
				c.report("equality-on-steps", eq.Read.At, c.aboutUse(u), "%s can jump past %s: it changes by more than one step on line %d.", v.Name, eq.To, e.Action.At.Line)
			}
		}
	}
}

func (c *checker) aboutUse(u use) about {
	if u.rule != nil {
		return ofRule(u.rule)
	}
	for _, p := range c.m.Passages {
		if p.If == u.program {
			return about{"passages." + p.ID, &p.Decl.Accept}
		}
	}
	for _, e := range c.m.Events {
		if e.If == u.program {
			return about{"events." + e.ID, &e.Decl.Accept}
		}
	}
	return about{}
}

// endsThere says whether a limit catches the number exactly where it is compared.
func (c *checker) endsThere(v *model.Var, to expr.Value) bool {
	return !v.Refuse && (to.Num == v.Min || to.Num == v.Max)
}

// jumps finds a rule that changes a number by more than one step, starting from what it was.
func (c *checker) jumps(v *model.Var) (model.Effect, bool) {
	for _, e := range c.writes[v] {
		by := c.change(v, e)
		if by == nil {
			continue
		}
		step := expr.Between(v.Step.Neg(), v.Step, v.Step)
		if !by.Bounded() || by.Lo.Less(step.Lo) || step.Hi.Less(by.Hi) {
			return e, true
		}
	}
	return model.Effect{}, false
}

// change is by how much an action changes a number; nil where it does not start from what it was.
func (c *checker) change(v *model.Var, e model.Effect) *expr.Range {
	switch e.Action.Verb {
	case "add":
		return &e.Action.Value.Type.Range
	case "set":
		if !e.Action.Value.ReadsAny(func(r expr.Ref) bool { return c.m.VarOf(r) == v }) {
			return nil
		}
		fromZero := e.Action.Value.Under(func(r expr.Ref, t expr.Type) expr.Type {
			if c.m.VarOf(r) == v {
				t.Range = expr.Exactly(fixed.Num{})
			}
			return t
		})
		return &fromZero.Range
	}
	return nil
}

// sharedWrites reports what is held once for all and is set from one player's own values.
func (c *checker) sharedWrites() {
	if c.m.Single {
		return
	}
	for _, e := range c.m.Effects {
		a := e.Action
		if a.Verb != "set" || a.Var.Holder.OfPlayers() {
			continue
		}
		own := func(r expr.Ref) bool {
			return r.Who == expr.Self || (r.Who == expr.Arg || r.Who == expr.Local) && r.What != expr.Itself && r.What != expr.LocalValue
		}
		same := func(r expr.Ref) bool { return c.m.VarOf(r) == a.Var }
		if a.Value.ReadsAny(own) && !a.Value.ReadsAny(same) {
			c.report("shared-written-by-one", a.At, ofRule(e.Rule), "%s is held once for all, and is set here from one player's own values (%s).", a.Var.Name, a.Value.Source)
		}
	}
}

// advancedByEach reports what is held once for all and is advanced by each player's own timer.
func (c *checker) advancedByEach() {
	if c.m.Single {
		return
	}
	for _, e := range c.m.Effects {
		a := e.Action
		if e.Rule.Moment.Kind == "every" && e.Rule.AboutPlayer && a.Var != nil && !a.Var.Holder.OfPlayers() && c.change(a.Var, e) != nil {
			c.report("advanced-by-each", a.At, ofRule(e.Rule), "%s is held once for all, and is advanced here by each player's timer: with ten players it goes ten times as fast.", a.Var.Name)
		}
	}
}

// progressDrops reports progress that a gate asks for and that replaying an early part lowers.
func (c *checker) progressDrops() {
	for _, p := range c.m.Passages {
		if p.If == nil {
			continue
		}
		for _, r := range p.If.Reads {
			if v := c.m.VarOf(r.Ref); v != nil && v.Type.Numeric() && v.Holder == model.OfPlayer {
				c.dropped(v, p)
			}
		}
	}
}

func (c *checker) dropped(v *model.Var, p *model.Passage) {
	for _, e := range c.writes[v] {
		if e.Action.Verb != "set" || e.Action.Value.ReadsAny(func(r expr.Ref) bool { return c.m.VarOf(r) == v }) {
			continue
		}
		for _, f := range c.writes[v] {
			if f.Action != e.Action && f.Action.Value != nil && lower(e.Action.Value.Type.Range, f) {
				c.report("progress-drops", e.Action.At, ofRule(e.Rule), "%s, which the passage %s asks for, can go down here from what line %d gave.", v.Name, p.ID, f.Action.At.Line)
				break
			}
		}
	}
}

// lower says whether a set value can lie below what another action gives.
func lower(set expr.Range, other model.Effect) bool {
	r := other.Action.Value.Type.Range
	if other.Action.Verb == "add" {
		return r.HasHi && r.Hi.Sign() > 0
	}
	return set.HasLo && r.HasHi && set.Lo.Less(r.Hi)
}

// stillDead reports deaths whose condition holds again as soon as the player has come back.
func (c *checker) stillDead() {
	for _, e := range c.m.Effects {
		if e.Action.Verb != "die" || len(e.Guards) == 0 || e.Maybe {
			continue
		}
		if how, ok := c.holdsAfterDeath(e); ok {
			g := e.Guards[len(e.Guards)-1]
			c.report("still-dead", e.Action.At, ofRule(e.Rule), "%s still %s after coming back.", g.Source, how)
		}
	}
}

// holdsAfterDeath says whether what led to death holds after the column death was applied.
func (c *checker) holdsAfterDeath(e model.Effect) (string, bool) {
	who := e.Action.Who
	var kept, changed, other int
	for _, g := range e.Guards {
		for _, r := range g.Reads {
			v := c.m.VarOf(r.Ref)
			switch {
			case v == nil || v.Computed() || r.Ref.Who != who.Who || r.Ref.Index != who.Index:
				other++
			case v.Fates[atDeath].Kind == "keep":
				kept++
			default:
				changed++
			}
		}
	}
	if kept+changed == 0 {
		return "", false
	}
	if changed == 0 && other == 0 {
		return "holds", true
	}
	after := func(r expr.Ref, t expr.Type) expr.Type { return c.afterDeath(r, t, who) }
	result := expr.True
	for _, g := range e.Guards {
		switch g.Under(after).Truth {
		case expr.False:
			return "", false
		case expr.Unknown:
			result = expr.Unknown
		}
	}
	if result == expr.True {
		return "holds", true
	}
	return "can hold", changed == 1 && kept+other == 0 && c.setAtDeath(e)
}

// setAtDeath says whether the one variable that the guards read is set from others at death, so that
// its values are known to be possible.
func (c *checker) setAtDeath(e model.Effect) bool {
	for _, g := range e.Guards {
		for _, r := range g.Reads {
			if v := c.m.VarOf(r.Ref); v != nil && v.Fates[atDeath].Kind != "set" {
				return false
			}
		}
	}
	return true
}

func (c *checker) afterDeath(r expr.Ref, t expr.Type, who expr.Ref) expr.Type {
	if r.Who != who.Who || r.Index != who.Index {
		return t
	}
	if r.What == expr.Dead {
		return expr.Constant(expr.OfBool(false), t)
	}
	v := c.m.VarOf(r)
	if v == nil || v.Computed() {
		return t
	}
	switch f := v.Fates[atDeath]; {
	case f.Kind == "reset" && !v.Start.IsNone():
		return expr.Constant(v.Start, t)
	case f.Set != nil && f.Set.Type.Numeric():
		t.Range = clampedTo(f.Set.Type.Range, v)
		return t
	case f.Set != nil:
		return f.Set.Type
	}
	return t
}

// clampedTo is what a range becomes when it is assigned to a variable.
func clampedTo(r expr.Range, v *model.Var) expr.Range {
	out := expr.Between(v.Min, v.Max, v.Step)
	if r.HasLo {
		out.Lo = fixed.Max(out.Lo, fixed.Min(out.Hi, r.Lo))
	}
	if r.HasHi {
		out.Hi = fixed.Min(out.Hi, fixed.Max(out.Lo, r.Hi))
	}
	return out
}

// comingBack reports deaths with nowhere to come back to, and checkpoints that take progress back.
func (c *checker) comingBack() {
	deadly := finding.At{}
	for _, e := range c.m.Effects {
		if e.Action.Verb == "die" {
			deadly = e.Action.At
			break
		}
	}
	p := c.m.Plan.Checkpoints
	if deadly.Line > 0 && c.m.Place.Death.Kind == "checkpoint" && c.m.Fallback == nil {
		at, of := c.m.Place.Death.At, about{item: "checkpoints"}
		if p != nil {
			at, of.accept = p.List.At, &p.Accept
		}
		c.report("no-fallback", at, of, "A player can die (line %d) before the first checkpoint, and checkpoints name no fallback: they come back at %s.", deadly.Line, c.m.Start.ID)
	}
	if p != nil && !c.m.Furthest && len(c.m.Checkpoints) > 1 {
		c.report("latest-goes-back", p.Use.At, about{"checkpoints", &p.Accept}, "With use: latest, touching %s after %s takes the player back there.", c.m.Checkpoints[0].ID, c.m.Checkpoints[1].ID)
	}
}
