package live

import (
	"context"
	"log/slog"
	"slices"
	"time"

	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/types"
	"alluvion.dev/service/store"
)

// mostKept is how many changes are kept in memory that are not on disk yet; older ones are given up.
const mostKept = 2000

// Step is one change with its time. Number rises within the session, over its closing and opening again.
type Step struct {
	Number int64
	Time   int64 // the session's, in milliseconds
	At     time.Time
	engine.Change
}

// trail is what has changed and is not known to be on disk: it is written with the next cut, so that the
// journal on disk tells exactly how the state on disk came about.
type trail struct {
	steps  []Step
	last   int64 // the number of the newest
	handed int64 // up to which number they were handed out to be written
}

// add takes a change in that happened at a session's time, on a date.
func (t *trail) add(at int64, date time.Time, c *engine.Change) {
	t.last++
	t.steps = append(t.steps, Step{Number: t.last, Time: at, At: date, Change: *c})
	if len(t.steps) > mostKept {
		t.steps = append(t.steps[:0], t.steps[len(t.steps)-mostKept/2:]...)
	}
}

// noted is a change as the journal has it. Earlier services wrote the same names with a capital letter; they are read
// too, since names of members are found whatever their case.
type noted struct {
	Player string      `json:"player,omitempty"`
	Scene  string      `json:"scene,omitempty"`
	Prop   string      `json:"prop,omitempty"`
	Option string      `json:"option,omitempty"`
	Name   string      `json:"name"`
	From   types.Value `json:"from"`
	To     types.Value `json:"to"`
	Cause  *notedCause `json:"cause,omitempty"`
}

// notedCause has the fields of engine.Cause, in its order.
type notedCause struct {
	Kind     string `json:"kind"`
	Rule     int    `json:"rule,omitempty"`
	Named    string `json:"named,omitempty"`
	Line     int    `json:"line,omitempty"`
	Moment   string `json:"moment,omitempty"`
	Crossing string `json:"crossing,omitempty"`
	Fate     string `json:"fate,omitempty"`
}

// take hands out what was not handed out before, as entries of a journal.
func (t *trail) take() []store.Entry {
	var out []store.Entry
	for _, s := range t.steps {
		if s.Number <= t.handed {
			continue
		}
		doc, err := json.Marshal(noted{s.Player, s.Scene, s.Prop, s.Option, s.Name, s.From, s.To,
			(*notedCause)(s.Cause)})
		if err != nil {
			panic(err) // a change is plain data
		}
		out = append(out, store.Entry{Number: s.Number, At: s.At, Time: s.Time, Player: s.Player, Name: s.Name,
			Doc: doc})
	}
	t.handed = t.last
	return out
}

// isWritten forgets what is on disk; where it could not be written it is handed out again.
func (t *trail) isWritten(entries []store.Entry, ok bool) {
	if len(entries) == 0 {
		return
	}
	first, last := entries[0].Number, entries[len(entries)-1].Number
	if !ok {
		t.handed = min(t.handed, first-1)
		return
	}
	t.steps = slices.DeleteFunc(t.steps, func(s Step) bool { return first <= s.Number && s.Number <= last })
}

func stepsOf(entries []store.Entry, log *slog.Logger) []Step {
	out := make([]Step, 0, len(entries))
	for _, e := range entries {
		s := Step{Number: e.Number, Time: e.Time, At: e.At}
		var doc noted
		if err := json.Unmarshal(e.Doc, &doc); err != nil {
			log.Warn("an entry of the journal cannot be read", "name", e.Name, "error", err)
			continue
		}
		s.Change = engine.Change{Player: doc.Player, Scene: doc.Scene, Prop: doc.Prop, Option: doc.Option,
			Name: doc.Name, From: doc.From,
			To: doc.To, Cause: (*engine.Cause)(doc.Cause)}
		out = append(out, s)
	}
	return out
}

// find lists the newest changes first: of one player and one value, or ("") of any.
func (t *trail) find(player, name string, most int) []Step {
	var out []Step
	for i := len(t.steps) - 1; i >= 0 && len(out) < most; i-- {
		if s := t.steps[i]; (player == "" || s.Player == player) && (name == "" || s.Name == name) {
			out = append(out, s)
		}
	}
	return out
}

// Trail lists the newest changes of a session, newest first: of one player, or of one value, or ("") of all.
// It reads on where the session was open before.
func (s *Session) Trail(ctx context.Context, player, name string, most int) ([]Step, error) {
	var out []Step
	if err := s.ask(ctx, func() { out = s.trail.find(player, name, most) }); err != nil {
		return nil, err
	}
	older, err := History(ctx, s.store, s.log, s.Game, s.Name, player, name, most)
	for _, o := range older { // what was written in the meantime is there twice
		if len(out) < most && !slices.ContainsFunc(out, func(s Step) bool { return s.Number == o.Number }) {
			out = append(out, o)
		}
	}
	return out, err
}

// History lists what the journal on disk has of a session, open or not.
func History(ctx context.Context, db *store.Store, log *slog.Logger, game, session, player, name string,
	most int) ([]Step, error) {
	if most <= 0 {
		return nil, nil
	}
	entries, err := db.Journal(ctx, game, session, player, name, most)
	return stepsOf(entries, log), err
}
