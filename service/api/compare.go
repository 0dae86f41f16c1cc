package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/check"
	"alluvion.dev/core/upgrade"
)

type compareInput struct {
	GamePath
	RawBody []byte `contentType:"application/yaml"`
}

func (s *Server) compare(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "compare-text", Method: http.MethodPost,
		Path: "/v1/games/{game}/compare", Summary: "What becomes of the game's saves under another text of its plan",
		Tags: []string{"plans"}, MaxBodyBytes: maxPlan, Errors: []int{404, 413, 422}}, s.compareText)
}

func (s *Server) compareText(ctx context.Context, in *compareInput) (*body[contract.BothWays], error) {
	now, err := s.runnable(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	m, _, found := check.Plan(in.RawBody, s.store.CommonsText(ctx))
	switch {
	case m == nil:
		return nil, broken(found)
	case m.Plan.Game.Name != in.Game:
		return nil, problem(http.StatusUnprocessableEntity, "invalid", "The plan is of another game",
			"The plan says game: %s, and the address says %s.", m.Plan.Game.Name, in.Game)
	}
	return &body[contract.BothWays]{contract.BothWays{Forward: upgrade.Compare(now.model, m),
		Back: upgrade.Compare(m, now.model)}}, nil
}
