package types

// These stand in expressions only: they have names in them or are counted, and are no values.
var (
	Place  Kind = bare{words: "a place"}          // a remembered place
	Record Kind = bare{words: "a group of names"} // game, scene, place
	Copies Kind = bare{words: "several values"}   // a variable of which there are several here: it can only be counted
)

// Invalid is the type of what could not be read.
var Invalid Kind

// bare is a type without values.
type bare struct {
	id
	words string
}

func (bare) Name() string               { return "" }
func (b bare) Words(Type) string        { return b.words }
func (bare) About() About               { return About{Input: InputNone} }
func (bare) Declare(*Declared, *Domain) {}
