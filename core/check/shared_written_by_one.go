package check

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
)

var _ = judges((*checker).sharedWrites,
	finding.Kind{ID: "shared-written-by-one", Severity: finding.Warning,
		Title: "One for all, written from one player's own values",
		Why:   "The last writer wins for everybody.",
		Do:    "Hold it by player, or add to what was there."},
)

// sharedWrites reports what is held once for all and is set from one player's own values.
func (c *checker) sharedWrites() {
	if c.m.Single {
		return
	}
	for _, e := range c.m.Effects {
		a := e.Action
		if a.Change != model.Sets || a.Value == nil || a.Var.Holder.OfPlayers() {
			continue
		}
		own := func(r expr.Ref) bool {
			return r.Who == expr.Self || (r.Who == expr.Arg || r.Who == expr.Local) && r.What != expr.Itself &&
				r.What != expr.LocalValue
		}
		same := func(r expr.Ref) bool { return c.m.VarOf(r) == a.Var }
		if a.Value.ReadsAny(own) && !a.Value.ReadsAny(same) {
			c.report("shared-written-by-one", a.At, ofRule(e.Rule),
				"%s is held once for all, and is set here from one player's own values (%s).", a.Var.Name, a.Value.Source)
		}
	}
}
