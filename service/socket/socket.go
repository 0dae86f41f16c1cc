// Package socket carries sessions over WebSockets (RFC 6455): it reads what machines ask for, within limits, and sends
// them what the session has for them. docs/wire.md says what is said.
package socket

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode"

	"github.com/coder/websocket"
	"github.com/go-json-experiment/json"
	"golang.org/x/time/rate"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/share"
	"alluvion.dev/core/wire"
	"alluvion.dev/service/auth"
	"alluvion.dev/service/live"
	"alluvion.dev/service/meter"
)

// Limits on what a machine may do.
const (
	helloWithin = 5 * time.Second
	silentFor   = 40 * time.Second // a machine that says nothing for so long is taken to be gone
	perSecond   = 60               // messages, on average; who sends more waits
	atOnce      = 120
	slowedBy    = 500 * time.Millisecond
	closeWithin = 3 * time.Second
)

// Server connects machines to sessions.
type Server struct {
	Live  *live.Manager
	Meter *meter.Meter
	Log   *slog.Logger
	// Allow says who a token is for. Where no tokens are asked for it gives a designer.
	Allow func(token string) (auth.Who, error)
	// Origins are those of pages of other sites that may connect.
	Origins []string

	turned struct {
		sync.Mutex
		next    time.Time // before which no turning away is logged
		besides int       // how many were not
	}
}

// logTurned logs that a machine was not let in: at most once a second, with how many there were besides.
func (s *Server) logTurned(session *live.Session, why string) {
	s.turned.Lock()
	defer s.turned.Unlock()
	if time.Now().Before(s.turned.next) {
		s.turned.besides++
		return
	}
	s.Log.Info("a machine was not let in", "game", session.Game, "session", session.Name, "why", why, "besides",
		s.turned.besides)
	s.turned.next, s.turned.besides = time.Now().Add(time.Second), 0
}

// packsFrom is from how many bytes on a text frame is compressed: below, what is saved is not worth it.
const packsFrom = 1024

// Serve takes a connection to a session over, until it ends.
func (s *Server) Serve(w http.ResponseWriter, r *http.Request, session *live.Session) {
	packed, text := wire.SubPacked, wire.SubJSON
	near := session.Layout().HasNear()
	if near {
		packed, text = wire.SubPackedNear, wire.SubJSONNear
	}
	options := &websocket.AcceptOptions{Subprotocols: []string{packed, text}, OriginPatterns: s.Origins}
	if !strings.Contains(r.Header.Get("Sec-WebSocket-Protocol"), packed) { // bits do not become fewer
		options.CompressionMode, options.CompressionThreshold = websocket.CompressionNoContextTakeover, packsFrom
	}
	conn, err := websocket.Accept(w, r, options)
	if err != nil {
		return // Accept has answered
	}
	defer func() { _ = conn.CloseNow() }()
	conn.SetReadLimit(wire.MaxMessage)
	as := share.JSON
	if conn.Subprotocol() == packed {
		as = share.Packed
	}
	if near && conn.Subprotocol() == "" {
		s.turnAway(conn, session, away(wire.CodeLayout, "invalid", "This plan has scenes with near: connect with the sub-protocol "+
			text+" or "+packed+", and take in the part near of each frame."))
		return
	}
	line, who, err := s.greet(r, conn, session, as)
	if err != nil {
		s.turnAway(conn, session, err)
		return
	}
	c := &connection{Server: s, conn: conn, session: session, line: line, who: who,
		silence: time.AfterFunc(silentFor, func() { line.End(wire.CodeSilent, "Nothing was heard of this machine.") })}
	if !who.Until.IsZero() {
		c.runsOut = time.AfterFunc(time.Until(who.Until),
			func() { line.End(wire.CodeToken, "The token has run out; come in again with a new one.") })
		defer c.runsOut.Stop()
	}
	line.OnAllow(conn.SetReadLimit)
	line.OnEnd(func() { time.AfterFunc(closeWithin, func() { _ = conn.CloseNow() }) })
	written := make(chan struct{})
	go func() { defer close(written); c.write() }()
	c.read()
	c.silence.Stop()
	s.Live.Detach(session, line)
	_, code, _ := line.Last()
	s.Meter.Closed(strconv.Itoa(code))
	<-written
}

// turnedAway is why a machine is not let in.
type turnedAway struct {
	code int
	said wire.Said
}

func (t *turnedAway) Error() string { return t.said.Why }

func away(code int, kind, why string) error {
	return &turnedAway{code, wire.Said{Is: "refused", Kind: kind, Why: why}}
}

// greet reads the hello and gives the machine its line, and who it is.
func (s *Server) greet(r *http.Request, conn *websocket.Conn, session *live.Session, as share.Codec) (*live.Line,
	auth.Who, error) {
	var nobody auth.Who
	late := time.AfterFunc(helloWithin, func() { // reading with a deadline would end the connection without a word
		tell(conn, &turnedAway{wire.CodeBad, wire.Said{Is: "refused", Kind: "invalid",
			Why: fmt.Sprintf("No hello came within %d seconds.", int(helloWithin.Seconds()))}})
	})
	_, raw, err := conn.Read(r.Context())
	if !late.Stop() || err != nil {
		return nil, nobody, away(wire.CodeBad, "invalid", "A hello was expected.")
	}
	hello, err := wire.ReadHello(raw)
	if err != nil {
		return nil, nobody, away(wire.CodeBad, "invalid", err.Error())
	}
	who, err := s.Allow(hello.Token)
	if err != nil {
		return nil, nobody, away(wire.CodeToken, "forbidden", err.Error()+".")
	}
	if err := admit(who, session.Game, &hello); err != nil {
		return nil, nobody, err
	}
	if plan := session.Layout().Plan; hello.Plan != "" && hello.Plan != plan || hello.Plan == "" && as == share.Packed {
		return nil, nobody, &turnedAway{wire.CodeLayout, wire.Said{Is: "fetch", Plan: plan,
			Layout: "/v1/games/" + session.Game + "/sessions/" + session.Name + "/layout",
			Why:    "The session runs a plan with another layout: fetch it, and say hello again."}}
	}
	ctx, cancel := context.WithTimeout(r.Context(), 20*time.Second)
	defer cancel()
	var line *live.Line
	var welcome wire.Welcome
	if hello.Server != "" {
		line, welcome, err = session.AttachServer(ctx, hello.Server, r.RemoteAddr)
	} else {
		line, welcome, err = s.Live.Attach(ctx, session, hello, r.RemoteAddr, as)
	}
	if err != nil {
		return nil, nobody, err
	}
	raw, err = json.Marshal(welcome)
	if err != nil {
		panic(err) // plain data
	}
	line.Greet(raw)
	return line, who, nil
}

// admit holds what a hello says against who says it. A token for a player is for that player, whatever the hello says.
func admit(who auth.Who, game string, hello *wire.Hello) error {
	if who.Role == auth.Player && hello.Player == "" && hello.Server == "" {
		hello.Player = who.Player
	}
	switch {
	case (hello.Player == "") == (hello.Server == ""):
		return away(wire.CodeBad, "invalid", "A hello names a player, or one of the game's servers.")
	case hello.Server != "" && !who.MayGame(game), hello.Player != "" && !who.MayPlayer(game, hello.Player):
		return away(wire.CodeToken, "forbidden", "The token is not for this.")
	case len(hello.Server) > 64 || strings.ContainsFunc(hello.Server, unicode.IsControl):
		return away(wire.CodeBad, "invalid", "A server's name has at most 64 bytes, and no control characters.")
	}
	return nil
}

// turnAway tells a machine why it is not let in.
func (s *Server) turnAway(conn *websocket.Conn, session *live.Session, err error) {
	t := &turnedAway{wire.CodeRefused, wire.Said{Is: "refused", Kind: "failed", Why: err.Error()}}
	var refusal *engine.Refusal
	switch {
	case errors.As(err, &t):
	case errors.As(err, &refusal):
		t.said.Kind, t.said.Why, t.said.Key, t.said.Rule, t.said.Line = refusal.Kind, refusal.Reason, refusal.Key,
			refusal.Rule, refusal.Line
	}
	s.logTurned(session, t.said.Why)
	s.Meter.Closed(strconv.Itoa(t.code))
	tell(conn, t)
}

// tell says why a machine is not let in, and ends the connection.
func tell(conn *websocket.Conn, t *turnedAway) {
	raw, err := json.Marshal(t.said)
	if err != nil {
		panic(err) // plain data
	}
	ctx, cancel := context.WithTimeout(context.Background(), closeWithin)
	defer cancel()
	_ = conn.Write(ctx, websocket.MessageText, raw)
	_ = conn.Close(websocket.StatusCode(t.code), brief(t.said.Why))
}

// brief is a reason as a close frame takes it: at most 123 bytes (RFC 6455, section 5.5).
func brief(why string) string {
	for i := range why {
		if i > 118 {
			return why[:i] + "…"
		}
	}
	return why
}

// connection is one machine's, once it is let in.
type connection struct {
	*Server
	conn    *websocket.Conn
	session *live.Session
	line    *live.Line
	who     auth.Who
	silence *time.Timer
	runsOut *time.Timer // when its token does; nil where none is asked for
}

// read takes messages in until the connection ends.
func (c *connection) read() {
	limit := rate.NewLimiter(perSecond, atOnce)
	buffer := make([]byte, 0, 512)
	for {
		kind, r, err := c.conn.Reader(context.Background())
		if err != nil {
			return
		}
		if buffer, err = readInto(buffer[:0], r); err != nil {
			return
		}
		c.silence.Reset(silentFor)
		c.line.Received(len(buffer))
		c.Meter.Received(len(buffer))
		if err := limit.Wait(context.Background()); err != nil {
			return
		}
		if c.line.Slowed() {
			time.Sleep(slowedBy)
		}
		c.take(kind, buffer)
	}
}

// readInto reads all that a message has to the end of a buffer.
func readInto(into []byte, r io.Reader) ([]byte, error) {
	for {
		if len(into) == cap(into) {
			into = append(into, 0)[:len(into)]
		}
		n, err := r.Read(into[len(into):cap(into)])
		into = into[:len(into)+n]
		if err == io.EOF {
			return into, nil
		}
		if err != nil {
			return into, err
		}
	}
}

// take does what a message asks for.
func (c *connection) take(kind websocket.MessageType, raw []byte) {
	if kind == websocket.MessageBinary {
		move, scene, err := wire.UnpackMove(c.session.Layout(), raw)
		if err != nil || c.line.Server != "" {
			c.session.Refuse(c.line, "bytes", 0, engine.Invalid, "These bytes are no packed move.")
			return
		}
		c.Live.AskMove(c.session, c.line, move, scene)
		return
	}
	ask, err := wire.ReadAsk(raw)
	var fault *wire.Fault
	if errors.As(err, &fault) {
		c.session.Fault(c.line, fault)
		return
	}
	if !mayAsk(ask.Is, c.line.Server != "") {
		c.session.Refuse(c.line, ask.Is, ask.Number, engine.Unknown,
			"There is no message called "+strconv.Quote(ask.Is)+" here.")
		return
	}
	if ask.Is == "token" {
		c.renew(ask)
		return
	}
	c.Live.Ask(c.session, c.line, ask)
}

// renew takes a new token of the same player, or server, in place of the one that runs out.
func (c *connection) renew(ask wire.Ask) {
	who, err := c.Allow(ask.Token)
	switch {
	case err != nil:
		c.session.Refuse(c.line, ask.Is, ask.Number, engine.Forbidden, err.Error()+".")
		return
	case !who.Same(c.who):
		c.session.Refuse(c.line, ask.Is, ask.Number, engine.Forbidden,
			"The token is not for whom this machine came in with.")
		return
	case c.runsOut != nil:
		c.runsOut.Reset(time.Until(who.Until))
	}
	c.session.Answer(c.line, ask.Number)
}

// mayAsk says which messages there are: of players, and of the game's servers.
func mayAsk(is string, server bool) bool {
	switch is {
	case "event", "write", "ping", "token":
		return true
	case "correct", "die":
		return server
	case "move", "pass", "touch", "start-over", "leave", "belief", "believed", "whole":
		return !server
	}
	return false
}

// write sends what the session has for the machine until the line ends.
func (c *connection) write() {
	ctx := context.Background()
	for {
		messages, frame, ok := c.line.Next()
		if !ok {
			break
		}
		n, bytes := 0, 0
		for _, m := range messages {
			if c.conn.Write(ctx, websocket.MessageText, m) != nil {
				break
			}
			n, bytes = n+1, bytes+len(m)
		}
		if frame != nil {
			kind := websocket.MessageText
			if c.line.As == share.Packed {
				kind = websocket.MessageBinary
			}
			if c.conn.Write(ctx, kind, frame) == nil {
				n, bytes = n+1, bytes+len(frame)
			}
		}
		c.line.Sent(n, bytes, frame != nil)
		c.Meter.Sent(n, bytes)
	}
	messages, code, why := c.line.Last()
	for _, m := range messages {
		if c.conn.Write(ctx, websocket.MessageText, m) != nil {
			break
		}
	}
	_ = c.conn.Close(websocket.StatusCode(code), brief(why))
}
