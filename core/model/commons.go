package model

import (
	"fmt"
	"slices"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Commons gives the text of a commons by its id.
type Commons func(id string) ([]byte, error)

// Shared is what a variable of a commons is, besides a player's variable.
type Shared struct {
	Commons string // courier-guild
	ID      string // pass_stage
	Writer  string // the game that writes it; "" of what is computed
	Mine    bool   // this game writes it
}

// allUses makes the variables of the commons that the plan uses.
func (b *builder) allUses() {
	seen := map[string]bool{}
	for i := range b.Plan.Uses {
		u := &b.Plan.Uses[i]
		id := u.Commons.Name
		if seen[id] || seen[u.As.Name] || b.Plan.Variables.Get(u.As.Name) != nil || builtIn[u.As.Name] ||
			b.waymarks[u.As.Name] != nil {
			b.report("duplicate-id", u.As.At, "player.%s is something else already, or the commons %s is used twice.",
				u.As.Name, id)
			continue
		}
		seen[id], seen[u.As.Name] = true, true
		doc := b.commons(u)
		if doc == nil {
			b.lost[u.As.Name] = true
			continue
		}
		b.use(u, doc)
	}
}

// commons reads a commons; where that cannot be, it is told in the plan.
func (b *builder) commons(u *plan.Use) *plan.Commons {
	id := u.Commons.Name
	if b.load == nil {
		b.report("unknown-name", u.Commons.At, "The commons %s is not at hand here.", id)
		return nil
	}
	text, err := b.load(id)
	if err != nil {
		b.report("unknown-name", u.Commons.At, "The commons %s cannot be found: %v.", id, err)
		return nil
	}
	doc, found := LoadCommons(text)
	for _, f := range found {
		if f.Severity == finding.Error {
			b.report("bad-value", u.Commons.At, "The commons %s has errors; the first is on its line %d: %s", id,
				f.Line, f.Message)
			return nil
		}
	}
	if doc.Commons.Name != id {
		b.report("bad-value", u.Commons.At, "What is there as %s calls itself %s.", id, doc.Commons.Name)
		return nil
	}
	return doc
}

func (b *builder) use(u *plan.Use, doc *plan.Commons) {
	writes := map[string]bool{}
	for _, w := range u.Writes {
		v := doc.Variables.Get(w.Name)
		switch {
		case v == nil:
			b.oneOf(w.Name, doc.Variables.IDs(), "variable of "+doc.Commons.Name, w.At)
		case v.Writer.Name != b.Plan.Game.Name:
			b.report("bad-value", w.At, "%s of %s is written by %s, not by %s.", w.Name, doc.Commons.Name,
				orNobody(v.Writer.Name), b.Plan.Game.Name)
		}
		writes[w.Name] = true
	}
	for i := range doc.Variables.Entries {
		e := &doc.Variables.Entries[i]
		d := variableOf(&e.Value)
		mine := writes[e.ID]
		d.ReadBy = plan.Given[string]{Value: "game", Given: true}
		d.WrittenBy = plan.Given[string]{Value: "game", Given: !mine}
		shared := &Shared{Commons: doc.Commons.Name, ID: e.ID, Writer: e.Value.Writer.Name, Mine: mine}
		b.newVar(&Var{ID: u.As.Name + "." + e.ID, At: u.At, Decl: d, Accept: &u.Accept, Shared: shared,
			Title: Title(e.Value.Title, e.ID)})
	}
}

// variableOf is a variable of a commons as one of a player.
func variableOf(d *plan.CommonsVariable) *plan.Variable {
	return &plan.Variable{Of: plan.Holder{Name: "player"}, Type: d.Type, Title: d.Title, Is: d.Is, Start: d.Start,
		Limits: d.Limits, Items: d.Items, MaxItems: d.MaxItems}
}

func orNobody(game string) string {
	if game == "" {
		return "no game (it is computed)"
	}
	return game
}

// commonsNames are what the computed variables of a commons can read: its other variables, by their ids.
func (b *builder) commonsNames(of *Var) expr.Names {
	roots := map[string]*expr.Entry{}
	for _, v := range b.Vars {
		if v.Shared != nil && v.Shared.Commons == of.Shared.Commons {
			roots[v.Shared.ID] = &expr.Entry{Type: v.Type, Ref: expr.Ref{Who: expr.Self, What: expr.Variable,
				Hold: v.Hold.Index, Slot: v.Slot}}
		}
	}
	return expr.Names{Roots: roots}
}

// LoadCommons reads a commons and judges it by itself.
func LoadCommons(source []byte) (*plan.Commons, finding.List) {
	doc, found := plan.ReadCommons(source)
	if found.Errors() {
		return doc, found
	}
	b := &builder{Model: &Model{Plan: &plan.Plan{Game: plan.ID{Name: "none"}}, vars: map[string]*Var{},
		rosters: map[string]*types.Roster{}, options: map[string][]string{}}, seen: map[string]bool{}}
	b.newHolding(OfPlayer, nil)
	for i := range doc.Variables.Entries {
		e := &doc.Variables.Entries[i]
		d := &e.Value
		switch {
		case d.Writer.Name != "" && d.Is.Given():
			b.report("wrong-type", d.Writer.At, "%s is computed: nobody writes it.", e.ID)
		case d.Writer.Name == "" && !d.Is.Given():
			b.report("missing", e.At, "%s needs its writer: the one game that writes it.", e.ID)
		case slices.Contains(plan.TypesOf(types.InVariable), d.Type.Name) &&
			!slices.Contains(types.Names(types.InCommons), d.Type.Name):
			b.report("bad-value", d.Type.At,
				"A commons holds numbers, texts, choices, true or false, lists and sets; no %s.", d.Type.Name)
			continue
		}
		b.newVar(&Var{ID: e.ID, At: e.At, Decl: variableOf(d), Accept: &plan.Accept{}, Title: Title(d.Title, e.ID),
			Shared: &Shared{ID: e.ID}})
	}
	for i, v := range b.Holders[0].Computed {
		v.Slot = len(b.Holders[0].Stored) + i
	}
	b.allComputed()
	b.found.Sort()
	b.found.Excerpts(doc.Source)
	return doc, append(found, b.found...)
}

// LoadFor is Load for a plan that uses commons.
func LoadFor(source []byte, commons Commons) (*Model, *plan.Plan, finding.List) {
	p, found := plan.Read(source)
	var m *Model
	switch {
	case found.Errors() && (p.Stopped || len(p.Scenes.Entries) == 0): // nothing in it stands anywhere
	case found.Errors():
		found = append(found, buildRest(p, commons)...)
	default:
		var more finding.List
		m, more = build(p, commons)
		found = append(found, more...)
	}
	found.Sort()
	found.Excerpts(p.Source)
	return m, p, found
}

// Unknown is an error for a commons that is not there.
func Unknown(id string) error { return fmt.Errorf("there is no commons called %q", id) }
