package model

import (
	"slices"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/plan"
)

// Follow takes a name of saves of a version through all later upgrades: what it is called in the end, and whether any step but
// a rename speaks of it on the way.
func (m *Model) Follow(name string, version int) (last string, spoken bool) {
	for _, u := range m.Plan.Upgrades {
		if u.Version <= version {
			continue
		}
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

// within says whether a name is another, or of it: player.dress.hood of player.dress.
func within(name, other string) bool {
	rest, is := strings.CutPrefix(name, other)
	return is && (rest == "" || rest[0] == '.')
}
