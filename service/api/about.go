package api

import (
	"context"
	"errors"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	json "github.com/go-json-experiment/json/v1"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/examples/starts"
	"alluvion.dev/service/cluster"
)

func writeProblem(w http.ResponseWriter, p *contract.Problem) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p)
}

type body[T any] struct{ Body T }

// answering says in the contract in which forms an operation answers with bytes that are handed on as they are.
func answering(kinds ...string) map[string]*huma.Response {
	content := map[string]*huma.MediaType{}
	for _, kind := range kinds {
		schema := &huma.Schema{Type: huma.TypeString}
		if strings.HasSuffix(kind, "json") {
			schema = &huma.Schema{Type: huma.TypeObject, AdditionalProperties: true}
		}
		content[kind] = &huma.MediaType{Schema: schema}
	}
	return map[string]*huma.Response{"200": {Description: "OK", Content: content}}
}

type rawBody struct {
	ContentType string `header:"Content-Type"`
	Body        []byte
}

// about registers what is not about one game.
func (s *Server) about(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "health", Method: http.MethodGet, Path: "/healthz",
		Summary: "Whether the service can read and write", Tags: []string{"service"}},
		func(ctx context.Context, _ *struct{}) (*body[contract.Health], error) {
			var err error
			if s.node != nil { // of one of several nodes it is asked whether it can write with the others
				err = s.node.Together()
			} else {
				err = s.store.Alive(ctx)
			}
			if errors.Is(err, cluster.ErrApart) {
				return nil, s.asProblem(err)
			} else if err != nil {
				return nil, problem(http.StatusServiceUnavailable, "store", "The store does not answer", "%v", err)
			}
			return &body[contract.Health]{contract.Health{Status: "ok", Version: s.version,
				Up: time.Since(s.started).Round(time.Second).String()}}, nil
		})
	huma.Register(api, huma.Operation{OperationID: "plan-schema", Responses: answering("application/schema+json"),
		Method: http.MethodGet, Path: "/v1/schema", Summary: "The JSON Schema of plans", Tags: []string{"plans"}},
		func(context.Context, *struct{}) (*rawBody, error) {
			return &rawBody{"application/schema+json", plan.Schema()}, nil
		})
	huma.Register(api, huma.Operation{OperationID: "plan-language", Method: http.MethodGet, Path: "/v1/language",
		Summary: "What a form has to know to ask for names, types and values of a plan", Tags: []string{"plans"}},
		func(context.Context, *struct{}) (*body[plan.Language], error) {
			return &body[plan.Language]{plan.Spoken()}, nil
		})
	huma.Register(api, huma.Operation{OperationID: "list-starts", Method: http.MethodGet, Path: "/v1/starts",
		Summary: "Small games that a new one can begin with", Tags: []string{"plans"}},
		func(context.Context, *struct{}) (*body[[]contract.Start], error) {
			var out []contract.Start
			for _, s := range starts.All() {
				one := contract.Start{ID: s.ID, Title: s.Title, About: s.About, Plan: s.Plan}
				for _, name := range slices.Sorted(maps.Keys(s.Rehearsals)) {
					one.Rehearsals = append(one.Rehearsals, contract.StartRehearsal{Name: name, Text: s.Rehearsals[name]})
				}
				out = append(out, one)
			}
			return &body[[]contract.Start]{out}, nil
		})
	huma.Register(api, huma.Operation{OperationID: "finding-kinds", Method: http.MethodGet, Path: "/v1/findings",
		Summary: "Every kind of finding, explained", Tags: []string{"plans"}},
		func(context.Context, *struct{}) (*body[[]finding.Kind], error) {
			return &body[[]finding.Kind]{finding.Kinds()}, nil
		})
}
