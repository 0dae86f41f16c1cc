package upgrade

import (
	"fmt"
	"slices"
	"strings"

	"alluvion/core/expr"
	"alluvion/core/finding"
	"alluvion/core/model"
	"alluvion/core/plan"
)

// variables compares what is stored. A variable is its holder and its name: one that is held by somebody else
// now is gone there and new here.
func (c *comparer) variables() {
	before, after := stored(c.from), stored(c.to)
	var gone, added []*model.Var
	for _, v := range before {
		if find(after, v) == nil {
			gone = append(gone, v)
		}
	}
	for _, v := range after {
		if old := find(before, v); old == nil {
			added = append(added, v)
		} else {
			c.variable(old, v)
		}
	}
	for _, v := range gone {
		c.gone(v, added)
	}
	for _, v := range added {
		c.tell("variable", v.Name, "added", Safe, v.At, "%s is new: it has its start value, %s, in every save.", v.Name, v.Start.Plain())
	}
}

// stored lists what saves hold.
func stored(m *model.Model) []*model.Var {
	return slices.DeleteFunc(slices.Clone(m.Vars), func(v *model.Var) bool { return v.Computed() || v.Shared != nil })
}

func find(list []*model.Var, like *model.Var) *model.Var {
	for _, v := range list {
		if v.Name == like.Name && v.Holder == like.Holder {
			return v
		}
	}
	return nil
}

// gone tells of a variable that is there no more, and guesses where it went: to another holder under its own
// name, or to another name with the same holder and kind of value.
func (c *comparer) gone(v *model.Var, added []*model.Var) {
	for _, w := range added {
		if w.ID == v.ID {
			c.tell("variable", v.Name, "moved", Blocks, v.At, "%s was held by %s, and is held by %s: what saves hold of it is lost unless an upgrade step moves it.", v.ID, v.Decl.Of, w.Decl.Of)
			return
		}
	}
	d := c.tell("variable", v.Name, "gone", Loses, v.At, "%s is gone: what saves hold of it is kept in their attic, and nothing reads it.", v.Name)
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
		if w.Holder != v.Holder || w.Type.Kind != v.Type.Kind || w.Stopwatch != v.Stopwatch {
			continue
		}
		names = append(names, w.Name)
		if w.Min == v.Min && w.Max == v.Max && w.Step == v.Step && slices.Equal(w.Type.Names, v.Type.Names) && w.Type.Kind != expr.Bool {
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

// variable compares the two declarations of a variable that is in both versions.
func (c *comparer) variable(old, v *model.Var) {
	tell := func(change string, verdict Verdict, format string, args ...any) {
		c.tell("variable", v.Name, change, verdict, v.At, format, args...)
	}
	if old.Type.Kind != v.Type.Kind && !(old.Type.Numeric() && v.Type.Numeric()) || old.Stopwatch != v.Stopwatch {
		tell("type", Blocks, "%s was %s, and is %s: no value fits, unless an upgrade step converts it.", v.Name, old.Type.Value(), v.Type.Value())
		return
	}
	if a, b := old.Type.Item, v.Type.Item; a != nil && b != nil && a.Kind != b.Kind && !(a.Numeric() && b.Numeric()) {
		tell("type", Blocks, "%s was %s, and is %s: no item fits, unless an upgrade step converts it.", v.Name, old.Type, v.Type)
		return
	}
	if old.Type.Optional && !v.Type.Optional {
		tell("none", Loses, "%s could be none, and cannot: who has none gets the start value, %s.", v.Name, v.Start.Plain())
	} else if !old.Type.Optional && v.Type.Optional {
		tell("none", Safe, "%s may be none now.", v.Name)
	}
	for _, t := range narrower(&old.Domain, &v.Domain) {
		tell(t.change, t.verdict, "%s: %s", v.Name, t.text)
	}
	switch {
	case old.Start == v.Start || v.Seed:
	case v.Holder.Lazy(): // what was never changed is in no save
		tell("start", Converts, "%s starts as %s, not %s: so it is wherever it was never changed.", v.Name, v.Start.Plain(), old.Start.Plain())
	default:
		tell("start", Safe, "%s starts as %s, not %s: existing saves keep their value.", v.Name, v.Start.Plain(), old.Start.Plain())
	}
	for i, cross := range plan.Crossings {
		if a, b := fateText(old.Fates[i]), fateText(v.Fates[i]); a != b {
			tell("fate", Safe, "%s at %s: %s, not %s, from now on.", v.Name, cross, b, a)
		}
	}
	if old.With != v.With || old.SelfMay != v.SelfMay {
		tell("sharing", Safe, "%s is sent to %s and written by %s, from now on.", v.Name, v.With, map[bool]string{true: "its own player too", false: "rules and the server"}[v.SelfMay])
	}
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

// told is one way in which a domain has changed.
type told struct {
	change  string
	verdict Verdict
	text    string
}

// narrower says which values of a domain are no values of another.
func narrower(old, now *model.Domain) []told {
	const lost = " is kept in the attic, and its player gets the start value."
	var out []told
	add := func(change string, verdict Verdict, text string) { out = append(out, told{change, verdict, text}) }
	switch t := now.Type; {
	case t.Numeric():
		if old.Min.Less(now.Min) || now.Max.Less(old.Max) {
			add("limits", Loses, fmt.Sprintf("it went from %s to %s, and goes from %s to %s; what is beyond%s", old.Min, old.Max, now.Min, now.Max, lost))
		} else if old.Min != now.Min || old.Max != now.Max {
			add("limits", Safe, fmt.Sprintf("it goes from %s to %s, wider than before.", now.Min, now.Max))
		}
		if !old.Step.MultipleOf(now.Step) {
			add("step", Loses, fmt.Sprintf("its steps were %s, and are %s; what is between them%s", old.Step, now.Step, lost))
		} else if old.Step != now.Step {
			add("step", Safe, fmt.Sprintf("its steps are %s, finer than before.", now.Step))
		}
	case t.Named():
		var gone []string
		for _, name := range old.Type.Names {
			if !slices.Contains(t.Names, name) {
				gone = append(gone, name)
			}
		}
		if len(gone) > 0 && t.Kind == expr.Choice { // of picks the roster tells
			add("options", Loses, fmt.Sprintf("%s is no choice any more; who has it%s", strings.Join(gone, ", "), lost))
		} else if len(t.Names) > len(old.Type.Names) && t.Kind == expr.Choice {
			add("options", Safe, "there are more to choose from.")
		}
	case t.Kind == expr.Text:
		if now.MaxLength < old.MaxLength || now.MinLength > old.MinLength || now.Alphabet != "" && now.Alphabet != old.Alphabet {
			add("limits", Loses, fmt.Sprintf("fewer texts fit than before (%d to %d characters); what does not fit%s", now.MinLength, now.MaxLength, lost))
		}
	case t.Item != nil:
		if now.MaxItems < old.MaxItems {
			add("limits", Loses, fmt.Sprintf("it takes %d items, not %d; what has more%s", now.MaxItems, old.MaxItems, lost))
		}
		if old.Item != nil && now.Item != nil {
			out = append(out, narrower(old.Item, now.Item)...)
		}
	}
	return out
}
