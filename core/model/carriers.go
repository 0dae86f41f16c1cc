package model

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/types"
)

// mostSymbols is how many symbols a carrier's alphabet may have.
const mostSymbols = 4096

func (b *builder) allCarriers() {
	for i := range b.Plan.Carriers.Entries {
		e := &b.Plan.Carriers.Entries[i]
		d := &e.Value
		c := &Carrier{ID: e.ID, Title: Title(d.Title, e.ID), Alphabet: types.Letters(d.Alphabet.Value, mostSymbols),
			Length: d.Length.Value, Lanes: d.Lanes.Or(1),
			Every: d.Every.Value, Players: d.Writers.Or("players") == "players", Samples: d.Samples.Or(1), At: e.At, Decl: d}
		if len(c.Alphabet) < 2 {
			b.report("bad-value", d.Alphabet.At,
				"An alphabet has 2 to %d symbols, as single ones and rising ranges: 0-9, or A-Za-z0-9.", mostSymbols)
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
				b.report("bad-value", x.At,
					"A carrier carries variables of a player with limits, and parts of place; %s is neither.", x.Source)
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
	out := &CarriedName{Program: p, Domain: types.Domain{Type: p.Type, Step: b.Step}}
	if v := b.VarOf(p.Target); v != nil {
		out.Domain = v.Domain
		if v.Stopwatch || v.Type.Kind == types.Copies || types.CodeOf(&v.Domain).Kind == "list" {
			return nil
		}
		return out
	}
	switch p.Target.What {
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
