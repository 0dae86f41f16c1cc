package client

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/coder/websocket"
	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/contract"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
)

// Joining says how a machine joins a session.
type Joining struct {
	Player    string
	Server    string                         // instead of a player: the name of the game's server that asks
	Slot      int                            // from 1; 0 stands for 1
	Picks     map[string]types.Value         // what the player picks on the way in
	Simulated bool                           // nobody plays: what is saved of this player can be removed with all of its kind
	Packed    bool                           // frames are packed, as the session's layout says
	Layout    *share.Layout                  // the session's, where it is known; it is fetched otherwise
	Checks    bool                           // the machine says now and then what it believes
	Deaf      func(h share.Heard, bytes int) // where it is given, it is told of each packed frame, and nothing else is read: for measuring
	From      *Machine                       // the machine to go on from: its connection was lost
	Told      func(wire.Told)                // called with what the player is told; it must not wait for the machine
}

// Machine is a player's machine in a session: it believes what the service says, and asks for what the player wants.
// It is safe for use by several goroutines.
type Machine struct {
	Welcome wire.Welcome
	joining Joining
	conn    *websocket.Conn
	layout  *share.Layout
	done    chan struct{}

	mu      sync.Mutex
	mirror  *share.Mirror
	tracks  map[string]*share.Track
	number  uint64
	asked   map[uint64]chan wire.Said
	saved   uint64 // the last number that is on disk
	applied uint64
	differs int
	frames  int64
	bytes   int64
	ahead   time.Duration // how far the session's time is ahead of this machine's uptime, as the quickest frame said
	began   time.Time
	stir    chan struct{} // closed and made anew with each message
	heard   time.Time     // when the last frame came
	held    chan struct{} // closed when the machine is to read again; nil while it reads
	ended   error
}

// ErrEnded says that a machine's connection has ended, and with which code and reason.
type ErrEnded struct {
	Code   int
	Reason string
}

// Error gives code and reason.
func (e *ErrEnded) Error() string {
	return fmt.Sprintf("the connection has ended (%d): %s", e.Code, e.Reason)
}

// Refused is why the service did not do what a machine asked for.
type Refused struct{ wire.Said }

// Error is the reason.
func (r *Refused) Error() string { return r.Why }

// Layout gives what machines that follow the session are sent, and how.
func (s *Session) Layout(ctx context.Context) (*share.Layout, error) {
	raw, err := get[jsontext.Value](ctx, s.c, s.path+"/layout")
	if err != nil {
		return nil, err
	}
	return share.ReadLayout(raw)
}

// Overview says who is in the session, where, and how their machines are doing. show names variables of players that
// are to be shown, such as player.warmth. It holds 200 players at most; Seek asks for others.
func (s *Session) Overview(ctx context.Context, show ...string) (contract.Overview, error) {
	return s.Seek(ctx, contract.Sought{Show: strings.Join(show, ",")})
}

// Seek is Overview for those players whom somebody wants to see.
func (s *Session) Seek(ctx context.Context, sought contract.Sought) (contract.Overview, error) {
	return get[contract.Overview](ctx, s.c, s.path+"/overview?"+queryOf(sought))
}

func queryOf(sought contract.Sought) string {
	query := url.Values{"show": {sought.Show}}
	for name, value := range map[string]string{"scene": sought.Scene, "player": sought.Player} {
		if value != "" {
			query.Set(name, value)
		}
	}
	if sought.Most > 0 {
		query.Set("most", strconv.Itoa(sought.Most))
	}
	return query.Encode()
}

// Watch is told again and again who is in the session, until it closes (then it gives nil), or ctx ends.
func (s *Session) Watch(ctx context.Context, sought contract.Sought, told func(contract.Overview)) error {
	return s.c.events(ctx, s.path+"/watch?"+queryOf(sought), func(data []byte) error {
		var o contract.Overview
		if err := json.Unmarshal(data, &o); err != nil {
			return err
		}
		told(o)
		return nil
	})
}

// Join connects a player's machine to the session.
func (s *Session) Join(ctx context.Context, j Joining) (*Machine, error) {
	m := &Machine{joining: j, done: make(chan struct{}), asked: map[uint64]chan wire.Said{},
		tracks: map[string]*share.Track{}, stir: make(chan struct{}), began: time.Now()}
	hello := wire.Hello{Is: "hello", Token: s.c.token, Player: j.Player, Server: j.Server, Slot: j.Slot, Picks: j.Picks,
		Checks: j.Checks && j.Deaf == nil, Simulated: j.Simulated}
	if j.Packed {
		m.layout = j.Layout
		if m.layout == nil {
			var err error
			if m.layout, err = s.Layout(ctx); err != nil {
				return nil, err
			}
		}
		hello.Plan = m.layout.Plan
	}
	m.mirror = share.NewMirror(m.layout)
	if j.From != nil {
		j.From.mu.Lock()
		hello.Run, hello.Tick = j.From.Welcome.Run, j.From.mirror.Tick
		j.From.mu.Unlock()
	}
	if err := m.dial(ctx, s, hello); err != nil {
		return nil, err
	}
	if m.Welcome.Resumed && j.From.joining.Packed == j.Packed {
		m.mirror, m.tracks = j.From.mirror, j.From.tracks
	} else if m.Welcome.Resumed { // what the other machine believes is held in another form
		m.Send(wire.Ask{Is: "whole"})
	}
	m.number = m.Welcome.Number
	go m.read()
	return m, nil
}

// Serve connects one of the game's servers: it asks, and is answered, but is sent no state.
func (s *Session) Serve(ctx context.Context, name string) (*Machine, error) {
	return s.Join(ctx, Joining{Server: name})
}

func (m *Machine) dial(ctx context.Context, s *Session, hello wire.Hello) error {
	subs := []string{wire.SubJSONNear, wire.SubJSON}
	if m.joining.Packed {
		subs = []string{wire.SubPackedNear, wire.SubPacked}
	}
	conn, _, err := websocket.Dial(ctx, s.c.base+s.path+"/live",
		&websocket.DialOptions{HTTPClient: s.c.http, Subprotocols: subs, HTTPHeader: http.Header{}})
	if err != nil {
		return err
	}
	conn.SetReadLimit(64 << 20)
	m.conn = conn
	m.mirror.SetNear(strings.HasSuffix(conn.Subprotocol(), ".2"))
	raw, err := json.Marshal(hello)
	if err != nil {
		return err
	}
	if err := conn.Write(ctx, websocket.MessageText, raw); err != nil {
		_ = conn.CloseNow()
		return err
	}
	_, raw, err = conn.Read(ctx)
	if err != nil {
		_ = conn.CloseNow()
		return ended(err)
	}
	if json.Unmarshal(raw, &m.Welcome) == nil && m.Welcome.Is == "welcome" {
		return nil
	}
	var said wire.Said
	_ = json.Unmarshal(raw, &said)
	_ = conn.CloseNow()
	return &Refused{said}
}

// ended makes the end of a connection an ErrEnded.
func ended(err error) error {
	var e websocket.CloseError
	if errors.As(err, &e) {
		return &ErrEnded{int(e.Code), e.Reason}
	}
	return &ErrEnded{1006, err.Error()}
}

func (m *Machine) read() {
	defer close(m.done)
	for {
		m.mu.Lock()
		held := m.held
		m.mu.Unlock()
		if held != nil {
			<-held
		}
		kind, raw, err := m.conn.Read(context.Background())
		if err != nil {
			m.end(ended(err))
			return
		}
		if m.joining.Deaf != nil {
			if h, ok := share.Head(raw); ok {
				m.joining.Deaf(h, len(raw))
			}
			continue
		}
		if err := m.take(kind, raw); err != nil {
			m.end(err)
			return
		}
	}
}

func (m *Machine) end(err error) {
	_ = m.conn.CloseNow()
	m.mu.Lock()
	defer m.mu.Unlock()
	m.ended = err
	for _, c := range m.asked {
		close(c)
	}
	m.asked = map[uint64]chan wire.Said{}
	m.stirred()
}

// stirred wakes those who wait for something to happen. The lock is held.
func (m *Machine) stirred() {
	close(m.stir)
	m.stir = make(chan struct{})
}

// take takes a message in.
func (m *Machine) take(kind websocket.MessageType, raw []byte) error {
	var said wire.Said
	apply := (*share.Mirror).ApplyPacked
	if kind == websocket.MessageText {
		if err := json.Unmarshal(raw, &said); err != nil {
			return fmt.Errorf("the service sent what is no message: %w", err)
		}
		if said.Is != "tick" {
			m.hear(said)
			return nil
		}
		apply = (*share.Mirror).ApplyText
	}
	m.mu.Lock()
	heard, err := apply(m.mirror, raw)
	if err != nil {
		m.mu.Unlock()
		return err
	}
	m.frames++
	m.bytes += int64(len(raw))
	m.applied, m.heard = max(m.applied, heard.Done), time.Now()
	m.follow(heard)
	digest := ""
	if heard.Check {
		digest = m.mirror.Digest()
	}
	m.stirred()
	m.mu.Unlock()
	if digest != "" {
		m.Send(wire.Ask{Is: "belief", Tick: heard.Tick, Digest: digest})
	}
	if m.joining.Told != nil && len(heard.Told) > 0 {
		var told []wire.Told
		if err := json.Unmarshal(heard.Told, &told); err != nil {
			return err
		}
		for _, x := range told {
			m.joining.Told(x)
		}
	}
	return nil
}

// follow keeps where players were lately. The lock is held.
func (m *Machine) follow(h share.Heard) {
	now := time.Duration(h.Time)*time.Millisecond - time.Since(m.began)
	m.ahead = max(m.ahead, now)
	for _, address := range h.Moved {
		player, ok := strings.CutPrefix(address, "player.place@")
		if !ok {
			continue
		}
		if p, ok := m.placed(player); ok {
			if m.tracks[player] == nil {
				m.tracks[player] = &share.Track{}
			}
			m.tracks[player].Add(p)
		}
	}
}

// placed is the place that a player has, as the machine was told last. The lock is held.
func (m *Machine) placed(player string) (share.Point, bool) {
	return m.mirror.Place("player.place@" + player)
}

// hear takes a message in that is no frame.
func (m *Machine) hear(said wire.Said) {
	if said.Is == "differs" {
		m.mu.Lock()
		m.differs++
		values := m.mirror.Values()
		m.mu.Unlock()
		m.Send(wire.Ask{Is: "believed", Tick: said.Tick, Values: values})
		return
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if said.Is == "saved" {
		m.saved = max(m.saved, said.Number)
	}
	if c := m.asked[said.Number]; c != nil && said.Number > 0 && said.Is != "saved" {
		c <- said
		delete(m.asked, said.Number)
	}
	m.stirred()
}

// Send asks for something and does not wait for what comes of it.
func (m *Machine) Send(ask wire.Ask) error {
	raw, err := json.Marshal(ask)
	if err != nil {
		return err
	}
	return m.SendRaw(raw, false)
}

// SendRaw sends a message as it is.
func (m *Machine) SendRaw(raw []byte, binary bool) error {
	kind := websocket.MessageText
	if binary {
		kind = websocket.MessageBinary
	}
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	return m.conn.Write(ctx, kind, raw)
}

// Next is the number for the player's next request.
func (m *Machine) Next() uint64 {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.number++
	return m.number
}

// Do asks for something, with the player's next number and arrival, and waits for what comes of it. What is refused is
// a *Refused.
func (m *Machine) Do(ctx context.Context, ask wire.Ask) error {
	m.mu.Lock()
	if m.ended != nil {
		defer m.mu.Unlock()
		return m.ended
	}
	if ask.Number == 0 {
		ask.Number = m.number + 1
	}
	m.number = max(m.number, ask.Number)
	if here, ok := m.placed(m.joining.Player); ok && ask.Arrival == 0 {
		ask.Arrival = here.Arrival
	}
	answer := make(chan wire.Said, 1)
	m.asked[ask.Number] = answer
	m.mu.Unlock()
	if err := m.Send(ask); err != nil {
		return err
	}
	for {
		m.mu.Lock()
		stir, applied := m.stir, m.applied
		m.mu.Unlock()
		select {
		case said, ok := <-answer:
			switch {
			case !ok:
				return m.Err()
			case said.Is == "refused":
				return &Refused{said}
			}
			return nil
		case <-stir:
			if ask.Is == "move" && applied >= ask.Number { // that a move was applied is told with a frame
				m.mu.Lock()
				delete(m.asked, ask.Number)
				m.mu.Unlock()
				select {
				case said := <-answer:
					if said.Is == "refused" {
						return &Refused{said}
					}
				default:
				}
				return nil
			}
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// Renew takes a new token in place of the one that the machine came in with, which runs out.
func (m *Machine) Renew(ctx context.Context, token string) error {
	return m.Do(ctx, wire.Ask{Is: "token", Token: token})
}

// Hold makes the machine stop reading what it is sent, or read on.
func (m *Machine) Hold(on bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	switch {
	case on && m.held == nil:
		m.held = make(chan struct{})
	case !on && m.held != nil:
		close(m.held)
		m.held = nil
	}
}

// Move says where the player is now, and does not wait; it gives the number that it sent. Coordinates are as the
// session's plan has them.
func (m *Machine) Move(to []fixed.Num, facing string) (uint64, error) {
	m.mu.Lock()
	m.number++
	number := m.number
	here, ok := m.placed(m.joining.Player)
	m.mu.Unlock()
	if m.joining.Packed && ok {
		if scene := m.layout.SceneIndex(here.Scene); scene >= 0 {
			return number, m.SendRaw(wire.PackMove(m.layout, number, here.Arrival, scene, to, facing), true)
		}
	}
	return number, m.Send(wire.Ask{Is: "move", Number: number, Arrival: here.Arrival, To: to, Facing: facing})
}

// JSON is the value under an address, as the machine believes it.
func (m *Machine) JSON(address string) (string, bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	raw, ok := m.mirror.JSON(address)
	return string(raw), ok
}

// Here is where a player is, as the machine was told last.
func (m *Machine) Here(player string) (share.Point, bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.placed(player)
}

// Others lists everybody in the session, by id, the player too.
func (m *Machine) Others() []string {
	m.mu.Lock()
	defer m.mu.Unlock()
	return slices.Sorted(slices.Values(m.mirror.Players()))
}

// Behind is how far in the past players are drawn: two ticks, so that there is nearly always a position before and one
// after.
func (m *Machine) Behind() time.Duration {
	return time.Duration(2 / max(m.Welcome.Ticks, 1) * float64(time.Second))
}

// Drawn is where to draw a player now, and how far behind the session that is.
func (m *Machine) Drawn(player string) (at share.Point, behind time.Duration, ok bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	t := m.tracks[player]
	if t == nil {
		return share.Point{}, 0, false
	}
	now := time.Since(m.began) + m.ahead
	at, ok = t.At((now - m.Behind()).Milliseconds())
	return at, m.Behind(), ok
}

// Until waits until something holds that follows from what the machine was sent.
func (m *Machine) Until(ctx context.Context, holds func() bool) error {
	for {
		m.mu.Lock()
		stir, end := m.stir, m.ended
		m.mu.Unlock()
		if holds() {
			return nil
		}
		if end != nil {
			return end
		}
		select {
		case <-stir:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// State is how a machine is doing.
type State struct {
	Tick    int64
	Frames  int64
	Bytes   int64
	Applied uint64    // the last number that was applied or refused
	Saved   uint64    // the last number that is on disk
	Since   time.Time // when the last frame came
	Differs int       // how often the service found that it believed something else
}

// State tells how the machine is doing.
func (m *Machine) State() State {
	m.mu.Lock()
	defer m.mu.Unlock()
	return State{m.mirror.Tick, m.frames, m.bytes, m.applied, m.saved, m.heard, m.differs}
}

// Digest is the digest of what the machine believes.
func (m *Machine) Digest() string {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.mirror.Digest()
}

// Believe makes the machine believe something that it was not sent: for trying out what is found out then.
func (m *Machine) Believe(address, value string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for i, part := range share.PartNames { // the part near is among them where the plan has it
		if _, ok := m.mirror.Values()[part][address]; ok {
			m.mirror.Believe(i, address, jsontext.Value(value))
		}
	}
}

// Values are all that the machine believes, by address.
func (m *Machine) Values() map[string]string {
	m.mu.Lock()
	defer m.mu.Unlock()
	out := map[string]string{}
	for _, part := range m.mirror.Values() {
		maps.Copy(out, asText(part))
	}
	return out
}

func asText(part map[string]jsontext.Value) map[string]string {
	out := map[string]string{}
	for address, raw := range part {
		out[address] = string(raw)
	}
	return out
}

// Err is why the connection has ended; nil while it has not.
func (m *Machine) Err() error {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.ended
}

// Done is closed when the connection has ended.
func (m *Machine) Done() <-chan struct{} { return m.done }

// Leave ends the visit and the connection. It is done when the player has left.
func (m *Machine) Leave(ctx context.Context) error {
	if err := m.Send(wire.Ask{Is: "leave", Number: m.Next()}); err != nil {
		return err
	}
	select {
	case <-m.done:
		var e *ErrEnded
		if errors.As(m.Err(), &e) && e.Code == wire.CodeLeft {
			return nil
		}
		return m.Err()
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Drop ends the connection without a word, as a machine does that loses its network.
func (m *Machine) Drop() {
	m.Hold(false)
	_ = m.conn.CloseNow()
	<-m.done
}

// PlayerToken makes a token for a player of a game, good for a while.
func (c *Client) PlayerToken(ctx context.Context, game, player string, good time.Duration) (contract.Token, error) {
	raw, err := json.Marshal(contract.TokenWish{Player: player, For: int(good.Seconds())})
	if err != nil {
		return contract.Token{}, err
	}
	var out contract.Token
	_, err = c.do(ctx, http.MethodPost, "/v1/games/"+url.PathEscape(game)+"/tokens",
		http.Header{"Content-Type": {"application/json"}}, raw, &out)
	return out, err
}
