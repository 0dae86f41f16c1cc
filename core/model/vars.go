package model

import (
	"slices"
	"strings"
	"time"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// builtIn are names that variables of a player cannot have, since the language has them.
var builtIn = map[string]bool{"dead": true, "checkpoint": true, "slot": true, "visits": true, "first_visit": true,
	"place": true, "profile": true}

func (b *builder) allVars() {
	for i := range b.Plan.Variables.Entries {
		e := &b.Plan.Variables.Entries[i]
		if e.Value.Type.Name == "group" {
			b.group(e)
			continue
		}
		b.refuseFields(e)
		b.newVar(&Var{ID: e.ID, At: e.At, Decl: &e.Value, Accept: &e.Value.Accept, Title: Title(e.Value.Title, e.ID)})
	}
	b.allUses()
	for _, h := range b.Holders { // computed variables come behind the stored ones
		for i, v := range h.Computed {
			v.Slot = len(h.Stored) + i
		}
	}
}

// group makes a variable of each of a group's fields. They share the group's holder and fates, so that
// they stay together.
func (b *builder) group(e *plan.Entry[plan.Variable]) {
	g := &e.Value
	if len(g.Fields.Entries) == 0 {
		b.report("missing", e.At, "The group %s needs its fields.", e.ID)
	}
	if g.Is.Given() || g.Start != nil || g.Optional.Value {
		b.report("wrong-type", e.At,
			"The group %s as a whole has no start, is never none, and is not computed; its fields are what has values.", e.ID)
	}
	b.unused(declaration{id: g.Type, limits: &g.Limits, roster: g.Roster, items: g.Items, maxItems: g.MaxItems}, nil)
	for i := range g.Fields.Entries {
		f := &g.Fields.Entries[i]
		d := &plan.Variable{Of: g.Of, In: g.In, Across: g.Across, Share: g.Share, WrittenBy: g.WrittenBy,
			ReadBy: g.ReadBy,
			Type:   f.Value.Type, Title: f.Value.Title, Start: f.Value.Start, Limits: f.Value.Limits, AtLimit: f.Value.AtLimit, Roster: f.Value.Roster}
		if known := types.Names(types.InField); indexOf(known, d.Type.Name) < 0 {
			b.oneOf(d.Type.Name, known, "type for a field", d.Type.At)
			continue
		}
		b.newVar(&Var{ID: e.ID + "." + f.ID, At: f.At, Decl: d, Accept: &g.Accept,
			Title: Title(g.Title, e.ID) + ": " + Title(f.Value.Title, f.ID)})
	}
}

func (b *builder) refuseFields(e *plan.Entry[plan.Variable]) {
	if len(e.Value.Fields.Entries) > 0 && slices.Contains(plan.TypesOf(types.InVariable), e.Value.Type.Name) {
		b.report("wrong-type", e.Value.Fields.At, "fields go with a group only.")
	}
}

// newVar files a variable under its holder.
func (b *builder) newVar(v *Var) {
	v.Fates = b.newFates()
	v.Hold = b.holding(v.Decl.Of)
	v.Holder = v.Hold.Holder
	v.Name = v.Hold.Prefix() + v.ID
	if root, _, _ := strings.Cut(v.ID, "."); v.Holder.OfPlayers() && builtIn[root] {
		b.report("bad-value", v.At, "player.%s is built in; the variable needs another name.", root)
	}
	if v.Hold.Kind != nil && v.Hold.Kind.Prop(v.ID) != nil {
		b.report("duplicate-id", v.At, "%s is one of the props of kind %s already; the variable needs another name.",
			v.ID, v.Hold.Kind.ID)
	}
	b.underOption(v)
	b.onlyIn(v)
	b.variable(v)
	if b.rest.blurs(v.At.Pointer) {
		v.Type = types.Type{}
	}
	b.shared(v)
	if v.Computed() {
		v.Hold.Computed = append(v.Hold.Computed, v)
	} else {
		v.Slot = len(v.Hold.Stored)
		v.Hold.Stored = append(v.Hold.Stored, v)
	}
	b.Vars = append(b.Vars, v)
	b.vars[v.Name] = v
}

// holding finds what the holder of a declaration has.
func (b *builder) holding(h plan.Holder) *Holding {
	switch {
	case h.Name == "profile" && h.With == "list" && b.lists[h.Kind] != nil:
		return b.lists[h.Kind].Profile
	case h.Name == "profile":
		return b.Profile
	case h.With == "list" && b.lists[h.Kind] != nil:
		return b.lists[h.Kind].Players
	case h.Name == "list" && b.lists[h.Kind] != nil:
		return b.lists[h.Kind].Own
	case h.Kind != "" && b.kinds[h.Kind] == nil: // which the reader has told
	case h.With == "scene":
		return b.Holders[OfPlayerScene]
	case h.With == "prop":
		return b.kinds[h.Kind].Players
	case h.Name == "prop":
		return b.kinds[h.Kind].Own
	case h.Name == "scene":
		return b.Holders[OfScene]
	case h.Name == "game":
		return b.Holders[OfGame]
	}
	return b.Holders[OfPlayer]
}

func (b *builder) onlyIn(v *Var) {
	if len(v.Decl.In) == 0 {
		return
	}
	if v.Holder != OfScene && v.Holder != OfPlayerScene {
		b.report("wrong-type", v.Decl.In[0].At, "in goes with what scenes hold, alone or with a player.")
	}
	v.In = b.sceneSet(v.Decl.In)
}

// shared reads who is sent a variable (rule 27).
func (b *builder) shared(v *Var) {
	v.With = holders[v.Holder].with
	s := v.Decl.Share
	if s == nil {
		return
	}
	v.With = s.With.Or(v.With)
	if v.With == "self" && !v.Holder.OfPlayers() {
		b.report("bad-value", s.With.At, "%s belongs to no player, so it cannot be shared with itself.", v.Name)
	}
	if v.With == "scene" && (v.Holder == OfGame || v.Holder == OfList) {
		b.report("bad-value", s.With.At, "%s is in no scene: share it with everyone or nobody.", v.Name)
	}
	v.SelfMay = s.Writer.Value == "self"
	switch {
	case v.SelfMay && v.Holder != OfPlayer:
		b.report("bad-value", s.Writer.At, "Only what a player holds can be written by that player.")
	case v.SelfMay && (v.Computed() || v.Stopwatch):
		b.report("bad-value", s.Writer.At, "%s has its value by itself; nobody writes it.", v.Name)
	case s.AtMost.Given && !v.SelfMay:
		b.report("wrong-type", s.AtMost.At, "at_most goes with writer: self.")
	case s.Told.Given && v.SelfMay:
		b.report("wrong-type", s.Told.At, "told goes with writer: server: whoever writes it would see their own value late. at_most limits how often they write.")
	case s.Told.Given && v.With == "nobody":
		b.report("wrong-type", s.Told.At, "%s is shared with nobody, so told has nothing to limit.", v.Name)
	}
	if rate := s.Told.Value; s.Told.Given {
		v.TellEvery = rate.Per / time.Duration(rate.Times)
	}
}

// variable reads what a declaration says of the values, and its start.
func (b *builder) variable(v *Var) {
	d := v.Decl
	v.Domain = b.domain(declaration{name: v.ID, id: d.Type, limits: &d.Limits, roster: d.Roster, items: d.Items,
		maxItems: d.MaxItems, where: types.InVariable})
	v.Refuse = d.AtLimit.Value == "refuse"
	v.Refused = b.text(d.Refused)
	if d.Refused.Given && !v.Refuse {
		b.report("missing", d.Refused.At, "%s has a text for when a change is refused, but no at_limit: refuse.",
			v.Name)
	}
	v.Stopwatch, v.Seed = v.Type.Kind == types.Stopwatch, v.Type.Kind == types.Seed
	alone := v.Type.Kind != types.Invalid && v.Type.Kind.About().Alone
	if v.Holder.Lazy() && alone {
		b.report("bad-value", v.At, "A %s is held by the game, a player or a scene, not by %s.", d.Type.Name, v.Decl.Of)
	}
	if v.Locked = d.Locked.Value; v.Locked && (v.Type.Kind != types.Pick || !v.Type.Optional) {
		b.report("wrong-type", d.Locked.At, "locked goes with a pick that is optional: once picked, it stays.")
	}
	if d.While.Given() && !v.Stopwatch && v.Type.Kind != types.Invalid {
		b.report("wrong-type", d.While.At, "while goes with a stopwatch only.")
	}
	b.startOf(v, alone)
}

func (b *builder) startOf(v *Var, alone bool) {
	d := v.Decl
	switch {
	case v.Computed() && d.Start != nil:
		b.report("wrong-type", d.Start.At, "A computed variable has no start: it is never stored.")
	case v.Computed() && alone:
		b.report("wrong-type", d.Is.At, "A %s cannot be computed: it has its value by itself.", d.Type.Name)
	case v.Computed():
	case alone:
		v.Start, _ = v.Type.Kind.Start(&v.Domain)
		if d.Start != nil || d.Optional.Value {
			b.report("wrong-type", v.At, "A %s begins by itself and is never none.", d.Type.Name)
		}
	case v.Type.Kind == types.Invalid || v.Type.Named() && len(v.Type.Names) == 0: // which is told, and the start says nothing more
	case d.Start != nil && v.Type.Kind == types.Player:
		b.report("wrong-type", d.Start.At, "%s refers to a player, and begins as none: a plan knows nobody.", v.Name)
	case d.Start != nil:
		start, err := v.FromLiteral(d.Start.Literal)
		if err != nil {
			b.report("bad-value", d.Start.At, "%s cannot start like this: %v.", v.Name, err)
		}
		v.Start = start
	case !v.Type.Optional:
		start, begins := v.Type.Kind.Start(&v.Domain)
		if v.Start = start; !begins {
			b.report("missing", v.At, "%s has no start. Give it one, or make it optional: true.", v.Name)
		}
	}
}

// allComputed compiles the computed variables and makes sure that none reads itself.
func (b *builder) allComputed() {
	for _, v := range b.Vars {
		if !v.Computed() {
			continue
		}
		names := b.scopes.of(v.Hold)
		if v.Shared != nil {
			names = b.commonsNames(v)
		}
		p, found := expr.CompileFor(v.Decl.Is, names, nil, v.Type)
		b.add(found...)
		if p == nil {
			continue
		}
		if why, ok := types.Fits(p.Type, v.Type); !ok {
			b.report("type-mismatch", v.Decl.Is.At, "%s cannot be computed like this: %s.", v.Name, why)
		}
		v.Is = p
	}
	b.loops()
}

// mostEffort is how much may be done to read one computed variable: those that are computed from others, each several
// times, double with every step.
const mostEffort = 10_000

// Effort is how much is done to evaluate an expression, about: its parts, and those of the computed variables that it
// reads.
func (m *Model) Effort(p *expr.Program) int {
	if p == nil {
		return 0
	}
	all := p.Size
	for _, r := range p.Reads {
		if v := m.VarOf(r.Ref); v != nil && v.Computed() {
			all = min(all+v.effort, 1<<40)
		}
	}
	return all
}

// effort says how much is done to read a computed variable, once it is known of all that it reads.
func (b *builder) effort(v *Var) {
	v.effort = b.Effort(v.Is)
	if v.effort > mostEffort &&
		!v.Is.ReadsAny(func(r expr.Ref) bool { w := b.VarOf(r); return w != nil && w.effort > mostEffort }) {
		b.report("bad-value", v.Is.At,
			"To compute %s takes too long: what it reads is computed from others in turn, again and again, which makes about %s steps each time; there may be %s. Keep one of them in a variable that is not computed.",
			v.Name, finding.Grouped(v.effort), finding.Grouped(mostEffort))
	}
}

// loops reports computed variables that read themselves, directly or through others.
func (b *builder) loops() {
	state := map[*Var]int{} // 1: being visited, 2: done
	var visit func(v *Var)
	visit = func(v *Var) {
		state[v] = 1
		if v.Is != nil {
			for _, r := range v.Is.Reads {
				w := b.VarOf(r.Ref)
				if w == nil || !w.Computed() {
					continue
				}
				if state[w] == 1 {
					b.report("bad-expression", r.At, "%s is computed from %s, and so from itself.", w.Name, v.Name)
				} else if state[w] == 0 {
					visit(w)
				}
			}
			b.effort(v)
		}
		state[v] = 2
	}
	for _, v := range b.Vars {
		if v.Computed() && state[v] == 0 {
			visit(v)
		}
	}
}

// fits reports a value that cannot be given to a variable.
func (b *builder) fits(v *Var, p *expr.Program) {
	if why, ok := types.Fits(p.Type, v.Type); !ok {
		id := "type-mismatch"
		if p.Type.Optional && !v.Type.Optional {
			id = "none-unhandled"
		}
		b.report(id, p.At, "This cannot be given to %s: %s.", v.Name, why)
	}
}
