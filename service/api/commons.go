package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/model"
	"alluvion.dev/service/store"
)

// CommonsPath names a commons.
type CommonsPath struct {
	Commons string `path:"commons" maxLength:"64" doc:"The commons' id."`
}

type commonsInput struct {
	CommonsPath
	IfMatch string `header:"If-Match" doc:"The entity tag of the text that it is to replace; without it there must be none yet."`
	RawBody []byte `contentType:"application/yaml"`
}

func (s *Server) commons(api huma.API) {
	tags := []string{"commons"}
	huma.Register(api, huma.Operation{OperationID: "list-commons", Method: http.MethodGet, Path: "/v1/commons",
		Summary: "All commons", Tags: tags}, s.listCommons)
	huma.Register(api, huma.Operation{OperationID: "put-commons", Method: http.MethodPut, Path: "/v1/commons/{commons}",
		Summary: "Make a text the commons", Tags: tags, MaxBodyBytes: maxPlan,
		Description: "Sessions that are open go on under the one that they were opened with.", Errors: []int{412, 413,
			422}}, s.putCommons)
	huma.Register(api, huma.Operation{OperationID: "get-commons", Responses: answering("application/yaml"),
		Method: http.MethodGet, Path: "/v1/commons/{commons}", Summary: "The commons, as it was written", Tags: tags, Errors: []int{404}}, s.getCommons)
}

func (s *Server) listCommons(ctx context.Context, _ *struct{}) (*body[[]contract.CommonsInfo], error) {
	list, err := s.store.AllCommons(ctx)
	out := []contract.CommonsInfo{}
	for _, c := range list {
		doc, _ := model.LoadCommons([]byte(c.Text))
		out = append(out, contract.CommonsInfo{ID: c.ID, Title: c.Title, Version: c.Version,
			Variables: doc.Variables.IDs(), UpdatedAt: c.UpdatedAt})
	}
	return &body[[]contract.CommonsInfo]{out}, s.asProblem(err)
}

func (s *Server) putCommons(ctx context.Context, in *commonsInput) (*planOutput, error) {
	doc, found := model.LoadCommons(in.RawBody)
	switch {
	case found.Errors():
		return nil, broken(found)
	case doc.Commons.Name != in.Commons:
		return nil, problem(http.StatusUnprocessableEntity, "invalid", "The commons has another id",
			"It says commons: %s, and the address says %s.", doc.Commons.Name, in.Commons)
	}
	now, _ := s.store.Commons(ctx, in.Commons) // of one that is not there, * stands for nothing
	c, err := s.store.PutCommons(ctx, store.Commons{ID: in.Commons, Title: model.Title(doc.Title, in.Commons),
		Version: doc.Version.Value, Text: string(in.RawBody)},
		tagOf(in.IfMatch, now.ETag))
	if err != nil {
		return nil, s.asProblem(err)
	}
	s.judgements.Clear() // plans that use it are to be judged anew
	return &planOutput{quoted(c.ETag), reportOf(found)}, nil
}

type commonsOutput struct {
	ContentType string `header:"Content-Type"`
	ETag        string `header:"ETag"`
	Body        []byte
}

func (s *Server) getCommons(ctx context.Context, in *CommonsPath) (*commonsOutput, error) {
	c, err := s.store.Commons(ctx, in.Commons)
	if err != nil {
		return nil, s.asProblem(err)
	}
	return &commonsOutput{"application/yaml", quoted(c.ETag), []byte(c.Text)}, nil
}
