package expr

import (
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

// Ref is what a name in an expression stands for: whose (Who, Index) and what of theirs (What, Slot).
type Ref struct {
	Who   Who
	Index int // of the argument, the scene, or the rule's own name
	What  What
	Hold  int // of a variable: which holding it belongs to
	Slot  int // of the variable or the axis
	// As, where it is not 0, is the rule's own name (from 1) that stands for the player whom the rest is about, in
	// place of the rule's own player.
	As int
	// Via is what leads to the player whose it is, where Who is Through.
	Via *Ref
	// Option is of which option of a list the copy is; nil of all else.
	Option *Option
	Own    bool // a stored number or the like that players hold by themselves, read as it is held
}

// Mine says whether the reference is to such a value of the player that the rule is about: the most frequent
// case, which an Env has a short way for.
func (r *Ref) Mine() bool { return r.Own && r.Who == Self && r.What == Variable }

// Elsewhere says whether the reference is to what another player has than the one that something is about.
func (r *Ref) Elsewhere() bool { return r.Who == Through || r.Who == Someone }

// Who says whose value a Ref means.
type Who uint8

// Whose values there are.
const (
	Base      Who = iota // in an Entry's fields: whoever the entry is
	Self                 // the player that the rule is about
	Arg                  // the player that argument Index names
	Game                 // the world
	HereScene            // the scene where the rule's player is
	OneScene             // scene Index
	Nobody               // the value itself, as args.amount
	Local                // the player that the rule's own name Index stands for
	HereProp             // the prop that the rule is about
	OneProp              // prop Index
	PropArg              // the prop that argument Index names
	Through              // the player to whom Via refers, if they are present
	Someone              // the present player who is at hand
)

// What says which value of theirs a Ref means.
type What uint8

// Which values there are.
const (
	Itself     What = iota // an argument, or a player
	LocalValue             // what the rule's own name Index stands for
	Variable
	Count // of how many copies a variable is true
	Dead
	Checkpoint
	SaveSlot
	Visits
	FirstVisit
	PlaceScene
	PlaceFacing
	PlaceAxis
	Waymark
	Earned
	InArea
	PlaceAt
	Holds     // whether the rule's player holds movable Slot
	HolderOf  // who holds movable Index
	MovableAt // where movable Index is: Slot is an axis, or one of the AtScene, AtFacing, AtPoint
	Time
	Present // how many players are in the session
	AtHand  // the option of list Slot that is at hand
	Missed  // how many days a crossing of the calendar comes after the one before it
	// StandingOrder are the ids of those who have a place in standing Slot, the best first; StandingNumber is a
	// player's number there, StandingPlace their place, from 1. Only who watches reads them (rule 28).
	StandingOrder
	StandingNumber
	StandingPlace
)

// Which part of a place, where Slot is no axis.
const (
	AtScene  = -1
	AtFacing = -2
	AtPoint  = -3
)

// Env gives the values that an expression reads. Fail notes what went wrong (an overflow, a division
// by zero); the first one counts, and the value of the whole expression is then of no use.
type Env interface {
	Read(*Ref) types.Value
	Number(*Ref) fixed.Num   // Read of a number
	Mine(slot int) fixed.Num // Read of a number for which the reference is Mine
	// Person makes the present player of a number, from 0, the one at hand, and gives how many are present; with -1
	// nobody is.
	Person(i int) int
	// Hand makes an option of a list the one at hand, and gives the one before it.
	Hand(list, option int) int
	// Changed are the options for which something of what the references read of the option at hand was ever changed,
	// each once; false where there are more than most of them, or where that cannot be said.
	Changed(refs []*Ref, most int) ([]int, bool)
	// AtStart lets all that is held for options be read as its start, until it is told otherwise.
	AtStart(bool)
	Fail(error)
	// Fault gives the first thing that went wrong, and puts another in its place.
	Fault(error) error
}

// Entry is a name's meaning: a value, a record of further names, or (a player) both.
type Entry struct {
	Type   types.Type
	Ref    Ref
	Fields map[string]*Entry
}

// Names are all the names that an expression can read.
type Names struct {
	Roots map[string]*Entry
	// Missing says, for names that exist elsewhere but not here, why not.
	Missing map[string]string
	// Areas are the regions that inside() can ask for, by scene/area; those of the rule's player.
	Areas map[string]*Entry
	// Lists are the plan's lists, by id; Hand are those of which an option is at hand.
	Lists map[string]*List
	Hand  []string
	// Player is what can be read of a player to whom something refers.
	Player map[string]*Entry
	// Held are the movables that holds() can ask for, by id.
	Held map[string]*Entry
	// Watched says that whoever watches reads this: of each player can be asked what the player's own rules ask.
	Watched bool
	// Axes are those of a point.
	Axes []string
	// Narrow, where it is set, may tell more of a value than its declaration does.
	Narrow func(Ref, types.Type) types.Type
}

// With gives the same names and those of more.
func (n Names) With(more map[string]*Entry) Names {
	roots := make(map[string]*Entry, len(n.Roots)+len(more))
	for k, v := range n.Roots {
		roots[k] = v
	}
	for k, v := range more {
		roots[k] = v
	}
	n.Roots = roots
	return n
}

// keys lists the names of a record, sorted.
func keys(m map[string]*Entry) []string { return sortedKeys(m) }
