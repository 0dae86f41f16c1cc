package model

import (
	"fmt"
	"reflect"

	"alluvion/core/expr"
	"alluvion/core/finding"
	"alluvion/core/fixed"
	"alluvion/core/plan"
)

var holders = map[string]Holder{"player": OfPlayer, "scene": OfScene, "game": OfGame}

// builtIn are names that variables of a player cannot have, since the language has them.
var builtIn = map[string]bool{"dead": true, "checkpoint": true, "slot": true, "visits": true, "first_visit": true, "place": true}

func (b *builder) allVars() {
	for i := range b.Plan.Variables.Entries {
		e := &b.Plan.Variables.Entries[i]
		v := &Var{ID: e.ID, Holder: holders[e.Value.Of.Name], At: e.At, Decl: &e.Value, Title: Title(e.Value.Title, e.ID)}
		v.Name = v.Holder.String() + "." + v.ID
		if builtIn[v.ID] && v.Holder == OfPlayer {
			b.report("bad-value", e.At, "player.%s is built in; the variable needs another name.", v.ID)
		}
		b.variable(v)
		h := &b.Holders[v.Holder]
		if v.Computed() {
			h.Computed = append(h.Computed, v)
		} else {
			v.Slot = len(h.Stored)
			h.Stored = append(h.Stored, v)
		}
		b.Vars = append(b.Vars, v)
		b.vars[v.Name] = v
	}
	for h := range b.Holders { // computed variables come behind the stored ones
		for i, v := range b.Holders[h].Computed {
			v.Slot = len(b.Holders[h].Stored) + i
		}
	}
}

// variable reads what a declaration says of the values, and its start.
func (b *builder) variable(v *Var) {
	d := v.Decl
	v.Stopwatch = d.Type.Name == "stopwatch"
	v.Domain = b.domain(v.ID, limits{Type: d.Type, Min: d.Min, Max: d.Max, Step: d.Step, MinLength: d.MinLength, MaxLength: d.MaxLength,
		Choices: d.Choices, Roster: d.Roster, Optional: d.Optional.Value}, true)
	v.Refuse = d.AtLimit.Value == "refuse"
	v.Alphabet = d.Alphabet.Value
	if d.Alphabet.Given && v.Type.Kind != expr.Text {
		b.report("wrong-type", d.Alphabet.At, "alphabet goes with a text only.")
	}
	switch {
	case v.Computed() && d.Start != nil:
		b.report("wrong-type", d.Start.At, "A computed variable has no start: it is never stored.")
	case v.Computed() && v.Stopwatch:
		b.report("wrong-type", d.Is.At, "A stopwatch cannot be computed: it counts by itself.")
	case v.Computed():
	case v.Stopwatch:
		v.Start = expr.OfNum(fixed.Num{})
		if d.Start != nil || d.Optional.Value {
			b.report("wrong-type", v.At, "A stopwatch starts at 0 and is never none.")
		}
	case d.Start != nil:
		start, err := v.FromLiteral(*d.Start)
		if err != nil {
			b.report("bad-value", d.Start.At, "%s cannot start like this: %v.", v.Name, err)
		}
		v.Start = start
	case !d.Optional.Value:
		b.report("missing", v.At, "%s has no start. Give it one, or make it optional: true.", v.Name)
	}
}

// limits are what a declaration of a variable, an argument or an attribute may say of its values.
type limits struct {
	Type                 plan.ID
	Min, Max, Step       plan.Given[fixed.Num]
	MinLength, MaxLength plan.Given[int]
	Choices              []plan.ID
	Roster               plan.Ref
	Optional             bool
}

func (b *builder) valueDomain(name string, t plan.ValueType, arg bool) Domain {
	l := limits{Type: t.Type, Min: t.Min, Max: t.Max, Step: t.Step, MinLength: t.MinLength, MaxLength: t.MaxLength, Choices: t.Choices, Roster: t.Roster, Optional: t.Optional.Value}
	d := b.domain(name, l, false)
	if d.Type.Kind == expr.Player && !arg {
		b.report("bad-value", t.Type.At, "An attribute cannot be a player.")
	}
	return d
}

var (
	plainTypes = []string{"int", "decimal", "bool", "text", "choice", "pick", "stopwatch"}
	laterTypes = []string{"point", "list", "set", "group", "seed"}
)

func (b *builder) domain(name string, l limits, variable bool) Domain {
	t := expr.Type{Optional: l.Optional}
	d := Domain{MaxLength: l.MaxLength.Or(256), MinLength: l.MinLength.Value}
	uses := map[string]bool{}
	switch l.Type.Name {
	case "int", "decimal", "stopwatch":
		t.Kind, uses["min"], uses["max"], uses["step"] = expr.Int, true, true, true
		if l.Type.Name != "int" {
			t.Kind = expr.Decimal
		}
		if l.Type.Name == "stopwatch" {
			uses = nil
			l.Min, l.Step = plan.Given[fixed.Num]{Given: true}, plan.Given[fixed.Num]{Given: true, Value: fixed.Must("0.001")}
		}
		d.Type = t
		b.numberDomain(name, l, &d)
	case "bool":
		t.Kind = expr.Bool
	case "text":
		t.Kind, uses["min_length"], uses["max_length"] = expr.Text, true, true
	case "choice":
		t.Kind, t.Of, uses["choices"] = expr.Choice, "choice of "+name, true
		for _, c := range l.Choices {
			t.Names = append(t.Names, c.Name)
		}
		b.unique(l.Choices)
		if len(l.Choices) == 0 {
			b.report("missing", l.Type.At, "A choice needs its choices: [a, b].")
		}
	case "pick":
		t.Kind, t.Of, uses["roster"] = expr.Pick, l.Roster.Name, true
		t.Names, t.Roster = b.options[l.Roster.Name], b.rosters[l.Roster.Name]
		if !l.Roster.Given() {
			b.report("missing", l.Type.At, "A pick needs its roster.")
		}
	default:
		b.otherType(name, l.Type, variable, &t)
	}
	if !t.Numeric() {
		d.Type = t
	}
	b.unused(l, uses)
	return d
}

func (b *builder) otherType(name string, id plan.ID, variable bool, t *expr.Type) {
	if id.Name == "player" && !variable {
		t.Kind = expr.Player
		return
	}
	known := append([]string{}, plainTypes...)
	if !variable {
		known = append(known, "player")
	}
	if indexOf(laterTypes, id.Name) >= 0 {
		b.report("not-built", id.At, "The type %s is part of the language, but this version does not run it yet.", id.Name)
		return
	}
	b.oneOf(id.Name, known, "type", id.At)
}

// unused reports limits that do not go with the type.
func (b *builder) unused(l limits, uses map[string]bool) {
	for _, g := range []struct {
		name  string
		given bool
		at    finding.At
	}{
		{"min", l.Min.Given && l.Min.Line > 0, l.Min.At}, {"max", l.Max.Given, l.Max.At}, {"step", l.Step.Given && l.Step.Line > 0, l.Step.At},
		{"min_length", l.MinLength.Given, l.MinLength.At}, {"max_length", l.MaxLength.Given, l.MaxLength.At},
		{"choices", len(l.Choices) > 0, first(l.Choices)}, {"roster", l.Roster.Given(), l.Roster.At},
	} {
		if g.given && !uses[g.name] {
			b.report("wrong-type", g.at, "%s does not go with the type %s.", g.name, l.Type.Name)
		}
	}
}

func first(ids []plan.ID) finding.At {
	if len(ids) == 0 {
		return finding.At{}
	}
	return ids[0].At
}

// numberDomain finds the limits of a number: what is declared, and never more than what keeps its
// figure everywhere (rule 20).
func (b *builder) numberDomain(name string, l limits, d *Domain) {
	d.Step = l.Step.Or(fixed.FromInt(1))
	switch {
	case d.Type.Kind == expr.Decimal && !l.Step.Given:
		b.report("missing", l.Type.At, "%s is a decimal and needs its step, such as step: 0.1.", name)
		d.Step = fixed.Must("0.1")
	case d.Type.Kind == expr.Int && !d.Step.MultipleOf(fixed.FromInt(1)):
		b.report("bad-value", l.Step.At, "The step of an int is a whole number.")
	}
	most := mostStorable(d.Step)
	d.Min, d.Max = l.Min.Or(most.Neg()), l.Max.Or(most)
	for _, g := range []plan.Given[fixed.Num]{l.Min, l.Max} {
		switch {
		case !g.Given || g.Line == 0:
		case !g.Value.MultipleOf(d.Step):
			b.report("bad-value", g.At, "%s is not a whole number of steps of %s, so the value could never be exactly there.", g.Value, d.Step)
		case most.Less(g.Value.Abs()):
			b.report("bad-value", g.At, "%s is beyond %s, the most that keeps its figure in every JSON reader at steps of %s.", g.Value, most, d.Step)
		}
	}
	if d.Max.Less(d.Min) {
		b.report("bad-value", l.Max.At, "%s can have no value: its max %s is less than its min %s.", name, d.Max, d.Min)
	}
	d.Type.Range = expr.Between(d.Min, d.Max, d.Step)
}

// mostStorable is the largest multiple of step that is storable: 2^53 − 1 steps and 15 digits.
func mostStorable(step fixed.Num) fixed.Num {
	most, err := fixed.FromInt(fixed.MaxStored).Mul(step)
	digits := fixed.Must("999999999999999")
	for s := step; !s.MultipleOf(fixed.FromInt(1)); s, _ = s.Mul(fixed.FromInt(10)) {
		digits, _ = digits.Div(fixed.FromInt(10))
	}
	if err != nil || digits.Less(most) {
		most = digits
	}
	rest, _ := most.Mod(step)
	most, _ = most.Sub(rest)
	return most
}

// allComputed compiles the computed variables and makes sure that none reads itself.
func (b *builder) allComputed() {
	for _, v := range b.Vars {
		if !v.Computed() {
			continue
		}
		names := b.scopes.of(v.Holder)
		p, found := expr.CompileFor(v.Decl.Is, names, nil, v.Type)
		b.add(found...)
		if p == nil {
			continue
		}
		if why, ok := expr.Fits(p.Type, v.Type); !ok {
			b.report("type-mismatch", v.Decl.Is.At, "%s cannot be computed like this: %s.", v.Name, why)
		}
		v.Is = p
	}
	b.loops()
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
		}
		state[v] = 2
	}
	for _, v := range b.Vars {
		if v.Computed() && state[v] == 0 {
			visit(v)
		}
	}
}

// allFates decides every cell of the matrix that applies.
func (b *builder) allFates() {
	for _, v := range b.Vars {
		for i, c := range plan.Crossings {
			v.Fates[i] = b.fate(v.Name, v.Holder, c, v.Decl.Across.At(c), v)
		}
		if v.Computed() && !reflect.ValueOf(v.Decl.Across).IsZero() {
			b.report("wrong-type", v.At, "%s is computed: it is never stored, so no crossing can change it.", v.Name)
		}
	}
	b.oneStep()
	var own plan.Fates
	if b.Plan.Checkpoints != nil {
		own = b.Plan.Checkpoints.Across
	}
	for i, c := range plan.Crossings {
		b.Reached[i] = b.fate("the checkpoint reached", OfPlayer, c, own.At(c), nil)
		if k := b.Reached[i].Kind; k == "set" || k == "rewind" {
			b.report("bad-value", b.Reached[i].At, "The checkpoint reached can be kept or reset at %s.", c)
		}
	}
	for _, w := range b.Waymarks {
		for i, c := range plan.Crossings {
			w.Fates[i] = b.fate("the waymark "+w.ID, OfPlayer, c, w.Decl.Across.At(c), nil)
			if w.Fates[i].Kind == "set" {
				b.report("bad-value", w.Fates[i].At, "A waymark can be kept, reset or (at death) rewound at %s, but not set.", c)
			}
		}
	}
	b.defaultsApply()
	b.placeFates()
}

func (b *builder) defaults(h Holder) *plan.Fates {
	d := &b.Plan.Defaults
	return [...]*plan.Fates{OfPlayer: &d.Player, OfScene: &d.Scene, OfGame: &d.Game}[h]
}

// defaultsApply reports defaults for crossings that can never apply to the holder.
func (b *builder) defaultsApply() {
	for _, h := range []Holder{OfPlayer, OfScene, OfGame} {
		for _, c := range plan.Crossings {
			if f := b.defaults(h).At(c); f.Kind != "" && !b.Applies(h, c) {
				b.report("bad-value", f.At, "%s", b.cannotApply("what a "+h.String()+" holds", h, c))
			}
		}
	}
}

func (b *builder) cannotApply(what string, h Holder, c plan.Crossing) string {
	text := fmt.Sprintf("The crossing %s cannot apply to %s", c, what)
	if h != OfPlayer && (c == plan.CrossDeath || c == plan.CrossNewRun) {
		return text + ": a session has several players, and one of them does not speak for all. It applies where session.players is 1."
	}
	return text + "."
}

func (b *builder) fate(what string, h Holder, c plan.Crossing, own *plan.Fate, v *Var) Fate {
	switch {
	case !b.Applies(h, c):
		if own.Kind != "" {
			b.report("bad-value", own.At, "%s", b.cannotApply(what, h, c))
		}
		return Fate{By: NotAtAll}
	case v != nil && v.Computed():
		return Fate{By: NotAtAll}
	}
	f, by := own, ByItself
	if f.Kind == "" {
		f, by = b.defaults(h).At(c), ByDefault
	}
	if f.Kind == "" {
		return Fate{By: ByNobody}
	}
	out := Fate{Kind: f.Kind, By: by, At: f.At}
	if f.Kind == "set" && v != nil {
		out.Set = b.fateExpression(v, c, f)
	}
	return out
}

func (b *builder) fateExpression(v *Var, c plan.Crossing, f *plan.Fate) *expr.Program {
	if v.Stopwatch {
		b.report("wrong-type", f.At, "%s is a stopwatch: it can be kept or reset, but not set.", v.Name)
		return nil
	}
	return b.valueFor(v, f.Set, b.scopes.of(v.Holder), nil)
}

// fits reports a value that cannot be given to a variable.
func (b *builder) fits(v *Var, p *expr.Program) {
	if why, ok := expr.Fits(p.Type, v.Type); !ok {
		id := "type-mismatch"
		if p.Type.Optional && !v.Type.Optional {
			id = "none-unhandled"
		}
		b.report(id, p.At, "This cannot be given to %s: %s.", v.Name, why)
	}
}

// oneStep makes sure that at a crossing no expression reads what is itself set there: all of them read
// the result of the resets and rewinds (rule 15).
func (b *builder) oneStep() {
	for i, c := range plan.Crossings {
		for _, v := range b.Vars {
			p := v.Fates[i].Set
			if p == nil {
				continue
			}
			for _, r := range p.Reads {
				if w := b.VarOf(r.Ref); w != nil && w != v && w.Holder == v.Holder && w.Fates[i].Kind == "set" {
					b.report("bad-value", p.At, "At %s, %s is set from %s, which is itself set there; both are set at once, so neither can read the other.", c, v.Name, w.Name)
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
