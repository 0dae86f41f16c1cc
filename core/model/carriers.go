package model

import (
	"alluvion/core/expr"
	"alluvion/core/fixed"
)

// mostSymbols is how many symbols a carrier's alphabet may have.
const mostSymbols = 4096

func (b *builder) allCarriers() {
	for i := range b.Plan.Carriers.Entries {
		e := &b.Plan.Carriers.Entries[i]
		d := &e.Value
		c := &Carrier{ID: e.ID, Title: Title(d.Title, e.ID), Alphabet: Letters(d.Alphabet.Value, mostSymbols), Length: d.Length.Value, Lanes: d.Lanes.Or(1),
			Every: d.Every.Value, Players: d.Writers.Or("players") == "players", Samples: d.Samples.Or(1), At: e.At, Decl: d}
		if len(c.Alphabet) < 2 {
			b.report("bad-value", d.Alphabet.At, "An alphabet has 2 to %d symbols, as single ones and rising ranges: 0-9, or A-Za-z0-9.", mostSymbols)
			continue
		}
		for _, x := range d.Carries {
			p, found := expr.Compile(x, b.scopes.player, nil)
			b.add(found...)
			if p == nil {
				continue
			}
			if name := b.carriedName(p); name != nil {
				c.Carries = append(c.Carries, name)
			} else {
				b.report("bad-value", x.At, "A carrier carries variables of a player with limits, and parts of place; %s is neither.", x.Source)
			}
		}
		b.Carriers = append(b.Carriers, c)
	}
}

// carriedName finds which values a name can have; nil where that is not known.
func (b *builder) carriedName(p *expr.Program) *CarriedName {
	if !p.Name {
		return nil
	}
	out := &CarriedName{Program: p, Domain: Domain{Type: p.Type, Step: b.Step}}
	if v := b.VarOf(p.Reads[0].Ref); v != nil {
		out.Domain = v.Domain
		if v.Stopwatch || v.Type.Item != nil || v.Type.Kind == expr.Point || v.Type.Kind == expr.Copies {
			return nil
		}
		return out
	}
	switch p.Reads[0].Ref.What {
	case expr.PlaceScene, expr.PlaceFacing:
		out.Place = true
	case expr.PlaceAxis:
		out.Place = true
		out.Domain.Min = p.Type.Range.Lo
		out.Domain.Max, _ = p.Type.Range.Hi.Sub(b.Step) // a scene reaches up to, not including, its end
	case expr.Dead:
	case expr.Checkpoint:
	default:
		return nil
	}
	return out
}

// Codes is how many different values a domain has, none counted where it may be none; false where that is
// more than 2^63.
func (d *Domain) Codes() (int64, bool) {
	n := int64(1)
	switch t := &d.Type; {
	case t.Numeric(), t.Kind == expr.Seed:
		span, err := d.Max.Sub(d.Min)
		steps, err2 := span.Div(d.Step)
		whole, ok := steps.Floor().Int()
		if err != nil || err2 != nil || !ok || whole >= fixed.MaxStored*1000 {
			return 0, false
		}
		n = whole + 1
	case t.Kind == expr.Bool:
		n = 2
	case t.Named():
		n = int64(len(t.Names))
	}
	if d.Type.Optional {
		n++
	}
	return n, true
}
