package wire

import (
	"maps"
	"slices"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// table is a piece of a JSON Schema.
type table = map[string]any

// member is one member of a message; those that a message may lack end with a ?.
type member struct {
	name   string
	schema table
}

func text(what string) table { return table{"type": "string", "description": what} }
func flag(what string) table { return table{"type": "boolean", "description": what} }
func whole(what string) table {
	return table{"type": "integer", "minimum": 0, "maximum": MostNumber, "description": what}
}
func number(what string) table { return table{"type": "number", "description": what} }
func value(what string) table {
	single := []any{"number", "string", "boolean", "null"}
	return table{"description": what, "anyOf": []any{table{"type": single},
		table{"type": "array", "items": table{"type": single}}}}
}
func values(what string) table {
	return table{"type": "object", "additionalProperties": value("Its value."), "description": what}
}
func listOf(items table, what string) table {
	return table{"type": "array", "items": items, "description": what}
}

// Message is one message: who sends it, what it is for, and its members besides is.
type message struct {
	what    string
	members []member
	open    bool // members that are not known are ignored
}

var (
	numbered = member{"number?",
		whole("The sender's own, rising; what is sent again with the same number gets its first answer. 0 or none is not numbered.")}
	arrived = member{"arrival?",
		whole("The arrival that the machine knew of; another one makes the request stale. 0 or none is not judged.")}
	about = member{"player?", text("Of one of the game's servers: whom it is about.")}
)

// asked are the messages of a machine, or of one of the game's servers.
var asked = map[string]message{
	"hello": {"The first message.", []member{{"player?", text("Who plays. With a player's token it may be left out.")},
		{"server?", text("In place of a player: the name of one of the game's servers.")},
		{"token?", text("Where the service asks for tokens.")}, {"slot?", whole("Which save, from 1.")}, {"picks?",
			values("What is picked on the way in.")}, {"plan?", text("The digest of the layout that the machine has.")},
		{"run?", text("To go on: the run of the welcome.")}, {"tick?",
			whole("To go on: the last tick that was taken in.")},
		{"checks?", flag("The machine says what it believes.")},
		{"simulated?", flag("Nobody plays: what is saved of this player can be removed with all of its kind.")}}, true},
	"move": {"The player is somewhere else.", []member{numbered, arrived,
		{"to", listOf(table{"type": "number"}, "The coordinates, in the order of the axes.")}, {"facing?",
			text("Which way they face.")}}, false},
	"pass": {"The player goes through a passage.", []member{numbered, arrived, {"name", text("The passage.")}},
		false},
	"touch": {"The player touches a checkpoint.", []member{numbered, arrived, {"name", text("The checkpoint.")}},
		false},
	"event": {"Something happens.", []member{numbered, arrived, about, {"name", text("The event.")},
		{"args?", values("Its arguments.")}}, false},
	"write": {"A variable is written that its player (or the game's server) writes.",
		[]member{numbered, arrived, about, {"name", text("The variable, as player.nickname.")},
			{"args?", values("Of what there is one of for each scene, prop or option: which, as {option: rice}.")}, {"value",
				value("Its new value; null is none.")}}, false},
	"start-over": {"The player begins a new run.", []member{numbered, arrived}, false},
	"leave":      {"The player leaves.", []member{numbered}, false},
	"correct": {"Of one of the game's servers: a value is corrected.",
		[]member{numbered, about, {"name", text("The variable.")},
			{"args?", values("Of what there is one of for each scene, prop or option: which, as {option: rice}.")}, {"value",
				value("Its new value; null is none.")}}, false},
	"die":   {"Of one of the game's servers: a player dies.", []member{numbered, about}, false},
	"ping":  {"The machine is there.", []member{numbered}, false},
	"token": {"A new token in place of the one that runs out.", []member{numbered, {"token", text("It.")}}, false},
	"whole": {"The whole view is wanted.", nil, false},
	"belief": {"What the machine believes, where a frame asked for it.",
		[]member{{"tick", whole("Of that frame.")}, {"digest", text("Of its view.")}}, false},
	"believed": {"Everything that the machine believes, where that differs.",
		[]member{{"tick", whole("Of the frame.")}, {"values",
			table{"type": "object", "additionalProperties": table{"type": "object"},
				"description": "By part, and by address."}}}, false},
}

// said are the messages of the service. Machines ignore members that they do not know.
var said = map[string]message{
	"welcome": {"The hello was accepted.", []member{{"player?", text("Who plays.")}, {"game", text("Its id.")},
		{"session", text("Its name.")}, {"version", whole("Of the plan.")}, {"plan", text("The digest of the layout.")},
		{"run", text("To go on later: this stretch of ticks.")}, {"ticks",
			number("Frames a second, at most.")}, {"grace", number("For how many seconds a seat is kept.")},
		{"number", whole("The last request that was applied.")},
		{"resumed", flag("It goes on from the hello's tick.")}, {"missed?",
			flag("Something was told meanwhile that is not known any more.")}, {"tick", whole("Now.")}}, true},
	"fetch": {"The layout is another: fetch it, and come again.",
		[]member{{"plan", text("The digest of the session's layout.")}, {"layout", text("Where it is.")},
			{"why", text("In English.")}}, true},
	"answer": {"The request was applied.", []member{numbered, {"repeat?", flag("It had been before.")}}, true},
	"refused": {"The request was not, and has changed nothing.",
		[]member{numbered, {"repeat?", flag("It had been refused before.")},
			{"kind", table{"enum": []any{"refused", "failed", "stale", "invalid", "unknown", "forbidden"},
				"description": "docs/wire.md says what each means."}},
			{"why", text("As the plan has it, or in English.")}, {"key?",
				text("What why is known by in the plan: events.haul.refused.")}, {"member?",
				text("Of a message that is not understood: which member is wrong.")},
			{"rule?", whole("The rule that refused, from 1.")}, {"line?", whole("Its line in the plan.")}}, true},
	"saved": {"Everything up to a number is on disk.", []member{numbered,
		{"revision?", whole("Of the save; none where it is recovery state.")}, {"moment?",
			text("What it was saved on.")}}, true},
	"pong": {"The answer to a ping.", []member{numbered, {"time", number("The session's, in seconds.")}}, true},
	"differs": {"What the machine believes is something else: say all of it.",
		[]member{{"tick", whole("Of the frame.")}}, true},
	"tick": {"A frame: what has changed of the view.", []member{{"tick", whole("It rises with each frame.")},
		{"time", number("The session's, in seconds.")}, {"done",
			whole("Every request up to this number was applied or refused.")},
		{"check?", flag("Say what you believe.")}, {"everyone?", part()}, {"scene?", part()}, {"self?",
			part()}, {"near?", part()}, {"told?", listOf(table{"$ref": "#/$defs/told"}, "What the player is told, in order.")}}, true},
}

func part() table {
	return table{"type": "object", "additionalProperties": false,
		"description": "Where it is whole, all that was known is forgotten; then what is gone; then what is set.",
		"properties": table{"whole": flag("It is all of this part."),
			"gone": listOf(table{"type": "string"}, "Addresses."), "set": table{"type": "object",
				"description": "Values by their addresses."}}}
}

// ToldKinds are the kinds of what players are told.
var ToldKinds = []string{"arrived", "breach", "came-back", "checkpoint", "crossed", "departed", "died", "gone", "holds",
	"joined", "left",
	"message", "milestone", "set-down", "stands", "started", "taken", "undone"}

func told() table {
	kinds := make([]any, len(ToldKinds))
	for i, k := range ToldKinds {
		kinds[i] = k
	}
	return object("told", message{"Something that a player is told.",
		[]member{{"kind", table{"enum": kinds, "description": "What kind it is of."}},
			{"player?", text("Whom it is about.")}, {"text?", text("As the plan has it, or in English.")},
			{"key?", text("What the text is known by in the plan, for a game that says it in words of its own: rules.bell.text.")},
			{"id?", text("The milestone, checkpoint or movable that it is about: what a machine goes by that says it in another language.")}, {"rule?", whole("Of message: the rule that says it, from 1; of undone: the one that failed.")},
			{"scene?", text("Where.")}, {"from?", text("Of arrived: the scene that was left.")}}, true}, false)
}

// Schema is the JSON Schema (2020-12) of every message, in text, of a machine and of the service.
func Schema() []byte {
	defs := table{"told": told()}
	list := func(of map[string]message) []any {
		var out []any
		for _, is := range slices.Sorted(maps.Keys(of)) {
			defs[is] = object(is, of[is], true)
			out = append(out, table{"$ref": "#/$defs/" + is})
		}
		return out
	}
	defs["from_machine"], defs["from_service"] = table{"oneOf": list(asked)}, table{"oneOf": list(said)}
	raw, err := json.Marshal(table{"$schema": "https://json-schema.org/draft/2020-12/schema",
		"$id": "urn:alluvion:wire:1", "title": "Messages between machines and the service", "$defs": defs,
		"anyOf": []any{table{"$ref": "#/$defs/from_machine"}, table{"$ref": "#/$defs/from_service"}}},
		json.Deterministic(true), jsontext.WithIndent("  "))
	if err != nil {
		panic(err) // plain data
	}
	return append(raw, '\n')
}

func object(is string, m message, named bool) table {
	properties, needed := table{}, []any{}
	if named {
		properties["is"], needed = table{"const": is}, append(needed, "is")
	}
	for _, x := range m.members {
		name := x.name
		if optional := name[len(name)-1] == '?'; optional {
			name = name[:len(name)-1]
		} else {
			needed = append(needed, name)
		}
		properties[name] = x.schema
	}
	out := table{"type": "object", "title": is, "description": m.what, "properties": properties, "required": needed}
	if !m.open {
		out["additionalProperties"] = false
	}
	return out
}
