// Package crowd simulates players: machines that join a session and walk its scenes by the plan, pass, touch, send
// events, quit and come back. Some may lie, lag, stop reading or lose their connection. What they do comes from a seed;
// what comes of it depends on the service, and on time.
package crowd

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"sync"
	"time"

	"alluvion.dev/client"
	"alluvion.dev/core/check"
	"alluvion.dev/core/model"
	"alluvion.dev/core/share"
)

// Config says what a crowd is like. The zero value of a field means its default.
type Config struct {
	Game, Session string
	Players       int           // default 10
	For           time.Duration // counted from when everybody has come in; default 30s
	Seed          uint64
	Rate          int           // moves a second; default 10
	Packed        bool          // frames are packed
	Patience      time.Duration // how long an answer may take before that is a problem; default 15s
	Name          string        // the players are called name_1, name_2, …; default walker
	// How many of the players are not honest or not well, counted from the last one.
	Liars, Lagging, Deaf, Dropping int
}

// Kind is what a simulated player is like.
type Kind string

// The kinds.
const (
	Honest   Kind = "honest"
	Liar     Kind = "lying"    // asks for what it may not have, and believes what it was not told
	Laggard  Kind = "lagging"  // everything takes a while to get there
	Deaf     Kind = "deaf"     // stops reading now and then
	Dropping Kind = "dropping" // loses its connection, and resumes
)

// Report is what a crowd has done, and what came of it.
type Report struct {
	Players   int            `json:"players"`
	Here      int            `json:"here"`       // connected now
	Took      float64        `json:"took"`       // seconds since everybody had come in
	Moves     int            `json:"moves"`      // sent
	Done      map[string]int `json:"done"`       // applied, by what was asked
	Refused   map[string]int `json:"refused"`    // by kind
	Visits    int            `json:"visits"`     // how often somebody joined
	Resumed   int            `json:"resumed"`    // connections that went on where they were lost
	CutOff    int            `json:"cut_off"`    // connections that the service ended
	Frames    int64          `json:"frames"`     // heard
	Bytes     int64          `json:"bytes"`      // of frames
	Differs   map[Kind]int   `json:"mismatches"` // found by the service, by kind of player
	Delay     Delay          `json:"delay"`      // from sending a move until it is confirmed
	Scenes    map[string]int `json:"scenes"`     // where everybody is
	Absent    map[string]int `json:"absent"`     // who never got in, by the reason that they heard last
	Problems  []string       `json:"problems"`   // what should not have been; the first few
	Unforseen int            `json:"unforeseen"` // how many problems there were
}

// Delay is how long something took, in milliseconds.
type Delay struct {
	Median float64 `json:"median"`
	P99    float64 `json:"p99"`
	Most   float64 `json:"most"`
}

// crowd is a crowd at work.
type crowd struct {
	Config
	c       *client.Client
	session *client.Session
	m       *model.Model
	layout  *share.Layout

	mu     sync.Mutex
	report Report
	delays []time.Duration
	began  time.Time      // when everybody had come in; zero before
	coming sync.WaitGroup // who has not tried to come in yet
}

const mostProblems = 10

// Run lets a crowd play until its time is over or ctx ends; then everybody leaves. progress (or nil) is told a few
// times a second how it stands.
func Run(ctx context.Context, c *client.Client, config Config, progress func(Report)) (Report, error) {
	w := &crowd{Config: config.filled(), c: c}
	w.report = Report{Players: w.Players, Done: map[string]int{}, Refused: map[string]int{}, Differs: map[Kind]int{},
		Scenes: map[string]int{}, Absent: map[string]int{}}
	if err := w.meet(ctx); err != nil {
		return Report{}, err
	}
	playing, stop := context.WithCancel(ctx)
	defer stop()
	w.coming.Add(w.Players)
	go w.time(playing, stop)
	var all sync.WaitGroup
	for i := range w.Players {
		all.Add(1)
		go func() { defer all.Done(); w.player(i).live(playing) }()
	}
	over := make(chan struct{})
	go func() { all.Wait(); close(over) }()
	beat := time.NewTicker(250 * time.Millisecond)
	defer beat.Stop()
	for {
		select {
		case <-over:
			return w.now(), nil
		case <-beat.C:
			if progress != nil {
				progress(w.now())
			}
		}
	}
}

// time stops the crowd when its time is over: it runs from when everybody has come in, or was refused, so that a
// service under load is not left before anything was done there.
func (w *crowd) time(ctx context.Context, stop func()) {
	w.coming.Wait()
	w.note(func(*Report) { w.began = time.Now() })
	select {
	case <-ctx.Done():
	case <-time.After(w.For):
		stop()
	}
}

func (c Config) filled() Config {
	if c.Players <= 0 {
		c.Players = 10
	}
	if c.For <= 0 {
		c.For = 30 * time.Second
	}
	if c.Rate <= 0 {
		c.Rate = 10
	}
	if c.Patience <= 0 {
		c.Patience = 15 * time.Second
	}
	if c.Name == "" {
		c.Name = "walker"
	}
	return c
}

// kind is what the player with a number from 0 on is like.
func (c Config) kind(i int) Kind {
	left := c.Players - i
	for _, k := range []struct {
		kind Kind
		n    int
	}{{Liar, c.Liars}, {Laggard, c.Lagging}, {Deaf, c.Deaf}, {Dropping, c.Dropping}} {
		if left <= k.n {
			return k.kind
		}
		left -= k.n
	}
	return Honest
}

// meet reads the plan that the session runs, and opens the session.
func (w *crowd) meet(ctx context.Context) error {
	text, err := w.c.Playing(ctx, w.Game)
	if err != nil {
		return err
	}
	m, _, found := check.Text(text, func(id string) ([]byte, error) {
		text, _, err := w.c.Commons(ctx, id)
		return text, err
	})
	if m == nil {
		return fmt.Errorf("the plan of %s has errors: %s", w.Game, found[0].Message)
	}
	w.m = m
	if w.session, err = w.c.Open(ctx, w.Game, w.Session); err != nil {
		return err
	}
	w.layout, err = w.session.Layout(ctx)
	return err
}

func (w *crowd) player(i int) *walker {
	return &walker{crowd: w, id: fmt.Sprintf("%s_%d", w.Name, i+1), kind: w.kind(i),
		dice: rand.New(rand.NewPCG(w.Seed, uint64(i)))}
}

// now is the report as it stands.
func (w *crowd) now() Report {
	w.mu.Lock()
	defer w.mu.Unlock()
	r := w.report
	if !w.began.IsZero() {
		r.Took = time.Since(w.began).Seconds()
	}
	r.Done, r.Refused, r.Differs, r.Scenes, r.Absent, r.Problems = maps.Clone(r.Done), maps.Clone(r.Refused),
		maps.Clone(r.Differs), maps.Clone(r.Scenes), maps.Clone(r.Absent), slices.Clone(r.Problems)
	if n := len(w.delays); n > 0 {
		sorted := slices.Sorted(slices.Values(w.delays))
		ms := func(i int) float64 { return float64(sorted[min(i, n-1)].Microseconds()) / 1000 }
		r.Delay = Delay{ms(n / 2), ms(n * 99 / 100), ms(n - 1)}
	}
	return r
}

func (w *crowd) note(do func(r *Report)) {
	w.mu.Lock()
	defer w.mu.Unlock()
	do(&w.report)
}

// problem keeps something that should not have been.
func (w *crowd) problem(who *walker, err error) {
	w.note(func(r *Report) {
		r.Unforseen++
		if len(r.Problems) < mostProblems {
			r.Problems = append(r.Problems, fmt.Sprintf("%s (%s): %v", who.id, who.kind, err))
		}
	})
}

func (w *crowd) refused(err error) bool {
	var refused *client.Refused
	if !errors.As(err, &refused) {
		return false
	}
	w.note(func(r *Report) { r.Refused[refused.Kind]++ })
	return true
}

func (w *crowd) took(d time.Duration) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if len(w.delays) < 1_000_000 {
		w.delays = append(w.delays, d)
	}
}
