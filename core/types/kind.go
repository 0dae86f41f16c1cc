// Package types is the values of a plan's state and the types that they are of. Each type stands in a file of its own,
// which says all that the program knows of it: how it is declared, what it admits, how it is read, written, packed,
// made up, narrowed by another version, and described. Whoever wants to know something of a type asks Kind; nothing
// else in the program tells types apart.
package types

import (
	"fmt"
	"maps"
	"slices"
)

// Kind is one type. The zero Kind (nil) is that of what could not be read.
type Kind interface {
	// Name is how plans write it: int. It is "" of what no plan declares.
	Name() string
	// Words are what people call a value of it: a whole number.
	Words(t Type) string
	// Traits are what expressions want to know of it.
	Traits() Traits
	// About is what the reference and the console's forms say of it.
	About() About
	// Declare works out from a declaration what values there are, and reports what cannot be declared so.
	Declare(from *Declared, d *Domain)

	// Start is what a variable begins with for which the plan says nothing; false where the plan has to say it.
	Start(d *Domain) (Value, bool)
	// Admit says what is wrong with a value that is not none; nothing is rounded or moved.
	Admit(d *Domain, v Value) error
	// Fit makes a value one of the domain's as an assignment does (rules 20, 21).
	Fit(d *Domain, v Value) (Value, error)
	// Nearest is the value that is nearest to one of another range or step, as far as there is one; it may still be
	// wrong.
	Nearest(d *Domain, v Value) Value
	// Stored is a value as saves hold it: what may stand there in more than one way stands there in one.
	Stored(d *Domain, v Value) Value
	// Written is the value that a plan writes; it may still be wrong.
	Written(d *Domain, l Literal) (Value, error)
	// Typed is the value that people type into a field: 12, true, oddny; it may still be wrong.
	Typed(d *Domain, s string) (Value, error)
	// Choices are what a value can be, as people type it, where it is one of a few; nil otherwise.
	Choices(d *Domain) []string

	// Code is how values are written in bits, and as numbers in a carrier's message.
	Code(d *Domain) *Code
	// Schema is the JSON Schema (2020-12) of a value that is not none.
	Schema(d *Domain) map[string]any
	// Limits are what the matrix says of a type behind its name: 0 to 40 in steps of 5.
	Limits(d *Domain, declared Limits) string

	// Narrowed says what another version of a domain of this type makes of the values that there are.
	Narrowed(old, now *Domain, renamed map[string]string) []Narrowing
	// Edges are the values at the limits, for made-up saves.
	Edges(d *Domain, dice Dice) []Value
	// Some is any value that is not none.
	Some(d *Domain, dice Dice) Value
}

// Traits are what expressions want to know of a type.
type Traits struct {
	Number bool // it can be calculated with
	Whole  bool // of a number: it has no places
	Named  bool // its values are names out of a list
}

// About is what the reference and the console's forms say of a type.
type About struct {
	Sentence string   // what it is for
	Example  string   // a declaration: {of: player, type: int, min: 0, max: 40, start: 20}
	Stands   Stand    // what can be declared with it
	Limits   []string // the keys that go with it
	Needs    []string // those of them that have to be given
	Input    Input    // how a value is typed into a form
	Alone    bool     // it has its value by itself: no start, never none, never computed, nobody writes it
}

// Stand is where a type may stand: what is declared with it.
type Stand uint8

// Where types stand.
const (
	InVariable  Stand = 1 << iota
	InField           // of a group
	InAttribute       // of a roster
	InArgument        // of an event
	InItem            // of a list or a set
	InCommons         // of several games
	everywhere  = InVariable | InField | InAttribute | InArgument | InItem | InCommons
)

// Words are the places as people call them.
func (s Stand) Words() []string {
	var out []string
	for i, word := range []string{"variables", "fields", "attributes", "arguments", "items", "commons"} {
		if s&(1<<i) != 0 {
			out = append(out, word)
		}
	}
	return out
}

// Input is how a value is typed into a form.
type Input string

// The ways.
const (
	InputNumber Input = "number"
	InputChoice Input = "choice" // one of Choices
	InputText   Input = "text"
	InputItems  Input = "items"  // several, with commas between
	InputPlayer Input = "player" // one of those who are there
	InputNone   Input = "none"   // it cannot be typed
)

// Narrowing is what another version of a type makes of values.
type Narrowing struct {
	Change string     // what has changed: limits, step, options
	Loses  bool       // values do not fit any more: what becomes of them the plan's misfits say
	As     MisfitKind // of Loses: in which way they do not
	Text   string     // of Loses without its end, which says what becomes of them
	Item   bool       // it is about the items of a list
}

// Dice draws a whole number from 0 to n - 1.
type Dice func(n int) int

// kinds are the types that plans declare, by their place in the reference.
var kinds = map[int]Kind{}

// declared adds a type that plans declare, at a place in the order of the reference.
func declared(place int, k Kind) Kind {
	if kinds[place] != nil {
		panic(fmt.Sprintf("types: %s and %s have one place", kinds[place].Name(), k.Name()))
	}
	kinds[place] = k
	return k
}

// All are the types that plans declare, in the order of the reference.
func All() []Kind {
	out := make([]Kind, 0, len(kinds))
	for _, place := range slices.Sorted(maps.Keys(kinds)) {
		out = append(out, kinds[place])
	}
	return out
}

// Called finds a type by its name in plans; nil where there is none.
func Called(name string) Kind {
	for _, k := range kinds {
		if k.Name() == name {
			return k
		}
	}
	return nil
}

// Names are those of the types that may stand somewhere.
func Names(where Stand) []string {
	var out []string
	for _, k := range All() {
		if k.About().Stands&where != 0 {
			out = append(out, k.Name())
		}
	}
	return out
}

// Takes says whether a limit goes with a type.
func Takes(k Kind, limit string) bool { return slices.Contains(k.About().Limits, limit) }
