package scout

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
	"strings"

	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Scout searches a plan: first the ways from scene to scene, then each goal by itself, and last everything at once.
type Scout struct {
	m        *model.Model
	options  Options
	searches []*search
	now      int // which of them is going on
	workers  []*worker
	err      error
}

// New makes a scout for a plan.
func New(m *model.Model, o Options) *Scout {
	o.Players = max(1, min(o.Players, m.Players()))
	s := &Scout{m: m, options: o}
	s.searches = append(s.searches, newSearch("ways", m, nil, sliceFor(m, false, func(*slice) {}), o))
	asks := questionsOf(m)
	for _, together := range alike(m, asks) {
		s.searches = append(s.searches, newSearch(nameOf(together), m, together, sliceFor(m, false, readsOf(together)), o))
	}
	for _, c := range m.Conserved {
		x := newSearch("conserved "+c.ID, m, nil, sliceFor(m, false, readsConserved(c)), o)
		x.kept = []*model.Conserved{c}
		s.searches = append(s.searches, x)
	}
	if len(asks) > mostAsked {
		asks = asks[:mostAsked]
	}
	whole := newSearch("everything", m, asks, sliceFor(m, true, readsOf(asks)), o)
	whole.moves.fates = len(fatesOf(m)) <= mostFates
	s.searches = append(s.searches, whole)
	for _, x := range s.searches {
		x.bytes = o.Memory / len(s.searches)
		if len(x.kept) == 0 { // what those who are away have is not counted together with the rest
			x.moves.stayAway()
		}
	}
	return s
}

// mostAsked is how many questions one search answers at most; mostAlone is how many are searched each by itself, which
// leads to each sooner.
const (
	mostAsked = 64
	mostAlone = 8
)

// alike groups questions that depend on the same variables, if there are many questions.
func alike(m *model.Model, asks []question) [][]question {
	var out [][]question
	if len(asks) <= mostAlone {
		for _, q := range asks {
			out = append(out, []question{q})
		}
		return out
	}
	at := map[string]int{}
	for _, q := range asks {
		sign := strings.Join(sliceFor(m, false, q.reads).leftOut(), " ")
		i, known := at[sign]
		if !known || len(out[i]) == mostAsked {
			i = len(out)
			at[sign], out = i, append(out, nil)
		}
		out[i] = append(out[i], q)
	}
	return out
}

func nameOf(asks []question) string {
	name := asks[0].kind + " " + asks[0].id
	if more := len(asks) - 1; more > 0 {
		name += fmt.Sprintf(" and %d more", more)
	}
	return name
}

func readsOf(asks []question) func(*slice) {
	return func(x *slice) {
		for i := range asks {
			asks[i].reads(x)
		}
	}
}

// reads takes into a slice what decides a question.
func (q *question) reads(x *slice) {
	if q.goal != nil {
		x.need(q.goal.Reach)
	} else {
		x.earn(q.mile)
	}
}

// condition is what holds where it is reached.
func (q *question) condition() string {
	if q.goal != nil {
		return q.goal.Reach.Source
	}
	return fmt.Sprintf("player.earned('%s')", q.id)
}

// Job is a part of what is to be done next.
type Job struct {
	search *search
	worker *worker
	part   []int32
	found  []found
}

// Work does it. Jobs that were given together may be done at the same time.
func (j *Job) Work() { j.found = j.search.work(j.worker, j.part) }

// Next is what is to be done next, for some workers; nothing where everything was searched, or where a search cannot
// begin (Err).
func (s *Scout) Next(workers int) []*Job {
	for ; s.now < len(s.searches) && s.err == nil; s.Skip() {
		x := s.searches[s.now]
		if len(x.nodes) == 0 {
			s.workers = nil
			if s.err = x.begin(); s.err != nil {
				return nil
			}
		}
		if parts := x.jobs(workers); len(parts) > 0 {
			return s.jobs(x, parts)
		}
	}
	return nil
}

func (s *Scout) jobs(x *search, parts [][]int32) []*Job {
	var out []*Job
	for i, part := range parts {
		if i >= len(s.workers) {
			s.workers = append(s.workers, x.worker())
		}
		out = append(out, &Job{search: x, worker: s.workers[i], part: part})
	}
	return out
}

// Take adds the results of jobs that were given together and are all done.
func (s *Scout) Take(jobs []*Job) {
	for _, j := range jobs {
		j.search.takeAll(j.part, j.found)
	}
}

// Skip ends the search that is going on, and goes on with the next one.
func (s *Scout) Skip() {
	if s.now < len(s.searches) {
		s.searches[s.now].finish()
	}
	s.now++
}

// Err is why nobody can play at all: joining is refused.
func (s *Scout) Err() error { return s.err }

// Progress is which search is going on, how many states it has and how many of these are done.
func (s *Scout) Progress() (name string, states, done int) {
	if s.now >= len(s.searches) {
		return "", 0, 0
	}
	x := s.searches[s.now]
	return x.name, len(x.nodes), x.done
}

// Searches is how many searches there are, and how many of them are over.
func (s *Scout) Searches() (all, over int) { return len(s.searches), s.now }

// Moves is how many moves were tried so far.
func (s *Scout) Moves() int {
	sum := 0
	for _, x := range s.searches {
		sum += x.tried
	}
	return sum
}

// Report says what was found so far.
func (s *Scout) Report() *Report {
	r := &Report{Game: s.m.Plan.Game.Name, Version: s.m.Plan.Version.Value, Players: s.options.Players}
	for _, x := range s.searches {
		if len(x.nodes) == 0 {
			continue
		}
		why := x.why()
		r.Searches = append(r.Searches, Searched{Name: x.name, States: len(x.nodes), Steps: x.tried,
			Complete: len(why) == 0, Why: why, LeftOut: x.s.leftOut(), Looked: x.looked, Costs: x.costly})
	}
	s.answers(r)
	s.deadEnds(r)
	s.troubles(r)
	r.Places = s.places()
	for _, d := range r.DeadEnds {
		for i := range r.Places.Scenes {
			r.Places.Scenes[i].Stuck += d.In[r.Places.Scenes[i].ID]
		}
	}
	r.NotTried = s.notTried()
	return r
}

// notTried is what no search does.
func (s *Scout) notTried() []string {
	out := []string{"other slots"}
	if !slices.ContainsFunc(s.searches, func(x *search) bool { return x.moves.stays }) {
		out = append(out, "players who are away while others play on")
	}
	out = append(out, "corrections by hand", "values that the game's server writes though the plan does not say so")
	if s.m.Players() > s.options.Players {
		out = append(out, fmt.Sprintf("more than %s", players(s.options.Players)))
	}
	if s.options.NoServer {
		out = append(out, "what the game's server sends")
	}
	return out
}

func players(n int) string {
	if n == 1 {
		return "one player"
	}
	return fmt.Sprintf("%d players", n)
}

// run plays moves and writes them down as a run. If the way may not be the shortest, it first leaves out moves that are not
// needed.
func (s *Scout) run(x *search, list []*move, shortest bool, wanted func(*worker) bool) *Run {
	if x.player == nil {
		x.player = x.worker()
	}
	w := x.player
	if !shortest && wanted != nil {
		spent := 0
		list = shortened(list, func(fewer []*move) bool {
			if spent += len(fewer); spent > mostShortening {
				return false
			}
			_, err := w.replay(fewer)
			return err == nil && wanted(w)
		})
	}
	run, err := w.replay(list)
	if err != nil {
		return nil
	}
	run.Shortest = shortest
	return run
}

// mostShortening is how many moves are played again to make one run shorter.
const mostShortening = 50_000

// shortened leaves out moves, first many at a time and then fewer, while does still accepts the rest.
func shortened(list []*move, does func([]*move) bool) []*move {
	for size := len(list) / 2; size > 0; size /= 2 {
		for from := 0; from+size <= len(list); {
			if fewer := slices.Concat(list[:from], list[from+size:]); does(fewer) {
				list = fewer
			} else {
				from += size
			}
		}
	}
	return list
}

// way is a way to something, in the search that found it.
type way struct {
	in       *search
	moves    []*move
	shortest bool
}

// shortestOf returns the shortest way of all searches; at says where a search found it. The way has no search if none did.
func (s *Scout) shortestOf(at func(*search) (where, bool)) way {
	var best way
	for _, x := range s.searches {
		if found, ok := at(x); ok {
			if moves := x.pathTo(found); best.in == nil || len(moves) < len(best.moves) {
				best = way{x, moves, x.isShortest(found.node)}
			}
		}
	}
	return best
}

// seen is a run to a fact, and the search that saw it; nil where none did.
func (s *Scout) seen(f fact) (*Run, *search) {
	best := s.shortestOf(func(x *search) (where, bool) { at, ok := x.facts[f]; return at, ok })
	if best.in == nil {
		return nil, nil
	}
	return s.run(best.in, best.moves, best.shortest, func(w *worker) bool { return slices.Contains(w.heard, f) }), best.in
}

func wayTo(kind, id string) string { return "the way to the " + kind + " " + id }

// answer makes an answer about a fact. deciding are the searches that would have found it.
func (s *Scout) answer(a Answer, f fact, deciding func(*search) bool) Answer {
	if run, _ := s.seen(f); run != nil {
		run.Title = wayTo(a.Kind, a.ID)
		a.Verdict, a.Run = Reached, run
		return a
	}
	return s.notSeen(a, deciding)
}

func (s *Scout) notSeen(a Answer, deciding func(*search) bool) Answer {
	a.Verdict = NotFound
	for _, x := range s.searches {
		if deciding(x) && len(x.nodes) > 0 && len(x.why()) == 0 {
			a.Verdict = Never
			break
		}
	}
	return a
}

func (s *Scout) whole() *search { return s.searches[len(s.searches)-1] }

func (s *Scout) answers(r *Report) {
	any := func(*search) bool { return true }
	whole := func(x *search) bool { return x == s.whole() }
	for _, q := range questionsOf(s.m) {
		r.Answers = append(r.Answers, s.asked(q))
	}
	for _, c := range s.m.Conserved {
		r.Answers = append(r.Answers, s.conserved(c))
	}
	add := func(kind, id, title string, line int, f fact, deciding func(*search) bool) {
		r.Answers = append(r.Answers, s.answer(Answer{Kind: kind, ID: id, Title: title, Line: line}, f, deciding))
	}
	for i, x := range s.m.Scenes {
		add("scene", x.ID, x.Title, x.At.Line, fact{wasIn, int32(i), ""}, any)
	}
	for i, x := range s.m.Passages {
		add("passage", x.ID, x.Title, x.At.Line, fact{wentThrough, int32(i), ""}, any)
		if x.If != nil {
			add("passage refused", x.ID, x.Title, x.At.Line, fact{wasClosed, int32(i), ""}, any)
		}
	}
	for i, x := range s.m.Checkpoints {
		add("checkpoint", x.ID, plan.Spaced(x.ID), x.At.Line, fact{touched, int32(i), ""}, any)
	}
	for i, x := range s.m.Events {
		add("event", x.ID, x.Title, x.At.Line, fact{sent, int32(i), ""}, whole)
	}
	for i, v := range s.m.Vars {
		if v.Type.Kind == types.Pick && !v.Computed() {
			for _, option := range v.Type.Names {
				add("option", v.Name+" "+option, "", v.At.Line, fact{picked, int32(i), option}, whole)
			}
		}
	}
	for i, x := range s.m.Rules {
		if x.Crosses == nil {
			add("rule", fmt.Sprintf("%s on %s", x.Called(), x.On()), "", x.At.Line, fact{ranRule, int32(i), ""}, whole)
		}
	}
	s.fates(r)
}

// mostFates is how many fates a plan may have at most for each to be answered.
const mostFates = 1000

// fate is what becomes of a variable at a crossing.
type fate struct {
	v     *model.Var
	cross plan.Crossing
}

// fatesOf are the fates that a plan says itself, or by its defaults.
func fatesOf(m *model.Model) []fate {
	var out []fate
	for _, v := range m.Vars {
		for _, cross := range m.Crossings {
			if f := v.Fates.At(cross); f.By == model.ByItself || f.By == model.ByDefault {
				out = append(out, fate{v, cross})
			}
		}
	}
	return out
}

// fates says of each fate whether it was seen to show: a value that was kept and would have been lost, or one that became
// another. That one never shows is not said: whether a value is as at the start is not told apart in every state.
func (s *Scout) fates(r *Report) {
	if !s.whole().moves.fates || len(s.whole().nodes) == 0 {
		return
	}
	for _, x := range fatesOf(s.m) {
		a := Answer{Kind: "fate", ID: x.v.Name + " at " + x.cross.String(), Line: x.v.At.Line, Verdict: NotFound}
		if _, shown := s.whole().facts[fact{fated, int32(slot(s.m, x.v)), x.cross.String()}]; shown {
			a.Verdict = Reached // without a run: there are too many
		}
		r.Answers = append(r.Answers, a)
	}
}

// asked answers a question: from the shortest way to it in any search that asks it.
func (s *Scout) asked(q question) Answer {
	a := Answer{Kind: q.kind, ID: q.id, Title: q.title, Line: q.line}
	asks := func(x *search) int {
		return slices.IndexFunc(x.asks, func(o question) bool { return o.kind == q.kind && o.id == q.id })
	}
	best := s.shortestOf(func(x *search) (where, bool) {
		at, ok := x.first[asks(x)]
		return where{node: at, move: -1}, ok && asks(x) >= 0
	})
	if best.in != nil {
		bit := uint64(1) << asks(best.in)
		a.Verdict = Reached
		a.Run = s.run(best.in, best.moves, best.shortest, func(w *worker) bool { return w.holds()&bit != 0 })
		if a.Run != nil {
			a.Run.Title = wayTo(q.kind, q.id)
			if q.goal == nil || len(q.goal.Reach.Reads) > 0 { // of what reads nothing of the game, nothing can be expected
				a.Run.End = q.condition()
			}
		}
		return a
	}
	return s.notSeen(a, func(x *search) bool { return asks(x) >= 0 })
}

// conserved says whether anything was seen that makes more or less of what is conserved.
func (s *Scout) conserved(c *model.Conserved) Answer {
	a := Answer{Kind: "conserved", ID: c.ID, Title: c.Title, Line: c.At.Line, Verdict: NotBroken}
	for _, x := range s.searches {
		if !slices.Contains(x.kept, c) || len(x.nodes) == 0 {
			continue
		}
		if len(x.why()) == 0 {
			a.Verdict = Kept
		}
		for f := range x.facts {
			if f.unbalanced() {
				a.Verdict = Broken
			}
		}
	}
	return a
}

// deadEnds are those of the goals; where a plan has none, the scenes that cannot be left again.
func (s *Scout) deadEnds(r *Report) {
	done := map[string]bool{}
	for _, x := range s.searches {
		for i, q := range x.asks {
			if _, reached := x.first[i]; !reached || done[q.kind+q.id] || q.kind == "milestone" && len(s.m.Goals) > 0 {
				continue
			}
			bit := uint64(1) << i
			ends := x.ends(func(at int32) bool { return x.nodes[at].had&bit != 0 }, q.goal != nil && q.goal.StartOver)
			if len(ends) > 0 {
				done[q.kind+q.id] = true
				r.DeadEnds = append(r.DeadEnds, s.deadEnd(x, ends, q.kind, q.id, q.title, q.line))
			}
		}
	}
	if len(s.m.Goals) == 0 {
		s.scenesNotLeft(r)
		r.Leaves = leaves(s.m)
	}
}

func (s *Scout) scenesNotLeft(r *Report) {
	x := s.searches[0]
	if len(s.m.Scenes) < 2 || len(x.nodes) == 0 {
		return
	}
	for i, scene := range s.m.Scenes {
		if _, accepted := scene.Decl.Accept.Reasons["no-way-out"]; accepted {
			continue
		}
		ends := x.ends(func(at int32) bool { return int(x.nodes[at].scene) != i }, false)
		if len(ends) > 0 {
			r.DeadEnds = append(r.DeadEnds, s.deadEnd(x, ends, "scene", scene.ID, scene.Title, scene.At.Line))
		}
	}
}

func (s *Scout) deadEnd(x *search, ends []int32, kind, id, title string, line int) DeadEnd {
	run := s.run(x, x.path(ends[0]), x.isShortest(ends[0]), nil)
	d := DeadEnd{Kind: kind, ID: id, Title: title, Line: line, States: len(ends), Run: run, Alone: s.options.Alone, In: s.stuck(x, ends)}
	if run != nil {
		who := "nobody"
		if d.Alone {
			who = s.options.names()[0] + " alone never"
		}
		d.Lost, run.Title = cmp.Or(run.Last, "the start"), fmt.Sprintf("after this, %s gets to %s", who, id)
		if kind == "scene" {
			run.Title = fmt.Sprintf("after this, %s leaves %s", who, id)
		}
	}
	why := x.doubts()
	if d.Alone { // what others do is no way anyhow
		why = x.doubtsAlone()
	}
	d.Proved, d.Why = len(why) == 0, strings.Join(why, "; ")
	return d
}

// troubles are what went wrong, each kind once for each rule and variable.
func (s *Scout) troubles(r *Report) {
	all := map[fact]bool{}
	for _, x := range s.searches {
		for f := range x.facts {
			if f.trouble() {
				all[f] = true
			}
		}
	}
	for f := range all {
		t := s.trouble(f)
		var in *search
		if t.Run, in = s.seen(f); t.Run != nil {
			if f.unbalanced() {
				t = notConserved(s.m.Conserved[f.at], f, in.player.ledger.amount[f], t.Run)
			}
			t.Run.Title = t.Text
		}
		r.Troubles = append(r.Troubles, t)
	}
	sort.Slice(r.Troubles, func(a, b int) bool {
		x, y := r.Troubles[a], r.Troubles[b]
		return cmp.Or(slices.Index(troubleKinds, x.Kind)-slices.Index(troubleKinds, y.Kind), x.Line-y.Line,
			strings.Compare(x.Text, y.Text)) < 0
	})
}

var troubleKinds = []string{"broken", "failed", "made", "lost", "cut off"}

func (s *Scout) trouble(f fact) Trouble {
	t := Trouble{Text: f.more}
	switch f.kind {
	case brokeAlways:
		t.Kind = "broken"
	case ruleFailed:
		t.Kind = "failed"
		for _, r := range s.m.Rules {
			if r.Number == int(f.at) {
				t.Line, t.Text = r.At.Line, fmt.Sprintf("%s on %s: %s", r.Called(), r.On(), f.more)
				break
			}
		}
	case fateFailed:
		t.Kind = "failed"
	case cutOff:
		r, v := s.m.Rules[f.at], s.m.Var(f.more)
		t.Kind, t.Line = "cut off", r.At.Line
		t.Text = fmt.Sprintf("%s on %s gives %s a number beyond %s to %s, and the limit cuts it off.", r.Called(), r.On(),
			v.Name, v.Min, v.Max)
	case cutOffByFate:
		v := s.m.Vars[f.at]
		t.Kind, t.Line = "cut off", v.At.Line
		t.Text = fmt.Sprintf("A fate of %s sets a number beyond %s to %s, and the limit cuts it off.", v.Name, v.Min, v.Max)
	}
	return t
}
