package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
)

func (s *Server) standings(api huma.API) {
	tags := []string{"standings"}
	huma.Register(api, huma.Operation{OperationID: "list-standings", Method: http.MethodGet,
		Path: "/v1/games/{game}/standings", Summary: "The game's standings", Tags: tags, Errors: []int{404}},
		s.listStandings)
	huma.Register(api, huma.Operation{OperationID: "get-standing", Method: http.MethodGet,
		Path: "/v1/games/{game}/standings/{standing}", Summary: "Who stands where, of all players ever saved; or which option, in a session's world", Tags: tags, Errors: []int{404},
		Description: "The first places; or, with around, those before and after a player. Options of a list are ordered in the world of one session."}, s.getStanding)
}

func standingInfo(x *model.Standing) contract.StandingInfo {
	out := contract.StandingInfo{ID: x.ID, Title: x.Title, Rank: x.Rank.Source, Order: "high", Keep: "best"}
	if !x.High {
		out.Order = "low"
	}
	if !x.Best {
		out.Keep = "last"
	}
	if x.List != nil {
		out.List = x.List.ID
	}
	return out
}

func (s *Server) listStandings(ctx context.Context, in *GamePath) (*body[[]contract.StandingInfo], error) {
	j, err := s.judgedPlan(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	m := j.model
	out := []contract.StandingInfo{}
	if m != nil {
		for _, x := range m.Standings {
			out = append(out, standingInfo(x))
		}
	}
	return &body[[]contract.StandingInfo]{out}, nil
}

type standingInput struct {
	GamePath
	Standing string `path:"standing" maxLength:"64"`
	Most     int    `query:"most" minimum:"1" maximum:"500" default:"10" doc:"How many places."`
	Around   string `query:"around" maxLength:"64" doc:"The places around this player, who stands in their middle."`
	Session  string `query:"session" maxLength:"64" doc:"Of a standing of options: in this session's world. Without it, in the world that was saved last."`
}

func (s *Server) getStanding(ctx context.Context, in *standingInput) (*body[contract.StandingPart], error) {
	j, err := s.judgedPlan(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	var known *model.Standing
	if j.model != nil {
		known = j.model.Standing(in.Standing)
	}
	if known == nil {
		return nil, problem(http.StatusNotFound, "not-found", "There is no such standing",
			"The plan of %s has no standing called %q.", in.Game, in.Standing)
	}
	switch {
	case known.List != nil && in.Around != "":
		return nil, problem(http.StatusUnprocessableEntity, "bad-value", "The standing has no players",
			"%s orders the options of %s: there is no place around a player.", known.Title, known.List.ID)
	case known.List != nil:
		return s.rankedOptions(ctx, in, known)
	case in.Session != "":
		return nil, problem(http.StatusUnprocessableEntity, "bad-value", "The standing is of no session",
			"%s orders players, over all sessions.", known.Title)
	}
	skip := 0
	if in.Around != "" {
		place, err := s.store.PlaceOf(ctx, in.Game, known.ID, known.High, in.Around)
		if err != nil {
			return nil, s.asProblem(err)
		}
		if place == 0 {
			return nil, problem(http.StatusNotFound, "not-found", "The player has no place",
				"%s has no place in %s: nothing that counts was saved of them.", in.Around, known.Title)
		}
		skip = max(0, place-1-in.Most/2)
	}
	places, total, err := s.store.Standing(ctx, in.Game, known.ID, known.High, skip, in.Most)
	if err != nil {
		return nil, s.asProblem(err)
	}
	out := contract.StandingPart{StandingInfo: standingInfo(known), Players: total, Places: []contract.StandingPlace{}}
	for _, p := range places {
		out.Places = append(out.Places, contract.StandingPlace{Place: p.Place, Player: p.Player, Number: p.Text})
	}
	return &body[contract.StandingPart]{out}, nil
}

// rankedOptions is a standing of options, as it is in a session's world: an open session's of now, another's as it was
// saved.
func (s *Server) rankedOptions(ctx context.Context, in *standingInput, x *model.Standing) (*body[contract.StandingPart], error) {
	name, raw, err := s.worldAsked(ctx, in)
	if err != nil {
		return nil, s.asProblem(err)
	}
	out := contract.StandingPart{StandingInfo: standingInfo(x), Session: name, Places: []contract.StandingPlace{}}
	var ranked []engine.Ranked
	if session, err := s.live.Session(in.Game, name); err == nil {
		if ranked, err = session.Ranked(ctx, x.ID); err != nil {
			return nil, s.asProblem(err)
		}
	} else if raw != nil {
		w, err := save.OpenWorld(raw)
		if err != nil {
			return nil, s.asProblem(err)
		}
		ranked = engine.RankedIn(x, w.Standings[x.ID])
	} else if in.Session != "" {
		return nil, s.asProblem(err)
	}
	for i, r := range ranked {
		at := x.List.Option(r.ID)
		if at < 0 || i >= in.Most {
			continue
		}
		out.Places = append(out.Places, contract.StandingPlace{Place: i + 1, Option: r.ID, Title: x.List.Options[at].Title,
			Number: r.Number.String()})
	}
	out.Players = len(ranked)
	return &body[contract.StandingPart]{out}, nil
}

// worldAsked finds the session whose world is meant, and what was saved of it.
func (s *Server) worldAsked(ctx context.Context, in *standingInput) (session string, raw []byte, err error) {
	if in.Session != "" {
		raw, err = s.store.World(ctx, in.Game, in.Session)
		return in.Session, raw, err
	}
	if session, raw, err = s.store.LastWorld(ctx, in.Game); raw != nil || err != nil {
		return session, raw, err
	}
	if open := s.live.Sessions(in.Game); len(open) > 0 {
		return open[0].Name, nil, nil
	}
	return "", nil, nil
}
