package scout

import (
	"slices"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// How many values of one argument are tried, and how many arguments together.
const (
	mostValues   = 24
	mostTogether = 64
)

// domains makes up the values that are tried.
type domains struct {
	m       *model.Model
	players []string
	numbers []fixed.Num // that are written anywhere in the plan's expressions
}

// of are the values of a domain that are tried, and whether these are all that there are.
func (d *domains) of(x *types.Domain, kind *model.PropKind) (values []types.Value, all bool) {
	all = true
	switch {
	case x.Type.Kind == types.Player:
		for _, id := range d.players {
			values = append(values, types.OfText(id))
		}
	case kind != nil:
		for _, p := range kind.Props {
			values = append(values, types.OfText(p.ID))
		}
	case x.Type.Numeric():
		values, all = d.ofNumbers(x)
	default:
		values, all = d.others(x)
	}
	if x.Type.Optional {
		values = append(values, types.None)
	}
	return values, all
}

func (d *domains) others(x *types.Domain) (values []types.Value, all bool) {
	for _, written := range x.Type.Kind.Choices(x) {
		if v, err := x.Type.Kind.Typed(x, written); err == nil && x.Admit(v) == nil {
			values = append(values, v)
		}
	}
	if len(values) > 0 {
		return values, true
	}
	turn := 0
	dice := func(n int) int { turn++; return turn % n }
	for _, v := range x.Type.Kind.Edges(x, dice) {
		if x.Admit(v) == nil && !slices.Contains(values, v) && len(values) < mostValues/4 {
			values = append(values, v)
		}
	}
	if len(values) == 0 {
		if v := x.Type.Kind.Some(x, dice); x.Admit(v) == nil {
			values = append(values, v)
		}
	}
	return values, false
}

// ofNumbers are all numbers of a small domain; of a large one its ends, 0, and one step to either side of each number
// that the plan compares or calculates with.
func (d *domains) ofNumbers(x *types.Domain) (values []types.Value, all bool) {
	var out []fixed.Num
	add := func(n fixed.Num) {
		if x.Admits(n) && !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	n := x.Min
	for range mostValues + 1 {
		if x.Max.Less(n) {
			break
		}
		add(n)
		n, _ = n.Add(x.Step)
	}
	if all = x.Max.Less(n); !all {
		out = nil
		add(x.Min)
		add(x.Max)
		add(fixed.Num{})
		for _, written := range d.numbers {
			less, _ := written.Sub(x.Step)
			more, _ := written.Add(x.Step)
			for _, n := range []fixed.Num{written, less, more} {
				if len(out) < mostValues {
					add(n)
				}
			}
		}
	}
	for _, n := range out {
		values = append(values, types.OfNum(n))
	}
	return values, all
}

// together are the combinations of the arguments of an event that are tried, and whether these are all.
func (d *domains) together(e *model.Event) (combined []map[string]types.Value, all bool) {
	combined, all = []map[string]types.Value{{}}, true
	for i := range e.Args {
		a := &e.Args[i]
		values, complete := d.of(&a.Domain, a.Kind)
		all = all && complete
		var next []map[string]types.Value
		for _, before := range combined {
			for _, v := range values {
				if len(next) >= mostTogether {
					all = false
					break
				}
				one := map[string]types.Value{a.ID: v}
				for id, value := range before {
					one[id] = value
				}
				next = append(next, one)
			}
		}
		combined = next
	}
	return combined, all
}

// written are all numbers that stand in a plan's expressions, the smallest first.
func written(programs []*expr.Program) []fixed.Num {
	var out []fixed.Num
	for _, p := range programs {
		out = append(out, p.Numbers()...)
	}
	slices.SortFunc(out, fixed.Num.Cmp)
	return slices.Compact(out)
}

// programsOf are all expressions of a plan that decide something.
func programsOf(m *model.Model) []*expr.Program {
	var out []*expr.Program
	add := func(p *expr.Program) {
		if p != nil {
			out = append(out, p)
		}
	}
	for _, v := range m.Vars {
		add(v.Is)
		add(v.While)
		for i := range v.Fates {
			add(v.Fates[i].Set)
		}
	}
	for _, p := range m.Passages {
		add(p.If)
	}
	for _, e := range m.Events {
		add(e.If)
	}
	for _, x := range m.Milestones {
		add(x.When)
	}
	for _, g := range m.Goals {
		add(g.Reach)
	}
	for _, a := range m.Always {
		add(a.That)
	}
	for _, q := range m.Requests {
		add(q.If)
	}
	for _, options := range m.Pickable {
		for _, o := range options {
			add(o.If)
		}
	}
	for _, r := range m.Rules {
		add(r.Only)
		add(r.If)
	}
	for _, e := range m.Effects {
		add(e.Action.Value)
		add(e.Action.If)
		for _, p := range e.Action.Reads {
			add(p)
		}
	}
	return out
}
