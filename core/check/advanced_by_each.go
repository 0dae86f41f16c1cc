package check

import (
	"alluvion.dev/core/finding"
)

var _ = judges((*checker).advancedByEach,
	finding.Kind{ID: "advanced-by-each", Severity: finding.Warning,
		Title: "One for all, advanced by every player's timer",
		Why:   "With N players it goes N times as fast.",
		Do:    "Use the session's timer ({every: 1s}), or hold it by player."},
)

// advancedByEach reports what is held once for all and is advanced by each player's own timer.
func (c *checker) advancedByEach() {
	if c.m.Single {
		return
	}
	for _, e := range c.m.Effects {
		a := e.Action
		if e.Rule.Moment.Kind == "every" && e.Rule.AboutPlayer && a.Var != nil && !a.Var.Holder.OfPlayers() &&
			c.change(e) != nil {
			c.report("advanced-by-each", a.At, ofRule(e.Rule),
				"%s is held once for all, and is advanced here by each player's timer: with ten players it goes ten times as fast.", a.Var.Name)
		}
	}
}
