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

//go:embed csharp/Alluvion.cs
var csharpRuntime []byte

// csharpMachine are the names that a machine has in C#; names of plans are written as the language does (MaxWarmth), so that
// its keywords, which have no capital letters, matter for arguments only.
var csharpMachine = strings.Fields(`Runtime State End EndCode Fetch RetryIn Quiet Tick Time Ticks Grace Session Player Pending OnTold OnTrouble
	OnState Address Protocols Opened Received Lost Learned Outgoing Advance Renew Get Here Present Players Now PlaceAt View Digest On Saved
	Move Pass Touch Write Event StartOver Leave Me Other Game Movable Ask World Plan Equals GetHashCode GetType ToString MemberwiseClone
	MePlayer OtherPlayer WholeGame Asks ReferenceEquals Finalize`)

var csharpObject = strings.Fields("Id M Equals GetHashCode GetType ToString MemberwiseClone ReferenceEquals Finalize")

var csharpKeywords = strings.Fields(`abstract as base bool break byte case catch char checked class const continue decimal default delegate do
	double else enum event explicit extern false finally fixed float for foreach goto if implicit in int interface internal is lock long
	namespace new null object operator out override params private protected public readonly ref return sbyte sealed short sizeof
	stackalloc static string struct switch this throw true try typeof uint ulong unchecked unsafe ushort using virtual void volatile while done`)

func csharp(s *surface) ([]File, error) {
	c := sharp{s: s, name: pascal(s.m.Plan.Game.Name), seen: map[string]string{}}
	if slices.Contains(csharpMachine, c.name) {
		c.name += "_"
	}
	text := c.source()
	if c.clash != nil {
		return nil, c.clash
	}
	return []File{{"Alluvion.cs", csharpRuntime}, {c.name + ".cs", []byte(text)}}, nil
}

// sharp writes C#.
type sharp struct {
	s     *surface
	name  string
	b     strings.Builder
	seen  map[string]string
	clash error
}

func (c *sharp) line(format string, args ...any) { fmt.Fprintf(&c.b, format+"\n", args...) }

// member is what something of the plan is called in a class: one name for each.
func (c *sharp) member(class, name, of string, taken []string) string {
	if slices.Contains(taken, name) {
		name += "_"
	}
	key := class + "." + name
	if other, has := c.seen[key]; has && other != of && c.clash == nil {
		c.clash = fmt.Errorf("%s and %s are both called %s by a game: give one of them another name", other, of, name)
	}
	c.seen[key] = of
	return name
}

// verbatim is a text as C# writes it over several lines.
func verbatim(text string) string { return `@"` + strings.ReplaceAll(text, `"`, `""`) + `"` }

func (c *sharp) doc(indent string, lines []string) {
	if len(lines) > 0 {
		text := strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;").Replace(strings.Join(lines, " "))
		c.line("%s/// <summary>%s</summary>", indent, text)
	}
}

func (c *sharp) source() string {
	c.line("// %s, version %d, for games in C#. Made from the plan by alluvion bindings: write it anew when the plan changes, and do not edit it.", c.s.title, c.s.m.Plan.Version.Value)
	c.line("using System;\nusing System.Collections.Generic;\n")
	c.line("namespace Alluvion.Plans\n{")
	c.doc("    ", []string{"A machine that follows a session of " + c.s.title + "."})
	c.line("    public sealed class %s : Machine\n    {", c.name)
	for _, g := range c.s.ids {
		class := c.member("", pascal(g.name)+"Id", g.from, csharpMachine)
		c.doc("        ", []string{g.doc})
		c.line("        public static class %s\n        {", class)
		for _, id := range g.ids {
			c.line("            public const string %s = %s;", c.member(class, pascal(id), id, append(slices.Clone(csharpObject), class)), double(id))
		}
		c.line("        }\n")
	}
	c.line("        /// <summary>What the player asks for by events.</summary>")
	c.line("        public readonly Asks Ask;\n")
	c.line("        public %s(Joining joining) : base(Plan, joining) { Ask = new Asks(this); }\n", c.name)
	c.players()
	c.holders()
	c.asks()
	layout, err := json.Marshal(c.s.layout, json.Deterministic(true))
	if err != nil {
		panic(err) // plain data
	}
	c.line("\n        /// <summary>What the plan says of the world, as JSON: coordinates are in its unit.</summary>")
	c.line("        public static readonly Value World = Json.Parse(%s);", verbatim(asJSON.onOneLine(worldOf(c.s.m))))
	c.line("\n        static readonly Plan Plan = new Plan\n        {")
	c.line("            Runtime = %d,", Runtime)
	c.line("            Layout = %s,", verbatim(string(layout)))
	c.line("            Props = new Dictionary<string, string>\n            {")
	for _, k := range c.s.m.Kinds {
		for _, p := range k.Props {
			c.line("                { %s, %s },", double(k.ID+"/"+p.ID), double(p.Scene.ID))
		}
	}
	c.line("            },\n        };\n    }\n}")
	return c.b.String()
}

// csharpType is what a value is, by which function it is read, and by which where it may be none.
func csharpType(v value) (is, read, maybe, maybeRead string) {
	switch v.form {
	case share.FormPlace, share.FormSpot:
		return "Place", "Place", "Place", "Place"
	case share.FormThing:
		return "Thing", "Thing", "Thing", "Thing"
	case share.FormWatch:
		return "Watch", "Watch", "Watch", "Watch"
	}
	is, read = csharpCode(v.code)
	if v.code.Kind == "number" || v.code.Kind == "truth" {
		return is, read, is + "?", "Maybe" + read
	}
	return is, read, is, read
}

func csharpCode(code *types.Code) (is, read string) {
	switch code.Kind {
	case "number":
		if _, whole := code.Step.Int(); whole {
			return "long", "Whole"
		}
		return "double", "Number"
	case "truth":
		return "bool", "Truth"
	case "list":
		is, read = csharpCode(code.Item)
		return is + "[]", read + "s"
	}
	return "string", "Text"
}

// property reads a value. The path is one name: player.dress.hood is DressHood.
func (c *sharp) property(class string, v value, copy, player string, sure bool) {
	name := pascal(strings.Join(v.path, "_"))
	if v.group == "profile" {
		name = "Profile" + name
	}
	name = c.member(class, name, v.name, append(slices.Clone(csharpObject), class))
	is, read, maybe, maybeRead := csharpType(v)
	if !sure || v.code != nil && v.code.Optional {
		is, read = maybe, maybeRead
	}
	args := double(v.name)
	if copy != "" || player != "" {
		args += ", " + map[bool]string{true: "null", false: copy}[copy == ""]
	}
	if player != "" {
		args += ", " + player
	}
	c.doc("            ", v.doc)
	c.line("            public %s %s { get { return Read.%s(m.Get(%s)); } }", is, name, read, args)
}

// view begins a struct that reads of a machine; ids are what it is of.
func (c *sharp) view(class, doc string, ids ...string) {
	c.doc("        ", []string{doc})
	c.line("        public struct %s\n        {", class)
	c.line("            internal readonly %s m;", c.name)
	params, sets := c.name+" m", "this.m = m;"
	for _, id := range ids {
		if id == "Id" {
			c.line("            public readonly string Id;")
		} else {
			c.line("            readonly string %s;", id)
		}
		lower := strings.ToLower(id[:1]) + id[1:]
		params += ", string " + lower
		sets += fmt.Sprintf(" %s = %s;", map[bool]string{true: "Id", false: "this." + id}[id == "Id"], lower)
	}
	c.line("            internal %s(%s) { %s }", class, params, sets)
}

func (c *sharp) players() {
	always := func(value) bool { return true }
	for _, who := range []struct {
		name, doc  string
		sees, sure func(v value) bool
	}{
		{"MePlayer", "This machine's own player. Until the first frame is in, everything is 0 or null.", always, always},
		{"OtherPlayer", "What this machine is told of any player; null of one who is in another scene, or out of sight.",
			func(v value) bool { return v.part != "self" }, func(v value) bool { return v.part == "everyone" }},
	} {
		pairs := map[string]string{}
		for _, group := range c.s.groups() {
			values := c.s.having(func(v value) bool { return v.players && v.group == group && len(v.copies) > 0 && who.sees(v) })
			if len(values) == 0 {
				continue
			}
			class := c.member("", strings.TrimSuffix(who.name, "Player")+pascal(strings.TrimPrefix(group, "prop."))+"State", who.name+" "+group, csharpMachine)
			pairs[group] = class
			c.view(class, "What a player has for one of "+group+".", "Id", "player")
			for _, v := range values {
				c.property(class, v, "Id", "player", who.sure(v))
			}
			c.line("        }\n")
		}
		c.view(who.name, who.doc, "Id")
		for _, v := range c.s.having(func(v value) bool { return v.players && len(v.copies) == 0 && who.sees(v) }) {
			c.property(who.name, v, "", "Id", who.sure(v))
		}
		for _, group := range c.s.groups() {
			if class := pairs[group]; class != "" {
				name := c.member(who.name, c.group(group), group, csharpObject)
				c.line("            public %s %s(string id) { return new %s(m, id, Id); }", class, name, class)
			}
		}
		c.line("        }\n")
	}
	c.line("        public MePlayer Me { get { return new MePlayer(this, Player); } }")
	c.line("        public OtherPlayer Other(string id) { return new OtherPlayer(this, id); }\n")
}

func (c *sharp) group(group string) string {
	if group == "scene" {
		return "Scenes"
	}
	return pascal(strings.TrimPrefix(group, "prop."))
}

func (c *sharp) holders() {
	c.view("WholeGame", "What the game has: one for everybody in the session.")
	for _, v := range c.s.having(func(v value) bool { return v.group == "game" }) {
		c.property("WholeGame", v, "", "", true)
	}
	c.line("        }\n")
	c.line("        public WholeGame Game { get { return new WholeGame(this); } }\n")
	for _, group := range c.s.groups() {
		class := c.member("", pascal(strings.TrimPrefix(group, "prop."))+"State", group, csharpMachine)
		c.view(class, "What one of "+group+" has, and what this machine's player has for it.", "Id")
		for _, v := range c.s.having(func(v value) bool { return v.group == group && len(v.copies) > 0 }) {
			c.property(class, v, "Id", "", v.players || v.part != "scene")
		}
		c.line("        }\n")
		c.line("        public %s %s(string id) { return new %s(this, id); }\n", class, c.member("", c.group(group), "group "+group, csharpMachine), class)
	}
	if len(c.s.m.Movables) > 0 {
		c.line("        /// <summary>Who holds a movable, or where it stands.</summary>")
		c.line("        public Thing Movable(string id) { return Read.Thing(Get(\"movables\", id)); }\n")
	}
}

func (c *sharp) asks() {
	c.line("        /// <summary>What the player asks for by events. done is called with what became of it.</summary>")
	c.line("        public sealed class Asks\n        {")
	c.line("            readonly %s m;", c.name)
	c.line("            internal Asks(%s m) { this.m = m; }", c.name)
	for _, a := range c.s.asks {
		var params, optional []string
		sets := "Value.Object()"
		body := ""
		for _, x := range a.args {
			is, _ := csharpCode(x.code)
			name := x.id
			if slices.Contains(csharpKeywords, name) {
				name = "@" + name
			}
			value := name
			switch {
			case strings.HasSuffix(is, "[]"):
				body += fmt.Sprintf(" var list_%s = Value.List(); foreach (var x in %s) list_%s.Add(x);", x.id, name, x.id)
				value = "list_" + x.id
			case x.optional && (is == "long" || is == "double" || is == "bool"):
				is += "?"
				value = fmt.Sprintf("%s.HasValue ? (Value)%s.Value : Value.None", name, name)
			}
			if x.optional {
				optional = append(optional, is+" "+name+" = null")
			} else {
				params = append(params, is+" "+name)
			}
			sets += fmt.Sprintf(".Set(%s, %s)", double(x.id), value)
		}
		params = append(append(params, optional...), "Action<Outcome> done = null")
		c.doc("            ", a.doc)
		c.line("            public void %s(%s) {%s m.Event(%s, %s, done); }", c.member("Asks", pascal(a.id), a.id, append(slices.Clone(csharpObject), "Asks")), strings.Join(params, ", "), body, double(a.id), sets)
	}
	c.line("        }")
}
