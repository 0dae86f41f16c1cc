package service

import (
	"io"
	"net"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A connection on which nothing was asked is hung up at a stop, and one whose request goes on is not.
func TestConnectionsThatAskNothingAreHungUp(t *testing.T) {
	t.Parallel()
	inner, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	l := &watchedListener{Listener: inner, new: map[net.Conn]bool{}}
	inside, answer := make(chan struct{}), make(chan struct{})
	server := &http.Server{ConnState: l.changed, Handler: http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		close(inside)
		<-answer
		_, _ = io.WriteString(w, "answered")
	})}
	go func() { _ = server.Serve(l) }()
	defer func() { _ = server.Close() }()
	quiet, err := net.Dial("tcp", inner.Addr().String())
	require.NoError(t, err)
	defer func() { _ = quiet.Close() }()
	got := make(chan string)
	go func() {
		res, err := http.Get("http://" + inner.Addr().String())
		assert.NoError(t, err)
		text, _ := io.ReadAll(res.Body)
		_ = res.Body.Close()
		got <- string(text)
	}()
	<-inside
	l.hangUp()
	_, err = quiet.Read(make([]byte, 1))
	assert.ErrorIs(t, err, io.EOF)
	close(answer)
	assert.Equal(t, "answered", <-got)
}
