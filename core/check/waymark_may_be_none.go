package check

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).waymarks,
	finding.Kind{ID: "waymark-may-be-none", Severity: finding.Warning, Title: "Going to a waymark that may be none",
		Why: "Nothing was remembered yet: the event fails, or the passage is refused.",
		Do:  "Say where to go else, or ask has(player.waymark) first."},
	finding.Kind{ID: "overwrites-way-back", Severity: finding.Warning,
		Title: "The way back can be remembered in the place it leads out of",
		Why:   "The player is led from there to there, and is locked in.",
		Do:    "Name that scene in not_from, or remember it on a condition."},
)

// waymarks reports ways back that lock their player in, ways to a place that was never remembered, and
// fates that nobody decided.
func (c *checker) waymarks() {
	for _, w := range c.m.Waymarks {
		for _, cross := range c.m.Crossings {
			if w.Fates.At(cross).By == model.ByNobody {
				c.report("undecided-fate", w.At, ofWaymark(w), "Nothing decides what happens to the waymark %s at %s.",
					w.ID, cross)
			}
		}
	}
	for _, p := range c.m.Passages {
		if p.Waymark == nil {
			continue
		}
		if p.Else == nil && (p.If == nil || !p.If.Holds["player."+p.Waymark.ID]) {
			c.report("waymark-may-be-none", p.At, ofPassage(p),
				"%s leads to %s, which may never have been remembered, and it does not say where to go then.", p.ID, p.Waymark.ID)
		}
		c.overwritten(p)
	}
	for _, e := range c.m.Effects {
		if a := e.Action; a.Goes && a.Waymark != nil && a.Spot == nil && !knownInGuards(e, "player."+a.Waymark.ID) {
			c.report("waymark-may-be-none", a.At, ofRule(e.Rule),
				"This goes to %s, which may never have been remembered, and it does not say where to go then.", a.Waymark.ID)
		}
	}
}

func ofWaymark(w *model.Waymark) about { return about{"waymarks." + w.ID, &w.Decl.Accept} }

func knownInGuards(e model.Effect, path string) bool {
	for _, g := range e.Guards {
		if g.Holds[path] {
			return true
		}
	}
	return false
}

// overwritten reports a way back that can be remembered where it leads out of: the player is led from
// there to there, for ever.
func (c *checker) overwritten(p *model.Passage) {
	from := p.From.Scene
	if p.Waymark.NotFrom[from] {
		return
	}
	for _, e := range c.m.Effects {
		if e.Action.Remembers && e.Action.Waymark == p.Waymark && !e.Maybe && c.possibleIn(e, from) {
			c.report("overwrites-way-back", e.Action.At, ofRule(e.Rule),
				"%s can be remembered in %s, out of which %s leads back to it: who does that cannot get out by it.", p.Waymark.ID, from.ID, p.ID)
		}
	}
}

// possibleIn says whether a rule's conditions may hold for a player in a scene.
func (c *checker) possibleIn(e model.Effect, s *model.Scene) bool {
	for _, g := range e.Guards {
		here := g.Under(func(r expr.Ref, t types.Type) types.Type {
			if r.What == expr.PlaceScene && r.Who == expr.Self {
				return types.Constant(types.OfText(s.ID), t)
			}
			return t
		})
		if here.Truth == types.False {
			return false
		}
	}
	return true
}
