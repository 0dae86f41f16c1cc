package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"alluvion/core/model"
)

// StandingInfo is an ordering of players.
type StandingInfo struct {
	ID    string `json:"id"`
	Title string `json:"title"`
	Rank  string `json:"rank" doc:"The expression that players are ordered by."`
	Order string `json:"order" enum:"high,low" doc:"Whether the highest or the lowest number comes first."`
	Keep  string `json:"keep" enum:"best,last" doc:"Which of a player's numbers counts."`
}

// StandingPart is a part of an ordering, over all players ever saved.
type StandingPart struct {
	StandingInfo
	Players int             `json:"players" doc:"How many have a place."`
	Places  []StandingPlace `json:"places"`
}

// StandingPlace is one player's place.
type StandingPlace struct {
	Place  int    `json:"place" doc:"From 1. Players with the same number stand by their id."`
	Player string `json:"player"`
	Number string `json:"number"`
}

func (s *Server) standings(api huma.API) {
	tags := []string{"standings"}
	huma.Register(api, huma.Operation{OperationID: "list-standings", Method: http.MethodGet, Path: "/v1/games/{game}/standings", Summary: "The game's standings", Tags: tags, Errors: []int{404}}, s.listStandings)
	huma.Register(api, huma.Operation{OperationID: "get-standing", Method: http.MethodGet, Path: "/v1/games/{game}/standings/{standing}", Summary: "Who stands where, of all players ever saved", Tags: tags, Errors: []int{404},
		Description: "The first places; or, with around, those before and after a player."}, s.getStanding)
}

func standingInfo(x *model.Standing) StandingInfo {
	out := StandingInfo{ID: x.ID, Title: x.Title, Rank: x.Rank.Source, Order: "high", Keep: "best"}
	if !x.High {
		out.Order = "low"
	}
	if !x.Best {
		out.Keep = "last"
	}
	return out
}

func (s *Server) listStandings(ctx context.Context, in *GamePath) (*body[[]StandingInfo], error) {
	j, err := s.judgedPlan(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	m := j.model
	out := []StandingInfo{}
	if m != nil {
		for _, x := range m.Standings {
			out = append(out, standingInfo(x))
		}
	}
	return &body[[]StandingInfo]{out}, nil
}

type standingInput struct {
	GamePath
	Standing string `path:"standing" maxLength:"64"`
	Most     int    `query:"most" minimum:"1" maximum:"500" default:"10" doc:"How many places."`
	Around   string `query:"around" maxLength:"64" doc:"The places around this player, who stands in their middle."`
}

func (s *Server) getStanding(ctx context.Context, in *standingInput) (*body[StandingPart], error) {
	j, err := s.judgedPlan(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	m := j.model
	var known *model.Standing
	if m != nil {
		for _, x := range m.Standings {
			if x.ID == in.Standing {
				known = x
			}
		}
	}
	if known == nil {
		return nil, problem(http.StatusNotFound, "not-found", "There is no such standing", "The plan of %s has no standing called %q.", in.Game, in.Standing)
	}
	skip := 0
	if in.Around != "" {
		place, err := s.store.PlaceOf(ctx, in.Game, known.ID, known.High, in.Around)
		if err != nil {
			return nil, s.asProblem(err)
		}
		if place == 0 {
			return nil, problem(http.StatusNotFound, "not-found", "The player has no place", "%s has no place in %s: nothing that counts was saved of them.", in.Around, known.Title)
		}
		skip = max(0, place-1-in.Most/2)
	}
	places, total, err := s.store.Standing(ctx, in.Game, known.ID, known.High, skip, in.Most)
	if err != nil {
		return nil, s.asProblem(err)
	}
	out := StandingPart{StandingInfo: standingInfo(known), Players: total, Places: []StandingPlace{}}
	for _, p := range places {
		out.Places = append(out.Places, StandingPlace{p.Place, p.Player, p.Text})
	}
	return &body[StandingPart]{out}, nil
}
