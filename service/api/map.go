package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"alluvion/core/fixed"
	"alluvion/core/model"
)

// Map is a plan's scenes, to be drawn to scale.
type Map struct {
	Unit     string       `json:"unit" doc:"What one unit stands for."`
	Axes     []string     `json:"axes"`
	Scenes   []MapScene   `json:"scenes"`
	Passages []MapPassage `json:"passages"`
}

// MapScene is one scene. Points have a number for each axis.
type MapScene struct {
	ID    string     `json:"id"`
	Title string     `json:"title"`
	Low   []float64  `json:"low" doc:"Its least coordinates."`
	High  []float64  `json:"high" doc:"Where it ends; not in it any more."`
	Spots []MapSpot  `json:"spots"`
	Areas []MapArea  `json:"areas"`
	Props []MapPoint `json:"props"`
}

// MapSpot is a spot; where it is an edge with a span, From and To are its ends.
type MapSpot struct {
	ID         string    `json:"id" doc:"lodge/hearth."`
	At         []float64 `json:"at"`
	From       []float64 `json:"from"`
	To         []float64 `json:"to"`
	Checkpoint bool      `json:"checkpoint"`
	Start      bool      `json:"start" doc:"Where a new run begins."`
}

// MapArea is an area: a box, or a circle where it has a radius.
type MapArea struct {
	ID     string    `json:"id"`
	Low    []float64 `json:"low"`
	High   []float64 `json:"high"`
	Radius float64   `json:"radius,omitempty"`
}

// MapPoint is something that stands at a point.
type MapPoint struct {
	ID string    `json:"id"`
	At []float64 `json:"at"`
}

// MapPassage is a passage, between two spots or to a waymark.
type MapPassage struct {
	ID       string `json:"id"`
	Title    string `json:"title"`
	From     string `json:"from"`
	To       string `json:"to,omitempty"`
	BothWays bool   `json:"both_ways"`
	Gated    bool   `json:"gated" doc:"Whether a condition is on it."`
}

func (s *Server) maps(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "session-map", Method: http.MethodGet, Path: "/v1/games/{game}/sessions/{session}/map", Summary: "The scenes of the plan that a session runs, to be drawn", Tags: []string{"sessions"}, Errors: []int{404}},
		func(_ context.Context, in *SessionPath) (*body[Map], error) {
			session, err := s.live.Session(in.Game, in.Session)
			if err != nil {
				return nil, s.asProblem(err)
			}
			return &body[Map]{mapOf(session.Model())}, nil
		})
}

func mapOf(m *model.Model) Map {
	out := Map{Unit: m.Plan.Space.Unit.Or("metre"), Axes: m.Axes, Scenes: []MapScene{}, Passages: []MapPassage{}}
	point := func(p [model.MaxAxes]fixed.Num) []float64 {
		list := make([]float64, len(m.Axes))
		for i := range list {
			nano, _ := p[i].Nano()
			list[i] = float64(nano) / 1e9
		}
		return list
	}
	for _, s := range m.Scenes {
		x := MapScene{ID: s.ID, Title: s.Title, Low: point(s.Lo), High: point(s.Hi), Spots: []MapSpot{}, Areas: []MapArea{}, Props: []MapPoint{}}
		for _, spot := range s.Spots {
			x.Spots = append(x.Spots, spotOf(m, spot, point))
		}
		for _, a := range s.Areas {
			area := MapArea{ID: a.ID, Low: point(a.Lo), High: point(a.Hi)}
			if a.Ball {
				nano, _ := a.Radius.Nano()
				area.Radius = float64(nano) / 1e9
			}
			x.Areas = append(x.Areas, area)
		}
		for _, p := range s.Props {
			x.Props = append(x.Props, MapPoint{p.Name, point(p.Point)})
		}
		out.Scenes = append(out.Scenes, x)
	}
	for _, p := range m.Passages {
		x := MapPassage{ID: p.ID, Title: p.Title, From: p.From.ID, BothWays: p.BothWays, Gated: p.If != nil}
		if p.To != nil {
			x.To = p.To.ID
		}
		out.Passages = append(out.Passages, x)
	}
	return out
}

func spotOf(m *model.Model, spot *model.Spot, point func([model.MaxAxes]fixed.Num) []float64) MapSpot {
	lo, hi := spot.Point, spot.Point
	for i, span := range spot.Span {
		if span != nil {
			lo[i], hi[i] = span.Lo, span.Hi
		}
	}
	x := MapSpot{ID: spot.ID, At: point(spot.Point), From: point(lo), To: point(hi), Start: spot == m.Start}
	for _, c := range m.Checkpoints {
		x.Checkpoint = x.Checkpoint || c.Spot == spot
	}
	return x
}
