package check

import (
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
)

var _ = judges((*checker).notTakenUp,
	finding.Kind{ID: "not-taken-up", Severity: finding.Warning, Title: "An upgrade writes what nothing takes up",
		Why: "What older saves have of it does not come back into the game.",
		Do:  "Write the name as later steps or the plan have it, or drop it in the upgrade that gives it up."},
)

// notTakenUp reports what steps of earlier upgrades write, where no later step speaks of it and saves of the plan's own version
// do not have it. What the upgrade to that version writes is held against the plan itself.
func (c *checker) notTakenUp() {
	all := c.m.Plan.Upgrades
	for i, u := range all {
		later := all[i+1:]
		if u.Version >= c.m.Plan.Version.Value {
			return
		}
		of := about{item: fmt.Sprintf("upgrades.%d", u.Version)}
		for k := range u.Steps {
			s := &u.Steps[k]
			for _, name := range written(s, u.Steps) {
				last, spoken := follows(name.Value, later)
				if spoken || c.m.Saves(last) {
					continue
				}
				near := finding.Declared(name.Value, slices.DeleteFunc(append(c.m.SavedNames(), namesIn(all[i:])...),
					func(known string) bool { return known == name.Value }))
				c.report("not-taken-up", name.At, of,
					"Nothing takes up %s, which the upgrade to version %d writes: no later step speaks of it, and saves of version %d hold nothing called that.%s",
					name.Value, u.Version, c.m.Plan.Version.Value, finding.DidYouMean(near.Name))
			}
			c.optionsTakenUp(s, u.Steps, later, of)
		}
	}
}

// optionsTakenUp reports options that an earlier upgrade makes of others, and that there are not.
func (c *checker) optionsTakenUp(s *plan.UpgradeStep, steps []plan.UpgradeStep, later []plan.Upgrade, of about) {
	last, spoken := follows(plan.Renamed(s.Options.Value, steps), later)
	v := c.m.Var(last)
	if spoken || v == nil {
		return
	}
	t := v.Type
	if v.Item != nil {
		t = v.Item.Type
	}
	for _, e := range s.Map.Entries {
		if name := e.Value.Name; t.Named() && !slices.Contains(t.Names, name) {
			near := finding.Declared(name, t.Names)
			c.report("not-taken-up", e.Value.At, of,
				"%s has no option called %q in version %d, and no later step says what becomes of it.%s", v.Name, name,
				c.m.Plan.Version.Value, finding.DidYouMean(near.Name))
		}
	}
}

// written are the names that a step writes, as they are called after its upgrade. Of lists nothing is said here.
func written(s *plan.UpgradeStep, steps []plan.UpgradeStep) []plan.Given[string] {
	out := []plan.Given[string]{s.Merge, s.Fill, s.Into.Name}
	for _, row := range s.Rename {
		out = append(out, row.To)
	}
	for _, row := range s.Into.Table {
		out = append(out, row.Name)
	}
	for _, kept := range []plan.Given[string]{s.Convert, s.Options, s.Restore} {
		if plan.Renamed(kept.Value, steps) == kept.Value { // else the rename writes it
			out = append(out, kept)
		}
	}
	return slices.DeleteFunc(out, func(n plan.Given[string]) bool {
		space, _, _ := strings.Cut(n.Value, ".")
		return !n.Given || !slices.Contains(plan.AllSpaces, space)
	})
}

// follows takes a name through later upgrades: what it is called in the end, and whether any step but a rename speaks of it.
func follows(name string, later []plan.Upgrade) (last string, spoken bool) {
	for _, u := range later {
		for i := range u.Steps {
			if slices.ContainsFunc(spokenOf(&u.Steps[i]), func(said string) bool { return within(name, said) || within(said, name) }) {
				return name, true
			}
		}
		name = plan.Renamed(name, u.Steps)
	}
	return name, false
}

// spokenOf are the names of which a step speaks that renames nothing, also in what it calculates.
func spokenOf(s *plan.UpgradeStep) []string {
	var out []string
	if s.Verb != "rename" {
		out = s.Names()
	}
	if s.Place.Given() {
		out = append(out, "scenes."+s.Place.Name)
	}
	for _, x := range s.Expressions() {
		paths, _ := expr.Paths(x)
		for _, p := range paths {
			out = append(out, p.Name)
		}
	}
	for _, name := range out { // what is said of ware.have is said of the list ware, and what of props.cache of all that caches have
		space, rest, _ := strings.Cut(name, ".")
		out = append(out, "lists."+space)
		if space == "props" {
			out = append(out, "prop."+rest)
		}
	}
	return out
}

// namesIn are all names that upgrades say.
func namesIn(all []plan.Upgrade) []string {
	var out []string
	for _, u := range all {
		for i := range u.Steps {
			out = append(out, u.Steps[i].Names()...)
		}
	}
	return out
}

// within says whether a name is another, or of it: player.dress.hood of player.dress.
func within(name, other string) bool {
	rest, is := strings.CutPrefix(name, other)
	return is && (rest == "" || rest[0] == '.')
}
