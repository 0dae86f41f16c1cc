package check

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
)

var _ = judges((*checker).doesTooMuch,
	finding.Kind{ID: "does-too-much", Severity: finding.Warning, Title: "A rule that does more than one event may",
		Why: "With so many players the event is refused, and nothing of it is done.",
		Do:  "Let it act for each player once (each in each multiplies), or allow fewer players in the session."},
)

// doesTooMuch reports rules that do more than one event may, when many enough are in the session.
func (c *checker) doesTooMuch() {
	for _, r := range c.m.Rules {
		for players := 1; players <= c.m.Players(); players++ {
			if n := r.Actions(players); n > model.MostActions(players) {
				c.report("does-too-much", r.At, ofRule(r),
					"With %d in the session, this does up to %s actions in one event, and at most %s are done: the event is refused.",
					players, finding.Grouped(n), finding.Grouped(model.MostActions(players)))
				break
			}
		}
	}
}
