package engine

import (
	"cmp"
	"fmt"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// Request is something asked of a session.
type Request struct {
	At int64 // the session's time in milliseconds; it never goes back
	// Date is when the request was made, in milliseconds since 1970 in UTC; the calendar goes by it. One that is
	// earlier than another request's counts as that; 0 where there is none.
	Date   int64
	Do     string // join, move, pass, touch, leave, start-over, event, write, correct, die, commons, deleted
	Player string // whom it is about; "" for a server's event
	Server bool   // sent by the game's server, not by the player
	Number uint64 // the sender's rising number; 0 where requests are not numbered
	Sender string // of a numbered request of a server: which of the game's servers
	// Arrival is the player's arrival that the sender knew of; 0 where that is not said. A request that was sent
	// at another arrival than the player's last one is stale (rule 8).
	Arrival int
	Name    string // the passage, checkpoint, event or variable
	To      []fixed.Num
	Facing  string
	Args    map[string]types.Value
	Value   types.Value
	Slot    int
	Picks   map[string]types.Value // of join: what the player picks on the way in, by variable
	Shared  map[string]save.Values // of join and commons: what the player has of each commons
	Why     string                 // of correct: the reason
	Gone    []string               // of join: the players whom something saved refers to, and who were deleted
	Profile *save.Profile          // of join: what the player has over all slots, or nil
	Saved   *save.Player           // of join: what was saved in the slot, or nil for a new run
}

// The reasons for which a request is refused.
const (
	Unknown   = "unknown"   // it names something that is not there
	Invalid   = "invalid"   // it is not of the form that the plan says
	Refused   = "refused"   // the plan does not allow it now
	Failed    = "failed"    // a rule of the plan failed
	Repeated  = "repeated"  // its number was applied before
	Stale     = "stale"     // the player has arrived elsewhere since it was sent
	Forbidden = "forbidden" // its sender may not ask for it at all
	TooFast   = "too-fast"  // nobody moves that fast
	TooOften  = "too-often" // it was sent more often than the plan says
)

// Refusal is why a request changed nothing.
type Refusal struct {
	Kind   string
	Reason string // for people
	Key    string // what the reason is known by, where it is the plan's: "" otherwise
	Rule   int    // the rule of the plan that failed or refused, from 1; 0 where none did
	Named  string // what people call the rule: winning, or rule 3
	Line   int    // its line in the plan
}

// Error is the reason, with the rule where one refused.
func (e *Refusal) Error() string {
	if e.Rule > 0 {
		return fmt.Sprintf("%s (%s, line %d of the plan)", e.Reason, cmp.Or(e.Named, fmt.Sprintf("rule %d", e.Rule)),
			e.Line)
	}
	return e.Reason
}

func refuse(kind, format string, args ...any) error {
	return &Refusal{Kind: kind, Reason: fmt.Sprintf(format, args...)}
}

// refuseWith refuses in the words of the plan, where it has some.
func refuseWith(text model.Text, otherwise string, args ...any) error {
	if text.Text == "" {
		return refuse(Refused, otherwise, args...)
	}
	return &Refusal{Kind: Refused, Reason: text.Text, Key: text.Key}
}

// Cause is why a value changed. One that was handed out is never changed: many changes may share it.
type Cause struct {
	Kind     string // rule, crossing, request, limit
	Rule     int    // which rule, from 1
	Named    string // what people call the rule: winning, or rule 3
	Line     int    // where it stands in the plan
	Moment   string // what the rule waited for, or the request
	Crossing string // which crossing
	Fate     string // and what it did
}

// String is the cause as people read it.
func (c *Cause) String() string {
	switch c.Kind {
	case "rule":
		return fmt.Sprintf("%s (line %d) on %s", cmp.Or(c.Named, fmt.Sprintf("rule %d", c.Rule)), c.Line, c.Moment)
	case "crossing":
		return fmt.Sprintf("%s: %s", c.Crossing, c.Fate)
	}
	return c.Moment
}

// noCause is before anything has been asked.
var noCause = &Cause{}

// requestCauses are the causes that requests are.
var requestCauses = func() map[string]*Cause {
	out := map[string]*Cause{}
	for _, do := range []string{"join", "move", "pass", "touch", "leave", "start-over", "event", "write", "correct",
		"commons", "die", "deleted"} {
		out[do] = &Cause{Kind: "request", Moment: do}
	}
	return out
}()

func orCause(c *Cause) *Cause {
	if c == nil {
		return noCause
	}
	return c
}

// causeOf is the cause that a rule is; it is put into words when it acts first.
func (r *Run) causeOf(rule *model.Rule) *Cause {
	c := &r.causes[rule.Index]
	if c.Kind == "" {
		*c = Cause{Kind: "rule", Rule: rule.Number, Named: rule.Called(), Line: rule.At.Line, Moment: rule.On()}
	}
	return c
}

// fated makes the crossing's cause say what it does.
func (t *tx) fated(fate string) {
	if t.cause.Fate != fate {
		c := *t.cause
		c.Fate = fate
		t.cause = &c
	}
}

// Change is one value that a request changed. Whose: Player, Scene, Prop, Option, Player and one of these, or (none
// of them) the game's.
type Change struct {
	Player string
	Scene  string
	Prop   string // cache.under_ledge
	Option string // of a list: rice
	Name   string // player.warmth, place, player.dead, player.checkpoint
	From   types.Value
	To     types.Value
	Cause  *Cause
	at     *types.Value // where it is held; nil of what is put back in another way
}

// Notice is something that players are told.
type Notice struct {
	Player string // whom it is about; "" for nobody in particular
	To     string // player, scene, everyone
	Kind   string // joined, left, arrived, departed, checkpoint, died, came-back, started, milestone, taken, set-down, holds, stands, message, breach, undone
	Text   string
	Scene  string
	From   string // of arrived: the scene that was left
	ID     string // the milestone, checkpoint or movable that it is about
	Key    string // what Text is known by, for a game that says it in words of its own; "" where it is not the plan's
	Rule   int    // of message and undone: the rule that says it, or that failed, from 1
}

// SaveMoment says that a player has reached a moment at which the plan saves them.
type SaveMoment struct {
	Player string // "" for the world
	Moment string
}

// Result is what came of a request. Its slices are reused by the next step: copy what is to be kept.
type Result struct {
	Changes []Change
	Notices []Notice
	Saves   []SaveMoment
	Left    []*save.Player // those whose visit ended, as they were
}

// reachable says whether a player is near enough to a spot: to the nearest point of its span, ends
// included.
func (r *Run) reachable(p *Player, s *model.Spot) bool {
	if p.place.Scene != s.Scene.Index {
		return false
	}
	return s.AnyReach || !exceeds(r.offset(p.place.At, s), s.Reach)
}

// offset is how far a point is from a spot along each axis.
func (r *Run) offset(at [model.MaxAxes]fixed.Num, s *model.Spot) [model.MaxAxes]fixed.Num {
	var out [model.MaxAxes]fixed.Num
	for i := range r.m.Axes {
		near := s.Point[i]
		if span := s.Span[i]; span != nil {
			near = fixed.Max(span.Lo, fixed.Min(span.Hi, at[i]))
		}
		out[i], _ = at[i].Sub(near)
	}
	return out
}

// exceeds says whether an offset is longer than reach.
func exceeds(offset [model.MaxAxes]fixed.Num, reach fixed.Num) bool {
	return square(reach).Less(length2(offset))
}

func length2(offset [model.MaxAxes]fixed.Num) fixed.Num { return model.Dot(offset, offset) }

func square(n fixed.Num) fixed.Num {
	return model.Dot([model.MaxAxes]fixed.Num{n}, [model.MaxAxes]fixed.Num{n})
}

// inside moves a point to the nearest one of the scene.
func (r *Run) inside(at [model.MaxAxes]fixed.Num, scene int) [model.MaxAxes]fixed.Num {
	return r.m.Scenes[scene].Nearest(at, r.m.Step)
}

// contains says whether a point lies in the scene: from its origin up to, not including, origin + size.
func (r *Run) contains(at [model.MaxAxes]fixed.Num, scene int) bool { return r.m.Scenes[scene].Has(at) }

// PlaceText is a place as people read it: gorge (12, 47) north.
func (r *Run) PlaceText(p Place) string { return r.placeOut(p).String() }
