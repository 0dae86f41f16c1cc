package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/model"
)

func (s *Server) standings(api huma.API) {
	tags := []string{"standings"}
	huma.Register(api, huma.Operation{OperationID: "list-standings", Method: http.MethodGet,
		Path: "/v1/games/{game}/standings", Summary: "The game's standings", Tags: tags, Errors: []int{404}},
		s.listStandings)
	huma.Register(api, huma.Operation{OperationID: "get-standing", Method: http.MethodGet,
		Path: "/v1/games/{game}/standings/{standing}", Summary: "Who stands where, of all players ever saved", Tags: tags, Errors: []int{404},
		Description: "The first places; or, with around, those before and after a player."}, s.getStanding)
}

func standingInfo(x *model.Standing) contract.StandingInfo {
	out := contract.StandingInfo{ID: x.ID, Title: x.Title, Rank: x.Rank.Source, Order: "high", Keep: "best"}
	if !x.High {
		out.Order = "low"
	}
	if !x.Best {
		out.Keep = "last"
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
}

func (s *Server) getStanding(ctx context.Context, in *standingInput) (*body[contract.StandingPart], error) {
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
		return nil, problem(http.StatusNotFound, "not-found", "There is no such standing",
			"The plan of %s has no standing called %q.", in.Game, in.Standing)
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
