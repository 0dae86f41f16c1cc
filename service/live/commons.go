package live

import (
	"context"
	"fmt"

	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/service/store"
)

// What a player has of a commons belongs to no session: it is on disk once for all games, written in the same
// transaction as the save of the game that writes it, and a change reaches the sessions of other games in which
// the player is now (rule 4).

func sharedOf(doc *save.Player) []store.SharedValue {
	var out []store.SharedValue
	for commons, values := range doc.Shared {
		for name, value := range values {
			out = append(out, store.SharedValue{Commons: commons, Player: doc.Player, Name: name, Doc: mustJSON(value)})
		}
	}
	return out
}

func mustJSON(v types.Value) []byte {
	raw, err := json.Marshal(v)
	if err != nil {
		panic(err) // a value of the state can always be written
	}
	return raw
}

// stored reads what the disk has of a player's commons.
func (m *Manager) stored(ctx context.Context, player string) (map[string]save.Values, error) {
	list, err := m.store.Shared(ctx, player)
	if err != nil {
		return nil, err
	}
	out := map[string]save.Values{}
	for _, x := range list {
		var v types.Value
		if err := json.Unmarshal(x.Doc, &v); err != nil {
			return nil, fmt.Errorf("what %s has of %s as %s: %w", player, x.Commons, x.Name, err)
		}
		if out[x.Commons] == nil {
			out[x.Commons] = save.Values{}
		}
		out[x.Commons][x.Name] = v
	}
	return out, nil
}

// sharedNow is what a player has of all commons now: what is on disk, and what the sessions of other games in
// which they are have changed since.
func (m *Manager) sharedNow(ctx context.Context, s *Session, player string) (map[string]save.Values, error) {
	if len(s.m.Plan.Uses) == 0 {
		return nil, nil
	}
	out, err := m.stored(ctx, player)
	if err != nil {
		return nil, err
	}
	for _, other := range m.elsewhere(s.Game, player) {
		var newer map[string]save.Values
		if other.ask(ctx, func() { newer = other.run.Shared(player) }) != nil {
			continue // it has just been closed, and has written everything
		}
		for commons, values := range newer {
			if out[commons] == nil {
				out[commons] = save.Values{}
			}
			for name, v := range values {
				out[commons][name] = v
			}
		}
	}
	return out, nil
}

// elsewhere lists the sessions of other games in which a player is.
func (m *Manager) elsewhere(game, player string) []*Session {
	m.mu.Lock()
	defer m.mu.Unlock()
	var out []*Session
	for key, s := range m.where {
		if key.player == player && key.game != game {
			out = append(out, s)
		}
	}
	return out
}

// spread tells the sessions of other games what a player's commons have become. It runs on the goroutine of the
// session that changed them, and only begins that: each is told on a goroutine of its own.
func (m *Manager) spread(s *Session, changes []engine.Change) {
	if len(s.m.Plan.Uses) == 0 {
		return
	}
	players := map[string]bool{}
	for _, c := range changes {
		if v := s.m.Var(c.Name); v != nil && v.Shared != nil && v.Shared.Mine {
			players[c.Player] = true
		}
	}
	for player := range players {
		for _, other := range m.elsewhere(s.Game, player) {
			go m.tell(s, other, player)
		}
	}
}

// tell brings a session up to what another has now: whoever comes later finds the newest, so that the order in
// which they come does not matter.
func (m *Manager) tell(from, to *Session, player string) {
	var shared map[string]save.Values
	ctx := context.Background()
	if from.ask(ctx, func() { shared = from.run.Shared(player) }) != nil || shared == nil {
		return
	}
	to.share(ctx, player, shared)
}

// share makes a player's commons in a session what they are, where they are there.
func (s *Session) share(ctx context.Context, player string, shared map[string]save.Values) {
	_ = s.ask(ctx, func() {
		if s.run.Has(player) {
			res, _ := s.run.Step(&engine.Request{Do: "commons", Player: player, Server: true, Shared: shared, At: s.clock()})
			s.absorb(res)
		}
	})
}
