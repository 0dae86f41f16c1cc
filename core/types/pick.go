package types

// Pick is the type of one option of a roster.
var Pick = declared(60, pick{})

type pick struct{ named }

func (pick) Name() string        { return "pick" }
func (pick) Words(t Type) string { return called(t, "a pick") }

func (pick) About() About {
	return About{
		Sentence: "One option of a roster, whose attributes can be read: `player.courier.pace`. It may be written `pick:courier`, too.",
		Example:  "{of: player, type: pick, roster: courier, optional: true}",
		Stands:   everywhere &^ InCommons, Limits: []string{"roster"}, Needs: []string{"roster"}, Input: InputChoice,
	}
}

func (pick) Declare(from *Declared, d *Domain) {
	d.Type.Of = from.Roster
	if from.Roster == "" {
		from.report("", "missing", "A pick needs its roster.")
		return
	}
	if d.Type.Roster, d.Type.Names = from.Rosters(from.Roster); d.Type.Roster == nil {
		d.Type.Kind = Invalid
	}
}

func (pick) Limits(d *Domain, _ Limits) string { return " of " + d.Type.Of }

// Narrowed says nothing: what becomes of options the roster tells, once for all that are picked from it.
func (pick) Narrowed(_, _ *Domain, _ map[string]string) []Narrowing { return nil }
