package live

import (
	"context"
	"crypto/rand"
	"encoding/binary"
	"errors"
	"fmt"
	"log/slog"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"alluvion.dev/core/engine"
	"alluvion.dev/service/meter"
	"alluvion.dev/service/store"
)

// Manager opens and closes sessions, and knows who is where. It is safe for use by several goroutines.
type Manager struct {
	store  *store.Store
	log    *slog.Logger
	plans  plans
	others Others // nil where the service is alone

	// mu guards what follows. It is held for moments only: never over the disk, never while a session is asked.
	mu       sync.Mutex
	sessions map[sessionKey]*Session      // those that are open
	where    map[playerKey]*Session       // in which each player is; a player is in one session of a game at most
	joining  map[playerKey]*turn          // who waits for a player to come or go
	opening  map[sessionKey]chan struct{} // what is being opened; closed once that is through
	closed   bool
	meter    *meter.Meter
}

type sessionKey struct{ game, name string }
type playerKey struct{ game, player string }

// NewManager has no sessions yet.
func NewManager(s *store.Store, log *slog.Logger, counts *meter.Meter) *Manager {
	return &Manager{store: s, log: log, meter: counts, sessions: map[sessionKey]*Session{},
		where: map[playerKey]*Session{}, joining: map[playerKey]*turn{}, opening: map[sessionKey]chan struct{}{}}
}

var sessionName = regexp.MustCompile(`^[a-z0-9][a-z0-9_-]{0,63}$`)

// ErrName says that a session cannot be called like that.
var ErrName = errors.New("a session's name is lower-case letters, digits, - and _, at most 64 of them")

// Open opens a session under the game's newest published version (its plan as it is, where none was published yet),
// with the world that it had when it was last open. A session that is open already is given as it is; fresh says which.
func (m *Manager) Open(ctx context.Context, game, name string) (s *Session, fresh bool, err error) {
	if !sessionName.MatchString(name) {
		return nil, false, ErrName
	}
	key := sessionKey{game, name}
	for {
		s, opening, err := m.begin(key)
		switch {
		case s != nil || err != nil:
			return s, false, err
		case opening == nil:
			s, err = m.opened(ctx, key)
			return s, true, err
		}
		select { // somebody else is opening it
		case <-opening:
		case <-ctx.Done():
			return nil, false, ctx.Err()
		}
	}
}

// begin gives the session that is open under a name, or what is closed once somebody else has opened it; neither, where
// it is for the caller to open: then nobody else does until opened is through.
func (m *Manager) begin(key sessionKey) (s *Session, opening chan struct{}, err error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	switch {
	case m.sessions[key] != nil:
		return m.sessions[key], nil, nil
	case m.closed:
		return nil, nil, ErrClosed
	case m.opening[key] != nil:
		return nil, m.opening[key], nil
	case m.opening[sessionKey{key.game, ""}] != nil: // the game is being deleted
		return nil, m.opening[sessionKey{key.game, ""}], nil
	}
	m.opening[key] = make(chan struct{})
	return nil, nil, nil
}

// opened opens a session: it reads, checks and upgrades, which takes a while, and holds nobody up who asks for another.
func (m *Manager) opened(ctx context.Context, key sessionKey) (s *Session, err error) {
	defer func() {
		m.mu.Lock()
		defer m.mu.Unlock()
		close(m.opening[key])
		delete(m.opening, key)
		switch {
		case s == nil:
		case m.closed:
			s, err = nil, ErrClosed // nobody was in it: there is nothing to save
		default:
			m.sessions[key] = s
			s.start()
			m.meter.Opened(1)
			m.log.Info("session opened", "game", key.game, "session", key.name, "version", s.m.Plan.Version.Value)
			if m.others != nil {
				go m.stillMine(s.owner)
			}
		}
	}()
	return m.open(ctx, key.game, key.name)
}

func (m *Manager) open(ctx context.Context, game, name string) (*Session, error) {
	text, err := m.store.Playing(ctx, game)
	if err != nil {
		return nil, err
	}
	plan, err := m.plans.of(ctx, game, text, m.store.CommonsText)
	if err != nil {
		return nil, err
	}
	owner, err := m.claim(ctx, game, name)
	if err != nil {
		return nil, err
	}
	s, err := m.openOwned(ctx, plan, owner)
	if err != nil {
		m.yield(context.Background(), owner)
	}
	return s, err
}

// openOwned opens a session that is this node's.
func (m *Manager) openOwned(ctx context.Context, plan *playable, owner store.Owner) (*Session, error) {
	game, name := owner.Game, owner.Session
	handed := make(chan struct{})
	close(handed) // nothing waits
	s := &Session{Game: game, Name: name, owner: owner, Opened: time.Now().UTC(), m: plan.m, chain: plan.chain,
		judge: engine.NewJudge(plan.m, nil), store: m.store, log: m.log.With("game", game, "session", name),
		inbox: make(chan func(), 256), done: make(chan struct{}), leases: map[string]int64{},
		handed: handed, owed: map[string]store.PlayerCut{}, answers: map[string]*journal{}, spread: m.spread, meter: m.meter, id: newRun(), layout: plan.layout}
	s.mixed = func() { m.mixed(s) }
	world, err := m.loadWorld(ctx, s)
	if err != nil {
		return nil, err
	}
	if s.trail.last, err = m.store.JournalEnd(ctx, game, name); err != nil {
		return nil, err
	}
	s.trail.handed = s.trail.last
	s.run = engine.ReopenWith(plan.m, world, Seed()).Called(name)
	return s, s.forgetDeleted(ctx, world)
}

// Seed is what a session is opened with: what is left to chance in it comes from this alone.
func Seed() uint32 {
	var raw [4]byte
	_, _ = rand.Read(raw[:]) // it never fails (crypto/rand)
	return binary.LittleEndian.Uint32(raw[:])
}

// newRun names one stretch of a session's ticks: who resumes says of which one.
func newRun() string { return strings.ToLower(rand.Text()[:12]) }

// Session finds an open session.
func (m *Manager) Session(game, name string) (*Session, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if s := m.sessions[sessionKey{game, name}]; s != nil {
		return s, nil
	}
	return nil, fmt.Errorf("%s of %s: %w", name, game, ErrNoSession)
}

// Sessions lists the open sessions of a game, by name.
func (m *Manager) Sessions(game string) []*Session {
	m.mu.Lock()
	defer m.mu.Unlock()
	var list []*Session
	for k, s := range m.sessions {
		if k.game == game {
			list = append(list, s)
		}
	}
	slices.SortFunc(list, func(a, b *Session) int { return strings.Compare(a.Name, b.Name) })
	return list
}

// Where finds the session in which a player is; nil where they are in none.
func (m *Manager) Where(game, player string) *Session {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.where[playerKey{game, player}]
}

// Do carries out a request in a session. A player is in one session of a game at a time: joining
// another saves and leaves the first (rule 2).
func (m *Manager) Do(ctx context.Context, s *Session, req engine.Request) (Answer, error) {
	if req.Do != "join" && req.Do != "leave" {
		return s.Do(ctx, req)
	}
	key := playerKey{s.Game, req.Player}
	defer m.oneAtATime(key)()
	return m.comeOrGo(ctx, s, req, key)
}

// comeOrGo carries out a join or a leave; whoever calls it holds the player's lock.
func (m *Manager) comeOrGo(ctx context.Context, s *Session, req engine.Request, key playerKey) (Answer, error) {
	if other := m.Where(s.Game, req.Player); req.Do == "join" && other != nil && other != s {
		if err := other.release(ctx, req.Player); err != nil && !errors.Is(err, ErrClosed) {
			return Answer{}, fmt.Errorf("%s could not leave the session %s: %w", req.Player, other.Name, err)
		}
		m.place(key, nil)
	}
	answer, err := m.alone(ctx, s, req)
	for errors.Is(err, store.ErrMoved) && ctx.Err() == nil {
		answer, err = m.alone(ctx, s, req)
	}
	if req.Do == "join" {
		go m.watchOver(s, req.Player)
	}
	switch {
	case err != nil:
	case req.Do == "join":
		m.place(key, s)
	case answer.Saved == nil || answer.Saved.Error == "": // what could not be written is still there
		m.place(key, nil)
	}
	return answer, err
}

// alone carries out a join or a leave. Who joins leaves the session first in which they are at another node; ErrMoved where they
// have joined one meanwhile.
func (m *Manager) alone(ctx context.Context, s *Session, req engine.Request) (_ Answer, err error) {
	var turn int64
	if req.Do == "join" && m.Where(s.Game, req.Player) == nil {
		if turn, err = m.fetch(ctx, s, req.Player); err != nil {
			return Answer{}, err
		}
	}
	if req.Do == "join" {
		if req.Shared, err = m.sharedNow(ctx, s, req.Player); err != nil {
			return Answer{}, err
		}
	}
	return s.do(ctx, req, turn)
}

// Aside does something with what a player has saved in a slot while nobody plays there: until it is done the player can
// neither join nor leave. Where they are playing in the slot it is not done, and the answer is a Playing.
func (m *Manager) Aside(ctx context.Context, game, player string, slot int, do func() error) error {
	defer m.oneAtATime(playerKey{game, player})()
	if s := m.Where(game, player); s != nil {
		playing, err := s.aside(ctx, player, slot)
		if playing {
			err = &Playing{Session: s.Name, Player: player, Slot: slot}
		}
		if err != nil && !errors.Is(err, ErrClosed) { // a session that has ended has handed in what it had
			return err
		}
	}
	return do()
}

// Deleted tells every open session of a game that everything about a player was deleted: what refers to them is none
// now.
func (m *Manager) Deleted(ctx context.Context, game, player string) error {
	var failed error
	for _, s := range m.Sessions(game) {
		err := s.ask(ctx, func() { s.deleted(player) })
		if err != nil && !errors.Is(err, ErrClosed) {
			failed = errors.Join(failed, err)
		}
	}
	return failed
}

// EverySlot is Aside's slot for all of a player's at once.
const EverySlot = 0

// Playing says that something cannot be done by hand while a player plays.
type Playing struct {
	Session, Player string
	Slot            int // EverySlot where it concerns all of them
}

// Error says who has to leave what.
func (p *Playing) Error() string {
	if p.Slot == EverySlot {
		return fmt.Sprintf("%s is in the session %s: they have to leave first", p.Player, p.Session)
	}
	return fmt.Sprintf("%s is playing in slot %d, in the session %s: they have to leave first", p.Player, p.Slot,
		p.Session)
}

// turn is whose turn it is with one player. It is there as long as somebody waits for it.
type turn struct {
	sync.Mutex
	users int
}

// oneAtATime waits until nobody else lets a player come or go; what it gives has to be called when that is done.
func (m *Manager) oneAtATime(key playerKey) (done func()) {
	m.mu.Lock()
	t := m.joining[key]
	if t == nil {
		t = &turn{}
		m.joining[key] = t
	}
	t.users++
	m.mu.Unlock()
	t.Lock()
	return func() {
		t.Unlock()
		m.mu.Lock()
		defer m.mu.Unlock()
		if t.users--; t.users == 0 {
			delete(m.joining, key)
		}
	}
}

func (m *Manager) place(key playerKey, s *Session) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if s == nil {
		delete(m.where, key)
		return
	}
	m.where[key] = s
}

// Close closes one session: all visits end, everybody is saved.
func (m *Manager) Close(ctx context.Context, s *Session) error {
	err := s.close(ctx)
	m.yield(ctx, s.owner)
	m.mu.Lock()
	defer m.mu.Unlock()
	m.remove(sessionKey{s.Game, s.Name}, s)
	if err != nil {
		m.log.Error("a session was closed, but not everything could be saved", "game", s.Game, "session", s.Name,
			"error", err)
		return err
	}
	m.log.Info("session closed", "game", s.Game, "session", s.Name)
	return nil
}

// CloseAll closes every session, for a graceful stop. No session can be opened after it.
func (m *Manager) CloseAll(ctx context.Context) error {
	m.mu.Lock()
	m.closed = true
	var all []*Session
	for _, s := range m.sessions {
		all = append(all, s)
	}
	m.mu.Unlock()
	failed := make([]error, len(all))
	var closing sync.WaitGroup
	for i, s := range all { // each within a time of its own: one that is stuck keeps nobody else from being saved
		closing.Add(1)
		go func() {
			defer closing.Done()
			within, cancel := context.WithTimeout(ctx, closeWithin)
			defer cancel()
			failed[i] = m.Close(within, s)
		}()
	}
	closing.Wait()
	return errors.Join(failed...)
}

// closeWithin is how long one session may take to save everybody and end.
const closeWithin = 12 * time.Second
