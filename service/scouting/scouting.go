// Package scouting searches plans beside the sessions that play: one at a time, since a search takes all the time that it
// is given. What was found is held until the service is stopped.
package scouting

import (
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"runtime/debug"
	"sync"
	"time"

	"alluvion.dev/core/model"
	"alluvion.dev/core/scout"
)

// ErrBusy is that a search is going on.
var ErrBusy = errors.New("a plan is being searched")

// The states of a search.
const (
	Running = "running"
	Stopped = "stopped"
	Done    = "done"
	Failed  = "failed"
)

// mostHeld is of how many games what was found is held.
const mostHeld = 64

// Progress is how far a search is.
type Progress struct {
	State          string
	ETag           string // of the plan's text
	Search         string
	Searches, Over int
	States, Tried  int
	Rate           int // moves a second
	Began          time.Time
	Took           time.Duration
	Error          string
	Report         *scout.Report // of what is over; nil before anything is
}

// Runner searches, one plan at a time. It is safe for use by several goroutines.
type Runner struct {
	log    *slog.Logger
	mu     sync.Mutex
	games  map[string]*searching
	wait   sync.WaitGroup
	closed bool
}

// searching is a search that goes on, or what came of it.
type searching struct {
	now  Progress
	stop chan struct{} // closed where it is to end
	once sync.Once
}

// New has searched nothing.
func New(log *slog.Logger) *Runner { return &Runner{log: log, games: map[string]*searching{}} }

// Start begins to search a game's plan, in place of what was found of it before.
func (r *Runner) Start(game, etag string, m *model.Model, o scout.Options, lasts time.Duration) (Progress, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, s := range r.games {
		if s.now.State == Running {
			return Progress{}, ErrBusy
		}
	}
	if r.closed {
		return Progress{}, ErrBusy
	}
	r.makeRoom()
	s := &searching{now: Progress{State: Running, ETag: etag, Began: time.Now()}, stop: make(chan struct{})}
	r.games[game] = s
	r.wait.Go(func() { r.search(s, scout.New(m, o), lasts) })
	return s.now, nil
}

// makeRoom forgets what was found longest ago where there is too much. The lock is held.
func (r *Runner) makeRoom() {
	for len(r.games) >= mostHeld {
		oldest := ""
		for game, s := range r.games {
			if oldest == "" || s.now.Began.Before(r.games[oldest].now.Began) {
				oldest = game
			}
		}
		delete(r.games, oldest)
	}
}

// Look says how far the search of a game's plan is; false where none was begun.
func (r *Runner) Look(game string) (Progress, bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	s := r.games[game]
	if s == nil {
		return Progress{}, false
	}
	out := s.now
	if out.State == Running {
		out.Took = time.Since(out.Began)
	}
	return out, true
}

// Stop ends a search; what it has found by then stays.
func (r *Runner) Stop(game string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if s := r.games[game]; s != nil {
		s.once.Do(func() { close(s.stop) })
	}
}

// Forget ends the search of a game that is deleted, and forgets what it found.
func (r *Runner) Forget(game string) {
	r.Stop(game)
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.games, game)
}

// Close ends all searches, and waits for them.
func (r *Runner) Close() {
	r.mu.Lock()
	r.closed = true
	for _, s := range r.games {
		s.once.Do(func() { close(s.stop) })
	}
	r.mu.Unlock()
	r.wait.Wait()
}

// workers are so many that sessions have time left.
func workers() int { return max(1, runtime.NumCPU()/2) }

// Watch is what is called while a plan is searched.
type Watch struct {
	Stopped func() bool // whether the search is to end now
	Batch   func()      // after each batch of work
	Over    func()      // after each search that has ended
}

// Search searches until everything was searched, the time is over, or Stopped says so. Each search gets its part of the
// time that is left. It says whether it was stopped.
func Search(x *scout.Scout, workers int, lasts time.Duration, w Watch) (stopped bool) {
	end := time.Now().Add(lasts)
	last, until := -1, end
	for {
		all, over := x.Searches()
		if over != last {
			if last >= 0 {
				w.Over()
			}
			last, until = over, time.Now().Add(time.Until(end)/time.Duration(max(1, all-over)))
		}
		switch {
		case over >= all:
			return false
		case w.Stopped():
			return true
		case time.Now().After(until):
			x.Skip()
			continue
		}
		jobs := x.Next(workers)
		if len(jobs) == 0 {
			return false
		}
		var working sync.WaitGroup
		faults := make(chan any, len(jobs))
		for _, j := range jobs {
			working.Go(func() {
				defer func() {
					if fault := recover(); fault != nil {
						faults <- fmt.Sprintf("%v\n%s", fault, debug.Stack())
					}
				}()
				j.Work()
			})
		}
		working.Wait()
		if len(faults) > 0 {
			panic(<-faults) // to whoever searches
		}
		x.Take(jobs)
		w.Batch()
	}
}

// search searches a game's plan and notes how far it is. A fault of the program ends the search, and nothing else.
func (r *Runner) search(s *searching, x *scout.Scout, lasts time.Duration) {
	defer func() {
		if fault := recover(); fault != nil {
			r.log.Error("a search failed by a fault of the program", "fault", fault, "stack", string(debug.Stack()))
			r.note(s, func(p *Progress) {
				p.State, p.Error, p.Took = Failed, "The search failed by a fault of the program, which is in its log. Sessions go on.", time.Since(p.Began)
			})
		}
	}()
	stopped := Search(x, workers(), lasts, Watch{
		Stopped: func() bool { return r.stopped(s) },
		Batch: func() {
			r.note(s, func(p *Progress) {
				p.Search, p.States, p.Tried = x.Progress()
				p.Searches, p.Over = x.Searches()
				p.Rate = int(float64(x.Moves()) / time.Since(p.Began).Seconds())
			})
		},
		Over: func() {
			report := x.Report()
			r.note(s, func(p *Progress) { p.Report = report })
		},
	})
	if r.closing() { // nobody asks any more
		return
	}
	report := x.Report()
	r.note(s, func(p *Progress) {
		p.State, p.Report, p.Took = Done, report, time.Since(p.Began)
		switch err := x.Err(); {
		case err != nil:
			p.State, p.Error = Failed, err.Error()
		case stopped:
			p.State = Stopped
		}
	})
}

func (r *Runner) closing() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.closed
}

func (r *Runner) stopped(s *searching) bool {
	select {
	case <-s.stop:
		return true
	default:
		return false
	}
}

func (r *Runner) note(s *searching, change func(*Progress)) {
	r.mu.Lock()
	defer r.mu.Unlock()
	change(&s.now)
}
