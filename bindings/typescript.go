package bindings

import (
	_ "embed"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"alluvion.dev/core/model"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
)

//go:embed typescript/alluvion.ts
var typescriptRuntime []byte

//go:embed javascript/alluvion.js
var javascriptRuntime []byte

//go:embed javascript/alluvion.d.ts
var javascriptTypes []byte

func typescript(s *surface) ([]File, error) {
	n, err := s.called(scriptOwn)
	if err != nil {
		return nil, err
	}
	t := script{s: s, n: n}
	return []File{{"alluvion.ts", typescriptRuntime}, {s.m.Plan.Game.Name + ".ts", []byte(t.source())}}, nil
}

func javascript(s *surface) ([]File, error) {
	n, err := s.called(scriptOwn)
	if err != nil {
		return nil, err
	}
	t := script{s: s, n: n}
	code, declared := t.compiled()
	return []File{{"alluvion.js", javascriptRuntime}, {"alluvion.d.ts", javascriptTypes},
		{s.m.Plan.Game.Name + ".js", []byte(code)}, {s.m.Plan.Game.Name + ".d.ts", []byte(declared)}}, nil
}

// scriptOwn are the names that the runtime for TypeScript has.
var scriptOwn = own{
	machine: []string{"self", "players", "profile", "game", "scene", "scenes", "movables", "ask", "on", "state", "end",
		"fetch", "retryIn", "quiet", "tick", "time", "ticks", "grace", "session", "plan", "address", "protocols", "opened",
		"received", "lost", "learned", "outgoing", "advance", "renew", "value", "now", "placeAt", "view", "digest", "onTold",
		"onTrouble", "onState", "pending", "saved", "constructor", "then"},
	player: []string{"id", "profile", "constructor", "then"},
	ask:    []string{"move", "pass", "touch", "write", "startOver", "leave", "constructor", "then"},
	scenes: "scenes",
}

// typesOwn are the types that every generated file has, or takes from the runtime.
var typesOwn = []string{"Self", "Other", "Game", "Profile", "Values", "Ask", "Facing", "Machine", "Joining", "Outcome",
	"Place", "Player", "Players", "Plan", "Thing", "Watch", "Where"}

// scriptWidth is how wide a line in TypeScript may be before it is broken.
const scriptWidth = 120

var (
	asScript = dialect{width: scriptWidth, indent: 2, quote: single, key: scriptKey, object: [2]string{"{ ", " }"}, none: "{}",
		list: [2]string{"[", "]"}, colon: ": ", comma: ","}
	asType = dialect{width: scriptWidth, indent: 2, quote: single, key: func(name string) string { return "readonly " + scriptKey(name) },
		object: [2]string{"{ ", " }"}, none: "{}", list: [2]string{"readonly [", "]"}, colon: ": ", comma: ",", between: ";"}
)

var identifier = regexp.MustCompile(`^[A-Za-z_$][A-Za-z0-9_$]*$`)

func scriptKey(name string) string {
	if identifier.MatchString(name) {
		return name
	}
	return single(name)
}

// script writes TypeScript.
type script struct {
	s *surface
	n *naming
	b strings.Builder
}

// source is the generated file in TypeScript.
func (t *script) source() string {
	t.types()
	t.class(false)
	t.line("")
	t.line("/** What the plan says of the world: coordinates are in its unit. */")
	t.line("export const world = %s as const", asScript.literal(worldOf(t.s.m), 0))
	t.line("")
	t.line("const plan: Plan = %s", asScript.literal(t.s.plan(t.n, code("world.props")), 0))
	return t.head() + t.imports("./alluvion", true) + t.b.String()
}

// compiled is the same as a module in JavaScript, and its types.
func (t *script) compiled() (js, declared string) {
	t.line("import { Machine } from './alluvion.js'")
	t.line("")
	t.line("/** %s */", t.about())
	t.line("export class %s extends Machine {", t.name())
	t.line("  constructor(joining) {")
	t.line("    super(plan, joining)")
	t.line("  }")
	t.line("}")
	t.line("")
	t.line("/** What the plan says of the world: coordinates are in its unit. */")
	t.line("export const world = %s", asScript.literal(worldOf(t.s.m), 0))
	t.line("")
	t.line("const plan = %s", asScript.literal(t.s.plan(t.n, code("world.props")), 0))
	js = t.head() + t.b.String()
	t.b.Reset()
	t.types()
	t.class(true)
	t.line("")
	t.line("/** What the plan says of the world: coordinates are in its unit. */")
	t.line("export declare const world: %s", asType.literal(worldOf(t.s.m), 0))
	return js, t.head() + t.imports("./alluvion.js", false) + t.b.String()
}

// imports takes from the runtime what the rest of the file names.
func (t *script) imports(from string, plan bool) string {
	text := t.b.String()
	names := []string{"Machine"}
	for _, name := range []string{"Joining", "Outcome", "Place", "Player", "Players", "Plan", "Thing", "Watch", "Where"} {
		used := regexp.MustCompile(`[^A-Za-z0-9_'.]` + name + `[^A-Za-z0-9_':]`)
		if name == "Plan" && plan || name != "Plan" && used.MatchString(text) {
			names = append(names, "type "+name)
		}
	}
	one := "import { " + strings.Join(names, ", ") + " } from '" + from + "'\n\n"
	if len(one) <= scriptWidth {
		return one
	}
	return "import {\n  " + strings.Join(names, ", ") + ",\n} from '" + from + "'\n\n"
}

func (t *script) line(format string, args ...any) {
	fmt.Fprintf(&t.b, format+"\n", args...)
}

func (t *script) head() string {
	return fmt.Sprintf("// %s, version %d, for games in TypeScript and JavaScript.\n", t.s.title, t.s.m.Plan.Version.Value) +
		"// Made from the plan by alluvion bindings: write it anew when the plan changes, and do not edit it.\n\n"
}

func (t *script) name() string {
	name := pascal(t.s.m.Plan.Game.Name)
	if slices.Contains(typesOwn, name) {
		name += "_"
	}
	return name
}

func (t *script) about() string {
	return fmt.Sprintf("A machine that follows a session of %s.", t.s.title)
}

// types writes the types of the plan's names.
func (t *script) types() {
	if facings := t.s.m.Facings; len(facings) > 0 {
		t.line("/** Which way a player faces. */")
		t.line("export type Facing = %s", union(facings))
	} else {
		t.line("export type Facing = never")
	}
	for _, g := range t.s.ids {
		t.line("")
		t.line("/** %s */", g.doc)
		t.line("export type %s =%s", t.idType(g.name), broken(union(g.ids), "export type "+t.idType(g.name)+" = "))
	}
	t.players()
	t.holders()
	t.valuesByName()
	t.asking()
}

func (t *script) idType(name string) string { return pascal(name) + "Id" }

func union(ids []string) string {
	var out []string
	for _, id := range ids {
		out = append(out, single(id))
	}
	return strings.Join(out, " | ")
}

// broken breaks a union that is too long for its line.
func broken(union, before string) string {
	if len(before)+len(union) <= scriptWidth {
		return " " + union
	}
	var b strings.Builder
	line := " "
	for _, one := range strings.Split(union, " | ") {
		if len(line)+len(one)+3 > scriptWidth {
			b.WriteString("\n " + line)
			line = " "
		}
		line += "| " + one + " "
	}
	return strings.TrimRight(b.String()+"\n "+line, " ")
}

// typeOf is the type of a value.
func (t *script) typeOf(v value) string {
	switch v.form {
	case share.FormPlace:
		return "Place"
	case share.FormSpot:
		return "Place | null"
	case share.FormThing:
		return "Thing"
	case share.FormWatch:
		return "Watch"
	}
	return t.codeType(v.code)
}

func (t *script) codeType(c *types.Code) string {
	var out string
	switch c.Kind {
	case "number":
		out = "number"
	case "truth":
		out = "boolean"
	case "option":
		out = t.optionType(c.Options)
	case "list":
		item := t.codeType(c.Item)
		if strings.Contains(item, "|") {
			item = "(" + item + ")"
		}
		out = "readonly " + item + "[]"
	default:
		out = "string"
	}
	if c.Optional {
		out += " | null"
	}
	return out
}

// optionType is the type of a choice: that of the ids that it is one of, where there is one.
func (t *script) optionType(options []string) string {
	if g := t.s.idGroup(options); g != nil {
		return t.idType(g.name)
	}
	if len(options) == 0 {
		return "never"
	}
	return union(options)
}

// field writes one member of an interface.
func (t *script) field(indent, name string, doc []string, is string) {
	if len(doc) > 0 {
		t.line("%s/** %s */", indent, strings.Join(doc, " "))
	}
	t.line("%sreadonly %s: %s", indent, scriptKey(name), is)
}

// members writes values by their path: player.dress.hood is hood in dress. Where known is false, they may be undefined.
func (t *script) members(indent string, values []value, depth int, sure func(v value) bool) {
	for _, l := range levels(values, depth) {
		if v := l.is; v != nil {
			is := t.typeOf(*v)
			if !sure(*v) {
				is += " | undefined"
			}
			t.field(indent, t.n.value(*v), v.doc, is)
			continue
		}
		t.line("%sreadonly %s: {", indent, scriptKey(l.name))
		t.members(indent+"  ", l.inside, depth+1, sure)
		t.line("%s}", indent)
	}
}

// idsOf is the type of the ids of a group's copies.
func (t *script) idsOf(group string) string {
	if group == "scene" {
		return t.idType("scene")
	}
	return t.idType(strings.TrimPrefix(group, "prop."))
}

// players writes what this machine's own player has, and what it is told of others.
func (t *script) players() {
	for _, who := range []struct {
		name, doc string
		sees      func(v value) bool
		sure      func(v value) bool
	}{
		{"Self", "This machine's own player. Until the first frame is in, everything is undefined.",
			func(value) bool { return true }, func(value) bool { return true }},
		{"Other", "What this machine is told of any player. What is undefined belongs to a player who is in another scene, or out of sight.",
			func(v value) bool { return v.part != "self" }, func(v value) bool { return v.part == "everyone" }},
	} {
		t.line("")
		t.line("/** %s */", who.doc)
		t.line("export interface %s extends Player {", who.name)
		of := func(group string) []value {
			return t.s.having(func(v value) bool {
				return v.players && len(v.copies) == 0 && v.group == group && who.sees(v)
			})
		}
		t.members("  ", of("player"), 0, who.sure)
		if profile := of("profile"); len(profile) > 0 {
			t.line("  readonly profile: {")
			t.members("    ", profile, 0, who.sure)
			t.line("  }")
		}
		for _, group := range t.s.groups() {
			pairs := t.s.having(func(v value) bool { return v.players && v.group == group && len(v.copies) > 0 && who.sees(v) })
			if len(pairs) == 0 {
				continue
			}
			t.line("  readonly %s: { readonly [id in %s]: {", scriptKey(t.n.group(group)), t.idsOf(group))
			t.members("    ", pairs, 0, who.sure)
			t.line("  } }")
		}
		t.line("}")
	}
}

// groupType is what a copy of a group is called as a type.
func (t *script) groupType(group string) string {
	name := pascal(strings.TrimPrefix(group, "prop."))
	if slices.Contains(typesOwn, name) || name == t.name() {
		name += "_"
	}
	return name
}

// holders writes what the game, scenes, props and options have.
func (t *script) holders() {
	t.line("")
	t.line("/** What the game has: one for everybody in the session. */")
	t.line("export interface Game {")
	t.members("  ", t.s.having(func(v value) bool { return v.group == "game" }), 0, func(value) bool { return true })
	t.line("}")
	for _, group := range t.s.groups() {
		doc := "What each option of " + group + " has, and what this machine's player has for each."
		if kind, isProp := strings.CutPrefix(group, "prop."); isProp {
			doc = "What each " + kind + " has, and what this machine's player has for each. Of those in other scenes, what is theirs is undefined."
		} else if group == "scene" {
			doc = "What each scene has, and what this machine's player has for each. Of other scenes, what is theirs is undefined."
		}
		t.line("")
		t.line("/** %s */", doc)
		t.line("export interface %s {", t.groupType(group))
		if group == "scene" {
			t.line("  readonly id: %s", t.idType("scene"))
		}
		t.members("  ", t.s.having(func(v value) bool { return v.group == group && len(v.copies) > 0 }), 0,
			func(v value) bool { return v.players || v.part != "scene" })
		t.line("}")
	}
	if !slices.Contains(t.s.groups(), "scene") {
		t.line("")
		t.line("/** Scenes have nothing in this plan but their names. */")
		t.line("export interface Scene {")
		t.line("  readonly id: %s", t.idType("scene"))
		t.line("}")
	}
}

// valuesByName writes the type of every value by its name in the plan.
func (t *script) valuesByName() {
	t.line("")
	t.line("/** Every value by its name in the plan, as on() takes it. */")
	t.line("export interface Values {")
	for _, v := range t.s.values {
		t.line("  %s: %s", single(v.name), t.typeOf(v))
	}
	t.line("}")
}

// asking writes what players ask for.
func (t *script) asking() {
	m := t.s.m
	t.line("")
	t.line("/** What the player asks for. Each is answered with what became of it. */")
	t.line("export interface Ask {")
	axes := strings.TrimSuffix(strings.Repeat("number, ", len(m.Axes)), ", ")
	t.line("  /** Says where the player is now. Of several that were not sent yet, only the newest is. */")
	t.line("  move(at: readonly [%s], facing?: Facing): Promise<Outcome>", axes)
	if len(m.Passages) > 0 {
		t.line("  /** Goes through a passage, from the spot where it begins. */")
		t.line("  pass(passage: %s): Promise<Outcome>", t.idType("passage"))
	}
	touched := t.s.touched()
	if len(touched) > 0 {
		t.line("  /** Touches a checkpoint, at its spot. */")
		t.line("  touch(checkpoint: %s): Promise<Outcome>", t.optionType(touched))
	}
	for _, v := range t.s.writes {
		of := ""
		if len(v.copies) > 0 {
			of = ", of: { readonly " + argOf(v.group) + ": " + t.idsOf(v.group) + " }"
		}
		t.line("  /** %s */", strings.Join(append([]string{"Writes " + v.name + "."}, v.doc...), " "))
		t.line("  write(name: %s, value: %s%s): Promise<Outcome>", single(v.name), t.typeOf(v), of)
	}
	t.line("  /** Begins a new run. */")
	t.line("  startOver(): Promise<Outcome>")
	t.line("  /** Ends the visit. */")
	t.line("  leave(): Promise<Outcome>")
	for _, a := range t.s.asks {
		if len(a.doc) > 0 {
			t.line("  /** %s */", strings.Join(a.doc, " "))
		}
		t.line("  %s(%s): Promise<Outcome>", scriptKey(t.n.event(a.id)), t.arguments(a))
	}
	t.line("}")
}

// argOf is what says which copy is written.
func argOf(group string) string {
	switch {
	case group == "scene":
		return "scene"
	case strings.HasPrefix(group, "prop."):
		return "prop"
	}
	return "option"
}

func (t *script) arguments(a ask) string {
	if len(a.args) == 0 {
		return ""
	}
	var out []string
	optional := true
	for _, x := range a.args {
		mark := ""
		if x.optional {
			mark = "?"
		}
		optional = optional && x.optional
		doc := ""
		if len(x.doc) > 0 {
			doc = "/** " + strings.Join(x.doc, " ") + " */ "
		}
		is := t.codeType(x.code)
		if x.of != "" {
			is = strings.Replace(is, "string", t.idType(x.of), 1)
		}
		out = append(out, doc+"readonly "+scriptKey(x.id)+mark+": "+is)
	}
	mark := ""
	if optional {
		mark = "?"
	}
	return "args" + mark + ": { " + strings.Join(out, "; ") + " }"
}

// class writes the machine.
func (t *script) class(declared bool) {
	m := t.s.m
	t.line("")
	t.line("/** %s */", t.about())
	prefix, member := "export class", "declare readonly"
	if declared {
		prefix, member = "export declare class", "readonly"
	}
	t.line("%s %s extends Machine {", prefix, t.name())
	t.line("  %s self: Self", member)
	t.line("  /** Everybody in the session, this machine's player among them. */")
	t.line("  %s players: Players<Other>", member)
	if t.s.m.Profile != nil && slices.ContainsFunc(t.s.values, func(v value) bool { return v.group == "profile" }) {
		t.line("  %s profile: Self['profile']", member)
	}
	t.line("  %s game: Game", member)
	t.line("  /** The scene that this machine's player is in. */")
	t.line("  %s scene: %s | undefined", member, t.groupType("scene"))
	if !slices.Contains(t.s.groups(), "scene") {
		t.line("  %s scenes: { readonly [id in %s]: %s }", member, t.idType("scene"), t.groupType("scene"))
	}
	for _, group := range t.s.groups() {
		t.line("  %s %s: { readonly [id in %s]: %s }", member, scriptKey(t.n.group(group)), t.idsOf(group), t.groupType(group))
	}
	if len(m.Movables) > 0 {
		t.line("  %s movables: { readonly [id in %s]: Thing | undefined }", member, t.idType("movable"))
	}
	t.line("  %s ask: Ask", member)
	t.line("  /** Calls back when a value changes, whosever it is. What is not known any more is undefined. It gives a function that ends this. */")
	t.line("  %s on: <Name extends keyof Values>(", member)
	t.line("    name: Name,")
	t.line("    call: (value: Values[Name] | undefined, old: Values[Name] | undefined, where: Where) => void,")
	t.line("  ) => () => void")
	t.line("")
	joining := t.joining()
	if declared {
		t.line("  constructor(joining: %s)", joining)
	} else {
		t.line("  constructor(joining: %s) {", joining)
		t.line("    super(plan, joining)")
		t.line("  }")
	}
	t.line("}")
}

// joining is how a player comes in: with picks where the plan has rosters.
func (t *script) joining() string {
	var picks []string
	for _, v := range t.s.m.Holders[model.OfPlayer].Stored {
		if v.Type.Kind == types.Pick {
			picks = append(picks, "readonly "+scriptKey(v.ID)+"?: "+t.optionType(types.CodeOf(&v.Domain).Options))
		}
	}
	if len(picks) == 0 {
		return "Joining"
	}
	return "Joining & { picks?: { " + strings.Join(picks, "; ") + " } }"
}
