package model

import (
	"fmt"
	"reflect"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/plan"
)

// allFates decides every cell of the matrix that applies.
func (b *builder) allFates() {
	for _, v := range b.Vars {
		for _, c := range b.Crossings {
			*v.Fates.At(c) = b.fate(v.Name, v.Hold, c, v.Decl.Across.At(c), v)
		}
		if v.Computed() && !reflect.ValueOf(v.Decl.Across).IsZero() {
			b.report("wrong-type", v.At, "%s is computed: it is never stored, so no crossing can change it.", v.Name)
		}
	}
	for _, h := range b.Holders {
		for i, v := range h.Stored {
			if v.Fates.At(plan.CrossDeath).Kind == "rewind" {
				h.Rewinds = append(h.Rewinds, i)
			}
		}
	}
	b.oneStep()
	var own plan.Fates
	if b.Plan.Checkpoints != nil {
		own = b.Plan.Checkpoints.Across
	}
	for _, c := range b.Crossings {
		*b.Reached.At(c) = b.fate("the checkpoint reached", b.Holders[OfPlayer], c, own.At(c), nil)
		if k := b.Reached.At(c).Kind; k == "set" || k == "rewind" {
			b.report("bad-value", b.Reached.At(c).At, "The checkpoint reached can be kept or reset at %s.", c)
		}
	}
	for _, w := range b.Waymarks {
		for _, c := range b.Crossings {
			*w.Fates.At(c) = b.fate("the waymark "+w.ID, b.Holders[OfPlayer], c, w.Decl.Across.At(c), nil)
			if w.Fates.At(c).Kind == "set" {
				b.report("bad-value", w.Fates.At(c).At,
					"A waymark can be kept, reset or (at death) rewound at %s, but not set.", c)
			}
		}
	}
	for _, m := range b.Movables {
		for _, c := range b.Crossings {
			*m.Fates.At(c) = b.movableFate(m, c)
		}
	}
	b.defaultsApply()
	b.placeFates()
}

// defaultFate is what the plan's defaults say of a holder at a crossing.
func (b *builder) defaultFate(h *Holding, c plan.Crossing) *plan.Fate {
	own, instead := b.Defaults(h)
	if f := own.At(c); f.Kind != "" {
		return f
	}
	if f := instead.At(c); f.Kind != "" || !b.Single || h.Holder.OfPlayers() {
		return f
	}
	// The world is stored in the player's slot: the defaults of players decide for it, and loading the slot counts as
	// leave.
	if c == plan.CrossRestart {
		c = plan.CrossLeave
	}
	if f := b.Plan.Defaults.Player.At(c); f.Kind != "set" {
		return f
	}
	return &plan.Fate{}
}

// defaultsApply reports defaults for crossings that can never apply to the holder.
func (b *builder) defaultsApply() {
	d := &b.Plan.Defaults
	check := func(h *Holding, fates *plan.Fates, what string) {
		for _, c := range b.Crossings {
			if f := fates.At(c); f.Kind != "" && !b.Applies(h, c) {
				b.report("bad-value", f.At, "%s", b.cannotApply(what, h.Holder, c))
			}
		}
	}
	for _, h := range []Holder{OfPlayer, OfScene, OfGame, OfPlayerScene} {
		check(b.Holders[h], holders[h].defaults(d), "what a "+h.String()+" holds")
	}
	check(&Holding{Holder: OfProp}, &d.Prop, "what a prop holds")
	check(&Holding{Holder: OfProfile}, &d.Profile, "what a profile holds")
	for i := range d.Lists.Entries {
		e := &d.Lists.Entries[i]
		check(b.lists[e.ID].Own, &e.Value, "what each "+e.ID+" holds")
	}
}

// movableFate is what a crossing does to a movable: what it says itself, else the default of the game where
// that can be (a movable never rewinds, rule 17). Who starts over alone sends it home (rule 5).
func (b *builder) movableFate(m *Movable, c plan.Crossing) Fate {
	own := m.Decl.Across.At(c)
	f := b.fate("the movable "+m.ID, b.Holders[OfGame], c, own, nil)
	switch {
	case own.Kind == "set" || own.Kind == "rewind":
		b.report("bad-value", f.At, "A movable can be kept where it is, or reset to its start, at %s.", c)
	case own.Kind == "" && c == plan.CrossNewRun && b.Single:
		return Fate{Kind: "reset", By: ByNature}
	case f.Kind == "set" || f.Kind == "rewind":
		return Fate{Kind: "keep", By: ByNature}
	}
	return f
}

func (b *builder) cannotApply(what string, h Holder, c plan.Crossing) string {
	text := fmt.Sprintf("The crossing %s cannot apply to %s", c, what)
	if !h.OfPlayers() && alone[c] != "" {
		return text + ": a session has several players, and one of them does not speak for all. It applies where session.players is 1."
	}
	return text + "."
}

func (b *builder) fate(what string, h *Holding, c plan.Crossing, own *plan.Fate, v *Var) Fate {
	switch {
	case !b.Applies(h, c):
		if own.Kind != "" {
			b.report("bad-value", own.At, "%s", b.cannotApply(what, h.Holder, c))
		}
		return Fate{By: NotAtAll}
	case v != nil && v.Computed():
		return Fate{By: NotAtAll}
	case v != nil && v.Shared != nil: // nothing takes from what other games see too (rule 4)
		return Fate{Kind: "keep", By: ByNature}
	}
	f, by := own, ByItself
	if f.Kind == "" {
		f, by = b.defaultFate(h, c), ByDefault
	}
	if f.Kind == "" && h.Holder.OfProfiles() && c.Own() == nil { // a profile is there to last
		return Fate{Kind: "keep", By: ByNature}
	}
	if f.Kind == "" {
		return Fate{By: ByNobody}
	}
	if f.Kind == "rewind" && h.Holder.OfProfiles() {
		b.report("bad-value", f.At, "What a profile holds belongs to no run: nothing of it rewinds.")
	}
	out := Fate{Kind: f.Kind, By: by, At: f.At}
	if f.Kind == "set" && v != nil {
		out.Set = b.fateExpression(v, c, f)
	}
	return out
}

func (b *builder) fateExpression(v *Var, c plan.Crossing, f *plan.Fate) *expr.Program {
	if v.Stopwatch || v.Seed {
		b.report("wrong-type", f.At, "%s is a %s: it can be kept or reset, but not set.", v.Name, v.Decl.Type.Name)
		return nil
	}
	return b.valueFor(v, f.Set, b.withDays(b.scopes.of(v.Hold), c), nil)
}

// oneStep makes sure that at a crossing no expression reads what is itself set there: all of them read
// the result of the resets and rewinds (rule 15).
func (b *builder) oneStep() {
	for _, c := range b.Crossings {
		for _, v := range b.Vars {
			p := v.Fates.At(c).Set
			if p == nil {
				continue
			}
			for _, r := range p.Reads {
				if w := b.VarOf(r.Ref); w != nil && w != v && w.Hold == v.Hold && w.Fates.At(c).Kind == "set" {
					b.report("bad-value", p.At,
						"At %s, %s is set from %s, which is itself set there; both are set at once, so neither can read the other.", c, v.Name, w.Name)
				}
			}
		}
	}
}

func (b *builder) placeFates() {
	d := b.Plan.Defaults.Place
	written := func(g plan.Given[string], otherwise Fate) Fate {
		if !g.Given {
			return otherwise
		}
		return Fate{Kind: g.Value, By: ByItself, At: g.At}
	}
	b.Place.Death = written(d.Death, Fate{By: ByNobody})
	b.Place.Leave = written(d.Leave, Fate{By: ByNobody})
	b.Place.NewRun = written(d.NewRun, Fate{Kind: "start", By: ByNature})
}

// valueFor compiles the value that a variable is given.
func (b *builder) valueFor(v *Var, x plan.Expr, names expr.Names, known expr.Facts) *expr.Program {
	p, found := expr.CompileFor(x, names, known, v.Type)
	b.add(found...)
	if p != nil {
		b.fits(v, p)
	}
	return p
}
