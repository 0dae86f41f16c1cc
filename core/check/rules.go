package check

import (
	"fmt"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).narrows,
	finding.Kind{ID: "narrows", Severity: finding.Warning, Title: "A value is cut to fit its variable",
		Why: "What is computed is finer than the variable's step, or outside its limits: part of it is lost at each assignment.",
		Do:  "Give the variable a finer step or wider limits, or round in the expression, so that it is visible."},
)

// narrows reports values that are cut to fit their variable: finer than its step, or always outside
// its limits.
func (c *checker) narrows() {
	for _, e := range c.m.Effects {
		if a := e.Action; a.Var != nil && a.Value != nil && a.Value.Type.Numeric() {
			c.narrow(a.Var, a.Value, ofRule(e.Rule), a.Change == model.Adds)
		}
	}
	for _, v := range c.m.Vars {
		c.outside(v, v.Is, ofVar(v)) // what is computed is never stored: nothing of it is lost
		for _, f := range v.Fates {
			c.narrow(v, f.Set, ofVar(v), false)
		}
	}
}

func (c *checker) narrow(v *model.Var, p *expr.Program, of about, added bool) {
	if p == nil || !v.Type.Numeric() || !p.Type.Numeric() {
		return
	}
	if r := p.Type.Range; !r.FitsStep(v.Step) {
		finer := "has no fixed step"
		if r.Step.Sign() > 0 {
			finer = "comes in steps of " + r.Step.String()
		}
		c.report("narrows", p.At, of, "%s comes in steps of %s; %s %s, and is rounded.", v.Name, v.Step, p.Source,
			finer)
	} else if !added {
		c.outside(v, p, of)
	}
}

// outside reports what never lies within the limits of its variable.
func (c *checker) outside(v *model.Var, p *expr.Program, of about) {
	if p != nil && v.Type.Numeric() && p.Type.Numeric() && p.Type.Range.Outside(types.Between(v.Min, v.Max, v.Step)) {
		c.report("narrows", p.At, of, "%s goes from %s to %s; %s is never inside.", v.Name, v.Min, v.Max, p.Source)
	}
}

var _ = judges((*checker).conditions,
	finding.Kind{ID: "always-refused", Severity: finding.Warning, Title: "A condition that can never hold",
		Why: "What depends on it does not happen.",
		Do:  "Correct the condition, let a rule make it true, or say written_by: game where the game's server writes what it reads."},
	finding.Kind{ID: "never-refuses", Severity: finding.Note, Title: "A condition that always holds",
		Why: "It looks like a gate and is none.",
		Do:  "Remove it, or correct it."},
)

// conditions reports conditions that can never hold, and gates that always let pass.
func (c *checker) conditions() {
	for _, p := range c.m.Passages {
		c.gate(p.If, ofPassage(p), "The passage "+p.ID)
	}
	for _, e := range c.m.Events {
		c.gate(e.If, ofEvent(e), "The event "+e.ID)
	}
	for _, u := range c.programs {
		if u.what != "if" {
			continue
		}
		if known, rests := c.truth(u.program); known == types.False {
			c.report("always-refused", u.program.At, u.about, "%s",
				upperFirst(fmt.Sprintf("%sthis condition %s hold: %s.", because(rests), never(rests),
					u.program.Source)))
		}
	}
}

func (c *checker) gate(p *expr.Program, of about, what string) {
	if p == nil {
		return
	}
	switch known, rests := c.truth(p); known {
	case types.False:
		c.report("always-refused", p.At, of, "%s is always refused: %s%s %s hold.", what, because(rests), p.Source,
			never(rests))
	case types.True:
		c.report("never-refuses", p.At, of, "%s is never refused: %s%s always holds.", what, because(rests), p.Source)
	}
}

func upperFirst(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

var _ = judges((*checker).equalities,
	finding.Kind{ID: "equality-on-steps", Severity: finding.Warning, Title: "== on a number that can jump past it",
		Why: "A number that changes by more than one step may never be equal to this one.",
		Do:  "Use >= or <=."},
)

// equalities reports == on a number that can jump past it.
func (c *checker) equalities() {
	for _, u := range c.programs {
		for _, eq := range u.program.Equals {
			v := c.m.VarOf(eq.Read.Ref)
			if v == nil || v.Computed() || c.endsThere(v, eq.To) {
				continue
			}
			if v.Stopwatch {
				c.report("equality-on-steps", eq.Read.At, u.about,
					"%s counts on by itself and is hardly ever exactly %s.", v.Name, eq.To)
			} else if e, ok := c.jumps(v); ok {
				c.report("equality-on-steps", eq.Read.At, u.about,
					"%s can jump past %s: it changes by more than one step on line %d.", v.Name, eq.To, e.Action.At.Line)
			}
		}
	}
}

// endsThere says whether a limit catches the number exactly where it is compared.
func (c *checker) endsThere(v *model.Var, to types.Value) bool {
	return !v.Refuse && (to.Num == v.Min || to.Num == v.Max)
}

// jumps finds a rule that changes a number by more than one step, starting from what it was.
func (c *checker) jumps(v *model.Var) (model.Effect, bool) {
	for _, e := range c.writes[v] {
		by := c.change(e)
		if by == nil {
			continue
		}
		step := types.Between(v.Step.Neg(), v.Step, v.Step)
		if !by.Bounded() || by.Lo.Less(step.Lo) || step.Hi.Less(by.Hi) {
			return e, true
		}
	}
	return model.Effect{}, false
}

var _ = judges((*checker).sharedWrites,
	finding.Kind{ID: "shared-written-by-one", Severity: finding.Warning,
		Title: "One for all, written from one player's own values",
		Why:   "The last writer wins for everybody.",
		Do:    "Hold it by player, or add to what was there."},
)

// sharedWrites reports what is held once for all and is set from one player's own values.
func (c *checker) sharedWrites() {
	if c.m.Single {
		return
	}
	for _, e := range c.m.Effects {
		a := e.Action
		if a.Change != model.Sets || a.Value == nil || a.Var.Holder.OfPlayers() {
			continue
		}
		own := func(r expr.Ref) bool {
			return r.Who == expr.Self || (r.Who == expr.Arg || r.Who == expr.Local) && r.What != expr.Itself &&
				r.What != expr.LocalValue
		}
		same := func(r expr.Ref) bool { return c.m.VarOf(r) == a.Var }
		if a.Value.ReadsAny(own) && !a.Value.ReadsAny(same) {
			c.report("shared-written-by-one", a.At, ofRule(e.Rule),
				"%s is held once for all, and is set here from one player's own values (%s).", a.Var.Name, a.Value.Source)
		}
	}
}

var _ = judges((*checker).advancedByEach,
	finding.Kind{ID: "advanced-by-each", Severity: finding.Warning,
		Title: "One for all, advanced by every player's timer",
		Why:   "With N players it goes N times as fast.",
		Do:    "Use the session's timer ({every: 1s}), or hold it by player."},
)

// advancedByEach reports what is held once for all and is advanced by each player's own timer.
func (c *checker) advancedByEach() {
	if c.m.Single {
		return
	}
	for _, e := range c.m.Effects {
		a := e.Action
		if e.Rule.Moment.Kind == "every" && e.Rule.AboutPlayer && a.Var != nil && !a.Var.Holder.OfPlayers() &&
			c.change(e) != nil {
			c.report("advanced-by-each", a.At, ofRule(e.Rule),
				"%s is held once for all, and is advanced here by each player's timer: with ten players it goes ten times as fast.", a.Var.Name)
		}
	}
}

var _ = judges((*checker).doesTooMuch,
	finding.Kind{ID: "does-too-much", Severity: finding.Warning, Title: "A rule that does more than one event may",
		Why: "With so many players the event is refused, and nothing of it is done.",
		Do:  "Let it act for each player once (each in each multiplies), or allow fewer players in the session."},
)

// doesTooMuch reports rules that do more than one event may, when many enough are in the session.
func (c *checker) doesTooMuch() {
	for _, r := range c.m.Rules {
		for players := 1; players <= c.m.Players(); players++ {
			if n := r.Actions(players); n > model.MostActions(players) {
				c.report("does-too-much", r.At, ofRule(r),
					"With %d in the session, this does up to %s actions in one event, and at most %s are done: the event is refused.",
					players, finding.Grouped(n), finding.Grouped(model.MostActions(players)))
				break
			}
		}
	}
}

var _ = judges((*checker).comingBack,
	finding.Kind{ID: "no-fallback", Severity: finding.Warning,
		Title: "A player who dies before the first checkpoint has nowhere to come back",
		Why:   "They come back at the start of the whole game.",
		Do:    "Name a fallback in checkpoints."},
	finding.Kind{ID: "latest-goes-back", Severity: finding.Note, Title: "An earlier checkpoint takes progress back",
		Why: "With use: latest, touching an early checkpoint again makes it the one to come back to.",
		Do:  "Use furthest, or accept this with the reason."},
)

// comingBack reports deaths with nowhere to come back to, and checkpoints that take progress back.
func (c *checker) comingBack() {
	deadly := finding.At{}
	for _, e := range c.m.Effects {
		if e.Action.Turn == model.Dies {
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
		c.report("no-fallback", at, of,
			"A player can die (line %d) before the first checkpoint, and checkpoints name no fallback: they come back at %s.", deadly.Line, c.m.Start.ID)
	}
	if p != nil && !c.m.Furthest && len(c.m.Checkpoints) > 1 {
		c.report("latest-goes-back", p.Use.At, about{"checkpoints", &p.Accept},
			"With use: latest, touching %s after %s takes the player back there.", c.m.Checkpoints[0].ID, c.m.Checkpoints[1].ID)
	}
}
