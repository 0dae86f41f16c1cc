package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"alluvion/core/check"
	"alluvion/core/upgrade"
)

// BothWays is a text checked against the game's plan, both ways.
type BothWays struct {
	Forward upgrade.Comparison `json:"forward" doc:"What becomes of saves of the game's plan under the text."`
	Back    upgrade.Comparison `json:"back" doc:"What would become of saves of the text under the game's plan; the service refuses to load them."`
}

type compareInput struct {
	GamePath
	RawBody []byte `contentType:"application/yaml"`
}

func (s *Server) compare(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "compare-text", Method: http.MethodPost, Path: "/v1/games/{game}/compare", Summary: "What becomes of the game's saves under another text of its plan",
		Tags: []string{"plans"}, MaxBodyBytes: maxPlan, Errors: []int{404, 413, 422}}, s.compareText)
}

func (s *Server) compareText(ctx context.Context, in *compareInput) (*body[BothWays], error) {
	now, err := s.runnable(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	m, _, found := check.Text(in.RawBody, s.store.CommonsText(ctx))
	switch {
	case m == nil:
		return nil, broken(found)
	case m.Plan.Game.Name != in.Game:
		return nil, problem(http.StatusUnprocessableEntity, "invalid", "The plan is of another game", "The plan says game: %s, and the address says %s.", m.Plan.Game.Name, in.Game)
	}
	return &body[BothWays]{BothWays{upgrade.Compare(now.model, m), upgrade.Compare(m, now.model)}}, nil
}
