package api

import (
	"context"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/population"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/store"
)

type populationInput struct {
	GamePath
	Under      int    `query:"under" minimum:"0" doc:"A published version; 0 is the plan that is being worked on."`
	Scene      string `query:"scene" doc:"Only players who are in this scene."`
	Checkpoint string `query:"checkpoint" doc:"Only players who have reached this checkpoint."`
	Milestone  string `query:"milestone" doc:"Only players who have earned this milestone."`
	Version    int    `query:"version" minimum:"0" doc:"Only saves that were written under this version."`
}

func (s *Server) populations(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "count-saves", Method: http.MethodGet, Path: "/v1/games/{game}/population",
		Summary: "What all saves of a game hold", Tags: []string{"saves"},
		Description: "The newest save of each slot, what players have over all slots, and worlds, as they would be loaded under the plan: how often each value is there. Nothing is changed. Texts are measured, not shown.",
		Errors:      []int{404, 422}}, s.population)
}

func (s *Server) population(ctx context.Context, in *populationInput) (*body[population.Population], error) {
	j, err := s.versionOf(ctx, in.Game, in.Under)
	if err != nil {
		return nil, err
	}
	if j.model == nil {
		return nil, broken(j.found)
	}
	p := population.New(j.model, population.Pick{Scene: in.Scene, Checkpoint: in.Checkpoint, Milestone: in.Milestone, Version: in.Version})
	judge := engine.NewJudge(j.model, nil)
	count := func(name string, doc []byte) error {
		x := j.chain.Check(doc, nil, upgrade.Around{}, judge)
		p.Add(&x, name)
		return ctx.Err()
	}
	err = s.store.Heads(ctx, in.Game, "", 0, func(h store.Head) error {
		doc := h.Doc
		if h.Verify() != nil {
			doc = nil
		}
		return count(h.Player+"/"+strconv.Itoa(h.Slot), doc)
	})
	if err == nil {
		err = s.store.Profiles(ctx, in.Game, func(player string, doc []byte) error { return count(player, doc) })
	}
	if err == nil {
		err = s.store.Worlds(ctx, in.Game, func(session string, doc []byte) error { return count("the world of "+session, doc) })
	}
	if err != nil {
		return nil, s.asProblem(err)
	}
	out := p.Population()
	return &body[population.Population]{out}, nil
}
