package api

import (
	"context"
	"fmt"
	"net/http"
	"path"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/rehearse"
	"alluvion.dev/service/store"
)

// RehearsalPath names a rehearsal of a game.
type RehearsalPath struct {
	GamePath
	Name string `path:"name" maxLength:"80" pattern:"^[a-z0-9][a-z0-9_-]*$" doc:"The rehearsal's name: lower-case letters, digits, - and _."`
}

type rehearsalInput struct {
	RehearsalPath
	RawBody []byte `contentType:"application/yaml" doc:"The rehearsal, as YAML or JSON."`
}

type rehearsalText struct {
	ContentType string `header:"Content-Type"`
	Body        []byte
}

type runInput struct {
	RehearsalPath
	Body struct {
		Plan string `json:"plan,omitempty" maxLength:"1100000" doc:"The plan's text; the game's plan if unsaid."`
	}
}

func (s *Server) rehearsals(api huma.API) {
	tags, at := []string{"rehearsals"}, "/v1/games/{game}/rehearsals"
	huma.Register(api, huma.Operation{OperationID: "list-rehearsals", Method: http.MethodGet, Path: at,
		Summary: "The rehearsals that are kept with a game", Tags: tags, Errors: []int{404}}, s.listRehearsals)
	huma.Register(api, huma.Operation{OperationID: "get-rehearsal", Responses: answering("application/yaml"),
		Method: http.MethodGet, Path: at +
			"/{name}", Summary: "A rehearsal, as it was written", Tags: tags, Errors: []int{404}}, s.getRehearsal)
	huma.Register(api, huma.Operation{OperationID: "put-rehearsal", Method: http.MethodPut, Path: at + "/{name}",
		Summary: "Keep a rehearsal, in place of one of its name", Tags: tags, MaxBodyBytes: maxPlan,
		Description: "One that cannot be read is refused, with its findings.", Errors: []int{404, 413, 422}},
		s.putRehearsal)
	huma.Register(api, huma.Operation{OperationID: "drop-rehearsal", Method: http.MethodDelete, Path: at + "/{name}",
		Summary: "Delete a rehearsal", Tags: tags, Errors: []int{404}}, s.dropRehearsal)
	huma.Register(api, huma.Operation{OperationID: "run-rehearsal", Method: http.MethodPost, Path: at + "/{name}/run",
		Summary: "Play a rehearsal, and see at which step it fails", Tags: tags, MaxBodyBytes: 2 * maxPlan, Errors: []int{404, 413}}, s.runRehearsal)
}

func (s *Server) listRehearsals(ctx context.Context, in *GamePath) (*body[[]contract.RehearsalInfo], error) {
	if _, err := s.store.Game(ctx, in.Game); err != nil {
		return nil, s.asProblem(err)
	}
	list, err := s.store.Rehearsals(ctx, in.Game)
	out := []contract.RehearsalInfo{}
	for _, r := range list {
		out = append(out, contract.RehearsalInfo{Name: r.Name, Title: r.Title, UpdatedAt: r.UpdatedAt})
	}
	return &body[[]contract.RehearsalInfo]{out}, s.asProblem(err)
}

func (s *Server) getRehearsal(ctx context.Context, in *RehearsalPath) (*rehearsalText, error) {
	r, err := s.store.Rehearsal(ctx, in.Game, in.Name)
	return &rehearsalText{"application/yaml", []byte(r.Text)}, s.asProblem(err)
}

func (s *Server) putRehearsal(ctx context.Context, in *rehearsalInput) (*body[contract.RehearsalInfo], error) {
	if _, err := s.store.Game(ctx, in.Game); err != nil {
		return nil, s.asProblem(err)
	}
	script, found := plan.ReadRehearsal(in.RawBody)
	if found.Errors() {
		p := broken(found)
		p.Title = "The rehearsal cannot be played"
		return nil, p
	}
	r := store.Rehearsal{Game: in.Game, Name: in.Name, Title: script.Title.Value, Text: string(in.RawBody)}
	if err := s.store.PutRehearsal(ctx, r); err != nil {
		return nil, s.asProblem(err)
	}
	return &body[contract.RehearsalInfo]{contract.RehearsalInfo{Name: r.Name, Title: r.Title,
		UpdatedAt: time.Now().UTC()}}, nil
}

func (s *Server) dropRehearsal(ctx context.Context, in *RehearsalPath) (*struct{}, error) {
	return nil, s.asProblem(s.store.DropRehearsal(ctx, in.Game, in.Name))
}

func (s *Server) runRehearsal(ctx context.Context, in *runInput) (*body[contract.RehearsalResult], error) {
	r, err := s.store.Rehearsal(ctx, in.Game, in.Name)
	if err != nil {
		return nil, s.asProblem(err)
	}
	load, err := s.planFiles(ctx, in.Game, in.Body.Plan)
	if err != nil {
		return nil, err
	}
	report := rehearse.Play([]byte(r.Text), load)
	out := contract.RehearsalResult{Name: r.Name, Title: r.Title, Passed: report.Passed(), Steps: len(report.Steps),
		Failed: []contract.FailedStep{}}
	for _, f := range report.Found {
		out.Failed = append(out.Failed, contract.FailedStep{Line: f.Line, Why: f.Message, Wanted: []contract.Side{}})
	}
	for i, step := range report.Steps {
		if step.Failed != "" {
			out.Failed = append(out.Failed, contract.FailedStep{Step: i + 1, Line: step.Line, Text: step.Text,
				Why: step.Failed, Wanted: sidesOf(step.Wanted)})
		}
	}
	return &body[contract.RehearsalResult]{out}, nil
}

func sidesOf(list []rehearse.Side) []contract.Side {
	out := []contract.Side{}
	for _, x := range list {
		out = append(out, contract.Side(x))
	}
	return out
}

// versionFile is how a rehearsal names another version of its plan: plan.v4.yaml.
var versionFile = regexp.MustCompile(`\.v(\d+)\.ya?ml$`)

// planFiles gives rehearsals the files that they name: the plan, its published versions, and commons. text takes the
// place of the game's plan, unless it is empty.
func (s *Server) planFiles(ctx context.Context, game, text string) (func(name string) ([]byte, error), error) {
	g, err := s.store.Game(ctx, game)
	if err != nil {
		return nil, s.asProblem(err)
	}
	if text == "" {
		text = g.Text
	}
	commons := s.store.CommonsText(ctx)
	return func(name string) ([]byte, error) {
		if found := versionFile.FindStringSubmatch(name); found != nil {
			number, err := strconv.Atoi(found[1])
			if err != nil {
				return nil, err
			}
			v, err := s.store.Version(ctx, game, number)
			if p, _ := plan.Read([]byte(text)); err != nil && p.Version.Value == number {
				return []byte(text), nil
			}
			return []byte(v.Text), err
		}
		if folder := path.Base(path.Dir(name)); folder != "." && folder != ".." && folder != "history" { // the plan of another game
			other, err := s.store.Game(ctx, folder)
			return []byte(other.Text), err
		}
		base := path.Base(name)
		if shared, err := commons(strings.TrimSuffix(base, path.Ext(base))); err == nil {
			return shared, nil
		}
		if strings.HasPrefix(base, "plan.") {
			return []byte(text), nil
		}
		return nil, fmt.Errorf("there is no %s", base)
	}, nil
}
