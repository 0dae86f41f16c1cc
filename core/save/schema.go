package save

import (
	"encoding/json"

	"alluvion/core/expr"
	"alluvion/core/model"
)

type object = map[string]any

// Schema is the JSON Schema (2020-12) of a player's saves under a plan version. What a schema cannot say (that a
// number is a whole number of steps from zero within 15 digits, that an item of a set stands once, that what
// always holds does) the loader says.
func Schema(m *model.Model) []byte {
	s := schemer{m}
	root := s.player()
	root["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	root["title"] = "Saves of " + model.Title(m.Plan.Title, m.Plan.Game.Name)
	root["$defs"] = object{"place": s.place()}
	raw, err := json.MarshalIndent(root, "", "  ")
	if err != nil {
		panic(err) // it is made of plain values
	}
	return append(raw, '\n')
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

var place = object{"$ref": "#/$defs/place"}

func (s schemer) player() object {
	count := object{"type": "integer", "minimum": 0}
	members := object{
		"alluvion_save": object{"const": Format}, "game": object{"const": s.m.Plan.Game.Name}, "version": object{"type": "integer", "minimum": 1, "maximum": s.m.Plan.Version.Value},
		"player": object{"type": "string", "minLength": 1, "maxLength": 64}, "slot": object{"type": "integer", "minimum": 1, "maximum": s.m.SlotsPerPlayer()},
		"visits": count, "number": count, "dead": object{"type": "boolean"}, "place": place, "entry": place, "back": place,
		"checkpoint": object{"enum": s.points()}, "used": object{"type": "array", "items": object{"enum": s.points()}, "uniqueItems": true},
		"waymarks": s.waymarks(), "milestones": object{"type": "array", "items": object{"enum": s.milestones()}, "uniqueItems": true},
		"standings": s.standings(), "values": s.values(s.m.Holders[model.OfPlayer]), "scenes": s.scenes(model.OfPlayerScene), "props": s.props(true), "record": s.record(),
		"attic": object{"type": "object"},
		"about": closed(object{"plan": object{"type": "string"}, "revision": count, "moment": object{"type": "string"}, "saved_at": object{"type": "string", "format": "date-time"}}),
	}
	if s.m.Single {
		members["world"] = s.world()
	}
	return closed(members, "alluvion_save", "game", "version", "player", "slot", "visits", "number", "dead", "place", "entry", "values", "record")
}

func (s schemer) record() object {
	members := object{"values": s.values(s.m.Holders[model.OfPlayer]), "scenes": s.scenes(model.OfPlayerScene), "props": s.props(true), "waymarks": s.waymarks()}
	if s.m.Single {
		members["world"] = s.world()
	}
	return closed(members, "values")
}

func (s schemer) world() object {
	movables, held := object{}, object{}
	for _, x := range s.m.Movables {
		movables[x.ID], held[x.ID] = place, object{"type": "string"}
	}
	return closed(object{"alluvion_world": object{"const": Format}, "game": object{"const": s.m.Plan.Game.Name}, "version": object{"type": "integer"},
		"values": s.values(s.m.Holders[model.OfGame]), "scenes": s.scenes(model.OfScene), "props": s.props(false),
		"movables": closed(movables), "held": closed(held), "attic": object{"type": "object"},
		"senders": object{"type": "object", "additionalProperties": object{"type": "integer", "minimum": 0}}}, "values")
}

// place is a scene with coordinates in it: the one says which limits the others have.
func (s schemer) place() object {
	var each []any
	for _, scene := range s.m.Scenes {
		var at []any
		for i := range s.m.Axes {
			at = append(at, object{"type": "number", "minimum": json.Number(scene.Lo[i].String()), "exclusiveMaximum": json.Number(scene.Hi[i].String())})
		}
		members := object{"scene": object{"const": scene.ID}, "at": object{"type": "array", "prefixItems": at, "items": false, "minItems": len(at)}}
		if len(s.m.Facings) > 0 {
			members["facing"] = object{"enum": s.m.Facings}
		}
		each = append(each, closed(members, "scene", "at"))
	}
	return object{"oneOf": each}
}

func (s schemer) values(h *model.Holding) object {
	members := object{}
	for _, v := range h.Stored {
		if v.Shared == nil {
			members[v.ID] = domain(&v.Domain, v.Stopwatch)
		}
	}
	return closed(members)
}

func (s schemer) scenes(h model.Holder) object {
	members := object{}
	for _, scene := range s.m.Scenes {
		members[scene.ID] = s.values(s.m.Holders[h])
	}
	return closed(members)
}

func (s schemer) props(players bool) object {
	kinds := object{}
	for _, k := range s.m.Kinds {
		h, ids := k.Own, []string{}
		if players {
			h = k.Players
		}
		for _, p := range k.Props {
			ids = append(ids, p.ID)
		}
		kinds[k.ID] = object{"type": "object", "propertyNames": object{"enum": ids}, "additionalProperties": s.values(h)}
	}
	return closed(kinds)
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

func (s schemer) waymarks() object {
	members := object{}
	for _, w := range s.m.Waymarks {
		members[w.ID] = place
	}
	return closed(members)
}

func (s schemer) standings() object {
	members := object{}
	for _, x := range s.m.Standings {
		members[x.ID] = object{"type": "number"}
	}
	return closed(members)
}

// domain is which values a variable can have.
func domain(d *model.Domain, stopwatch bool) object {
	out := plainDomain(d, stopwatch)
	if d.Type.Optional {
		return object{"oneOf": []any{object{"type": "null"}, out}}
	}
	return out
}

func plainDomain(d *model.Domain, stopwatch bool) object {
	switch t := &d.Type; {
	case stopwatch:
		return object{"type": "number", "description": "Seconds."}
	case t.Numeric(), t.Kind == expr.Seed:
		out := object{"type": "number", "minimum": json.Number(d.Min.String()), "maximum": json.Number(d.Max.String()), "multipleOf": json.Number(d.Step.String())}
		if t.Kind != expr.Decimal {
			out["type"] = "integer"
		}
		return out
	case t.Kind == expr.Bool:
		return object{"type": "boolean"}
	case t.Named():
		return object{"enum": t.Names}
	case t.Kind == expr.Point:
		number := object{"type": "number"}
		return object{"type": "array", "items": number, "minItems": len(t.Names), "maxItems": len(t.Names)}
	case t.Item != nil:
		return object{"type": "array", "items": domain(d.Item, false), "maxItems": d.MaxItems, "uniqueItems": t.Kind == expr.Set}
	}
	return object{"type": "string", "minLength": d.MinLength, "maxLength": d.MaxLength}
}
