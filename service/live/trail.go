package live

import (
	"context"
	"log/slog"
	"slices"
	"time"

	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/core/engine"
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

func (t *trail) add(s Step) {
	t.last++
	s.Number = t.last
	t.steps = append(t.steps, s)
	if len(t.steps) > mostKept {
		t.steps = append(t.steps[:0], t.steps[len(t.steps)-mostKept/2:]...)
	}
}

// take hands out what was not handed out before, as entries of a journal.
func (t *trail) take() []store.Entry {
	var out []store.Entry
	for _, s := range t.steps {
		if s.Number <= t.handed {
			continue
		}
		doc, err := json.Marshal(s.Change)
		if err != nil {
			panic(err) // a change is plain data
		}
		out = append(out, store.Entry{Number: s.Number, At: s.At, Time: s.Time, Player: s.Player, Name: s.Name,
			Doc: doc})
	}
	t.handed = t.last
	return out
}

// written forgets what is on disk; where it could not be written it is handed out again.
func (t *trail) written(entries []store.Entry, ok bool) {
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
		if err := json.Unmarshal(e.Doc, &s.Change); err != nil {
			log.Warn("an entry of the journal cannot be read", "name", e.Name, "error", err)
			continue
		}
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
