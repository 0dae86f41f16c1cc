// Package machine follows a session for one player, and asks in it for what the player does. It opens no connection, starts
// no goroutine and reads no clock: the game owns a WebSocket, hands over what that received, and sends what comes out.
//
//	m := lanternpass.New(machine.Joining{Player: "ada"}) // from the file that alluvion bindings writes
//	m.Opened(socket.Subprotocol())
//	m.Received(data, isText, now)
//	m.Lost(code, reason, now)
//	// and in every frame of the game, and after asking:
//	m.Advance(now)
//	for _, out := range m.Outgoing() { ... }
//
// For games that have no loop of their own, client.Session.Play does all this.
//
// now is always the game's own time, from any moment on, never going back; session times count from the session's start.
// A Machine is used by one goroutine at a time. Callbacks run inside Received, Lost, Advance and Learned, at their end; they
// may ask, but not call these four (they panic then). Nothing that a service or a network can send makes Received panic: it is
// told to OnTrouble, what is believed stays as it was, and the whole view is asked for.
package machine

import (
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json"

	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
)

// Plan is what a generated file knows of its plan.
type Plan struct {
	Layout string                       // as JSON: what machines are sent, and how
	Props  map[string]map[string]string // in which scene each prop is, by kind and prop
}

// Joining says how a machine comes in.
type Joining struct {
	Player    string                 // who plays
	Slot      int                    // which save, from 1; 0 stands for 1
	Picks     map[string]types.Value // what the player picks on the way in
	Token     string                 // where the service asks for tokens
	Text      bool                   // frames come as text, which is about six times as long as bits
	NoChecks  bool                   // never say what the machine believes: differences are not found then
	Simulated bool                   // nobody plays: what is saved of this player may be removed with all of its kind
}

// State is how the connection is.
type State string

// The states.
const (
	Closed State = "closed"  // no connection was opened yet
	Enters State = "joining" // the service was asked to let the player in
	In     State = "in"      // the player is in the session
	Lost   State = "lost"    // the connection was lost: open another one after RetryIn
	Fetch  State = "fetch"   // the session has another layout: fetch it from LayoutAt, and hand it to Learned
	Ended  State = "ended"   // there is no coming back without something new; End says why
)

// End is why a visit has ended.
type End struct {
	Code int // with which the connection was closed
	Why  string
}

// Out is something to send: text, or bytes.
type Out struct {
	Data   []byte
	Binary bool
}

const (
	mostPending = 256 // requests that wait for an answer; one more is refused at once
	never       = time.Duration(-1 << 62)
	mostNumber  = 1<<53 - 1
)

// Machine is a player's machine in a session. New makes one.
type Machine struct {
	plan    Plan
	joining Joining
	layout  *share.Layout
	mirror  *share.Mirror
	tracks  map[string]*share.Track

	state    State
	end      End
	layoutAt string
	retryIn  time.Duration
	quiet    time.Duration
	ticks    float64
	grace    time.Duration
	session  string

	run      string
	number   uint64 // of the request that was numbered last
	welcomed uint64 // the service's own, when the player came in
	disk     uint64 // up to which number everything is on disk
	requests []*Asked
	waiting  []waiting
	queue    []queued
	tries    int
	refusal  string
	checks   int

	heard      time.Duration // when something came in last
	spoke      time.Duration // when something went out last
	asksWhole  bool
	askedWhole time.Duration
	timed      bool // ahead is known
	ahead      time.Duration
	shown      bool // shownNow and shownAt are known
	shownNow   time.Duration
	shownAt    time.Duration

	busy      bool
	calls     []func()
	before    map[string]had
	listeners map[string]map[int]func(is, was Value, of Of)
	toldTo    map[int]func(wire.Told)
	troubleTo map[int]func(Trouble)
	stateTo   map[int]func(State)
	made      int // callbacks, so that each has a number
}

// queued is something that waits to be sent: a message, or a request that is written when it goes.
type queued struct {
	text string
	ask  *Asked
}

// waiting waits until a number is on disk.
type waiting struct {
	number uint64
	call   func(on bool)
}

// New makes a machine. It panics if the plan's layout is none, which a generated file's always is.
func New(p Plan, j Joining) *Machine {
	layout, err := share.ReadLayout([]byte(p.Layout))
	if err != nil {
		panic("machine: " + err.Error())
	}
	m := &Machine{plan: p, joining: j, state: Closed, ticks: layout.Ticks, askedWhole: never, before: map[string]had{},
		listeners: map[string]map[int]func(Value, Value, Of){}, toldTo: map[int]func(wire.Told){},
		troubleTo: map[int]func(Trouble){}, stateTo: map[int]func(State){}}
	m.follow(layout)
	return m
}

// follow begins anew, by a layout.
func (m *Machine) follow(layout *share.Layout) {
	m.layout, m.mirror, m.tracks = layout, share.NewMirror(layout), map[string]*share.Track{}
	m.mirror.Before = m.noteBefore
}

// State is how the connection is.
func (m *Machine) State() State { return m.state }

// End is why the visit has ended, where State is Ended.
func (m *Machine) End() End { return m.end }

// LayoutAt is where the session's layout is on the service, where State is Fetch.
func (m *Machine) LayoutAt() string { return m.layoutAt }

// RetryIn is after how long to try again, where State is Lost.
func (m *Machine) RetryIn() time.Duration { return m.retryIn }

// Quiet is how long ago the service was heard, at the last Advance. A connection that is quiet for ten seconds is dead: close it.
func (m *Machine) Quiet() time.Duration { return m.quiet }

// Ticks is how many frames a second the plan has, at most.
func (m *Machine) Ticks() float64 { return m.ticks }

// Grace is how long a player who lost the connection keeps their seat.
func (m *Machine) Grace() time.Duration { return m.grace }

// Checks is how often the service asked what the machine believes; OnTrouble is told where that differed.
func (m *Machine) Checks() int { return m.checks }

// Session is the session's name, once the player is in.
func (m *Machine) Session() string { return m.session }

// Player is who plays.
func (m *Machine) Player() string { return m.joining.Player }

// Address is where to connect: Address("wss://play.example", "winter").
func (m *Machine) Address(base, session string) string {
	base = strings.TrimSuffix(base, "/")
	if rest, ok := strings.CutPrefix(base, "http"); ok {
		base = "ws" + rest
	}
	return base + "/v1/games/" + url.PathEscape(m.layout.Game) + "/sessions/" + url.PathEscape(session) + "/live"
}

// Protocols are the sub-protocols to offer.
func (m *Machine) Protocols() []string {
	if m.joining.Text {
		return []string{wire.SubJSONNear, wire.SubJSON}
	}
	return []string{wire.SubPackedNear, wire.SubPacked}
}

// Opened says that a connection is open; protocol is the one that the service chose. The hello is the first thing that comes
// out.
func (m *Machine) Opened(protocol string) {
	near := strings.HasSuffix(protocol, ".2")
	if protocol == "" {
		near = m.layout.HasNear()
	}
	m.mirror.SetNear(near)
	m.refusal = ""
	j := &m.joining
	hello := wire.Hello{Is: "hello", Player: j.Player, Plan: m.layout.Plan, Checks: !j.NoChecks, Slot: j.Slot, Picks: j.Picks,
		Token: j.Token, Simulated: j.Simulated}
	if m.run != "" && !m.asksWhole {
		hello.Run, hello.Tick = m.run, m.mirror.Tick
	}
	m.queue = m.queue[:0]
	m.say(hello)
	for _, r := range m.requests {
		r.sent = false
	}
	m.become(Enters)
	m.tell()
}

// say queues a message.
func (m *Machine) say(message any) {
	raw, err := json.Marshal(message)
	if err != nil {
		panic(err) // plain data
	}
	m.queue = append(m.queue, queued{text: string(raw)})
}

// Received takes in what came over the connection: text, or bytes.
func (m *Machine) Received(data []byte, text bool, now time.Duration) {
	m.alone(func() {
		m.heard = now
		take := m.takeFrame
		if text {
			take = m.takeText
		}
		if err := take(data, now); err != nil {
			m.trouble(Trouble{Is: Malformed, Why: err.Error()})
			m.wantWhole(now)
		}
	})
}

// final are the close codes after which there is no coming back.
var final = map[int]string{
	wire.CodeLeft:     "The visit has ended.",
	wire.CodeBad:      "What was sent is not understood.",
	wire.CodeBig:      "What was sent is too large.",
	wire.CodeReplaced: "The player has come in from another machine.",
	wire.CodeOften:    "Too much of what was asked for was refused.",
	wire.CodeToken:    "The token is not good for this, or has run out.",
	wire.CodeRefused:  "The player cannot join.",
}

// Lost says that the connection is lost, or was closed; code is that of the WebSocket's close frame, 1006 where there was none.
func (m *Machine) Lost(code int, reason string, now time.Duration) {
	m.alone(func() {
		m.heard, m.queue = now, m.queue[:0]
		if m.state == Ended || m.state == Fetch {
			return
		}
		why, ends := final[code]
		if m.refusal != "" {
			why = m.refusal
		} else if reason != "" {
			why = reason
		}
		if why == "" {
			why = fmt.Sprintf("The connection was lost (%d).", code)
		}
		if ends || code == wire.CodeLayout && m.layoutAt == "" {
			m.ends(code, why)
			return
		}
		m.retryIn = m.nextTry()
		m.forgetMoves()
		m.become(Lost)
	})
}

// ends ends the visit for good.
func (m *Machine) ends(code int, why string) {
	m.end = End{code, why}
	if code == wire.CodeLeft {
		for _, r := range slices.Clone(m.requests) {
			if r.ask.Is == "leave" {
				m.settle(r, Outcome{Is: Applied, Number: r.ask.Number})
			}
		}
	}
	for _, r := range slices.Clone(m.requests) {
		m.settle(r, Outcome{Is: Unknown, Number: r.ask.Number, Why: why})
	}
	m.neverOnDisk()
	m.become(Ended)
}

// nextTry is after how long to try again: twice as long each time, up to eight seconds, and not the same for everybody.
func (m *Machine) nextTry() time.Duration {
	sum := sha256.Sum256([]byte(m.joining.Player))
	spread := 0.75 + float64(binary.BigEndian.Uint16(sum[:]))/0xffff/2
	wait := min(8*time.Second, 250*time.Millisecond<<min(m.tries, 10))
	m.tries++
	return time.Duration(float64(wait) * spread)
}

// forgetMoves gives up all moves but the newest, which says where the player is; one that was sent may have been applied.
func (m *Machine) forgetMoves() {
	var moves []*Asked
	for _, r := range m.requests {
		if r.move {
			moves = append(moves, r)
		}
	}
	for i := 0; i+1 < len(moves); i++ {
		m.settle(moves[i], Outcome{Is: Unknown, Number: moves[i].ask.Number, Why: "The connection was lost before it was confirmed."})
	}
}

// Learned takes the session's layout, as it was fetched from LayoutAt. The machine goes on by it if it has all that the
// generated file knows. An error says that this is no layout.
func (m *Machine) Learned(raw []byte) error {
	layout, err := share.ReadLayout(raw)
	if err != nil {
		return err
	}
	m.alone(func() {
		if names := m.layout.Without(layout); len(names) > 0 {
			m.trouble(Trouble{Is: PlanChanged, Names: names})
			m.ends(wire.CodeLayout, "The session has another plan than this game was built with.")
			return
		}
		m.follow(layout)
		m.run, m.layoutAt, m.retryIn = "", "", 0
		m.become(Lost)
	})
	return nil
}

// Outgoing is what there is to send, in order. Take it after asking and in every frame of the game.
func (m *Machine) Outgoing() []Out {
	out := make([]Out, 0, len(m.queue))
	for _, q := range m.queue {
		if q.ask == nil {
			out = append(out, Out{Data: []byte(q.text)})
			continue
		}
		q.ask.sent = true
		out = append(out, m.written(q.ask))
	}
	m.queue = m.queue[:0]
	if len(out) > 0 {
		m.spoke = m.heard
	}
	return out
}

// Advance lets time pass: it sends a sign of life after 15 seconds of silence, and asks again for what was not sent.
func (m *Machine) Advance(now time.Duration) {
	m.alone(func() {
		m.quiet = max(0, now-m.heard)
		if m.state != In {
			return
		}
		if now-m.spoke > 15*time.Second {
			m.spoke = now
			m.queue = append(m.queue, queued{text: `{"is":"ping"}`})
		}
		if m.asksWhole && now-m.askedWhole > 2*time.Second {
			m.wantWhole(now)
		}
	})
}

// Renew takes a new token in place of one that runs out. A machine that is not connected comes in with it; then the outcome is
// there at once.
func (m *Machine) Renew(token string) *Asked {
	m.joining.Token = token
	if m.state == Ended && m.end.Code == wire.CodeToken {
		m.end, m.retryIn = End{}, 0
		m.become(Lost)
		m.tell()
	}
	if m.state != In {
		return &Asked{outcome: &Outcome{Is: Applied}}
	}
	return m.request(wire.Ask{Is: "token", Token: token}, nil)
}
