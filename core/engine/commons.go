package engine

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
)

// What a player has of a commons is theirs once, for all games and slots: it is in no save of this game, comes
// with joining, and a change of it by another game comes as a request that cannot be refused (rule 4).

// takeShared gives a player what others say that they have of the commons. What does not fit the plan stays as
// it is.
func (t *tx) takeShared(p *Player, shared map[string]save.Values, fire bool) {
	for _, v := range t.run.m.Holders[model.OfPlayer].Stored {
		if v.Shared == nil {
			continue
		}
		value, ok := shared[v.Shared.Commons][v.Shared.ID]
		if !ok || v.Admit(value) != nil {
			continue
		}
		t.cause = &Cause{Kind: "commons", Moment: "commons " + v.Shared.Commons + ", by " + v.Shared.Writer}
		t.write(owner{int(model.OfPlayer), p, -1}, v, value, fire)
	}
}

// Shared is what a present player has of each commons that this game writes.
func (r *Run) Shared(player string) map[string]save.Values {
	if p := r.players[player]; p != nil {
		return r.shared(p)
	}
	return nil
}

// Elsewhere is what a present player has of each commons that other games write.
func (r *Run) Elsewhere(player string) map[string]save.Values {
	if p := r.players[player]; p != nil {
		return r.ofCommons(p, false)
	}
	return nil
}

func (r *Run) shared(p *Player) map[string]save.Values { return r.ofCommons(p, true) }

// ofCommons are a player's values of commons: those that this game writes, or the others.
func (r *Run) ofCommons(p *Player, mine bool) map[string]save.Values {
	var out map[string]save.Values
	for i, v := range r.m.Holders[model.OfPlayer].Stored {
		if v.Shared == nil || v.Shared.Mine != mine {
			continue
		}
		if out == nil {
			out = map[string]save.Values{}
		}
		if out[v.Shared.Commons] == nil {
			out[v.Shared.Commons] = save.Values{}
		}
		out[v.Shared.Commons][v.Shared.ID] = p.vars[i]
	}
	return out
}
