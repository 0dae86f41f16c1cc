package check

import (
	"slices"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// ways are all the ways in which a variable gets another value than its start. A check that reasons from "nothing
// changes it" asks constant, which asks this table, and no check lists them again.
//
// Three ways lie outside every plan, and so outside this table: support corrects a value by hand; the game's server
// writes what the plan does not say it writes; a save of an earlier version holds something else. A message that rests
// on constant therefore says "nothing in this plan changes it", and never that it cannot be.
var ways = []struct {
	what    string
	changes func(*checker, *model.Var) bool
}{
	{"it is computed", func(_ *checker, v *model.Var) bool { return v.Computed() }},
	{"a stopwatch counts by itself", func(_ *checker, v *model.Var) bool { return v.Stopwatch }},
	{"a seed comes with the session", func(_ *checker, v *model.Var) bool { return v.Seed }},
	{byRules, func(c *checker, v *model.Var) bool { return len(c.writes[v]) > 0 }},
	{byFate, func(_ *checker, v *model.Var) bool { return setAtSomeCrossing(v) }},
	{"its own player writes it", func(_ *checker, v *model.Var) bool { return v.SelfMay }},
	{"its player picks it on joining", func(_ *checker, v *model.Var) bool {
		return v.Type.Kind == types.Pick && v.Holder == model.OfPlayer
	}},
	{"the plan says that the game's server writes it", func(_ *checker, v *model.Var) bool {
		return v.Decl.WrittenBy.Given
	}},
	{"another game writes it", func(_ *checker, v *model.Var) bool { return v.Shared != nil && !v.Shared.Mine }},
	{"an upgrade step names it", func(c *checker, v *model.Var) bool { return c.upgraded[root(v)] }},
}

// The ways of the table that a plan's own text goes.
const (
	byRules = "a rule writes it"
	byFate  = "a fate sets it"
)

// onlyByRules says whether rules change a variable, and nothing else does.
func (c *checker) onlyByRules(v *model.Var) bool {
	for _, w := range ways {
		if w.changes(c, v) != (w.what == byRules) {
			return false
		}
	}
	return true
}

// constant says whether nothing in the plan gives a variable another value than its start.
func (c *checker) constant(v *model.Var) bool {
	for _, w := range ways {
		if w.changes(c, v) {
			return false
		}
	}
	return true
}

func setAtSomeCrossing(v *model.Var) bool {
	return slices.ContainsFunc(v.Fates, func(f model.Fate) bool { return f.Set != nil })
}

// root is a variable's name without the field of its group: what upgrade steps may name as a whole.
func root(v *model.Var) string {
	if id, _, grouped := strings.Cut(v.ID, "."); grouped && v.Shared == nil {
		return strings.TrimSuffix(v.Name, v.ID) + id
	}
	return v.Name
}

// upgradedNames are what upgrade steps name, with the groups that these are of.
func upgradedNames(m *model.Model) map[string]bool {
	out := map[string]bool{}
	for _, u := range m.Plan.Upgrades {
		for i := range u.Steps {
			for _, name := range u.Steps[i].Names() {
				for known := name; known != ""; known = parent(known) {
					out[known] = true
				}
				if parts := strings.SplitN(name, ".", 3); len(parts) == 3 && m.List(parts[0]) != nil {
					out[parts[0]+"."+parts[2]] = true // of one option: ware.rice.have is of ware.have
				}
			}
		}
	}
	return out
}

// parent is a.b of a.b.c, and nothing of a.b.
func parent(name string) string {
	if strings.Count(name, ".") < 2 {
		return ""
	}
	return name[:strings.LastIndexByte(name, '.')]
}

// neverWritten narrows what nothing in the plan writes to its start value.
func (c *checker) neverWritten(ref expr.Ref, t types.Type) types.Type {
	v := c.m.VarOf(ref)
	if v == nil || ref.What != expr.Variable || !c.constants[v] || v.Start.IsNone() {
		return t
	}
	return types.Constant(v.Start, t)
}

// truth is what is known of a condition. With it come the variables that this rests on: nothing in the plan changes
// them. There are none where the condition is so whatever its variables are.
func (c *checker) truth(p *expr.Program) (types.Truth, []*model.Var) {
	if p.Type.Truth != types.Unknown {
		return p.Type.Truth, nil
	}
	known := p.Under(c.neverWritten).Truth
	if known == types.Unknown {
		return known, nil
	}
	var rests []*model.Var
	for _, r := range p.Reads {
		if v := c.m.VarOf(r.Ref); v != nil && c.constants[v] && !slices.Contains(rests, v) {
			rests = append(rests, v)
		}
	}
	return known, rests
}

// because says what a truth rests on: "nothing in this plan changes player.key, so ".
func because(rests []*model.Var) string {
	if len(rests) == 0 {
		return ""
	}
	var names []string
	for _, v := range rests {
		names = append(names, v.Name)
	}
	if len(names) == 1 {
		return "nothing in this plan changes " + names[0] + ", so "
	}
	return "nothing in this plan changes " + strings.Join(names[:len(names)-1], ", ") + " or " + names[len(names)-1] +
		", so "
}

// never says how sure it is that a condition does not hold: what rests on nothing but the limits of its values cannot
// be otherwise.
func never(rests []*model.Var) string {
	if len(rests) == 0 {
		return "can never"
	}
	return "does not"
}

// deed is what an action does to its variable, however it is written: {set: x, to: x + n} does what {add: x, by: n}
// does, and {set: x, to: max(x, n)} what {raise: x, to: n} does. At most one of adds, sets, raises and lowers holds;
// what only reads itself (x * 2) does none of them.
type deed struct {
	adds    bool        // what was there stays, and something comes to it
	by      types.Range // of adds
	terms   []expr.Term // of adds: what comes to it, as it is written
	sets    bool        // what was there is gone
	to      types.Range // of sets, raises and lowers, where it is a number
	raises  bool        // it never goes down
	lowers  bool        // it never goes up
	oneself bool        // of {set: …}: the new value is computed from the old one
}

// does says what an action does to its variable.
func (c *checker) does(e model.Effect) deed {
	a := e.Action
	switch {
	case a.Var == nil:
		return deed{}
	case a.Value == nil:
		return deed{sets: a.Change == model.Clears}
	}
	switch a.Change {
	case model.Adds:
		return deed{adds: true, by: a.Value.Type.Range, terms: a.Value.Terms()}
	case model.Raises:
		return deed{raises: true, to: a.Value.Type.Range}
	case model.Sets:
		return c.given(a)
	}
	return deed{} // items that come and go, and what turns
}

func (c *checker) given(a *model.Action) deed {
	same := func(r expr.Ref) bool { return r == a.Target }
	to := a.Value.Type.Range
	if !a.Value.ReadsAny(func(r expr.Ref) bool { return c.m.VarOf(r) == a.Var }) {
		return deed{sets: true, to: to}
	}
	name := ""
	for _, r := range a.Value.Reads {
		if same(r.Ref) {
			name = r.Path
		}
	}
	if name == "" { // another one's value of the same variable
		return deed{sets: true, to: to}
	}
	if !a.Var.Type.Numeric() {
		return deed{oneself: true}
	}
	if terms, ok := a.Value.Increment(name); ok {
		return deed{adds: true, by: c.fromZero(a), terms: terms}
	}
	return deed{raises: a.Value.AtLeast(name), lowers: a.Value.AtMost(name), to: to, oneself: true}
}

// fromZero is what an action gives to a number that is zero before: of a sum, what is added.
func (c *checker) fromZero(a *model.Action) types.Range {
	return a.Value.Under(func(r expr.Ref, t types.Type) types.Type {
		if r == a.Target {
			t.Range = types.Exactly(fixed.Num{})
		}
		return t
	}).Range
}

// change is by how much an action changes a number; nil where it does not start from what it was.
func (c *checker) change(e model.Effect) *types.Range {
	switch d := c.does(e); {
	case d.adds:
		return &d.by
	case d.oneself:
		by := c.fromZero(e.Action)
		return &by
	}
	return nil
}

// opposite says whether two lists of terms differ in nothing but their signs.
func opposite(a, b []expr.Term) bool {
	turned := make([]expr.Term, len(b))
	for i, t := range b {
		turned[i] = expr.Term{Minus: !t.Minus, Source: t.Source}
	}
	return len(a) > 0 && slices.Equal(a, turned)
}

// deep are all that an expression reads, with what the computed variables among it are computed from. Of those the
// reading is as the computed one's own player, scene or game has it.
func (c *checker) deep(p *expr.Program) []expr.Read {
	var out []expr.Read
	var visit func(p *expr.Program, as *expr.Ref, depth int)
	visit = func(p *expr.Program, as *expr.Ref, depth int) {
		for _, r := range p.Reads {
			if as != nil && r.Ref.Who == expr.Self {
				r.Ref.Who, r.Ref.Index = as.Who, as.Index
			}
			out = append(out, r)
			if v := c.m.VarOf(r.Ref); v != nil && v.Is != nil && depth < 40 {
				visit(v.Is, &r.Ref, depth+1)
			}
		}
	}
	if p != nil {
		visit(p, nil, 0)
	}
	return out
}

// readsDeep says whether an expression reads a variable, itself or through computed ones.
func (c *checker) readsDeep(p *expr.Program, v *model.Var) bool {
	return slices.ContainsFunc(c.deep(p), func(r expr.Read) bool { return c.m.VarOf(r.Ref) == v })
}
