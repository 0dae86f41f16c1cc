package check

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
)

var _ = judges((*checker).timeOutlives,
	finding.Kind{ID: "time-outlives", Severity: finding.Warning,
		Title: "A time of this session is kept into the next one",
		Why:   "The next session's time begins at 0: what was to be over in a minute may last for hours.",
		Do:    "Reset it at leave (for players) or at restart, or use a stopwatch."},
)

// timeOutlives reports what is taken from the session's time and is kept into another session.
func (c *checker) timeOutlives() {
	for _, e := range c.m.Effects {
		v := e.Action.Var
		if v == nil || e.Action.Value == nil || !e.Action.Value.ReadsAny(func(r expr.Ref) bool {
			return r.What == expr.Time
		}) {
			continue
		}
		cross := plan.CrossRestart
		if v.Holder.OfPlayers() {
			cross = plan.CrossLeave
		}
		if v.Fates.At(cross).Kind == "keep" {
			c.report("time-outlives", e.Action.At, ofRule(e.Rule),
				"%s is set from the session's time and kept at %s; the next session's time begins at 0 again.", v.Name, cross)
		}
	}
}
