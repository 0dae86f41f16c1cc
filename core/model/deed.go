package model

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Verb is one kind of action. All of them stand in core/action, one file each.
type Verb interface {
	// Form is a pointer to an empty form: how the action is written. Its first key is the verb.
	Form() any
	// Compile makes a deed of a form that was read; nil where it cannot be, which it has reported.
	Compile(c *Compiler, form any) Deed
}

// Deed is a compiled action.
type Deed interface {
	// Do does it. An error undoes all that the event did.
	Do(Doer) error
	// Traits are what is known of it without doing it.
	Traits() Traits
}

// verbs are all that rules can do.
var verbs = map[string]Verb{}

// AddVerb adds one; core/action does when the program starts.
func AddVerb(v Verb) { verbs[plan.AddVerb(v.Form())] = v }

// Action is one thing that a rule does.
type Action struct {
	Verb string
	Deed
	Traits
	// Number is the most frequent deed, which the engine does without asking: a set or add of a number that players
	// hold by themselves; nil for all else.
	Number *Assignment
	Effort int // how much its expressions do, in actions: 0 for most
	At     finding.At
}

// Traits are what is known of an action without doing it: all that checks, a search or the reference may ask of one.
type Traits struct {
	Var    *Var          // the variable that it writes
	Target expr.Ref      // whose
	Value  *expr.Program // what is given to it, or what changes it; nil where nothing is
	Change Change        // what it does to it

	Who  expr.Ref // whom Turn is about
	Turn Turn     // how the life of a player goes on by it

	Goes    bool     // the rule's player is moved, to Spot, to Scene, or to Waymark (and where that is none, to Spot)
	Spot    *Spot    // where somebody or something comes to
	Scene   *Scene   // where the player comes to at the same coordinates
	Waymark *Waymark // that is gone to, remembered or forgotten

	Earns     *Milestone // Who has it after that
	Loses     *Milestone // Who does not have it after that
	Remembers bool       // Waymark becomes where the player is
	Takes     *Movable   // the rule's player holds it after that
	SetsDown  *Movable   // nobody holds it after that
	Sends     *Event     // follows
	Saves     bool       // the rule's player is saved, or the world
	Fails     string     // how it can fail though its rule acts, whatever is asked before; "" where it cannot

	Reads  []*expr.Program // what is read besides Value and If
	If     *expr.Program   // what decides between Blocks
	Blocks [][]*Action     // what is done inside: of several blocks at most one
	Each   bool            // what is inside is done for each of several players
	Times  int             // what is inside is done so often, where it is not 0
}

// Change is what an action does to its variable.
type Change uint8

// The changes. However it is written, {set: x, to: x + n} does what {add: x, by: n} does: ask core/check for that.
const (
	Nothing  Change = iota
	Sets            // what was there is gone
	Adds            // what was there stays, and Value comes to it
	Raises          // it becomes Value where that is more
	Clears          // it becomes none
	PutsIn          // Value is one more item
	TakesOut        // Value is an item less
	Turns           // it becomes something that depends on what it was
)

// Turn is how the life of a player goes on.
type Turn uint8

// The turns.
const (
	NoTurn Turn = iota
	Dies
	ComesBack
	StartsOver
)

// Assignment gives a variable a value.
type Assignment struct {
	Var    *Var
	Target expr.Ref
	Value  *expr.Program // nil where nothing is computed
	// Becomes is what the variable becomes of what it was and the value; false where it stays as it is.
	Becomes func(now, value types.Value) (types.Value, bool, error)
	Adds    bool // Becomes is the sum of the two
	Picks   bool // it is an option that is picked: a moment of its own
}

// Unwilling is what an assignment gives where the event is to be refused, and has not failed.
type Unwilling struct{ Why string }

// Error says why.
func (u *Unwilling) Error() string { return u.Why }

// Doer does what deeds ask for: the engine, in the middle of an event. An error is a refusal, which the deed hands on.
type Doer interface {
	// Holds evaluates a condition, Value an expression.
	Holds(*expr.Program) (bool, error)
	Value(*expr.Program) (types.Value, error)
	// Actions does some, in their order.
	Actions([]*Action) error
	// Name gives a name of the rule's own its value; ForEach does actions for each player, by id, whom the name stands
	// for then: all in the session, or those in the scene of the rule's player.
	Name(local int, v types.Value)
	ForEach(local int, here bool, list []*Action) error

	// Assign changes a variable.
	Assign(*Assignment) error
	// Turn lets somebody die, come back or start over, behind what is going on now.
	Turn(how Turn, who *expr.Ref)
	// Earn gives a milestone, or takes it back.
	Earn(who *expr.Ref, m *Milestone, earned bool)
	// Go moves the rule's player, behind what is going on now.
	Go(Way)
	// Take and SetDown are about the rule's player; a nil spot is where they are.
	Take(*Movable) error
	SetDown(*Movable, *Spot) error
	// Remember and Forget are about the rule's player's waymark.
	Remember(*Waymark)
	Forget(*Waymark)
	// Save saves the rule's player, or the world.
	Save(world bool)
	// Send lets another event follow.
	Send(e *Event, args []types.Value)
	// Tell tells somebody something: the rule's player, everybody in their scene, or everyone. TellOne tells one
	// player, who may be nobody, or not here.
	Tell(to string, text Text)
	TellOne(who *expr.Program, text Text) error
	// Refuse makes the event fail with a reason, RefuseWith with one of the plan's; Fail does so with one that nobody
	// meant.
	Refuse(reason string) error
	RefuseWith(reason Text) error
	Fail(reason string) error
}

// Way is where a player goes.
type Way struct {
	Spot    *Spot
	Waymark *Waymark // where it is not none
	Scene   *Scene   // the same coordinates there
	Carry   Carried
}
