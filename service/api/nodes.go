package api

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httputil"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/contract"
	"alluvion.dev/service/cluster"
)

// Headers of requests and answers, where several nodes make one service.
const (
	// forwardedBy names the nodes that passed a request on, with commas between. None does it twice.
	forwardedBy = "Alluvion-Forwarded-By"
	// placeHeader is, of an answer to a write, a place in the order of all nodes; whoever sends it with another request
	// is answered by a file that has come at least so far, and finds what they wrote.
	placeHeader = "Alluvion-Place"
)

// catchUpWithin is how long a request waits for the file to come to the place that it names.
const catchUpWithin = 2 * time.Second

// passedOn lets the node answer that can: of a session, and of a player who is in one, that is the node that runs
// it. Everything else any node answers, from its own file.
func (s *Server) passedOn(next http.Handler) http.Handler {
	if s.node == nil {
		return next
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if err := s.reached(r); err != nil {
			w.Header().Set("Retry-After", "1")
			writeProblem(w, problem(http.StatusServiceUnavailable, "behind", "This node is behind",
				"It has not come yet to what was written before this request. Ask again."))
			return
		}
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			err := s.node.Together()
			if err != nil && (strings.HasPrefix(r.URL.Path, "/v1/games/") || strings.HasPrefix(r.URL.Path, "/v1/commons/")) { // it could not be written now
				w.Header().Set("Retry-After", "1")
				s.writeError(w, s.asProblem(err))
				return
			}
			w = &placing{ResponseWriter: w, s: s}
		}
		r = r.WithContext(context.WithValue(r.Context(), headKey{}, r.Header))
		game, session, player := whose(r.URL.Path)
		if game == "" {
			next.ServeHTTP(w, r)
			return
		}
		to, err := s.whoAnswers(r.Context(), game, session, player)
		switch {
		case err != nil:
			s.writeError(w, s.asProblem(err))
		case to == "":
			if err := s.mine(r.Context(), game, session); err != nil {
				s.writeError(w, s.asProblem(err))
				return
			}
			next.ServeHTTP(w, r)
		case slices.Contains(strings.Split(r.Header.Get(forwardedBy), ","), to):
			w.Header().Set("Retry-After", "1")
			writeProblem(w, problem(http.StatusServiceUnavailable, "elsewhere", "Another node runs this session",
				"%s passed this on, and by now %s runs the session. Ask again.", r.Header.Get(forwardedBy), to))
		default:
			s.passOn(w, r, to)
		}
	})
}

// reached waits until this node's file has come to the place that a request names.
func (s *Server) reached(r *http.Request) error {
	place, err := strconv.ParseUint(r.Header.Get(placeHeader), 10, 64)
	if err != nil || place == 0 {
		return nil // it names none
	}
	ctx, cancel := context.WithTimeout(r.Context(), catchUpWithin)
	defer cancel()
	return s.store.Reached(ctx, place)
}

// placing writes into the head of an answer how far the node's file has come when it is given. Where another node
// answers, that one has written it.
type placing struct {
	http.ResponseWriter
	s    *Server
	done bool
}

// Unwrap gives what it stands before (net/http.ResponseController).
func (p *placing) Unwrap() http.ResponseWriter { return p.ResponseWriter }

// WriteHeader writes the head.
func (p *placing) WriteHeader(status int) {
	if !p.done && p.Header().Get(placeHeader) == "" {
		p.Header().Set(placeHeader, strconv.FormatUint(p.s.store.Place(), 10))
	}
	p.done = true
	p.ResponseWriter.WriteHeader(status)
}

// Write writes a part of the answer.
func (p *placing) Write(b []byte) (int, error) {
	if !p.done {
		p.WriteHeader(http.StatusOK)
	}
	return p.ResponseWriter.Write(b)
}

// mine makes sure that this node runs a session, where one does that is not there any more.
func (s *Server) mine(ctx context.Context, game, session string) error {
	if session == "" {
		return nil
	}
	if err := s.node.Together(); err != nil {
		return err
	}
	owner, err := s.store.Owner(ctx, game, session)
	if err != nil || owner.Node == "" {
		return err
	}
	_, _, err = s.live.Open(ctx, game, session)
	return err
}

// whose takes a path apart: /v1/games/GAME/sessions/SESSION… or /v1/games/GAME/players/PLAYER….
func whose(path string) (game, session, player string) {
	parts := strings.Split(strings.TrimPrefix(path, "/v1/games/"), "/")
	if !strings.HasPrefix(path, "/v1/games/") || len(parts) < 3 {
		return "", "", ""
	}
	id, err := url.PathUnescape(parts[2])
	switch {
	case err != nil:
	case parts[1] == "sessions":
		return parts[0], id, ""
	case parts[1] == "players":
		return parts[0], "", id
	}
	return "", "", ""
}

// whoAnswers is the node that runs a session, or that in which a player was last; "" where none does that is there.
func (s *Server) whoAnswers(ctx context.Context, game, session, player string) (node string, err error) {
	if player != "" {
		node, _, err = s.live.At(ctx, game, player)
	} else {
		owner, failed := s.store.Owner(ctx, game, session)
		node, err = owner.Node, failed
	}
	if err != nil || node == "" || node == s.node.Me().Node || !s.node.Alive(node) {
		return "", err
	}
	return node, nil
}

// passOn has another node answer a request, also one that becomes a WebSocket.
func (s *Server) passOn(w http.ResponseWriter, r *http.Request, node string) {
	m, ok := s.node.Peer(node)
	to, err := url.Parse(m.API)
	if !ok || err != nil {
		s.writeError(w, s.asProblem(cluster.ErrApart))
		return
	}
	proxy := &httputil.ReverseProxy{FlushInterval: -1, Rewrite: func(p *httputil.ProxyRequest) {
		p.SetURL(to)
		p.Out.Host = p.In.Host
		p.Out.Header.Del("Accept-Encoding") // it is packed here, where it is
		p.SetXForwarded()
		p.Out.Header.Set(forwardedBy, strings.TrimPrefix(p.In.Header.Get(forwardedBy)+","+s.node.Me().Node, ","))
	}, ErrorHandler: func(w http.ResponseWriter, _ *http.Request, err error) {
		s.log.Debug("a request could not be passed on", "node", node, "error", err)
		w.Header().Set("Retry-After", "1")
		writeProblem(w, problem(http.StatusServiceUnavailable, "unavailable", "Another node does not answer",
			"The node %s runs this session, and does not answer. Ask again: after a while another one runs it.", node))
	}}
	proxy.ServeHTTP(w, r)
}

// headKey is where the head of a request is found that is asked of the others, too.
type headKey struct{}

// sessionsElsewhere are the open sessions of a game that other nodes run, as they say. One that does not answer is
// left out.
func (s *Server) sessionsElsewhere(ctx context.Context, game string) []contract.SessionInfo {
	head, _ := ctx.Value(headKey{}).(http.Header)
	if s.node == nil || head.Get(forwardedBy) != "" {
		return nil
	}
	var out []contract.SessionInfo
	for _, m := range s.node.Peers() {
		if m.Node == s.node.Me().Node {
			continue
		}
		var some []contract.SessionInfo
		if err := s.askNode(ctx, http.MethodGet, m.API+"/v1/games/"+url.PathEscape(game)+"/sessions", head, &some); err != nil && ctx.Err() == nil {
			s.log.Warn("a node did not say which sessions it runs", "node", m.Node, "error", err)
		}
		out = append(out, some...)
	}
	return out
}

// askNode asks another node something, as whoever asks this one. into may be nil. The node has come as far as this one
// before it answers.
func (s *Server) askNode(ctx context.Context, method, address string, head http.Header, into any) error {
	r, err := http.NewRequestWithContext(ctx, method, address, http.NoBody)
	if err != nil {
		return err
	}
	for _, name := range []string{"Authorization", "Cookie"} {
		if v := head.Get(name); v != "" {
			r.Header.Set(name, v)
		}
	}
	r.Header.Set(forwardedBy, s.node.Me().Node)
	r.Header.Set(placeHeader, strconv.FormatUint(s.store.Place(), 10))
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	defer func() { _ = answer.Body.Close() }()
	if answer.StatusCode != http.StatusOK {
		return fmt.Errorf("it answers with the status %d", answer.StatusCode)
	}
	if into == nil {
		return nil
	}
	return json.NewDecoder(answer.Body).Decode(into)
}

func (s *Server) nodes(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "list-nodes", Method: http.MethodGet, Path: "/v1/nodes",
		Summary: "The nodes of this service, and the sessions that each runs", Tags: []string{"service"},
		Description: "Of one that is alone, none."}, s.listNodes)
	huma.Register(api, huma.Operation{OperationID: "move-session", Method: http.MethodPut, Path: "/v1/games/{game}/sessions/{session}/node",
		Summary: "Have another node run a session", Tags: []string{"sessions"}, Errors: []int{404, 409, 503},
		Description: "Everybody in it is saved, and it goes on at that node. Machines are disconnected, and come back by themselves."}, s.moveSession)
}

type moveInput struct {
	SessionPath
	Body contract.MoveTo
}

// moveSession closes a session that this node runs, and has another one open it.
func (s *Server) moveSession(ctx context.Context, in *moveInput) (*body[contract.MoveTo], error) {
	session, err := s.live.Session(in.Game, in.Session)
	if err != nil {
		return nil, s.asProblem(err)
	}
	if s.node == nil {
		return nil, problem(http.StatusConflict, "alone", "This service is alone", "There is no other node that could run the session.")
	}
	to, there := s.node.Peer(in.Body.Node)
	if !there {
		var names []string
		for _, p := range s.node.Peers() {
			names = append(names, p.Node)
		}
		return nil, problem(http.StatusNotFound, "not-found", "There is no such node", "No node called %q is there. Those that are: %s.", in.Body.Node, strings.Join(names, ", "))
	}
	if to.Node == s.node.Me().Node {
		return &body[contract.MoveTo]{in.Body}, nil
	}
	if err := s.live.Close(ctx, session); err != nil {
		return nil, s.asProblem(err)
	}
	head, _ := ctx.Value(headKey{}).(http.Header)
	path := "/v1/games/" + url.PathEscape(in.Game) + "/sessions/" + url.PathEscape(in.Session)
	if err := s.askNode(ctx, http.MethodPut, to.API+path, head, nil); err != nil {
		return nil, problem(http.StatusServiceUnavailable, "unavailable", "The other node does not run it yet",
			"Everybody is saved and the session is closed, but %s could not open it: %v. Open it there, or anywhere.", to.Node, err)
	}
	return &body[contract.MoveTo]{in.Body}, nil
}

func (s *Server) listNodes(ctx context.Context, _ *struct{}) (*body[contract.Nodes], error) {
	out := contract.Nodes{Nodes: []contract.Node{}, Unowned: []contract.OwnedSession{}}
	if s.node == nil {
		return &body[contract.Nodes]{out}, nil
	}
	out.This, out.Apart = s.node.Me().Node, s.node.Together() != nil
	owners, err := s.store.Owners(ctx, "")
	if err != nil {
		return nil, s.asProblem(err)
	}
	at := map[string]int{}
	for i, m := range s.node.Peers() {
		at[m.Node] = i
		out.Nodes = append(out.Nodes, contract.Node{Name: m.Node, Address: m.API, Version: m.Version, Place: m.Place, Sessions: []contract.OwnedSession{}})
		out.Place = max(out.Place, m.Place)
	}
	for _, o := range owners {
		one := contract.OwnedSession{Game: o.Game, Session: o.Session, Epoch: o.Epoch}
		if i, there := at[o.Node]; there {
			out.Nodes[i].Sessions = append(out.Nodes[i].Sessions, one)
		} else {
			out.Unowned = append(out.Unowned, one)
		}
	}
	return &body[contract.Nodes]{out}, nil
}
