package check

import (
	"alluvion.dev/core/finding"
	"alluvion.dev/core/format"
)

var _ = judges((*checker).formats)

var _ = finding.Add(finding.Kind{ID: "not-written-back", Severity: finding.Warning, Title: "A save in the game's own format does not come back as it was",
	Why: "What a player has is lost or changed when their save is written.",
	Do:  "Say how it is written: with write, map or none."})

// formats reports what is wrong with how saves of the game's own are read and written.
func (c *checker) formats() {
	for _, s := range format.Judge(c.m) {
		c.report(s.ID, s.At, about{item: "formats." + s.Format, accept: &c.m.Plan.Formats.Get(s.Format).Accept}, "%s", s.Text)
		if s.Near.Name != "" {
			c.found[len(c.found)-1].Suggest(s.Near)
		}
	}
}
