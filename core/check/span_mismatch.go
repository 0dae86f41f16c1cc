package check

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
)

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
