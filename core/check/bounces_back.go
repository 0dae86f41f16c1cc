package check

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).bouncesBack,
	finding.Kind{ID: "bounces-back", Severity: finding.Warning, Title: "Who arrives is sent straight back",
		Why: "The player never gets to be there.",
		Do:  "Move the rule to another moment, or give it a condition."},
)

// bouncesBack reports rules that send a player who arrives straight back: to a scene from which a
// passage leads here, on a condition that asks for nothing but the scene.
func (c *checker) bouncesBack() {
	for _, e := range c.m.Effects {
		if e.Action.Spot == nil || !e.Action.Goes || e.Maybe || e.Rule.Moment.Kind != "arrived" &&
			e.Rule.Moment.Kind != "entered" {
			continue
		}
		if e.Rule.Moment.Kind == "entered" {
			c.bouncesFromArea(e)
			continue
		}
		for _, s := range c.m.Scenes {
			if s != e.Action.Spot.Scene && c.leads(e.Action.Spot.Scene, s) && c.certainIn(e, s) {
				c.report("bounces-back", e.Action.At, ofRule(e.Rule),
					"Who arrives in %s from %s is sent straight back to %s.", s.ID, e.Action.Spot.Scene.ID, e.Action.Spot.ID)
				break
			}
		}
	}
}

// bouncesFromArea reports an area around a spot at which a passage arrives, when entering it leads back
// to where the passage came from.
func (c *checker) bouncesFromArea(e model.Effect) {
	for _, p := range c.m.Passages {
		for _, way := range [][2]*model.Spot{{p.From, p.To}, {p.To, p.From}} {
			from, to := way[0], way[1]
			if to == nil || from == nil || to == p.From && !p.BothWays || from.Scene != e.Action.Spot.Scene ||
				from.Scene == to.Scene {
				continue
			}
			for _, a := range to.Scene.Areas {
				if a.ID == e.Rule.Moment.Of && a.Contains(to.Point) && c.certainIn(e, to.Scene) {
					c.report("bounces-back", e.Action.At, ofRule(e.Rule),
						"Who arrives at %s by %s is in %s at once, and is sent straight back to %s.", to.ID, p.ID, a.ID, e.Action.Spot.ID)
					return
				}
			}
		}
	}
}

func (c *checker) leads(from, to *model.Scene) bool {
	for _, p := range c.m.Passages {
		if p.To != nil && p.From.Scene == from && p.To.Scene == to || p.BothWays && p.To.Scene == from &&
			p.From.Scene == to {
			return true
		}
	}
	return false
}

// certainIn says whether a rule's conditions hold for everybody who arrives in a scene.
func (c *checker) certainIn(e model.Effect, s *model.Scene) bool {
	for _, g := range e.Guards {
		here := g.Under(func(r expr.Ref, t types.Type) types.Type {
			if r.What == expr.PlaceScene && r.Who == expr.Self {
				return types.Constant(types.OfText(s.ID), t)
			}
			return c.neverWritten(r, t)
		})
		if here.Truth != types.True {
			return false
		}
	}
	return true
}
