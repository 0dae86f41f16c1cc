package client

import (
	"bufio"
	"bytes"
	"context"
	"net/http"
)

// events reads what the service sends again and again (Server-Sent Events), and gives each one's data, until it ends.
func (c *Client) events(ctx context.Context, path string, told func(data []byte) error) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.base+path, nil)
	if err != nil {
		return err
	}
	c.sign(req)
	res, err := (&http.Client{Transport: c.http.Transport}).Do(req) // it may take as long as it takes
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	lines := bufio.NewScanner(res.Body)
	lines.Buffer(nil, 64<<20)
	if res.StatusCode >= http.StatusBadRequest {
		lines.Scan()
		return problemOf(res, lines.Bytes())
	}
	for lines.Scan() {
		if data, ok := bytes.CutPrefix(lines.Bytes(), []byte("data: ")); ok && string(data) != "{}" { // which only says that it is over
			if err := told(data); err != nil {
				return err
			}
		}
	}
	return lines.Err()
}
