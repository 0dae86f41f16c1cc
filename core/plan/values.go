package plan

import (
	"strings"
	"time"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/types"
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

// Holder is who has a copy of a variable: Name is "game", "player", "profile", "scene", "prop" or "list"; in a pair
// Name is "player" or "profile" and With "scene", "prop" or "list". Kind is the kind of the prop, or the list.
type Holder struct {
	Name string
	With string
	Kind string
	finding.At
}

// String is the holder as it is written: player, prop:cache, [player, scene].
func (h Holder) String() string {
	prop := func(s string) string {
		switch s {
		case "prop":
			return "prop:" + h.Kind
		case "list":
			return h.Kind
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
// for every, Every is the time, and Of is player where each player has a timer of their own; for crossed, Each says
// whether it is each player's crossing and not the world's.
type Moment struct {
	Kind  string
	Of    string
	Every time.Duration
	Each  bool
	finding.At
}

// String is the moment in words: arrived yard, every 30s of each player, or the event.
func (m Moment) String() string {
	switch {
	case m.Kind == "event":
		return m.Of
	case m.Kind == "every" && m.Of == "player":
		return "every " + Short(m.Every) + " of each player"
	case m.Kind == "every":
		return "every " + Short(m.Every)
	case m.Each:
		return "crossed " + m.Of + " of each player"
	}
	return strings.TrimSpace(m.Kind + " " + m.Of)
}

// Same says whether two moments are one, wherever they are written.
func (m Moment) Same(as Moment) bool {
	return m.Kind == as.Kind && m.Of == as.Of && m.Every == as.Every && m.Each == as.Each
}

// CrossedForm is the long form of crossed: {crossed: round, of: player}.
type CrossedForm struct {
	Crossed ID            `plan:"crossed,required" doc:"One of the plan's own crossings."`
	Of      Given[string] `plan:"of" enum:"session,player" default:"session" doc:"session: once, when all have crossed (for each player, where a crossing is for players alone); player: once for each player who has crossed."`
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

// Spaced is an id as people read it, where it has no title: full_sack is Full sack.
func Spaced(id string) string {
	if id == "" {
		return id
	}
	return finding.Upper(strings.NewReplacer("_", " ", "-", " ").Replace(id))
}
