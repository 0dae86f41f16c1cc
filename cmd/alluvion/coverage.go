package main

import (
	"fmt"
	"strings"

	"alluvion.dev/core/rehearse"
)

// coverage adds up what rehearsals exercise of each plan that they are played with.
type coverage []rehearse.Coverage

func (all *coverage) add(covered []rehearse.Coverage) {
	for _, c := range covered {
		known := false
		for i := range *all {
			if x := &(*all)[i]; x.Game == c.Game && x.Version == c.Version && len(x.Things) == len(c.Things) {
				x.Add(c)
				known = true
			}
		}
		if !known {
			*all = append(*all, c)
		}
	}
}

// print says how much of each plan is exercised, and names what is not.
func (all coverage) print(c *call) {
	for _, one := range all {
		fmt.Fprintf(c.out, "\n%s\n",
			c.style.bold(fmt.Sprintf("What these rehearsals exercise of %s, version %d", one.Game, one.Version)))
		for _, kind := range rehearse.ThingKinds {
			done, total, missing := exercised(one.Things, kind)
			if total == 0 {
				continue
			}
			fmt.Fprintf(c.out, "  %-17s %3d of %d\n", kind, done, total)
			if missing != "" {
				fmt.Fprintln(c.out, c.style.quiet(c.wrap("not: "+missing, "      ")))
			}
		}
	}
}

// exercised counts the things of a kind, and names those that nothing exercises: the fates of one variable together.
func exercised(things []rehearse.Thing, kind string) (done, total int, missing string) {
	var names []string
	last := ""
	for _, t := range things {
		switch {
		case t.Kind != kind:
			continue
		case t.Done:
			done++
		default:
			whose, at, fate := strings.Cut(t.Name, " at ")
			if n := len(names) - 1; fate && whose == last {
				names[n] = strings.TrimSuffix(names[n], fmt.Sprintf(" (line %d)", t.Line)) + ", " + at +
					fmt.Sprintf(" (line %d)", t.Line)
			} else {
				names = append(names, fmt.Sprintf("%s (line %d)", t.Name, t.Line))
			}
			last = whose
		}
		total++
	}
	return done, total, strings.Join(names, "; ")
}
