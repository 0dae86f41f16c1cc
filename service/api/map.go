package api

import (
	"context"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Map is a plan's scenes, to be drawn to scale.
type Map struct {
	Unit     string       `json:"unit" doc:"What one unit stands for."`
	Axes     []string     `json:"axes"`
	Facings  []string     `json:"facings" doc:"Which ways one can face; none where the space has no facings."`
	Step     float64      `json:"step" doc:"Coordinates are whole multiples of this."`
	Reach    float64      `json:"reach" doc:"How far off a spot can be touched or passed."`
	Scenes   []MapScene   `json:"scenes"`
	Passages []MapPassage `json:"passages"`
	Kinds    []MapKind    `json:"kinds" doc:"What kinds of props there are."`
	Movables []MapMovable `json:"movables"`
	Events   []MapEvent   `json:"events" doc:"What can be sent there."`
	Calendar bool         `json:"calendar" doc:"Whether one of the plan's own crossings happens by the calendar."`
}

// MapScene is one scene. Points have a number for each axis.
type MapScene struct {
	ID    string    `json:"id"`
	Title string    `json:"title"`
	Line  int       `json:"line"`
	Low   []float64 `json:"low" doc:"Its least coordinates."`
	High  []float64 `json:"high" doc:"Where it ends; not in it any more."`
	Spots []MapSpot `json:"spots"`
	Areas []MapArea `json:"areas"`
	Props []MapProp `json:"props"`
	Near  *MapNear  `json:"near,omitempty" doc:"Whom machines are sent here; missing where it is everybody."`
}

// MapNear says that machines are sent only those who are near.
type MapNear struct {
	Within float64 `json:"within"`
	AtMost int     `json:"at_most"`
}

// MapSpot is a spot; where it is an edge with a span, From and To are its ends.
type MapSpot struct {
	ID         string    `json:"id" doc:"lodge/hearth."`
	At         []float64 `json:"at"`
	From       []float64 `json:"from"`
	To         []float64 `json:"to"`
	Checkpoint bool      `json:"checkpoint"`
	Point      string    `json:"point,omitempty" doc:"The checkpoint's id, where it is one."`
	Order      int       `json:"order,omitempty" doc:"Of the checkpoint."`
	Line       int       `json:"line"`
	Start      bool      `json:"start" doc:"Where a new run begins."`
}

// MapArea is an area: a box, or a circle where it has a radius.
type MapArea struct {
	ID     string    `json:"id" doc:"gorge/scree."`
	Title  string    `json:"title"`
	Low    []float64 `json:"low"`
	High   []float64 `json:"high"`
	Radius float64   `json:"radius,omitempty"`
	Line   int       `json:"line"`
}

// MapMovable is an object that exists once, where it begins.
type MapMovable struct {
	ID      string   `json:"id"`
	Title   string   `json:"title"`
	Start   string   `json:"start" doc:"The spot."`
	NeverIn []string `json:"never_in" doc:"The scenes that it never comes into."`
	Line    int      `json:"line"`
}

// MapEvent is an event that a player, or the game's server, may send.
type MapEvent struct {
	ID    string   `json:"id"`
	Title string   `json:"title"`
	From  string   `json:"from" enum:"self,server" doc:"Whether a player sends it about themselves, or the game's server does."`
	Args  []MapArg `json:"args"`
	Line  int      `json:"line"`
}

// MapArg is an argument of an event.
type MapArg struct {
	ID       string        `json:"id"`
	Type     string        `json:"type" doc:"int, decimal, bool, text, choice, pick, point, player or prop:kind."`
	Input    string        `json:"input" enum:"number,choice,text,items,player" doc:"How it is typed: a number, one of Choices, a text, several numbers with commas between, or one of the players who are there."`
	Words    string        `json:"words" doc:"What it is, with its limits: a whole number, 0 to 9."`
	Choices  []types.Value `json:"choices" doc:"What it can be, where it is one of a few."`
	Begins   types.Value   `json:"begins" doc:"Something that is allowed, for a form to begin with; null where nothing can be known."`
	Optional bool          `json:"optional,omitempty"`
}

// MapKind is a kind of props.
type MapKind struct {
	ID     string  `json:"id"`
	Title  string  `json:"title"`
	Radius float64 `json:"radius,omitempty" doc:"How near a player has to come to enter one."`
	Line   int     `json:"line"`
}

// MapProp is a placed object.
type MapProp struct {
	ID   string    `json:"id" doc:"cache.under_ledge."`
	Kind string    `json:"kind"`
	At   []float64 `json:"at"`
	Spot string    `json:"spot,omitempty" doc:"The spot that it stands on, where the plan says one."`
	Line int       `json:"line"`
}

// MapPassage is a passage, between two spots or to a waymark.
type MapPassage struct {
	ID       string   `json:"id"`
	Title    string   `json:"title"`
	From     string   `json:"from"`
	To       string   `json:"to,omitempty"`
	BothWays bool     `json:"both_ways"`
	Gated    bool     `json:"gated" doc:"Whether a condition is on it."`
	If       string   `json:"if,omitempty" doc:"The condition."`
	Refused  string   `json:"refused,omitempty" doc:"What somebody is told for whom it does not hold."`
	Waymark  string   `json:"waymark,omitempty" doc:"Where it leads to a remembered place: which."`
	Else     string   `json:"else,omitempty" doc:"The spot that it leads to where nothing is remembered."`
	Carries  []string `json:"carries" doc:"The axes, and facing, that a player keeps on the way."`
	Line     int      `json:"line"`
}

func (s *Server) maps(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "session-map", Method: http.MethodGet,
		Path: "/v1/games/{game}/sessions/{session}/map", Summary: "The scenes of the plan that a session runs, to be drawn", Tags: []string{"sessions"}, Errors: []int{404}},
		func(_ context.Context, in *SessionPath) (*body[Map], error) {
			session, err := s.live.Session(in.Game, in.Session)
			if err != nil {
				return nil, s.asProblem(err)
			}
			return &body[Map]{mapOf(session.Model())}, nil
		})
}

func mapOf(m *model.Model) Map {
	d := drawing{m}
	out := Map{Unit: m.Plan.Space.Unit.Or("metre"), Axes: m.Axes, Facings: append([]string{}, m.Facings...),
		Step: plainNumber(m.Step), Reach: plainNumber(m.Reach),
		Scenes: []MapScene{}, Passages: []MapPassage{}, Kinds: []MapKind{}, Movables: []MapMovable{}, Events: []MapEvent{},
		Calendar: slices.ContainsFunc(m.OwnCrossings, func(c *model.OwnCrossing) bool { return c.Calendar != nil })}
	for _, s := range m.Scenes {
		out.Scenes = append(out.Scenes, d.scene(s))
	}
	for _, p := range m.Passages {
		out.Passages = append(out.Passages, d.passage(p))
	}
	for _, k := range m.Kinds {
		out.Kinds = append(out.Kinds, MapKind{k.ID, k.Title, plainNumber(k.Radius), k.At.Line})
	}
	for _, x := range m.Movables {
		one := MapMovable{ID: x.ID, Title: x.Title, Start: x.Start.ID, NeverIn: []string{}, Line: x.At.Line}
		for _, s := range m.Scenes {
			if x.NeverIn[s] {
				one.NeverIn = append(one.NeverIn, s.ID)
			}
		}
		out.Movables = append(out.Movables, one)
	}
	for _, e := range m.Events {
		out.Events = append(out.Events, d.event(e))
	}
	return out
}

// plainNumber is a number as JSON has it.
func plainNumber(n fixed.Num) float64 {
	nano, _ := n.Nano()
	return float64(nano) / 1e9
}

// drawing turns a plan's scenes into what is drawn.
type drawing struct{ m *model.Model }

func (d drawing) point(p [model.MaxAxes]fixed.Num) []float64 {
	list := make([]float64, len(d.m.Axes))
	for i := range list {
		list[i] = plainNumber(p[i])
	}
	return list
}

func (d drawing) scene(s *model.Scene) MapScene {
	x := MapScene{ID: s.ID, Title: s.Title, Line: s.At.Line, Low: d.point(s.Lo), High: d.point(s.Hi),
		Spots: []MapSpot{}, Areas: []MapArea{}, Props: []MapProp{}}
	if near := s.Tells; near != nil {
		x.Near = &MapNear{plainNumber(near.Within), near.AtMost}
	}
	for _, spot := range s.Spots {
		x.Spots = append(x.Spots, d.spot(spot))
	}
	for _, a := range s.Areas {
		area := MapArea{ID: a.ID, Title: a.Title, Low: d.point(a.Lo), High: d.point(a.Hi), Line: a.At.Line}
		if a.Ball {
			area.Radius = plainNumber(a.Radius)
		}
		x.Areas = append(x.Areas, area)
	}
	for _, p := range s.Props {
		placed := p.Kind.Decl.Placed.Get(p.ID)
		x.Props = append(x.Props, MapProp{p.Name, p.Kind.ID, d.point(p.Point), placed.Spot.Name, p.At.Line})
	}
	return x
}

func (d drawing) spot(spot *model.Spot) MapSpot {
	lo, hi := spot.Point, spot.Point
	for i, span := range spot.Span {
		if span != nil {
			lo[i], hi[i] = span.Lo, span.Hi
		}
	}
	x := MapSpot{ID: spot.ID, At: d.point(spot.Point), From: d.point(lo), To: d.point(hi), Start: spot == d.m.Start,
		Line: spot.At.Line}
	for _, c := range d.m.Checkpoints {
		if c.Spot == spot {
			x.Checkpoint, x.Point, x.Order = true, c.ID, c.Order
		}
	}
	return x
}

func (d drawing) passage(p *model.Passage) MapPassage {
	x := MapPassage{ID: p.ID, Title: p.Title, From: p.From.ID, BothWays: p.BothWays, Gated: p.If != nil,
		Refused: p.Refused.Text, Carries: []string{}, Line: p.At.Line}
	if p.To != nil {
		x.To = p.To.ID
	}
	if p.Waymark != nil {
		x.Waymark = p.Waymark.ID
	}
	if p.Else != nil {
		x.Else = p.Else.ID
	}
	if p.If != nil {
		x.If = p.If.Source
	}
	for i, axis := range d.m.Axes {
		if p.Carry.Axes[i] {
			x.Carries = append(x.Carries, axis)
		}
	}
	if p.Carry.Facing {
		x.Carries = append(x.Carries, "facing")
	}
	return x
}

func (d drawing) event(e *model.Event) MapEvent {
	x := MapEvent{ID: e.ID, Title: e.Title, From: "server", Args: []MapArg{}, Line: e.At.Line}
	if e.Self {
		x.From = "self"
	}
	for i := range e.Args {
		x.Args = append(x.Args, argument(&e.Args[i], e.Decl.Args.Get(e.Args[i].ID)))
	}
	return x
}

func argument(a *model.Arg, declared *plan.ValueType) MapArg {
	kind := a.Type.Kind
	out := MapArg{ID: a.ID, Type: declared.Type.Name, Input: string(kind.About().Input),
		Words:   kind.Words(a.Type) + kind.Limits(&a.Domain, declared.Plain()),
		Choices: []types.Value{}, Optional: a.Type.Optional}
	if a.Kind != nil {
		for _, p := range a.Kind.Props {
			out.Choices = append(out.Choices, types.OfText(p.ID))
		}
	}
	out.Choices = append(out.Choices, types.ChoicesOf(&a.Domain)...)
	switch {
	case len(out.Choices) > 0:
		out.Begins = out.Choices[0]
	case !a.Type.Optional:
		out.Begins = kind.Some(&a.Domain, func(int) int { return 0 })
	}
	return out
}
