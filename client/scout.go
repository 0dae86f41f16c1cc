package client

import (
	"context"
	"net/http"

	"alluvion.dev/contract"
)

// StartScout begins to search what could happen under a game's plan.
func (c *Client) StartScout(ctx context.Context, game string, in contract.ScoutStart) (contract.ScoutInfo, error) {
	var out contract.ScoutInfo
	_, err := c.send(ctx, http.MethodPost, gamePath(game)+"/scout", "", in, &out)
	return out, err
}

// Scout says how far the search of a game's plan is, and what was found.
func (c *Client) Scout(ctx context.Context, game string) (contract.ScoutInfo, error) {
	return get[contract.ScoutInfo](ctx, c, gamePath(game)+"/scout")
}

// StopScout stops it; what was found stays.
func (c *Client) StopScout(ctx context.Context, game string) (contract.ScoutInfo, error) {
	var out contract.ScoutInfo
	_, err := c.do(ctx, http.MethodPost, gamePath(game)+"/scout/stop", nil, nil, &out)
	return out, err
}
