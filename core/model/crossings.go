package model

import (
	"strings"
	"time"

	"alluvion.dev/core/calendar"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// OwnCrossing is a crossing that the plan declares.
type OwnCrossing struct {
	plan.Crossing
	Index int // among the plan's own
	// World says whether the world crosses it, and with it everybody who is there; otherwise the player whom the moment
	// is about does, or (where it is about nobody) everybody who is there.
	World bool
	// Calendar is when it happens by the calendar; nil where moments set it off.
	Calendar *calendar.Calendar
	Text     Text    // its title, as players read it
	Rules    []*Rule // that wait for it: once for the world, or for each player
	Each     []*Rule // that wait for each player's
}

// Counted says whether everybody is to meet what a rule sets off: the world counts such crossings, and who was away
// meets them on coming back (rule 41).
func (c *OwnCrossing) Counted(aboutPlayer bool) bool { return c.World || !aboutPlayer }

// everies are how often a calendar can have its turn, as plans write it.
var everies = map[string]calendar.Every{"day": calendar.Daily, "week": calendar.Weekly, "month": calendar.Monthly}

// calendar reads when a crossing happens.
func (b *builder) calendar(d *plan.Calendar) *calendar.Calendar {
	if d == nil {
		return nil
	}
	c := &calendar.Calendar{Every: everies[d.Every.Value]}
	if d.Every.Given == (len(d.From) > 0) {
		b.report("missing", d.At, "A calendar needs either every, or the dates in from.")
	}
	for _, g := range d.From {
		date, err := calendar.Parse(g.Value)
		switch {
		case err != nil:
			b.report("bad-value", g.At, "%s.", finding.Upper(err.Error()))
		case len(c.From) > 0 && date <= c.From[len(c.From)-1]:
			b.report("bad-value", g.At, "%s is not later than %s, which stands before it.", date, c.From[len(c.From)-1])
		default:
			c.From = append(c.From, date)
		}
	}
	if at, err := time.Parse("15:04", d.Clock.Or("00:00")); err != nil {
		b.report("bad-value", d.Clock.At, "at is a time of day, from 00:00 to 23:59, not %q.", d.Clock.Value)
	} else {
		c.At = time.Duration(at.Hour())*time.Hour + time.Duration(at.Minute())*time.Minute
	}
	b.zone(c, d.Zone)
	return c
}

// zone finds a time zone by the name that the time zone database has for it.
func (b *builder) zone(c *calendar.Calendar, name plan.Given[string]) {
	if !name.Given {
		return
	}
	zone, err := calendar.Zone(name.Value)
	if err != nil || name.Value == "" || strings.EqualFold(name.Value, "local") {
		b.report("bad-value", name.At,
			"There is no time zone called %q; one is called as Europe/Oslo or America/New_York.",
			name.Value)
		return
	}
	c.Zone = zone
}

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
				World: own.OfWorld(), Calendar: b.calendar(own.Calendar),
				Text: b.titled("crossings", c.String(), c.Title(), b.Plan.Crossings.Entries[len(b.OwnCrossings)].At)})
		}
	}
}

// withDays adds what can be read of the calendar where a crossing happens by it.
func (b *builder) withDays(names expr.Names, c plan.Crossing) expr.Names {
	if own := b.OwnCrossing(c.String()); own == nil || own.Calendar == nil {
		return names
	}
	return names.With(map[string]*expr.Entry{expr.MissedKey: {
		Type: types.Type{Kind: types.Int, Range: types.Between(numOne, fixed.FromInt(36500), numOne)},
		Ref:  expr.Ref{Who: expr.Nobody, What: expr.Missed}}})
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
