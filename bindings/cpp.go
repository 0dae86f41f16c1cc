package bindings

import (
	_ "embed"
	"fmt"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"

	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
)

//go:embed cpp/alluvion.hpp
var cppHeader []byte

//go:embed cpp/alluvion.cpp
var cppSource []byte

// cppOwn are the names that the runtime for C++ has, and the language's keywords (C++17 to C++23).
var cppOwn = own{
	machine: []string{"self", "other", "game", "scenes", "movables", "ask", "address", "protocols", "opened", "received", "lost",
		"learned", "outgoing", "advance", "renew", "state", "end_code", "end", "fetch", "retry_in", "quiet", "tick", "time",
		"ticks", "grace", "session", "player", "pending", "value", "players", "present", "scene", "place_of", "now",
		"place_at", "view", "digest", "on", "on_told", "on_trouble", "on_state", "off", "saved", "move", "pass", "touch",
		"write", "event", "start_over", "leave", "world", "plan"},
	player: []string{"id", "m"},
	ask:    []string{"move", "pass", "touch", "write", "start_over", "leave", "m"},
	keywords: strings.Fields(`alignas alignof and and_eq asm auto bitand bitor bool break case catch char char8_t char16_t char32_t
		class compl concept const consteval constexpr constinit const_cast continue co_await co_return co_yield decltype default
		delete do double dynamic_cast else enum explicit export extern false float for friend goto if inline int long mutable
		namespace new noexcept not not_eq nullptr operator or or_eq private protected public register reinterpret_cast requires
		return short signed sizeof static static_assert static_cast struct switch template this thread_local throw true try
		typedef typeid typename union unsigned using virtual void volatile wchar_t while xor xor_eq`),
	scenes: "scenes",
}

func cpp(s *surface) ([]File, error) {
	n, err := s.called(cppOwn)
	if err != nil {
		return nil, err
	}
	h := header{s: s, n: n, name: pascal(s.m.Plan.Game.Name), seen: map[string]string{}}
	text := h.source()
	if h.clash != nil {
		return nil, h.clash
	}
	return []File{{"alluvion.hpp", cppHeader}, {"alluvion.cpp", cppSource}, {snake(s.m.Plan.Game.Name) + ".hpp", []byte(text)}}, nil
}

// header writes C++.
type header struct {
	s     *surface
	n     *naming
	name  string
	b     strings.Builder
	seen  map[string]string
	clash error
}

func (h *header) line(format string, args ...any) { fmt.Fprintf(&h.b, format+"\n", args...) }

// raw is a text in raw strings that no compiler finds too long.
func raw(text string) string {
	var b strings.Builder
	for len(text) > 0 {
		n := min(len(text), 4000)
		for n < len(text) && text[n]&0xC0 == 0x80 { // not within a letter
			n--
		}
		fmt.Fprintf(&b, "\n      R\"json(%s)json\"", text[:n])
		text = text[n:]
	}
	return b.String()
}

func (h *header) source() string {
	h.line("// %s, version %d, for games in C++17. Made from the plan by alluvion bindings: write it anew when the plan changes, and do not", h.s.title, h.s.m.Plan.Version.Value)
	h.line("// edit it.")
	h.line("#pragma once\n")
	h.line("#include \"alluvion.hpp\"\n")
	h.line("namespace %s {", snake(h.s.m.Plan.Game.Name))
	for _, g := range h.s.ids {
		h.line("\n// %s", g.doc)
		h.line("namespace %s_id {", g.name)
		for _, id := range g.ids {
			h.line("inline constexpr const char *%s = %s;", h.n.free(id, nil), double(id))
		}
		h.line("}  // namespace %s_id", g.name)
	}
	layout, err := json.Marshal(h.s.layout, json.Deterministic(true))
	if err != nil {
		panic(err) // plain data
	}
	h.line("\n// What the runtime reads of the plan.")
	h.line("inline const alluvion::Plan &plan() {")
	h.line("  static const alluvion::Plan is{%d,%s,\n      {", Runtime, raw(string(layout)))
	for _, k := range h.s.m.Kinds {
		for _, p := range k.Props {
			h.line("          {{%s, %s}, %s},", double(k.ID), double(p.ID), double(p.Scene.ID))
		}
	}
	h.line("      }};\n  return is;\n}")
	h.line("\n// What the plan says of the world: coordinates are in its unit.")
	h.line("inline const alluvion::Value &world() {")
	h.line("  static const alluvion::Value is = [] {\n    alluvion::Value v;\n    alluvion::parse(%s,\n        v);\n    return v;\n  }();\n  return is;\n}", raw(asJSON.onOneLine(worldOf(h.s.m))))
	h.line("\n// A machine that follows a session of %s.", h.s.title)
	h.line("class %s : public alluvion::Machine {", h.name)
	h.line(" public:")
	h.line("  explicit %s(alluvion::Joining joining) : alluvion::Machine(plan(), std::move(joining)) {}", h.name)
	h.players()
	h.holders()
	h.asks()
	h.line("};")
	h.line("\n}  // namespace %s", snake(h.s.m.Plan.Game.Name))
	return h.b.String()
}

var asJSON = dialect{quote: double, key: double, object: [2]string{"{", "}"}, none: "{}", list: [2]string{"[", "]"}, colon: ":", comma: ","}

// typeOf is what a value is in C++, and by which function of the runtime it is read.
func (h *header) typeOf(v value) (is, read string, optional bool) {
	switch v.form {
	case share.FormPlace:
		return "alluvion::Place", "place", false
	case share.FormSpot:
		return "alluvion::Place", "place", true
	case share.FormThing:
		return "alluvion::Thing", "thing", false
	case share.FormWatch:
		return "alluvion::Watch", "watch", false
	}
	is, read = cppType(v.code)
	return is, read, v.code.Optional
}

func cppType(c *types.Code) (is, read string) {
	switch c.Kind {
	case "number":
		if _, whole := c.Step.Int(); whole {
			return "std::int64_t", "whole"
		}
		return "double", "number"
	case "truth":
		return "bool", "truth"
	case "list":
		is, read = cppType(c.Item)
		return "std::vector<" + is + ">", read + "s"
	}
	return "std::string", "text"
}

// getter writes a function that reads a value. name is the path with _ between.
func (h *header) getter(class string, v value, copy, player string, sure bool) {
	parts := slices.Clone(v.path)
	parts[len(parts)-1] = h.n.value(v)
	name := h.n.free(strings.Join(parts, "_"), nil)
	if v.group == "profile" {
		name = "profile_" + name
	}
	key := class + "." + name
	if other, has := h.seen[key]; has && h.clash == nil {
		h.clash = fmt.Errorf("%s and %s are both called %s by a game: give one of them another name", other, v.name, name)
	}
	h.seen[key] = v.name
	is, read, optional := h.typeOf(v)
	if len(v.doc) > 0 {
		h.line("    // %s", strings.Join(v.doc, " "))
	}
	args := double(v.name)
	if copy != "" || player != "" {
		args += ", " + map[bool]string{true: "{}", false: copy}[copy == ""]
	}
	if player != "" {
		args += ", " + player
	}
	if sure && !optional {
		h.line("    %s %s() const { return alluvion::read::%s(m->value(%s)); }", is, name, read, args)
		return
	}
	h.line("    std::optional<%s> %s() const {", is, name)
	h.line("      const alluvion::Value *v = m->value(%s);", args)
	h.line("      return v && v->kind != alluvion::Value::Kind::none ? std::optional<%s>(alluvion::read::%s(v)) : std::nullopt;", is, read)
	h.line("    }")
}

// pairs are what a player has of a group's copies.
func (h *header) pairs(class string, sees, sure func(v value) bool) {
	for _, group := range h.s.groups() {
		values := h.s.having(func(v value) bool { return v.players && v.group == group && len(v.copies) > 0 && sees(v) })
		if len(values) == 0 {
			continue
		}
		name := h.n.group(group)
		inner := pascal(strings.TrimPrefix(group, "prop."))
		h.line("    // What they have for each of %s.", name)
		h.line("    struct %sOf {", inner)
		h.line("      const %s *m;\n      std::string id, copy;", h.name)
		for _, v := range values {
			h.getter(class+inner, v, "copy", "id", sure(v))
		}
		h.line("    };")
		h.line("    %sOf %s(std::string copy) const { return {m, id, std::move(copy)}; }", inner, name)
	}
}

func (h *header) players() {
	always := func(value) bool { return true }
	for _, who := range []struct {
		name, doc  string
		sees, sure func(v value) bool
	}{
		{"Self", "This machine's own player. Until the first frame is in, everything is 0 or empty.", always, always},
		{"Other", "What this machine is told of any player; nothing of one who is in another scene, or out of sight.",
			func(v value) bool { return v.part != "self" }, func(v value) bool { return v.part == "everyone" }},
	} {
		h.line("\n  // %s", who.doc)
		h.line("  struct %s {", who.name)
		h.line("    const %s *m;\n    std::string id;", h.name)
		for _, v := range h.s.having(func(v value) bool { return v.players && len(v.copies) == 0 && who.sees(v) }) {
			h.getter(who.name, v, "", "id", who.sure(v))
		}
		h.pairs(who.name, who.sees, who.sure)
		h.line("  };")
	}
	h.line("  Self self() const { return {this, player()}; }")
	h.line("  Other other(std::string id) const { return {this, std::move(id)}; }")
}

func (h *header) holders() {
	h.line("\n  // What the game has: one for everybody in the session.")
	h.line("  struct Game {\n    const %s *m;", h.name)
	for _, v := range h.s.having(func(v value) bool { return v.group == "game" }) {
		h.getter("Game", v, "", "", true)
	}
	h.line("  };")
	h.line("  Game game() const { return {this}; }")
	for _, group := range h.s.groups() {
		class := pascal(strings.TrimPrefix(group, "prop.")) + "State"
		h.line("\n  // What each of %s has, and what this machine's player has for each.", h.n.group(group))
		h.line("  struct %s {\n    const %s *m;\n    std::string id;", class, h.name)
		for _, v := range h.s.having(func(v value) bool { return v.group == group && len(v.copies) > 0 }) {
			h.getter(class, v, "id", "", v.players || v.part != "scene")
		}
		h.line("  };")
		h.line("  %s %s(std::string id) const { return {this, std::move(id)}; }", class, h.n.group(group))
	}
	if len(h.s.m.Movables) > 0 {
		h.line("\n  // Who holds each movable, or where it stands.")
		h.line("  alluvion::Thing movables(std::string_view id) const { return alluvion::read::thing(value(\"movables\", id)); }")
	}
}

func (h *header) asks() {
	h.line("\n  // What the player asks for by events. done is called with what became of it.")
	h.line("  struct Asks {\n    %s *m;", h.name)
	for _, a := range h.s.asks {
		var params, sets []string
		for _, x := range a.args {
			is, _ := cppType(x.code)
			if is == "std::string" {
				is = "std::string_view"
			}
			name := h.n.free(x.id, []string{"done", "args", "m"})
			set := fmt.Sprintf("args.set(%s, %s);", double(x.id), name)
			switch {
			case x.code.Kind == "list":
				inner, _ := cppType(x.code.Item)
				is = "const std::vector<" + inner + "> &"
				set = fmt.Sprintf("{ alluvion::Value items = alluvion::Value::list(); for (const auto &x : %s) items.items.emplace_back(x); args.set(%s, std::move(items)); }", name, double(x.id))
			case x.optional:
				is = "std::optional<" + is + ">"
				set = fmt.Sprintf("if (%s) args.set(%s, *%s);", name, double(x.id), name)
			}
			params = append(params, is+" "+name)
			sets = append(sets, set)
		}
		if len(a.doc) > 0 {
			h.line("    // %s", strings.Join(a.doc, " "))
		}
		params = append(params, "alluvion::Done done = {}")
		h.line("    void %s(%s) const {", h.n.event(a.id), strings.Join(params, ", "))
		h.line("      alluvion::Value args = alluvion::Value::object();")
		for _, set := range sets {
			h.line("      %s", set)
		}
		h.line("      m->event(%s, std::move(args), std::move(done));\n    }", double(a.id))
	}
	h.line("  };")
	h.line("  Asks ask() { return {this}; }")
}
