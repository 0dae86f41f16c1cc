package check

import (
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = judges((*checker).notTakenUp,
	finding.Kind{ID: "not-taken-up", Severity: finding.Warning, Title: "An upgrade writes what nothing takes up",
		Why: "What older saves have of it does not come back into the game.",
		Do:  "Write the name as later steps or the plan have it, or drop it in the upgrade that gives it up."},
)

// notTakenUp reports names that the steps of earlier upgrades write and that lead nowhere: no later step speaks of them, and saves
// of the newest version do not have them. What the newest upgrade writes is compared with the plan, in core/model.
func (c *checker) notTakenUp() {
	all, trail := c.m.Plan.Upgrades, c.m.Trail()
	for i, u := range slices.Backward(all) { // so that what comes later has been followed already
		if u.Version >= c.m.Plan.Version.Value {
			continue
		}
		of := about{item: fmt.Sprintf("upgrades.%d", u.Version)}
		for k := range u.Steps {
			s := &u.Steps[k]
			for _, name := range written(s, u.Steps) {
				last, spoken := trail.Follow(name.Value, u.Version)
				if spoken || c.m.Saves(last) {
					continue
				}
				near := finding.Declared(name.Value, slices.DeleteFunc(append(c.m.SavedNames(), namesIn(all[i:])...),
					func(known string) bool { return known == name.Value }))
				c.report("not-taken-up", name.At, of,
					"Nothing takes up %s, which the upgrade to version %d writes: no later step speaks of it, and saves of version %d hold nothing called that.%s",
					name.Value, u.Version, c.m.Plan.Version.Value, finding.DidYouMean(near.Name))
			}
			c.optionsTakenUp(s, u.Steps, trail, u.Version, of)
		}
	}
}

// optionsTakenUp reports new options in the map of an earlier upgrade that the variable does not have now.
func (c *checker) optionsTakenUp(s *plan.UpgradeStep, steps []plan.UpgradeStep, trail *model.Trail, after int, of about) {
	last, spoken := trail.Follow(plan.Renamed(s.Options.Value, steps), after)
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
