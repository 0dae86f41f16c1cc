package api

import (
	"context"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/contract"
	"alluvion.dev/core/check"
	"alluvion.dev/core/edit"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/matrix"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/sentence"
)

// A draft is a plan's text that is being worked on and is not kept here: whoever works on it sends it along.

func (s *Server) drafts(api huma.API) {
	tags := []string{"plans"}
	huma.Register(api, huma.Operation{OperationID: "check-text", Method: http.MethodPost, Path: "/v1/check",
		Summary: "Check a text without keeping it", Tags: tags, MaxBodyBytes: maxPlan, Errors: []int{413}},
		func(ctx context.Context, in *textInput) (*body[contract.Report], error) {
			_, _, found := check.Text(in.RawBody, s.store.CommonsText(ctx))
			return &body[contract.Report]{reportOf(found)}, nil
		})
	huma.Register(api, huma.Operation{OperationID: "matrix-of-text", Method: http.MethodPost, Path: "/v1/matrix",
		Summary: "The matrix of a text, without keeping it", Tags: tags, MaxBodyBytes: maxPlan, Errors: []int{413,
			422}},
		func(ctx context.Context, in *textInput) (*body[matrix.Matrix], error) {
			m, _, found := check.Plan(in.RawBody, s.store.CommonsText(ctx))
			if m == nil {
				return nil, broken(found)
			}
			return &body[matrix.Matrix]{matrix.Of(m)}, nil
		})
	huma.Register(api, huma.Operation{OperationID: "matrix-in-form",
		Responses: answering("text/csv", "text/markdown",
			"image/svg+xml"), Method: http.MethodPost, Path: "/v1/matrix/{form}",
		Summary: "The matrix of a text as CSV, Markdown or SVG", Tags: tags, MaxBodyBytes: maxPlan, Errors: []int{413,
			422}}, s.matrixAs)
	huma.Register(api, huma.Operation{OperationID: "map-of-text", Method: http.MethodPost, Path: "/v1/map",
		Summary: "The scenes of a text, to be drawn, without keeping it", Tags: tags, MaxBodyBytes: maxPlan, Errors: []int{413, 422}},
		func(ctx context.Context, in *textInput) (*body[Map], error) {
			m, _, found := check.Plan(in.RawBody, s.store.CommonsText(ctx))
			if m == nil {
				return nil, broken(found)
			}
			return &body[Map]{mapOf(m)}, nil
		})
	huma.Register(api, huma.Operation{OperationID: "outline-of-text", Method: http.MethodPost, Path: "/v1/outline",
		Summary: "A text as forms show it, with its rules in sentences, without keeping it", Tags: tags, MaxBodyBytes: maxPlan, Errors: []int{413, 422}}, s.outline)
	huma.Register(api, huma.Operation{OperationID: "edit-text", Method: http.MethodPost, Path: "/v1/edits",
		Summary: "Change a text by just what is asked, without keeping it", Tags: tags, MaxBodyBytes: 2 * maxPlan,
		Description: "A change after which the plan has errors is made all the same: a plan may have errors while it is being written.", Errors: []int{409, 413, 422}}, s.edit)
}

type formInput struct {
	Form string `path:"form" enum:"csv,markdown,svg"`
	textInput
}

type formOutput struct {
	ContentType string `header:"Content-Type"`
	Body        []byte
}

func (s *Server) matrixAs(ctx context.Context, in *formInput) (*formOutput, error) {
	m, _, found := check.Plan(in.RawBody, s.store.CommonsText(ctx))
	if m == nil {
		return nil, broken(found)
	}
	mx := matrix.Of(m)
	text, err := mx.As(in.Form)
	types := map[string]string{"csv": "text/csv; charset=utf-8", "markdown": "text/markdown; charset=utf-8",
		"svg": "image/svg+xml"}
	return &formOutput{types[in.Form], []byte(text)}, err
}

// outline says what a text has, also where it has errors.
func (s *Server) outline(ctx context.Context, in *textInput) (*body[contract.Outline], error) {
	document, err := plan.Document(string(in.RawBody))
	if err != nil {
		_, _, found := check.Text(in.RawBody, s.store.CommonsText(ctx))
		return nil, broken(found)
	}
	p, _ := plan.Read(in.RawBody)
	out := contract.Outline{Document: contract.JSON(document), Says: []contract.Sentence{}, Groups: []contract.RuleGroup{}, Names: []contract.Named{}}
	for _, said := range sentence.Of(p) {
		out.Says = append(out.Says, contract.Sentence(said))
	}
	touched := map[string]sentence.Touched{}
	if m, _, _ := check.Plan(in.RawBody, s.store.CommonsText(ctx)); m != nil {
		out.Names = namesOf(m)
		for _, t := range sentence.Touches(m) {
			touched[t.At] = t
		}
	}
	for _, g := range sentence.Groups(p) {
		group := contract.RuleGroup{Title: g.Title, Event: g.Event, Rules: []contract.RuleGlance{}}
		for _, at := range g.Rules {
			t := touched[at]
			group.Rules = append(group.Rules, contract.RuleGlance{At: at, Reads: append([]string{}, t.Reads...), Changes: append([]string{}, t.Changes...)})
		}
		out.Groups = append(out.Groups, group)
	}
	return &body[contract.Outline]{out}, nil
}

type editInput struct{ Body contract.EditWish }

func (s *Server) edit(ctx context.Context, in *editInput) (*body[contract.EditedText], error) {
	edits := make([]edit.Edit, len(in.Body.Edits))
	for i, e := range in.Body.Edits {
		edits[i] = edit.Edit{Do: e.Do, Name: e.Name, Crossing: e.Crossing, Fate: e.Fate, Set: e.Set, Path: e.Path,
			Value: jsontext.Value(e.Value), To: e.To, At: finding.At{Line: e.Line,
				Column: e.Column}, Step: e.Step, Published: e.Published}
	}
	commons := s.store.CommonsText(ctx)
	text, err := edit.Apply(in.Body.Text, edits, commons)
	if errors.Is(err, plan.ErrEdit) {
		return nil, problem(http.StatusConflict, "edit", "The text cannot be changed by itself", "%v.", err)
	}
	if err != nil {
		return nil, s.asProblem(err)
	}
	_, _, found := check.Text([]byte(text), commons)
	return &body[contract.EditedText]{contract.EditedText{Text: text, Report: reportOf(found)}}, nil
}
