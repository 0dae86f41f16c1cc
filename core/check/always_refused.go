package check

import (
	"fmt"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).conditions,
	finding.Kind{ID: "always-refused", Severity: finding.Warning, Title: "A condition that can never hold",
		Why: "What depends on it does not happen.",
		Do:  "Correct the condition, let a rule make it true, or say written_by: game where the game's server writes what it reads."},
	finding.Kind{ID: "never-refuses", Severity: finding.Note, Title: "A condition that always holds",
		Why: "It looks like a gate, or like something to be reached, and is neither.",
		Do:  "Remove it, or correct it."},
)

// conditions reports conditions that can never hold, gates that always let pass, and goals that hold from the start.
func (c *checker) conditions() {
	for _, p := range c.m.Passages {
		c.gate(p.If, ofPassage(p), "The passage "+p.ID)
	}
	for _, e := range c.m.Events {
		c.gate(e.If, ofEvent(e), "The event "+e.ID)
	}
	for _, g := range c.m.Goals {
		of := about{item: "goals." + g.ID}
		switch known, rests := c.truth(g.Reach); known {
		case types.False:
			c.report("always-refused", g.Reach.At, of, "The goal %s can never be reached: %s%s %s hold.", g.ID, because(rests),
				g.Reach.Source, never(rests))
		case types.True:
			c.report("never-refuses", g.Reach.At, of, "The goal %s asks for nothing: %s%s always holds.", g.ID, because(rests),
				g.Reach.Source)
		}
	}
	for _, u := range c.programs {
		if u.what != "if" {
			continue
		}
		if known, rests := c.truth(u.program); known == types.False {
			c.report("always-refused", u.program.At, u.about, "%s",
				finding.Upper(fmt.Sprintf("%sthis condition %s hold: %s.", because(rests), never(rests),
					u.program.Source)))
		}
	}
}

func (c *checker) gate(p *expr.Program, of about, what string) {
	if p == nil {
		return
	}
	switch known, rests := c.truth(p); known {
	case types.False:
		c.report("always-refused", p.At, of, "%s is always refused: %s%s %s hold.", what, because(rests), p.Source,
			never(rests))
	case types.True:
		c.report("never-refuses", p.At, of, "%s is never refused: %s%s always holds.", what, because(rests), p.Source)
	}
}
