package check

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
)

var _ = judges((*checker).setDownOnArrival,
	finding.Kind{ID: "set-down-on-arrival", Severity: finding.Warning, Title: "A movable where players arrive",
		Why: "It stands in the way of who arrives.",
		Do:  "Put it on a spot of its own."},
)

// setDownOnArrival reports movables that are put where players arrive.
func (c *checker) setDownOnArrival() {
	arrivals := map[*model.Spot]string{c.m.Start: "a run begins there"}
	arrive := func(s *model.Spot, how string) {
		if s != nil && arrivals[s] == "" {
			arrivals[s] = how
		}
	}
	arrive(c.m.Fallback, "who dies early comes back there")
	for _, p := range c.m.Passages {
		arrive(p.To, "the passage "+p.ID+" leads there")
		arrive(p.Else, "the passage "+p.ID+" leads there")
		if p.BothWays {
			arrive(p.From, "the passage "+p.ID+" leads back there")
		}
	}
	for _, p := range c.m.Checkpoints {
		arrive(p.Spot, "who dies comes back there")
	}
	for _, e := range c.m.Effects {
		if e.Action.Goes {
			arrive(e.Action.Spot, "a rule brings players there")
		}
	}
	for _, m := range c.m.Movables {
		if how := arrivals[m.Start]; how != "" {
			c.report("set-down-on-arrival", m.Decl.Start.At, about{"movables." + m.ID, &m.Decl.Accept},
				"%s stands on %s at first, where players arrive: %s.", m.Title, m.Start.ID, how)
		}
	}
	for _, e := range c.m.Effects {
		if e.Action.SetsDown != nil && e.Action.Spot != nil && arrivals[e.Action.Spot] != "" {
			c.report("set-down-on-arrival", e.Action.At, ofRule(e.Rule),
				"%s is set down on %s, where players arrive: %s.", e.Action.SetsDown.Title, e.Action.Spot.ID, arrivals[e.Action.Spot])
		}
	}
}
