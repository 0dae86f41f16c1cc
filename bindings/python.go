package bindings

import (
	_ "embed"
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/model"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
)

//go:embed python/alluvion.py
var pythonRuntime []byte

// pythonOwn are the names that the runtime for Python has, and the language's keywords (3.9 to 3.13).
var pythonOwn = own{
	machine: []string{"me", "players", "profile", "game", "scene", "scenes", "movables", "ask", "on", "state", "end", "fetch",
		"retry_in", "quiet", "tick", "time", "ticks", "grace", "session", "address", "protocols", "opened", "received",
		"lost", "learned", "outgoing", "advance", "renew", "value", "knows", "now", "place_at", "view", "digest", "on_told",
		"on_trouble", "on_state", "pending", "saved"},
	player: []string{"id", "profile"},
	ask:    []string{"move", "pass_", "touch", "write", "event", "start_over", "leave"},
	keywords: []string{"and", "as", "assert", "async", "await", "break", "class", "continue", "def", "del", "elif", "else",
		"except", "finally", "for", "from", "global", "if", "import", "in", "is", "lambda", "nonlocal", "not", "or", "pass",
		"raise", "return", "try", "while", "with", "yield", "self"},
	scenes: "scenes",
}

// pythonTypes are the names that every generated module has, or takes from the runtime.
var pythonTypes = []string{"Me", "Other", "Game", "Profile", "Asks", "Facing", "Machine", "Place", "Player", "Players",
	"Asked", "Ask", "Mapping", "Optional", "Literal", "Sequence", "Union", "Any", "Thing", "Watch", "PLAN", "WORLD"}

var asPython = dialect{width: 100, indent: 4, quote: double, key: double, object: [2]string{"{", "}"}, none: "{}",
	list: [2]string{"[", "]"}, colon: ": ", comma: ",", words: map[string]string{"true": "True", "false": "False", "null": "None"}}

// snake writes the name of a module.
func snake(id string) string { return strings.ReplaceAll(id, "-", "_") }

func python(s *surface) ([]File, error) {
	n, err := s.called(pythonOwn)
	if err != nil {
		return nil, err
	}
	p := module{s: s, n: n}
	return []File{{"alluvion.py", pythonRuntime}, {snake(s.m.Plan.Game.Name) + ".py", []byte(p.source())}}, nil
}

// module writes Python.
type module struct {
	s *surface
	n *naming
	b strings.Builder
}

func (p *module) line(format string, args ...any) { fmt.Fprintf(&p.b, format+"\n", args...) }

// class begins a class.
func (p *module) class(name, of, doc string) {
	p.line("\n\nclass %s%s:\n    \"\"\"%s\"\"\"\n", name, of, doc)
}

func (p *module) source() string {
	p.line("\"\"\"%s, version %d, for games, bots and tools in Python.\n", p.s.title, p.s.m.Plan.Version.Value)
	p.line("Made from the plan by alluvion bindings: write it anew when the plan changes, and do not edit it.\n\"\"\"\n")
	p.line("from __future__ import annotations\n")
	p.line("from typing import Any, Literal, Mapping, Optional, Sequence, Union\n")
	p.line("from alluvion import Ask, Asked, Machine, Place, Player, Players\n")
	p.line("#: A stopwatch: what it reads in seconds, or {\"since\": second} where it runs.")
	p.line("Watch = Union[float, Mapping[str, float]]\n")
	p.line("#: A movable: its holder, or its scene and where it stands there.\nThing = Place\n")
	facings := "str"
	if len(p.s.m.Facings) > 0 {
		facings = choices(p.s.m.Facings)
	}
	p.line("#: Which way a player faces.\nFacing = %s", facings)
	for _, g := range p.s.ids {
		p.line("\n#: %s\n%sId = %s", g.doc, pascal(g.name), choices(g.ids))
	}
	p.players()
	p.holders()
	p.asking()
	p.machine()
	p.line("\n\n#: What the plan says of the world: coordinates are in its unit.")
	p.line("WORLD: Mapping[str, Any] = %s\n", asPython.literal(worldOf(p.s.m), 0))
	p.line("PLAN: Mapping[str, Any] = %s", asPython.literal(p.s.plan(p.n, code(`WORLD["props"]`)), 0))
	return p.b.String()
}

func choices(ids []string) string {
	var out []string
	for _, id := range ids {
		out = append(out, double(id))
	}
	short := "Literal[" + strings.Join(out, ", ") + "]"
	if len(short) < 80 {
		return short
	}
	return "Literal[\n    " + strings.Join(out, ",\n    ") + ",\n]"
}

// typeOf is the type of a value; what a machine may not be told of is None.
func (p *module) typeOf(v value, sure bool) string {
	var out string
	switch v.form {
	case share.FormPlace:
		out = "Place"
	case share.FormSpot:
		return "Optional[Place]"
	case share.FormThing:
		out = "Thing"
	case share.FormWatch:
		out = "Watch"
	default:
		out = p.codeType(v.code)
	}
	if sure || strings.HasPrefix(out, "Optional[") {
		return out
	}
	return "Optional[" + out + "]"
}

func (p *module) codeType(c *types.Code) string {
	var out string
	switch c.Kind {
	case "number":
		out = "int"
		if _, whole := c.Step.Int(); !whole {
			out = "float"
		}
	case "truth":
		out = "bool"
	case "option":
		out = p.optionType(c.Options)
	case "list":
		out = "Sequence[" + p.codeType(c.Item) + "]"
	default:
		out = "str"
	}
	if c.Optional {
		return "Optional[" + out + "]"
	}
	return out
}

func (p *module) optionType(options []string) string {
	if g := p.s.idGroup(options); g != nil {
		return pascal(g.name) + "Id"
	}
	var out []string
	for _, id := range options {
		out = append(out, double(id))
	}
	return "Literal[" + strings.Join(out, ", ") + "]"
}

// members writes values by their path; those of a group as a class of its own, which it gives in before.
func (p *module) members(owner string, values []value, depth int, sure func(v value) bool) (fields, before string) {
	var b, inner strings.Builder
	for _, l := range levels(values, depth) {
		if v := l.is; v != nil {
			if len(v.doc) > 0 {
				fmt.Fprintf(&b, "    #: %s\n", strings.Join(v.doc, " "))
			}
			fmt.Fprintf(&b, "    %s: %s\n", p.n.value(*v), p.typeOf(*v, sure(*v)))
			continue
		}
		class := owner + pascal(l.name)
		f, more := p.members(class, l.inside, depth+1, sure)
		fmt.Fprintf(&inner, "%s\n\nclass %s:\n    \"\"\"What stands in %s.\"\"\"\n\n%s", more, class,
			strings.Join(l.inside[0].path[:depth+1], "."), f)
		fmt.Fprintf(&b, "    %s: %s\n", p.n.free(l.name, nil), class)
	}
	return b.String(), inner.String()
}

func (p *module) idsOf(group string) string {
	if group == "scene" {
		return "SceneId"
	}
	return pascal(strings.TrimPrefix(group, "prop.")) + "Id"
}

func (p *module) groupType(group string) string {
	name := pascal(strings.TrimPrefix(group, "prop."))
	if slices.Contains(pythonTypes, name) || name == p.name() {
		name += "_"
	}
	return name
}

func (p *module) name() string {
	name := pascal(p.s.m.Plan.Game.Name)
	if slices.Contains(pythonTypes, name) {
		name += "_"
	}
	return name
}

// players writes what this machine's own player has, and what it is told of others.
func (p *module) players() {
	always := func(value) bool { return true }
	for _, who := range []struct {
		name, doc  string
		sees, sure func(v value) bool
	}{
		{"Me", "This machine's own player. Until the first frame is in, everything is None.", always, always},
		{"Other", "What this machine is told of any player; None of one who is in another scene, or out of sight.",
			func(v value) bool { return v.part != "self" }, func(v value) bool { return v.part == "everyone" }},
	} {
		of := func(group string, copies bool) []value {
			return p.s.having(func(v value) bool {
				return v.players && (len(v.copies) > 0) == copies && v.group == group && who.sees(v)
			})
		}
		body, before := p.members(who.name, of("player", false), 0, who.sure)
		if profile := of("profile", false); len(profile) > 0 {
			f, more := p.members(who.name+"Profile", profile, 0, who.sure)
			before += more + fmt.Sprintf("\n\nclass %sProfile:\n    \"\"\"What stands in profile.\"\"\"\n\n%s", who.name, f)
			body += fmt.Sprintf("    profile: %sProfile\n", who.name)
		}
		for _, group := range p.s.groups() {
			if pairs := of(group, true); len(pairs) > 0 {
				class := who.name + p.groupType(group)
				f, more := p.members(class, pairs, 0, who.sure)
				before += more + fmt.Sprintf("\n\nclass %s:\n    \"\"\"What a player has for each of %s.\"\"\"\n\n%s", class, p.n.group(group), f)
				body += fmt.Sprintf("    %s: Mapping[%s, %s]\n", p.n.group(group), p.idsOf(group), class)
			}
		}
		p.b.WriteString(before)
		p.class(who.name, "(Player)", who.doc)
		p.b.WriteString(body)
	}
}

// holders writes what the game, scenes, props and options have.
func (p *module) holders() {
	body, before := p.members("Game", p.s.having(func(v value) bool { return v.group == "game" }), 0,
		func(value) bool { return true })
	p.b.WriteString(before)
	p.class("Game", "", "What the game has: one for everybody in the session.")
	p.b.WriteString(body)
	groups := p.s.groups()
	if !slices.Contains(groups, "scene") {
		groups = append([]string{"scene"}, groups...)
	}
	for _, group := range groups {
		class := p.groupType(group)
		body, before := p.members(class, p.s.having(func(v value) bool { return v.group == group && len(v.copies) > 0 }), 0,
			func(v value) bool { return v.players || v.part != "scene" })
		if group == "scene" {
			body = "    id: SceneId\n" + body
		}
		p.b.WriteString(before)
		p.class(class, "", "What each of "+p.n.group(group)+" has, and what this machine's player has for each.")
		p.b.WriteString(body)
	}
}

// asking writes what players ask for.
func (p *module) asking() {
	p.class("Asks", "(Ask)", "What the player asks for. Each is answered with what became of it.")
	if len(p.s.asks) == 0 {
		p.line("    pass")
	}
	for _, a := range p.s.asks {
		var params, given []string
		plain := true
		for _, x := range a.args {
			is := p.codeType(x.code)
			if x.of != "" {
				is = strings.Replace(is, "str", pascal(x.of)+"Id", 1)
			}
			name := p.n.argument(x.id)
			plain = plain && name == x.id
			param := name + ": " + is
			if x.optional {
				param += " = None"
			}
			params = append(params, param)
			given = append(given, name)
		}
		signature := "self"
		if len(params) > 0 {
			signature += ", *, " + strings.Join(params, ", ")
		}
		call := double(a.id)
		for i, x := range a.args {
			if plain {
				call += ", " + x.id + "=" + given[i]
				continue
			}
			if i == 0 {
				call += ", **{"
			}
			call += double(x.id) + ": " + given[i]
			if i == len(a.args)-1 {
				call += "}"
			} else {
				call += ", "
			}
		}
		p.line("    def %s(%s) -> Asked:", p.n.event(a.id), signature)
		doc := strings.Join(a.doc, " ")
		if doc == "" {
			doc = "Sends the event " + a.id + "."
		}
		p.line("        \"\"\"%s\"\"\"", strings.ReplaceAll(doc, `"""`, "'''"))
		p.line("        return self.event(%s)\n", call)
	}
}

// machine writes the machine.
func (p *module) machine() {
	text := strings.TrimRight(p.b.String(), "\n") + "\n"
	p.b.Reset()
	p.b.WriteString(text)
	p.class(p.name(), "(Machine)", "A machine that follows a session of "+p.s.title+".")
	p.line("    me: Me")
	p.line("    players: Mapping[str, Other]")
	p.line("    game: Game")
	p.line("    scene: Optional[%s]", p.groupType("scene"))
	if slices.ContainsFunc(p.s.values, func(v value) bool { return v.group == "profile" }) {
		p.line("    profile: MeProfile")
	}
	if !slices.Contains(p.s.groups(), "scene") {
		p.line("    scenes: Mapping[SceneId, %s]", p.groupType("scene"))
	}
	for _, group := range p.s.groups() {
		p.line("    %s: Mapping[%s, %s]", p.n.group(group), p.idsOf(group), p.groupType(group))
	}
	if len(p.s.m.Movables) > 0 {
		p.line("    movables: Mapping[MovableId, Thing]")
	}
	p.line("    ask: Asks\n")
	picks := ""
	for _, v := range p.s.m.Holders[model.OfPlayer].Stored {
		if v.Type.Kind == types.Pick {
			picks += fmt.Sprintf(" %s is one of %s.", v.ID, p.optionType(types.CodeOf(&v.Domain).Options))
		}
	}
	p.line("    def __init__(self, player: str, **joining: Any) -> None:")
	p.line("        \"\"\"player is who plays; joining is as Machine has it: slot, picks, token, packed, checks, simulated.%s\"\"\"", picks)
	p.line("        super().__init__(PLAN, player, Asks, **joining)")
}
