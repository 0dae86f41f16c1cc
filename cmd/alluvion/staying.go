package main

import (
	"context"
	"errors"
	"sync"
	"time"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/engine"
)

// staying are players whom this program lets play by requests: they have no connection, and leave unless something is
// heard of them. It is safe for use by several goroutines.
type staying struct {
	mu      sync.Mutex
	players map[stayer]bool
}

type stayer struct {
	session *client.Session
	player  string
}

// stayEvery is how often is said that they are still there; more often than the service wants to hear it.
const stayEvery = 5 * time.Second

func (s *staying) add(session *client.Session, player string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.players == nil {
		s.players = map[stayer]bool{}
	}
	s.players[stayer{session, player}] = true
}

func (s *staying) all() []stayer {
	s.mu.Lock()
	defer s.mu.Unlock()
	var out []stayer
	for p := range s.players {
		out = append(out, p)
	}
	return out
}

// keep says of all of them that they are still there, until ctx ends.
func (s *staying) keep(ctx context.Context) {
	for tick := time.NewTicker(stayEvery); ; {
		select {
		case <-ctx.Done():
			tick.Stop()
			return
		case <-tick.C:
		}
		for _, p := range s.all() {
			_, err := p.session.Do(ctx, contract.Request{Do: "ping", Player: p.player})
			var gone *client.Problem
			if errors.As(err, &gone) && gone.Type == "/problems/"+engine.Unknown {
				s.mu.Lock()
				delete(s.players, p)
				s.mu.Unlock()
			}
		}
	}
}
