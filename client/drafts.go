package client

import (
	"alluvion.dev/contract"
	"context"
	"net/http"
	"net/url"
)

// Edit changes a plan's text by just what is asked; the text is not kept.
func (c *Client) Edit(ctx context.Context, text []byte, edits ...contract.PlanEdit) (contract.EditedText, error) {
	return posted[contract.EditedText](ctx, c, "/v1/edits", contract.EditWish{Text: string(text), Edits: edits})
}

// Outline is a plan's text as forms show it, with its rules in sentences; the text is not kept.
func (c *Client) Outline(ctx context.Context, text []byte) (contract.Outline, error) {
	var out contract.Outline
	_, err := c.do(ctx, http.MethodPost, "/v1/outline", http.Header{"Content-Type": {"application/yaml"}}, text, &out)
	return out, err
}

// Starts are small games that a new one can begin with.
func (c *Client) Starts(ctx context.Context) ([]contract.Start, error) {
	return get[[]contract.Start](ctx, c, "/v1/starts")
}

// DryRun plays steps on a game's plan, or on another text, and keeps nothing.
func (c *Client) DryRun(ctx context.Context, game string, wish contract.DryRunWish) (contract.DryRunView, error) {
	return posted[contract.DryRunView](ctx, c, "/v1/games/"+url.PathEscape(game)+"/dry-run", wish)
}

// Rehearsals lists those that are kept with a game.
func (c *Client) Rehearsals(ctx context.Context, game string) ([]contract.RehearsalInfo, error) {
	return get[[]contract.RehearsalInfo](ctx, c, "/v1/games/"+url.PathEscape(game)+"/rehearsals")
}

// PutRehearsal keeps a rehearsal with a game, in place of one of its name.
func (c *Client) PutRehearsal(ctx context.Context, game, name string, text []byte) error {
	_, err := c.do(ctx, http.MethodPut, "/v1/games/"+url.PathEscape(game)+"/rehearsals/"+url.PathEscape(name),
		http.Header{"Content-Type": {"application/yaml"}}, text, nil)
	return err
}

// RunRehearsal plays a rehearsal on the game's plan, or on another text.
func (c *Client) RunRehearsal(ctx context.Context, game, name, plan string) (contract.RehearsalResult, error) {
	return posted[contract.RehearsalResult](ctx, c,
		"/v1/games/"+url.PathEscape(game)+"/rehearsals/"+url.PathEscape(name)+"/run", map[string]string{"plan": plan})
}

// Milestones tells who has earned what, and how far the others are.
func (c *Client) Milestones(ctx context.Context, game string) (contract.Milestones, error) {
	return get[contract.Milestones](ctx, c, "/v1/games/"+url.PathEscape(game)+"/milestones")
}

// DropRehearsal deletes a rehearsal.
func (c *Client) DropRehearsal(ctx context.Context, game, name string) error {
	_, err := c.do(ctx, http.MethodDelete, "/v1/games/"+url.PathEscape(game)+"/rehearsals/"+url.PathEscape(name), nil,
		nil, nil)
	return err
}

// posted sends JSON and reads the answer.
func posted[T any](ctx context.Context, c *Client, path string, what any) (T, error) {
	var out T
	_, err := c.send(ctx, http.MethodPost, path, "", what, &out)
	return out, err
}
