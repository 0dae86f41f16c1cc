package check

import (
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
)

var _ = judges((*checker).restartsAllSlots,
	finding.Kind{ID: "restarts-all-slots", Severity: finding.Warning, Title: "Held over all slots, and begun anew by each run",
		Why: "A new run in one slot takes it from all the others.",
		Do:  "Hold it by the player, where new-run: reset does it; or leave it as it is when a run begins."},
)

// restartsAllSlots reports what is held over all slots and is set back to its start when a run begins.
func (c *checker) restartsAllSlots() {
	for _, v := range c.m.Vars {
		if !v.Holder.OfProfiles() {
			continue
		}
		for _, e := range c.writes[v] {
			d := c.does(e)
			value, fixed := d.to.Single()
			same := d.sets && e.Action.Value != nil && (fixed && v.Type.Numeric() && value == v.Start.Num ||
				strings.Trim(e.Action.Value.Source, `"'`) == v.Start.Plain())
			if e.Rule.Moment.Kind == "started" && len(e.Guards) == 0 && (same || d.sets && e.Action.Change == model.Clears) {
				c.report("restarts-all-slots", e.Action.At, ofRule(e.Rule),
					"%s is what a player has over all slots, and each run that begins in any of them sets it to its start, %s.", v.Name,
					v.Start.Plain())
			}
		}
	}
}
