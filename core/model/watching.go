package model

import (
	"maps"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/types"
)

// Watching gives the names that somebody can read who watches a session: the world's, standings, and those of each of
// the players, by the id that they go by there. Of each player can be asked what the player's own rules ask. With of
// the names are also about one of them, under player.
func (m *Model) Watching(players []string, of bool) expr.Names {
	names := m.scopes.world
	if of {
		names = m.scopes.player
	}
	names.Watched, names.Areas, names.Held = true, m.scopes.player.Areas, m.scopes.player.Held
	more := map[string]*expr.Entry{}
	if len(m.Standings) > 0 {
		more["standings"] = m.standingEntries(expr.Ref{Who: expr.Nobody, What: expr.StandingOrder},
			types.Type{Kind: types.List, Item: &types.Type{Kind: types.Text},
				Range: types.Range{HasLo: true, Step: numOne}})
	}
	for i, id := range players {
		more[id] = &expr.Entry{Type: types.Type{Kind: types.Player},
			Ref: expr.Ref{Who: expr.Local, What: expr.LocalValue, Index: i}, Fields: m.watched(i)}
	}
	return names.With(more)
}

// watched are the names of one player who is watched. A variable of the player goes before a name that only watchers
// have.
func (m *Model) watched(i int) map[string]*expr.Entry {
	mine := m.scopes.player.Roots
	fields := map[string]*expr.Entry{}
	for _, root := range []string{"scene", "scenes", "prop"} {
		if e := mine[root]; e != nil {
			as := *e
			as.Ref.As = i + 1
			fields[root] = &as
		}
	}
	if len(m.Standings) > 0 {
		fields["standings"] = m.standingEntries(expr.Ref{What: expr.StandingNumber},
			types.Type{Kind: types.Decimal, Optional: true})
		fields["places"] = m.standingEntries(expr.Ref{What: expr.StandingPlace},
			types.Type{Kind: types.Int, Optional: true, Range: types.Whole()})
	}
	maps.Copy(fields, mine["player"].Fields)
	return fields
}

// standingEntries are the standings by their ids.
func (m *Model) standingEntries(ref expr.Ref, t types.Type) *expr.Entry {
	out := &expr.Entry{Type: types.Type{Kind: types.Record}, Fields: map[string]*expr.Entry{}}
	for _, s := range m.Standings {
		ref.Slot = s.Index
		out.Fields[s.ID] = &expr.Entry{Type: t, Ref: ref}
	}
	return out
}
