package check

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
)

var _ = judges((*checker).setsMany,
	finding.Kind{ID: "sets-many", Severity: finding.Warning, Title: "A crossing that sets very many values at once",
		Why: "Everybody waits while they are set: a quarter of a second for 100,000.",
		Do:  "Let it be reset, which costs only what was changed, or let each player cross by themselves."},
)

// mostSet is how many values a crossing may set at once before it is reported.
const mostSet = 100_000

// setsMany reports crossings that set something for each option of a list for everybody who is there, in one step.
func (c *checker) setsMany() {
	for _, own := range c.m.OwnCrossings {
		if own.Calendar != nil || !c.forEverybody(own) { // by the calendar, each player crosses by themselves
			continue
		}
		for _, v := range c.m.Vars {
			fate := v.Fates.At(own.Crossing)
			if v.Hold.List == nil || !v.Holder.OfPlayers() || fate.Set == nil {
				continue
			}
			if n := len(v.Hold.List.Options) * c.m.Players(); n > mostSet {
				at := fate.At
				if at.Line == 0 {
					at = v.At
				}
				c.report("sets-many", at, ofVar(v), "With %s in the session, %s sets %s for %d options of each: %s values at once.",
					finding.Grouped(c.m.Players()), own.Title(), v.Name, len(v.Hold.List.Options), finding.Grouped(n))
			}
		}
	}
}

// forEverybody says whether all who are there may go through a crossing at once.
func (c *checker) forEverybody(own *model.OwnCrossing) bool {
	if own.World {
		return true
	}
	for _, r := range c.m.Rules {
		if r.Crosses == own && own.Counted(r.AboutPlayer) {
			return true
		}
	}
	return false
}
