package scout

import (
	"fmt"
	"slices"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// A slice is the part of the state that can decide the answer to a question. The engine always runs the whole plan; the
// slice only says which states are equal for the question. It starts with what the question reads and grows backward
// until nothing has to be added:
//
//   - The places of players, and whether they are alive, are always in it, and so is what the conditions of passages and
//     requests read.
//   - If an event can change something in the slice, then everything is added that decides whether it does: its own
//     condition, the conditions of its rules on the way to that action, the conditions of all other rules that run in the
//     same event and could refuse or fail (which would undo it), and every invariant that the event could break.
//   - If a value is written to something in the slice, then everything that the value is computed from is added.
//   - For each variable in the slice, everything that its fates and its own expression read is added.
//   - What players do with their places (going elsewhere, dying, starting over) can always be done; so everything is added that
//     an invariant reads which one of these could break, and which would then refuse it.
//
// An event here is whatever a rule can wait for: requests that write a variable, timers and the plan's own crossings too. What
// follows from it includes the crossings that it sets off, with their fates, and saving, with the rules that wait for that.
//
// Proof that the rest makes no difference: take two states with the same slice, and one move. If the move changes anything
// in the slice, then the slice has all conditions that decide whether the move is refused, and all values that the new
// ones are computed from. So the two next states have the same slice again. If the move changes nothing in the slice, it
// may be refused in one state and not in the other: the slice stays the same either way.
type slice struct {
	m           *model.Model
	vars        map[*model.Var]bool
	plain       map[*model.Var]bool // all of whose numbers are told apart
	marks       map[int]bool
	earned      map[int]bool
	exact       bool // coordinates are read somewhere
	inside      bool // it is asked who is in an area
	facing      bool
	visits      bool
	timers      bool
	clock       bool
	whole       bool                 // everything counts that anybody could read or hear of
	unsaved     bool                 // the plan does not save on leaving, so that what was saved before counts
	readsOthers bool                 // of players other than the one whom something is about
	areas       map[*model.Area]bool // that are asked for, or in which something happens that counts
	why         []string             // what keeps a search with it from being complete
	changed     bool
	reads       map[reading]bool // of what counts, for what it is compared with
	made        *engine.Lens     // the slice as the engine takes it; nil until somebody asks
}

type reading struct {
	v       *model.Var
	path    string
	program *expr.Program
}

// mostSteps is how many values a number may have that is told apart, though nothing reads it, to see what its limits cut
// off.
var mostSteps = fixed.FromInt(100)

// sliceFor is the slice for a question, where ask names what it reads; for everything, where whole says so.
func sliceFor(m *model.Model, whole bool, ask func(*slice)) *slice {
	s := &slice{m: m, vars: map[*model.Var]bool{}, plain: map[*model.Var]bool{}, marks: map[int]bool{}, earned: map[int]bool{},
		areas: map[*model.Area]bool{}, reads: map[reading]bool{}, whole: whole, unsaved: !m.SavesOn("leave")}
	ask(s)
	for _, p := range m.Passages {
		s.need(p.If)
		if p.Waymark != nil {
			s.marks[p.Waymark.Index] = true
		}
	}
	for _, q := range m.Requests {
		s.need(q.If)
	}
	if whole {
		for _, v := range m.Vars { // what its limits cut off is told, too
			if steps, err := v.Max.Sub(v.Min); err == nil && v.Type.Numeric() && !v.Computed() && !v.Stopwatch && !v.Seed {
				if many, err := steps.Div(v.Step); err == nil && many.Cmp(mostSteps) <= 0 {
					s.vars[v], s.plain[v] = true, true
				}
			}
		}
		for _, p := range programsOf(m) {
			s.need(p)
		}
		for _, w := range m.Waymarks {
			s.marks[w.Index] = true
		}
	}
	for s.changed = true; s.changed; {
		s.changed = false
		s.once()
	}
	s.doubts()
	return s
}

// once goes through everything that could change what counts.
func (s *slice) once() {
	for v := range s.vars {
		s.need(v.Is)
		s.need(v.While)
		for i := range v.Fates {
			s.need(v.Fates[i].Set)
		}
		for _, option := range s.m.Pickable[v.Type.Of] {
			s.need(option.If)
		}
	}
	for _, v := range s.m.Vars {
		if (v.SelfMay || v.Decl.WrittenBy.Given || foreign(v)) && s.moment(s.written(v)) {
			s.add(v)
		}
	}
	for _, e := range s.m.Events {
		if s.moment(s.closure(e.Rules)) {
			s.need(e.If)
		}
	}
	s.moment(s.living())
	for _, timers := range [][]model.Timer{s.m.Timers, s.m.OwnTimers} {
		for _, t := range timers {
			if s.moment(s.closure([]*model.Rule{t.Rule})) && !s.timers {
				s.timers, s.changed = true, true
			}
		}
	}
	for _, x := range s.m.Milestones {
		if s.earned[x.Index] || s.moment(s.closure(s.earnedRules(x))) {
			s.earn(x)
		}
	}
	s.moment(s.closure(s.m.On("saved")))
	for _, c := range s.m.OwnCrossings {
		f := s.closure(nil)
		s.cross(f, c)
		s.moment(f)
	}
	for _, a := range s.m.Areas {
		if !s.areas[a] && (a.Point != nil || s.counts(s.closure(slices.Concat(a.Entered, a.Exited)))) {
			s.areas[a], s.changed = true, true
		}
	}
	for _, k := range s.m.Kinds {
		if len(k.Props) == 0 || k.Props[0].Area == nil || s.areas[k.Props[0].Area] ||
			!s.counts(s.closure(slices.Concat(k.Entered, k.Exited))) {
			continue
		}
		for _, prop := range k.Props {
			s.areas[prop.Area], s.changed = true, true
		}
	}
}

// life are the rules on the moments of a player's life: joining, arriving, dying and so on.
func (s *slice) life() []*model.Rule {
	var out []*model.Rule
	for _, moment := range []string{"joined", "started", "loaded", "left", "departed", "arrived", "came-back", "died", "checkpoint",
		"picked", "saved"} {
		out = append(out, s.m.On(moment)...)
	}
	for _, a := range s.m.Areas {
		out = append(append(out, a.Entered...), a.Exited...)
	}
	for _, k := range s.m.Kinds {
		out = append(append(out, k.Entered...), k.Exited...)
	}
	return out
}

// living is what can follow from how a player's life goes on: the fates, and what waits for it.
func (s *slice) living() *follows {
	f := s.closure(nil)
	s.lives(f)
	return f
}

func (s *slice) lives(f *follows) {
	if f.life {
		return
	}
	f.life = true
	for _, cross := range []plan.Crossing{plan.CrossScene, plan.CrossDeath, plan.CrossNewRun} {
		s.fates(f, cross)
	}
	s.follow(f, s.life())
}

// fates are those variables written that do not stay as they are over a crossing.
func (s *slice) fates(f *follows, cross plan.Crossing) {
	for _, v := range s.m.Vars {
		if changes(v.Fates.At(cross)) {
			f.writes[v] = true
		}
	}
}

func changes(fate *model.Fate) bool { return fate.Kind != "" && fate.Kind != "keep" }

// cross is what follows from one of the plan's own crossings.
func (s *slice) cross(f *follows, c *model.OwnCrossing) {
	if slices.Contains(f.crosses, c) {
		return
	}
	f.crosses = append(f.crosses, c)
	s.fates(f, c.Crossing)
	if s.m.SavesOn(c.String()) {
		f.saves = true
		s.follow(f, s.m.On("saved"))
	}
	s.follow(f, slices.Concat(c.Rules, c.Each))
}

// written is what can follow from a request that writes a variable.
func (s *slice) written(v *model.Var) *follows {
	f := s.closure(s.m.OnChanged(v))
	f.writes[v] = true
	if v.Type.Kind == types.Pick {
		s.follow(f, s.m.On("picked"))
	}
	return f
}

func (s *slice) earnedRules(x *model.Milestone) []*model.Rule {
	var out []*model.Rule
	for _, r := range s.m.On("milestone") {
		if r.Moment.Of == "" || r.Moment.Of == x.ID {
			out = append(out, r)
		}
	}
	return out
}

func (s *slice) earn(x *model.Milestone) {
	if !s.earned[x.Index] {
		s.earned[x.Index], s.changed = true, true
	}
	s.need(x.When)
	s.need(x.Progress)
}

// follows is everything that one moment can set off in the same event.
type follows struct {
	rules   []*model.Rule
	writes  map[*model.Var]bool
	crosses []*model.OwnCrossing
	life    bool
	deeds   bool // something is done that writes no variable
	saves   bool
}

func (s *slice) closure(rules []*model.Rule) *follows {
	f := &follows{writes: map[*model.Var]bool{}}
	s.follow(f, rules)
	return f
}

func (s *slice) follow(f *follows, rules []*model.Rule) {
	for _, r := range rules {
		if r == nil || slices.Contains(f.rules, r) {
			continue
		}
		f.rules = append(f.rules, r)
		if r.Crosses != nil {
			s.cross(f, r.Crosses)
		}
		each(r.Do, nil, func(a *model.Action, _ []*expr.Program) {
			if a.Var != nil {
				f.writes[a.Var] = true
				s.follow(f, s.m.OnChanged(a.Var))
				if a.Var.Type.Kind == types.Pick {
					s.follow(f, s.m.On("picked"))
				}
			}
			if a.Sends != nil {
				s.follow(f, a.Sends.Rules)
			}
			if a.Goes || a.Turn != model.NoTurn {
				s.lives(f)
			}
			f.deeds = f.deeds || a.Waymark != nil || a.Earns != nil || a.Loses != nil || a.Takes != nil || a.SetsDown != nil
			if a.Saves {
				f.saves = true
				s.follow(f, s.m.On("saved"))
			}
		})
	}
}

// each walks through actions and those inside of them, with what decides on them.
func each(list []*model.Action, under []*expr.Program, do func(a *model.Action, under []*expr.Program)) {
	for _, a := range list {
		do(a, under)
		inside := under
		if a.If != nil {
			inside = append(slices.Clone(under), a.If)
		}
		for _, block := range a.Blocks {
			each(block, inside, do)
		}
	}
}

// counts says whether anything that is set off changes something that counts.
func (s *slice) counts(f *follows) bool {
	if f.life || f.saves && s.unsaved || slices.ContainsFunc(f.crosses, s.takesAlong) {
		return true
	}
	for v := range f.writes {
		if s.vars[v] {
			return true
		}
	}
	return slices.ContainsFunc(f.rules, func(r *model.Rule) bool {
		found := false
		each(r.Do, nil, func(a *model.Action, _ []*expr.Program) { found = found || s.actionCounts(a) })
		return found
	})
}

func (s *slice) actionCounts(a *model.Action) bool {
	return a.Var != nil && s.vars[a.Var] || a.Goes || a.Turn != model.NoTurn || a.Takes != nil || a.SetsDown != nil ||
		a.Waymark != nil && s.marks[a.Waymark.Index] ||
		a.Earns != nil && s.earned[a.Earns.Index] || a.Loses != nil && s.earned[a.Loses.Index]
}

// takesAlong says whether one of the plan's own crossings changes anything that counts and is no variable.
func (s *slice) takesAlong(c *model.OwnCrossing) bool {
	return changes(s.m.Reached.At(c.Crossing)) ||
		slices.ContainsFunc(s.m.Waymarks, func(x *model.Waymark) bool { return s.marks[x.Index] && changes(x.Fates.At(c.Crossing)) }) ||
		slices.ContainsFunc(s.m.Milestones, func(x *model.Milestone) bool { return s.earned[x.Index] && changes(x.Fates.At(c.Crossing)) }) ||
		slices.ContainsFunc(s.m.Movables, func(x *model.Movable) bool { return changes(x.Fates.At(c.Crossing)) })
}

// moment adds what decides the result of what a moment sets off, if any of it counts.
func (s *slice) moment(f *follows) bool {
	if !s.counts(f) {
		return false
	}
	for _, r := range f.rules {
		s.rule(r)
	}
	for _, a := range s.m.Always {
		if s.touches(f, a.That) {
			s.need(a.That)
		}
	}
	return true
}

// touches says whether what is set off can change anything that a condition reads.
func (s *slice) touches(f *follows, p *expr.Program) bool {
	for _, r := range p.Reads {
		v := s.m.VarOf(r.Ref)
		switch {
		case v == nil && (f.life || f.deeds || len(f.crosses) > 0 || r.Ref.What == expr.Earned):
			return true
		case v == nil:
		case f.writes[v] || v.Is != nil && s.touches(f, v.Is):
			return true
		}
	}
	return false
}

// rule adds what decides whether a rule changes something that counts, refuses, or fails.
func (s *slice) rule(r *model.Rule) {
	matters := false
	each(r.Do, nil, func(a *model.Action, under []*expr.Program) {
		fails := func(p *expr.Program) bool { return p != nil && p.MayFail() }
		counts := s.actionCounts(a) || a.Fails != "" || a.Sends != nil || fails(a.Value) || fails(a.If) || slices.ContainsFunc(a.Reads, fails) ||
			a.Target.Via != nil // whoever is referred to may not be there
		if a.Var != nil && a.Var.Refuse && a.Value != nil {
			counts = true
			s.add(a.Var)
		}
		for _, p := range a.Reads {
			if counts || len(a.Blocks) > 0 {
				matters = true
				s.need(p)
			}
		}
		if counts {
			matters = true
			s.need(a.Value)
			if fails(a.If) {
				s.need(a.If)
			}
			for _, p := range under {
				s.need(p)
			}
			if a.Sends != nil {
				s.need(a.Sends.If)
			}
			if a.Goes && a.Waymark != nil {
				s.mark(a.Waymark)
			}
			s.through(&a.Target)
		}
	})
	if matters || r.Crosses != nil || r.If != nil && r.If.MayFail() {
		s.need(r.If)
		s.need(r.Only)
	}
}

// through adds the references that lead to the player whose variable it is.
func (s *slice) through(ref *expr.Ref) {
	for via := ref.Via; via != nil; via = via.Via {
		if v := s.m.VarOf(*via); v != nil {
			s.add(v)
		}
	}
}

func (s *slice) mark(w *model.Waymark) {
	if !s.marks[w.Index] {
		s.marks[w.Index], s.changed = true, true
	}
}

func (s *slice) add(v *model.Var) {
	if v != nil && !s.vars[v] {
		s.vars[v], s.changed = true, true
	}
}

// need adds everything that an expression reads.
func (s *slice) need(p *expr.Program) {
	if p == nil {
		return
	}
	for i := range p.Reads {
		s.reading(p, &p.Reads[i])
	}
}

func (s *slice) reading(p *expr.Program, r *expr.Read) {
	set := func(flag *bool) {
		if !*flag {
			*flag, s.changed = true, true
		}
	}
	s.through(&r.Ref)
	s.readsOthers = s.readsOthers || r.Ref.Elsewhere() || r.Ref.What == expr.Present || r.Ref.Who == expr.Arg
	if v := s.m.VarOf(r.Ref); v != nil {
		s.add(v)
		s.reads[reading{v, r.Path, p}] = true
		return
	}
	switch r.Ref.What {
	case expr.Visits, expr.FirstVisit:
		set(&s.visits)
	case expr.Waymark:
		s.mark(s.m.Waymarks[r.Ref.Slot])
	case expr.Earned:
		if x := r.Ref.Slot; x < len(s.m.Milestones) && !s.earned[x] {
			s.earn(s.m.Milestones[x])
		}
	case expr.PlaceAxis, expr.PlaceAt:
		set(&s.exact)
	case expr.MovableAt:
		if r.Ref.Slot != expr.AtScene {
			set(&s.exact)
		}
	case expr.PlaceFacing:
		set(&s.facing)
	case expr.InArea:
		for _, a := range s.m.Areas {
			if a.Index == r.Ref.Slot && !s.areas[a] {
				s.areas[a], s.changed = true, true
			}
		}
		s.inside = true
	case expr.Time:
		set(&s.clock)
	}
}

// doubts notes why a search with this slice cannot be complete.
func (s *slice) doubts() {
	doubt := func(format string, args ...any) {
		if text := fmt.Sprintf(format, args...); !slices.Contains(s.why, text) {
			s.why = append(s.why, text)
		}
	}
	for _, v := range s.m.Vars {
		switch {
		case !s.vars[v]:
		case v.Stopwatch:
			doubt("%s runs on by itself, and only some of its times are tried", v.Name)
		case v.Seed:
			doubt("%s is drawn, and one draw is tried", v.Name)
		}
	}
	if s.clock {
		doubt("the time of the session is read, and only some times are tried")
	}
	if s.exact {
		doubt("coordinates are read, and only some points are tried")
	}
	if s.inside {
		doubt("it is asked who is in an area, and of each area only its middle and what is around it are tried")
	}
	if at := s.overlapping(); at != "" {
		doubt("areas overlap in %s, and only some points of them are tried", at)
	}
	s.doubtsOfSlots(doubt)
	for _, c := range s.m.OwnCrossings {
		if c.Calendar != nil && s.crossingCounts(c) {
			doubt("%s comes by the date, and days are tried one after the other", c.Title())
		}
	}
}

// doubtsOfSlots are those about the other slots of a player.
func (s *slice) doubtsOfSlots(doubt func(format string, args ...any)) {
	for _, v := range s.m.Vars {
		if !s.vars[v] || v.Computed() {
			continue
		}
		if s.m.SlotsPerPlayer() > 1 && (v.Hold == s.m.Profile || v.Holder == model.OfProfileList) {
			doubt("%s is over all slots of a player, and one slot is played", v.Name)
		}
	}
}

// overlapping is a scene in which two areas that count overlap; "" where none do.
func (s *slice) overlapping() string {
	for a := range s.areas {
		for b := range s.areas {
			if a != b && a.Scene == b.Scene && !a.Beside(&b.Lo, &b.Hi) {
				return a.Scene.ID
			}
		}
	}
	return ""
}

// aside says whether an event changes nothing that counts, and writes nothing to the disk. By the proof above, it leads from
// each state to the same one.
func (s *slice) aside(e *model.Event) bool {
	f := s.closure(e.Rules)
	return !s.whole && !s.counts(f) && !f.saves
}

func (s *slice) crossingCounts(c *model.OwnCrossing) bool {
	f := s.closure(nil)
	s.cross(f, c)
	return s.counts(f)
}

// others says whether more players could make a difference: through a variable that is not a player's own, a movable, an
// expression that reads other players or their number, or a rule about other players.
func (s *slice) others() bool {
	for v := range s.vars {
		if !v.Holder.OfPlayers() {
			return true
		}
	}
	if len(s.m.Movables) > 0 || s.readsOthers {
		return true
	}
	return slices.ContainsFunc(s.m.Effects, func(e model.Effect) bool {
		a := e.Action
		aboutAnother := func(r expr.Ref) bool { return r.Who != expr.Self && r.Who != expr.Base }
		return a.Var != nil && s.vars[a.Var] && aboutAnother(a.Target) || a.Turn != model.NoTurn && aboutAnother(a.Who)
	})
}

// lens is the slice as the engine takes it.
func (s *slice) lens() *engine.Lens {
	if s.made != nil {
		return s.made
	}
	writes, reads := map[*model.Var][]*model.Action{}, map[*model.Var][]reading{}
	for _, e := range s.m.Effects {
		if v := e.Action.Var; v != nil {
			writes[v] = append(writes[v], e.Action)
		}
	}
	for r := range s.reads {
		reads[r.v] = append(reads[r.v], r)
	}
	l := &engine.Lens{Facing: s.facing, Visits: s.visits, Timers: s.timers, Clock: s.clock,
		Exact: make([]bool, len(s.m.Scenes)), Marks: make([]bool, len(s.m.Waymarks)),
		Earned: make([]bool, len(s.m.Milestones)), // nobody misses a crossing here: who leaves comes back at once
		Entry:  s.m.Place.Death.Kind == "entry" || s.m.Place.Leave.Kind == "entry"}
	for _, h := range s.m.Holders {
		slots, most := []int{}, make([]fixed.Num, len(h.Stored))
		for i, v := range h.Stored {
			if s.vars[v] {
				slots, most[i] = append(slots, i), s.most(v, writes[v], reads[v])
			}
		}
		l.Slots, l.Most = append(l.Slots, slots), append(l.Most, most)
	}
	for i, scene := range s.m.Scenes {
		l.Exact[i] = s.exact || !scene.Walk
	}
	for a := range s.areas {
		l.Exact[a.Scene.Index] = true
	}
	for i := range l.Marks {
		l.Marks[i] = s.marks[i]
	}
	for i := range l.Earned {
		l.Earned[i] = s.earned[i]
	}
	s.made = l
	return l
}

// most is a number from which on all values of a variable are equal for everything that counts: one step more than the
// greatest number that it is compared with. It is 0, for none, if the variable is read by anything but comparisons with
// constants, or if a rule could bring it back down from there (by subtracting, for example).
func (s *slice) most(v *model.Var, writes []*model.Action, reads []reading) fixed.Num {
	if !v.Type.Numeric() || v.Stopwatch || v.Seed || v.Computed() || v.Refuse || s.plain[v] {
		return fixed.Num{}
	}
	for _, a := range writes {
		if !(a.Change == model.Raises || a.Change == model.Sets && a.Value != nil ||
			a.Change == model.Adds && a.Value != nil && a.Value.Type.Range.HasLo && a.Value.Type.Range.Lo.Sign() >= 0) {
			return fixed.Num{}
		}
	}
	var most fixed.Num
	for _, r := range reads {
		if s.progress(r.program) {
			continue
		}
		numbers, only := r.program.OnlyAgainst(r.path)
		if !only {
			return fixed.Num{}
		}
		for _, n := range numbers {
			most = fixed.Max(most, n)
		}
	}
	for _, x := range s.m.Milestones {
		if s.earned[x.Index] && x.Progress != nil && x.Progress.Name && s.m.VarOf(x.Progress.Target) == v {
			most = fixed.Max(most, x.Goal)
		}
	}
	most, err := most.Add(v.Step)
	if err != nil || v.Max.Less(most) {
		return fixed.Num{}
	}
	return most
}

// progress says whether an expression is a milestone's progress, and a name and nothing more: it is compared with the
// goal.
func (s *slice) progress(p *expr.Program) bool {
	return p.Name && slices.ContainsFunc(s.m.Milestones, func(x *model.Milestone) bool { return x.Progress == p })
}

// leftOut are the stored variables that decide nothing in the slice.
func (s *slice) leftOut() []string {
	var out []string
	for _, v := range s.m.Vars {
		if !v.Computed() && !s.vars[v] {
			out = append(out, v.Name)
		}
	}
	return out
}
