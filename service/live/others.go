package live

import (
	"context"
	"errors"
	"fmt"

	"alluvion.dev/service/store"
)

// Where several nodes make one service, each session is run by one of them: its owner. Whoever is asked for a session
// that nobody runs claims it, in the order in which all nodes write, so that the file has all that was written for
// the session before the claim. What an earlier owner writes after that is refused, by every node alike. So two
// nodes may both believe for a while that they run a session, and only one of them can save anything.

// Others are the other nodes.
type Others interface {
	Me() store.Writer
	// Alive says whether a node was heard lately.
	Alive(node string) bool
	// Together says what keeps this node from running sessions: that it does not reach most of the others.
	Together() error
	// Release has a player leave the session that they are in at another node, and returns when this node's file
	// has what they had then.
	Release(ctx context.Context, node, game, player string) error
}

// Elsewhere says that another node runs a session.
type Elsewhere struct{ Game, Session, Node string }

// Error says which.
func (e *Elsewhere) Error() string {
	return fmt.Sprintf("the node %s runs the session %s of %s", e.Node, e.Session, e.Game)
}

// ErrHeld says that a player could not leave the session first in which they are at another node.
var ErrHeld = errors.New("another node could not let a player leave the session there")

// With makes the manager one of several. It is called before anything is opened.
func (m *Manager) With(others Others) { m.others = others }

// claim makes this node the owner of a session, unless another one that is there is. Alone it is nobody's.
func (m *Manager) claim(ctx context.Context, game, name string) (store.Owner, error) {
	if m.others == nil {
		return store.Owner{Game: game, Session: name}, nil
	}
	if err := m.others.Together(); err != nil {
		return store.Owner{}, err
	}
	me := m.others.Me()
	for {
		now, err := m.store.Owner(ctx, game, name)
		if err != nil {
			return now, err
		}
		if now.Node != "" && now.Node != me.Node && m.others.Alive(now.Node) {
			return now, &Elsewhere{game, name, now.Node}
		}
		mine, err := m.store.Claim(ctx, store.Owner{Game: game, Session: name, Node: me.Node, Run: me.Run}, now.Epoch)
		if !errors.Is(err, store.ErrFenced) { // somebody else was quicker
			return mine, err
		}
	}
}

// yield gives a session up that this node has closed.
func (m *Manager) yield(ctx context.Context, owner store.Owner) {
	if m.others == nil {
		return
	}
	_, err := m.store.Claim(ctx, store.Owner{Game: owner.Game, Session: owner.Session}, owner.Epoch)
	if err != nil && !errors.Is(err, store.ErrFenced) {
		m.log.Warn("a session that was closed is still this node's", "game", owner.Game, "session", owner.Session, "error", err)
	}
}

// openElsewhere gives ErrOpen where another node runs a session, or ("") any of a game.
func (m *Manager) openElsewhere(ctx context.Context, game, session string) error {
	if m.others == nil {
		return nil
	}
	owners, err := m.store.Owners(ctx, game)
	if err != nil {
		return err
	}
	for _, o := range owners {
		if (session == "" || o.Session == session) && o.Node != m.others.Me().Node && m.others.Alive(o.Node) {
			return fmt.Errorf("the session %s of %s, at the node %s: %w", o.Session, o.Game, o.Node, ErrOpen)
		}
	}
	return nil
}

// Apart ends all sessions, since this node does not reach most of the others: another one may run them by now. Nothing
// that could not be saved was said to be.
func (m *Manager) Apart() {
	m.mu.Lock()
	var all []*Session
	for key, s := range m.sessions {
		all = append(all, s)
		m.remove(key, s)
	}
	m.mu.Unlock()
	if len(all) > 0 {
		m.log.Warn("this node does not reach most of the others: its sessions have ended here", "sessions", len(all))
	}
	for _, s := range all {
		go s.abandon("This node has lost the others, and saves nothing now. Come back in a moment.")
	}
}

// Told takes note of what was written in the order of all nodes; mine says that this one did. It waits for nobody.
func (m *Manager) Told(what any, mine bool) {
	if mine {
		return
	}
	ctx := context.Background()
	switch w := what.(type) {
	case store.Owned:
		m.lose(w.Owner)
	case store.Taken:
		m.takenElsewhere(w)
	case store.Forgotten:
		go func() { _ = m.Deleted(ctx, w.Game, w.Player) }()
	case store.InCommon:
		for _, v := range w.Values {
			for _, s := range m.elsewhere(w.Game, v.Player) {
				go m.tellStored(ctx, s, v.Player)
			}
		}
	}
}

// lose ends a session that another node has claimed: nothing of it can be written here any more.
func (m *Manager) lose(now store.Owner) {
	m.mu.Lock()
	key := sessionKey{now.Game, now.Session}
	s := m.sessions[key]
	if s == nil || s.owner.Epoch >= now.Epoch {
		m.mu.Unlock()
		return
	}
	m.remove(key, s)
	m.mu.Unlock()
	m.log.Warn("another node runs a session now that ran here", "game", now.Game, "session", now.Session, "node", now.Node)
	go s.abandon("Another node runs this session now. What you did since your last save is gone.")
}

// stillMine looks once more whose a session is that was just opened: what was told of it before it was in the list, nobody
// has heard.
func (m *Manager) stillMine(owner store.Owner) {
	now, err := m.store.Owner(context.Background(), owner.Game, owner.Session)
	if err == nil {
		m.lose(now)
	}
}

// remove takes a session out of the lists. m.mu is held.
func (m *Manager) remove(key sessionKey, s *Session) {
	if m.sessions[key] == s {
		m.meter.Opened(-1)
		delete(m.sessions, key)
	}
	for k, at := range m.where {
		if at == s {
			delete(m.where, k)
		}
	}
}

// abandon ends a session without saving anything.
func (s *Session) abandon(why string) {
	var hungUp func(why string)
	if s.ask(context.Background(), func() {
		s.closing = true
		hungUp = s.hangUp()
	}) != nil {
		return
	}
	<-s.done
	hungUp(why)
}

// takenElsewhere ends the visit of a player whose slot a session at another node has taken.
func (m *Manager) takenElsewhere(t store.Taken) {
	if s := m.Where(t.Game, t.Player); s != nil {
		go s.later(func() {
			if lease := s.leases[t.Player]; lease != 0 && lease < t.Lease {
				s.dropLost(t.Player)
				m.gone(t.Game, t.Player, s)
			}
		})
	}
}

// gone notes that a player is not in a session any more.
func (m *Manager) gone(game, player string, s *Session) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if key := (playerKey{game, player}); m.where[key] == s {
		delete(m.where, key)
	}
}

// tellStored brings a session up to what is stored of a player's commons.
func (m *Manager) tellStored(ctx context.Context, to *Session, player string) {
	shared, err := m.stored(ctx, player)
	if err == nil {
		to.share(ctx, player, shared)
	}
}

// fetch has a player leave the session that they are in at another node, before they join one here, and gives the turn
// after which they join. The session of a node that is not heard is taken away from it first: what it may still
// write of the player, and of whoever the player has to do with there, is in the file before that, or never.
func (m *Manager) fetch(ctx context.Context, s *Session, player string) (turn int64, err error) {
	if m.others == nil {
		return 0, nil
	}
	session, turn, err := m.store.Visited(ctx, s.Game, player)
	if err != nil || session == "" {
		return turn, err
	}
	owner, err := m.store.Owner(ctx, s.Game, session)
	switch {
	case err != nil || owner.Node == "" || owner.Node == m.others.Me().Node:
		return turn, err
	case !m.others.Alive(owner.Node):
		_, err = m.store.Claim(ctx, store.Owner{Game: s.Game, Session: session}, owner.Epoch)
		if errors.Is(err, store.ErrFenced) { // somebody has taken it already
			err = store.ErrMoved
		}
		return turn, err
	}
	if err := m.others.Release(ctx, owner.Node, s.Game, player); err != nil {
		return turn, fmt.Errorf("%w: %s: %w", ErrHeld, player, err)
	}
	return turn, nil
}

// mixed ends a session. One of its players plays elsewhere by now, so the store refuses all that it writes.
func (m *Manager) mixed(s *Session) {
	m.mu.Lock()
	m.remove(sessionKey{s.Game, s.Name}, s)
	m.mu.Unlock()
	m.log.Warn("a session has ended here: somebody in it plays elsewhere by now", "game", s.Game, "session", s.Name)
	s.abandon("Somebody here plays elsewhere by now. What you did since your last save is gone. Come back in a moment.")
}

// At says at which node a player was last, and in which session; "" where nobody knows.
func (m *Manager) At(ctx context.Context, game, player string) (node, session string, err error) {
	session, _, err = m.store.Visited(ctx, game, player)
	if err != nil || session == "" {
		return "", "", err
	}
	owner, err := m.store.Owner(ctx, game, session)
	return owner.Node, session, err
}

// Release saves a player and lets them leave, wherever they are here; another node asks for it.
func (m *Manager) Release(ctx context.Context, game, player string) error {
	if s := m.Where(game, player); s != nil {
		if err := s.release(ctx, player); err != nil && !errors.Is(err, ErrClosed) {
			return err
		}
		m.gone(game, player, s)
	}
	for _, s := range m.Sessions(game) { // what they left where they were before
		if err := s.payOwed(ctx, player); err != nil && !errors.Is(err, ErrClosed) {
			return err
		}
	}
	// What was handed in before, as when they left a moment ago, is written before this.
	return m.store.Alive(ctx)
}
