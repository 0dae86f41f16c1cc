package check

import (
	"fmt"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/pack"
)

var _ = judges((*checker).overBudget,
	finding.Kind{ID: "over-budget", Severity: finding.Warning, Title: "More than the carrier carries",
		Why: "Part of it is cut off, or two writers overwrite each other.",
		Do:  "Carry less, coarser steps or narrower limits; alluvion pack shows what takes how much."},
)

// overBudget reports messages that are too long for their carrier, and carriers with more writers than lanes.
func (c *checker) overBudget() {
	for _, x := range c.m.Carriers {
		l := pack.Of(x)
		of := about{"carriers." + x.ID, &x.Decl.Accept}
		if l.Left() < 0 {
			c.report("over-budget", x.At, of, "A message of %s takes %d symbols, and %d fit.%s", x.ID, l.Used, x.Length,
				advice(l))
		}
		if players := c.m.Players(); x.Players && players > x.Lanes {
			c.report("over-budget", x.At, of,
				"%s has %s for %d players: two of them would have the same lane, and would have to take turns.", x.ID, lanes(x), players)
		}
	}
}

func lanes(x *model.Carrier) string {
	if x.Lanes == 1 {
		return "one lane"
	}
	return fmt.Sprintf("%d lanes", x.Lanes)
}

func advice(l pack.Layout) string {
	for _, a := range l.Advice() {
		text := a.String()
		return " " + strings.ToUpper(text[:1]) + text[1:] + "."
	}
	return ""
}
