package service_test

import (
	"bufio"
	"io"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// raw sends bytes as they are, in the pieces that they are given in, and gives the statuses of all answers.
func (h *house) raw(pieces ...string) []int {
	c, err := net.Dial("tcp", strings.TrimPrefix(h.s.URL(), "http://"))
	require.NoError(h.t, err)
	defer func() { _ = c.Close() }()
	go func() {
		for _, p := range pieces {
			if _, err := io.WriteString(c, p); err != nil {
				return
			}
			time.Sleep(5 * time.Millisecond)
		}
	}()
	_ = c.SetReadDeadline(time.Now().Add(2 * time.Second))
	var out []int
	for in := bufio.NewReader(c); ; {
		res, err := http.ReadResponse(in, nil)
		if err != nil {
			return out
		}
		_, _ = io.Copy(io.Discard, res.Body)
		if out = append(out, res.StatusCode); res.Close {
			return out
		}
	}
}

// A request is as long as one of two things says; what comes behind it is never taken for another request.
func TestARequestHasOneLength(t *testing.T) {
	t.Parallel()
	h := start(t)
	const get, post = "GET /healthz HTTP/1.1\r\nHost: x\r\n", "POST /v1/check HTTP/1.1\r\nHost: x\r\nContent-Type: application/yaml\r\n"
	host := func(text string) string {
		return strings.ReplaceAll(text, "Host: x", "Host: "+strings.TrimPrefix(h.s.URL(), "http://"))
	}
	for name, row := range map[string]struct {
		pieces []string
		want   []int
	}{
		"two requests":               {[]string{get + "\r\n", get + "Connection: close\r\n\r\n"}, []int{200, 200}},
		"two in one piece":           {[]string{get + "\r\n" + get + "Connection: close\r\n\r\n"}, []int{200, 200}},
		"a body, then another":       {[]string{post + "Content-Length: 3\r\n\r\n", "a: ", get + "Connection: close\r\n\r\n"}, []int{200, 200}},
		"pieces":                     {[]string{post + "Transfer-Encoding: chunked\r\n\r\n2\r\na:\r\n0\r\n\r\n" + get + "\r\n"}, []int{200}},
		"both":                       {[]string{post + "Content-Length: 4\r\nTransfer-Encoding: chunked\r\n\r\n2\r\na:\r\n0\r\n\r\n" + get + "\r\n"}, []int{400}},
		"both, the other way":        {[]string{post + "transfer-encoding : chunked\r\nTransfer-Encoding: chunked\r\n", "content-LENGTH: 4\r\n", "\r\n2\r\na:\r\n0\r\n\r\n"}, []int{400}},
		"both, in the second":        {[]string{get + "\r\n", post + "Content-Length: 4\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n"}, []int{200, 400}},
		"pieces that are none":       {[]string{post + "Transfer-Encoding: chunked\r\n\r\nzz\r\na: 1\r\n0\r\n\r\n"}, []int{400}},
		"a length that is no number": {[]string{post + "Content-Length: x\r\n\r\n"}, []int{400}},
	} {
		for i := range row.pieces {
			row.pieces[i] = host(row.pieces[i])
		}
		assert.Equal(t, row.want, h.raw(row.pieces...), name)
	}
}
