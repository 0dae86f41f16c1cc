package bindings

import (
	_ "embed"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
)

//go:embed lua/alluvion.lua
var luaRuntime []byte

// luaOwn are the names that the runtime for Lua has, and the language's keywords (5.1 to 5.4).
var luaOwn = own{
	machine: []string{"me", "players", "profile", "game", "scene", "scenes", "movables", "ask", "on", "state", "finish", "fetch",
		"retry_in", "quiet", "tick", "time", "ticks", "grace", "session", "address", "protocols", "opened", "received", "lost",
		"learned", "outgoing", "advance", "renew", "value", "knows", "now", "place_at", "view", "digest", "everybody",
		"on_told", "on_trouble", "on_state", "pending", "saved"},
	player: []string{"id", "profile"},
	ask:    []string{"move", "pass", "touch", "write", "event", "start_over", "leave"},
	keywords: []string{"and", "break", "do", "else", "elseif", "end", "false", "for", "function", "goto", "if", "in", "local",
		"nil", "not", "or", "repeat", "return", "then", "true", "until", "while"},
	scenes: "scenes",
}

var luaName = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]*$`)

var asLua = dialect{width: 120, indent: 2, quote: luaText, key: luaKey, object: [2]string{"{ ", " }"}, none: "{}",
	list: [2]string{"{ ", " }"}, empty: "list({})", colon: " = ", comma: ","}

// luaText is a text in double quotes: letters beyond ASCII stand as they are, in UTF-8.
func luaText(text string) string {
	var b strings.Builder
	b.WriteByte('"')
	for i := range len(text) {
		switch c := text[i]; {
		case c == '"' || c == '\\':
			b.WriteString("\\" + string(rune(c)))
		case c < 32 || c == 127:
			fmt.Fprintf(&b, "\\%03d", c)
		default:
			b.WriteByte(c)
		}
	}
	return b.String() + `"`
}

func luaKey(name string) string {
	if luaName.MatchString(name) && !slices.Contains(luaOwn.keywords, name) {
		return name
	}
	return "[" + luaText(name) + "]"
}

func lua(s *surface) ([]File, error) {
	n, err := s.called(luaOwn)
	if err != nil {
		return nil, err
	}
	c := chunk{s: s, n: n, name: pascal(s.m.Plan.Game.Name)}
	return []File{{"alluvion.lua", luaRuntime}, {snake(s.m.Plan.Game.Name) + ".lua", []byte(c.source())}}, nil
}

// chunk writes Lua. Types are said in the annotations that the language's editors read.
type chunk struct {
	s    *surface
	n    *naming
	name string
	b    strings.Builder
}

func (c *chunk) line(format string, args ...any) { fmt.Fprintf(&c.b, format+"\n", args...) }

func (c *chunk) source() string {
	c.line("-- %s, version %d, for games in Lua. Made from the plan by alluvion bindings: write it anew when the plan changes, and", c.s.title, c.s.m.Plan.Version.Value)
	c.line("-- do not edit it.")
	c.line("")
	c.line("local alluvion = require(\"alluvion\")")
	c.line("local list, null = alluvion.list, alluvion.null")
	c.line("")
	for _, g := range c.s.ids {
		c.line("---%s", g.doc)
		c.line("---@alias %s.%sId %s", c.name, pascal(g.name), union2(g.ids))
	}
	c.line("")
	c.line("---@class %s.Place", c.name)
	c.line("---@field scene %s.SceneId", c.name)
	c.line("---@field at number[]")
	c.line("---@field facing? string")
	c.line("---@field time? number")
	c.line("---@field arrival? integer")
	c.players()
	c.holders()
	c.asking()
	c.line("")
	c.line("---A machine that follows a session of %s.", c.s.title)
	c.line("---@class %s", c.name)
	c.line("---@field me %s.Me", c.name)
	c.line("---@field players table<string, %s.Other>", c.name)
	c.line("---@field game %s.Game", c.name)
	c.line("---@field scene? %s.Scene", c.name)
	c.line("---@field scenes table<%s.SceneId, %s.Scene>", c.name, c.name)
	for _, group := range c.s.groups() {
		if group != "scene" {
			c.line("---@field %s table<%s, %s>", c.n.group(group), c.idsOf(group), c.groupType(group))
		}
	}
	if len(c.s.m.Movables) > 0 {
		c.line("---@field movables table<%s.MovableId, %s.Place|{holder: string}>", c.name, c.name)
	}
	c.line("---@field ask %s.Ask", c.name)
	c.line("")
	c.line("-- What the plan says of the world: coordinates are in its unit.")
	c.line("local world = %s", asLua.literal(worldOf(c.s.m), 0))
	c.line("")
	c.line("local plan = %s", asLua.literal(c.s.plan(c.n, code("world.props")), 0))
	c.line("")
	c.line("return {")
	c.line("  world = world,")
	c.line("")
	c.line("  ---joining has player (who plays), and may have slot, picks, token, packed, sha256 and simulated, as alluvion.new says.")
	c.line("  ---@param joining {player: string, slot?: integer, picks?: table<string, string>, token?: string, packed?: boolean, sha256?: (fun(text: string): string), simulated?: boolean}")
	c.line("  ---@return %s", c.name)
	c.line("  new = function(joining)")
	c.line("    return alluvion.new(plan, joining)")
	c.line("  end,")
	c.line("}")
	return c.b.String()
}

func union2(ids []string) string {
	var out []string
	for _, id := range ids {
		out = append(out, strconv.Quote(id))
	}
	return strings.Join(out, "|")
}

func (c *chunk) typeOf(v value) string {
	switch v.form {
	case share.FormPlace:
		return c.name + ".Place"
	case share.FormSpot:
		return c.name + ".Place?"
	case share.FormThing:
		return c.name + ".Place|{holder: string}"
	case share.FormWatch:
		return "number|{since: number}"
	}
	return c.codeType(v.code)
}

func (c *chunk) codeType(code *types.Code) string {
	out := "string"
	switch code.Kind {
	case "number":
		out = "integer"
		if _, whole := code.Step.Int(); !whole {
			out = "number"
		}
	case "truth":
		out = "boolean"
	case "option":
		if out = union2(code.Options); c.s.idGroup(code.Options) != nil {
			out = c.name + "." + pascal(c.s.idGroup(code.Options).name) + "Id"
		}
	case "list":
		if out = c.codeType(code.Item); strings.Contains(out, "|") {
			out = "(" + out + ")"
		}
		out += "[]"
	}
	if code.Optional {
		if strings.Contains(out, "|") {
			return "(" + out + ")?"
		}
		out += "?"
	}
	return out
}

// class writes what something has; what stands deeper is a class of its own.
func (c *chunk) class(name, doc string, values []value, depth int, more ...string) {
	var deeper []string
	inside := map[string][]value{}
	fields := more
	for _, v := range values {
		if part := v.path[depth]; len(v.path) > depth+1 {
			if inside[part] == nil {
				deeper = append(deeper, part)
				fields = append(fields, fmt.Sprintf("%s %s%s", c.n.free(part, nil), name, pascal(part)))
			}
			inside[part] = append(inside[part], v)
			continue
		}
		fields = append(fields, strings.TrimRight(fmt.Sprintf("%s %s %s", c.n.value(v), c.typeOf(v), strings.Join(v.doc, " ")), " "))
	}
	for _, part := range deeper {
		c.class(name+pascal(part), "What stands in "+part+".", inside[part], depth+1)
	}
	c.line("")
	c.line("---%s", doc)
	c.line("---@class %s", name)
	for _, f := range fields {
		c.line("---@field %s", f)
	}
}

func (c *chunk) idsOf(group string) string {
	return c.name + "." + pascal(strings.TrimPrefix(group, "prop.")) + "Id"
}

func (c *chunk) groupType(group string) string {
	return c.name + "." + pascal(strings.TrimPrefix(group, "prop."))
}

func (c *chunk) players() {
	for _, who := range []struct {
		name, doc string
		sees      func(v value) bool
	}{
		{"Me", "This machine's own player. Until the first frame is in, everything is nil.", func(value) bool { return true }},
		{"Other", "What this machine is told of any player; nil of one who is in another scene, or out of sight.",
			func(v value) bool { return v.part != "self" }},
	} {
		of := func(group string, copies bool) []value {
			return c.s.having(func(v value) bool {
				return v.players && (len(v.copies) > 0) == copies && v.group == group && who.sees(v)
			})
		}
		name, fields := c.name+"."+who.name, []string{"id string"}
		if profile := of("profile", false); len(profile) > 0 {
			c.class(name+"Profile", "What a player has over all slots.", profile, 0)
			fields = append(fields, "profile "+name+"Profile")
		}
		for _, group := range c.s.groups() {
			if pairs := of(group, true); len(pairs) > 0 {
				class := name + pascal(strings.TrimPrefix(group, "prop."))
				c.class(class, "What a player has for each of "+c.n.group(group)+".", pairs, 0)
				fields = append(fields, fmt.Sprintf("%s table<%s, %s>", c.n.group(group), c.idsOf(group), class))
			}
		}
		c.class(name, who.doc, of("player", false), 0, fields...)
	}
}

func (c *chunk) holders() {
	c.class(c.name+".Game", "What the game has: one for everybody in the session.",
		c.s.having(func(v value) bool { return v.group == "game" }), 0)
	groups := c.s.groups()
	if !slices.Contains(groups, "scene") {
		groups = append([]string{"scene"}, groups...)
	}
	for _, group := range groups {
		var more []string
		if group == "scene" {
			more = append(more, "id "+c.name+".SceneId")
		}
		c.class(c.groupType(group), "What each of "+c.n.group(group)+" has, and what this machine's player has for each.",
			c.s.having(func(v value) bool { return v.group == group && len(v.copies) > 0 }), 0, more...)
	}
}

func (c *chunk) asking() {
	done := "done?: (fun(outcome: table))"
	c.line("")
	c.line("---What the player asks for. Each function gives a table that has an outcome when it is answered.")
	c.line("---@class %s.Ask", c.name)
	c.line("---@field move fun(self, at: number[], facing?: string, %s): table", done)
	c.line("---@field pass fun(self, passage: string, %s): table", done)
	c.line("---@field touch fun(self, checkpoint: string, %s): table", done)
	c.line("---@field write fun(self, name: string, value: any, of?: table<string, string>, %s): table", done)
	c.line("---@field start_over fun(self, %s): table", done)
	c.line("---@field leave fun(self, %s): table", done)
	for _, a := range c.s.asks {
		var args []string
		for _, x := range a.args {
			is := c.codeType(x.code)
			if x.of != "" {
				is = strings.Replace(is, "string", c.name+"."+pascal(x.of)+"Id", 1)
			}
			args = append(args, luaKey(x.id)+": "+is)
		}
		given := "args?: table"
		if len(args) > 0 {
			given = "args: {" + strings.Join(args, ", ") + "}"
		}
		c.line("---@field %s fun(self, %s, %s): table%s", c.n.event(a.id), given, done, strings.TrimRight(" "+strings.Join(a.doc, " "), " "))
	}
}
