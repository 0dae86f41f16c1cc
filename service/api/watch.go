package api

import (
	"context"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"alluvion/core/save"
	"alluvion/core/share"
	"alluvion/core/types"
	"alluvion/service/live"
)

// Overview is a session as people watch it.
type Overview struct {
	Time    float64               `json:"time" doc:"The session's time in seconds."`
	Tick    int64                 `json:"tick" doc:"The number of its last tick; 0 while no machine follows it."`
	Players []Watched             `json:"players"`
	Things  map[string]save.Place `json:"things" doc:"Where each movable is."`
	Held    map[string]string     `json:"held" doc:"Who holds those that somebody holds."`
	Refused []Refused             `json:"refused" doc:"What was refused last, newest first."`
}

// Watched is one player with their machine.
type Watched struct {
	Player   string                 `json:"player"`
	Place    save.Place             `json:"place"`
	Dead     bool                   `json:"dead"`
	Machine  *Machine               `json:"machine,omitempty" doc:"How their connection is doing; missing where they have none."`
	Lost     *time.Time             `json:"lost,omitempty" doc:"When the connection was lost; the seat is kept for a while."`
	Refusals map[string]int         `json:"refusals" doc:"How much was refused of them, by kind."`
	Values   map[string]types.Value `json:"values" doc:"Of the variables that were asked for."`
}

// Machine is how a connection is doing. It counts from its beginning.
type Machine struct {
	From       string   `json:"from" doc:"The machine's address."`
	Packed     bool     `json:"packed" doc:"Whether its frames are packed."`
	In         int64    `json:"in" doc:"Messages that came in."`
	Out        int64    `json:"out" doc:"Messages that went out."`
	BytesIn    int64    `json:"bytes_in"`
	BytesOut   int64    `json:"bytes_out"`
	Frames     int64    `json:"frames" doc:"Frames of state that went out."`
	Behind     int64    `json:"behind" doc:"Ticks since the machine was last sent something."`
	Mismatches int      `json:"mismatches" doc:"How often it believed something else than it ought to."`
	Unlike     []Unlike `json:"unlike" doc:"Where it differed the last time."`
	UnlikeAt   int64    `json:"unlike_at,omitempty" doc:"The tick at which it did so."`
}

// Unlike is a value that a machine believes otherwise than it ought to.
type Unlike struct {
	Address string `json:"address" doc:"player.warmth@wren."`
	Server  string `json:"server" doc:"What it ought to be, as JSON; empty where there is no such value."`
	Client  string `json:"client" doc:"What the machine believes, as JSON; empty where it knows nothing of it."`
	Since   int64  `json:"since" doc:"The tick since which it ought to be so."`
}

// Refused is something that was refused.
type Refused struct {
	At     time.Time `json:"at"`
	Time   float64   `json:"time"`
	Player string    `json:"player"`
	What   string    `json:"what"`
	Kind   string    `json:"kind"`
	Why    string    `json:"why"`
}

func (s *Server) watching(api huma.API) {
	tags := []string{"sessions"}
	huma.Register(api, huma.Operation{OperationID: "watch-session", Method: http.MethodGet, Path: "/v1/games/{game}/sessions/{session}/overview", Summary: "Who is there, where, and how their machines are doing", Tags: tags, Errors: []int{404}}, s.overview)
	huma.Register(api, huma.Operation{OperationID: "session-layout", Responses: answering("application/json"), Method: http.MethodGet, Path: "/v1/games/{game}/sessions/{session}/layout", Summary: "What machines are sent, and how packed frames are laid out", Tags: tags, Errors: []int{404}}, s.layout)
}

type layoutOutput struct {
	ContentType string `header:"Content-Type"`
	ETag        string `header:"ETag"`
	Body        []byte
}

func (s *Server) layout(_ context.Context, in *SessionPath) (*layoutOutput, error) {
	session, err := s.live.Session(in.Game, in.Session)
	if err != nil {
		return nil, s.asProblem(err)
	}
	raw, err := share.WriteLayout(session.Layout())
	return &layoutOutput{"application/json", `"` + session.Layout().Plan + `"`, raw}, err
}

type overviewInput struct {
	SessionPath
	Show string `query:"show" maxLength:"1000" doc:"Variables of players to show, with commas between: player.warmth,player.parcels."`
}

func (s *Server) overview(ctx context.Context, in *overviewInput) (*body[Overview], error) {
	session, err := s.live.Session(in.Game, in.Session)
	if err != nil {
		return nil, s.asProblem(err)
	}
	o, err := session.Overview(ctx, strings.Split(in.Show, ","))
	return &body[Overview]{overviewOf(o)}, s.asProblem(err)
}

// orEmpty is a table that is there: in JSON, none would be null.
func orEmpty[V any](table map[string]V) map[string]V {
	if table == nil {
		return map[string]V{}
	}
	return table
}

func overviewOf(o live.Overview) Overview {
	out := Overview{Time: seconds(o.Clock), Tick: o.Tick, Players: make([]Watched, 0, len(o.Players)), Things: orEmpty(o.Things), Held: orEmpty(o.Held), Refused: make([]Refused, 0, len(o.Denied))}
	for _, p := range o.Players {
		w := Watched{Player: p.ID, Place: p.Place, Dead: p.Dead, Refusals: orEmpty(p.Refusals), Values: orEmpty(p.Values)}
		if !p.Lost.IsZero() {
			lost := p.Lost.UTC()
			w.Lost = &lost
		}
		if m := p.Machine; m != nil {
			w.Machine = machineOf(m)
		}
		out.Players = append(out.Players, w)
	}
	for _, d := range o.Denied {
		out.Refused = append(out.Refused, Refused{d.At, seconds(d.Time), d.Player, d.What, d.Kind, d.Why})
	}
	return out
}

func machineOf(m *live.Machine) *Machine {
	out := &Machine{From: m.From, Packed: m.As == share.Packed, In: m.In, Out: m.Out, BytesIn: m.BytesIn, BytesOut: m.BytesOut, Frames: m.Frames, Behind: m.Behind,
		Mismatches: m.Differs, Unlike: make([]Unlike, 0, len(m.Unlike)), UnlikeAt: m.UnlikeAt}
	for _, d := range m.Unlike {
		out.Unlike = append(out.Unlike, Unlike{d.Address, string(d.Server), string(d.Client), d.Since})
	}
	return out
}

// watchEvery is how often those who watch a session are told how it stands.
const watchEvery = 250 * time.Millisecond

// watch tells how a session stands, again and again (Server-Sent Events), until it closes or nobody listens.
func (s *Server) watch(w http.ResponseWriter, r *http.Request) {
	session, err := s.live.Session(param(r, "game"), param(r, "session"))
	if err != nil {
		s.writeError(w, err)
		return
	}
	show := strings.Split(r.URL.Query().Get("show"), ",")
	s.again(w, r, "overview", watchEvery, func() (any, bool, error) {
		o, err := session.Overview(r.Context(), show)
		return overviewOf(o), false, err
	})
}

// connect takes a machine's connection over.
func (s *Server) connect(w http.ResponseWriter, r *http.Request) {
	session, err := s.live.Session(param(r, "game"), param(r, "session"))
	if err != nil {
		s.writeError(w, err)
		return
	}
	if !strings.EqualFold(r.Header.Get("Upgrade"), "websocket") {
		w.Header().Set("Upgrade", "websocket")
		writeProblem(w, problem(http.StatusUpgradeRequired, "upgrade", "This is a WebSocket", "Connect with a WebSocket (RFC 6455), sub-protocol alluvion.json.1 or alluvion.packed.1."))
		return
	}
	s.socket.Serve(w, r, session)
}
