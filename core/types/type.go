package types

import (
	"slices"
	"strings"

	"alluvion.dev/core/fixed"
)

// Truth is what is known of a condition before anything runs.
type Truth uint8

// What a condition can be known to be.
const (
	Unknown Truth = iota
	True
	False
)

// TruthOf is the truth of what is known.
func TruthOf(b bool) Truth {
	if b {
		return True
	}
	return False
}

// Not turns a truth around.
func (t Truth) Not() Truth {
	switch t {
	case True:
		return False
	case False:
		return True
	}
	return Unknown
}

// Type is what is known of a value before anything runs: its kind, and which values it can have. Of a
// point Names are the axes; of a prop Of is its kind.
type Type struct {
	Kind     Kind
	Optional bool
	Range    Range    // of a number
	Truth    Truth    // of a bool
	Of       string   // of a choice, pick: what people call the list of names
	Names    []string // of a choice, pick: every valid name
	Only     []string // of a choice, pick: the names that it can have; nil stands for all
	Roster   *Roster  // of a pick
	Item     *Type    // of a list, set
}

// Roster is a pick's list of options, with their attributes.
type Roster struct {
	ID         string
	Section    string // where it is declared: list or roster
	Attributes map[string]Attribute
}

// Attribute is one attribute of all options of a roster.
type Attribute struct {
	Type   Type
	Values map[string]Value // by option
}

// Traits are what expressions want to know of the type.
func (t Type) Traits() Traits {
	if t.Kind == nil {
		return Traits{}
	}
	return t.Kind.Traits()
}

// Numeric says whether the type is a number.
func (t Type) Numeric() bool { return t.Traits().Number }

// Named says whether the type's values are names out of a list.
func (t Type) Named() bool { return t.Traits().Named }

// Possible lists the names that a choice or pick can have.
func (t Type) Possible() []string {
	if t.Only != nil {
		return t.Only
	}
	return t.Names
}

// Value is the type without its none.
func (t Type) Value() Type {
	t.Optional = false
	return t
}

// String is the type in a designer's words.
func (t Type) String() string {
	s := "something"
	if t.Kind != nil {
		s = t.Kind.Words(t)
	}
	if t.Optional {
		s += " (or none)"
	}
	return s
}

// Constant is the type of one known value.
func Constant(v Value, like Type) Type {
	like.Optional = false
	switch v.Kind {
	case IsNum:
		like.Range = Exactly(v.Num)
	case IsBool:
		like.Truth = TruthOf(v.Bool)
	case IsText:
		if like.Named() {
			like.Only = []string{v.Text}
		}
	}
	return like
}

// Range is what is known of a number: its limits, both included, and a number that it is always a
// whole multiple of. A zero Step knows nothing; the step of the constant 0 is said by Lo = Hi = 0.
type Range struct {
	Lo, Hi       fixed.Num
	HasLo, HasHi bool
	Step         fixed.Num
}

// One is the number 1.
var One = fixed.FromInt(1)

// Exactly is the range of one number.
func Exactly(n fixed.Num) Range {
	return Range{Lo: n, Hi: n, HasLo: true, HasHi: true, Step: n.Abs()}
}

// Between is the range from lo to hi in steps.
func Between(lo, hi, step fixed.Num) Range {
	return Range{Lo: lo, Hi: hi, HasLo: true, HasHi: true, Step: step}
}

// Whole is the range of all whole numbers.
func Whole() Range { return Range{Step: One} }

// Bounded says whether both limits are known.
func (r Range) Bounded() bool { return r.HasLo && r.HasHi }

// Single gives the one number of the range, if it is one.
func (r Range) Single() (fixed.Num, bool) { return r.Lo, r.Bounded() && r.Lo == r.Hi }

func (r Range) IsZero() bool { return r.Bounded() && r.Lo.Sign() == 0 && r.Hi.Sign() == 0 }

// FitsStep says whether every number of the range is a multiple of step, as far as is known. Not
// knowing is no.
func (r Range) FitsStep(step fixed.Num) bool {
	return r.IsZero() || r.Step.Sign() > 0 && r.Step.MultipleOf(step)
}

// Outside says whether no number of r lies in the limits of o.
func (r Range) Outside(o Range) bool {
	return r.HasLo && o.HasHi && o.Hi.Less(r.Lo) || r.HasHi && o.HasLo && r.Hi.Less(o.Lo)
}

// Union is the range of what is in either.
func (r Range) Union(o Range) Range {
	return Range{
		Lo: fixed.Min(r.Lo, o.Lo), HasLo: r.HasLo && o.HasLo,
		Hi: fixed.Max(r.Hi, o.Hi), HasHi: r.HasHi && o.HasHi,
		Step: CommonStep(r, o),
	}
}

// CommonStep is the step that sums of the two have.
func CommonStep(a, b Range) fixed.Num {
	switch {
	case a.IsZero():
		return b.Step
	case b.IsZero():
		return a.Step
	case a.Step.Sign() == 0 || b.Step.Sign() == 0:
		return fixed.Num{}
	}
	return fixed.GCD(a.Step, b.Step)
}

// ofList says whether two types are of options of one list, one of them a choice and the other a pick.
func (t Type) ofList(u Type) bool {
	return t.Kind != u.Kind && t.Named() && u.Named() && t.Roster != nil && u.Roster != nil &&
		t.Roster.ID == u.Roster.ID
}

// Unify is the type of a value that is either the one or the other.
func Unify(a, b Type) (Type, bool) {
	out := a
	out.Optional = a.Optional || b.Optional
	switch {
	case a.Numeric() && b.Numeric():
		if !b.Traits().Whole {
			out.Kind = Decimal
		}
		out.Range = a.Range.Union(b.Range)
	case a.ofList(b): // an option is an option, however it is held
		out.Kind, out.Only = Choice, nil
	case a.Kind != b.Kind || a.Kind == Prop && a.Of != b.Of:
		return out, false
	case a.Item != nil && b.Item != nil:
		_, ok := Unify(*a.Item, *b.Item)
		return out, ok
	case a.Kind == Bool && a.Truth != b.Truth:
		out.Truth = Unknown
	case a.Named():
		if a.Kind == Pick && a.Of != b.Of || !slices.Equal(a.Names, b.Names) {
			return out, false
		}
		if a.Only == nil || b.Only == nil {
			out.Only = nil
		} else {
			out.Only = slices.Compact(slices.Sorted(slices.Values(append(slices.Clone(a.Only), b.Only...))))
		}
	}
	return out, true
}

// Fits says whether a value of type t may be given to something of type want, in words where not.
func Fits(t, want Type) (string, bool) {
	switch {
	case t.Optional && !want.Optional:
		return "it may be none", false
	case t.Item != nil && want.Item != nil && t.Kind == want.Kind:
		if why, ok := Fits(*t.Item, *want.Item); !ok {
			return "of its items, " + why, false
		}
		return "", true
	case t.Numeric() && want.Numeric(), t.Kind == want.Kind && !want.Named() && want.Kind != Prop:
		return "", true
	case t.Kind == want.Kind && t.Of == want.Of, t.ofList(want):
		return "", true
	case t.Kind == Choice && want.Kind == Choice:
		foreign := slices.DeleteFunc(slices.Clone(t.Possible()), func(n string) bool {
			return slices.Contains(want.Names, n)
		})
		if len(foreign) == 0 {
			return "", true
		}
		return "it can be " + JoinNames(foreign) + ", which is not one of " + JoinNames(want.Names), false
	}
	return "it is " + t.String() + ", and " + want.String() + " is wanted", false
}

// JoinNames lists names, the first dozen of them.
func JoinNames(names []string) string {
	if len(names) > 12 {
		return strings.Join(names[:12], ", ") + ", …"
	}
	return strings.Join(names, ", ")
}
