package api

import (
	"context"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/engine"
	"alluvion.dev/service/live"
)

func noticeOf(n engine.Notice) contract.Notice {
	return contract.Notice{Kind: n.Kind, Player: n.Player, To: n.To, Text: n.Text, Key: n.Key, Scene: n.Scene,
		From: n.From,
		ID:   n.ID, Rule: n.Rule}
}

// SessionPath names a session of a game.
type SessionPath struct {
	GamePath
	Session string `path:"session" maxLength:"64" doc:"The session's name."`
}

func (s *Server) sessions(api huma.API) {
	tags := []string{"sessions"}
	huma.Register(api, huma.Operation{OperationID: "list-sessions", Method: http.MethodGet,
		Path: "/v1/games/{game}/sessions", Summary: "The open sessions", Tags: tags, Errors: []int{404}},
		s.listSessions)
	huma.Register(api, huma.Operation{OperationID: "open-session", Method: http.MethodPut,
		Path: "/v1/games/{game}/sessions/{session}", Summary: "Open a session", Tags: tags, Errors: []int{404, 422},
		Description: "A session that is open stays as it is."}, s.openSession)
	huma.Register(api, huma.Operation{OperationID: "get-session", Method: http.MethodGet,
		Path: "/v1/games/{game}/sessions/{session}", Summary: "A session, and what its game and scenes hold", Tags: tags, Errors: []int{404}}, s.getSession)
	huma.Register(api, huma.Operation{OperationID: "close-session", Method: http.MethodDelete,
		Path: "/v1/games/{game}/sessions/{session}", Summary: "End all visits, save everybody, close the session", Tags: tags, Errors: []int{404}}, s.closeSession)
	huma.Register(api, huma.Operation{OperationID: "end-session", Method: http.MethodDelete,
		Path: "/v1/games/{game}/sessions/{session}/world", Summary: "Delete what is held of a closed session", Tags: tags,
		Description: "Its world and its journal: opened again, it begins anew. What players have stays.", Errors: []int{404, 409, 422}}, s.endSession)
	huma.Register(api, huma.Operation{OperationID: "send-request", Method: http.MethodPost,
		Path: "/v1/games/{game}/sessions/{session}/requests", Summary: "Ask something of a session", Tags: tags, MaxBodyBytes: maxRequest,
		Description: "A request is all or nothing: refused, it has changed nothing. Where it led to a save, the answer comes when that is on disk.", Errors: []int{404, 409, 413, 422}}, s.request)
	huma.Register(api, huma.Operation{OperationID: "list-changes", Method: http.MethodGet,
		Path: "/v1/games/{game}/sessions/{session}/changes", Summary: "Why is it so: the newest changes, newest first", Tags: tags, Errors: []int{404}}, s.changes)
}

func (s *Server) listSessions(ctx context.Context, in *GamePath) (*body[[]contract.SessionInfo], error) {
	if _, err := s.store.Game(ctx, in.Game); err != nil {
		return nil, s.asProblem(err)
	}
	out := []contract.SessionInfo{}
	for _, session := range s.live.Sessions(in.Game) {
		v, err := session.Brief(ctx)
		if err != nil {
			continue // it has just been closed
		}
		out = append(out, infoOf(session, v))
	}
	if more := s.sessionsElsewhere(ctx, in.Game); len(more) > 0 {
		out = append(out, more...)
		slices.SortFunc(out, func(a, b contract.SessionInfo) int { return strings.Compare(a.Name, b.Name) })
	}
	return &body[[]contract.SessionInfo]{out}, nil
}

func infoOf(s *live.Session, v live.Values) contract.SessionInfo {
	return contract.SessionInfo{Name: s.Name, Version: s.Model().Plan.Version.Value, Opened: s.Opened,
		Time: seconds(v.Clock), Present: v.Present, Digest: v.Digest}
}

func seconds(ms int64) float64 { return float64(ms) / 1000 }

func (s *Server) openSession(ctx context.Context, in *SessionPath) (*body[contract.SessionInfo], error) {
	session, _, err := s.live.Open(ctx, in.Game, in.Session)
	if err != nil {
		return nil, s.asProblem(err)
	}
	v, err := session.Look(ctx)
	return &body[contract.SessionInfo]{infoOf(session, v)}, s.asProblem(err)
}

func (s *Server) getSession(ctx context.Context, in *SessionPath) (*body[contract.SessionState], error) {
	session, err := s.live.Session(in.Game, in.Session)
	if err != nil {
		return nil, s.asProblem(err)
	}
	v, err := session.Look(ctx)
	if err != nil {
		return nil, s.asProblem(err)
	}
	out := contract.SessionState{SessionInfo: infoOf(session, v), Game: figures(v.Game),
		Scenes: map[string][]contract.Figure{}}
	for scene, list := range v.Scenes {
		out.Scenes[scene] = figures(list)
	}
	return &body[contract.SessionState]{out}, nil
}

func figures(list []engine.Figure) []contract.Figure {
	out := make([]contract.Figure, 0, len(list))
	for _, f := range list {
		out = append(out, contract.Figure{Name: f.Var.Name, Title: f.Var.Title, Scene: f.Scene, Prop: f.Prop,
			Option: f.Option,
			Value:  f.Value})
	}
	return out
}

func (s *Server) closeSession(ctx context.Context, in *SessionPath) (*struct{}, error) {
	session, err := s.live.Session(in.Game, in.Session)
	if err != nil {
		return nil, s.asProblem(err)
	}
	return nil, s.asProblem(s.live.Close(ctx, session))
}

type endInput struct {
	SessionPath
	Name string `query:"name" required:"true" doc:"The session's name once more: what is deleted is asked about by naming it."`
}

func (s *Server) endSession(ctx context.Context, in *endInput) (*body[contract.Ended], error) {
	if err := named(in.Name, in.Session); err != nil {
		return nil, err
	}
	e, err := s.live.End(ctx, in.Game, in.Session)
	if err == nil {
		s.log.Info("a session was deleted", "game", in.Game, "session", in.Session, "journal", e.Journal)
	}
	return &body[contract.Ended]{contract.Ended(e)}, s.asProblem(err)
}

type requestInput struct {
	SessionPath
	Body contract.Request
}

func (s *Server) request(ctx context.Context, in *requestInput) (*body[contract.Answer], error) {
	session, err := s.live.Session(in.Game, in.Session)
	if err != nil {
		return nil, s.asProblem(err)
	}
	r := in.Body
	req := engine.Request{Do: r.Do, Player: r.Player, Server: r.Server, Number: uint64(r.Number),
		Arrival: int(r.Arrival), Sender: r.Sender, Name: r.Name, Slot: max(r.Slot,
			0), To: r.To, Facing: r.Facing, Args: r.Args, Picks: r.Picks}
	if r.Slot == 0 {
		req.Slot = 1
	}
	if r.Value != nil {
		req.Value = *r.Value
	}
	a, err := s.live.Do(ctx, session, req)
	if err != nil {
		return nil, s.asProblem(err)
	}
	return &body[contract.Answer]{answerOf(a)}, nil
}

func answerOf(a live.Answer) contract.Answer {
	out := contract.Answer{Applied: !a.Repeat, Number: a.Number, Time: seconds(a.Time),
		Changes: make([]contract.Change, 0, len(a.Changes)), Notices: make([]contract.Notice, 0, len(a.Notices))}
	for _, c := range a.Changes {
		out.Changes = append(out.Changes, changeOf(c))
	}
	for _, n := range a.Notices {
		out.Notices = append(out.Notices, noticeOf(n))
	}
	if a.Saved != nil {
		out.Saved = &contract.Saved{Revision: a.Saved.Revision, Moment: a.Saved.Moment, Error: a.Saved.Error}
	}
	return out
}

func changeOf(c engine.Change) contract.Change {
	return contract.Change{Player: c.Player, Scene: c.Scene, Prop: c.Prop, Option: c.Option, Name: c.Name,
		From: c.From, To: c.To,
		Cause: c.Cause.String(), Rule: c.Cause.Rule, Line: c.Cause.Line, Times: 0}
}

type changesInput struct {
	SessionPath
	Player string `query:"player" maxLength:"64" doc:"Only what this player has."`
	Name   string `query:"name" maxLength:"64" doc:"Only this value, as player.warmth."`
	Most   int    `query:"most" minimum:"1" maximum:"500" default:"50"`
}

func (s *Server) changes(ctx context.Context, in *changesInput) (*body[[]contract.Step], error) {
	steps, err := s.trail(ctx, in)
	out := make([]contract.Step, 0, len(steps))
	for _, st := range steps {
		out = append(out, contract.Step{Change: changeOf(st.Change), Time: seconds(st.Time), At: st.At})
	}
	return &body[[]contract.Step]{out}, s.asProblem(err)
}

// trail reads a session's changes; of one that is not open, what its journal on disk has.
func (s *Server) trail(ctx context.Context, in *changesInput) ([]live.Step, error) {
	session, err := s.live.Session(in.Game, in.Session)
	if err == nil {
		return session.Trail(ctx, in.Player, in.Name, in.Most)
	}
	if _, gameErr := s.store.Game(ctx, in.Game); gameErr != nil {
		return nil, gameErr
	}
	steps, dbErr := live.History(ctx, s.store, s.log, in.Game, in.Session, in.Player, in.Name, in.Most)
	if dbErr != nil || len(steps) > 0 {
		return steps, dbErr
	}
	if ever, dbErr := s.store.JournalEnd(ctx, in.Game, in.Session); dbErr != nil || ever > 0 {
		return nil, dbErr
	}
	return nil, err // neither open nor ever written
}
