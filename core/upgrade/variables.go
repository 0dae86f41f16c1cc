package upgrade

import (
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// variables compares what is stored. A variable is its holder and its name, unless a step says what becomes of it.
func (c *comparer) variables() {
	before, after := stored(c.from), stored(c.to)
	var gone, added []*model.Var
	reached := map[*model.Var]bool{}
	for _, v := range before {
		f := c.follow(v.Name)
		if f.ends != nil {
			c.ended(v, f)
			continue
		}
		now := c.to.Var(f.name)
		if now == nil || now.Computed() || now.Shared != nil || now.Holder != v.Holder {
			gone = append(gone, v)
			continue
		}
		reached[now] = true
		if now.Name != v.Name {
			c.tell("variable", v.Name, "renamed", Safe, now.At, "%s is %s now, with what saves hold of it.", v.Name,
				now.Name)
		}
		c.variable(v, now, f)
	}
	for _, v := range after {
		if !reached[v] {
			added = append(added, v)
		}
	}
	for _, v := range gone {
		c.gone(v, added)
	}
	for _, v := range added {
		if x := c.writer(v.Name); x != nil {
			c.written(v, x)
			continue
		}
		c.tell("variable", v.Name, "added", Safe, v.At, "%s is new: it has its start value, %s, in every save.", v.Name,
			v.Start.Plain())
	}
}

// ended tells of an old variable that goes on under no name of its own.
func (c *comparer) ended(v *model.Var, f future) {
	x := f.ends
	switch x.Verb {
	case "drop":
		c.tell("variable", v.Name, "dropped", Loses, x.At,
			"%s is given up (%s): the attic keeps what saves hold of it, and only a restore brings it back.", v.Name, x.Why.Value)
	case "move":
		how := "goes to everybody as " + x.Into.Name.Value
		switch x.Many.Value {
		case "max", "min":
			how = map[string]string{"max": "the highest", "min": "the lowest"}[x.Many.Value] + " of all becomes " +
				x.Into.Name.Value
		case "sum":
			how = "all added up become " + x.Into.Name.Value
		case "first":
			how = "that of the first by id becomes " + x.Into.Name.Value
		}
		c.tell("variable", v.Name, "moved", Converts, x.At, "What is held of %s goes to another holder: %s.", v.Name,
			how)
	case "split":
		var names []string
		for _, row := range x.Into.Table {
			names = append(names, row.Name.Value)
		}
		c.tell("variable", v.Name, "split", Converts, x.At, "%s becomes %s.", v.Name, strings.Join(names, " and "))
	case "merge":
		c.tell("variable", v.Name, "merged", Converts, x.At, "%s becomes a part of %s: %s.", v.Name, x.Merge.Value,
			x.To.Source)
	}
}

// written tells of a new variable that a step writes, and whether it can.
func (c *comparer) written(v *model.Var, x *plan.UpgradeStep) {
	how := map[string]string{"merge": "comes of others", "split": "comes of another",
		"move": "comes from another holder", "fill": "is new", "restore": "comes back from the attic"}[x.Verb]
	to := x.To
	for _, row := range x.Into.Table {
		if row.Name.Value == v.Name {
			to = row.To
		}
	}
	text := fmt.Sprintf("%s %s", v.Name, how)
	if to.Given() {
		text += ": " + to.Source
	}
	c.tell("variable", v.Name, "added", Converts, x.At, "%s.", text)
	if !to.Given() || x.Verb == "restore" {
		return
	}
	old := (*model.Var)(nil)
	if x.Verb == "split" {
		old = c.from.Var(x.Split.Value)
	}
	c.result(v, old, to)
}

// result tells whether an expression over the old plan's names fits a new variable, where the old plan is what it
// reads.
func (c *comparer) result(v, old *model.Var, x plan.Expr) {
	if len(c.stages) != 1 || c.stages[0].version != c.from.Plan.Version.Value+1 {
		return
	}
	p, found := expr.Compile(x, c.from.OldNames(v, old), nil)
	if p == nil {
		c.tell("variable", v.Name, "type", Blocks, found[0].At, "%s cannot be told like this under version %d: %s",
			v.Name, c.from.Plan.Version.Value, found[0].Message)
		return
	}
	if why, ok := types.Fits(p.Type, v.Type); !ok && !(p.Type.Kind == types.Text && v.Type.Named()) {
		c.tell("variable", v.Name, "type", Blocks, x.At, "%s cannot become what this says: %s.", v.Name, why)
		return
	}
	r := p.Type.Range
	if v.Type.Numeric() && p.Type.Numeric() && (r.HasLo && r.Lo.Less(v.Min) || r.HasHi && v.Max.Less(r.Hi)) {
		lo, hi := "anything", "anything"
		if r.HasLo {
			lo = r.Lo.String()
		}
		if r.HasHi {
			hi = r.Hi.String()
		}
		c.tell("variable", v.Name, "limits", Loses, x.At,
			"%s goes from %s to %s, and this gives %s to %s; what is beyond%s", v.Name, v.Min, v.Max, lo, hi, c.what(save.KindRange, false))
	}
}

// stored lists what saves hold.
func stored(m *model.Model) []*model.Var {
	return slices.DeleteFunc(slices.Clone(m.Vars), func(v *model.Var) bool { return v.Computed() || v.Shared != nil })
}

// gone tells of a variable that is there no more, and guesses where it went: to another holder under its own
// name, or to another name with the same holder and kind of value.
func (c *comparer) gone(v *model.Var, added []*model.Var) {
	for _, w := range added {
		if w.ID == v.ID {
			c.tell("variable", v.Name, "moved", Blocks, v.At,
				"%s was held by %s, and is held by %s: what saves hold of it is lost unless an upgrade step moves it.", v.ID, v.Decl.Of, w.Decl.Of)
			return
		}
	}
	d := c.tell("variable", v.Name, "gone", Loses, v.At,
		"%s is gone: what saves hold of it is kept in their attic, and nothing reads it.", v.Name)
	if near := alike(v, added); near != nil {
		d.Text += fmt.Sprintf(" Was it renamed to %s?", near.Name)
		d.Suggest = fmt.Sprintf("rename: {%s: %s}", v.Name, near.Name)
	}
}

// alike finds a new variable that an old one may have become: the only one with its holder, kind and limits,
// else one with a name near to its own.
func alike(v *model.Var, added []*model.Var) *model.Var {
	var same []*model.Var
	var names []string
	for _, w := range added {
		if w.Holder != v.Holder || w.Type.Kind != v.Type.Kind {
			continue
		}
		names = append(names, w.Name)
		if w.Min == v.Min && w.Max == v.Max && w.Step == v.Step && slices.Equal(w.Type.Names, v.Type.Names) &&
			w.Type.Kind != types.Bool {
			same = append(same, w)
		}
	}
	near := finding.Nearest(v.Name, names)
	for _, w := range added {
		if w.Name == near {
			return w
		}
	}
	if len(same) == 1 {
		return same[0]
	}
	return nil
}

// variable compares the two declarations of a variable that is in both versions, and what steps do with it.
func (c *comparer) variable(old, v *model.Var, f future) {
	tell := func(change string, verdict Verdict, format string, args ...any) {
		c.tell("variable", v.Name, change, verdict, v.At, format, args...)
	}
	renamed, converted := map[string]string{}, false
	for i := range f.does {
		x := &f.does[i]
		if x.Verb == "convert" {
			text := x.To.Source
			if x.Convert.Value != v.Name {
				text = v.Name + ": " + text
			}
			c.tell("variable", v.Name, "converted", Converts, x.At, "Every %s becomes %s.", x.Convert.Value, text)
			c.result(v, old, x.To)
			converted = true
			continue
		}
		for _, e := range x.Map.Entries {
			renamed[e.ID] = e.Value.Name
			if had := optionsOf(old); !slices.Contains(had, e.ID) {
				c.tell("variable", v.Name, "options", Blocks, e.At, "%s had no option %s under version %d.%s",
					x.Options.Value, e.ID, c.from.Plan.Version.Value, finding.DidYouMean(finding.Nearest(e.ID, had)))
				continue
			}
			c.tell("variable", v.Name, "options", Converts, e.At, "%s: %s becomes %s.", v.Name, e.ID, e.Value.Name)
		}
	}
	if converted {
		return
	}
	c.listRenames(v, renamed)
	if old.Type.Kind != v.Type.Kind && !(old.Type.Numeric() && v.Type.Numeric() && old.Stopwatch == v.Stopwatch) {
		tell("type", Blocks, "%s was %s, and is %s: no value fits, unless an upgrade step converts it.", v.Name,
			old.Type.Value(), v.Type.Value())
		return
	}
	if a, b := old.Type.Item, v.Type.Item; a != nil && b != nil && a.Kind != b.Kind && !(a.Numeric() && b.Numeric()) {
		tell("type", Blocks, "%s was %s, and is %s: no item fits, unless an upgrade step converts it.", v.Name,
			old.Type, v.Type)
		return
	}
	if old.Type.Optional && !v.Type.Optional {
		tell("none", Loses, "%s could be none, and cannot: who has none gets the start value, %s.", v.Name,
			v.Start.Plain())
	} else if !old.Type.Optional && v.Type.Optional {
		tell("none", Safe, "%s may be none now.", v.Name)
	}
	for _, n := range types.Narrowed(&old.Domain, &v.Domain, renamed) {
		verdict, then := Safe, ""
		if n.Loses {
			verdict, then = Loses, c.what(save.KindOf(n.As), n.Item)
		}
		tell(n.Change, verdict, "%s: %s%s", v.Name, n.Text, then)
	}
	switch {
	case old.Start == v.Start || v.Seed:
	case v.Holder.Lazy(): // what was never changed is in no save
		tell("start", Converts, "%s starts as %s, not %s: so it is wherever it was never changed.", v.Name,
			v.Start.Plain(), old.Start.Plain())
	default:
		tell("start", Safe, "%s starts as %s, not %s: existing saves keep their value.", v.Name, v.Start.Plain(),
			old.Start.Plain())
	}
	for _, cross := range c.to.Crossings {
		before, known := c.from.Plan.Crossing(cross.String())
		if !known {
			continue
		}
		if a, b := fateText(*old.Fates.At(before)), fateText(*v.Fates.At(cross)); a != b {
			tell("fate", Safe, "%s at %s: %s, not %s, from now on.", v.Name, cross, b, a)
		}
	}
	if old.With != v.With || old.SelfMay != v.SelfMay {
		tell("sharing", Safe, "%s is sent to %s and written by %s, from now on.", v.Name, v.With,
			map[bool]string{true: "its own player too", false: "rules and the server"}[v.SelfMay])
	}
}

// listRenames adds what options of a variable's list are called now.
func (c *comparer) listRenames(v *model.Var, renamed map[string]string) {
	for _, s := range c.stages {
		steps := (&hand{stage: s}).stepsFor(v)
		if steps == nil {
			continue
		}
		for old, to := range steps.becomes {
			renamed[old] = to
		}
		for old := range steps.drops { // what becomes of who has it is told once, with the option
			if names := optionsOf(v); len(names) > 0 {
				renamed[old] = names[0]
			}
		}
	}
}

// optionsOf are the options of a choice, a pick, or the items of a list of such.
func optionsOf(v *model.Var) []string {
	if v.Item != nil {
		return v.Item.Type.Names
	}
	return v.Type.Names
}

func fateText(f model.Fate) string {
	switch {
	case f.Set != nil:
		return "set to " + f.Set.Source
	case f.Kind == "":
		return string(f.By)
	}
	return f.Kind
}

// what says what becomes of values that do not fit, as the plan has it; of items of a list, where they are such.
func (c *comparer) what(kind save.Kind, items bool) string {
	switch save.PolicyOf(c.to, kind) {
	case save.Nearest:
		return " becomes the nearest that is right; the attic keeps what it was."
	case save.Last:
		return " makes the save one of which an earlier is loaded."
	case save.Refuse:
		return " makes the save one that is not loaded."
	}
	if items {
		return " is without it, and keeps all else; the attic keeps what it was."
	}
	return " gets the start value; the attic keeps what it was."
}
