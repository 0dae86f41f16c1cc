package api

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"sync/atomic"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/population"
	"alluvion.dev/core/save"
	"alluvion.dev/core/scout"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/store"
)

type populationInput struct {
	GamePath
	contract.PopulationPick
}

func (s *Server) populations(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "count-saves", Method: http.MethodGet, Path: "/v1/games/{game}/population",
		Summary: "What all saves of a game hold", Tags: []string{"saves"},
		Description: "The newest save of each slot, what players have over all slots, and worlds, as they would be loaded under the plan: how often each value is there. Nothing is changed. Texts are measured, not shown.",
		Errors:      []int{404, 422}}, s.population)
}

func (s *Server) population(ctx context.Context, in *populationInput) (*body[population.Population], error) {
	var looked atomic.Int64
	out, err := s.count(ctx, in.Game, in.PopulationPick, &looked)
	if err != nil {
		return nil, err
	}
	return &body[population.Population]{out}, nil
}

// count looks at every save of a game, and says on the way how many it has looked at.
func (s *Server) count(ctx context.Context, game string, pick contract.PopulationPick, looked *atomic.Int64) (population.Population, error) {
	none := population.Population{}
	j, err := s.versionOf(ctx, game, pick.Under)
	if err != nil {
		return none, err
	}
	if j.model == nil {
		return none, broken(j.found)
	}
	p := population.New(j.model, pick.Pick)
	judge := engine.NewJudge(j.model, nil)
	count := func(name string, doc []byte, at time.Time) error {
		x := j.chain.Check(doc, nil, upgrade.Around{}, judge)
		if x.Loaded != nil {
			x.Loaded.Player.About = &save.About{SavedAt: at}
		}
		p.Add(&x, name)
		looked.Add(1)
		return ctx.Err()
	}
	err = s.store.Heads(ctx, game, "", 0, func(h store.Head) error {
		doc := h.Doc
		if h.Verify() != nil {
			doc = nil
		}
		return count(h.Player+"/"+strconv.Itoa(h.Slot), doc, h.SavedAt)
	})
	if err == nil {
		err = s.store.Profiles(ctx, game, func(player string, doc []byte) error { return count(player, doc, time.Time{}) })
	}
	if err == nil {
		err = s.store.Worlds(ctx, game, func(session string, doc []byte) error { return count("the world of "+session, doc, time.Time{}) })
	}
	if err != nil {
		return none, s.asProblem(err)
	}
	out := p.Population()
	s.noWay(game, j.etag, &out)
	return out, nil
}

// noWay marks what saves hold and a complete search of just this plan found no way to.
func (s *Server) noWay(game, etag string, p *population.Population) {
	search, ok := s.scouts.Look(game)
	if !ok || search.ETag != etag || search.Report == nil {
		return
	}
	for _, a := range search.Report.Answers {
		if a.Verdict == scout.Never {
			p.NoWay(a.Kind, a.ID)
		}
	}
}

// populationEvents counts saves, and tells on the way how far it is (Server-Sent Events).
func (s *Server) populationEvents(w http.ResponseWriter, r *http.Request) {
	pick, err := pickOf(r.URL.Query())
	if err != nil {
		writeProblem(w, problem(http.StatusUnprocessableEntity, "invalid", "That cannot be counted", "%v.", err))
		return
	}
	game := param(r, "game")
	all, err := s.store.CountHeads(r.Context(), game)
	if err != nil {
		s.writeError(w, s.asProblem(err))
		return
	}
	ctx, stop := context.WithCancel(r.Context())
	defer stop()
	var looked atomic.Int64
	var out population.Population
	var failed error
	over := make(chan struct{})
	go func() {
		defer close(over)
		out, failed = s.count(ctx, game, pick, &looked)
	}()
	wait := time.NewTimer(100 * time.Millisecond) // so that what is counted at once is told at once
	defer wait.Stop()
	select {
	case <-over:
	case <-wait.C:
	}
	s.again(w, r, "progress", 200*time.Millisecond, func() (any, bool, error) {
		now := contract.PopulationProgress{Looked: int(looked.Load()), All: all}
		select {
		case <-over:
			now.Counted = &out
			return now, true, failed
		default:
			return now, false, nil
		}
	})
	stop()
	<-over
}

// pickOf reads which saves are asked for from the query of an address.
func pickOf(q url.Values) (contract.PopulationPick, error) {
	out := contract.PopulationPick{Pick: population.Pick{Scene: q.Get("scene"), Checkpoint: q.Get("checkpoint"), Milestone: q.Get("milestone")}}
	for name, into := range map[string]*int{"under": &out.Under, "version": &out.Version} {
		if text := q.Get(name); text != "" {
			n, err := strconv.Atoi(text)
			if err != nil || n < 0 {
				return out, fmt.Errorf("%s is a version, a whole number, not %q", name, text)
			}
			*into = n
		}
	}
	for name, into := range map[string]*time.Time{"after": &out.After, "before": &out.Before} {
		if text := q.Get(name); text != "" {
			at, err := time.Parse(time.RFC3339, text)
			if err != nil {
				return out, fmt.Errorf("%s is a time such as 2026-11-01T18:00:00Z (RFC 3339), not %q", name, text)
			}
			*into = at
		}
	}
	return out, nil
}
