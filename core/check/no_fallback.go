package check

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
)

var _ = judges((*checker).comingBack,
	finding.Kind{ID: "no-fallback", Severity: finding.Warning,
		Title: "A player who dies before the first checkpoint has nowhere to come back",
		Why:   "They come back at the start of the whole game.",
		Do:    "Name a fallback in checkpoints."},
	finding.Kind{ID: "latest-goes-back", Severity: finding.Note, Title: "An earlier checkpoint takes progress back",
		Why: "With use: latest, touching an early checkpoint again makes it the one to come back to.",
		Do:  "Use furthest, or accept this with the reason."},
)

// comingBack reports deaths with nowhere to come back to, and checkpoints that take progress back.
func (c *checker) comingBack() {
	deadly := finding.At{}
	for _, e := range c.m.Effects {
		if e.Action.Turn == model.Dies {
			deadly = e.Action.At
			break
		}
	}
	p := c.m.Plan.Checkpoints
	if deadly.Line > 0 && c.m.Place.Death.Kind == "checkpoint" && c.m.Fallback == nil {
		at, of := c.m.Place.Death.At, about{item: "checkpoints"}
		if p != nil {
			at, of.accept = p.List.At, &p.Accept
		}
		c.report("no-fallback", at, of,
			"A player can die (line %d) before the first checkpoint, and checkpoints name no fallback: they come back at %s.", deadly.Line, c.m.Start.ID)
	}
	if p != nil && !c.m.Furthest && len(c.m.Checkpoints) > 1 {
		c.report("latest-goes-back", p.Use.At, about{"checkpoints", &p.Accept},
			"With use: latest, touching %s after %s takes the player back there.", c.m.Checkpoints[0].ID, c.m.Checkpoints[1].ID)
	}
}
