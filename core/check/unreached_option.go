package check

import (
	"alluvion.dev/core/finding"
)

var _ = judges((*checker).unreachedOptions,
	finding.Kind{ID: "unreached-option", Severity: finding.Warning, Title: "Held for an option for which nothing changes it",
		Why: "For that option it keeps its start value, while the others go on.",
		Do:  "Write it by the option that is meant (args.ware, player.crew), or for this option too."},
)

// unreachedOptions reports what is held for each option of a list and is written for certain ones alone.
func (c *checker) unreachedOptions() {
	for _, v := range c.m.Vars {
		list := v.Hold.List
		if list == nil || !c.onlyByRules(v) {
			continue
		}
		written := map[int]bool{}
		for _, e := range c.writes[v] {
			if o := e.Action.Target.Option; o == nil || o.Here || o.Of != nil {
				written = nil // of whichever option it is
				break
			} else {
				written[o.Index] = true
			}
		}
		if written == nil {
			continue
		}
		var left []string
		for i, option := range list.Options {
			if !written[i] {
				left = append(left, option.ID)
			}
		}
		if len(left) > 0 {
			c.report("unreached-option", v.At, ofVar(v), "Nothing in this plan changes %s for %s.", v.Name,
				listed(left[:min(len(left), 5)], max(0, len(left)-5)))
		}
	}
}
