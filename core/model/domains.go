package model

import (
	"fmt"
	"strings"

	"alluvion/core/finding"
	"alluvion/core/fixed"
	"alluvion/core/plan"
	"alluvion/core/types"
)

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

func (b *builder) valueDomain(name string, t plan.ValueType, arg bool) types.Domain {
	l := limits{Type: t.Type, Min: t.Min, Max: t.Max, Step: t.Step, MinLength: t.MinLength, MaxLength: t.MaxLength, Choices: t.Choices, Roster: t.Roster, Optional: t.Optional.Value}
	d := b.domain(name, l, false)
	if (d.Type.Kind == types.Player || d.Type.Kind == types.Prop) && !arg {
		b.report("bad-value", t.Type.At, "An attribute or an item cannot be %s.", d.Type)
	}
	if t.Within.Given && d.Type.Kind != types.Prop && d.Type.Kind != types.Invalid {
		b.report("wrong-type", t.Within.At, "within goes with a prop only.")
	}
	return d
}

func (b *builder) domain(name string, l limits, variable bool) types.Domain {
	t := types.Type{Optional: l.Optional}
	d := types.Domain{MaxLength: l.MaxLength.Or(256), MinLength: l.MinLength.Value}
	uses := map[string]bool{}
	switch l.Type.Name {
	case "int", "decimal", "stopwatch":
		t.Kind, uses["min"], uses["max"], uses["step"] = types.Int, true, true, true
		if l.Type.Name != "int" {
			t.Kind = types.Decimal
		}
		if l.Type.Name == "stopwatch" {
			uses = nil
			l.Min, l.Step = plan.Given[fixed.Num]{Given: true}, plan.Given[fixed.Num]{Given: true, Value: fixed.Must("0.001")}
		}
		d.Type = t
		b.numberDomain(name, l, &d)
	case "bool":
		t.Kind = types.Bool
	case "text":
		t.Kind, uses["min_length"], uses["max_length"] = types.Text, true, true
	case "choice":
		t.Kind, t.Of, uses["choices"] = types.Choice, "choice of "+name, true
		for _, c := range l.Choices {
			t.Names = append(t.Names, c.Name)
		}
		b.unique(l.Choices)
		if len(l.Choices) == 0 {
			b.report("missing", l.Type.At, "A choice needs its choices: [a, b].")
		}
	case "pick":
		t.Kind, t.Of, uses["roster"] = types.Pick, l.Roster.Name, true
		t.Names, t.Roster = b.options[l.Roster.Name], b.rosters[l.Roster.Name]
		if l.Roster.Given() && t.Roster == nil || b.rest.inside("/rosters/"+l.Roster.Name) {
			t.Kind = types.Invalid
		}
		if !l.Roster.Given() {
			b.report("missing", l.Type.At, "A pick needs its roster.")
		}
	case "point":
		t.Kind, t.Names = types.Point, b.Axes
		d.Step, d.Max = b.Step, mostStorable(b.Step)
		d.Min = d.Max.Neg()
		t.Range = types.Between(d.Min, d.Max, d.Step)
	case "seed":
		t.Kind = types.Seed
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
	if t.Kind != types.Invalid { // what goes with a type that is none, nobody knows
		b.unused(l, uses)
	}
	return d
}

// items reads what the items of a list or a set are.
func (b *builder) items(name string, l limits, t *types.Type, d *types.Domain) {
	if t.Kind = types.List; l.Type.Name == "set" {
		t.Kind = types.Set
	}
	d.MaxItems = l.MaxItems.Or(100)
	t.Range = types.Between(fixed.Num{}, fixed.FromInt(int64(d.MaxItems)), numOne)
	if l.Items == nil {
		b.report("missing", l.Type.At, "%s needs its items: {type: %s, items: text}.", name, l.Type.Name)
		t.Item = &types.Type{}
		return
	}
	if l.Optional || l.Items.Optional.Value {
		b.report("wrong-type", l.Type.At, "A %s is never none (it may be empty), and neither are its items.", l.Type.Name)
	}
	item := b.valueDomain(name, *l.Items, false)
	if item.Type.Kind == types.Point || item.Type.Item != nil {
		b.report("bad-value", l.Items.Type.At, "The items of a list or a set are single values.")
	}
	if item.Type.Kind == types.Invalid { // which has been said
		*t = types.Type{}
		return
	}
	t.Item, d.Item = &item.Type, &item
}

func (b *builder) otherType(id plan.ID, variable bool, t *types.Type) {
	if b.rosters[id.Name] != nil {
		b.report("bad-value", id.At, "%s is a roster: write {type: pick, roster: %s}, or pick:%s.", id.Name, id.Name, id.Name)
		return
	}
	if id.Name == "" {
		return // that it is missing is told
	}
	if variable {
		b.oneOf(id.Name, allTypes, "type", id.At)
		return
	}
	kind, isProp := strings.CutPrefix(id.Name, "prop:")
	switch {
	case id.Name == "player":
		t.Kind = types.Player
	case isProp && b.kinds[kind] == nil:
		near := finding.Declared(kind, b.Plan.Props.IDs())
		if near.Name != "" {
			near.Name = "prop:" + near.Name
		}
		b.unknownName(id.At, fmt.Sprintf("There is no kind of prop called %q.%s", kind, didYouMean(near.Name)), near)
	case isProp:
		t.Kind, t.Of = types.Prop, kind
	case b.kinds[id.Name] != nil:
		near := "prop:" + id.Name
		b.unknownName(id.At, fmt.Sprintf("There is no type called %q.%s", id.Name, didYouMean(near)), finding.Guess{Name: near, Sure: true})
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
func (b *builder) numberDomain(name string, l limits, d *types.Domain) {
	d.Step = l.Step.Or(fixed.FromInt(1))
	switch {
	case d.Type.Kind == types.Decimal && !l.Step.Given:
		b.report("missing", l.Type.At, "%s is a decimal and needs its step, such as step: 0.1.", name)
		d.Step = fixed.Must("0.1")
	case d.Type.Kind == types.Int && !d.Step.MultipleOf(fixed.FromInt(1)):
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
	d.Type.Range = types.Between(d.Min, d.Max, d.Step)
	d.Hasten()
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
