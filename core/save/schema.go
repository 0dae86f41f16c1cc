package save

import (
	"fmt"
	"maps"

	"github.com/go-json-experiment/json/jsontext"
	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
)

type object = map[string]any

// Schema is the JSON Schema (2020-12) of a player's saves under a plan version. What it takes, the loader takes without
// finding a type or a range wrong; and what the loader takes without finding anything, it takes. What a schema cannot
// say, the loader says: that a decimal is a whole number of steps (a validator that divides binary fractions would
// refuse what is right), that a name stands once in a table, that what always holds does.
func Schema(m *model.Model) []byte {
	s := schemer{m}
	root := playerMembers.schema(s, within{alone: true, all: true})
	root["title"] = "Saves of " + s.title()
	root["description"] = "What a player has, and where they are. A save of an earlier version has the schema of that version: it is upgraded first."
	root["$defs"] = s.places()
	p := &Loose{Player: &Player{Game: m.Plan.Game.Name, Version: m.Plan.Version.Value, Player: "wren", Slot: 1,
		Visits: 1, Place: s.begins(), Entry: s.begins()}}
	if m.Single {
		p.World = &LooseWorld{World: &World{Game: p.Game, Version: p.Version}}
	}
	return s.written(root, "save", func() (any, error) { out, _, err := p.Fit(m); return out, err })
}

// WorldSchema is the schema of what the service stores of a world, where several players share it.
func WorldSchema(m *model.Model) []byte {
	s := schemer{m}
	root := worldMembers.schema(s, within{alone: true, all: true})
	root["title"] = "Worlds of " + s.title()
	root["description"] = "What the game, its scenes and its props have, and where what can be carried is."
	root["$defs"] = s.places()
	w := &LooseWorld{World: &World{Game: m.Plan.Game.Name, Version: m.Plan.Version.Value}}
	return s.written(root, "world", func() (any, error) { out, _, err := w.Fit(m); return out, err })
}

// SealedSchema is the schema of a save that has left the service with a seal.
func SealedSchema(m *model.Model) []byte {
	s := schemer{m}
	root := closed(object{
		"alluvion_seal": object{"const": 1, "description": "The form of the seal."},
		"key":           object{"type": "string", "description": "Which of the game's keys sealed it."},
		"mac": object{"type": "string", "pattern": "^([0-9A-Fa-f]{2})*$",
			"description": "HMAC-SHA-256 (RFC 2104), in hexadecimal, of the key's name, a line feed, and the save in canonical form (RFC 8785)."},
		"save": playerMembers.schema(s, within{alone: true, all: true}),
	}, "alluvion_seal", "key", "mac", "save")
	root["title"] = "Sealed saves of " + s.title()
	root["description"] = "A save as a player keeps it, with what tells whether anything in it was changed."
	root["$defs"] = s.places()
	return s.written(root, "sealed", nil)
}

func (s schemer) title() string { return model.Title(s.m.Plan.Title, s.m.Plan.Game.Name) }

// written gives the bytes, with a name of its own and, where it can be made, the example of somebody who has just
// begun.
func (s schemer) written(root object, of string, example func() (any, error)) []byte {
	root["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	root["$id"] = fmt.Sprintf("alluvion:%s/%d/%s", s.m.Plan.Game.Name, s.m.Plan.Version.Value, of)
	if example != nil {
		if doc, err := example(); err == nil {
			if text, err := Encode(doc); err == nil {
				root["examples"] = []any{json.RawMessage(text)}
			}
		}
	}
	raw, err := json.MarshalIndent(root, "", "  ")
	if err != nil {
		panic(err) // it is made of plain values
	}
	return append(raw, '\n')
}

// begins is where a player begins.
func (s schemer) begins() Place {
	p := Place{Scene: s.m.Start.Scene.ID, At: append([]fixed.Num{}, s.m.Start.Point[:len(s.m.Axes)]...)}
	if len(s.m.Facings) > 0 {
		p.Facing = s.m.Facings[0]
	}
	return p
}

type schemer struct{ m *model.Model }

// closed is a table with these members and no others; those in needed have to be there.
func closed(members object, needed ...string) object {
	out := object{"type": "object", "properties": members, "additionalProperties": false}
	if len(needed) > 0 {
		out["required"] = needed
	}
	return out
}

// means is a schema with what it means.
func means(description string, schema object) object {
	out := maps.Clone(schema)
	out["description"] = description
	return out
}

var (
	place = object{"$ref": "#/$defs/place"}
	text  = object{"type": "string"}
	whole = object{"type": "integer", "minimum": -MaxNumber, "maximum": MaxNumber}
	count = object{"type": "integer", "minimum": 0, "maximum": MaxNumber}
)

// places are the forms of a place: that of a player, and that of a thing, which faces as whoever put it there did.
func (s schemer) places() object {
	return object{"place": s.place(false), "spot": s.place(true)}
}

// place is a scene with coordinates in it: the one says which limits the others have.
func (s schemer) place(thing bool) object {
	var each []any
	for _, scene := range s.m.Scenes {
		var at []any
		for i, axis := range s.m.Axes {
			at = append(at, object{"type": "number", "title": axis, "minimum": jsontext.Value(scene.Lo[i].String()),
				"exclusiveMaximum": jsontext.Value(scene.Hi[i].String())})
		}
		members := object{"scene": object{"const": scene.ID},
			"at": object{"type": "array", "prefixItems": at, "items": false, "minItems": len(at), "maxItems": len(at)}}
		needed := []string{"scene", "at"}
		switch {
		case thing:
			members["facing"] = text
		case len(s.m.Facings) > 0:
			members["facing"] = object{"enum": s.m.Facings}
			needed = append(needed, "facing")
		default:
			members["facing"] = object{"const": ""}
		}
		each = append(each, closed(members, needed...))
	}
	return object{"oneOf": each}
}

// values is what one holder has, and perhaps that all of it has to be there.
func (s schemer) values(h *model.Holding, all bool) object {
	members, required := object{}, []string{}
	for _, v := range h.Stored {
		if v.Shared != nil {
			continue
		}
		one := v.Domain.Schema()
		one["title"] = v.Title
		if v.Stopwatch {
			one["description"] = "Seconds."
		}
		if start, err := v.Start.MarshalJSON(); err == nil && !v.Stopwatch && !v.Seed {
			one["default"] = json.RawMessage(start)
		}
		members[v.ID] = one
		if all && !v.Holder.Lazy() && !v.Seed {
			required = append(required, v.ID)
		}
	}
	return closed(members, required...)
}

func (s schemer) scenes(h model.Holder, all bool) object {
	members := object{}
	for _, scene := range s.m.Scenes {
		members[scene.ID] = s.values(s.m.Holders[h], all)
	}
	return closed(members)
}

func (s schemer) props(players bool) object {
	kinds := object{}
	for _, k := range s.m.Kinds {
		h, props := k.Own, object{}
		if players {
			h = k.Players
		}
		for _, p := range k.Props {
			props[p.ID] = s.values(h, true)
		}
		kinds[k.ID] = closed(props)
	}
	return closed(kinds)
}

// lists are what the options of lists have, or players for them; nothing where no list holds anything.
func (s schemer) lists(players bool) object {
	return s.listsOf(func(l *model.List) *model.Holding {
		if players {
			return l.Players
		}
		return l.Own
	})
}

func (s schemer) listsOf(of func(*model.List) *model.Holding) object {
	lists := object{}
	for _, l := range s.m.Lists {
		h, options := of(l), object{}
		if len(h.Stored) == 0 {
			continue
		}
		one := s.values(h, true)
		for _, o := range l.Options {
			options[o.ID] = one
		}
		lists[l.ID] = closed(options)
	}
	if len(lists) == 0 {
		return nil
	}
	return closed(lists)
}

func (s schemer) points() []string {
	ids := []string{}
	for _, p := range s.m.Checkpoints {
		ids = append(ids, p.ID)
	}
	return ids
}

func (s schemer) milestones() []string {
	ids := []string{}
	for _, x := range s.m.Milestones {
		ids = append(ids, x.ID)
	}
	return ids
}

// crossed is what is kept of the plan's own crossings; nothing where it has none.
func (s schemer) crossed(within) object {
	if len(s.m.OwnCrossings) == 0 {
		return nil
	}
	table := object{}
	for _, c := range s.m.OwnCrossings {
		table[c.String()] = closed(object{"session": text, "count": count})
		if c.Calendar != nil {
			table[c.String()] = closed(object{"date": object{"type": "string", "format": "date"}})
		}
	}
	return closed(table)
}

func (s schemer) waymarks(within) object {
	members := object{}
	for _, w := range s.m.Waymarks {
		members[w.ID] = place
	}
	return closed(members)
}

// aRank is a number in a standing.
func aRank() object {
	return object{"type": "number", "minimum": jsontext.Value(mostStanding.Neg().String()),
		"maximum": jsontext.Value(mostStanding.String())}
}

func (s schemer) standings(within) object {
	members := object{}
	for _, x := range s.m.Standings {
		if x.List == nil {
			members[x.ID] = aRank()
		}
	}
	return closed(members)
}

// rankings are the standings of options.
func (s schemer) rankings(within) object {
	members := object{}
	for _, x := range s.m.Standings {
		if x.List == nil {
			continue
		}
		options := object{}
		for _, o := range x.List.Options {
			options[o.ID] = aRank()
		}
		members[x.ID] = closed(options)
	}
	return closed(members)
}

// movables is a table with each of them.
func (s schemer) movables(each object) object {
	members := object{}
	for _, x := range s.m.Movables {
		members[x.ID] = each
	}
	return closed(members)
}
