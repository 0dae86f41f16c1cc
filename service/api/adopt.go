package api

import (
	"context"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/adopt"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
)

// maxAdopted is how many bytes of saves, in base64, a plan is drafted from at once.
const maxAdopted = 32 << 20

// mostTold is how much of what does not fit is told.
const mostTold = 200

type adoptInput struct{ Body contract.Adopting }

func (s *Server) adopting(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "adopt-saves", Method: http.MethodPost, Path: "/v1/adopt",
		Summary: "Draft a plan, and the format of its saves, from saves", Tags: []string{"plans"}, MaxBodyBytes: maxAdopted,
		Description: "Nothing is kept. What the saves hold is looked at as a whole: no value that may be somebody's alone is in the draft. Up to 32 MiB at once; more saves than that are drafted from by alluvion adopt.",
		Errors:      []int{413, 422}}, s.adopt)
}

func (s *Server) adopt(_ context.Context, in *adoptInput) (*body[contract.Adopted], error) {
	if in.Body.Game != "" && !plan.IsGameID(in.Body.Game) {
		return nil, problem(http.StatusUnprocessableEntity, engine.Invalid, "That is no id of a game", "%q cannot be one: lower-case letters, digits, - and _, up to 64.", in.Body.Game)
	}
	files := make([]adopt.File, len(in.Body.Files))
	for i, f := range in.Body.Files {
		files[i] = adopt.File{Name: f.Name, Raw: f.File}
	}
	d, err := adopt.New(files, adopt.Options{Game: in.Body.Game, Version: in.Body.Version})
	if errors.Is(err, adopt.ErrSaves) {
		return nil, problem(http.StatusUnprocessableEntity, engine.Invalid, "No plan can be drafted from these", "%v.", finding.Upper(err.Error()))
	}
	if err != nil {
		return nil, s.asProblem(err)
	}
	out := contract.Adopted{Plan: d.Plan, Findings: []finding.Finding{}, Formats: d.Formats, Saves: d.Saves, Clean: d.Clean, Back: d.Back, Doubts: d.Doubts, Told: []contract.AdoptTold{}}
	for _, f := range d.Found {
		if f.Accepted == "" {
			out.Findings = append(out.Findings, f)
		}
	}
	for _, t := range d.Told[:min(len(d.Told), mostTold)] {
		out.Told = append(out.Told, contract.AdoptTold{File: t.File, What: t.What})
	}
	out.More = len(d.Told) - len(out.Told)
	return &body[contract.Adopted]{out}, nil
}
