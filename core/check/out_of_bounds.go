package check

import (
	"alluvion.dev/core/fixed"
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
