package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/check"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/format"
	"alluvion.dev/core/matrix"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/store"
)

// GamePath names a game.
type GamePath struct {
	Game string `path:"game" maxLength:"64" doc:"The game's id."`
}

type planInput struct {
	GamePath
	IfMatch string `header:"If-Match" doc:"The entity tag of the text that this one replaces; none for a new game."`
	RawBody []byte `contentType:"application/yaml" doc:"The plan, as YAML or JSON."`
}

type textInput struct {
	RawBody []byte `contentType:"application/yaml" doc:"The plan, as YAML or JSON."`
}

type fateInput struct {
	GamePath
	Variable string `path:"variable" maxLength:"80" doc:"The variable, as player.warmth."`
	Crossing string `path:"crossing" maxLength:"64" doc:"scene, death, leave, restart, new-run, or one of the plan's own."`
	IfMatch  string `header:"If-Match" doc:"The entity tag of the text that is changed."`
	Body     contract.FateChange
}

type planOutput struct {
	ETag string `header:"ETag" doc:"The entity tag of the text."`
	Body contract.Report
}

type planText struct {
	ContentType string `header:"Content-Type"`
	ETag        string `header:"ETag" doc:"The entity tag of the text."`
	Body        []byte
}

func countsOf(l finding.List) contract.Counts {
	var c contract.Counts
	for _, f := range l {
		switch {
		case f.Accepted != "":
			c.Accepted++
		case f.Severity == finding.Error:
			c.Errors++
		case f.Severity == finding.Warning:
			c.Warnings++
		default:
			c.Notes++
		}
	}
	return c
}

func reportOf(l finding.List) contract.Report {
	if l == nil {
		l = finding.List{}
	}
	return contract.Report{Runnable: !l.Errors(), Counts: countsOf(l), Findings: l}
}

// broken is the problem of a plan that cannot run.
func broken(l finding.List) *contract.Problem {
	var first finding.Finding
	n := 0
	for _, f := range l {
		if f.Severity == finding.Error {
			if n == 0 {
				first = f
			}
			n++
		}
	}
	p := problem(http.StatusUnprocessableEntity, "plan", "The plan cannot run", "%s", first.Message)
	if n > 1 {
		p.Detail += " There are more errors."
	}
	p.Line, p.Findings = first.Line, l
	return p
}

func (s *Server) games(api huma.API) {
	tags := []string{"plans"}
	huma.Register(api, huma.Operation{OperationID: "list-games", Method: http.MethodGet, Path: "/v1/games",
		Summary: "All games", Tags: tags}, s.listGames)
	huma.Register(api, huma.Operation{OperationID: "put-plan", Method: http.MethodPut, Path: "/v1/games/{game}/plan",
		Summary: "Make a text the game's plan", Tags: tags, MaxBodyBytes: maxPlan,
		Description: "A plan with errors is refused, with its findings. Sessions that are open go on under the plan that they were opened with.", Errors: []int{412, 413, 422}}, s.putPlan)
	huma.Register(api, huma.Operation{OperationID: "delete-game", Method: http.MethodDelete, Path: "/v1/games/{game}",
		Summary: "Delete a game with everything that is held of it", Tags: tags,
		Description: "Its plan and versions, the saves of all players, worlds, journals, trials and rehearsals: nothing of it can be restored. All its sessions have to be closed. What players have in common over several games stays.", Errors: []int{404, 409, 422}}, s.deleteGame)
	huma.Register(api, huma.Operation{OperationID: "get-plan", Responses: answering("application/yaml"),
		Method: http.MethodGet, Path: "/v1/games/{game}/plan", Summary: "The game's plan, as it was written", Tags: tags, Errors: []int{404}}, s.getPlan)
	huma.Register(api, huma.Operation{OperationID: "get-findings", Method: http.MethodGet,
		Path: "/v1/games/{game}/findings", Summary: "What the checks say of the game's plan", Tags: tags, Errors: []int{404}}, s.getFindings)
	huma.Register(api, huma.Operation{OperationID: "get-matrix", Method: http.MethodGet,
		Path: "/v1/games/{game}/matrix", Summary: "What survives what", Tags: tags, Errors: []int{404, 422}},
		s.getMatrix)
	huma.Register(api, huma.Operation{OperationID: "put-fate", Method: http.MethodPut,
		Path: "/v1/games/{game}/fates/{variable}/{crossing}", Summary: "Write one fate into the plan's text", Tags: tags,
		Description: "The text changes by just that; comments and layout stay. A change after which the plan could not run is refused.", Errors: []int{404, 409, 412, 422}}, s.putFate)
	huma.Register(api, huma.Operation{OperationID: "list-names", Method: http.MethodGet, Path: "/v1/games/{game}/names",
		Summary: "Everything that the plan names", Tags: tags, Errors: []int{404, 422}}, s.listNames)
}

type deleteInput struct {
	GamePath
	Name string `query:"name" required:"true" doc:"The game's id once more: what is deleted is asked about by naming it."`
}

func (s *Server) deleteGame(ctx context.Context, in *deleteInput) (*body[contract.Ended], error) {
	if err := named(in.Name, in.Game); err != nil {
		return nil, err
	}
	e, err := s.live.EndGame(ctx, in.Game, func() (e store.Ended, err error) {
		failed := s.trials.Apart(in.Game, func() error {
			e, err = s.store.DeleteGame(ctx, in.Game)
			return err
		})
		return e, s.trialProblem(failed)
	})
	if err == nil {
		s.scouts.Forget(in.Game)
		s.stands.drop(in.Game)
		s.log.Info("a game was deleted", "game", in.Game, "players", e.Players, "saves", e.Saves)
	}
	return &body[contract.Ended]{contract.Ended(e)}, s.asProblem(err)
}

// judged is a game's plan as it was last read and checked.
type judged struct {
	etag  string
	model *model.Model // nil where the plan cannot run
	plan  *plan.Plan
	found finding.List
	chain *upgrade.Chain // takes older saves to it; nil where it cannot run
}

// own are the formats of the game's own.
func (s *Server) own(j judged) *format.Set { return format.New(j.chain, j.model).Signed(s.saveKey) }

// judge reads and checks a game's plan, unless that was done for the same text before.
func (s *Server) judge(g store.Game) judged {
	return s.judgeText(g.ID, g.ETag, g.Text)
}

// judgedPlan finds a game and judges its plan.
func (s *Server) judgedPlan(ctx context.Context, game string) (judged, error) {
	g, err := s.store.Game(ctx, game)
	if err != nil {
		return judged{}, s.asProblem(err)
	}
	return s.judge(g), nil
}

// runnable is judgedPlan for a plan that has to be able to run.
func (s *Server) runnable(ctx context.Context, game string) (judged, error) {
	j, err := s.judgedPlan(ctx, game)
	if err == nil && j.model == nil {
		err = broken(j.found)
	}
	return j, err
}

func (s *Server) listGames(ctx context.Context, _ *struct{}) (*body[[]contract.GameInfo], error) {
	games, err := s.store.Games(ctx)
	if err != nil {
		return nil, s.asProblem(err)
	}
	out := make([]contract.GameInfo, 0, len(games))
	for _, g := range games {
		info, err := s.gameInfo(ctx, g)
		if err != nil {
			return nil, s.asProblem(err)
		}
		out = append(out, info)
	}
	return &body[[]contract.GameInfo]{out}, nil
}

func (s *Server) gameInfo(ctx context.Context, g store.Game) (contract.GameInfo, error) {
	j := s.judge(g)
	info := contract.GameInfo{ID: g.ID, Title: g.Title, Version: g.Version, UpdatedAt: g.UpdatedAt,
		Scenes:    len(j.plan.Scenes.Entries),
		Variables: len(j.plan.Variables.Entries), Findings: countsOf(j.found)}
	if _, plays := s.played[g.ID]; plays {
		info.Play = "/play/" + g.ID + "/"
	}
	slots, err := s.store.SlotsByVersion(ctx, g.ID)
	for version, n := range slots {
		info.Saves += n
		if version < g.Version {
			info.Older += n
		}
	}
	for _, session := range s.live.Sessions(g.ID) {
		info.Sessions++
		if v, err := session.Brief(ctx); err == nil {
			info.Present += len(v.Present)
			info.Refused += v.Refused
			info.Differs += v.Differs
		}
	}
	for _, other := range s.sessionsElsewhere(ctx, g.ID) {
		info.Sessions++
		info.Present += len(other.Present)
	}
	if newest, err := s.store.Newest(ctx, g.ID); err == nil {
		info.Published = newest.Version
	}
	info.Trial = s.trialOf(ctx, g.ID)
	return info, err
}

// trialOf is how the newest trial of a game stands, in a word or two; "" where there was none.
func (s *Server) trialOf(ctx context.Context, game string) string {
	list, err := s.trials.List(ctx, game)
	if err != nil || len(list) == 0 {
		return ""
	}
	if list[0].State != store.TrialDone {
		return list[0].State
	}
	p, err := s.trials.Look(ctx, game, list[0].ID)
	if err == nil && trialInfo(p, true).Clean {
		return "clean"
	}
	return "not clean"
}

func (s *Server) putPlan(ctx context.Context, in *planInput) (*planOutput, error) {
	_, p, found := check.Text(in.RawBody, s.store.CommonsText(ctx))
	switch {
	case plan.IsCommons(in.RawBody):
		return nil, problem(http.StatusUnprocessableEntity, "invalid", "This is a commons, not a plan",
			"Put it to /v1/commons.")
	case found.Errors():
		return nil, broken(found)
	case p.Game.Name != in.Game:
		return nil, otherGame(p.Game.Name, in.Game)
	}
	g := store.Game{ID: in.Game, Title: model.Title(p.Title, p.Game.Name), Version: p.Version.Value,
		Text: string(in.RawBody)}
	now, _ := s.store.Game(ctx, in.Game) // of one that is not there, * stands for nothing
	g, err := s.store.PutPlan(ctx, g, tagOf(in.IfMatch, now.ETag))
	if err != nil {
		return nil, s.asProblem(err)
	}
	return &planOutput{quoted(g.ETag), reportOf(found)}, nil
}

func (s *Server) putFate(ctx context.Context, in *fateInput) (*planOutput, error) {
	g, err := s.store.Game(ctx, in.Game)
	if err != nil {
		return nil, s.asProblem(err)
	}
	kind := in.Body.Fate
	if kind == "default" {
		kind = ""
	}
	text, err := plan.SetFate(g.Text, in.Variable, in.Crossing, kind, in.Body.Set)
	if err != nil {
		return nil, problem(http.StatusConflict, "edit", "The text cannot be changed by itself", "%v.", err)
	}
	return s.putPlan(ctx, &planInput{GamePath: in.GamePath, IfMatch: in.IfMatch, RawBody: []byte(text)})
}

func (s *Server) getPlan(ctx context.Context, in *GamePath) (*planText, error) {
	g, err := s.store.Game(ctx, in.Game)
	if err != nil {
		return nil, s.asProblem(err)
	}
	return &planText{"application/yaml", quoted(g.ETag), []byte(g.Text)}, nil
}

func (s *Server) getFindings(ctx context.Context, in *GamePath) (*planOutput, error) {
	j, err := s.judgedPlan(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	return &planOutput{quoted(j.etag), reportOf(j.found)}, nil
}

func (s *Server) getMatrix(ctx context.Context, in *GamePath) (*body[matrix.Matrix], error) {
	j, err := s.runnable(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	return &body[matrix.Matrix]{matrix.Of(j.model)}, nil
}

func (s *Server) listNames(ctx context.Context, in *GamePath) (*body[[]contract.Named], error) {
	j, err := s.runnable(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	return &body[[]contract.Named]{namesOf(j.model)}, nil
}

// namesOf is everything that a plan names.
func namesOf(m *model.Model) []contract.Named {
	out := []contract.Named{}
	add := func(kind, name, title string, at finding.At) {
		out = append(out, contract.Named{Kind: kind, Name: name, Title: title, Line: at.Line})
	}
	for _, v := range m.Vars {
		add("variable", v.Name, v.Title, v.At)
		out[len(out)-1].Type = matrix.TypeText(v)
	}
	for _, scene := range m.Scenes {
		add("scene", scene.ID, scene.Title, scene.At)
		for _, x := range scene.Spots {
			add("spot", x.ID, x.ID, x.At)
		}
		for _, x := range scene.Areas {
			add("area", x.ID, x.Title, x.At)
		}
	}
	for _, x := range m.Passages {
		add("passage", x.ID, x.Title, x.At)
	}
	for _, x := range m.Checkpoints {
		add("checkpoint", x.ID, x.ID, x.At)
	}
	for _, x := range m.Waymarks {
		add("waymark", x.ID, x.Title, x.At)
	}
	for _, x := range m.Props {
		add("prop", x.Name, x.Name, x.At)
	}
	for _, x := range m.Movables {
		add("movable", x.ID, x.Title, x.At)
	}
	for _, x := range m.Standings {
		add("standing", x.ID, x.Title, x.At)
	}
	for _, x := range m.Milestones {
		add("milestone", x.ID, x.Title, x.At)
	}
	for _, x := range m.Carriers {
		add("carrier", x.ID, x.Title, x.At)
	}
	for _, x := range m.Events {
		add("event", x.ID, x.Title, x.At)
	}
	for _, x := range m.Plan.Lists.Entries {
		add("list", x.ID, model.Title(x.Value.Title, x.ID), x.At)
	}
	for _, x := range m.Kinds {
		add("kind of prop", "prop:"+x.ID, x.Title, x.At)
	}
	for _, x := range m.Plan.Rosters.Entries {
		add("roster", x.ID, model.Title(x.Value.Title, x.ID), x.At)
	}
	return out
}
