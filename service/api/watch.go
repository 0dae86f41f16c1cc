package api

import (
	"context"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/share"
	"alluvion.dev/service/live"
)

func (s *Server) watching(api huma.API) {
	tags := []string{"sessions"}
	huma.Register(api, huma.Operation{OperationID: "watch-session", Method: http.MethodGet,
		Path: "/v1/games/{game}/sessions/{session}/overview", Summary: "Who is there, where, and how their machines are doing", Tags: tags, Errors: []int{404}}, s.overview)
	huma.Register(api, huma.Operation{OperationID: "session-layout", Responses: answering("application/json"),
		Method: http.MethodGet, Path: "/v1/games/{game}/sessions/{session}/layout", Summary: "What machines are sent, and how packed frames are laid out", Tags: tags, Errors: []int{404}}, s.layout)
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
	contract.Sought
}

func soughtOf(in contract.Sought) live.Sought {
	return live.Sought{Show: strings.Split(in.Show, ","), Scene: in.Scene, Player: in.Player, Most: in.Most}
}

func (s *Server) overview(ctx context.Context, in *overviewInput) (*body[contract.Overview], error) {
	session, err := s.live.Session(in.Game, in.Session)
	if err != nil {
		return nil, s.asProblem(err)
	}
	o, err := session.Overview(ctx, soughtOf(in.Sought))
	return &body[contract.Overview]{overviewOf(o)}, s.asProblem(err)
}

// orEmpty is a table that is there: in JSON, none would be null.
func orEmpty[V any](table map[string]V) map[string]V {
	if table == nil {
		return map[string]V{}
	}
	return table
}

func overviewOf(o live.Overview) contract.Overview {
	t := o.Traffic
	out := contract.Overview{Time: seconds(o.Clock), Tick: o.Tick, Present: o.Present, Scenes: o.Scenes,
		Traffic: contract.Traffic{Machines: t.Machines, In: t.In, Out: t.Out, BytesIn: t.BytesIn, BytesOut: t.BytesOut,
			Mismatches: t.Differs}, Players: make([]contract.Watched, 0, len(o.Players)),
		Things: orEmpty(o.Things), Held: orEmpty(o.Held), Refused: make([]contract.Refused, 0, len(o.Denied))}
	for _, p := range o.Players {
		w := contract.Watched{Player: p.ID, Place: p.Place, Dead: p.Dead, Refusals: orEmpty(p.Refusals),
			Values: orEmpty(p.Values)}
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
		out.Refused = append(out.Refused, contract.Refused{At: d.At, Time: seconds(d.Time), Player: d.Player,
			What: d.What, Kind: d.Kind, Why: d.Why})
	}
	return out
}

func machineOf(m *live.Machine) *contract.Machine {
	out := &contract.Machine{From: m.From, Packed: m.As == share.Packed, In: m.In, Out: m.Out, BytesIn: m.BytesIn,
		BytesOut: m.BytesOut, Frames: m.Frames, Behind: m.Behind,
		Mismatches: m.Differs, Unlike: make([]contract.Unlike, 0, len(m.Unlike)), UnlikeAt: m.UnlikeAt}
	if m.Near != nil {
		out.Near = &contract.Near{Others: m.Near.Others, Waiting: m.Near.Waiting}
	}
	for _, d := range m.Unlike {
		out.Unlike = append(out.Unlike, contract.Unlike{Address: d.Address, Server: string(d.Server),
			Client: string(d.Client), Since: d.Since})
	}
	return out
}

// mostWatched is how many players somebody is shown who does not say how many.
const mostWatched = 200

// watchEvery is how often those who watch a session are told how it stands.
const watchEvery = 250 * time.Millisecond

// watch tells how a session stands, again and again (Server-Sent Events), until it closes or nobody listens.
func (s *Server) watch(w http.ResponseWriter, r *http.Request) {
	session, err := s.live.Session(param(r, "game"), param(r, "session"))
	if err != nil {
		s.writeError(w, err)
		return
	}
	query := r.URL.Query()
	sought := contract.Sought{Show: query.Get("show"), Scene: query.Get("scene"), Player: query.Get("player"), Most: mostWatched}
	if most, err := strconv.Atoi(query.Get("most")); err == nil && 1 <= most && most <= 1000 {
		sought.Most = most
	}
	s.again(w, r, "overview", watchEvery, func() (any, bool, error) {
		o, err := session.Overview(r.Context(), soughtOf(sought))
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
		writeProblem(w, problem(http.StatusUpgradeRequired, "upgrade", "This is a WebSocket",
			"Connect with a WebSocket (RFC 6455), sub-protocol alluvion.json.1 or alluvion.packed.1; where the plan has scenes with near, alluvion.json.2 or alluvion.packed.2."))
		return
	}
	s.socket.Serve(w, r, session)
}
