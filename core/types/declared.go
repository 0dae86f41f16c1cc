package types

import (
	"fmt"

	"alluvion.dev/core/fixed"
)

// Limits are what a declaration says of its values. What is nil or empty is not said.
type Limits struct {
	Optional             bool
	Min, Max, Step       *fixed.Num
	MinLength, MaxLength *int
	Alphabet             string
	Choices              []string
	Roster               string
	MaxItems             *int
}

// Declared is a declaration, with what the plan has around it.
type Declared struct {
	Limits
	Name string // of what is declared, for messages
	// Remembered says that the value is kept: it is one of a variable, and not of what happens just now.
	Remembered bool
	Of         string   // what stands behind the type's name: cache of prop:cache
	Item       *Domain  // of a list or a set; nil where it is not said, or could not be read
	Axes       []string // of the plan's space
	Grid       fixed.Num
	Rosters    func(id string) (*Roster, []string) // nil where there is none of the name, which is reported elsewhere
	// Report reports what is wrong with a limit ("" for the type itself), by the id of its finding.
	Report func(limit, id, text string)
}

func (f *Declared) report(limit, id, format string, args ...any) {
	f.Report(limit, id, fmt.Sprintf(format, args...))
}

func or[T any](given *T, other T) T {
	if given == nil {
		return other
	}
	return *given
}
