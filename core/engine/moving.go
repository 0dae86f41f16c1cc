package engine

import (
	"slices"
	"strings"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

func (t *tx) move(p *Player, req *Request) error {
	r := t.run
	if len(req.To) != len(r.m.Axes) {
		return refuse(Invalid, "A place here has %d coordinates (%s), not %d.", len(r.m.Axes),
			strings.Join(r.m.Axes, ", "), len(req.To))
	}
	to := p.place
	for i, n := range req.To {
		rounded, err := n.RoundTo(r.m.Step)
		if err != nil {
			return refuse(Invalid, "The coordinate %s is too large.", n)
		}
		to.At[i] = rounded
	}
	if !r.contains(to.At, to.Scene) {
		return refuse(Refused, "%s is outside the scene.", r.PlaceText(to))
	}
	if req.Facing != "" {
		if !slices.Contains(r.m.Facings, req.Facing) {
			return refuse(Unknown, "There is no facing called %q.", req.Facing)
		}
		to.Facing = req.Facing
	}
	if !r.m.Scenes[to.Scene].Walk && to.At != p.place.At {
		return refuse(Refused, "Nobody moves freely in %s; passages lead from spot to spot.",
			r.m.Scenes[to.Scene].Title)
	}
	spent, err := r.speed(p, to)
	if err != nil {
		return err
	}
	from := p.place
	t.touch(p)
	p.place, p.movedAt, p.placed = to, spent, r.clock
	return t.moved(p, from, true)
}

// burst is how much of a player's speed may be saved up, in milliseconds: a game says where a walking player is
// at least that often, and moves that were late on their way come together.
const burst = 10_000

// speed says until when a move spends a player's speed, and refuses one that is faster than the plan allows.
func (r *Run) speed(p *Player, to Place) (int64, error) {
	if r.m.Fastest.Sign() == 0 {
		return p.movedAt, nil
	}
	length := length2(between(p.place.At, to.At)).Sqrt()
	time, err := length.Div(r.m.Fastest)
	if err != nil {
		return 0, refuse(Failed, "The way is too long to be measured.")
	}
	ms, _ := time.Mul(fixed.FromInt(1000))
	whole, _ := ms.Ceil().Int()
	spent := max(p.movedAt, r.clock-burst) + whole
	if spent > r.clock {
		return 0, refuse(TooFast, "Nobody is that fast: at most %s %s a second.", r.m.Fastest,
			r.m.Plan.Space.Unit.Or("metre"))
	}
	return spent, nil
}

// between is how far two points are from each other along each axis.
func between(a, b [model.MaxAxes]fixed.Num) [model.MaxAxes]fixed.Num {
	var out [model.MaxAxes]fixed.Num
	for i := range a {
		out[i], _ = a[i].Sub(b[i])
	}
	return out
}

// pass goes through a passage, from whichever of its ends the player is at.
func (t *tx) pass(p *Player, id string) error {
	r := t.run
	passage := r.m.Passage(id)
	if passage == nil {
		return unknown("passage", id, r.m.Plan.Passages.IDs())
	}
	if p.dead {
		return refuse(Refused, "The dead pass nothing.")
	}
	from, to := passage.From, passage.To
	if passage.BothWays && r.nearer(p, to, from) {
		from, to = to, from
	}
	if !r.reachable(p, from) {
		return r.tooFar(p, from)
	}
	if passage.If != nil {
		t.frame.about(p)
		open := t.holds(passage.If)
		if t.frame.err != nil {
			return refuse(Failed, "The condition of %s failed: %v.", id, t.frame.err)
		}
		if !open {
			if passage.Else == nil {
				return refuseWith(passage.Refused, "%s is closed.", passage.Title)
			}
			return t.goTo(p, spotPlace(passage.Else, p.place.Facing))
		}
	}
	if passage.Waymark != nil {
		return t.passToMark(p, passage)
	}
	return t.goTo(p, r.carried(passage, p.place, to))
}

// passToMark leads to a waymark; where that is none, to the passage's else.
func (t *tx) passToMark(p *Player, passage *model.Passage) error {
	switch {
	case p.marks[passage.Waymark.Index].set:
		return t.goToMark(p, passage.Waymark)
	case passage.Else != nil:
		return t.goTo(p, spotPlace(passage.Else, p.place.Facing))
	}
	return refuse(Refused, "%s leads back to a place that was remembered, and nothing was.", passage.Title)
}

// nearer says whether a player is in a's scene and nearer to a than to b.
func (r *Run) nearer(p *Player, a, b *model.Spot) bool {
	if p.place.Scene != a.Scene.Index {
		return false
	}
	return p.place.Scene != b.Scene.Index || length2(r.offset(p.place.At, a)).Less(length2(r.offset(p.place.At, b)))
}

func (r *Run) tooFar(p *Player, s *model.Spot) error {
	if p.place.Scene != s.Scene.Index {
		return refuse(Refused, "%s is not in %s, where %s is.", p.id, s.Scene.ID, s.ID)
	}
	return refuse(Refused, "%s is too far from %s to touch it: within %s is needed.", p.id, s.ID, s.Reach)
}

// carried is where a passage leads: the spot, with the axes and the facing that are carried, moved to
// the nearest point of the target's span and of the scene.
func (r *Run) carried(passage *model.Passage, from Place, to *model.Spot) Place {
	out := spotPlace(to, from.Facing)
	for i := range r.m.Axes {
		if span := to.Span[i]; passage.Carry.Axes[i] && span != nil {
			out.At[i] = fixed.Max(span.Lo, fixed.Min(span.Hi, from.At[i]))
		}
	}
	if passage.Carry.Facing {
		out.Facing = from.Facing
	}
	out.At = r.inside(out.At, out.Scene)
	return out
}

// over is the place in a scene that lies over another: what is carried comes from there, the rest from the
// scene's first spot; where that is outside, the nearest point of the scene.
func (r *Run) over(scene *model.Scene, carry model.Carried, from Place) Place {
	out := Place{Scene: scene.Index, At: scene.Lo, Facing: from.Facing}
	if len(scene.Spots) > 0 {
		out = spotPlace(scene.Spots[0], from.Facing)
	}
	for i := range r.m.Axes {
		if carry.Axes[i] {
			out.At[i] = from.At[i]
		}
	}
	if carry.Facing {
		out.Facing = from.Facing
	}
	out.At = r.inside(out.At, out.Scene)
	return out
}

// touchPoint touches a checkpoint: it counts once in a run, unless it says again.
func (t *tx) touchPoint(p *Player, id string) error {
	point := t.run.m.Checkpoint(id)
	switch {
	case point == nil:
		return unknown("checkpoint", id, pointIDs(t.run.m))
	case point.Area != nil:
		return refuse(Invalid, "The checkpoint %s is reached by entering %s.", id, point.Area.ID)
	case p.dead:
		return refuse(Refused, "The dead touch nothing.")
	case !t.run.reachable(p, point.Spot):
		return t.run.tooFar(p, point.Spot)
	case p.used[point.Index] && !point.Again:
		return nil
	}
	return t.reach(p, point)
}

// reach makes a checkpoint count, and (unless a later one was reached) the one to come back to.
func (t *tx) reach(p *Player, point *model.Checkpoint) error {
	t.touch(p)
	used := slices.Clone(p.used)
	used[point.Index] = true
	p.used = used
	if t.replaces(p, point) {
		from := types.None
		if p.reached >= 0 {
			from = types.OfText(t.run.m.Checkpoints[p.reached].ID)
		}
		t.note(p, "player.checkpoint", from, types.OfText(point.ID))
		p.reached = point.Index
	}
	t.tell(Notice{Player: p.id, To: "player", Kind: "checkpoint", Text: point.ID, ID: point.ID,
		Scene: t.run.m.Scenes[p.place.Scene].ID})
	if err := t.moment("checkpoint", p); err != nil {
		return err
	}
	if point.Area != nil && p.reached == point.Index {
		t.touch(p)
		p.back = p.place
	}
	if p.reached == point.Index { // what the rules on the moment gave is part of what is remembered
		t.remember(p)
	}
	t.saveMoment(p, "checkpoint")
	return nil
}

// replaces says whether a checkpoint becomes the one reached: with use: furthest, not where a later one
// was.
func (t *tx) replaces(p *Player, point *model.Checkpoint) bool {
	return !t.run.m.Furthest || p.reached < 0 || t.run.m.Checkpoints[p.reached].Order <= point.Order
}
