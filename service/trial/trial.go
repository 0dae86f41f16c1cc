// Package trial takes all saves of a game to a plan without writing any, beside the sessions that play: it can be
// watched, stopped, and gone on with, also after the service was stopped.
package trial

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/store"
)

// What can be wrong, for errors.Is.
var (
	ErrRunning = errors.New("a trial of this game is running")
	ErrDone    = errors.New("the trial is done")
	ErrPlan    = errors.New("the plan cannot run")
)

// keepEvery is how often it is written down how far a trial has come.
const keepEvery = 500 * time.Millisecond

// Runner runs trials, one of each game at a time. It is safe for use by several goroutines.
type Runner struct {
	store *store.Store
	log   *slog.Logger

	mu     sync.Mutex
	runs   map[string]*run // by game
	closed bool
	wait   sync.WaitGroup
}

// run is a trial that is running.
type run struct {
	cancel context.CancelFunc
	mu     sync.Mutex
	now    store.Trial // as it is told to those who ask
	began  time.Time   // of this stretch
	before int         // how many were done when it began
}

// New has no trials running. Those that ran when the service was stopped are stopped, and can be gone on with.
func New(s *store.Store, log *slog.Logger) *Runner {
	return &Runner{store: s, log: log, runs: map[string]*run{}}
}

// Progress is how far a trial is.
type Progress struct {
	store.Trial
	Rate float64       // saves a second, while it runs
	Left time.Duration // until it is done, while it runs
}

// Start begins a trial of a game's plan over its saves, and over saves that are generated for each published version.
func (r *Runner) Start(ctx context.Context, g store.Game, made int, seed uint32) (store.Trial, error) {
	m, err := r.model(ctx, g.Text)
	if err != nil {
		return store.Trial{}, err
	}
	total, err := r.total(ctx, g.ID, m, made, seed)
	if err != nil {
		return store.Trial{}, err
	}
	doc, _ := json.Marshal(upgrade.NewTrial(m))
	t := store.Trial{Game: g.ID, ETag: g.ETag, Version: g.Version, Made: made, Seed: seed, Total: total, Text: g.Text,
		Doc: doc}
	return t, r.begin(m, &t, func() error {
		var err error
		t, err = r.store.NewTrial(ctx, t)
		return err
	})
}

// GoOn goes on with a trial that was stopped.
func (r *Runner) GoOn(ctx context.Context, game string, id int) (store.Trial, error) {
	t, err := r.store.Trial(ctx, game, id)
	if err != nil {
		return t, err
	}
	if t.State == store.TrialDone {
		return t, ErrDone
	}
	m, err := r.model(ctx, t.Text)
	if err != nil {
		return t, err
	}
	return t, r.begin(m, &t, func() error {
		t.State, t.Error = store.TrialRuns, ""
		return r.store.PutTrial(ctx, t)
	})
}

func (r *Runner) model(ctx context.Context, text string) (*model.Model, error) {
	m, _, found := check.Plan([]byte(text), r.store.CommonsText(ctx))
	if m == nil || found.Errors() {
		return nil, fmt.Errorf("%w: %s", ErrPlan, found[0].Message)
	}
	return m, nil
}

// begin runs a trial on a goroutine of its own, once it is written down.
func (r *Runner) begin(m *model.Model, t *store.Trial, keep func() error) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.runs[t.Game] != nil || r.closed {
		return ErrRunning
	}
	if err := keep(); err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(context.Background())
	x := &run{cancel: cancel, now: *t, began: time.Now(), before: t.Done}
	r.runs[t.Game] = x
	r.wait.Add(1)
	go func() {
		defer r.wait.Done()
		defer cancel()
		w := &worker{Runner: r, run: x, m: m, chain: upgrade.New(m), judge: engine.NewJudge(m, nil), t: *t,
			kept: time.Now()}
		w.work(ctx)
		r.mu.Lock()
		delete(r.runs, t.Game)
		r.mu.Unlock()
	}()
	return nil
}

// Stop stops a trial; it can be gone on with.
func (r *Runner) Stop(game string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if x := r.runs[game]; x != nil {
		x.cancel()
	}
}

// Apart does something while no trial of a game runs or begins.
func (r *Runner) Apart(game string, do func() error) error {
	r.mu.Lock()
	if r.runs[game] != nil || r.closed {
		r.mu.Unlock()
		return ErrRunning
	}
	r.runs[game] = &run{cancel: func() {}} // nobody begins one
	r.mu.Unlock()
	defer func() {
		r.mu.Lock()
		defer r.mu.Unlock()
		delete(r.runs, game)
	}()
	return do()
}

// Close stops all trials, and is done when they have written down how far they have come.
func (r *Runner) Close() {
	r.mu.Lock()
	r.closed = true
	for _, x := range r.runs {
		x.cancel()
	}
	r.mu.Unlock()
	r.wait.Wait()
}

// Look says how far a trial is.
func (r *Runner) Look(ctx context.Context, game string, id int) (Progress, error) {
	r.mu.Lock()
	x := r.runs[game]
	r.mu.Unlock()
	if x != nil {
		if p, ok := x.progress(id); ok {
			return p, nil
		}
	}
	t, err := r.store.Trial(ctx, game, id)
	return Progress{Trial: asStopped(t)}, err
}

// List lists the trials of a game, newest first.
func (r *Runner) List(ctx context.Context, game string) ([]Progress, error) {
	list, err := r.store.Trials(ctx, game)
	var out []Progress
	r.mu.Lock()
	x := r.runs[game]
	r.mu.Unlock()
	for _, t := range list {
		if x != nil {
			if p, ok := x.progress(t.ID); ok {
				out = append(out, p)
				continue
			}
		}
		out = append(out, Progress{Trial: asStopped(t)})
	}
	return out, err
}

// asStopped tells of a trial that was running when the service was stopped.
func asStopped(t store.Trial) store.Trial {
	if t.State == store.TrialRuns {
		t.State = store.TrialStopped
	}
	return t
}

func (x *run) progress(id int) (Progress, bool) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.now.ID != id {
		return Progress{}, false
	}
	p := Progress{Trial: x.now}
	if took := time.Since(x.began).Seconds(); took > 0 && x.now.Done > x.before {
		p.Rate = float64(x.now.Done-x.before) / took
		p.Left = time.Duration(float64(max(0, x.now.Total-x.now.Done)) / p.Rate * float64(time.Second))
	}
	return p, true
}

// Forget takes what trials show of a player's saves out of them. A trial that is running is stopped first.
func (r *Runner) Forget(ctx context.Context, game, player string) error {
	list, err := r.store.Trials(ctx, game)
	if err != nil {
		return err
	}
	r.mu.Lock()
	running := r.runs[game] != nil
	r.mu.Unlock()
	if running {
		return ErrRunning
	}
	for _, t := range list {
		full, err := r.store.Trial(ctx, game, t.ID)
		if err != nil {
			return err
		}
		var result upgrade.Trial
		if json.Unmarshal(full.Doc, &result) != nil || !result.Forget(player+", slot ", player+", over all slots") &&
			full.Player != player {
			continue
		}
		full.Doc, _ = json.Marshal(result)
		if full.Player == player && full.State == store.TrialDone {
			full.Player = ""
		}
		if err := r.store.PutTrial(ctx, full); err != nil {
			return err
		}
	}
	return nil
}

// worker carries a trial out.
type worker struct {
	*Runner
	run   *run
	m     *model.Model
	chain *upgrade.Chain
	judge *engine.Judge
	t     store.Trial
	tally *upgrade.Trial
	kept  time.Time

	beside []beside // what tries saves on each processor
}

// beside is what one goroutine needs to try saves.
type beside struct {
	chain *upgrade.Chain
	judge *engine.Judge
}

func (w *worker) work(ctx context.Context) {
	err := json.Unmarshal(w.t.Doc, &w.tally)
	if err == nil {
		err = w.everything(ctx)
	}
	switch {
	case errors.Is(err, context.Canceled):
		w.t.State = store.TrialStopped
	case err != nil:
		w.t.State, w.t.Error = store.TrialFailed, err.Error()
		w.log.Error("a trial failed", "game", w.t.Game, "trial", w.t.ID, "error", err)
	default:
		w.t.State, w.t.Total = store.TrialDone, w.t.Done
		w.tally.Sort()
	}
	w.t.EndedAt = time.Now().UTC()
	w.write() // nobody is told before: whoever sees that it has ended may begin another
}

// everything tries what is generated, then the worlds, then the profiles, then the saves, each from where it stopped.
func (w *worker) everything(ctx context.Context) error {
	parts, err := w.parts(ctx, w.t.Game, w.m)
	if err != nil {
		return err
	}
	for i, part := range parts {
		if i < w.t.Part {
			continue
		}
		before, done := w.snapshot(), w.t.Done
		if err := w.madeUp(ctx, part); err != nil {
			w.tally, w.t.Done = before, done // a part is tried whole or not at all
			return err
		}
		w.t.Part = i + 1
		w.keep()
	}
	if w.t.Part == len(parts) {
		before, done := w.snapshot(), w.t.Done
		err := w.store.Worlds(ctx, w.t.Game, func(session string, doc []byte) error {
			w.add("the world of "+session, doc, w.around(ctx))
			return ctx.Err()
		})
		if err != nil {
			w.tally, w.t.Done = before, done
			return err
		}
		w.t.Part++
	}
	if w.t.Part == len(parts)+1 {
		before, done := w.snapshot(), w.t.Done
		err := w.store.Profiles(ctx, w.t.Game, func(player string, doc []byte) error {
			w.add(player+", over all slots", doc, upgrade.Around{})
			return ctx.Err()
		})
		if err != nil {
			w.tally, w.t.Done = before, done
			return err
		}
		w.t.Part++
	}
	around := w.around(ctx)
	var list []tried
	err = w.store.Heads(ctx, w.t.Game, w.t.Player, w.t.Slot, func(h store.Head) error {
		if list = append(list, tried{head: h}); len(list) < together {
			return ctx.Err()
		}
		w.addAll(ctx, list, around)
		list = list[:0]
		return ctx.Err()
	})
	if err == nil {
		w.addAll(ctx, list, around)
	}
	return err
}

// together is how many saves are tried before what came of them is counted.
const together = 200

// tried is a save, and what came of it.
type tried struct {
	head store.Head
	is   upgrade.Checked
}

// addAll tries saves on all processors, and counts what came of them in their order.
func (w *worker) addAll(ctx context.Context, list []tried, around upgrade.Around) {
	for len(w.beside) < min(runtime.NumCPU(), len(list)) {
		w.beside = append(w.beside, beside{upgrade.New(w.m), engine.NewJudge(w.m, nil)})
	}
	var all sync.WaitGroup
	var next atomic.Int64
	for _, b := range w.beside {
		all.Go(func() {
			for i := int(next.Add(1)) - 1; i < len(list); i = int(next.Add(1)) - 1 {
				x, near := &list[i], around
				if x.head.Verify() != nil {
					x.head.Doc = nil // as unreadable as it would be for whoever loads it
				}
				near.Profile = w.profileOf(ctx, b.chain, x.head.Player)
				x.is = b.chain.Check(x.head.Doc, nil, near, b.judge)
			}
		})
	}
	all.Wait()
	for i := range list {
		h := &list[i].head
		w.t.Player, w.t.Slot = h.Player, h.Slot
		w.tally.AddChecked(&list[i].is, fmt.Sprintf("%s, slot %d, revision %d", h.Player, h.Slot, h.Revision), h.Doc)
		w.counted()
	}
}

// snapshot copies what came of the trial so far.
func (w *worker) snapshot() *upgrade.Trial {
	raw, _ := json.Marshal(w.tally)
	var out *upgrade.Trial
	_ = json.Unmarshal(raw, &out)
	return out
}

// parts are the published versions for which saves are generated: those before the plan's own.
func (r *Runner) parts(ctx context.Context, game string, m *model.Model) ([]*model.Model, error) {
	list, err := r.store.Versions(ctx, game)
	if err != nil {
		return nil, err
	}
	slices.Reverse(list)
	var out []*model.Model
	for _, v := range list {
		if v.Version >= m.Plan.Version.Value {
			continue
		}
		full, err := r.store.Version(ctx, game, v.Version)
		if err != nil {
			return nil, err
		}
		old, err := r.model(ctx, full.Text)
		if err != nil {
			return nil, fmt.Errorf("version %d: %w", v.Version, err)
		}
		out = append(out, old)
	}
	return out, nil
}

// total is how many saves a trial tries.
func (r *Runner) total(ctx context.Context, game string, m *model.Model, made int, seed uint32) (int, error) {
	n, err := r.store.CountHeads(ctx, game)
	if err != nil {
		return 0, err
	}
	if err := r.store.Worlds(ctx, game, func(string, []byte) error { n++; return nil }); err != nil {
		return 0, err
	}
	if err := r.store.Profiles(ctx, game, func(string, []byte) error { n++; return nil }); err != nil {
		return 0, err
	}
	parts, err := r.parts(ctx, game, m)
	for _, part := range parts {
		if err == nil {
			err = upgrade.MadeUp(part, seed, made, func(string, any) error { n++; return ctx.Err() })
		}
	}
	return n, err
}

func (w *worker) madeUp(ctx context.Context, old *model.Model) error {
	return upgrade.MadeUp(old, w.t.Seed, w.t.Made, func(name string, doc any) error {
		raw, err := save.Encode(doc)
		if err != nil {
			return err
		}
		w.add(fmt.Sprintf("generated for version %d: %s", old.Plan.Version.Value, name), raw, upgrade.Around{})
		return ctx.Err()
	})
}

// profileOf is what a player has over all slots, where an upgrade takes anything from it to the slots.
func (w *worker) profileOf(ctx context.Context, chain *upgrade.Chain, player string) *save.Profile {
	if !chain.FromProfile() {
		return nil
	}
	raw, err := w.store.Profile(ctx, w.t.Game, player)
	if err != nil || raw == nil {
		return nil
	}
	profile, _, err := chain.Profile(raw)
	if err != nil {
		return nil // it is reported where it is tried itself
	}
	return profile
}

// around is what upgrades read besides a save: the first stored world, and all saves.
func (w *worker) around(ctx context.Context) upgrade.Around {
	var once sync.Once
	var raw []byte
	return upgrade.Around{
		World: func() (*save.LooseWorld, error) {
			once.Do(func() {
				_ = w.store.Worlds(ctx, w.t.Game, func(_ string, doc []byte) error {
					raw = doc
					return errors.New("one is enough")
				})
			})
			if raw == nil {
				return nil, nil
			}
			return save.OpenWorld(raw)
		},
		Players: func(visit func(*save.Loose) error) error {
			return w.store.Heads(ctx, w.t.Game, "", 0, func(h store.Head) error {
				if l, err := save.OpenPlayer(h.Doc); err == nil {
					return visit(l)
				}
				return nil
			})
		},
	}
}

func (w *worker) add(name string, raw []byte, around upgrade.Around) {
	w.tally.Add(w.chain, w.judge, name, raw, nil, around)
	w.counted()
}

// counted says that one more was tried.
func (w *worker) counted() {
	w.t.Done++
	if time.Since(w.kept) > keepEvery {
		w.told()
		if w.t.Part > 0 && w.t.Player != "" { // between two parts nothing is written down
			w.keep()
		}
		w.kept = time.Now()
	}
}

// told lets those who ask know how far it is.
func (w *worker) told() {
	w.t.Doc, _ = json.Marshal(w.tally)
	w.run.mu.Lock()
	w.run.now = w.t
	w.run.mu.Unlock()
}

// keep writes down how far it is.
func (w *worker) keep() {
	w.told()
	w.write()
}

func (w *worker) write() {
	w.t.Doc, _ = json.Marshal(w.tally)
	if err := w.store.PutTrial(context.Background(), w.t); err != nil {
		w.log.Error("how far a trial is could not be written down", "game", w.t.Game, "trial", w.t.ID, "error", err)
	}
	w.kept = time.Now()
}
