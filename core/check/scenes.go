package check

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).bounds)

// bounds reports spots, and ends of spans, that are outside their scene.
func (c *checker) bounds() {
	for _, s := range c.m.Scenes {
		for _, spot := range s.Spots {
			for i, axis := range c.m.Axes {
				values := []fixed.Num{spot.Point[i]}
				if span := spot.Span[i]; span != nil {
					values = append(values, span.Lo, span.Hi)
				}
				for _, v := range values {
					if v.Less(s.Lo[i]) || !v.Less(s.Hi[i]) {
						c.report("out-of-bounds", spot.At, about{item: spot.ID},
							"%s is at %s = %s, outside %s, which goes from %s up to %s.", spot.ID, axis, v, s.ID,
							s.Lo[i], s.Hi[i])
						break
					}
				}
			}
		}
	}
}

var _ = judges((*checker).areaBounds)

// areaBounds reports areas that reach beyond their scene.
func (c *checker) areaBounds() {
	for _, a := range c.m.Areas {
		for i, axis := range c.m.Axes {
			if a.Lo[i].Less(a.Scene.Lo[i]) || a.Scene.Hi[i].Less(a.Hi[i]) {
				c.report("out-of-bounds", a.At, about{item: a.ID},
					"%s goes from %s to %s along %s, outside %s, which goes from %s up to %s.", a.ID, a.Lo[i], a.Hi[i], axis, a.Scene.ID, a.Scene.Lo[i], a.Scene.Hi[i])
			}
		}
	}
}

var _ = judges((*checker).spans,
	finding.Kind{ID: "span-mismatch", Severity: finding.Warning, Title: "What is carried does not fit where it arrives",
		Why: "The player is moved to the nearest valid point, which is always the same end.",
		Do:  "Let the spans overlap, or do not carry that axis."},
)

// spans reports axes that are carried to where they do not fit.
func (c *checker) spans() {
	for _, p := range c.m.Passages {
		if p.To == nil {
			continue
		}
		c.carried(p, p.From, p.To)
		if p.BothWays {
			c.carried(p, p.To, p.From)
		}
	}
}

func (c *checker) carried(p *model.Passage, from, to *model.Spot) {
	for i, axis := range c.m.Axes {
		if !p.Carry.Axes[i] {
			continue
		}
		of := ofPassage(p)
		here := model.Span{Lo: from.Point[i], Hi: from.Point[i]}
		if from.Span[i] != nil {
			here = *from.Span[i]
		}
		there := to.Span[i]
		switch {
		case there == nil:
			c.report("span-mismatch", carryAt(p, axis), of,
				"%s carries %s to %s, which has no span along %s: everybody arrives at %s.", p.ID, axis, to.ID, axis, to.Point[i])
		case here.Hi.Less(there.Lo) || there.Hi.Less(here.Lo):
			c.report("span-mismatch", carryAt(p, axis), of,
				"%s carries %s from %s (%s to %s) to %s (%s to %s), and the two do not overlap.", p.ID, axis, from.ID, here.Lo, here.Hi, to.ID, there.Lo, there.Hi)
		}
	}
}

func carryAt(p *model.Passage, axis string) finding.At {
	for _, id := range p.Decl.Carry {
		if id.Name == axis {
			return id.At
		}
	}
	return p.At
}

var _ = judges((*checker).graph,
	finding.Kind{ID: "no-way-out", Severity: finding.Warning, Title: "A scene that cannot be left",
		Why: "Nothing leads out of it: no passage and no rule.",
		Do:  "Add a passage, or a rule that moves the player on."},
	finding.Kind{ID: "one-way", Severity: finding.Note, Title: "A way in and no way back",
		Why: "Players cannot return by any passage.",
		Do:  "Fine if it is meant; otherwise both_ways: true."},
	finding.Kind{ID: "unreachable-scene", Severity: finding.Warning, Title: "A scene that nothing leads to",
		Why: "Players have no way to get there.",
		Do:  "Lead a passage or a rule to it, or remove it."},
)

// graph reports scenes that cannot be reached or left, and ways without a way back.
func (c *checker) graph() {
	n := len(c.m.Scenes)
	if n < 2 {
		return
	}
	ways := c.ways(true)
	reached := reach(c.ways(false), c.m.Start.Scene.Index) // what is remembered leads only to where one was
	for _, s := range c.m.Scenes {
		of := about{"scenes." + s.ID, &s.Decl.Accept}
		switch {
		case !reached[s.Index]:
			c.report("unreachable-scene", s.At, of, "No passage, no rule and no fallback leads to %s from %s.", s.ID,
				c.m.Start.Scene.ID)
		case len(ways[s.Index]) == 0:
			c.report("no-way-out", s.At, of, "Nothing leads out of %s.", s.ID)
		}
	}
	for _, p := range c.m.Passages {
		if p.To == nil {
			continue
		}
		from, to := p.From.Scene.Index, p.To.Scene.Index
		if !p.BothWays && from != to && len(ways[to]) > 0 && c.affords(n+len(c.m.Passages)) && !reach(ways, to)[from] {
			c.report("one-way", p.At, ofPassage(p), "Who goes from %s to %s cannot come back.", p.From.Scene.ID,
				p.To.Scene.ID)
		}
	}
}

// ways lists which scenes each scene leads to. With remembered it is about getting away: what leads to a remembered
// place counts, dying does not; without, about getting there: what is remembered leads only to where one was, and dying
// leads to the fallback. A rule's go leads there from everywhere.
func (c *checker) ways(remembered bool) []map[int]bool {
	ways := make([]map[int]bool, len(c.m.Scenes))
	for i := range ways {
		ways[i] = map[int]bool{}
	}
	add := func(from, to *model.Scene) {
		if from != to {
			ways[from.Index][to.Index] = true
		}
	}
	for _, p := range c.m.Passages {
		if p.Else != nil {
			add(p.From.Scene, p.Else.Scene)
		}
		if p.To != nil {
			add(p.From.Scene, p.To.Scene)
			if p.BothWays {
				add(p.To.Scene, p.From.Scene)
			}
			continue
		}
		for _, s := range c.m.Scenes { // to wherever it may be remembered
			if remembered && !p.Waymark.NotFrom[s] {
				add(p.From.Scene, s)
			}
		}
	}
	if c.m.Fallback != nil && !remembered { // who dies comes back there, wherever that was
		for _, s := range c.m.Scenes {
			add(s, c.m.Fallback.Scene)
		}
	}
	for _, e := range c.m.Effects {
		to := e.Action.Scene
		if e.Action.Spot != nil && e.Action.Goes {
			to = e.Action.Spot.Scene
		}
		if to != nil {
			for _, s := range c.m.Scenes {
				add(s, to)
			}
		}
	}
	return ways
}

func reach(ways []map[int]bool, from int) map[int]bool {
	seen := map[int]bool{from: true}
	next := []int{from}
	for len(next) > 0 {
		s := next[0]
		next = next[1:]
		for to := range ways[s] {
			if !seen[to] {
				seen[to], next = true, append(next, to)
			}
		}
	}
	return seen
}

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
