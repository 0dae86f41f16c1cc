package model

import "slices"

// saveMoments are when a player can be saved, besides a plan's own crossings.
var saveMoments = []string{"checkpoint", "scene", "death", "leave", "change"}

// saving reports moments at which nobody is saved.
func (b *builder) saving() {
	known := slices.Clone(saveMoments)
	for _, c := range b.OwnCrossings {
		known = append(known, c.String())
	}
	for _, when := range b.Plan.Saving.When {
		b.oneOf(when.Value, known, "moment at which players are saved", when.At)
	}
}
