// Package client talks to a running service over HTTP. The command line and the tests use it.
package client

import (
	"bytes"
	"context"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/contract"
	"alluvion.dev/core/matrix"
)

// Client is a connection to one service. It is safe for use by several goroutines.
type Client struct {
	base  string
	http  *http.Client
	token string
	// place is how far the nodes of a service had come when they last answered a write of this client: whichever is
	// asked next has come as far, and finds what was written.
	place *atomic.Uint64
}

// placeHeader is in which header nodes say how far they have come, and are told how far they have to be.
const placeHeader = "Alluvion-Place"

// New talks to the service at an address such as http://127.0.0.1:8230.
func New(address string) *Client {
	return &Client{base: strings.TrimRight(address, "/"), http: &http.Client{Timeout: 30 * time.Second}, place: &atomic.Uint64{}}
}

// As is a client that sends a token with all that it asks for.
func (c *Client) As(token string) *Client {
	out := *c
	out.token = token
	return &out
}

// Trusting is a client that takes a service's certificate if one of these has signed it.
func (c *Client) Trusting(roots *x509.CertPool) *Client {
	out := *c
	out.http = &http.Client{Timeout: c.http.Timeout,
		Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: roots, MinVersion: tls.VersionTLS12}}}
	return &out
}

// sign says who asks.
func (c *Client) sign(req *http.Request) {
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
}

// Problem is what the service said was wrong; use errors.As to get at it.
type Problem = contract.Problem

// Health asks whether the service runs.
func (c *Client) Health(ctx context.Context) (contract.Health, error) {
	return get[contract.Health](ctx, c, "/healthz")
}

// Games lists all games.
func (c *Client) Games(ctx context.Context) ([]contract.GameInfo, error) {
	return get[[]contract.GameInfo](ctx, c, "/v1/games")
}

// Sessions lists the open sessions of a game.
func (c *Client) Sessions(ctx context.Context, game string) ([]contract.SessionInfo, error) {
	return get[[]contract.SessionInfo](ctx, c, "/v1/games/"+url.PathEscape(game)+"/sessions")
}

// PutPlan makes a text the game's plan. etag is that of the text that it replaces, "" for a new game;
// the new one's is given.
func (c *Client) PutPlan(ctx context.Context, game string, text []byte, etag string) (string, contract.Report, error) {
	header := http.Header{"Content-Type": {"application/yaml"}}
	if etag != "" {
		header.Set("If-Match", etag)
	}
	var report contract.Report
	res, err := c.do(ctx, http.MethodPut, "/v1/games/"+url.PathEscape(game)+"/plan", header, text, &report)
	if err != nil {
		return "", report, err
	}
	return res.Get("ETag"), report, nil
}

// Plan gives the game's plan as it was written, with its entity tag.
func (c *Client) Plan(ctx context.Context, game string) (text []byte, etag string, err error) {
	res, err := c.do(ctx, http.MethodGet, "/v1/games/"+url.PathEscape(game)+"/plan", nil, nil, &text)
	if err != nil {
		return nil, "", err
	}
	return text, res.Get("ETag"), nil
}

// SetFate writes one fate into the plan's text: keep, reset, rewind, or default for what the defaults say.
func (c *Client) SetFate(ctx context.Context, game, variable, crossing, fate, etag string) (string, contract.Report,
	error) {
	raw, err := json.Marshal(contract.FateChange{Fate: fate})
	if err != nil {
		return "", contract.Report{}, err
	}
	var report contract.Report
	path := "/v1/games/" + url.PathEscape(game) + "/fates/" + url.PathEscape(variable) + "/" + url.PathEscape(crossing)
	res, err := c.do(ctx, http.MethodPut, path, http.Header{"Content-Type": {"application/json"}, "If-Match": {etag}},
		raw, &report)
	if err != nil {
		return "", report, err
	}
	return res.Get("ETag"), report, nil
}

// Matrix says what survives what.
func (c *Client) Matrix(ctx context.Context, game string) (matrix.Matrix, error) {
	return get[matrix.Matrix](ctx, c, "/v1/games/"+url.PathEscape(game)+"/matrix")
}

// Findings is what the checks say of a game's plan.
func (c *Client) Findings(ctx context.Context, game string) (contract.Report, error) {
	return get[contract.Report](ctx, c, "/v1/games/"+url.PathEscape(game)+"/findings")
}

// Check checks a text without keeping it.
func (c *Client) Check(ctx context.Context, text []byte) (contract.Report, error) {
	var report contract.Report
	_, err := c.do(ctx, http.MethodPost, "/v1/check", http.Header{"Content-Type": {"application/yaml"}}, text, &report)
	return report, err
}

// Session is one session of a game.
type Session struct {
	c    *Client
	path string
	game string
}

// Session is a session that is open already, or is asked about whether it is.
func (c *Client) Session(game, name string) *Session {
	return &Session{c, "/v1/games/" + url.PathEscape(game) + "/sessions/" + url.PathEscape(name), game}
}

// Open opens a session; one that is open stays as it is.
func (c *Client) Open(ctx context.Context, game, name string) (*Session, error) {
	s := c.Session(game, name)
	_, err := c.do(ctx, http.MethodPut, s.path, nil, nil, nil)
	return s, err
}

// MoveTo has another node run the session, where several make one service: everybody in it is saved, and comes back.
func (s *Session) MoveTo(ctx context.Context, node string) error {
	raw, err := json.Marshal(contract.MoveTo{Node: node})
	if err != nil {
		return err
	}
	_, err = s.c.do(ctx, http.MethodPut, s.path+"/node", http.Header{"Content-Type": {"application/json"}}, raw, nil)
	return err
}

// Nodes are those that make the service; none where it is alone.
func (c *Client) Nodes(ctx context.Context) (contract.Nodes, error) {
	return get[contract.Nodes](ctx, c, "/v1/nodes")
}

// Do asks something of the session.
func (s *Session) Do(ctx context.Context, r contract.Request) (contract.Answer, error) {
	raw, err := json.Marshal(r)
	if err != nil {
		return contract.Answer{}, err
	}
	var a contract.Answer
	_, err = s.c.do(ctx, http.MethodPost, s.path+"/requests", http.Header{"Content-Type": {"application/json"}}, raw,
		&a)
	return a, err
}

// State reads the session.
func (s *Session) State(ctx context.Context) (contract.SessionState, error) {
	return get[contract.SessionState](ctx, s.c, s.path)
}

// Changes lists the newest changes, newest first; of one player and one value, or ("") of any.
func (s *Session) Changes(ctx context.Context, player, name string) ([]contract.Step, error) {
	q := url.Values{"player": {player}, "name": {name}}
	return get[[]contract.Step](ctx, s.c, s.path+"/changes?"+q.Encode())
}

// Compare says what becomes of a game's saves under another text of its plan.
func (c *Client) Compare(ctx context.Context, game string, text []byte) (contract.BothWays, error) {
	var out contract.BothWays
	_, err := c.do(ctx, http.MethodPost, "/v1/games/"+url.PathEscape(game)+"/compare",
		http.Header{"Content-Type": {"application/yaml"}}, text, &out)
	return out, err
}

// PutCommons makes a text the commons of its id. ifMatch is the entity tag of the text that it replaces, "" where
// there is none.
func (c *Client) PutCommons(ctx context.Context, id string, text []byte, ifMatch string) (etag string, err error) {
	header := http.Header{"Content-Type": {"application/yaml"}}
	if ifMatch != "" {
		header.Set("If-Match", `"`+ifMatch+`"`)
	}
	res, err := c.do(ctx, http.MethodPut, "/v1/commons/"+url.PathEscape(id), header, text, nil)
	return strings.Trim(res.Get("ETag"), `"`), err
}

// Commons gives a commons as it was written, with its entity tag.
func (c *Client) Commons(ctx context.Context, id string) (text []byte, etag string, err error) {
	res, err := c.do(ctx, http.MethodGet, "/v1/commons/"+url.PathEscape(id), nil, nil, &text)
	return text, strings.Trim(res.Get("ETag"), `"`), err
}

// AllCommons lists the commons.
func (c *Client) AllCommons(ctx context.Context) ([]contract.CommonsInfo, error) {
	return get[[]contract.CommonsInfo](ctx, c, "/v1/commons")
}

// History lists the newest changes of a session, open or not.
func (c *Client) History(ctx context.Context, game, session, player, name string, most int) ([]contract.Step, error) {
	q := url.Values{"player": {player}, "name": {name}, "most": {strconv.Itoa(most)}}
	return get[[]contract.Step](ctx, c,
		"/v1/games/"+url.PathEscape(game)+"/sessions/"+url.PathEscape(session)+"/changes?"+q.Encode())
}

// DeleteGame deletes a game with everything that is held of it. All its sessions have to be closed.
func (c *Client) DeleteGame(ctx context.Context, game string) (contract.Ended, error) {
	var out contract.Ended
	path := "/v1/games/" + url.PathEscape(game) + "?" + url.Values{"name": {game}}.Encode()
	_, err := c.do(ctx, http.MethodDelete, path, nil, nil, &out)
	return out, err
}

// EndSession deletes what is held of a session that is closed: its world and its journal.
func (c *Client) EndSession(ctx context.Context, game, session string) (contract.Ended, error) {
	var out contract.Ended
	path := "/v1/games/" + url.PathEscape(game) + "/sessions/" + url.PathEscape(session) + "/world?" +
		url.Values{"name": {session}}.Encode()
	_, err := c.do(ctx, http.MethodDelete, path, nil, nil, &out)
	return out, err
}

// Standings lists a game's standings.
func (c *Client) Standings(ctx context.Context, game string) ([]contract.StandingInfo, error) {
	return get[[]contract.StandingInfo](ctx, c, "/v1/games/"+url.PathEscape(game)+"/standings")
}

// StandingOfOptions gives the first places of a standing of options, in the world of a session; of none, in the one that
// was saved last.
func (c *Client) StandingOfOptions(ctx context.Context, game, standing, session string) (contract.StandingPart, error) {
	q := url.Values{}
	if session != "" {
		q.Set("session", session)
	}
	return get[contract.StandingPart](ctx, c,
		"/v1/games/"+url.PathEscape(game)+"/standings/"+url.PathEscape(standing)+"?"+q.Encode())
}

// Standing gives the first places of a standing, or those around a player.
func (c *Client) Standing(ctx context.Context, game, standing, around string, most int) (contract.StandingPart, error) {
	q := url.Values{"around": {around}, "most": {strconv.Itoa(most)}}
	return get[contract.StandingPart](ctx, c,
		"/v1/games/"+url.PathEscape(game)+"/standings/"+url.PathEscape(standing)+"?"+q.Encode())
}

// Close ends all visits, saves everybody, and closes the session.
func (s *Session) Close(ctx context.Context) error {
	_, err := s.c.do(ctx, http.MethodDelete, s.path, nil, nil, nil)
	return err
}

func playerPath(game, player string) string {
	return "/v1/games/" + url.PathEscape(game) + "/players/" + url.PathEscape(player)
}

// Names lists what a game's plan names.
func (c *Client) Names(ctx context.Context, game string) ([]contract.Named, error) {
	return get[[]contract.Named](ctx, c, "/v1/games/"+url.PathEscape(game)+"/names")
}

// Players lists everybody who is present or has something saved.
func (c *Client) Players(ctx context.Context, game string) ([]contract.PlayerInfo, error) {
	return get[[]contract.PlayerInfo](ctx, c, "/v1/games/"+url.PathEscape(game)+"/players")
}

// PlayersLike lists those whose id has a part in it, at most so many, in the order of their ids; 0 means all.
func (c *Client) PlayersLike(ctx context.Context, game, part string, most int) ([]contract.PlayerInfo, error) {
	return get[[]contract.PlayerInfo](ctx, c,
		"/v1/games/"+url.PathEscape(game)+"/players?most="+strconv.Itoa(most)+"&part="+url.QueryEscape(part))
}

// Player reads a player's values: start, live, saved. Slot 0 is the one that they play in now, else 1.
func (c *Client) Player(ctx context.Context, game, player string, slot int) (contract.PlayerView, error) {
	return get[contract.PlayerView](ctx, c, playerPath(game, player)+"?slot="+strconv.Itoa(slot))
}

// Save saves a present player now.
func (c *Client) Save(ctx context.Context, game, player string) (contract.Saved, error) {
	var saved contract.Saved
	_, err := c.do(ctx, http.MethodPost, playerPath(game, player)+"/save", nil, nil, &saved)
	return saved, err
}

// Revisions lists a slot's saves, newest first.
func (c *Client) Revisions(ctx context.Context, game, player string, slot int) ([]contract.RevisionInfo, error) {
	return get[[]contract.RevisionInfo](ctx, c, fmt.Sprintf("%s/slots/%d/revisions", playerPath(game, player), slot))
}

// Revision gives one save's document.
func (c *Client) Revision(ctx context.Context, game, player string, slot, revision int) ([]byte, error) {
	return get[[]byte](ctx, c, fmt.Sprintf("%s/slots/%d/revisions/%d", playerPath(game, player), slot, revision))
}

// TakeUp makes an earlier save the newest once more.
func (c *Client) TakeUp(ctx context.Context, game, player string, slot, revision int) (contract.Saved, error) {
	var saved contract.Saved
	_, err := c.do(ctx, http.MethodPost, fmt.Sprintf("%s/slots/%d/revisions/%d/take-up", playerPath(game, player), slot,
		revision), nil, nil, &saved)
	return saved, err
}

func get[T any](ctx context.Context, c *Client, path string) (T, error) {
	var out T
	_, err := c.do(ctx, http.MethodGet, path, nil, nil, &out)
	return out, err
}

// do sends a request and reads the answer into out: raw into a *[]byte, JSON into anything else.
func (c *Client) do(ctx context.Context, method, path string, header http.Header, body []byte, out any) (http.Header,
	error) {
	req, err := http.NewRequestWithContext(ctx, method, c.base+path, bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	for k, v := range header {
		req.Header[k] = v
	}
	c.sign(req)
	if place := c.place.Load(); place > 0 {
		req.Header.Set(placeHeader, strconv.FormatUint(place, 10))
	}
	res, err := c.http.Do(req)
	if err != nil {
		return nil, err
	}
	defer func() { _ = res.Body.Close() }()
	c.come(res.Header)
	raw, err := io.ReadAll(io.LimitReader(res.Body, 64<<20))
	if err != nil {
		return nil, err
	}
	if res.StatusCode >= 400 {
		return nil, problemOf(res, raw)
	}
	switch out := out.(type) {
	case nil:
		return res.Header, nil
	case *[]byte:
		*out = raw
		return res.Header, nil
	}
	if err := json.Unmarshal(raw, out); err != nil {
		return nil, fmt.Errorf("the service's answer to %s %s cannot be read: %w", method, path, err)
	}
	return res.Header, nil
}

// come notes how far the nodes have come, where they say so.
func (c *Client) come(head http.Header) {
	place, _ := strconv.ParseUint(head.Get(placeHeader), 10, 64)
	for known := c.place.Load(); place > known && !c.place.CompareAndSwap(known, place); {
		known = c.place.Load()
	}
}

func problemOf(res *http.Response, raw []byte) error {
	p := &Problem{}
	if err := json.Unmarshal(raw, p); err != nil || p.Status == 0 {
		p = &Problem{Title: res.Status, Status: res.StatusCode, Detail: strings.TrimSpace(string(raw))}
	}
	return p
}
