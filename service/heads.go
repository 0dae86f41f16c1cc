package service

import (
	"bytes"
	"context"
	"net"
	"net/http"
	"strconv"
	"sync"
	"sync/atomic"
)

// heads looks at the heads of the requests that come in over a connection. A request that has both a length and a
// transfer encoding is one thing to a proxy and another to its service (RFC 9112, section 6.1): the library that reads
// requests drops the length without a word, so that it has to be seen before.
type heads struct {
	net.Conn
	head    []byte // what has come of a request's head
	body    int64  // how much is still to come of its body
	through bool   // nothing more is looked at: the connection ends after this request, or is none of requests any more
	double  atomic.Bool
}

// Read hands on what comes in, and looks at it.
func (h *heads) Read(into []byte) (int, error) {
	n, err := h.Conn.Read(into)
	for in := into[:n]; len(in) > 0 && !h.through; {
		if h.body > 0 {
			skip := min(h.body, int64(len(in)))
			h.body, in = h.body-skip, in[skip:]
			continue
		}
		h.head, in = append(h.head, in...), nil
		if end := bytes.Index(h.head, []byte("\r\n\r\n")); end >= 0 {
			in = bytes.Clone(h.head[end+4:])
			h.look(h.head[:end])
			h.head = h.head[:0]
		} else if len(h.head) > 2*maxHead { // it is refused in any case
			h.through = true
		}
	}
	return n, err
}

// look reads the lines of a head that say how long the body is.
func (h *heads) look(head []byte) {
	length, encoded := false, false
	for _, line := range bytes.Split(head, []byte("\r\n")) {
		name, value, _ := bytes.Cut(line, []byte(":"))
		switch string(bytes.ToLower(bytes.TrimSpace(name))) {
		case "content-length":
			length = true
			h.body, _ = strconv.ParseInt(string(bytes.TrimSpace(value)), 10, 64) // what is no number is refused in any case
		case "transfer-encoding":
			encoded = true
		case "upgrade":
			h.through = true
		}
	}
	h.through = h.through || encoded
	if length && encoded {
		h.double.Store(true)
	}
}

// maxHead is how long a request's head may be.
const maxHead = 32 << 10

// watchedListener gives connections that look at heads, and knows those on which nothing was asked yet.
type watchedListener struct {
	net.Listener
	mu  sync.Mutex
	new map[net.Conn]bool
}

// Accept waits for the next connection.
func (l *watchedListener) Accept() (net.Conn, error) {
	c, err := l.Listener.Accept()
	if err != nil {
		return nil, err
	}
	return &heads{Conn: c}, nil
}

// changed notes the state of a connection.
func (l *watchedListener) changed(c net.Conn, state http.ConnState) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if state == http.StateNew {
		l.new[c] = true
	} else {
		delete(l.new, c)
	}
}

// hangUp ends the connections on which nothing was asked: nobody waits for an answer there.
func (l *watchedListener) hangUp() {
	l.mu.Lock()
	defer l.mu.Unlock()
	for c := range l.new {
		_ = c.Close()
	}
}

type headsKey struct{}

// withHeads makes the connection of a request known to its handler.
func withHeads(ctx context.Context, c net.Conn) context.Context {
	return context.WithValue(ctx, headsKey{}, c)
}

// oneLength refuses requests that say in two ways how long they are. After a request with a transfer encoding the
// connection ends in any case, so that nothing behind it is taken for another.
func oneLength(next http.Handler, refuse func(http.ResponseWriter)) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if len(r.TransferEncoding) > 0 { // a request before it may have been read ahead of, and is answered
			w.Header().Set("Connection", "close")
			if h, ok := r.Context().Value(headsKey{}).(*heads); ok && h.double.Load() {
				refuse(w)
				return
			}
		}
		next.ServeHTTP(w, r)
	})
}
