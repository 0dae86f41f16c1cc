package model

import (
	"slices"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/plan"
)

// Trail follows names of saves through a plan's upgrades. It remembers what it found, and is not safe for use by several goroutines.
type Trail struct {
	steps                 map[int][]plan.UpgradeStep
	said, inside, renamed map[string][]int // by name: the versions whose upgrade speaks of it, of what is part of it, or renames it
	been                  map[followed]end
}

// followed is a name of saves of a version, and end what became of it.
type (
	followed struct {
		name    string
		version int
	}
	end struct {
		name   string
		spoken bool
	}
)

// Trail begins to follow names.
func (m *Model) Trail() *Trail {
	t := &Trail{map[int][]plan.UpgradeStep{}, map[string][]int{}, map[string][]int{}, map[string][]int{}, map[followed]end{}}
	for _, u := range m.Plan.Upgrades {
		t.steps[u.Version] = u.Steps
		note := func(in map[string][]int, name string) {
			if of := in[name]; len(of) == 0 || of[len(of)-1] != u.Version {
				in[name] = append(of, u.Version)
			}
		}
		for i := range u.Steps {
			for _, name := range spokenOf(&u.Steps[i]) {
				note(t.said, name)
				for _, above := range wholes(name)[1:] {
					note(t.inside, above)
				}
			}
			for _, row := range u.Steps[i].Rename {
				note(t.renamed, row.From.Value)
			}
		}
	}
	return t
}

// Follow takes a name of saves of a version through all later upgrades: what it is called in the end, and whether any step but
// a rename speaks of it on the way.
func (t *Trail) Follow(name string, version int) (last string, spoken bool) {
	var way []followed
	is := end{name, false}
	for {
		at := followed{is.name, version}
		if known, been := t.been[at]; been {
			is = known
			break
		}
		way = append(way, at)
		all := wholes(is.name)
		says, renames := next(t.inside, all[:1], version, next(t.said, all, version, 0)), next(t.renamed, all, version, 0)
		if parts := strings.Split(is.name, "."); parts[0] == "prop" && len(parts) > 1 {
			renames = next(t.renamed, []string{"props." + parts[1]}, version, renames)
		}
		if is.spoken = says != 0 && (renames == 0 || says <= renames); is.spoken || renames == 0 {
			break
		}
		is.name, version = plan.Renamed(is.name, t.steps[renames]), renames
	}
	for _, at := range way {
		t.been[at] = is
	}
	return is.name, is.spoken
}

// next is the first version after one given that stands beside any of the names, or other, if that comes first. 0 stands for none.
func next(in map[string][]int, names []string, after, other int) int {
	for _, name := range names {
		of := in[name]
		if i, _ := slices.BinarySearch(of, after+1); i < len(of) && (other == 0 || of[i] < other) {
			other = of[i]
		}
	}
	return other
}

// wholes are a name and what it is part of: player.dress.hood, player.dress, player.
func wholes(name string) []string {
	out := []string{name}
	for i := strings.LastIndexByte(name, '.'); i >= 0; i = strings.LastIndexByte(name[:i], '.') {
		out = append(out, name[:i])
	}
	return out
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
