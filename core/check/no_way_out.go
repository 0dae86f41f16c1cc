package check

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
)

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
			c.report("no-way-out", s.At, of, "No passage leads out of %s, and no rule goes from there: only dying, starting over or a new visit does.",
				s.ID)
		}
	}
	for _, p := range c.m.Passages {
		if p.To == nil {
			continue
		}
		from, to := p.From.Scene.Index, p.To.Scene.Index
		if !p.BothWays && from != to && len(ways[to]) > 0 && c.affords(n+len(c.m.Passages)) && !reach(ways, to)[from] {
			c.report("one-way", p.At, ofPassage(p),
				"Nothing but dying, starting over or a new visit leads from %s back to %s.", p.To.Scene.ID, p.From.Scene.ID)
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
	toMark := func(from *model.Scene, w *model.Waymark) { // to wherever it may be remembered
		for _, s := range c.m.Scenes {
			if remembered && !w.NotFrom[s] {
				add(from, s)
			}
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
		toMark(p.From.Scene, p.Waymark)
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
		for _, s := range c.m.Scenes {
			if to != nil {
				add(s, to)
			}
			if e.Action.Goes && e.Action.Waymark != nil {
				toMark(s, e.Action.Waymark)
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
