package save

import (
	"errors"

	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/core/model"
)

// Kind is what is wrong with a part of a save. Each has a policy of the plan's own (saving.misfits).
type Kind string

// The kinds.
const (
	KindType       Kind = "type"
	KindRange      Kind = "range"
	KindStep       Kind = "step"
	KindOption     Kind = "option"
	KindPlace      Kind = "place"
	KindMissing    Kind = "missing"
	KindExtra      Kind = "extra"
	KindDuplicate  Kind = "duplicate" // of a save in the game's own format: something stands there twice
	KindImpossible Kind = "impossible"

	// Of a save as a whole; it is not loaded, unless the plan says that an earlier one is.
	KindUnreadable Kind = "unreadable"
	// Of a save as a whole, whatever the plan says.
	KindGame    Kind = "game"
	KindVersion Kind = "version"
	KindSeal    Kind = "seal"
)

// Policy is what is done about a problem.
type Policy string

// The policies.
const (
	Nearest Policy = "nearest" // the nearest value that is right
	Start   Policy = "start"   // the start value
	Keep    Policy = "keep"    // the attic keeps it
	Take    Policy = "take"    // it is loaded as it is
	Last    Policy = "last"    // the newest earlier save in which nothing of the kind is wrong is loaded
	Refuse  Policy = "refuse"  // the save is not loaded
)

// Problem is a part of a save that the plan does not take as it is.
type Problem struct {
	Kind    Kind   `json:"kind" doc:"What is wrong: type, range, step, option, place, missing, extra, duplicate, impossible; of the whole save unreadable, game, version, seal."`
	Pointer string `json:"pointer" doc:"Where it stands in the save, as a JSON Pointer (RFC 6901)."`
	Name    string `json:"name" doc:"What it is, as player.warmth."`
	Reason  string `json:"reason" doc:"What is wrong with it."`
	Instead string `json:"instead" doc:"What is loaded instead."`
	Policy  Policy `json:"policy" doc:"What the plan says is done about it: nearest, start, keep, take, last, refuse."`
	// Of a save in the game's own format: where it stands in its file.
	Line   int `json:"line,omitempty" doc:"Of a save in the game's own format, which is a text: the line, from 1; Pointer is its path in the file."`
	Column int `json:"column,omitempty" doc:"The column, in characters, from 1."`
	Byte   int `json:"byte,omitempty" doc:"Of such a file that is no text: the byte."`
}

// PolicyOf is what a plan says about a kind of problem.
func PolicyOf(m *model.Model, kind Kind) Policy {
	x := &m.Plan.Saving.Misfits
	switch kind {
	case KindType:
		return Policy(x.Type.Or("start"))
	case KindRange:
		return Policy(x.Range.Or("nearest"))
	case KindStep:
		return Policy(x.Step.Or("nearest"))
	case KindOption:
		return Policy(x.Option.Or("start"))
	case KindPlace:
		return Policy(x.Place.Or("nearest"))
	case KindMissing:
		return Policy(x.Missing.Or("start"))
	case KindExtra:
		return Policy(x.Extra.Or("keep"))
	case KindDuplicate:
		return Policy(x.Duplicate.Or("keep"))
	case KindImpossible:
		return Policy(x.Impossible.Or("take"))
	case KindUnreadable:
		return Policy(x.Unreadable.Or("refuse"))
	}
	return Refuse
}

// Outcome is what the plan says is done with a save in which these problems are: Take, Last or Refuse.
func Outcome(problems []Problem) Policy {
	out := Take
	for _, p := range problems {
		switch {
		case p.Policy == Refuse:
			return Refuse
		case p.Policy == Last:
			out = Last
		}
	}
	return out
}

// Whole is a problem with a save as a whole: what an error of reading it says.
func Whole(m *model.Model, err error) Problem {
	kind := KindUnreadable
	switch {
	case errors.Is(err, ErrGame):
		kind = KindGame
	case errors.Is(err, ErrVersion):
		kind = KindVersion
	case errors.Is(err, ErrSeal):
		kind = KindSeal
	}
	p := Problem{Kind: kind, Name: "save", Reason: err.Error(), Policy: PolicyOf(m, kind)}
	p.Instead = instead(p.Policy, "")
	return p
}

// Impossible is a problem with what a save holds that cannot be.
func Impossible(m *model.Model, pointer, name, reason string) Problem {
	p := Problem{Kind: KindImpossible, Pointer: pointer, Name: name, Reason: reason,
		Policy: PolicyOf(m, KindImpossible)}
	p.Instead = instead(p.Policy, "it is loaded as it is")
	return p
}

// instead says what is done, where it is not what the value itself becomes.
func instead(p Policy, otherwise string) string {
	switch p {
	case Last:
		return "the newest earlier save of the slot is loaded in which this is right"
	case Refuse:
		return "the save is not loaded"
	}
	return otherwise
}

// Kept is what the attic keeps under a name.
type Kept struct {
	Version int             `json:"version"`       // of the plan under which it was last known
	Value   json.RawMessage `json:"value"`         //
	Why     string          `json:"why,omitempty"` // of what was given up: only a restore brings it back
}

// KeptAs writes an entry of the attic.
func KeptAs(version int, value []byte, why string) []byte {
	raw, err := json.Marshal(Kept{version, value, why})
	if err != nil {
		return []byte("null") // value was JSON when it was read
	}
	return raw
}

// Get reads an entry of the attic; false where there is none, or it cannot be understood.
func (a Attic) Get(name string) (Kept, bool) {
	raw, ok := a[name]
	if !ok {
		return Kept{}, false
	}
	if len(raw) == 0 || raw[0] != '{' { // of the first saves: the value alone
		return Kept{Value: json.RawMessage(raw)}, true
	}
	var k Kept
	return k, json.Unmarshal(raw, &k) == nil && k.Value != nil
}
