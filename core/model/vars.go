package model

import (
	"fmt"
	"reflect"
	"strings"

	"alluvion/core/expr"
	"alluvion/core/finding"
	"alluvion/core/fixed"
	"alluvion/core/plan"
)

// builtIn are names that variables of a player cannot have, since the language has them.
var builtIn = map[string]bool{"dead": true, "checkpoint": true, "slot": true, "visits": true, "first_visit": true, "place": true}

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
		b.report("wrong-type", e.At, "The group %s as a whole has no start, is never none, and is not computed; its fields are what has values.", e.ID)
	}
	b.unused(limits{Type: g.Type, Min: g.Min, Max: g.Max, Step: g.Step, MinLength: g.MinLength, MaxLength: g.MaxLength, Choices: g.Choices, Roster: g.Roster, Items: g.Items, MaxItems: g.MaxItems}, nil)
	for i := range g.Fields.Entries {
		f := &g.Fields.Entries[i]
		d := &plan.Variable{Of: g.Of, In: g.In, Across: g.Across, Share: g.Share, WrittenBy: g.WrittenBy, ReadBy: g.ReadBy,
			Type: f.Value.Type, Title: f.Value.Title, Start: f.Value.Start, Optional: f.Value.Optional, Min: f.Value.Min, Max: f.Value.Max, Step: f.Value.Step,
			AtLimit: f.Value.AtLimit, MinLength: f.Value.MinLength, MaxLength: f.Value.MaxLength, Alphabet: f.Value.Alphabet, Choices: f.Value.Choices, Roster: f.Value.Roster}
		if indexOf(fieldTypes, d.Type.Name) < 0 {
			b.oneOf(d.Type.Name, fieldTypes, "type for a field", d.Type.At)
			continue
		}
		b.newVar(&Var{ID: e.ID + "." + f.ID, At: f.At, Decl: d, Accept: &g.Accept, Title: Title(g.Title, e.ID) + ": " + Title(f.Value.Title, f.ID)})
	}
}

func (b *builder) refuseFields(e *plan.Entry[plan.Variable]) {
	if len(e.Value.Fields.Entries) > 0 {
		b.report("wrong-type", e.Value.Fields.At, "fields go with a group only.")
	}
}

// newVar files a variable under its holder.
func (b *builder) newVar(v *Var) {
	v.Hold = b.holding(v.Decl.Of)
	v.Holder = v.Hold.Holder
	v.Name = b.prefix(v.Hold) + v.ID
	if root, _, _ := strings.Cut(v.ID, "."); v.Holder.OfPlayers() && builtIn[root] {
		b.report("bad-value", v.At, "player.%s is built in; the variable needs another name.", root)
	}
	if v.Hold.Kind != nil && v.Hold.Kind.Prop(v.ID) != nil {
		b.report("duplicate-id", v.At, "%s is one of the props of kind %s already; the variable needs another name.", v.ID, v.Hold.Kind.ID)
	}
	b.onlyIn(v)
	b.variable(v)
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

// prefix is how the variables of a holding are read.
func (b *builder) prefix(h *Holding) string {
	switch h.Holder {
	case OfPlayerScene:
		return "scene."
	case OfProp, OfPlayerProp:
		return "prop." + h.Kind.ID + "."
	}
	return h.Holder.String() + "."
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
	v.With = [...]string{OfPlayer: "self", OfScene: "scene", OfGame: "everyone", OfPlayerScene: "self", OfProp: "scene", OfPlayerProp: "self"}[v.Holder]
	s := v.Decl.Share
	if s == nil {
		return
	}
	v.With = s.With.Or(v.With)
	if v.With == "self" && !v.Holder.OfPlayers() {
		b.report("bad-value", s.With.At, "%s belongs to no player, so it cannot be shared with itself.", v.Name)
	}
	if v.With == "scene" && v.Holder == OfGame {
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
	}
}

// variable reads what a declaration says of the values, and its start.
func (b *builder) variable(v *Var) {
	d := v.Decl
	v.Stopwatch, v.Seed = d.Type.Name == "stopwatch", d.Type.Name == "seed"
	v.Domain = b.domain(v.ID, limits{Type: d.Type, Min: d.Min, Max: d.Max, Step: d.Step, MinLength: d.MinLength, MaxLength: d.MaxLength,
		Choices: d.Choices, Roster: d.Roster, Optional: d.Optional.Value, Items: d.Items, MaxItems: d.MaxItems}, true)
	v.Refuse = d.AtLimit.Value == "refuse"
	v.Alphabet = d.Alphabet.Value
	if d.Alphabet.Given && v.Type.Kind != expr.Text {
		b.report("wrong-type", d.Alphabet.At, "alphabet goes with a text only.")
	}
	if v.Holder.Lazy() && (v.Stopwatch || v.Seed) {
		b.report("bad-value", v.At, "A %s is held by the game, a player or a scene, not by %s.", d.Type.Name, v.Decl.Of)
	}
	if v.Locked = d.Locked.Value; v.Locked && (v.Type.Kind != expr.Pick || !v.Type.Optional) {
		b.report("wrong-type", d.Locked.At, "locked goes with a pick that is optional: once picked, it stays.")
	}
	if d.While.Given() && !v.Stopwatch {
		b.report("wrong-type", d.While.At, "while goes with a stopwatch only.")
	}
	b.startOf(v)
}

func (b *builder) startOf(v *Var) {
	d := v.Decl
	switch {
	case v.Computed() && d.Start != nil:
		b.report("wrong-type", d.Start.At, "A computed variable has no start: it is never stored.")
	case v.Computed() && (v.Stopwatch || v.Seed):
		b.report("wrong-type", d.Is.At, "A %s cannot be computed: it has its value by itself.", d.Type.Name)
	case v.Computed():
	case v.Stopwatch, v.Seed:
		v.Start = expr.OfNum(fixed.Num{})
		if d.Start != nil || d.Optional.Value {
			b.report("wrong-type", v.At, "A %s begins by itself and is never none.", d.Type.Name)
		}
	case d.Start != nil:
		start, err := v.FromLiteral(*d.Start)
		if err != nil {
			b.report("bad-value", d.Start.At, "%s cannot start like this: %v.", v.Name, err)
		}
		v.Start = start
	case v.Type.Item != nil:
		v.Start = expr.OfItems(nil)
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
	Items                *plan.ValueType
	MaxItems             plan.Given[int]
}

func (b *builder) valueDomain(name string, t plan.ValueType, arg bool) Domain {
	l := limits{Type: t.Type, Min: t.Min, Max: t.Max, Step: t.Step, MinLength: t.MinLength, MaxLength: t.MaxLength, Choices: t.Choices, Roster: t.Roster, Optional: t.Optional.Value}
	d := b.domain(name, l, false)
	if (d.Type.Kind == expr.Player || d.Type.Kind == expr.Prop) && !arg {
		b.report("bad-value", t.Type.At, "An attribute or an item cannot be %s.", d.Type)
	}
	if t.Within.Given && d.Type.Kind != expr.Prop {
		b.report("wrong-type", t.Within.At, "within goes with a prop only.")
	}
	return d
}

var (
	fieldTypes = []string{"int", "decimal", "bool", "text", "choice", "pick", "point"}
	allTypes   = append([]string{"list", "set", "group", "seed", "stopwatch"}, fieldTypes...)
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
	case "point":
		t.Kind, t.Names = expr.Point, b.Axes
		d.Step, d.Max = b.Step, mostStorable(b.Step)
		d.Min = d.Max.Neg()
		t.Range = expr.Between(d.Min, d.Max, d.Step)
	case "seed":
		t.Kind = expr.Seed
		d.Step, d.Max = numOne, fixed.FromInt(1<<32-1)
	case "list", "set":
		uses["items"] = true
		b.items(name, l, &t, &d)
	default:
		b.otherType(l.Type, variable, &t)
	}
	if !t.Numeric() {
		d.Type = t
	}
	b.unused(l, uses)
	return d
}

// items reads what the items of a list or a set are.
func (b *builder) items(name string, l limits, t *expr.Type, d *Domain) {
	if t.Kind = expr.List; l.Type.Name == "set" {
		t.Kind = expr.Set
	}
	d.MaxItems = l.MaxItems.Or(100)
	t.Range = expr.Between(fixed.Num{}, fixed.FromInt(int64(d.MaxItems)), numOne)
	if l.Items == nil {
		b.report("missing", l.Type.At, "%s needs its items: {type: %s, items: text}.", name, l.Type.Name)
		t.Item = &expr.Type{}
		return
	}
	if l.Optional || l.Items.Optional.Value {
		b.report("wrong-type", l.Type.At, "A %s is never none (it may be empty), and neither are its items.", l.Type.Name)
	}
	item := b.valueDomain(name, *l.Items, false)
	if item.Type.Kind == expr.Point || item.Type.Item != nil {
		b.report("bad-value", l.Items.Type.At, "The items of a list or a set are single values.")
	}
	t.Item, d.Item = &item.Type, &item
}

func (b *builder) otherType(id plan.ID, variable bool, t *expr.Type) {
	if variable {
		b.oneOf(id.Name, allTypes, "type", id.At)
		return
	}
	kind, isProp := strings.CutPrefix(id.Name, "prop:")
	switch {
	case id.Name == "player":
		t.Kind = expr.Player
	case isProp && b.kinds[kind] == nil:
		b.oneOf(kind, b.Plan.Props.IDs(), "kind of prop", id.At)
	case isProp:
		t.Kind, t.Of = expr.Prop, kind
	default:
		b.oneOf(id.Name, append([]string{"player"}, fieldTypes...), "type", id.At)
	}
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
		{"items", l.Items != nil, l.Type.At}, {"max_items", l.MaxItems.Given, l.MaxItems.At},
	} {
		if g.given && !uses[g.name] && !(g.name == "max_items" && uses["items"]) {
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
	d.hasten()
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
		names := b.scopes.of(v.Hold)
		if v.Shared != nil {
			names = b.commonsNames(v)
		}
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
	for _, h := range b.Holders {
		for _, v := range h.Stored {
			h.Rewinds = h.Rewinds || v.Fates[1].Kind == "rewind"
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
	for _, m := range b.Movables {
		for i, c := range plan.Crossings {
			m.Fates[i] = b.movableFate(m, c)
		}
	}
	b.defaultsApply()
	b.placeFates()
}

// defaultFate is what the plan's defaults say of a holder at a crossing. Pairs without defaults of their
// own have those of players, props those of scenes (rule 18).
func (b *builder) defaultFate(h Holder, c plan.Crossing) *plan.Fate {
	d := &b.Plan.Defaults
	own := [...]*plan.Fates{OfPlayer: &d.Player, OfScene: &d.Scene, OfGame: &d.Game, OfPlayerScene: &d.Pair, OfProp: &d.Prop, OfPlayerProp: &d.Pair}[h].At(c)
	switch {
	case own.Kind != "" || !h.Lazy():
		return own
	case h == OfProp:
		return d.Scene.At(c)
	}
	return d.Player.At(c)
}

// defaultsApply reports defaults for crossings that can never apply to the holder.
func (b *builder) defaultsApply() {
	d := &b.Plan.Defaults
	for h, fates := range map[Holder]*plan.Fates{OfPlayer: &d.Player, OfScene: &d.Scene, OfGame: &d.Game, OfPlayerScene: &d.Pair, OfProp: &d.Prop} {
		for _, c := range plan.Crossings {
			if f := fates.At(c); f.Kind != "" && !b.Applies(h, c) {
				b.report("bad-value", f.At, "%s", b.cannotApply("what a "+h.String()+" holds", h, c))
			}
		}
	}
}

// movableFate is what a crossing does to a movable: what it says itself, else the default of the game where
// that can be (a movable never rewinds, rule 17). Who starts over alone sends it home (rule 5).
func (b *builder) movableFate(m *Movable, c plan.Crossing) Fate {
	own := m.Decl.Across.At(c)
	f := b.fate("the movable "+m.ID, OfGame, c, own, nil)
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
	if !h.OfPlayers() && (c == plan.CrossDeath || c == plan.CrossNewRun) {
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
	case v != nil && v.Shared != nil: // nothing takes from what other games see too (rule 4)
		return Fate{Kind: "keep", By: ByNature}
	}
	f, by := own, ByItself
	if f.Kind == "" {
		f, by = b.defaultFate(h, c), ByDefault
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
	if v.Stopwatch || v.Seed {
		b.report("wrong-type", f.At, "%s is a %s: it can be kept or reset, but not set.", v.Name, v.Decl.Type.Name)
		return nil
	}
	return b.valueFor(v, f.Set, b.scopes.of(v.Hold), nil)
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
				if w := b.VarOf(r.Ref); w != nil && w != v && w.Hold == v.Hold && w.Fates[i].Kind == "set" {
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
