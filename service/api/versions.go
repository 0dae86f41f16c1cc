package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	json "github.com/go-json-experiment/json/v1"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/check"
	"alluvion.dev/core/model"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/store"
	"alluvion.dev/service/trial"
)

type publishInput struct {
	GamePath
	IfMatch string `header:"If-Match" required:"true" doc:"The entity tag of the plan that is to be published."`
	Body    contract.Publishing
}

type versionPath struct {
	GamePath
	Version int `path:"version" minimum:"1"`
}

type compareVersions struct {
	GamePath
	From int `query:"from" minimum:"1" required:"true" doc:"A published version."`
	To   int `query:"to" minimum:"0" doc:"A published version; 0 is the plan that is being worked on."`
}

type trialInput struct {
	GamePath
	Body contract.TrialStart
}

type trialPath struct {
	GamePath
	Trial int `path:"trial" minimum:"1"`
}

func (s *Server) versions(api huma.API) {
	tags := []string{"versions"}
	at := "/v1/games/{game}/versions"
	huma.Register(api, huma.Operation{OperationID: "list-versions", Method: http.MethodGet, Path: at,
		Summary: "What was published of a game", Tags: tags, Errors: []int{404}}, s.listVersions)
	huma.Register(api, huma.Operation{OperationID: "get-version", Responses: answering("application/yaml"),
		Method: http.MethodGet, Path: at +
			"/{version}", Summary: "A published version's text", Tags: tags, Errors: []int{404}}, s.getVersion)
	huma.Register(api, huma.Operation{OperationID: "publish", Method: http.MethodPost, Path: at,
		DefaultStatus: http.StatusCreated, Summary: "Publish the game's plan", Tags: tags,
		Description: "A published version never changes. It has to be the one after the newest, and its trial clean; or go_on says why it is published all the same. Sessions that are opened from now on run it, and saves are upgraded when they are loaded.", Errors: []int{404, 409, 412, 422}}, s.publish)
	huma.Register(api, huma.Operation{OperationID: "compare-versions", Method: http.MethodGet,
		Path: "/v1/games/{game}/compare", Summary: "What becomes of saves of one version under another", Tags: tags, Errors: []int{404, 422}}, s.compareVersions)
	trials := "/v1/games/{game}/trials"
	huma.Register(api, huma.Operation{OperationID: "start-trial", Method: http.MethodPost, Path: trials,
		DefaultStatus: http.StatusCreated, Summary: "Take all saves to the game's plan, without writing any", Tags: tags,
		Description: "It runs beside the sessions; ask how far it is, or read its events. Saves are generated for each published version besides.", Errors: []int{404, 409, 422}}, s.startTrial)
	huma.Register(api, huma.Operation{OperationID: "list-trials", Method: http.MethodGet, Path: trials,
		Summary: "The trials of a game, newest first", Tags: tags, Errors: []int{404}}, s.listTrials)
	huma.Register(api, huma.Operation{OperationID: "get-trial", Method: http.MethodGet, Path: trials + "/{trial}",
		Summary: "How far a trial is, and what came of it", Tags: tags, Errors: []int{404}}, s.getTrial)
	huma.Register(api, huma.Operation{OperationID: "stop-trial", Method: http.MethodPost,
		Path: trials + "/{trial}/stop", Summary: "Stop a trial; it can be gone on with", Tags: tags, Errors: []int{404}}, s.stopTrial)
	huma.Register(api, huma.Operation{OperationID: "go-on-trial", Method: http.MethodPost,
		Path: trials + "/{trial}/go-on", Summary: "Go on with a trial that was stopped", Tags: tags, Errors: []int{404,
			409}}, s.goOnTrial)
}

func (s *Server) listVersions(ctx context.Context, in *GamePath) (*body[contract.Versions], error) {
	g, err := s.store.Game(ctx, in.Game)
	if err != nil {
		return nil, s.asProblem(err)
	}
	list, err := s.store.Versions(ctx, in.Game)
	if err != nil {
		return nil, s.asProblem(err)
	}
	slots, err := s.store.SlotsByVersion(ctx, in.Game)
	if err != nil {
		return nil, s.asProblem(err)
	}
	out := contract.Versions{Draft: contract.DraftInfo{Version: g.Version, ETag: g.ETag, UpdatedAt: g.UpdatedAt,
		Runs: s.judge(g).model != nil}, Published: []contract.VersionInfo{}}
	elsewhere := s.sessionsElsewhere(ctx, in.Game)
	for _, v := range list {
		info := contract.VersionInfo{Version: v.Version, ETag: v.ETag, PublishedAt: v.PublishedAt, Why: v.Why,
			Trial: v.Trial, Saves: slots[v.Version]}
		for _, session := range s.live.Sessions(in.Game) {
			if session.Model().Plan.Version.Value == v.Version {
				info.Sessions++
			}
		}
		for _, other := range elsewhere {
			if other.Version == v.Version {
				info.Sessions++
			}
		}
		out.Draft.Published = out.Draft.Published || v.ETag == g.ETag
		out.Published = append(out.Published, info)
	}
	if len(list) > 0 {
		out.Draft.Wanted = list[0].Version + 1
	}
	out.Draft.Next = out.Draft.Wanted == 0 || out.Draft.Wanted == g.Version
	return &body[contract.Versions]{out}, nil
}

func (s *Server) getVersion(ctx context.Context, in *versionPath) (*planText, error) {
	v, err := s.store.Version(ctx, in.Game, in.Version)
	if err != nil {
		return nil, s.asProblem(err)
	}
	return &planText{"application/yaml", quoted(v.ETag), []byte(v.Text)}, nil
}

func (s *Server) publish(ctx context.Context, in *publishInput) (*body[contract.VersionInfo], error) {
	g, err := s.store.Game(ctx, in.Game)
	if err != nil {
		return nil, s.asProblem(err)
	}
	j, instead := s.judge(g), (*store.Game)(nil)
	if in.Body.Plan != "" {
		if g, j, err = s.asText(ctx, in.Game, in.Body.Plan); err != nil {
			return nil, err
		}
		instead = &g
	}
	if j.model == nil {
		return nil, broken(j.found)
	}
	last, err := s.tried(ctx, g, strings.TrimSpace(in.Body.GoOn))
	if err != nil {
		return nil, err
	}
	renamed := map[string]string{}
	for _, u := range j.plan.Upgrades {
		for _, step := range u.Steps {
			for _, row := range step.Rename {
				if from, ok := strings.CutPrefix(row.From.Value, "standings."); ok && u.Version == g.Version {
					renamed[from] = strings.TrimPrefix(row.To.Value, "standings.")
				}
			}
		}
	}
	v := store.Version{Game: g.ID, Version: g.Version, Why: strings.TrimSpace(in.Body.GoOn), Trial: last}
	v, err = s.store.Publish(ctx, v, strings.Trim(strings.TrimPrefix(in.IfMatch, "W/"), `"`), instead, renamed)
	if err != nil {
		return nil, s.asProblem(err)
	}
	s.log.Info("a version was published", "game", g.ID, "version", v.Version, "trial", v.Trial, "why", v.Why)
	return &body[contract.VersionInfo]{contract.VersionInfo{Version: v.Version, ETag: v.ETag,
		PublishedAt: v.PublishedAt, Why: v.Why, Trial: v.Trial}}, nil
}

// asText is a text as it would be the plan of a game.
func (s *Server) asText(ctx context.Context, game, text string) (store.Game, judged, error) {
	m, p, found := check.Plan([]byte(text), s.store.CommonsText(ctx))
	switch {
	case m == nil:
		return store.Game{}, judged{}, broken(found)
	case p.Game.Name != game:
		return store.Game{}, judged{}, otherGame(p.Game.Name, game)
	}
	return store.Game{ID: game, Title: model.Title(p.Title, p.Game.Name), Version: p.Version.Value, Text: text,
		ETag: store.ETagOf(text)}, judged{model: m, plan: p, found: found}, nil
}

// otherGame says that a text is of another game than the address.
func otherGame(says, game string) error {
	return problem(http.StatusUnprocessableEntity, "invalid", "The plan is of another game",
		"The plan says game: %s, and the address says %s.", says, game)
}

// tried finds the trial that a plan is published after. Without a clean one there has to be a reason to go on.
func (s *Server) tried(ctx context.Context, g store.Game, reason string) (int, error) {
	t, err := s.store.LatestTrial(ctx, g.ID, g.ETag)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return 0, s.asProblem(err)
	}
	if err != nil {
		_, none := s.store.Newest(ctx, g.ID)
		saves, counted := s.store.CountHeads(ctx, g.ID)
		if errors.Is(none, store.ErrNotFound) && counted == nil && saves == 0 || reason != "" {
			return 0, nil // there is nothing to try
		}
		return 0, problem(http.StatusConflict, "trial", "This text was not tried yet",
			"There are saves or published versions of %s, and no trial of this text is done. Start one; or say in go_on why it is published all the same.", g.ID)
	}
	var result upgrade.Trial
	if err := json.Unmarshal(t.Doc, &result); err != nil {
		return 0, s.asProblem(err)
	}
	if !result.Clean() && reason == "" {
		return 0, problem(http.StatusConflict, "trial", "The trial was not clean",
			"Of %d saves %d are loaded with something corrected, %d have an earlier one loaded, and %d are not loaded. Say in go_on why it is published all the same.",
			result.Saves, result.Counts[upgrade.PutRight], result.Counts[upgrade.Earlier], result.Counts[upgrade.NotLoaded])
	}
	return t.ID, nil
}

// versionOf reads a published version, or (0) the plan that is being worked on.
func (s *Server) versionOf(ctx context.Context, game string, version int) (judged, error) {
	if version == 0 {
		return s.runnable(ctx, game)
	}
	v, err := s.store.Version(ctx, game, version)
	if err != nil {
		return judged{}, s.asProblem(err)
	}
	return s.judgeText(fmt.Sprintf("%s/%d", game, version), v.ETag, v.Text), nil
}

func (s *Server) compareVersions(ctx context.Context, in *compareVersions) (*body[contract.BothWays], error) {
	from, err := s.versionOf(ctx, in.Game, in.From)
	if err != nil {
		return nil, err
	}
	to, err := s.versionOf(ctx, in.Game, in.To)
	if err != nil {
		return nil, err
	}
	if from.model == nil || to.model == nil {
		return nil, broken(append(from.found, to.found...))
	}
	return &body[contract.BothWays]{contract.BothWays{Forward: upgrade.Compare(from.model, to.model),
		Back: upgrade.Compare(to.model, from.model)}}, nil
}

// gameWith is a game with another text in place of its plan; "" stands for its own.
func (s *Server) gameWith(ctx context.Context, game, text string) (store.Game, error) {
	g, err := s.store.Game(ctx, game)
	if err != nil {
		return g, s.asProblem(err)
	}
	if text != "" {
		g, _, err = s.asText(ctx, game, text)
	}
	return g, err
}

func (s *Server) startTrial(ctx context.Context, in *trialInput) (*body[contract.TrialInfo], error) {
	g, err := s.gameWith(ctx, in.Game, in.Body.Plan)
	if err != nil {
		return nil, err
	}
	t, err := s.trials.Start(ctx, g, in.Body.Made, uint32(in.Body.Seed))
	if err != nil {
		return nil, s.trialProblem(err)
	}
	return &body[contract.TrialInfo]{trialInfo(trial.Progress{Trial: t}, false)}, nil
}

func (s *Server) trialProblem(err error) error {
	switch {
	case errors.Is(err, trial.ErrRunning):
		return problem(http.StatusConflict, "busy", "Something else is going on", "%v: stop it, or wait for it.", err)
	case errors.Is(err, trial.ErrDone):
		return problem(http.StatusConflict, "busy", "There is nothing to go on with", "%v.", err)
	case errors.Is(err, trial.ErrPlan):
		return problem(http.StatusUnprocessableEntity, "plan", "The plan cannot run", "%v", err)
	}
	return s.asProblem(err)
}

func trialInfo(p trial.Progress, whole bool) contract.TrialInfo {
	out := contract.TrialInfo{Trial: p.ID, Version: p.Version, ETag: p.ETag, State: p.State, Done: p.Done,
		Total: p.Total, Rate: p.Rate, Left: p.Left.Seconds(), BeganAt: p.BeganAt, Error: p.Error}
	var result upgrade.Trial
	if json.Unmarshal(p.Doc, &result) == nil {
		out.Clean = p.State == store.TrialDone && result.Clean()
		if whole {
			out.Result = &result
		}
	}
	return out
}

func (s *Server) listTrials(ctx context.Context, in *GamePath) (*body[[]contract.TrialInfo], error) {
	if _, err := s.store.Game(ctx, in.Game); err != nil {
		return nil, s.asProblem(err)
	}
	list, err := s.trials.List(ctx, in.Game)
	out := []contract.TrialInfo{}
	for _, p := range list {
		if p.Doc == nil { // lists are read without it
			if full, err := s.trials.Look(ctx, in.Game, p.ID); err == nil {
				p = full
			}
		}
		out = append(out, trialInfo(p, false))
	}
	return &body[[]contract.TrialInfo]{out}, s.asProblem(err)
}

func (s *Server) getTrial(ctx context.Context, in *trialPath) (*body[contract.TrialInfo], error) {
	p, err := s.trials.Look(ctx, in.Game, in.Trial)
	if err != nil {
		return nil, s.asProblem(err)
	}
	return &body[contract.TrialInfo]{trialInfo(p, true)}, nil
}

func (s *Server) stopTrial(ctx context.Context, in *trialPath) (*body[contract.TrialInfo], error) {
	if _, err := s.trials.Look(ctx, in.Game, in.Trial); err != nil {
		return nil, s.asProblem(err)
	}
	s.trials.Stop(in.Game)
	return s.getTrial(ctx, in)
}

func (s *Server) goOnTrial(ctx context.Context, in *trialPath) (*body[contract.TrialInfo], error) {
	t, err := s.trials.GoOn(ctx, in.Game, in.Trial)
	if err != nil {
		return nil, s.trialProblem(err)
	}
	return &body[contract.TrialInfo]{trialInfo(trial.Progress{Trial: t}, false)}, nil
}

// trialEvents tells how far a trial is as it goes on (Server-Sent Events), a few times a second, until it has ended.
func (s *Server) trialEvents(w http.ResponseWriter, r *http.Request) {
	id, err := strconv.Atoi(param(r, "trial"))
	if err != nil {
		writeProblem(w, problem(http.StatusNotFound, "not-found", "There is no such thing here",
			"There is no trial %q.", param(r, "trial")))
		return
	}
	s.again(w, r, "progress", 200*time.Millisecond, func() (any, bool, error) {
		p, err := s.trials.Look(r.Context(), param(r, "game"), id)
		ended := p.State != store.TrialRuns
		return trialInfo(p, ended), ended, err
	})
}

// playing is the plan that sessions are opened under: the newest published version, or the plan as it is.
func (s *Server) playing(ctx context.Context, game string) (judged, error) {
	v, err := s.store.Newest(ctx, game)
	if errors.Is(err, store.ErrNotFound) {
		return s.runnable(ctx, game)
	}
	if err != nil {
		return judged{}, s.asProblem(err)
	}
	j := s.judgeText(fmt.Sprintf("%s/%d", game, v.Version), v.ETag, v.Text)
	if j.model == nil {
		return j, broken(j.found)
	}
	return j, nil
}

// judgeText reads and checks a text, unless that was done for the same one before. key is what it is the text of.
func (s *Server) judgeText(key, etag, text string) judged {
	if known, ok := s.judgements.Load(key); ok && known.(judged).etag == etag {
		return known.(judged)
	}
	m, p, found := check.Plan([]byte(text), s.store.CommonsText(context.Background()))
	j := judged{etag: etag, model: m, plan: p, found: found}
	if m != nil {
		j.chain = upgrade.New(m)
	}
	s.judgements.Store(key, j)
	return j
}
