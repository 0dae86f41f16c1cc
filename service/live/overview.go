package live

import (
	"context"
	"maps"
	"slices"
	"time"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
)

// Overview is a session as people watch it: who is there and where, and how their machines are doing.
type Overview struct {
	Clock   int64
	Tick    int64
	Present int
	Scenes  map[string]int // how many are in each; those without anybody are left out
	Traffic Together
	Players []Watched // as many as were asked for
	Things  map[string]save.Place
	Held    map[string]string
	Denied  []Denied // the newest refusals, newest first
}

// Sought says what of a session somebody wants to see: of players the variables named (player.warmth), those in one scene
// or in all, one of them in any case, and so many at most.
type Sought struct {
	Show          []string
	Scene, Player string
	Most          int
}

// Together is what went over all connections that are there now.
type Together struct {
	Machines                   int
	In, Out, BytesIn, BytesOut int64
	Differs                    int
}

// Watched is one player of a session with their machine.
type Watched struct {
	ID       string
	Place    save.Place
	Dead     bool
	Machine  *Machine  // nil where none is connected
	Lost     time.Time // when the connection was lost; zero where it was not
	Refusals map[string]int
	Values   map[string]types.Value // of the variables that were asked for
}

// Machine is how a connection is doing. What it counts, it counts since it began.
type Machine struct {
	From                       string
	As                         share.Codec
	In, Out, BytesIn, BytesOut int64
	Frames                     int64
	Behind                     int64 // ticks since it was last sent something
	Near                       *Near // nil where its player is in no scene with near
	Differs                    int   // how often it believed something else
	Unlike                     []share.Difference
	UnlikeAt                   int64 // the tick at which it did so last
}

// Near is of how many others a machine is told, and of how many of them something waits for a later frame.
type Near struct{ Others, Waiting int }

// mostShown is how many refusals an overview shows, and how many differences of one machine.
const mostShown = 50

// Overview looks at the session. A variable that is none of a player is left out.
func (s *Session) Overview(ctx context.Context, sought Sought) (Overview, error) {
	o := Overview{Scenes: map[string]int{}}
	var vars []*model.Var
	for _, name := range sought.Show {
		if v := s.m.Var(name); v != nil && v.Holder == model.OfPlayer {
			vars = append(vars, v)
		}
	}
	err := s.ask(ctx, func() {
		s.advance()
		o.Clock = s.clock()
		if s.board != nil {
			o.Tick = s.board.Now()
		}
		for _, p := range s.run.Now() {
			at := s.seats[p.ID()]
			o.Present++
			if at != nil && at.line != nil {
				o.Traffic.add(at.line)
			}
			place, _, _ := p.Where()
			scene := s.m.Scenes[place.Scene].ID
			o.Scenes[scene]++
			full, wanted := len(o.Players) >= sought.Most, p.ID() == sought.Player
			switch {
			case wanted && full: // instead of the last one
				o.Players[len(o.Players)-1] = s.watched(p, at, vars)
			case wanted, !full && (sought.Scene == "" || scene == sought.Scene):
				o.Players = append(o.Players, s.watched(p, at, vars))
			}
		}
		world := s.run.World()
		o.Things, o.Held = world.Movables, world.Held
		for i := len(s.denied) - 1; i >= 0 && len(o.Denied) < mostShown; i-- {
			o.Denied = append(o.Denied, s.denied[i])
		}
	})
	return o, err
}

// watched is one player with their seat, which may be nil.
func (s *Session) watched(p *engine.Player, at *seat, vars []*model.Var) Watched {
	w := Watched{ID: p.ID(), Dead: p.Dead(), Refusals: maps.Clone(s.refusals[p.ID()]), Values: s.run.Shown(p, vars)}
	w.Place, _ = s.run.Place(w.ID)
	if at != nil {
		w.Lost = at.lost
		w.Machine = s.machine(at.line)
	}
	return w
}

func (t *Together) add(line *Line) {
	t.Machines++
	t.In += line.traffic.In.Load()
	t.Out += line.traffic.Out.Load()
	t.BytesIn += line.traffic.BytesIn.Load()
	t.BytesOut += line.traffic.BytesOut.Load()
	t.Differs += line.differs
}

func (s *Session) machine(line *Line) *Machine {
	if line == nil {
		return nil
	}
	t := &line.traffic
	var near *Near
	if others, waiting, is := line.sight.Knows(); is {
		near = &Near{others, waiting}
	}
	return &Machine{Near: near, From: line.From, As: line.As, In: t.In.Load(), Out: t.Out.Load(), BytesIn: t.BytesIn.Load(),
		BytesOut: t.BytesOut.Load(), Frames: t.Frames.Load(),
		Behind: s.board.Now() - max(line.seen,
			0), Differs: line.differs, Unlike: slices.Clone(line.unlike[:min(len(line.unlike), mostShown)]),
		UnlikeAt: line.unlikeAt}
}
