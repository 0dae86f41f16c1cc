package crowd

import (
	"context"
	"errors"
	"math/rand/v2"
	"sync"
	"time"

	"alluvion.dev/client"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
)

// walker is one simulated player.
type walker struct {
	*crowd
	id     string
	kind   Kind
	dice   *rand.Rand
	m      *client.Machine
	goal   *goal
	scene  string
	sent   map[uint64]time.Time // when moves were sent that were not told to be applied yet
	before client.State
}

// goal is where a walker is going, and what it wants to do there.
type goal struct {
	scene string
	at    []fixed.Num
	ask   wire.Ask // nothing where Is is ""
	next  int64    // the arrival at which it was set
}

// How walkers live.
const (
	pace       = 4.0 // units of space a second, unless the plan says less
	quitsAfter = 400 // moves, on average
	dropsAfter = 60
)

func (w *walker) live(ctx context.Context) {
	defer w.at("")
	came := sync.OnceFunc(w.coming.Done)
	defer came()
	pause, ever, why := time.Second, false, ""
	for ctx.Err() == nil {
		err := w.join(ctx)
		came()
		switch {
		case err == nil:
			ever, pause = true, time.Second
			w.visit(ctx)
			w.rest(ctx, time.Duration(500+w.dice.IntN(2000))*time.Millisecond)
			continue
		case ctx.Err() == nil && !w.refused(err):
			w.problem(w, err)
		}
		if ctx.Err() == nil {
			why = err.Error()
		}
		w.rest(ctx, pause)
		pause = min(2*pause, 10*time.Second)
	}
	if !ever && why != "" {
		w.note(func(r *Report) { r.Absent[why]++ })
	}
	w.goodbye() // also where time was over before the walker had seen itself in the session: it is connected
}

// goodbye leaves, so that nobody is waited for.
func (w *walker) goodbye() {
	if w.m == nil || w.m.Err() != nil {
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), w.Patience)
	defer cancel()
	w.m.Hold(false)
	w.tally()
	if err := w.m.Leave(ctx); err != nil && w.kind == Honest {
		w.problem(w, err)
	}
	w.m = nil
}

func (w *walker) join(ctx context.Context) error {
	c, cancel := context.WithTimeout(ctx, w.Patience)
	defer cancel()
	from := w.m
	m, err := w.session.Join(c, client.Joining{Player: w.id, Simulated: true, Packed: w.Packed, Layout: w.layout,
		Checks: true, From: from})
	if err != nil {
		return err
	}
	w.m, w.sent, w.goal, w.before = m, map[uint64]time.Time{}, nil, client.State{}
	resumed := 0
	if from != nil && m.Welcome.Resumed {
		resumed, w.before = 1, m.State()
	}
	w.note(func(r *Report) { r.Resumed += resumed; r.Visits += 1 - resumed })
	return m.Until(c, func() bool { _, ok := m.Here(w.id); return ok })
}

// visit plays until the walker quits, its connection ends, or time is over.
func (w *walker) visit(ctx context.Context) {
	w.note(func(r *Report) { r.Here++ })
	defer w.note(func(r *Report) { r.Here-- })
	beat := time.NewTicker(time.Second / time.Duration(w.Rate))
	defer beat.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-w.m.Done():
			w.tally()
			w.lost()
			return
		case <-beat.C:
		}
		w.delay()
		if !w.turn(ctx) {
			return
		}
	}
}

// turn is what a walker does each time its turn comes; false where it ends the visit.
func (w *walker) turn(ctx context.Context) bool {
	w.tally()
	switch {
	case w.kind == Liar && w.dice.IntN(12) == 0:
		w.lie(ctx)
	case w.kind == Dropping && w.dice.IntN(dropsAfter) == 0:
		w.m.Drop()
		w.tally()
		return false
	case w.kind == Deaf && w.dice.IntN(40) == 0:
		w.m.Hold(true)
		w.rest(ctx, 3*time.Second)
		w.m.Hold(false)
	case w.dice.IntN(quitsAfter) == 0:
		w.goodbye()
		return false
	default:
		w.walk(ctx)
	}
	return true
}

// lost counts a connection that ended without the walker wanting it.
func (w *walker) lost() {
	w.note(func(r *Report) { r.CutOff++ })
	var e *client.ErrEnded
	if w.kind != Honest {
		return
	}
	if errors.As(w.m.Err(), &e) && (e.Code == wire.CodeAway || e.Code == wire.CodeSlow || e.Code == wire.CodeSilent) {
		return // the session closes, or this machine has too much to do: it comes back
	}
	w.problem(w, w.m.Err())
}

// tally counts what came in since it was counted last.
func (w *walker) tally() {
	now := w.m.State()
	w.note(func(r *Report) {
		r.Frames += now.Frames - w.before.Frames
		r.Bytes += now.Bytes - w.before.Bytes
		r.Differs[w.kind] += now.Differs - w.before.Differs
	})
	if w.kind == Honest && now.Differs > w.before.Differs {
		w.problem(w, errors.New("it believed something else than it ought to"))
	}
	w.before = now
	for number, at := range w.sent {
		if number <= now.Applied {
			w.took(now.Since.Sub(at))
			delete(w.sent, number)
		}
	}
}

// walk takes a step towards the goal, and does what is to be done there.
func (w *walker) walk(ctx context.Context) {
	here, ok := w.m.Here(w.id)
	if !ok {
		return
	}
	w.at(here.Scene)
	if w.goal == nil || w.goal.scene != here.Scene || w.goal.next != int64(here.Arrival) {
		w.goal = w.choose(here)
	}
	if w.goal == nil {
		return
	}
	next, there := w.step(here.At, w.goal.at)
	if w.free(here.Scene) {
		number, err := w.m.Move(next, "")
		if err != nil {
			return
		}
		w.sent[number] = time.Now()
		w.note(func(r *Report) { r.Moves++ })
	}
	if there {
		ask := w.goal.ask
		w.goal = nil
		if ask.Is != "" {
			w.do(ctx, ask)
		}
	}
}

// free says whether players walk freely in a scene.
func (w *walker) free(scene string) bool {
	s := w.crowd.m.Scene(scene)
	return s != nil && s.Walk
}

// do asks for something and counts what comes of it.
func (w *walker) do(ctx context.Context, ask wire.Ask) {
	c, cancel := context.WithTimeout(ctx, w.Patience)
	defer cancel()
	err := w.m.Do(c, ask)
	switch {
	case err == nil:
		w.note(func(r *Report) { r.Done[ask.Is]++ })
	case w.refused(err), ctx.Err() != nil, w.m.Err() != nil:
	case w.kind == Honest:
		w.problem(w, err)
	}
}

// step is the point one step nearer to a goal; there says whether that is the goal.
func (w *walker) step(from, to []fixed.Num) (next []fixed.Num, there bool) {
	most := pace / float64(w.Rate)
	if f := w.crowd.m.Fastest; f.Sign() > 0 {
		most = min(most, float(f)*0.8/float64(w.Rate))
	}
	length := 0.0
	way := make([]float64, len(to))
	for i := range to {
		way[i] = float(to[i]) - float(from[i])
		length += way[i] * way[i]
	}
	if length <= most*most {
		return to, true
	}
	part := most / sqrt(length)
	next = make([]fixed.Num, len(to))
	for i := range to {
		next[i] = w.number(float(from[i]) + way[i]*part)
	}
	return next, false
}

// choose picks something to go to in the scene: a passage, a checkpoint, a prop with something to do, or anywhere.
func (w *walker) choose(here share.Point) *goal {
	s := w.crowd.m.Scene(here.Scene)
	if s == nil {
		return nil
	}
	g := &goal{scene: here.Scene, next: int64(here.Arrival)}
	switch n := w.dice.IntN(10); {
	case n < 4:
		if p, from := w.anyPassage(s); p != nil {
			g.at, g.ask = w.point(from.Point), wire.Ask{Is: "pass", Name: p.ID}
			return g
		}
	case n < 5:
		for _, p := range w.crowd.m.Checkpoints {
			if p.Spot != nil && p.Spot.Scene == s {
				g.at, g.ask = w.point(p.Spot.Point), wire.Ask{Is: "touch", Name: p.ID}
				return g
			}
		}
	case n < 8:
		if g.at, g.ask = w.anyEvent(s, here); g.ask.Is != "" {
			return g
		}
	}
	g.at = w.anywhere(s)
	return g
}

func (w *walker) anyPassage(s *model.Scene) (*model.Passage, *model.Spot) {
	var found []*model.Passage
	for _, p := range w.crowd.m.Passages {
		if p.From.Scene == s || p.BothWays && p.To != nil && p.To.Scene == s {
			found = append(found, p)
		}
	}
	if len(found) == 0 {
		return nil, nil
	}
	p := found[w.dice.IntN(len(found))]
	if p.From.Scene == s {
		return p, p.From
	}
	return p, p.To
}

// anyEvent is an event that players send, with arguments that it may have, and where to go for it.
func (w *walker) anyEvent(s *model.Scene, here share.Point) ([]fixed.Num, wire.Ask) {
	var own []*model.Event
	for _, e := range w.crowd.m.Events {
		if e.Self {
			own = append(own, e)
		}
	}
	if len(own) == 0 {
		return nil, wire.Ask{}
	}
	e := own[w.dice.IntN(len(own))]
	at := here.At
	args := map[string]types.Value{}
	for i := range e.Args {
		a := &e.Args[i]
		switch {
		case a.Type.Kind == types.Prop:
			props := []*model.Prop{}
			for _, p := range s.Props {
				if p.Kind == a.Kind {
					props = append(props, p)
				}
			}
			if len(props) == 0 {
				return nil, wire.Ask{}
			}
			p := props[w.dice.IntN(len(props))]
			at, args[a.ID] = w.point(p.Point), types.OfText(p.ID)
		case a.Type.Kind == types.Player:
			all := w.m.Others()
			args[a.ID] = types.OfText(all[w.dice.IntN(len(all))])
		default:
			args[a.ID] = a.Some(w.dice.IntN)
		}
	}
	return at, wire.Ask{Is: "event", Name: e.ID, Args: args}
}

// lie asks for what an honest machine would not, or believes what it was not told.
func (w *walker) lie(ctx context.Context) {
	value := types.OfInt(9999)
	switch w.dice.IntN(3) {
	case 0:
		vars := w.crowd.m.Holders[model.OfPlayer].Stored
		w.do(ctx, wire.Ask{Is: "write", Name: vars[w.dice.IntN(len(vars))].Name, Value: &value})
	case 1:
		w.do(ctx, wire.Ask{Is: "move", To: []fixed.Num{fixed.FromInt(1_000_000), fixed.FromInt(1)}})
	default:
		vars := w.crowd.m.Holders[model.OfPlayer].Stored
		w.m.Believe(vars[w.dice.IntN(len(vars))].Name+"@"+w.id, "-18")
	}
}

// delay lets a lagging machine's turn come late.
func (w *walker) delay() {
	if w.kind == Laggard {
		time.Sleep(time.Duration(w.dice.IntN(400)) * time.Millisecond)
	}
}

// rest waits, until time is over at the most.
func (w *walker) rest(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// at counts in which scene the walker is.
func (w *walker) at(scene string) {
	if scene == w.scene {
		return
	}
	old := w.scene
	w.scene = scene
	w.note(func(r *Report) {
		if old != "" {
			if r.Scenes[old]--; r.Scenes[old] == 0 {
				delete(r.Scenes, old)
			}
		}
		if scene != "" {
			r.Scenes[scene]++
		}
	})
}

func (w *walker) point(p [model.MaxAxes]fixed.Num) []fixed.Num {
	return append([]fixed.Num{}, p[:len(w.crowd.m.Axes)]...)
}

// anywhere is a point of a scene.
func (w *walker) anywhere(s *model.Scene) []fixed.Num {
	out := make([]fixed.Num, len(w.crowd.m.Axes))
	for i := range out {
		lo, hi := float(s.Lo[i]), float(s.Hi[i])
		out[i] = w.number(lo + (hi-lo)*(0.05+0.9*w.dice.Float64()))
	}
	return out
}
