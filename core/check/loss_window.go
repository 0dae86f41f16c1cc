package check

import (
	"slices"
	"time"

	"alluvion.dev/core/finding"
)

var _ = judges((*checker).saving,
	finding.Kind{ID: "loss-window", Severity: finding.Warning, Title: "Nothing bounds how much play a crash can lose",
		Why: "If the machine stops, everything since the last save moment is gone, however long ago that was.",
		Do:  "Add every: 30s to saving."},
	finding.Kind{ID: "saves-too-often", Severity: finding.Warning, Title: "Saves very often",
		Why: "Each save is written to disk; under a second apart they cost more than they protect.",
		Do:  "Save every second or more rarely."},
)

// saving reports how much a crash can lose, and saves that come too often.
func (c *checker) saving() {
	s := &c.m.Plan.Saving
	at := s.At
	if at.Line == 0 {
		at = c.m.Plan.Game.At
	}
	of := about{"saving", &s.Accept}
	moments := []string{"checkpoint", "scene", "death"}
	for _, own := range c.m.OwnCrossings {
		moments = append(moments, own.String())
	}
	if c.m.SavesEvery() == 0 && !slices.ContainsFunc(moments, c.m.SavesOn) {
		c.report("loss-window", at, of, "Nothing saves a player during a visit: a crash loses all of it.")
	}
	if s.Every.Given && s.Every.Value < time.Second {
		c.report("saves-too-often", s.Every.At, of, "Players are saved every %s.", s.Every.Value)
	}
}
