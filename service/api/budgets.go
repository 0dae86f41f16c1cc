package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/core/pack"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
)

// Budgets is what a player costs on the wire.
type Budgets struct {
	Ticks    float64         `json:"ticks" doc:"Frames a second."`
	Frames   []share.Cost    `json:"frames" doc:"What each value costs in packed frames when it changes."`
	Overhead map[string]int  `json:"overhead" doc:"By part: how many bits say that what follows is a player's, and which values."`
	Carriers []CarrierBudget `json:"carriers"`
}

// CarrierBudget is how state fits into one carrier.
type CarrierBudget struct {
	Carrier string        `json:"carrier"`
	Title   string        `json:"title"`
	Symbols int           `json:"symbols" doc:"How many its alphabet has."`
	Length  int           `json:"length" doc:"How many symbols a message may have."`
	Used    int           `json:"used"`
	Left    int           `json:"left" doc:"Below zero where the message is too long."`
	Lanes   int           `json:"lanes"`
	Every   float64       `json:"every" doc:"Seconds between two messages of a lane."`
	Players int           `json:"players" doc:"How many write."`
	Heard   float64       `json:"heard" doc:"Seconds until each of them has been heard."`
	Fields  []FieldBudget `json:"fields"`
	Advice  []string      `json:"advice" doc:"What would make a message shorter, the most first."`
}

// FieldBudget is one field of a carrier's message.
type FieldBudget struct {
	Name   string `json:"name"`
	Sample int    `json:"sample,omitempty" doc:"Of place, from 1, the newest."`
	At     int    `json:"at"`
	Width  int    `json:"width"`
	What   string `json:"what" doc:"Which values it tells apart."`
}

// CarrierPath names a carrier of a game's plan.
type CarrierPath struct {
	GamePath
	Carrier string `path:"carrier" maxLength:"64"`
}

type encodeInput struct {
	CarrierPath
	Body map[string][]types.Value
}

type decodeInput struct {
	CarrierPath
	Body struct {
		Message string `json:"message" maxLength:"65536"`
	}
}

// Encoded is a message in a carrier's symbols.
type Encoded struct {
	Message string `json:"message"`
}

func (s *Server) budgets(api huma.API) {
	tags := []string{"budgets"}
	at := "/v1/games/{game}/budgets"
	huma.Register(api, huma.Operation{OperationID: "budgets", Method: http.MethodGet, Path: at,
		Summary: "What a player costs on the wire, in frames and on each carrier", Tags: tags, Errors: []int{404, 409}},
		s.getBudgets)
	huma.Register(api, huma.Operation{OperationID: "encode", Method: http.MethodPost, Path: at + "/{carrier}/encode",
		Summary: "Write values as a carrier's message", Tags: tags, MaxBodyBytes: maxRequest, Errors: []int{404, 422},
		Description: "By name a list of values: of what is carried in samples the newest first, of everything else one."}, s.encode)
	huma.Register(api, huma.Operation{OperationID: "decode", Method: http.MethodPost, Path: at + "/{carrier}/decode",
		Summary: "Read a carrier's message", Tags: tags, MaxBodyBytes: maxRequest, Errors: []int{404, 422}}, s.decode)
}

func (s *Server) getBudgets(ctx context.Context, in *GamePath) (*body[Budgets], error) {
	j, err := s.runnable(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	l := share.LayoutOf(j.model)
	out := Budgets{Ticks: l.Ticks, Frames: l.Costs(), Overhead: map[string]int{}, Carriers: []CarrierBudget{}}
	for part, name := range l.PartNames() {
		out.Overhead[name] = l.Overhead(0, part)
	}
	for _, x := range j.model.Carriers {
		c := pack.Of(x)
		writers := 1
		if x.Players {
			writers = j.model.Players()
		}
		b := CarrierBudget{Carrier: x.ID, Title: x.Title, Symbols: len(x.Alphabet), Length: x.Length, Used: c.Used,
			Left: c.Left(), Lanes: x.Lanes, Every: x.Every.Seconds(),
			Players: writers, Heard: c.HeardAfter(writers).Seconds(), Fields: []FieldBudget{}, Advice: []string{}}
		for _, f := range c.Fields {
			b.Fields = append(b.Fields, FieldBudget{f.Name, f.Sample, f.At, f.Width, f.What})
		}
		for _, a := range c.Advice() {
			b.Advice = append(b.Advice, a.String())
		}
		out.Carriers = append(out.Carriers, b)
	}
	return &body[Budgets]{out}, nil
}

// carrier finds the layout of a carrier's messages.
func (s *Server) carrier(ctx context.Context, in CarrierPath) (pack.Layout, error) {
	j, err := s.runnable(ctx, in.Game)
	if err != nil {
		return pack.Layout{}, err
	}
	for _, x := range j.model.Carriers {
		if x.ID == in.Carrier {
			return pack.Of(x), nil
		}
	}
	return pack.Layout{}, problem(http.StatusNotFound, "not-found", "There is no such thing here",
		"The plan has no carrier called %q.", in.Carrier)
}

func (s *Server) encode(ctx context.Context, in *encodeInput) (*body[Encoded], error) {
	l, err := s.carrier(ctx, in.CarrierPath)
	if err != nil {
		return nil, err
	}
	text, err := l.Encode(in.Body)
	if err != nil {
		return nil, problem(http.StatusUnprocessableEntity, "invalid", "The carrier cannot carry this", "%v.", err)
	}
	return &body[Encoded]{Encoded{text}}, nil
}

func (s *Server) decode(ctx context.Context, in *decodeInput) (*body[map[string][]types.Value], error) {
	l, err := s.carrier(ctx, in.CarrierPath)
	if err != nil {
		return nil, err
	}
	m, err := l.Decode(in.Body.Message)
	if err != nil {
		return nil, problem(http.StatusUnprocessableEntity, "invalid", "This is no message of the carrier", "%v.", err)
	}
	return &body[map[string][]types.Value]{m}, nil
}
