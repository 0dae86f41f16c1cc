package client

import (
	"context"
	"fmt"
	"mime"
	"net/http"
	"net/url"
	"strconv"
	"time"

	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/contract"
	"alluvion.dev/core/population"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
)

func gamePath(game string) string { return "/v1/games/" + url.PathEscape(game) }

// send asks with a body of JSON, and reads the answer into out.
func (c *Client) send(ctx context.Context, method, path, ifMatch string, in, out any) (http.Header, error) {
	raw, err := json.Marshal(in)
	if err != nil {
		return nil, err
	}
	header := http.Header{"Content-Type": {"application/json"}}
	if ifMatch != "" {
		header.Set("If-Match", ifMatch)
	}
	return c.do(ctx, method, path, header, raw, out)
}

// Versions says what was published of a game.
func (c *Client) Versions(ctx context.Context, game string) (contract.Versions, error) {
	return get[contract.Versions](ctx, c, gamePath(game)+"/versions")
}

// Version gives a published version's text.
func (c *Client) Version(ctx context.Context, game string, version int) ([]byte, error) {
	return get[[]byte](ctx, c, gamePath(game)+"/versions/"+strconv.Itoa(version))
}

// Playing gives the plan that sessions are opened under: the newest published version, or the plan as it is.
func (c *Client) Playing(ctx context.Context, game string) ([]byte, error) {
	v, err := c.Versions(ctx, game)
	if err != nil {
		return nil, err
	}
	if len(v.Published) > 0 {
		return c.Version(ctx, game, v.Published[0].Version)
	}
	text, _, err := c.Plan(ctx, game)
	return text, err
}

// Publish publishes the game's plan with this entity tag. goOn is why it is published although its trial was not clean.
func (c *Client) Publish(ctx context.Context, game, etag, goOn string) (contract.VersionInfo, error) {
	var out contract.VersionInfo
	_, err := c.send(ctx, http.MethodPost, gamePath(game)+"/versions", etag, contract.Publishing{GoOn: goOn}, &out)
	return out, err
}

// PublishText makes a text the game's plan, in place of the one whose entity tag is etag, and publishes it: both or
// neither.
func (c *Client) PublishText(ctx context.Context, game string, text []byte, etag, goOn string) (contract.VersionInfo,
	error) {
	var out contract.VersionInfo
	_, err := c.send(ctx, http.MethodPost, gamePath(game)+"/versions", etag,
		contract.Publishing{Plan: string(text), GoOn: goOn}, &out)
	return out, err
}

// CompareVersions compares two published versions; to 0 is the plan that is being worked on.
func (c *Client) CompareVersions(ctx context.Context, game string, from, to int) (contract.BothWays, error) {
	return get[contract.BothWays](ctx, c, fmt.Sprintf("%s/compare?from=%d&to=%d", gamePath(game), from, to))
}

// StartTrial takes all saves to the game's plan, without writing any.
func (c *Client) StartTrial(ctx context.Context, game string, in contract.TrialStart) (contract.TrialInfo, error) {
	var out contract.TrialInfo
	_, err := c.send(ctx, http.MethodPost, gamePath(game)+"/trials", "", in, &out)
	return out, err
}

// Trials lists the trials of a game, newest first.
func (c *Client) Trials(ctx context.Context, game string) ([]contract.TrialInfo, error) {
	return get[[]contract.TrialInfo](ctx, c, gamePath(game)+"/trials")
}

func trialPath(game string, id int) string { return fmt.Sprintf("%s/trials/%d", gamePath(game), id) }

// Trial says how far a trial is, and what came of it.
func (c *Client) Trial(ctx context.Context, game string, id int) (contract.TrialInfo, error) {
	return get[contract.TrialInfo](ctx, c, trialPath(game, id))
}

// StopTrial stops a trial; GoOnTrial goes on with it.
func (c *Client) StopTrial(ctx context.Context, game string, id int) (contract.TrialInfo, error) {
	var out contract.TrialInfo
	_, err := c.do(ctx, http.MethodPost, trialPath(game, id)+"/stop", nil, nil, &out)
	return out, err
}

// GoOnTrial goes on with a trial that was stopped.
func (c *Client) GoOnTrial(ctx context.Context, game string, id int) (contract.TrialInfo, error) {
	var out contract.TrialInfo
	_, err := c.do(ctx, http.MethodPost, trialPath(game, id)+"/go-on", nil, nil, &out)
	return out, err
}

// WatchTrial tells how far a trial is as it goes on, and gives what came of it when it has ended.
func (c *Client) WatchTrial(ctx context.Context, game string, id int,
	told func(contract.TrialInfo)) (contract.TrialInfo, error) {
	var last contract.TrialInfo
	err := c.events(ctx, trialPath(game, id)+"/events", func(data []byte) error {
		last = contract.TrialInfo{}
		if err := json.Unmarshal(data, &last); err != nil {
			return err
		}
		told(last)
		return nil
	})
	return last, err
}

// CheckSave says everything that a plan does not take as it is in a save. under is a published version; 0 is the plan
// that is being worked on.
func (c *Client) CheckSave(ctx context.Context, game string, raw []byte, under int) (upgrade.Checked, error) {
	var out upgrade.Checked
	_, err := c.do(ctx, http.MethodPost, gamePath(game)+"/check-save?under="+strconv.Itoa(under),
		http.Header{"Content-Type": {"application/json"}}, raw, &out)
	return out, err
}

// CheckFile is CheckSave for a file that may be in a format of the game's own: its name may say whose it is.
func (c *Client) CheckFile(ctx context.Context, game, name string, raw []byte) (upgrade.Checked, error) {
	var out upgrade.Checked
	_, err := c.do(ctx, http.MethodPost, gamePath(game)+"/check-save?name="+url.QueryEscape(name),
		http.Header{"Content-Type": {"application/octet-stream"}}, raw, &out)
	return out, err
}

// Population says what all saves of a game hold, or those that are picked.
func (c *Client) Population(ctx context.Context, game string, pick contract.PopulationPick) (population.Population, error) {
	q := url.Values{"under": {strconv.Itoa(pick.Under)}, "scene": {pick.Scene}, "checkpoint": {pick.Checkpoint}, "milestone": {pick.Milestone}, "version": {strconv.Itoa(pick.Version)}}
	for name, at := range map[string]time.Time{"after": pick.After, "before": pick.Before} {
		if !at.IsZero() {
			q.Set(name, at.UTC().Format(time.RFC3339))
		}
	}
	return get[population.Population](ctx, c, gamePath(game)+"/population?"+q.Encode())
}

// Differences says how two saves differ, in the words of the game's plan. Either may be missing.
func (c *Client) Differences(ctx context.Context, game string, before, after []byte) ([]save.Otherwise, error) {
	return posted[[]save.Otherwise](ctx, c, gamePath(game)+"/differences",
		map[string]json.RawMessage{"before": before, "after": after})
}

func slotPath(game, player string, slot int) string {
	return fmt.Sprintf("%s/slots/%d", playerPath(game, player), slot)
}

// Download gives a slot's newest save, sealed, and its entity tag.
func (c *Client) Download(ctx context.Context, game, player string, slot int) (raw []byte, etag string, err error) {
	header, err := c.do(ctx, http.MethodGet, slotPath(game, player, slot)+"/save", nil, nil, &raw)
	return raw, header.Get("ETag"), err
}

// Upload puts a save into a slot. etag is that of what is there, "" where the slot is empty; the new one's is given.
func (c *Client) Upload(ctx context.Context, game, player string, slot int, raw []byte, etag, why string,
	unsealed bool) (contract.Edited, string, error) {
	header := http.Header{"Content-Type": {"application/json"}}
	if etag != "" {
		header.Set("If-Match", etag)
	}
	q := url.Values{"why": {why}, "unsealed": {strconv.FormatBool(unsealed)}}
	var out contract.Edited
	res, err := c.do(ctx, http.MethodPut, slotPath(game, player, slot)+"/save?"+q.Encode(), header, raw, &out)
	return out, res.Get("ETag"), err
}

// DownloadAs gives a slot's newest save in a format of the game's own, and what its file is called.
func (c *Client) DownloadAs(ctx context.Context, game, player string, slot int, format string) (raw []byte, name string, err error) {
	header, err := c.do(ctx, http.MethodGet, slotPath(game, player, slot)+"/save?as="+url.QueryEscape(format), nil, nil, &raw)
	if err != nil {
		return nil, "", err
	}
	_, of, err := mime.ParseMediaType(header.Get("Content-Disposition"))
	return raw, of["filename"], err
}

// UploadFile is Upload for a file in a format of the game's own, which has no seal.
func (c *Client) UploadFile(ctx context.Context, game, player string, slot int, name string, raw []byte, etag, why string) (contract.Edited, string, error) {
	header := http.Header{"Content-Type": {"application/octet-stream"}}
	if etag != "" {
		header.Set("If-Match", etag)
	}
	q := url.Values{"why": {why}, "unsealed": {"true"}, "name": {name}}
	var out contract.Edited
	res, err := c.do(ctx, http.MethodPut, slotPath(game, player, slot)+"/save?"+q.Encode(), header, raw, &out)
	return out, res.Get("ETag"), err
}

// HandOver gives the service what a session without a service has kept of a player (docs/offline.md). Where it went is to be
// noted by whoever plays on from it.
func (c *Client) HandOver(ctx context.Context, game, player string, kept []byte) (contract.HandedOver, error) {
	var out contract.HandedOver
	_, err := c.do(ctx, http.MethodPost, playerPath(game, player)+"/offline", http.Header{"Content-Type": {"application/json"}}, kept, &out)
	return out, err
}

// CopySlot copies a slot's newest save into another. etag is that of what is there.
func (c *Client) CopySlot(ctx context.Context, game, player string, slot, to int, etag string) (contract.Edited,
	error) {
	var out contract.Edited
	_, err := c.send(ctx, http.MethodPost, slotPath(game, player, slot)+"/copy", etag, contract.Copying{To: to}, &out)
	return out, err
}

// EmptySlot makes a slot empty; its revisions stay.
func (c *Client) EmptySlot(ctx context.Context, game, player string, slot int) error {
	_, err := c.do(ctx, http.MethodDelete, slotPath(game, player, slot)+"?name="+url.QueryEscape(player), nil, nil, nil)
	return err
}

// Correct puts a value right by hand.
func (c *Client) Correct(ctx context.Context, game, player string, slot int, what contract.Correction,
	etag string) (contract.Edited, error) {
	var out contract.Edited
	_, err := c.send(ctx, http.MethodPost, slotPath(game, player, slot)+"/correct", etag, what, &out)
	return out, err
}

// Reset begins a slot anew.
func (c *Client) Reset(ctx context.Context, game, player string, slot int, why, etag string) (contract.Edited, error) {
	var out contract.Edited
	_, err := c.send(ctx, http.MethodPost, slotPath(game, player, slot)+"/reset", etag, contract.Resetting{Why: why},
		&out)
	return out, err
}

// Export gives everything that is held about a player.
func (c *Client) Export(ctx context.Context, game, player string) (contract.Held, error) {
	return get[contract.Held](ctx, c, playerPath(game, player)+"/export")
}

// Forget deletes everything that is held about a player.
func (c *Client) Forget(ctx context.Context, game, player string, commons bool) (contract.Forgotten, error) {
	var out contract.Forgotten
	q := url.Values{"name": {player}, "commons": {strconv.FormatBool(commons)}}
	_, err := c.do(ctx, http.MethodDelete, playerPath(game, player)+"?"+q.Encode(), nil, nil, &out)
	return out, err
}

// Keys lists the keys that seal what leaves the service; NewKey seals with a new one from now on.
func (c *Client) Keys(ctx context.Context) ([]contract.KeyInfo, error) {
	return get[[]contract.KeyInfo](ctx, c, "/v1/keys")
}

// NewKey seals with a new key from now on.
func (c *Client) NewKey(ctx context.Context) ([]contract.KeyInfo, error) {
	var out []contract.KeyInfo
	_, err := c.do(ctx, http.MethodPost, "/v1/keys", nil, nil, &out)
	return out, err
}
