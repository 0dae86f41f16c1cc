package check

import (
	"cmp"
	"fmt"

	"alluvion.dev/core/finding"
)

var _ = judges((*checker).switchedOff,
	finding.Kind{ID: "switched-off", Severity: finding.Warning, Title: "A rule is switched off",
		Why: "It does nothing, and is not looked into: what is wrong in it is reported when it is switched on.",
		Do:  "Switch it on (take off: true away), or take the rule out."},
	finding.Kind{ID: "does-nothing", Severity: finding.Warning, Title: "A rule does nothing",
		Why: "It waits for something, and then nothing happens.",
		Do:  "Say what it does, or take it out."},
)

// switchedOff reports rules that are switched off for a try, and those that do nothing.
func (c *checker) switchedOff() {
	for i := range c.m.Plan.Rules {
		r := &c.m.Plan.Rules[i]
		if !r.Off.Value && len(r.Do) > 0 {
			continue
		}
		name := cmp.Or(r.Name.Name, fmt.Sprint(i+1))
		if !r.Off.Value {
			c.report("does-nothing", r.At, about{"rules." + name, &r.Accept}, "The rule %s does nothing: its list of actions is empty.", name)
			continue
		}
		c.report("switched-off", r.At, about{"rules." + name, &r.Accept}, "The rule %s is switched off: it does nothing.", name)
	}
}
