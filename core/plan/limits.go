package plan

import (
	"slices"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

// Limits are what a declaration may say of its values, whatever is declared. core/types says which of them go with
// which type.
type Limits struct {
	Optional  Given[bool]      `plan:"optional" default:"false" doc:"May have the value none."`
	Min       Given[fixed.Num] `plan:"min" form:"Least" doc:"Smallest value."`
	Max       Given[fixed.Num] `plan:"max" form:"Most" doc:"Largest value."`
	Step      Given[fixed.Num] `plan:"step" form:"Step" min:"0.000000001" doc:"Values are whole multiples of this, counted from zero; required for decimals."`
	MinLength Given[int]       `plan:"min_length" form:"Fewest characters" min:"0" max:"65536" doc:"Fewest characters of a text."`
	MaxLength Given[int]       `plan:"max_length" form:"Most characters" min:"0" max:"65536" default:"256" doc:"Most characters of a text."`
	Alphabet  Given[string]    `plan:"alphabet" form:"Characters allowed" doc:"The characters that a text may have, as single ones and ranges: a-z0-9_-"`
	Choices   []ID             `plan:"choices" form:"Choices" doc:"The values of a choice."`
}

// Plain are the limits without their places in the document.
func (l *Limits) Plain() types.Limits {
	out := types.Limits{Optional: l.Optional.Value, Alphabet: l.Alphabet.Value,
		Min: l.Min.pointer(), Max: l.Max.pointer(), Step: l.Step.pointer(), MinLength: l.MinLength.pointer(), MaxLength: l.MaxLength.pointer()}
	for _, c := range l.Choices {
		out.Choices = append(out.Choices, c.Name)
	}
	return out
}

// Written are the places of the limits that are written, by their keys; that it may be none is none of them.
func (l *Limits) Written() map[string]finding.At {
	out := map[string]finding.At{}
	put := func(key string, given bool, at finding.At) {
		if given {
			out[key] = at
		}
	}
	put("min", l.Min.Given, l.Min.At)
	put("max", l.Max.Given, l.Max.At)
	put("step", l.Step.Given, l.Step.At)
	put("min_length", l.MinLength.Given, l.MinLength.At)
	put("max_length", l.MaxLength.Given, l.MaxLength.At)
	put("alphabet", l.Alphabet.Given, l.Alphabet.At)
	if len(l.Choices) > 0 {
		put("choices", true, l.Choices[0].At)
	}
	return out
}

// pointer is what was written, or nil.
func (g Given[T]) pointer() *T {
	if !g.Given {
		return nil
	}
	return &g.Value
}

// GroupType is the type of what has fields, and no value of its own.
const GroupType = "group"

// TypesOf are the names of the types that may stand somewhere.
func TypesOf(where types.Stand) []string {
	out := types.Names(where)
	if where == types.InVariable {
		out = append(out, GroupType)
	}
	return out
}

// typesOf are the types that a key may name, by what its tag says of where it stands, and what is said of them. There
// is no list of what arguments can be: of those prop:kind is one.
func typesOf(where string) (enum []string, doc string) {
	switch where {
	case "variable":
		enum = TypesOf(types.InVariable)
	case "field":
		enum = TypesOf(types.InField)
	case "commons":
		return nil, oneOf(types.Names(types.InCommons)) + "."
	default:
		args := slices.DeleteFunc(types.Names(types.InArgument), func(name string) bool {
			return types.Called(name).About().Stands&types.InAttribute != 0
		})
		return nil, oneOf(types.Names(types.InAttribute)) + "; for arguments also " + strings.Join(args, " and ") +
			":kind."
	}
	return enum, oneOf(enum) + "."
}

func oneOf(names []string) string {
	last := len(names) - 1
	return strings.Join(names[:last], ", ") + " or " + names[last]
}
