package check

import "alluvion.dev/core/finding"

var _ = judges((*checker).unheardEvents,
	finding.Kind{ID: "unheard-event", Severity: finding.Note, Title: "An event that nothing waits for",
		Why: "It can be sent, is answered as if all were well, and does nothing.",
		Do:  "Write the rule that waits for it, or remove the event."},
)

// unheardEvents reports events that no rule and no crossing waits for.
func (c *checker) unheardEvents() {
	for _, e := range c.m.Events {
		if len(e.Rules) == 0 {
			c.report("unheard-event", e.At, ofEvent(e), "Nothing waits for the event %s: it does nothing.", e.ID)
		}
	}
}
