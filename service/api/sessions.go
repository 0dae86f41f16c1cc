package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"alluvion/core/engine"
	"alluvion/core/types"
	"alluvion/core/wire"
	"alluvion/service/live"
)

// SessionInfo is an open session.
type SessionInfo struct {
	Name    string    `json:"name"`
	Version int       `json:"version" doc:"Of the plan that it is pinned to."`
	Opened  time.Time `json:"opened"`
	Time    float64   `json:"time" doc:"The session's time in seconds; it stands still while nobody is present."`
	Present []string  `json:"present" doc:"The players in it, by id."`
	Digest  string    `json:"digest" doc:"SHA-256 of its canonical state."`
}

// SessionState is an open session with what the game and its scenes hold.
type SessionState struct {
	SessionInfo
	Game   []Figure            `json:"game"`
	Scenes map[string][]Figure `json:"scenes"`
}

// Figure is one value.
type Figure struct {
	Name  string      `json:"name"`
	Title string      `json:"title"`
	Scene string      `json:"scene,omitempty" doc:"Of what each scene has."`
	Prop  string      `json:"prop,omitempty" doc:"Of what each prop has: cache.under_ledge."`
	Value types.Value `json:"value"`
}

// Request is something asked of a session.
type Request struct {
	Do      string           `json:"do" enum:"join,move,pass,touch,leave,start-over,event,write,ping" doc:"What is asked. ping says only that the player is still there: who has no connection, and of whom nothing is heard for the plan's grace (at least 15 s), leaves."`
	Player  string           `json:"player,omitempty" maxLength:"64" doc:"Whom it is about."`
	Server  bool             `json:"server,omitempty" doc:"The game's server asks, not the player."`
	Number  wire.Whole       `json:"number,omitempty" doc:"The player's own rising number. A number that was applied before changes nothing and gets the first answer."`
	Arrival wire.Whole       `json:"arrival,omitempty" doc:"The player's arrival that the sender knew of: where that is not the last one, the request is stale, and refused. 0 is not judged."`
	Sender  string           `json:"sender,omitempty" maxLength:"64" doc:"Of a server's request: which of the game's servers. Its numbers are its own."`
	Name    string           `json:"name,omitempty" maxLength:"64" doc:"The passage, checkpoint, event or variable."`
	Slot    int              `json:"slot,omitempty" doc:"Of join: the slot, from 1; 1 if unsaid."`
	To      wire.Coordinates `json:"to,omitempty" maxItems:"3" doc:"Of move: the coordinates."`
	Facing  string           `json:"facing,omitempty" maxLength:"64" doc:"Of move."`
	Args    wire.Values      `json:"args,omitempty" doc:"Of event: its arguments. Of write of what a scene or a prop has: scene or prop."`
	Value   *types.Value     `json:"value,omitempty" doc:"Of write: the value."`
	Picks   wire.Values      `json:"picks,omitempty" doc:"Of join: what the player picks on the way in, by variable."`
}

// Answer is what came of a request.
type Answer struct {
	Applied bool     `json:"applied" doc:"True; false where a repeated request got the first answer."`
	Number  uint64   `json:"number" doc:"The last numbered request of the player that was applied."`
	Time    float64  `json:"time" doc:"The session's time in seconds."`
	Changes []Change `json:"changes" doc:"Every value that changed, in order."`
	Notices []Notice `json:"notices" doc:"What players are told."`
	Saved   *Saved   `json:"saved,omitempty" doc:"Where the request led to a save of the player: it is on disk."`
}

// Saved is a save that was written.
type Saved struct {
	Revision int    `json:"revision"`
	Moment   string `json:"moment"`
	Error    string `json:"error,omitempty" doc:"Why it could not be written; it will be tried again."`
}

// Change is one value that changed, and why.
type Change struct {
	Player string      `json:"player,omitempty"`
	Scene  string      `json:"scene,omitempty"`
	Prop   string      `json:"prop,omitempty" doc:"cache.under_ledge."`
	Name   string      `json:"name" doc:"player.warmth, movables.sled, prop.cache.taken, scene.snow, game.planks, place, player.dead, player.checkpoint."`
	From   types.Value `json:"from"`
	To     types.Value `json:"to"`
	Cause  string      `json:"cause" doc:"Why, in words."`
	Rule   int         `json:"rule,omitempty" doc:"The rule, from 1."`
	Line   int         `json:"line,omitempty" doc:"Its line in the plan."`
	Times  int         `json:"times,omitempty" doc:"Of what a wait of a rehearsal brought again and again, from its first value to its last: how often."`
}

// Step is a change with its time.
type Step struct {
	Change
	Time float64   `json:"time" doc:"The session's, in seconds."`
	At   time.Time `json:"at"`
}

// Notice is something that players are told.
type Notice struct {
	Kind   string `json:"kind" doc:"joined, left, arrived, departed, checkpoint, died, came-back, started, milestone, taken, set-down, holds, stands, message, breach, undone."`
	Player string `json:"player,omitempty"`
	To     string `json:"to" enum:"player,scene,everyone"`
	Text   string `json:"text,omitempty" doc:"As the plan has it, or in English."`
	Scene  string `json:"scene,omitempty"`
	From   string `json:"from,omitempty" doc:"Of arrived: the scene that was left."`
	ID     string `json:"id,omitempty" doc:"The milestone, checkpoint or movable that it is about: for whoever says it in another language."`
	Rule   int    `json:"rule,omitempty" doc:"Of message: the rule that says it, from 1."`
}

func noticeOf(n engine.Notice) Notice {
	return Notice{n.Kind, n.Player, n.To, n.Text, n.Scene, n.From, n.ID, n.Rule}
}

// SessionPath names a session of a game.
type SessionPath struct {
	GamePath
	Session string `path:"session" maxLength:"64" doc:"The session's name."`
}

func (s *Server) sessions(api huma.API) {
	tags := []string{"sessions"}
	huma.Register(api, huma.Operation{OperationID: "list-sessions", Method: http.MethodGet, Path: "/v1/games/{game}/sessions", Summary: "The open sessions", Tags: tags, Errors: []int{404}}, s.listSessions)
	huma.Register(api, huma.Operation{OperationID: "open-session", Method: http.MethodPut, Path: "/v1/games/{game}/sessions/{session}", Summary: "Open a session", Tags: tags, Errors: []int{404, 422},
		Description: "A session that is open stays as it is."}, s.openSession)
	huma.Register(api, huma.Operation{OperationID: "get-session", Method: http.MethodGet, Path: "/v1/games/{game}/sessions/{session}", Summary: "A session, and what its game and scenes hold", Tags: tags, Errors: []int{404}}, s.getSession)
	huma.Register(api, huma.Operation{OperationID: "close-session", Method: http.MethodDelete, Path: "/v1/games/{game}/sessions/{session}", Summary: "End all visits, save everybody, close the session", Tags: tags, Errors: []int{404}}, s.closeSession)
	huma.Register(api, huma.Operation{OperationID: "send-request", Method: http.MethodPost, Path: "/v1/games/{game}/sessions/{session}/requests", Summary: "Ask something of a session", Tags: tags, MaxBodyBytes: maxRequest,
		Description: "A request is all or nothing: refused, it has changed nothing. Where it led to a save, the answer comes when that is on disk.", Errors: []int{404, 409, 413, 422}}, s.request)
	huma.Register(api, huma.Operation{OperationID: "list-changes", Method: http.MethodGet, Path: "/v1/games/{game}/sessions/{session}/changes", Summary: "Why is it so: the newest changes, newest first", Tags: tags, Errors: []int{404}}, s.changes)
}

func (s *Server) listSessions(ctx context.Context, in *GamePath) (*body[[]SessionInfo], error) {
	if _, err := s.store.Game(ctx, in.Game); err != nil {
		return nil, s.asProblem(err)
	}
	out := []SessionInfo{}
	for _, session := range s.live.Sessions(in.Game) {
		v, err := session.Look(ctx)
		if err != nil {
			continue // it has just been closed
		}
		out = append(out, infoOf(session, v))
	}
	return &body[[]SessionInfo]{out}, nil
}

func infoOf(s *live.Session, v live.Values) SessionInfo {
	return SessionInfo{Name: s.Name, Version: s.Model().Plan.Version.Value, Opened: s.Opened, Time: seconds(v.Clock), Present: v.Present, Digest: v.Digest}
}

func seconds(ms int64) float64 { return float64(ms) / 1000 }

func (s *Server) openSession(ctx context.Context, in *SessionPath) (*body[SessionInfo], error) {
	session, _, err := s.live.Open(ctx, in.Game, in.Session)
	if err != nil {
		return nil, s.asProblem(err)
	}
	v, err := session.Look(ctx)
	return &body[SessionInfo]{infoOf(session, v)}, s.asProblem(err)
}

func (s *Server) getSession(ctx context.Context, in *SessionPath) (*body[SessionState], error) {
	session, err := s.live.Session(in.Game, in.Session)
	if err != nil {
		return nil, s.asProblem(err)
	}
	v, err := session.Look(ctx)
	if err != nil {
		return nil, s.asProblem(err)
	}
	out := SessionState{SessionInfo: infoOf(session, v), Game: figures(v.Game), Scenes: map[string][]Figure{}}
	for scene, list := range v.Scenes {
		out.Scenes[scene] = figures(list)
	}
	return &body[SessionState]{out}, nil
}

func figures(list []engine.Figure) []Figure {
	out := make([]Figure, 0, len(list))
	for _, f := range list {
		out = append(out, Figure{f.Var.Name, f.Var.Title, f.Scene, f.Prop, f.Value})
	}
	return out
}

func (s *Server) closeSession(ctx context.Context, in *SessionPath) (*struct{}, error) {
	session, err := s.live.Session(in.Game, in.Session)
	if err != nil {
		return nil, s.asProblem(err)
	}
	return nil, s.asProblem(s.live.Close(ctx, session))
}

type requestInput struct {
	SessionPath
	Body Request
}

func (s *Server) request(ctx context.Context, in *requestInput) (*body[Answer], error) {
	session, err := s.live.Session(in.Game, in.Session)
	if err != nil {
		return nil, s.asProblem(err)
	}
	r := in.Body
	req := engine.Request{Do: r.Do, Player: r.Player, Server: r.Server, Number: uint64(r.Number), Arrival: int(r.Arrival), Sender: r.Sender, Name: r.Name, Slot: max(r.Slot, 0), To: r.To, Facing: r.Facing, Args: r.Args, Picks: r.Picks}
	if r.Slot == 0 {
		req.Slot = 1
	}
	if r.Value != nil {
		req.Value = *r.Value
	}
	a, err := s.live.Do(ctx, session, req)
	if err != nil {
		return nil, s.asProblem(err)
	}
	return &body[Answer]{answerOf(a)}, nil
}

func answerOf(a live.Answer) Answer {
	out := Answer{Applied: !a.Repeat, Number: a.Number, Time: seconds(a.Time), Changes: make([]Change, 0, len(a.Changes)), Notices: make([]Notice, 0, len(a.Notices))}
	for _, c := range a.Changes {
		out.Changes = append(out.Changes, changeOf(c))
	}
	for _, n := range a.Notices {
		out.Notices = append(out.Notices, noticeOf(n))
	}
	if a.Saved != nil {
		out.Saved = &Saved{a.Saved.Revision, a.Saved.Moment, a.Saved.Error}
	}
	return out
}

func changeOf(c engine.Change) Change {
	return Change{c.Player, c.Scene, c.Prop, c.Name, c.From, c.To, c.Cause.String(), c.Cause.Rule, c.Cause.Line, 0}
}

type changesInput struct {
	SessionPath
	Player string `query:"player" maxLength:"64" doc:"Only what this player has."`
	Name   string `query:"name" maxLength:"64" doc:"Only this value, as player.warmth."`
	Most   int    `query:"most" minimum:"1" maximum:"500" default:"50"`
}

func (s *Server) changes(ctx context.Context, in *changesInput) (*body[[]Step], error) {
	steps, err := s.trail(ctx, in)
	out := make([]Step, 0, len(steps))
	for _, st := range steps {
		out = append(out, Step{changeOf(st.Change), seconds(st.Time), st.At})
	}
	return &body[[]Step]{out}, s.asProblem(err)
}

// trail reads a session's changes; of one that is not open, what its journal on disk has.
func (s *Server) trail(ctx context.Context, in *changesInput) ([]live.Step, error) {
	session, err := s.live.Session(in.Game, in.Session)
	if err == nil {
		return session.Trail(ctx, in.Player, in.Name, in.Most)
	}
	if _, gameErr := s.store.Game(ctx, in.Game); gameErr != nil {
		return nil, gameErr
	}
	steps, dbErr := live.History(ctx, s.store, s.log, in.Game, in.Session, in.Player, in.Name, in.Most)
	if dbErr != nil || len(steps) > 0 {
		return steps, dbErr
	}
	if ever, dbErr := s.store.JournalEnd(ctx, in.Game, in.Session); dbErr != nil || ever > 0 {
		return nil, dbErr
	}
	return nil, err // neither open nor ever written
}
