package api

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/check"
	"alluvion.dev/core/scout"
	"alluvion.dev/service/scouting"
)

type scoutInput struct {
	GamePath
	Body contract.ScoutStart
}

func (s *Server) scoutCalls(api huma.API) {
	tags, at := []string{"scout"}, "/v1/games/{game}/scout"
	huma.Register(api, huma.Operation{OperationID: "start-scout", Method: http.MethodPost, Path: at,
		Summary: "Search what could happen under a game's plan", Tags: tags, DefaultStatus: http.StatusAccepted,
		Description: "It goes on beside the sessions that play. One plan is searched at a time; what was found of this one before is forgotten.",
		Errors:      []int{404, 409, 422}}, s.startScout)
	huma.Register(api, huma.Operation{OperationID: "get-scout", Method: http.MethodGet, Path: at,
		Summary: "How far the search is, and what was found", Tags: tags, Errors: []int{404}}, s.getScout)
	huma.Register(api, huma.Operation{OperationID: "stop-scout", Method: http.MethodPost, Path: at + "/stop",
		Summary: "Stop the search; what was found stays", Tags: tags, Errors: []int{404}}, s.stopScout)
}

func (s *Server) startScout(ctx context.Context, in *scoutInput) (*body[contract.ScoutInfo], error) {
	g, err := s.gameWith(ctx, in.Game, in.Body.Plan)
	if err != nil {
		return nil, err
	}
	m, _, found := check.Plan([]byte(g.Text), s.store.CommonsText(ctx))
	if m == nil || found.Errors() {
		return nil, broken(found)
	}
	p, err := s.scouts.Start(g.ID, g.ETag, m, scout.Options{Players: in.Body.Players, NoServer: in.Body.NoServer, Alone: in.Body.Alone,
		States: in.Body.States}, time.Duration(in.Body.Seconds)*time.Second)
	if errors.Is(err, scouting.ErrBusy) {
		return nil, problem(http.StatusConflict, "busy", "Something else is going on", "%v: stop it, or wait for it.", err)
	}
	if err != nil {
		return nil, s.asProblem(err)
	}
	return &body[contract.ScoutInfo]{scoutInfo(p)}, nil
}

func (s *Server) getScout(ctx context.Context, in *GamePath) (*body[contract.ScoutInfo], error) {
	if _, err := s.store.Game(ctx, in.Game); err != nil {
		return nil, s.asProblem(err)
	}
	p, ok := s.scouts.Look(in.Game)
	if !ok {
		return &body[contract.ScoutInfo]{contract.ScoutInfo{State: "none"}}, nil
	}
	return &body[contract.ScoutInfo]{scoutInfo(p)}, nil
}

func (s *Server) stopScout(ctx context.Context, in *GamePath) (*body[contract.ScoutInfo], error) {
	s.scouts.Stop(in.Game)
	return s.getScout(ctx, in)
}

func scoutInfo(p scouting.Progress) contract.ScoutInfo {
	out := contract.ScoutInfo{State: p.State, ETag: p.ETag, Search: p.Search, Searches: p.Searches, Over: p.Over,
		States: p.States, Tried: p.Tried, Rate: p.Rate, BeganAt: &p.Began, Took: p.Took.Seconds(), Error: p.Error}
	if p.Report != nil {
		out.Report = scoutReport(p.Report)
	}
	return out
}

func scoutReport(r *scout.Report) *contract.ScoutReport {
	out := &contract.ScoutReport{Version: r.Version, Players: r.Players, Bad: r.Bad(), Stuck: r.NobodyStuck(), NotTried: r.NotTried,
		Searches: []contract.ScoutSearched{}, Costs: []contract.ScoutCost{}, Answers: []contract.ScoutAnswer{}, DeadEnds: []contract.ScoutDeadEnd{},
		Troubles: []contract.ScoutTrouble{}}
	for _, x := range r.Searches {
		out.Searches = append(out.Searches, contract.ScoutSearched{Name: x.Name, States: x.States, Moves: x.Steps,
			Complete: x.Complete, Why: listed(x.Why), LeftOut: listed(x.LeftOut)})
	}
	for _, c := range r.Costs() {
		out.Costs = append(out.Costs, contract.ScoutCost(c))
	}
	for _, a := range r.Answers {
		out.Answers = append(out.Answers, contract.ScoutAnswer{Kind: a.Kind, ID: a.ID, Title: a.Title, Line: a.Line,
			Verdict: a.Verdict, Run: scoutRun(a.Run)})
	}
	for _, d := range r.DeadEnds {
		out.DeadEnds = append(out.DeadEnds, contract.ScoutDeadEnd{Kind: d.Kind, ID: d.ID, Title: d.Title, Line: d.Line,
			Alone: d.Alone, Proved: d.Proved, Why: d.Why, Lost: d.Lost, Run: scoutRun(d.Run)})
	}
	for _, t := range r.Troubles {
		out.Troubles = append(out.Troubles, contract.ScoutTrouble{Kind: t.Kind, Text: t.Text, Line: t.Line,
			Run: scoutRun(t.Run)})
	}
	out.Places = contract.ScoutPlaces{Search: r.Places.Search, Scenes: []contract.ScoutPlace{}, Ways: []contract.ScoutWay{}}
	for _, x := range r.Places.Scenes {
		out.Places.Scenes = append(out.Places.Scenes, contract.ScoutPlace(x))
	}
	for _, x := range r.Places.Ways {
		out.Places.Ways = append(out.Places.Ways, contract.ScoutWay(x))
	}
	return out
}

func listed(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

func scoutRun(r *scout.Run) *contract.ScoutRun {
	if r == nil {
		return nil
	}
	return &contract.ScoutRun{Moves: r.Moves, Shortest: r.Shortest, Script: r.Script("plan.yaml")}
}
