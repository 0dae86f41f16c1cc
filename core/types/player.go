package types

// Player is the type of an argument that names a player who is present, and of a variable that refers to one.
var Player = declared(120, player{})

// Prop is the type of an argument that names one placed object of a kind.
var Prop = declared(130, prop{})

type player struct{ id }

func (player) Name() string      { return "player" }
func (player) Words(Type) string { return "a player" }

func (player) About() About {
	return About{
		Sentence: "A player. As an argument: one who is in the session, by their id; what they have is read as `args.at.oil`. As a variable: one who is remembered, or none; what they have is read behind `has(player.rival.score)`, which says that they are there.",
		Example:  "{of: player, type: player}",
		Stands:   InArgument | InVariable | InField, Input: InputPlayer,
	}
}

// Declare lets what is remembered be none: whoever it is may be gone one day.
func (player) Declare(from *Declared, d *Domain) {
	d.Type.Optional = d.Type.Optional || from.Remembered
}

type prop struct{ id }

func (prop) Name() string        { return "prop" }
func (prop) Words(t Type) string { return called(t, "a prop") }

func (prop) About() About {
	return About{
		Sentence: "One placed object of a kind, which is written with it: `prop:cache`. With `within: reach` it has to be near the sender.",
		Example:  "{open: {from: self, args: {what: {type: prop:cache, within: reach}}}}",
		Stands:   InArgument, Limits: []string{"within"}, Input: InputChoice,
	}
}

func (prop) Declare(from *Declared, d *Domain) { d.Type.Of = from.Of }

// id is what the types have in common whose values are ids. Who may be named is known only where the event comes in.
type id struct{}

func (id) Traits() Traits              { return Traits{} }
func (id) Start(*Domain) (Value, bool) { return None, false }

func (id) Admit(d *Domain, v Value) error {
	if v.Kind != IsText {
		return misfit(OfType, "%s is wanted, not %s", d.Type.Value(), v)
	}
	if n := len(v.Text); n == 0 || n > mostID {
		return misfit(OfType, "an id has 1 to %d bytes", mostID)
	}
	return nil
}

func (id) Fit(d *Domain, v Value) (Value, error)       { return v, d.Admit(v) }
func (id) Nearest(_ *Domain, v Value) Value            { return v }
func (id) Stored(_ *Domain, v Value) Value             { return v }
func (id) Written(_ *Domain, l Literal) (Value, error) { return plain(l) }
func (id) Typed(_ *Domain, s string) (Value, error)    { return OfText(s), nil }
func (id) Choices(*Domain) []string                    { return nil }

// mostID is how many characters an id has.
const mostID = 64

func (id) Code(d *Domain) *Code {
	return Text.Code(&Domain{Type: Type{Kind: Text, Optional: d.Type.Optional}, MaxLength: mostID})
}
func (id) Schema(*Domain) map[string]any {
	return map[string]any{"type": "string", "minLength": 1, "maxLength": mostID}
}
func (id) Limits(*Domain, Limits) string { return "" }

func (id) Narrowed(_, _ *Domain, _ map[string]string) []Narrowing { return nil }

// Edges and Some know nobody and nothing that could be named.
func (id) Edges(*Domain, Dice) []Value { return nil }
func (id) Some(*Domain, Dice) Value    { return None }
