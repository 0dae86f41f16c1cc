package live

import (
	"context"
	"errors"
	"fmt"
	"time"

	"alluvion.dev/service/store"
)

// ErrOpen says that something cannot be deleted while a session of it is open.
var ErrOpen = errors.New("it is open: close it first")

// End deletes what is held of a session that is not open. Nobody opens it meanwhile.
func (m *Manager) End(ctx context.Context, game, session string) (store.Ended, error) {
	key := sessionKey{game, session}
	done, err := m.keepShut(func(k sessionKey) bool { return k == key }, key)
	if err != nil {
		return store.Ended{}, err
	}
	defer done()
	if err := m.openElsewhere(ctx, game, session); err != nil {
		return store.Ended{}, err
	}
	return m.store.EndSession(ctx, game, session)
}

// EndGame deletes a game of which no session is open. Nobody opens one meanwhile.
func (m *Manager) EndGame(ctx context.Context, game string, do func() (store.Ended, error)) (store.Ended, error) {
	done, err := m.keepShut(func(k sessionKey) bool { return k.game == game }, sessionKey{game, ""})
	if err != nil {
		return store.Ended{}, err
	}
	defer done()
	if err := m.openElsewhere(ctx, game, ""); err != nil {
		return store.Ended{}, err
	}
	return do()
}

// keepShut makes sure that no session for which of holds is open or being opened, and that none is until done is called:
// whoever opens one waits. at is what stands for all of them: a session, or (without its name) all of a game.
func (m *Manager) keepShut(of func(sessionKey) bool, at sessionKey) (done func(), err error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for k := range m.sessions {
		if of(k) {
			return nil, fmt.Errorf("the session %s of %s: %w", k.name, k.game, ErrOpen)
		}
	}
	for k := range m.opening {
		if of(k) {
			return nil, fmt.Errorf("the session %s of %s: %w", k.name, k.game, ErrOpen)
		}
	}
	shut := make(chan struct{})
	m.opening[at] = shut
	return func() {
		m.mu.Lock()
		defer m.mu.Unlock()
		close(shut)
		delete(m.opening, at)
	}, nil
}

// sweepEvery is how often a service looks for sessions that nobody has used for long.
const sweepEvery = time.Hour

// Keep deletes what is held of sessions that nobody has used for so long, now and then until stop is closed.
func (m *Manager) Keep(ctx context.Context, long time.Duration, stop <-chan struct{}) {
	for {
		m.sweep(ctx, time.Now().Add(-long))
		select {
		case <-stop:
			return
		case <-ctx.Done():
			return
		case <-time.After(sweepEvery):
		}
	}
}

func (m *Manager) sweep(ctx context.Context, before time.Time) {
	idle, err := m.store.Idle(ctx, before)
	if err != nil {
		m.log.Error("sessions that nobody has used for long could not be listed", "error", err)
		return
	}
	for _, k := range idle {
		e, err := m.End(ctx, k.Game, k.Session)
		switch {
		case errors.Is(err, ErrOpen):
		case err != nil:
			m.log.Error("what is held of a session could not be deleted", "game", k.Game, "session", k.Session, "error", err)
		default:
			m.log.Info("a session was deleted that nobody had used for long", "game", k.Game, "session", k.Session, "worlds",
				e.Worlds, "journal", e.Journal)
		}
	}
}
