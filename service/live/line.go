package live

import (
	"slices"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-json-experiment/json"

	"golang.org/x/time/rate"

	"alluvion.dev/core/share"
	"alluvion.dev/core/wire"
)

// mostWaiting is how many messages that must not be lost may wait for a machine that does not read. One more, and it is
// cut off; it may resume.
const mostWaiting = 256

// Line is the connection of one machine to a session: of a player, or of one of the game's servers. What the session
// has for it waits here until the network takes it: of state at most one frame, since the next one can tell all that
// changed in the meantime; of everything else at most mostWaiting messages. It is safe for use by several goroutines.
type Line struct {
	Player string // "" for a server
	Server string // the server's name; "" for a player
	As     share.Codec
	From   string // the machine's address, for people to look at

	// mu guards what follows, but for the channels. The session's goroutine writes, the connection's reads; neither
	// waits for the network while it holds it.
	mu      sync.Mutex
	waiting [][]byte  // messages of which none may be lost, oldest first; bounded by mostWaiting
	frame   []byte    // the newest frame: a later one takes its place
	full    bool      // frame is to be sent, or is being sent
	began   time.Time // since when something is being written; zero while nothing is
	ended   bool
	code    int
	why     string
	greeted bool // the welcome is among what waits: nothing goes out before it
	onEnd   func()
	allow   func(bytes int64) // lets the machine send a message that is so large
	ready   chan struct{}     // something waits
	cut     chan struct{}     // it has ended
	traffic Traffic
	slowed  atomic.Bool
	patient *rate.Limiter // how much may be refused before the machine is slowed
	last    *rate.Limiter // and before it is cut off

	// What follows belongs to the session's goroutine.
	seen     int64       // the tick that the machine was sent last, or share.Whole
	sight    share.Sight // whom it was told of in a scene with near
	heard    int64       // the number of the last thing that it was told
	done     uint64
	at       int64  // the session's time at that tick, in milliseconds
	toldDone uint64 // the number that it was told to be done
	checks   bool
	expected string // the digest of what it ought to believe at the tick checked
	checked  int64
	leaving  bool // it asked to leave, and is told when that is on disk
	differs  int  // how often it believed something else
	unlike   []share.Difference
	unlikeAt int64
}

// Traffic counts what went over a connection.
type Traffic struct {
	In, Out, BytesIn, BytesOut, Frames atomic.Int64
}

func newLine(player, server, from string, as share.Codec) *Line {
	return &Line{Player: player, Server: server, From: from, As: as, seen: share.Whole, checked: -1,
		patient: rate.NewLimiter(1, 20), last: rate.NewLimiter(1, 60), ready: make(chan struct{},
			1), cut: make(chan struct{})}
}

// say queues a message that must not be lost.
func (l *Line) say(m wire.Said) {
	raw := saidText(m)
	l.mu.Lock()
	over := len(l.waiting) >= mostWaiting
	if !over && !l.ended {
		l.waiting = append(l.waiting, raw)
	}
	l.mu.Unlock()
	if over {
		l.End(wire.CodeSlow, "This machine does not read what it is sent.")
		return
	}
	l.wake()
}

// saidText is a message as JSON. That something was applied is said most often, and written by hand.
func saidText(m wire.Said) []byte {
	if m == (wire.Said{Is: "answer", Number: m.Number}) && m.Number > 0 {
		raw := strconv.AppendUint(append(make([]byte, 0, 48), `{"is":"answer","number":`...), m.Number, 10)
		return append(raw, '}')
	}
	raw, err := json.Marshal(m)
	if err != nil {
		panic(err) // plain data
	}
	return raw
}

func (l *Line) wake() {
	select {
	case l.ready <- struct{}{}:
	default:
	}
}

// free says whether the machine has taken the last frame.
func (l *Line) free() bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return !l.full && !l.ended && l.greeted
}

// post hands a frame over; it may be written until free says so again. It was made in what room gave.
func (l *Line) post(frame []byte) {
	l.mu.Lock()
	l.frame, l.full = frame, true
	l.mu.Unlock()
	l.wake()
}

// room is where the next frame may be written: the line must be free. The room of a whole view, which is many times as
// large as what follows, is given up.
func (l *Line) room() []byte {
	if cap(l.frame) > 2048 && cap(l.frame) > 4*len(l.frame) {
		return nil
	}
	return l.frame[:0]
}

// Next waits for something to be sent. What it gives is good until Sent; false when the line has ended.
func (l *Line) Next() (messages [][]byte, frame []byte, ok bool) {
	for {
		l.mu.Lock()
		if l.ended {
			l.mu.Unlock()
			return nil, nil, false
		}
		if len(l.waiting) > 0 || l.full {
			messages, l.waiting = l.waiting, nil
			if l.full {
				frame = l.frame
			}
			l.began = time.Now()
			l.mu.Unlock()
			return messages, frame, true
		}
		l.mu.Unlock()
		select {
		case <-l.ready:
		case <-l.cut:
		}
	}
}

// Sent says that what Next gave has been written; frame whether a frame was part of it.
func (l *Line) Sent(messages, bytes int, frame bool) {
	l.traffic.Out.Add(int64(messages))
	l.traffic.BytesOut.Add(int64(bytes))
	l.mu.Lock()
	defer l.mu.Unlock()
	l.began = time.Time{}
	if frame {
		l.full = false
		l.traffic.Frames.Add(1)
	}
}

// Received counts a message that came in.
func (l *Line) Received(bytes int) {
	l.traffic.In.Add(1)
	l.traffic.BytesIn.Add(int64(bytes))
}

// End ends the connection, with a close code and a reason for the machine. Only the first one counts.
func (l *Line) End(code int, why string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.ended {
		return
	}
	l.ended, l.code, l.why = true, code, why
	close(l.cut)
	if l.onEnd != nil {
		l.onEnd()
	}
}

// OnEnd has something done when the line ends, at once where it has.
func (l *Line) OnEnd(do func()) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.onEnd = do; l.ended {
		do()
	}
}

// OnAllow says what is done when the machine may send a larger message than usual, or not any more.
func (l *Line) OnAllow(do func(bytes int64)) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.allow = do
}

// mayBe lets the machine send messages of a size.
func (l *Line) mayBe(bytes int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.allow != nil {
		l.allow(bytes)
	}
}

// Greet puts the welcome before everything else that waits.
func (l *Line) Greet(raw []byte) {
	l.mu.Lock()
	l.waiting, l.greeted = slices.Insert(l.waiting, 0, raw), true
	l.mu.Unlock()
	l.wake()
}

// Ended is closed when the connection has ended.
func (l *Line) Ended() <-chan struct{} { return l.cut }

// Last gives what was still to be said when the line ended, and why it did.
func (l *Line) Last() (messages [][]byte, code int, why string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.waiting, l.code, l.why
}

// stuck says whether a machine has not taken something for too long.
func (l *Line) stuck(now time.Time) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return !l.began.IsZero() && now.Sub(l.began) > writeWithin
}

// writeWithin is how long a machine may take to take what it is sent.
const writeWithin = 10 * time.Second

// offend counts something that an honest machine would not have asked for: who keeps on is slowed, then cut off.
func (l *Line) offend() {
	l.slowed.Store(!l.patient.Allow())
	if !l.last.Allow() {
		l.End(wire.CodeOften, "Too much of what this machine asked for was refused.")
	}
}

// Slowed says whether the machine is to wait before it is heard again.
func (l *Line) Slowed() bool { return l.slowed.Swap(false) }
