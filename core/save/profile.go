package save

import (
	"fmt"
	"maps"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/model"
)

// LooseProfile is what a player has over all slots, as it stands in its bytes.
type LooseProfile struct {
	*Profile
	Values LooseValues `json:"values"`
	Lists  LooseProps  `json:"lists,omitempty"`

	Broken  []Problem                 `json:"-"`
	Made    map[string]bool           `json:"-"`
	Since   int                       `json:"-"`
	Strange map[string]jsontext.Value `json:"-"`
}

// profileMembers are what it has.
var profileMembers = membersOf(
	member[LooseProfile]{name: "alluvion_profile", reader: at(aWhole, func(p *LooseProfile) *int { return &p.Format }),
		schema: always(theFormat, whole), needed: true, means: "The format."},
	member[LooseProfile]{name: "game", reader: at(aText, func(p *LooseProfile) *string { return &p.Game }),
		schema: always(theGame, text), needed: true, means: "Which game it is of."},
	member[LooseProfile]{name: "version", reader: at(aWhole, func(p *LooseProfile) *int { return &p.Version }),
		schema: always(theVersion, whole), needed: true, means: "The version of the plan that it was written under."},
	member[LooseProfile]{name: "player", reader: at(aText, func(p *LooseProfile) *string { return &p.Player }),
		schema: as(object{"type": "string", "minLength": 1,
			"maxLength": MaxName}), needed: true, means: "Whose it is."},
	member[LooseProfile]{name: "values", reader: at(manyValues, func(p *LooseProfile) *LooseValues {
		return &p.Values
	}),
		schema: func(s schemer, at within) object { return s.values(s.m.Profile, at.all) },
		means:  "What the player has over all slots."},
	member[LooseProfile]{name: "lists", reader: at(perProp, func(p *LooseProfile) *LooseProps { return &p.Lists }),
		means: "What the player has over all slots for each option of each list, where it is not its start value.",
		schema: func(s schemer, _ within) object {
			return s.listsOf(func(l *model.List) *model.Holding { return l.Profile })
		}},
	member[LooseProfile]{name: "crossed", reader: at(crossings, func(p *LooseProfile) *map[string]Met {
		return &p.Crossed
	}),
		schema: schemer.crossed, means: "Of each of the plan's own crossings: which was met last, in whichever slot."},
	member[LooseProfile]{name: "attic", reader: at(anAttic, func(p *LooseProfile) *Attic { return &p.Attic }),
		schema: as(object{"type": "object"}),
		means:  "What no longer has a place in the plan, and what was corrected."},
)

// OpenProfile reads the bytes of what a player has over all slots, as OpenPlayer does a save's.
func OpenProfile(raw []byte) (*LooseProfile, error) {
	p := &LooseProfile{Profile: &Profile{}}
	if scan(raw, func(s *scanner) error { return profileMembers.quick(s, p) }) != nil {
		p = &LooseProfile{Profile: &Profile{}}
		root, err := apart(raw)
		if err != nil {
			return nil, err
		}
		patient := &patient{}
		profileMembers.patiently(patient, "", root, p)
		p.Strange, p.Broken = root, patient.found
	}
	if p.Format != Format {
		return nil, fmt.Errorf("%w: its format is %d", ErrFormat, p.Format)
	}
	return p, nil
}

// Fit takes it to the variables of a plan, as a save is.
func (l *LooseProfile) Fit(m *model.Model) (*Profile, []Problem, error) {
	if err := belongs(l.Game, l.Version, m); err != nil {
		return nil, nil, err
	}
	p := l.Profile
	f := &fitter{m: m, then: since(l.Since, l.Version), attic: maps.Clone(p.Attic), made: l.Made}
	f.broken(l.Broken)
	for _, name := range sortedNames(l.Strange) {
		f.unknown(under("", name), "profile."+name, l.Strange[name],
			"what a player has over all slots has nothing called "+name)
	}
	p.Values = f.values(m.Profile, "profile", "/values", l.Values)
	p.Lists = f.copies("profile.lists.", "/lists", l.Lists, "list", func(list string) *model.Holding {
		if l := m.List(list); l != nil {
			return l.Profile
		}
		return nil
	})
	if p.Attic = f.attic; len(p.Attic) == 0 {
		p.Attic = nil
	}
	return p, f.found, nil
}

// ProfileSchema is the JSON Schema (2020-12) of what a player has over all slots, under a plan; nil where the plan has
// nothing of the kind.
func ProfileSchema(m *model.Model) []byte {
	if !m.HasProfile() {
		return nil
	}
	s := schemer{m}
	root := profileMembers.schema(s, within{alone: true, all: true})
	root["title"] = "Profiles of " + s.title()
	root["description"] = "What a player has over all slots."
	p := &LooseProfile{Profile: &Profile{Game: m.Plan.Game.Name, Version: m.Plan.Version.Value, Player: "wren"}}
	return s.written(root, "profile", func() (any, error) { out, _, err := p.Fit(m); return out, err })
}
