package save

import (
	"slices"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
)

// member is one member of a save: what it is called, how it is read, what the JSON Schema says of it, and what people
// call it. What a save has is listed here and nowhere else; it is written by the struct's own names, which a test holds
// against these.
type member[T any] struct {
	name   string
	reader reader[T]
	schema func(s schemer, at within) object
	needed bool   // a save that stands by itself has to have it
	means  string // for the schema
	title  string // where two saves say it otherwise; "" where what stands in it has titles of its own
	aside  bool   // it tells one save from another: that it is another one is no difference
}

// within says of which save a table is a part, for its schema.
type within struct {
	alone bool // it stands by itself
	all   bool // everything has to be there: not so in a record
}

// reader reads a member in both ways: quickly out of a scanner, and patiently out of what a table holds.
type reader[T any] struct {
	quick   func(s *scanner, into *T) error
	patient func(p *patient, pointer string, raw jsontext.Value, into *T)
}

// form is how values of one form are read, wherever they stand.
type form[X any] reader[X]

// at makes a form a reader of what has such a value in a certain place.
func at[T, X any](f form[X], where func(*T) *X) reader[T] {
	return reader[T]{
		func(s *scanner, into *T) error { return f.quick(s, where(into)) },
		func(p *patient, pointer string, raw jsontext.Value, into *T) { f.patient(p, pointer, raw, where(into)) },
	}
}

// members are those of one table.
type members[T any] struct {
	list   []member[T] // in the order in which people look for them
	byName map[string]*member[T]
}

func membersOf[T any](list ...member[T]) members[T] {
	out := members[T]{list, map[string]*member[T]{}}
	for i := range list {
		out.byName[list[i].name] = &list[i]
	}
	return out
}

// quick reads a table of a scanner. It fails where something in it is of another form.
func (m members[T]) quick(s *scanner, into *T) error {
	return s.fields(func(name string) error {
		if one := m.byName[name]; one != nil {
			return one.reader.quick(s, into)
		}
		return errForm
	})
}

// patiently reads what a table holds, and leaves in it what no save has.
func (m members[T]) patiently(p *patient, pointer string, from map[string]jsontext.Value, into *T) {
	for i := range m.list {
		one := &m.list[i]
		if raw, ok := from[one.name]; ok {
			delete(from, one.name)
			one.reader.patient(p, pointer+"/"+one.name, raw, into)
		}
	}
}

// schema is the table's own.
func (m members[T]) schema(s schemer, at within) object {
	table, needed := object{}, []string{}
	for i := range m.list {
		one := &m.list[i]
		schema := one.schema(s, at)
		if schema == nil {
			continue
		}
		if one.means != "" {
			schema = means(one.means, schema)
		}
		table[one.name] = schema
		if one.needed && at.alone || one.name == "values" && schema["required"] != nil {
			needed = append(needed, one.name)
		}
	}
	return closed(table, needed...)
}

// The forms.
var (
	aWhole = form[int]{(*scanner).count, taken[int]("a whole number")}
	aText  = form[string]{(*scanner).text, taken[string]("a text")}
	aFlag  = form[bool]{(*scanner).flag, taken[bool]("true or false")}
	texts  = form[[]string]{(*scanner).texts, taken[[]string]("a list of texts")}
	number = form[uint64]{(*scanner).request, taken[uint64]("a whole number")}
	about  = form[*About]{(*scanner).about, taken[*About]("what the service knows of it")}

	aPlace = form[Place]{(*scanner).place, func(p *patient, pointer string, raw jsontext.Value, into *Place) {
		*into, _ = p.place(pointer, raw)
	}}
	perhapsPlace = form[*Place]{
		func(s *scanner, into **Place) error {
			*into = &Place{}
			return s.place(*into)
		},
		func(p *patient, pointer string, raw jsontext.Value, into **Place) {
			if place, ok := p.place(pointer, raw); ok {
				*into = &place
			}
		}}
	somePlaces = form[map[string]Place]{
		func(s *scanner, into *map[string]Place) error { return each(s, into, s.place) },
		func(p *patient, pointer string, raw jsontext.Value, into *map[string]Place) {
			*into = p.places(pointer, raw)
		}}
	numbers = form[map[string]fixed.Num]{
		func(s *scanner, into *map[string]fixed.Num) error { return each(s, into, s.number) },
		func(p *patient, pointer string, raw jsontext.Value, into *map[string]fixed.Num) {
			*into = p.numbers(pointer, raw)
		}}
	rankings = form[map[string]map[string]fixed.Num]{
		func(s *scanner, into *map[string]map[string]fixed.Num) error {
			return each(s, into, func(one *map[string]fixed.Num) error { return each(s, one, s.number) })
		},
		func(p *patient, pointer string, raw jsontext.Value, into *map[string]map[string]fixed.Num) {
			*into = p.rankings(pointer, raw)
		}}
	names = form[map[string]string]{
		func(s *scanner, into *map[string]string) error { return each(s, into, s.text) },
		taken[map[string]string]("a table of texts")}
	requests = form[map[string]uint64]{
		func(s *scanner, into *map[string]uint64) error { return each(s, into, s.counted) },
		taken[map[string]uint64]("a table of whole numbers")}

	crossings = form[map[string]Met]{
		func(s *scanner, into *map[string]Met) error { return each(s, into, s.met) },
		taken[map[string]Met]("a table of crossings")}

	manyValues = form[LooseValues]{(*scanner).values, patientValues}
	fewValues  = form[LooseValues]{(*scanner).few, patientValues}
	perScene   = form[LooseScenes]{(*scanner).scenes,
		func(p *patient, pointer string, raw jsontext.Value, into *LooseScenes) {
			*into = p.scenes(pointer, raw)
		}}
	perProp = form[LooseProps]{(*scanner).props,
		func(p *patient, pointer string, raw jsontext.Value, into *LooseProps) {
			*into = p.props(pointer, raw)
		}}
	anAttic = form[Attic]{(*scanner).attic, func(p *patient, pointer string, raw jsontext.Value, into *Attic) {
		*into = Attic(p.table(pointer, raw))
	}}
	aRecord = form[LooseRecord]{recordMembers.quick,
		func(p *patient, pointer string, raw jsontext.Value, into *LooseRecord) {
			if table := p.table(pointer, raw); table != nil {
				recordMembers.patiently(p, pointer, table, into)
				p.rest(pointer, table)
			}
		}}
	aWorld = form[*LooseWorld]{
		func(s *scanner, into **LooseWorld) error {
			*into = &LooseWorld{World: &World{}}
			return worldMembers.quick(s, *into)
		},
		func(p *patient, pointer string, raw jsontext.Value, into **LooseWorld) {
			if table := p.table(pointer, raw); table != nil {
				*into = p.world(pointer, table)
			}
		}}
)

func patientValues(p *patient, pointer string, raw jsontext.Value, into *LooseValues) {
	*into = p.values(pointer, raw)
}

// taken reads a value as it is, or tells what is wanted in its place.
func taken[X any](want string) func(p *patient, pointer string, raw jsontext.Value, into *X) {
	return func(p *patient, pointer string, raw jsontext.Value, into *X) {
		if readAs(raw, into) != nil {
			p.tell(KindType, pointer, "%s is wanted, not %s", want, brief(raw))
		}
	}
}

// as is a schema that is the same everywhere.
func as(schema object) func(schemer, within) object {
	return func(schemer, within) object { return schema }
}

// oneOf is a list of ids, each once.
func oneOf(ids func(schemer) []string) func(schemer, within) object {
	return func(s schemer, _ within) object {
		return object{"type": "array", "items": object{"enum": ids(s)}, "uniqueItems": true}
	}
}

// always is a schema of one value; but only of a save that stands by itself.
func always(value func(schemer) any, otherwise object) func(schemer, within) object {
	return func(s schemer, at within) object {
		if at.alone {
			return object{"const": value(s)}
		}
		return otherwise
	}
}

func theFormat(schemer) any    { return Format }
func theGame(s schemer) any    { return s.m.Plan.Game.Name }
func theVersion(s schemer) any { return s.m.Plan.Version.Value }

// valuesOf is what a holder has.
func valuesOf(h model.Holder) func(schemer, within) object {
	return func(s schemer, at within) object { return s.values(s.m.Holders[h], at.all) }
}

func scenesOf(h model.Holder) func(schemer, within) object {
	return func(s schemer, at within) object { return s.scenes(h, at.all) }
}

// ofOne is what is part of a player's save only where one player has the world for themselves.
func ofOne(s schemer, at within) object {
	if !s.m.Single {
		return nil
	}
	return worldMembers.schema(s, within{all: at.all})
}

// playerMembers are what a player's save has.
var playerMembers = membersOf(
	member[Loose]{name: "alluvion_save", reader: at(aWhole, func(l *Loose) *int { return &l.Format }),
		schema: always(theFormat, nil), needed: true, means: "The format.", aside: true},
	member[Loose]{name: "game", reader: at(aText, func(l *Loose) *string { return &l.Game }),
		schema: always(theGame, nil), needed: true, means: "Which game it is of.", aside: true},
	member[Loose]{name: "player", reader: at(aText, func(l *Loose) *string { return &l.Player.Player }), needed: true,
		means: "Whose it is.", aside: true,
		schema: as(object{"type": "string", "minLength": 1, "maxLength": MaxName})},
	member[Loose]{name: "slot", reader: at(aWhole, func(l *Loose) *int { return &l.Slot }), needed: true,
		means: "Which of the player's slots.", aside: true,
		schema: func(s schemer, _ within) object {
			return object{"type": "integer", "minimum": 1, "maximum": s.m.SlotsPerPlayer()}
		}},
	member[Loose]{name: "about", reader: at(about, func(l *Loose) **About { return &l.About }),
		means: "Of a save that has left the service: what the service knows of it.", aside: true,
		schema: as(closed(object{"plan": text, "revision": count, "moment": text,
			"saved_at": object{"type": "string", "format": "date-time"}}))},

	member[Loose]{name: "version", reader: at(aWhole, func(l *Loose) *int { return &l.Version }),
		schema: always(theVersion, nil), needed: true,
		means: "The version of the plan that it was written under.", title: "Version of the plan"},
	member[Loose]{name: "dead", reader: at(aFlag, func(l *Loose) *bool { return &l.Dead }),
		schema: as(object{"type": "boolean"}), means: "Whether the player is dead.", title: "Dead"},
	member[Loose]{name: "place", reader: at(aPlace, func(l *Loose) *Place { return &l.Place }), schema: as(place),
		needed: true, means: "Where the player is.", title: "Place"},
	member[Loose]{name: "entry", reader: at(aPlace, func(l *Loose) *Place { return &l.Entry }), schema: as(place),
		needed: true,
		means:  "Where the player last arrived in that scene.", title: "Where they arrived in the scene"},
	member[Loose]{name: "checkpoint", reader: at(aText, func(l *Loose) *string { return &l.Checkpoint }),
		means: "The one that is reached; an empty text where none is.", title: "Checkpoint reached",
		schema: func(s schemer, _ within) object { return object{"enum": append(s.points(), "")} }},
	member[Loose]{name: "used", reader: at(texts, func(l *Loose) *[]string { return &l.Used }),
		schema: oneOf(schemer.points), means: "The checkpoints that have counted in this run.", title: "Checkpoints of this run"},
	member[Loose]{name: "back", reader: at(perhapsPlace, func(l *Loose) **Place { return &l.Back }), schema: as(place),
		means: "Of a checkpoint that is an area: where the player went in.", title: "Where the checkpoint was entered"},
	member[Loose]{name: "waymarks", reader: at(somePlaces, func(l *Loose) *map[string]Place { return &l.Waymarks }),
		schema: schemer.waymarks, means: "The places that the player remembers."},
	member[Loose]{name: "milestones", reader: at(texts, func(l *Loose) *[]string { return &l.Milestones }),
		schema: oneOf(schemer.milestones), means: "Those that are earned.", title: "Milestones"},
	member[Loose]{name: "standings", reader: at(numbers, func(l *Loose) *map[string]fixed.Num { return &l.Standings }),
		schema: schemer.standings, means: "The player's number in each."},
	member[Loose]{name: "visits", reader: at(aWhole, func(l *Loose) *int { return &l.Visits }),
		schema: as(object{"type": "integer", "minimum": 0, "maximum": MaxVisits}),
		means:  "How often the player has joined.", title: "Visits"},
	member[Loose]{name: "number", reader: at(number, func(l *Loose) *uint64 { return &l.Number }), schema: as(count),
		means: "The player's last numbered request that was applied.", title: "Last numbered request"},

	member[Loose]{name: "values", reader: at(manyValues, func(l *Loose) *LooseValues { return &l.Values }),
		schema: valuesOf(model.OfPlayer), means: "What the player has."},
	member[Loose]{name: "scenes", reader: at(perScene, func(l *Loose) *LooseScenes { return &l.Scenes }),
		schema: scenesOf(model.OfPlayerScene),
		means:  "What the player has for each scene, where it is not its start value."},
	member[Loose]{name: "props", reader: at(perProp, func(l *Loose) *LooseProps { return &l.Props }),
		means:  "What the player has for each prop, where it is not its start value.",
		schema: func(s schemer, _ within) object { return s.props(true) }},
	member[Loose]{name: "crossed", reader: at(crossings, func(l *Loose) *map[string]Met { return &l.Crossed }),
		schema: schemer.crossed, means: "Of each of the plan's own crossings: which the player met last.",
		title: "Crossing met last"},
	member[Loose]{name: "lists", reader: at(perProp, func(l *Loose) *LooseProps { return &l.Lists }),
		means:  "What the player has for each option of each list, where it is not its start value.",
		schema: func(s schemer, _ within) object { return s.lists(true) }},
	member[Loose]{name: "record", reader: at(aRecord, func(l *Loose) *LooseRecord { return &l.Record }),
		means:  "What comes back at death: as it was at the checkpoint.",
		schema: func(s schemer, _ within) object { return recordMembers.schema(s, within{}) }},
	member[Loose]{name: "world", reader: at(aWorld, func(l *Loose) **LooseWorld { return &l.World }), schema: ofOne,
		needed: true, means: "What the game, its scenes and its props have."},
	member[Loose]{name: "attic", reader: at(anAttic, func(l *Loose) *Attic { return &l.Attic }),
		schema: as(object{"type": "object"}),
		means:  "What no longer has a place in the plan, and what was corrected."},
)

// recordMembers are what the record of a checkpoint has.
var recordMembers = membersOf(
	member[LooseRecord]{name: "values", reader: at(fewValues, func(r *LooseRecord) *LooseValues { return &r.Values }),
		schema: valuesOf(model.OfPlayer)},
	member[LooseRecord]{name: "scenes", reader: at(perScene, func(r *LooseRecord) *LooseScenes { return &r.Scenes }),
		schema: scenesOf(model.OfPlayerScene)},
	member[LooseRecord]{name: "props", reader: at(perProp, func(r *LooseRecord) *LooseProps { return &r.Props }),
		schema: func(s schemer, _ within) object { return s.props(true) }},
	member[LooseRecord]{name: "lists", reader: at(perProp, func(r *LooseRecord) *LooseProps { return &r.Lists }),
		schema: func(s schemer, _ within) object { return s.lists(true) }},
	member[LooseRecord]{name: "waymarks", reader: at(somePlaces, func(r *LooseRecord) *map[string]Place {
		return &r.Waymarks
	}), schema: schemer.waymarks},
	member[LooseRecord]{name: "world", reader: at(aWorld, func(r *LooseRecord) **LooseWorld { return &r.World }),
		schema: ofOne},
)

// worldMembers are what a world has, by itself or in a player's save.
var worldMembers = membersOf(
	member[LooseWorld]{name: "alluvion_world", reader: at(aWhole, func(w *LooseWorld) *int { return &w.Format }),
		schema: always(theFormat, whole), needed: true, means: "The format."},
	member[LooseWorld]{name: "game", reader: at(aText, func(w *LooseWorld) *string { return &w.Game }),
		schema: always(theGame, text), needed: true, means: "Which game it is of."},
	member[LooseWorld]{name: "version", reader: at(aWhole, func(w *LooseWorld) *int { return &w.Version }),
		schema: always(theVersion, whole), needed: true, means: "The version of the plan that it was written under."},
	member[LooseWorld]{name: "values", reader: at(fewValues, func(w *LooseWorld) *LooseValues { return &w.Values }),
		schema: valuesOf(model.OfGame), means: "What the game has."},
	member[LooseWorld]{name: "scenes", reader: at(perScene, func(w *LooseWorld) *LooseScenes { return &w.Scenes }),
		schema: scenesOf(model.OfScene), means: "What each scene has."},
	member[LooseWorld]{name: "props", reader: at(perProp, func(w *LooseWorld) *LooseProps { return &w.Props }),
		means:  "What each prop has, where it is not its start value.",
		schema: func(s schemer, _ within) object { return s.props(false) }},
	member[LooseWorld]{name: "lists", reader: at(perProp, func(w *LooseWorld) *LooseProps { return &w.Lists }),
		means:  "What each option of each list has, where it is not its start value.",
		schema: func(s schemer, _ within) object { return s.lists(false) }},
	member[LooseWorld]{name: "movables", reader: at(somePlaces, func(w *LooseWorld) *map[string]Place {
		return &w.Movables
	}), means: "Where each of them is.",
		schema: func(s schemer, _ within) object { return s.movables(object{"$ref": "#/$defs/spot"}) }},
	member[LooseWorld]{name: "held", reader: at(names, func(w *LooseWorld) *map[string]string { return &w.Held }),
		means:  "Who holds those that somebody holds.",
		schema: func(s schemer, _ within) object { return s.movables(text) }},
	member[LooseWorld]{name: "senders", reader: at(requests, func(w *LooseWorld) *map[string]uint64 {
		return &w.Senders
	}), means: "The last numbered request of each of the game's servers that was applied.",
		schema: as(object{"type": "object", "additionalProperties": count})},
	member[LooseWorld]{name: "crossed", reader: at(crossings, func(w *LooseWorld) *map[string]Met {
		return &w.Crossed
	}),
		schema: schemer.crossed, means: "Of each of the plan's own crossings: how often it was counted."},
	member[LooseWorld]{name: "standings", reader: at(rankings, func(w *LooseWorld) *map[string]map[string]fixed.Num {
		return &w.Standings
	}), schema: schemer.rankings, means: "The number of each option, in each standing of options."},
	member[LooseWorld]{name: "attic", reader: at(anAttic, func(w *LooseWorld) *Attic { return &w.Attic }),
		schema: as(object{"type": "object"}),
		means:  "What no longer has a place in the plan, and what was corrected."},
)

// aside says whether a member of a save tells it from another, and nothing of what it holds.
func aside(name string) bool {
	one := playerMembers.byName[name]
	return one != nil && one.aside || name == "alluvion_world"
}

// fact finds what people call a member of a player's save, and where they look for it among the others.
func fact(name string) (title string, rank int) {
	rank = slices.IndexFunc(playerMembers.list, func(m member[Loose]) bool { return m.name == name })
	if rank < 0 {
		return "", len(playerMembers.list)
	}
	return playerMembers.list[rank].title, rank
}
