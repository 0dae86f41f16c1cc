package upgrade

import (
	"slices"
	"strings"

	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

// future is what the upgrades on the way from one version to another make of a name.
type future struct {
	name string             // what it is called in the end; "" where it goes on under no name of its own
	ends *plan.UpgradeStep  // that splits, merges, moves or drops it
	does []plan.UpgradeStep // that convert it or give its options other names
	only bool               // there is just one upgrade on the way, so that the old plan is what its steps read
}

// follow follows a name of the version before through the stages.
func (c *comparer) follow(name string) future {
	f := future{name: name, only: len(c.stages) == 1}
	for _, s := range c.stages {
		where, id := space(f.name)
		for _, o := range s.ops[where] {
			if o.from == "" || o.from != id && !strings.HasPrefix(id, o.from+".") {
				continue
			}
			switch o.step.Verb {
			case "convert", "options":
				f.does = append(f.does, *o.step)
			case "split", "drop", "move":
				f.ends, f.name = o.step, ""
				return f
			}
		}
		for i := range s.steps {
			if x := &s.steps[i]; slices.ContainsFunc(x.From, func(from plan.Given[string]) bool {
				return from.Value == f.name
			}) && x.Merge.Value != f.name {
				f.ends, f.name = x, ""
				return f
			}
		}
		f.name = plan.Renamed(f.name, s.steps)
	}
	return f
}

// now is what something that holds no values is called in the end.
func (c *comparer) now(space, id string) string {
	for _, s := range c.stages {
		if space == "props" {
			kind, prop, _ := strings.Cut(id, ".")
			kind, prop = (&hand{stage: s}).prop(kind, prop)
			id = kind + "." + prop
			continue
		}
		id = s.renamed(space, id)
	}
	return id
}

// dropped says why something that holds no values was given up; "" where no step says so.
func (c *comparer) dropped(space, id string) string {
	for _, s := range c.stages {
		if why := s.drops[space][id]; why != "" {
			return why
		}
		id = s.renamed(space, id)
	}
	return ""
}

// led finds the step that says where somebody in an old scene is now.
func (c *comparer) led(scene string) *plan.UpgradeStep {
	for _, s := range c.stages {
		for _, x := range s.places {
			if x.Place.Name == scene {
				return x
			}
		}
		scene = s.renamed("scenes", scene)
	}
	return nil
}

// writer finds the step that writes a new name out of others.
func (c *comparer) writer(name string) *plan.UpgradeStep {
	for _, s := range slices.Backward(c.stages) {
		for i := range s.steps {
			x := &s.steps[i]
			into := slices.ContainsFunc(x.Into.Table, func(row plan.Becomes) bool { return row.Name.Value == name })
			if x.Merge.Value == name || x.Fill.Value == name || x.Restore.Value == name || x.Into.Name.Value == name ||
				into {
				return x
			}
		}
	}
	return nil
}

// between are the stages that take saves of one version to another.
func between(from, to *model.Model) []*stage {
	var out []*stage
	for _, s := range New(to).stages {
		if s.version > from.Plan.Version.Value && s.version <= to.Plan.Version.Value {
			out = append(out, s)
		}
	}
	return out
}
