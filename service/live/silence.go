package live

import (
	"context"
	"errors"
	"fmt"
	"time"

	"alluvion.dev/core/engine"
)

// A player of whom nothing is heard leaves when the plan's grace is over, by whatever way they came: over a connection
// that was lost, or by requests over HTTP, which have none. What is heard of a player is any request about them; a ping
// is one that does nothing else.

// mostHurried is how long those at least may say nothing who have no connection, however short the grace is.
const mostHurried = 15 * time.Second

// hear notes that something was heard of a player.
func (s *Session) hear(player string) {
	if at := s.seats[player]; at != nil {
		if at.line == nil {
			at.lost = time.Now()
		}
		return
	}
	if s.run.Has(player) {
		if s.heard == nil {
			s.heard = map[string]time.Time{}
		}
		s.heard[player] = time.Now()
	}
}

// silentFrom says from when on a player is gone, if nothing is heard of them before; false for one who is connected, or
// not there.
func (s *Session) silentFrom(player string) (time.Time, bool) {
	at, heard := s.seats[player], s.heard[player]
	switch {
	case !s.run.Has(player):
		delete(s.heard, player)
		return time.Time{}, false
	case at != nil:
		delete(s.heard, player)
		return at.lost.Add(s.m.Grace()), at.line == nil
	}
	return heard.Add(max(s.m.Grace(), mostHurried)), true
}

// watchOver ends a player's visit when nothing is heard of them for too long.
func (m *Manager) watchOver(s *Session, player string) {
	var from time.Time
	silent := false
	if s.ask(context.Background(), func() { from, silent = s.silentFrom(player) }) != nil || !silent {
		return
	}
	if wait := time.Until(from); wait > 0 {
		time.AfterFunc(wait, func() { m.watchOver(s, player) })
		return
	}
	m.endVisit(s, player)
}

// endVisit lets a player leave of whom nothing was heard, unless something is at the last moment.
func (m *Manager) endVisit(s *Session, player string) {
	key := playerKey{s.Game, player}
	defer m.oneAtATime(key)()
	still := false
	err := s.ask(context.Background(), func() {
		from, silent := s.silentFrom(player)
		still = silent && !time.Now().Before(from)
	})
	if err != nil {
		return
	}
	if !still {
		time.AfterFunc(0, func() { m.watchOver(s, player) })
		return
	}
	if _, err := m.comeOrGo(context.Background(), s, engine.Request{Do: "leave", Player: player, Server: true},
		key); err != nil && !errors.Is(err, ErrClosed) {
		s.log.Warn("a player of whom nothing was heard could not leave", "player", player, "error", err)
	}
}

// ping answers a request that only says that somebody is still there.
func (s *Session) ping(req *engine.Request) (Answer, error) {
	if !s.run.Has(req.Player) {
		return Answer{}, &engine.Refusal{Kind: engine.Unknown,
			Reason: fmt.Sprintf("There is no player %q in this session.", req.Player)}
	}
	s.hear(req.Player)
	return Answer{Number: s.run.Number(req.Player), Time: s.clock()}, nil
}
