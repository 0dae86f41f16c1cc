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

	"alluvion/core/plan"
	"alluvion/core/rehearse"
	"alluvion/service/store"
)

// RehearsalInfo is a rehearsal as a list shows it.
type RehearsalInfo struct {
	Name      string    `json:"name"`
	Title     string    `json:"title"`
	UpdatedAt time.Time `json:"updated_at"`
}

// RehearsalResult is what came of a run of a rehearsal.
type RehearsalResult struct {
	Name   string       `json:"name"`
	Title  string       `json:"title"`
	Passed bool         `json:"passed"`
	Steps  int          `json:"steps" doc:"How many there are."`
	Failed []FailedStep `json:"failed" doc:"Those at which something was otherwise than expected."`
}

// FailedStep is a step at which something was otherwise than expected.
type FailedStep struct {
	Step   int    `json:"step" doc:"From 1; 0 where the script cannot be played at all."`
	Line   int    `json:"line" doc:"Of the script."`
	Text   string `json:"text" doc:"The step as it is written."`
	Why    string `json:"why"`
	Wanted []Side `json:"wanted" doc:"Both sides of what was expected."`
}

// Side is one expectation with what is and what was wanted.
type Side struct {
	Name   string `json:"name"`
	Is     string `json:"is"`
	Wanted string `json:"wanted"`
}

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
	huma.Register(api, huma.Operation{OperationID: "list-rehearsals", Method: http.MethodGet, Path: at, Summary: "The rehearsals that are kept with a game", Tags: tags, Errors: []int{404}}, s.listRehearsals)
	huma.Register(api, huma.Operation{OperationID: "get-rehearsal", Responses: answering("application/yaml"), Method: http.MethodGet, Path: at + "/{name}", Summary: "A rehearsal, as it was written", Tags: tags, Errors: []int{404}}, s.getRehearsal)
	huma.Register(api, huma.Operation{OperationID: "put-rehearsal", Method: http.MethodPut, Path: at + "/{name}", Summary: "Keep a rehearsal, in place of one of its name", Tags: tags, MaxBodyBytes: maxPlan,
		Description: "One that cannot be read is refused, with its findings.", Errors: []int{404, 413, 422}}, s.putRehearsal)
	huma.Register(api, huma.Operation{OperationID: "drop-rehearsal", Method: http.MethodDelete, Path: at + "/{name}", Summary: "Delete a rehearsal", Tags: tags, Errors: []int{404}}, s.dropRehearsal)
	huma.Register(api, huma.Operation{OperationID: "run-rehearsal", Method: http.MethodPost, Path: at + "/{name}/run", Summary: "Play a rehearsal, and see at which step it fails", Tags: tags, MaxBodyBytes: 2 * maxPlan, Errors: []int{404, 413}}, s.runRehearsal)
}

func (s *Server) listRehearsals(ctx context.Context, in *GamePath) (*body[[]RehearsalInfo], error) {
	if _, err := s.store.Game(ctx, in.Game); err != nil {
		return nil, s.asProblem(err)
	}
	list, err := s.store.Rehearsals(ctx, in.Game)
	out := []RehearsalInfo{}
	for _, r := range list {
		out = append(out, RehearsalInfo{r.Name, r.Title, r.UpdatedAt})
	}
	return &body[[]RehearsalInfo]{out}, s.asProblem(err)
}

func (s *Server) getRehearsal(ctx context.Context, in *RehearsalPath) (*rehearsalText, error) {
	r, err := s.store.Rehearsal(ctx, in.Game, in.Name)
	return &rehearsalText{"application/yaml", []byte(r.Text)}, s.asProblem(err)
}

func (s *Server) putRehearsal(ctx context.Context, in *rehearsalInput) (*body[RehearsalInfo], error) {
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
	return &body[RehearsalInfo]{RehearsalInfo{r.Name, r.Title, time.Now().UTC()}}, nil
}

func (s *Server) dropRehearsal(ctx context.Context, in *RehearsalPath) (*struct{}, error) {
	return nil, s.asProblem(s.store.DropRehearsal(ctx, in.Game, in.Name))
}

func (s *Server) runRehearsal(ctx context.Context, in *runInput) (*body[RehearsalResult], error) {
	r, err := s.store.Rehearsal(ctx, in.Game, in.Name)
	if err != nil {
		return nil, s.asProblem(err)
	}
	load, err := s.planFiles(ctx, in.Game, in.Body.Plan)
	if err != nil {
		return nil, err
	}
	report := rehearse.Play([]byte(r.Text), load)
	out := RehearsalResult{Name: r.Name, Title: r.Title, Passed: report.Passed(), Steps: len(report.Steps), Failed: []FailedStep{}}
	for _, f := range report.Found {
		out.Failed = append(out.Failed, FailedStep{Line: f.Line, Why: f.Message, Wanted: []Side{}})
	}
	for i, step := range report.Steps {
		if step.Failed != "" {
			out.Failed = append(out.Failed, FailedStep{i + 1, step.Line, step.Text, step.Failed, sidesOf(step.Wanted)})
		}
	}
	return &body[RehearsalResult]{out}, nil
}

func sidesOf(list []rehearse.Side) []Side {
	out := []Side{}
	for _, x := range list {
		out = append(out, Side(x))
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
