package model

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
)

// Goal is something that is meant to be possible, from the start and from wherever players get to. The engine knows
// nothing of it.
type Goal struct {
	ID        string
	Title     string
	Reach     *expr.Program
	StartOver bool // starting over counts as a way to it
	At        finding.At
}

func (b *builder) allGoals() {
	for i := range b.Plan.Goals.Entries {
		e := &b.Plan.Goals.Entries[i]
		if p, ok := b.condition(e.Value.Reach, b.scopes.player, nil); ok {
			b.Goals = append(b.Goals, &Goal{e.ID, Title(e.Value.Title, e.ID), p, e.Value.StartOver.Value, e.At})
		}
	}
}
