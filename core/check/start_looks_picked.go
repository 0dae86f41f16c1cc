package check

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/types"
)

var _ = judges((*checker).picks,
	finding.Kind{ID: "start-looks-picked", Severity: finding.Note, Title: "Not chosen looks chosen",
		Why: "A pick that is not optional begins with an option that nobody picked.",
		Do:  "Make it optional: true."},
)

// picks reports picks that begin with an option that nobody picked.
func (c *checker) picks() {
	for _, v := range c.m.Vars {
		if v.Type.Kind == types.Pick && !v.Type.Optional && !v.Computed() {
			c.report("start-looks-picked", v.At, ofVar(v),
				"%s begins as %s, which looks as if the player had picked it.", v.Name, v.Start.Plain())
		}
	}
}
