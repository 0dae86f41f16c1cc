package model

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Load reads a plan that uses no commons and builds its model. Where the findings hold an error the model is
// nil.
func Load(source []byte) (*Model, *plan.Plan, finding.List) { return LoadFor(source, nil) }

// build resolves a plan that was read without errors. Where the findings hold an error the model is nil.
func build(p *plan.Plan, commons Commons) (*Model, finding.List) {
	b := newBuilder(p, commons)
	if finding.UpToMost(b.all) {
		b.found = append(b.found, finding.TooMany())
	}
	if b.found.Errors() {
		return nil, b.found
	}
	return b.Model, b.found
}

func newBuilder(p *plan.Plan, commons Commons) *builder {
	b := &builder{Model: &Model{
		Plan: p, Crossings: p.AllCrossings(), Reach: p.Reach.Or(fixed.FromInt(2)),
		Step: p.Space.Step.Or(fixed.Must("0.001")), Furthest: true,
		vars: map[string]*Var{}, spots: map[string]*Spot{}, scenes: map[string]*Scene{}, passages: map[string]*Passage{},
		points: map[string]*Checkpoint{}, waymarks: map[string]*Waymark{}, areas: map[string]*Area{}, events: map[string]*Event{}, byMoment: map[string][]*Rule{},
		lists: map[string]*List{}, rosters: map[string]*types.Roster{}, options: map[string][]string{},
		kinds: map[string]*PropKind{}, movables: map[string]*Movable{}, Requests: map[string]*RequestRule{}, Pickable: map[string]map[string]Pickable{},
	}, seen: map[string]bool{}, load: commons, lost: map[string]bool{}}
	b.Reached = b.newFates()
	return b
}

func (b *builder) all() {
	b.Single = b.Players() == 1
	b.space()
	b.allLists()
	b.allScenes()
	b.allHoldings()
	b.allMovables()
	b.allPoints()
	b.allWaymarks()
	b.nameMilestones()
	b.nameCrossings()
	b.allVars()
	b.scopes = b.newScopes()
	b.allComputed()
	b.whiles()
	b.allOptions()
	b.allEvents()
	b.allFates()
	b.allPassages()
	b.allMilestones()
	b.allGoals()
	b.allRules()
	b.allConserved()
	b.setOff()
	b.allAlways()
	b.allUpgrades()
	b.allRequests()
	b.allStandings()
	b.allCarriers()
	b.session()
	b.saving()
	b.sortTexts()
	b.allWeighed()
}

// builder is a model in the making, with what is found on the way.
type builder struct {
	*Model
	found  finding.List
	seen   map[string]bool
	load   Commons
	rest   *unread         // of a plan with errors of form: what of it could not be read
	blocks int             // how many runs of actions were compiled
	lost   map[string]bool // what a plan calls commons that cannot be had: nothing more is said of what is read in them
}

// session checks how one live run of the game is kept.
func (b *builder) session() {
	s := &b.Plan.Session
	if rate := s.Ticks.Value; s.Ticks.Given && (rate.Per/time.Duration(rate.Times) < time.Second/60 ||
		rate.Per/time.Duration(rate.Times) > time.Second) {
		b.report("bad-value", s.Ticks.At, "ticks go from 1/s to 60/s, not %s.", rate)
	}
	near := func(x *Scene) bool { return x.Tells != nil }
	if s.Budget.Given && !slices.ContainsFunc(b.Scenes, near) && !b.rest.inside("/scenes") {
		b.report("bad-value", s.Budget.At, "A budget holds in scenes with near, and this plan has none: "+
			"give the scene in which many meet near: {within: 40}, or leave budget out.")
	}
	if s.Grace.Value > time.Hour {
		b.report("bad-value", s.Grace.At,
			"grace is at most an hour, not %s: so long a seat is kept for somebody who is not there.", s.Grace.Value)
	}
}

func (b *builder) report(id string, at finding.At, format string, args ...any) {
	b.add(finding.New(id, at, fmt.Sprintf(format, args...)))
}

// add keeps a finding once: a rule that waits for several moments is built once for each.
func (b *builder) add(found ...finding.Finding) {
	for _, f := range found {
		if b.rest.follows(f) || ofNoType(f.Message) {
			continue
		}
		key := fmt.Sprint(f.ID, f.At, f.Message)
		if !b.seen[key] {
			b.found.Enough()
			b.seen[key] = true
			b.found = append(b.found, f)
		}
	}
}

// ofNoType says whether a finding is about a type that nobody knows: that it is none is told where it is declared.
func ofNoType(message string) bool {
	return strings.Contains(message, "something is wanted") || strings.Contains(message, "each is something")
}

func (b *builder) space() {
	s := b.Plan.Space
	for _, a := range s.Axes {
		b.Axes = append(b.Axes, a.Name)
	}
	switch n := len(s.Axes); {
	case n == 0:
		b.Axes = []string{"x", "y"}
	case n == 1 || n > MaxAxes:
		b.report("bad-value", s.Axes[0].At, "A space has two or three axes, not %d.", n)
		b.Axes = []string{"x", "y"}
	}
	for _, f := range s.Facings {
		b.Facings = append(b.Facings, f.Name)
	}
	b.unique(s.Axes)
	b.unique(s.Facings)
}

// unique reports names that stand twice in a list.
func (b *builder) unique(ids []plan.ID) {
	first := map[string]plan.ID{}
	for _, id := range ids {
		if before, twice := first[id.Name]; twice {
			b.report("duplicate-id", id.At, "%q stands here again; it stands first on line %d.", id.Name, before.Line)
		}
		first[id.Name] = id
	}
}

func (b *builder) allScenes() {
	for i := range b.Plan.Scenes.Entries {
		e := &b.Plan.Scenes.Entries[i]
		s := &Scene{ID: e.ID, Title: Title(e.Value.Title, e.ID), Index: i, At: e.At, Decl: &e.Value,
			Size: b.numbers(e.Value.Size, e.At, "size")}
		for _, n := range s.Size {
			if b.rest.inside(e.At.Pointer+"/size") || len(e.Value.Size) != len(b.Axes) {
				break
			}
			if n.Sign() <= 0 || maxExtent.Less(n) {
				b.report("bad-value", e.At, "The size of a scene is more than 0 and at most %s along each axis.",
					maxExtent)
			}
		}
		s.Walk = e.Value.Walk.Or(true)
		s.Tells = b.tells(e.Value.Near)
		if e.Value.Origin != nil {
			copy(s.Lo[:], b.numbers(e.Value.Origin, e.At, "origin"))
		}
		for i, n := range s.Size {
			if maxExtent.Less(s.Lo[i].Abs()) {
				b.report("bad-value", e.At, "The origin of a scene is at most %s from 0 along each axis.", maxExtent)
			}
			s.Hi[i], _ = s.Lo[i].Add(n)
		}
		b.Scenes = append(b.Scenes, s)
		b.scenes[e.ID] = s
		for _, spot := range e.Value.Spots.Entries {
			b.spot(s, spot)
		}
		for _, area := range e.Value.Areas.Entries {
			b.area(s, area)
		}
	}
	b.Start = b.spots[b.Plan.Start.Name]
}

// tells is whom machines are sent in a scene.
func (b *builder) tells(near *plan.Near) *Tells {
	if near == nil {
		return nil
	}
	if near.Within.Given && near.Within.Value.Sign() <= 0 {
		b.report("bad-value", near.Within.At, "within is more than 0: at no distance nobody is near.")
	}
	return &Tells{Within: near.Within.Value, AtMost: near.AtMost.Or(64)}
}

// numbers reads one number for each axis.
func (b *builder) numbers(list []plan.Given[fixed.Num], at finding.At, what string) []fixed.Num {
	out := make([]fixed.Num, MaxAxes)[:len(b.Axes)]
	if b.rest.inside(at.Pointer + "/" + what) {
		return out
	}
	if len(list) != len(b.Axes) {
		b.report("bad-value", at, "%s has %d numbers here; the space has %d axes (%s).", what, len(list), len(b.Axes),
			strings.Join(b.Axes, ", "))
		return out
	}
	for i, n := range list {
		out[i] = n.Value
		if !n.Value.MultipleOf(b.Step) {
			b.report("bad-value", n.At, "%s is not a whole number of the space's steps of %s.", n.Value, b.Step)
		}
	}
	return out
}

func (b *builder) spot(scene *Scene, e plan.Entry[plan.Spot]) {
	s := &Spot{ID: scene.ID + "/" + e.ID, Scene: scene, Facing: e.Value.Facing.Value, Reach: b.Reach, At: e.At}
	copy(s.Point[:], b.numbers(e.Value.At, e.At, "at"))
	if e.Value.Facing.Given {
		b.oneOf(e.Value.Facing.Value, b.Facings, "facing", e.Value.Facing.At)
	}
	for _, span := range e.Value.Span.Entries {
		axis := indexOf(b.Axes, span.ID)
		switch {
		case axis < 0:
			b.oneOf(span.ID, b.Axes, "axis", span.At)
		case len(span.Value) != 2 || span.Value[1].Value.Less(span.Value[0].Value):
			b.report("bad-value", span.At, "A span is two numbers, from and to: {%s: [4, 36]}.", span.ID)
		default:
			s.Span[axis] = &Span{span.Value[0].Value, span.Value[1].Value}
		}
	}
	b.spotReach(s, e.Value.Reach)
	scene.Spots = append(scene.Spots, s)
	b.spots[s.ID] = s
}

func (b *builder) spotReach(s *Spot, reach plan.Given[string]) {
	if !reach.Given {
		return
	}
	if s.AnyReach = reach.Value == "any"; s.AnyReach {
		return
	}
	n, err := fixed.Parse(reach.Value)
	if err != nil || n.Sign() < 0 || maxExtent.Less(n) {
		b.report("bad-value", reach.At, "reach is a distance or any, not %q.", reach.Value)
	}
	s.Reach = n
}

// oneOf reports a name that is not in the list.
func (b *builder) oneOf(name string, list []string, what string, at finding.At) {
	if indexOf(list, name) >= 0 {
		return
	}
	near := finding.Declared(name, list)
	text := fmt.Sprintf("There is no %s called %q.%s", what, name, finding.DidYouMean(near.Name))
	if len(list) > 0 && near.Name == "" {
		text += " There is " + strings.Join(list, ", ") + "."
	}
	b.unknownName(at, text, near)
}

// unknownName reports a name that nothing has, with the nearest that something has, if any is near.
func (b *builder) unknownName(at finding.At, text string, near finding.Guess) {
	f := finding.New("unknown-name", at, text)
	f.Suggest(near)
	b.add(f)
}

func indexOf(list []string, s string) int {
	for i, x := range list {
		if x == s {
			return i
		}
	}
	return -1
}

func (b *builder) allPoints() {
	c := b.Plan.Checkpoints
	if c == nil {
		return
	}
	b.Furthest = c.Use.Or("furthest") == "furthest"
	b.Fallback = b.spots[c.Fallback.Name]
	for i, e := range c.List.Entries {
		if e.Value.Spot.Given() == e.Value.Area.Given() {
			b.report("missing", e.At, "The checkpoint %s needs either at, a spot to touch, or in, an area to enter.",
				e.ID)
		}
		p := &Checkpoint{ID: e.ID, Index: i, Spot: b.spots[e.Value.Spot.Name], Area: b.areas[e.Value.Area.Name],
			Order: e.Value.Order.Or(i + 1), Again: e.Value.Again.Value, At: e.At}
		b.Checkpoints = append(b.Checkpoints, p)
		b.points[e.ID] = p
		if p.Area != nil {
			if p.Area.Point != nil {
				b.report("bad-value", e.At, "Entering %s reaches the checkpoint %s already.", p.Area.ID,
					p.Area.Point.ID)
			}
			p.Area.Point = p
		}
	}
}

func (b *builder) allWaymarks() {
	for i := range b.Plan.Waymarks.Entries {
		e := &b.Plan.Waymarks.Entries[i]
		w := &Waymark{ID: e.ID, Fates: b.newFates(), Title: Title(e.Value.Title, e.ID), Index: i,
			NotFrom: b.sceneSet(e.Value.NotFrom), ForgetOn: b.sceneSet(e.Value.ForgetOn),
			Lasting: e.Value.Lasting.Value, At: e.At, Decl: &e.Value}
		b.Waymarks = append(b.Waymarks, w)
		b.waymarks[e.ID] = w
		if v := b.Plan.Variables.Get(e.ID); v != nil && v.Of.Name == "player" && v.Of.With == "" || builtIn[e.ID] {
			b.report("duplicate-id", e.At, "player.%s is something else already; a waymark is read by that name too.",
				e.ID)
		}
	}
}

func (b *builder) sceneSet(refs []plan.Ref) map[*Scene]bool {
	set := map[*Scene]bool{}
	for _, r := range refs {
		set[b.scenes[r.Name]] = true
	}
	return set
}

func (b *builder) allPassages() {
	for i := range b.Plan.Passages.Entries {
		e := &b.Plan.Passages.Entries[i]
		d := &e.Value
		p := &Passage{ID: e.ID, Title: Title(d.Title, e.ID), From: b.spots[d.From.Name], To: b.spots[d.To.Name],
			Waymark: b.waymarks[d.To.Name], BothWays: d.BothWays.Value,
			Refused: b.text(d.Refused), Else: b.spots[d.Else.Name], At: e.At, Decl: d}
		p.Carry = b.carried(d.Carry)
		if p.Waymark != nil && (p.BothWays || len(d.Carry) > 0) {
			b.report("bad-value", e.At,
				"The passage %s leads to a waymark, which is a whole place: it cannot lead back, and nothing is carried.", e.ID)
		}
		if d.If.Given() {
			p.If, _ = b.condition(d.If, b.scopes.player, nil)
		} else if d.Refused.Given || d.Else.Given() && p.Waymark == nil {
			b.report("missing", e.At, "The passage %s says what happens when it is refused, but has no if.", e.ID)
		}
		b.Passages = append(b.Passages, p)
		b.passages[e.ID] = p
	}
}

// carried reads what a player brings along.
func (b *builder) carried(names []plan.ID) Carried {
	var out Carried
	for _, c := range names {
		if axis := indexOf(b.Axes, c.Name); axis >= 0 {
			out.Axes[axis] = true
		} else if c.Name == "facing" {
			out.Facing = true
		} else {
			b.oneOf(c.Name, append(append([]string{}, b.Axes...), "facing"), "axis", c.At)
		}
	}
	b.unique(names)
	return out
}
