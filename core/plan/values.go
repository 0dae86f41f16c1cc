package plan

import (
	"strings"
	"time"

	"alluvion/core/finding"
	"alluvion/core/types"
)

// Given is a scalar that may be written in the plan: its value, whether it was written, and where.
type Given[T any] struct {
	Value T
	Given bool
	finding.At
}

// Or is the value that was written, or the other where none was.
func (g Given[T]) Or(other T) T {
	if g.Given {
		return g.Value
	}
	return other
}

// ID is a name that the designer gave, or one out of a fixed list.
type ID struct {
	Name string
	finding.At
}

// Ref is a name that has to stand for something declared elsewhere in the plan.
type Ref struct {
	Name string
	finding.At
}

// Given says whether a reference was written.
func (r Ref) Given() bool { return r.Name != "" }

// Expr is an expression's source.
type Expr struct {
	Source string
	finding.At
}

// Given says whether an expression was written.
func (e Expr) Given() bool { return e.Source != "" }

// Literal is a written value whose type depends on what it is for.
type Literal struct {
	types.Literal
	finding.At
}

// Fate is what one crossing does to a variable. Kind is "keep", "reset", "rewind", "set", or "" where
// nothing is written.
type Fate struct {
	Kind string
	Set  Expr
	finding.At
}

// Holder is who has a copy of a variable: Name is "game", "player", "scene" or "prop"; in a pair Name is
// "player" and With "scene" or "prop". Kind is the kind of the prop.
type Holder struct {
	Name string
	With string
	Kind string
	finding.At
}

// String is the holder as it is written: player, prop:cache, [player, scene].
func (h Holder) String() string {
	prop := func(s string) string {
		if s == "prop" {
			return "prop:" + h.Kind
		}
		return s
	}
	if h.With != "" {
		return "[" + h.Name + ", " + prop(h.With) + "]"
	}
	return prop(h.Name)
}

// Destination is where go leads: a spot, a waymark, or a scene with what is carried there.
type Destination struct {
	Ref
	Scene Ref  `plan:"scene,required" ref:"scene" doc:"The scene."`
	Carry []ID `plan:"carry,required" doc:"The axes, and facing, that the player brings along; the others come from the scene's first spot."`
}

// Accept holds the findings that an item of the plan accepts, each with its reason.
type Accept struct {
	Reasons map[string]string
	Where   map[string]finding.At
}

// Map is a table of the plan: ids and what they stand for, in document order.
type Map[T any] struct {
	Entries []Entry[T]
	finding.At
}

// Entry is one row of a Map; At is where its id stands.
type Entry[T any] struct {
	ID    string
	At    finding.At
	Value T
}

// Get finds an entry by id, or gives nil.
func (m *Map[T]) Get(id string) *T {
	for i := range m.Entries {
		if m.Entries[i].ID == id {
			return &m.Entries[i].Value
		}
	}
	return nil
}

// Find gives the entry's place in the document, or -1.
func (m *Map[T]) Find(id string) int {
	for i := range m.Entries {
		if m.Entries[i].ID == id {
			return i
		}
	}
	return -1
}

// IDs lists the names in document order.
func (m *Map[T]) IDs() []string {
	ids := make([]string, len(m.Entries))
	for i, e := range m.Entries {
		ids[i] = e.ID
	}
	return ids
}

// Moment is what a rule waits for: Kind is a built-in moment, or "event" with the event's name in Of;
// for every, Every is the time, and Of is player where each player has a timer of their own.
type Moment struct {
	Kind  string
	Of    string
	Every time.Duration
	finding.At
}

// Short is a time as people write it: 30s, 10m, 1h30m.
func Short(d time.Duration) string {
	text := d.String()
	for _, zero := range []string{"m0s", "h0m"} {
		if strings.HasSuffix(text, zero) {
			text = text[:len(text)-2]
		}
	}
	return text
}

// EveryForm is the long form of every: {time: 30s, of: player}.
type EveryForm struct {
	Time Given[time.Duration] `plan:"time,required" doc:"How long between two turns; at least 100ms."`
	Of   Given[string]        `plan:"of" enum:"session,player" default:"session" doc:"Whose timer it is: one for the session, or one for each player."`
}

// Moments is one moment or several.
type Moments []Moment

// Action is one thing that a rule does: exactly one verb, with what goes with it.
type Action struct {
	Set       Expr          `plan:"set" with:"to" doc:"Gives a variable a value."`
	Add       Expr          `plan:"add" with:"by" doc:"Adds to a number."`
	Raise     Expr          `plan:"raise" with:"to" doc:"Sets a number only if that is higher."`
	Clear     Expr          `plan:"clear" with:"" doc:"Makes an optional variable none."`
	Pick      Expr          `plan:"pick" with:"to?,option?" doc:"Chooses an option of a roster: with to, as set does, or with option."`
	Die       Expr          `plan:"die" with:"" doc:"The player dies."`
	ComeBack  Expr          `plan:"come-back" with:"" doc:"The dead player comes back."`
	StartOver Expr          `plan:"start-over" with:"" doc:"The player starts a new run in the same slot."`
	Go        Destination   `plan:"go" ref:"spot or waymark" with:"else?" doc:"Moves the rule's player to a spot, or to a waymark (where that is none, to the spot in else), or to {scene: …, carry: [x, y]}."`
	Remember  Ref           `plan:"remember" ref:"waymark" with:"" doc:"Remembers where the rule's player is."`
	Forget    Ref           `plan:"forget" ref:"waymark" with:"" doc:"Makes a waymark none."`
	Refuse    Given[string] `plan:"refuse" with:"" doc:"The event fails with this reason; nothing has changed."`
	Notify    Given[string] `plan:"notify" with:"text" enum:"player,scene,everyone" doc:"Tells somebody something."`
	If        Expr          `plan:"if" with:"do,elif?,else?" doc:"Does things where a condition holds."`

	Send Ref       `plan:"send" ref:"event" with:"args?" doc:"Sends another event, behind what is going on now."`
	Let  Map[Expr] `plan:"let" with:"do" doc:"Names values for the actions inside."`
	Each ID        `plan:"each" with:"in,do" doc:"Does things for each player, by id; this name stands for that player inside."`

	Earn   Ref  `plan:"earn" ref:"milestone" with:"of" doc:"Gives a player a milestone, for trying out."`
	Unearn Ref  `plan:"unearn" ref:"milestone" with:"of" doc:"Takes a milestone back."`
	Of     Expr `plan:"of" doc:"Whose milestone: player, or an argument."`

	To     Expr          `plan:"to" doc:"The value, as an expression."`
	By     Expr          `plan:"by" doc:"How much, as an expression."`
	Option Expr          `plan:"option" doc:"The option's id, or an expression."`
	Text   Given[string] `plan:"text" doc:"What is said."`
	Do     []Action      `plan:"do" doc:"What is done where the condition holds."`
	Elif   []Branch      `plan:"elif" doc:"Further conditions, tried in order."`
	Args   Map[Expr]     `plan:"args" doc:"The arguments of the event that is sent, as expressions."`
	In     Given[string] `plan:"in" enum:"session,scene" doc:"Which players: all in the session, or all in the player's scene."`
	Else   Otherwise     `plan:"else" doc:"Of if: what is done where no condition holds. Of go: the spot to go to where the waymark is none."`

	Put     Expr          `plan:"put" with:"item" doc:"Puts an item into a set, or at the end of a list."`
	TakeOut Expr          `plan:"take-out" with:"item" doc:"Takes an item out of a set, or its first like out of a list. Where it is not there the event is refused: ask first (if: player.bag.contains(x)) where that is to be let pass."`
	Item    Expr          `plan:"item" doc:"The item, as an expression."`
	Take    Ref           `plan:"take" ref:"movable" with:"" doc:"The rule's player takes a movable: it has to be free, in the same scene and within reach."`
	SetDown Ref           `plan:"set-down" ref:"movable" with:"at?" doc:"The rule's player sets down what they hold: where they are, or at a spot."`
	Where   Ref           `plan:"at" ref:"spot" doc:"The spot where it is set down."`
	Save    Given[string] `plan:"save" enum:"player,world" with:"" doc:"Saves the rule's player, or the world."`

	// Verb is the one that was written.
	Verb string `plan:"-"`
	finding.At
}

// Otherwise is what stands behind else: actions, or a spot.
type Otherwise struct {
	Do   []Action
	Spot Ref
	finding.At
}

// Branch is a further condition of an if.
type Branch struct {
	If Expr     `plan:"if,required" doc:"The condition."`
	Do []Action `plan:"do,required" doc:"What is done where it holds."`
}
