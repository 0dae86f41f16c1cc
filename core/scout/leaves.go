package scout

import (
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Leave is a way out of a scene that is always open: whoever is there and alive can go it, whatever has happened, and whoever
// is dead there comes back and can. It is known from the plan alone, however many states there are.
type Leave struct {
	Scene string `json:"scene"`
	By    string `json:"by"` // "cellar_door", "sending horn"; "" where no such way is known
}

// NobodyStuck is what is known of being stuck where no dead end was found, as sentences; "" where one was.
func (r *Report) NobodyStuck() string {
	if len(r.DeadEnds) > 0 {
		return ""
	}
	if !slices.ContainsFunc(r.Searches, func(x Searched) bool { return !x.Complete }) {
		return "Nobody gets stuck."
	}
	var ways []string
	for _, one := range r.Leaves {
		if one.By != "" {
			ways = append(ways, one.Scene+" by "+one.By)
		}
	}
	switch {
	case len(ways) == 0:
		return "Nobody gets stuck, as far as was searched."
	case len(ways) < len(r.Leaves):
		return fmt.Sprintf("Nobody gets stuck, as far as was searched. Whatever has happened, %d of %d scenes can be left again: %s.",
			len(ways), len(r.Leaves), strings.Join(ways, ", "))
	}
	out := fmt.Sprintf("Nobody gets stuck in a scene: whatever has happened, each can be left again (%s).", strings.Join(ways, ", "))
	if slices.ContainsFunc(r.Answers, func(a Answer) bool { return a.Kind == "milestone" }) {
		out += " Nothing takes a milestone out of reach, as far as was searched."
	}
	return out
}

// leaves gives such a way for each scene that has one.
//
// Proof. The way is a passage from the scene, or an event that players send, without a condition, an argument, or a request
// that the plan limits. Both are one transaction, in which no more happens than the event's own rules, those on departed and
// arrived, those on the areas and props of both scenes, those on what may come of it at once (atOnce), and the fates of a change of
// scene. It is refused only if a rule refuses
// or fails, a value that is written refuses its limit, something that is held may not come along, or an invariant breaks. harmless
// excludes the first two for every one of these rules (nothing else follows from them: they send nothing, and no rule waits for
// what they write); passable excludes the third; and no invariant reads a place, or anything that is written on the way. To reach
// the passage one walks, which is refused for the same reasons only. Limits of how often and how fast only take time. Whoever is
// dead comes back after a while, and has time to go if coming back does not kill them again: alive excludes that.
func leaves(m *model.Model) []Leave {
	var out []Leave
	for _, scene := range m.Scenes {
		out = append(out, Leave{scene.ID, wayOutOf(m, scene)})
	}
	return out
}

func wayOutOf(m *model.Model, scene *model.Scene) string {
	if !alive(m, scene) {
		return ""
	}
	for _, p := range m.Passages {
		to := p.To
		if p.BothWays && p.To != nil && p.To.Scene == scene {
			to = p.From
		} else if p.From.Scene != scene {
			continue
		}
		if p.If == nil && to != nil && to.Scene != scene && unlimited(m, "pass") && (!scene.Walk || unlimited(m, "move")) &&
			passable(m, nil, scene, to) {
			return p.ID
		}
	}
	for _, e := range m.Events {
		if to := goesTo(e); to != nil && unlimited(m, "event") && to.Scene != scene && passable(m, e, scene, to) {
			return "sending " + e.ID
		}
	}
	return ""
}

// unlimited says whether players may always ask for something.
func unlimited(m *model.Model, request string) bool {
	r := m.Requests[request]
	return r == nil || !r.Closed && r.If == nil
}

// goesTo is where an event brings whoever sends it, whatever has happened; nil where it is nowhere.
func goesTo(e *model.Event) *model.Spot {
	if !e.Self || e.If != nil || len(e.Args) > 0 {
		return nil
	}
	var to *model.Spot
	ways := 0
	for _, r := range e.Rules {
		each(r.Do, nil, func(a *model.Action, _ []*expr.Program) {
			if a.Goes {
				ways++
			}
		})
		for _, a := range r.Do {
			if a.Goes && a.Spot != nil && a.Waymark == nil && r.If == nil && r.Only == nil {
				to = a.Spot
			}
		}
	}
	if ways > 1 { // one of the others may come last
		return nil
	}
	return to
}

// passable says whether nothing can refuse to bring a player from a scene to a spot of another, by an event or (nil) a passage,
// to which they walk first.
func passable(m *model.Model, e *model.Event, from *model.Scene, to *model.Spot) bool {
	lo, hi := to.Point, to.Point
	for i, span := range to.Span {
		if span != nil {
			lo[i], hi[i] = fixed.Min(lo[i], span.Lo), fixed.Max(hi[i], span.Hi)
		}
	}
	rules := slices.Concat(m.On("departed"), m.On("arrived"), atOnce(m))
	for _, a := range m.Areas {
		if a.Scene == from {
			rules = append(rules, a.Exited...)
		}
		if a.Scene == from && e == nil && from.Walk || a.Scene == to.Scene && !a.Beside(&lo, &hi) {
			rules = append(rules, a.Entered...)
			if a.Point != nil {
				rules = append(rules, m.On("checkpoint")...)
			}
		}
	}
	for _, prop := range slices.Concat(from.Props, to.Scene.Props) {
		rules = slices.Concat(rules, prop.Kind.Entered, prop.Kind.Exited)
	}
	if e != nil {
		rules = append(rules, e.Rules...)
	}
	s := &slice{m: m}
	f := &follows{writes: map[*model.Var]bool{}, rules: rules, life: true}
	s.fates(f, plan.CrossScene)
	for _, r := range rules {
		goes := e != nil && slices.Contains(e.Rules, r)
		if !harmless(m, f, r, goes) {
			return false
		}
	}
	return !slices.ContainsFunc(m.Always, func(a *model.Always) bool { return s.touches(f, a.That) }) &&
		!slices.ContainsFunc(m.Movables, func(x *model.Movable) bool { return x.NeverIn[to.Scene] })
}

// atOnce are the rules on what may come of being somewhere: a milestone, or a save.
func atOnce(m *model.Model) []*model.Rule { return slices.Concat(m.On("milestone"), m.On("saved")) }

// harmless says whether a rule can neither refuse nor fail, and nothing follows from it; and notes what it writes. goes says
// whether it may move the player.
func harmless(m *model.Model, f *follows, r *model.Rule, goes bool) bool {
	fails := func(p *expr.Program) bool {
		return p != nil && (p.MayFail() || slices.ContainsFunc(p.Reads, func(r expr.Read) bool { return r.Ref.Elsewhere() }))
	}
	ok := r.Crosses == nil && !fails(r.If) && !fails(r.Only)
	each(r.Do, nil, func(a *model.Action, _ []*expr.Program) {
		ok = ok && a.Fails == "" && (goes || !a.Goes) && a.Turn == model.NoTurn && a.Sends == nil && !a.Each && a.Times == 0 &&
			a.Takes == nil && a.SetsDown == nil && !a.Saves && !fails(a.Value) && !fails(a.If) && !slices.ContainsFunc(a.Reads, fails)
		if v := a.Var; v != nil {
			f.writes[v] = true
			here := a.Target.Who == expr.Self || a.Target.Who == expr.Base || a.Target.Who == expr.Game || a.Target.Who == expr.HereScene
			fits := v.Type.Numeric() || v.Type.Kind == types.Bool || v.Type.Kind == types.Choice // other values can be refused
			ok = ok && here && fits && !v.Refuse && len(m.OnChanged(v)) == 0
		}
	})
	return ok
}

// alive says whether whoever comes back from the dead in a scene is not killed by that.
func alive(m *model.Model, scene *model.Scene) bool {
	kills := func(list []*model.Rule) bool {
		return slices.ContainsFunc(list, func(r *model.Rule) bool {
			found := false
			each(r.Do, nil, func(a *model.Action, _ []*expr.Program) {
				found = found || a.Turn != model.NoTurn || a.Goes || a.Sends != nil
			})
			return found || r.Crosses != nil
		})
	}
	if kills(slices.Concat(m.On("came-back"), m.On("arrived"), m.On("departed"), atOnce(m))) {
		return false
	}
	var at []point
	add := func(s *model.Spot) {
		if s != nil && s.Scene == scene {
			at = append(at, s.Point)
		}
	}
	add(m.Start)
	add(m.Fallback)
	anywhere := m.Place.Death.Kind != "checkpoint" && m.Place.Death.Kind != "start"
	for _, c := range m.Checkpoints {
		add(c.Spot)
		anywhere = anywhere || c.Area != nil && c.Area.Scene == scene
	}
	for _, a := range m.Areas {
		if a.Scene == scene && (kills(a.Entered) || a.Point != nil && kills(m.On("checkpoint"))) && (anywhere || slices.ContainsFunc(at, a.Contains)) {
			return false
		}
	}
	return !slices.ContainsFunc(scene.Props, func(p *model.Prop) bool { return kills(p.Kind.Entered) })
}
