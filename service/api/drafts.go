package api

import (
	"context"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion/core/check"
	"alluvion/core/edit"
	"alluvion/core/finding"
	"alluvion/core/matrix"
	"alluvion/core/plan"
)

// A draft is a plan's text that is being worked on and is not kept here: whoever works on it sends it along.

// PlanEdit is one change of a plan's text.
type PlanEdit struct {
	Do        string   `json:"do" enum:"fate,put,remove,rename,retype,move,mend" doc:"fate: a variable's fate at a crossing. put: a value at a path, in place of what is there or as something new. remove: what is at a path. rename: a variable, or a scene, spot, area, passage, prop, checkpoint and so on at a path, gets another id, wherever the plan says it. retype, move: a variable gets another type, another holder. mend: a name that is none becomes the nearest that is one, wherever just this is wrong."`
	Name      string   `json:"name,omitempty" maxLength:"120" doc:"Of fate, retype, move, and rename or remove of a variable: which, as player.warmth."`
	Crossing  string   `json:"crossing,omitempty" enum:"scene,death,leave,restart,new-run" doc:"Of fate."`
	Fate      string   `json:"fate,omitempty" enum:"keep,reset,rewind,set,default" doc:"Of fate; default takes the variable's own fate away."`
	Set       string   `json:"set,omitempty" maxLength:"2000" doc:"Of the fate set: the expression."`
	Path      []string `json:"path,omitempty" maxItems:"12" doc:"Of put, remove, and rename of what is no variable: keys from the top, as scenes, gorge, spots, ledge, at."`
	Value     anyJSON  `json:"value,omitempty" doc:"Of put: the value. Of retype: what the declaration says of its type: type, min, max, step, start and so on; what is left out is taken away."`
	To        string   `json:"to,omitempty" maxLength:"120" doc:"Of rename: the new id. Of move: the new holder, as it is written in a plan."`
	Line      int      `json:"line,omitempty" minimum:"0" doc:"Of mend: the line of the finding, which names the nearest."`
	Column    int      `json:"column,omitempty" minimum:"0" doc:"Of mend: the column of the finding."`
	Step      bool     `json:"step,omitempty" doc:"Of rename, retype, move, and remove of a variable: write the upgrade step that takes saves along."`
	Published int      `json:"published,omitempty" minimum:"0" doc:"Of a change with a step: the newest published version. Where the plan has it, the step raises the plan's version."`
}

// EditWish is a plan's text with changes that are wanted.
type EditWish struct {
	Text  string     `json:"text" maxLength:"1100000" doc:"The plan."`
	Edits []PlanEdit `json:"edits" minItems:"1" maxItems:"50" doc:"What is changed, one after another."`
}

// Edited text with what the checks say of it.
type EditedText struct {
	Text   string `json:"text" doc:"The plan with the changes. Comments, order and layout of all else are as they were."`
	Report Report `json:"report"`
}

func (s *Server) drafts(api huma.API) {
	tags := []string{"plans"}
	huma.Register(api, huma.Operation{OperationID: "check-text", Method: http.MethodPost, Path: "/v1/check", Summary: "Check a text without keeping it", Tags: tags, MaxBodyBytes: maxPlan, Errors: []int{413}},
		func(ctx context.Context, in *textInput) (*body[Report], error) {
			_, _, found := check.Text(in.RawBody, s.store.CommonsText(ctx))
			return &body[Report]{reportOf(found)}, nil
		})
	huma.Register(api, huma.Operation{OperationID: "matrix-of-text", Method: http.MethodPost, Path: "/v1/matrix", Summary: "The matrix of a text, without keeping it", Tags: tags, MaxBodyBytes: maxPlan, Errors: []int{413, 422}},
		func(ctx context.Context, in *textInput) (*body[matrix.Matrix], error) {
			m, _, found := check.Text(in.RawBody, s.store.CommonsText(ctx))
			if m == nil {
				return nil, broken(found)
			}
			return &body[matrix.Matrix]{matrix.Of(m)}, nil
		})
	huma.Register(api, huma.Operation{OperationID: "matrix-in-form", Responses: answering("text/csv", "text/markdown", "image/svg+xml"), Method: http.MethodPost, Path: "/v1/matrix/{form}", Summary: "The matrix of a text as CSV, Markdown or SVG", Tags: tags, MaxBodyBytes: maxPlan, Errors: []int{413, 422}}, s.matrixAs)
	huma.Register(api, huma.Operation{OperationID: "map-of-text", Method: http.MethodPost, Path: "/v1/map", Summary: "The scenes of a text, to be drawn, without keeping it", Tags: tags, MaxBodyBytes: maxPlan, Errors: []int{413, 422}},
		func(ctx context.Context, in *textInput) (*body[Map], error) {
			m, _, found := check.Text(in.RawBody, s.store.CommonsText(ctx))
			if m == nil {
				return nil, broken(found)
			}
			return &body[Map]{mapOf(m)}, nil
		})
	huma.Register(api, huma.Operation{OperationID: "edit-text", Method: http.MethodPost, Path: "/v1/edits", Summary: "Change a text by just what is asked, without keeping it", Tags: tags, MaxBodyBytes: 2 * maxPlan,
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
	m, _, found := check.Text(in.RawBody, s.store.CommonsText(ctx))
	if m == nil {
		return nil, broken(found)
	}
	mx := matrix.Of(m)
	text, err := mx.As(in.Form)
	types := map[string]string{"csv": "text/csv; charset=utf-8", "markdown": "text/markdown; charset=utf-8", "svg": "image/svg+xml"}
	return &formOutput{types[in.Form], []byte(text)}, err
}

type editInput struct{ Body EditWish }

func (s *Server) edit(ctx context.Context, in *editInput) (*body[EditedText], error) {
	edits := make([]edit.Edit, len(in.Body.Edits))
	for i, e := range in.Body.Edits {
		edits[i] = edit.Edit{Do: e.Do, Name: e.Name, Crossing: e.Crossing, Fate: e.Fate, Set: e.Set, Path: e.Path, Value: jsontext.Value(e.Value), To: e.To, At: finding.At{Line: e.Line, Column: e.Column}, Step: e.Step, Published: e.Published}
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
	return &body[EditedText]{EditedText{text, reportOf(found)}}, nil
}
