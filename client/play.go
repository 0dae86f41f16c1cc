package client

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/coder/websocket"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/wire"
	"alluvion.dev/machine"
)

// frameTime is how long a frame of Play takes.
const frameTime = 50 * time.Millisecond

// Play follows the session with a machine until the visit ends: it connects, hands over what comes in, sends what goes out, and
// connects again where the connection was lost. All callbacks of the machine run in it, and so does frame, twenty times a second
// (nil for none), with the time since Play began.
//
// It gives nil once the player has left. Otherwise it gives an *ErrEnded, or why no connection could be opened; when ctx ends, the
// connection is closed without a word.
func (s *Session) Play(ctx context.Context, m *machine.Machine, frame func(now time.Duration)) error {
	p := &playing{s: s, m: m, frame: frame, began: time.Now()}
	for first := true; m.State() != machine.Ended; first = false {
		if err := sleep(ctx, m.RetryIn()); err != nil {
			return err
		}
		if m.State() == machine.Fetch {
			if err := p.learn(ctx); err != nil {
				return err
			}
			continue
		}
		conn, refused, err := p.dial(ctx)
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case err != nil && (first || refused):
			return err
		case err != nil:
			m.Lost(1006, "", p.now())
			continue
		}
		if err := p.through(ctx, conn); err != nil {
			return err
		}
	}
	if end := m.End(); end.Code != wire.CodeLeft {
		return &ErrEnded{end.Code, end.Why}
	}
	return nil
}

// playing is a machine that Play plays with.
type playing struct {
	s     *Session
	m     *machine.Machine
	frame func(time.Duration)
	began time.Time
}

func (p *playing) now() time.Duration { return time.Since(p.began) }

func sleep(ctx context.Context, long time.Duration) error {
	select {
	case <-time.After(long):
		return ctx.Err()
	case <-ctx.Done():
		return ctx.Err()
	}
}

// learn fetches the session's layout.
func (p *playing) learn(ctx context.Context) error {
	layout, err := get[jsontext.Value](ctx, p.s.c, p.s.path+"/layout")
	if err != nil {
		return err
	}
	return p.m.Learned(layout)
}

// dial opens a connection. refused says that the service answered, and does not want it.
func (p *playing) dial(ctx context.Context) (conn *websocket.Conn, refused bool, err error) {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	conn, res, err := websocket.Dial(ctx, p.s.c.base+p.s.path+"/live",
		&websocket.DialOptions{HTTPClient: p.s.c.http, Subprotocols: p.m.Protocols(), HTTPHeader: http.Header{}})
	if err != nil {
		return nil, res != nil && res.StatusCode >= 400 && res.StatusCode < 500, err
	}
	conn.SetReadLimit(64 << 20)
	return conn, false, nil
}

// received is a message, or the end of a connection.
type received struct {
	data []byte
	text bool
	err  error
}

// through plays over one connection until that is lost. The error is that of ctx.
func (p *playing) through(ctx context.Context, conn *websocket.Conn) error {
	defer func() { _ = conn.CloseNow() }()
	heard := make(chan received, 64)
	go func() {
		for {
			kind, raw, err := conn.Read(ctx)
			heard <- received{raw, kind == websocket.MessageText, err} // the connection is closed when nobody listens any more
			if err != nil {
				close(heard)
				return
			}
		}
	}()
	defer func() {
		_ = conn.CloseNow()
		for range heard { // until the reader has ended
		}
	}()
	frames := time.NewTicker(frameTime)
	defer frames.Stop()
	p.m.Opened(conn.Subprotocol())
	for {
		if err := p.send(ctx, conn); err != nil && ctx.Err() != nil {
			return ctx.Err()
		} // another error is heard of by reading, after what came before it
		select {
		case x := <-heard:
			if x.err != nil {
				var end *ErrEnded
				if errors.As(ended(x.err), &end); ctx.Err() == nil {
					p.m.Lost(end.Code, end.Reason, p.now())
				}
				return ctx.Err()
			}
			p.m.Received(x.data, x.text, p.now())
		case <-frames.C:
			p.m.Advance(p.now())
			if p.m.Quiet() > 10*time.Second {
				p.m.Lost(1006, "", p.now())
				return nil
			}
			if p.frame != nil {
				p.frame(p.now())
			}
		}
	}
}

func (p *playing) send(ctx context.Context, conn *websocket.Conn) error {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	for _, out := range p.m.Outgoing() {
		kind := websocket.MessageText
		if out.Binary {
			kind = websocket.MessageBinary
		}
		if err := conn.Write(ctx, kind, out.Data); err != nil {
			return err
		}
	}
	return nil
}
