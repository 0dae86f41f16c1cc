package model

import "alluvion.dev/core/plan"

// OwnCrossing is a crossing that the plan declares.
type OwnCrossing struct {
	plan.Crossing
	Index int // among the plan's own
	// World says whether the world crosses it, and with it everybody who is there; otherwise the player whom the moment
	// is about does, or (where it is about nobody) everybody who is there.
	World bool
	Rules []*Rule // that wait for it: once for the world, or for each player
	Each  []*Rule // that wait for each player's
}

// Counted says whether everybody is to meet what a rule sets off: the world counts such crossings, and who was away
// meets them on coming back (rule 41).
func (c *OwnCrossing) Counted(aboutPlayer bool) bool { return c.World || !aboutPlayer }

// OwnCrossing finds a crossing that the plan declares by its id; nil where there is none.
func (m *Model) OwnCrossing(id string) *OwnCrossing {
	for _, c := range m.OwnCrossings {
		if c.String() == id {
			return c
		}
	}
	return nil
}

// nameCrossings makes the plan's own crossings known, so that rules can wait for them.
func (b *builder) nameCrossings() {
	for _, c := range b.Crossings {
		if own := c.Own(); own != nil {
			b.OwnCrossings = append(b.OwnCrossings, &OwnCrossing{Crossing: c, Index: len(b.OwnCrossings),
				World: own.OfWorld()})
		}
	}
}

// setOff files each of the plan's own crossings under what sets it off, behind all rules that wait for that.
func (b *builder) setOff() {
	for _, c := range b.OwnCrossings {
		for _, moment := range c.Own().On {
			if b.rest.has(moment.Pointer) {
				continue
			}
			r := &Rule{Number: len(b.Plan.Rules) + 1 + c.Index, Moment: moment, At: moment.At, Crosses: c}
			if _, ok := b.momentScope(r); ok {
				r.Only = b.only(r)
			}
		}
	}
}
