package bindings

import (
	"fmt"
	"go/format"
	"go/token"
	"reflect"
	"strconv"
	"strings"
	"unicode"

	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
	"alluvion.dev/machine"
)

// goPackage is the name of a game's package: its id without what stands between words.
func goPackage(game string) string { return strings.NewReplacer("-", "", "_", "").Replace(game) }

func golang(s *surface) ([]File, error) {
	g := &goFile{s: s, taken: map[string]string{}}
	text, err := g.source()
	if err != nil {
		return nil, err
	}
	formatted, err := format.Source([]byte(text))
	if err != nil {
		return nil, fmt.Errorf("what is written for Go is no Go: %w", err)
	}
	return []File{{strings.ReplaceAll(s.m.Plan.Game.Name, "-", "_") + ".go", formatted}}, nil
}

// goFile writes Go.
type goFile struct {
	s     *surface
	b     strings.Builder
	taken map[string]string // by what is written of the plan's names: the name in the plan
}

func (g *goFile) line(text string, args ...any) { fmt.Fprintf(&g.b, text+"\n", args...) }

// name takes a name for something of the plan. It is an error where something else has it.
func (g *goFile) name(of, name, from string) (string, error) {
	if !unicode.IsUpper([]rune(name)[0]) { // of an id that begins with no letter
		name = "X" + name
	}
	if strings.HasPrefix(g.taken[of+"."+name], "what every") {
		name += "_"
	}
	if other, has := g.taken[of+"."+name]; has {
		return "", fmt.Errorf("%s and %s are both called %s by a game in Go: give one of them another name", other, from, name)
	}
	g.taken[of+"."+name] = from
	return name, nil
}

func (g *goFile) source() (string, error) {
	game := g.s.m.Plan.Game.Name
	g.line("// Package %s is %s, version %d, for games, servers and tools in Go.", goPackage(game), g.s.title, g.s.m.Plan.Version.Value)
	g.line("//\n// Made from the plan by alluvion bindings: write it anew when the plan changes, and do not edit it.")
	g.line("package %s\n", goPackage(game))
	layout, err := share.WriteLayout(g.s.layout)
	if err != nil {
		return "", err
	}
	g.line("import \"alluvion.dev/machine\"\n")
	g.line("// The game, and the version of its plan that this was made from.\nconst (\nGame = %q\nVersion = %d\n)", game, g.s.m.Plan.Version.Value)
	g.line("\n// plan is what machines are sent, and how, and in which scene each prop is.\nvar plan = machine.Plan{\nLayout: %s,\nProps: %s,\n}", goText(string(layout)), g.props())
	g.b.WriteString(goMachine)
	for _, own := range []string{"Game", "Version", "Machine", "New", "Player", "Asks"} {
		g.taken["."+own] = "what every file has"
	}
	g.taken["Player.ID"] = "what every player has"
	for _, own := range []string{"Me", "Who", "Everybody", "Ask"} {
		g.taken["Machine."+own] = "what every machine has"
	}
	for _, own := range []string{"Pass", "Touch"} {
		g.taken["Asks."+own] = "what every player asks for"
	}
	for i := range machineType.NumMethod() {
		g.taken["Machine."+machineType.Method(i).Name] = "what every machine has"
	}
	for _, x := range g.s.ids {
		if err := g.group(x); err != nil {
			return "", err
		}
	}
	for _, v := range g.s.values {
		if err := g.value(v); err != nil {
			return "", err
		}
	}
	for _, x := range g.s.ids {
		switch x.name {
		case "passage":
			g.line("\n// Pass goes through a passage.\nfunc (a Asks) Pass(passage PassageID) *machine.Asked { return a.m.Pass(string(passage)) }")
		case "checkpoint":
			g.line("\n// Touch touches a checkpoint.\nfunc (a Asks) Touch(checkpoint CheckpointID) *machine.Asked { return a.m.Touch(string(checkpoint)) }")
		}
	}
	for _, a := range g.s.asks {
		if err := g.ask(a); err != nil {
			return "", err
		}
	}
	for _, v := range g.s.writes {
		if err := g.write(v); err != nil {
			return "", err
		}
	}
	return g.b.String(), nil
}

// machineType has methods that a plan's own names may not hide.
var machineType = reflect.TypeFor[*machine.Machine]()

// goText is a text as Go has it: as it stands, where that can be.
func goText(s string) string {
	if strings.ContainsAny(s, "`\r\ufeff") {
		return strconv.Quote(s)
	}
	return "`" + s + "`"
}

// props is in which scene each prop is, by kind.
func (g *goFile) props() string {
	var b strings.Builder
	b.WriteString("map[string]map[string]string{\n")
	for _, k := range g.s.m.Kinds {
		fmt.Fprintf(&b, "%q: {", k.ID)
		for i, p := range k.Props {
			if i > 0 {
				b.WriteString(", ")
			}
			fmt.Fprintf(&b, "%q: %q", p.ID, p.Scene.ID)
		}
		b.WriteString("},\n")
	}
	return b.String() + "}"
}

// goMachine is what every file has.
const goMachine = `
// Machine follows a session of the game for one player, and asks for what the player does. Whatever machine.Machine can, it can:
// it opens no connection, starts no goroutine and reads no clock.
type Machine struct{ *machine.Machine }

// New makes a machine. client.Session.Play plays with its Machine, or your own loop does.
func New(j machine.Joining) *Machine { return &Machine{machine.New(plan, j)} }

// Me is the machine's own player.
func (m *Machine) Me() Player { return m.Who(m.Player()) }

// Who is somebody in the session, by id.
func (m *Machine) Who(id string) Player { return Player{m.Machine, id} }

// Everybody are all of whom the machine was told, its own player too.
func (m *Machine) Everybody() []Player {
	var out []Player
	for _, id := range m.Others() {
		out = append(out, m.Who(id))
	}
	return out
}

// Ask is what the machine's player can ask for, besides moving, starting over and leaving, which every machine can by itself.
func (m *Machine) Ask() Asks { return Asks{m.Machine} }

// Player is what a machine was told of a player. Each of its values has an ok, which is false where the value is none, and
// where the machine is not told of it: of somebody in another scene, or out of sight.
type Player struct {
	m  *machine.Machine
	ID string
}

// Asks are what a machine's player can ask for.
type Asks struct{ m *machine.Machine }
`

// group writes the ids of something, as a type with its values.
func (g *goFile) group(x idGroup) error {
	kind, err := g.name("", pascal(x.name)+"ID", x.from)
	if err != nil {
		return err
	}
	g.line("\n// %s is one of what %s has.\ntype %s string\n", kind, x.from, kind)
	g.line("// The values of %s.\nconst (", kind)
	for _, id := range x.ids {
		name, err := g.name("", pascal(x.name)+pascal(id), x.from+"."+id)
		if err != nil {
			return err
		}
		g.line("%s %s = %q", name, kind, id)
	}
	g.line(")")
	return nil
}

func (g *goFile) idsOf(group string) string {
	if group == "movables" {
		return "MovableID"
	}
	return pascal(strings.TrimPrefix(group, "prop.")) + "ID"
}

// value writes how one value is read.
func (g *goFile) value(v value) error {
	name := pascal(strings.Join(v.path, "."))
	if v.group != "player" {
		name = pascal(strings.TrimPrefix(v.group, "prop.")) + name
	}
	owner, of, params, machine, copy, player := "Machine", "(m *Machine)", "", "m.Machine", `""`, `""`
	if v.group == "movables" {
		name = "Movable"
	}
	if len(v.copies) > 0 {
		copy, params = "string(of)", "of "+g.idsOf(v.group)
	}
	if v.players {
		owner, of, machine, player = "Player", "(p Player)", "p.m", "p.ID"
	}
	name, err := g.name(owner, name, v.name)
	if err != nil {
		return err
	}
	doc := strings.Join(append([]string{name + " is " + v.name + "."}, v.doc...), " ")
	g.line("\n// %s\nfunc %s %s(%s) (is %s, ok bool) {\nreturn machine.Get[%s](%s, %q, %s, %s)\n}", doc, of, name, params, g.typeOf(v),
		g.typeOf(v), machine, v.name, copy, player)
	return nil
}

// typeOf is the type of a value; none is told by its ok.
func (g *goFile) typeOf(v value) string {
	switch v.form {
	case share.FormPlace, share.FormSpot, share.FormThing:
		return "machine.Place"
	case share.FormWatch:
		return "machine.Watch"
	}
	return g.codeType(v.code)
}

func (g *goFile) codeType(c *types.Code) string {
	switch c.Kind {
	case "number":
		if _, whole := c.Step.Int(); whole {
			return "int64"
		}
		return "float64"
	case "truth":
		return "bool"
	case "list":
		return "[]" + g.codeType(c.Item)
	case "option":
		if x := g.s.idGroup(c.Options); x != nil {
			return pascal(x.name) + "ID"
		}
	}
	return "string"
}

// ask writes an event as a function.
func (g *goFile) ask(a ask) error {
	name, err := g.name("Asks", pascal(a.id), "the event "+a.id)
	if err != nil {
		return err
	}
	var params, given []string
	for _, x := range a.args {
		is := g.codeType(x.code)
		if x.of != "" {
			is = strings.Replace(is, "string", pascal(x.of)+"ID", 1)
		}
		if x.optional {
			is = "*" + is
		}
		arg := x.id
		if token.IsKeyword(arg) || arg == "a" || arg == "machine" || arg == "any" || arg == "string" {
			arg += "_"
		}
		params = append(params, arg+" "+is)
		given = append(given, fmt.Sprintf("%q: %s", x.id, arg))
	}
	doc := strings.Join(append([]string{name + " sends the event " + a.id + "."}, a.doc...), " ")
	g.line("\n// %s\nfunc (a Asks) %s(%s) *machine.Asked {\nreturn a.m.Send(%q, machine.Args(map[string]any{%s}))\n}", doc, name,
		strings.Join(params, ", "), a.id, strings.Join(given, ", "))
	return nil
}

// write writes what the player sets by themselves. What they have for each of something is written by machine.Machine.Write.
func (g *goFile) write(v value) error {
	if len(v.copies) > 0 {
		return nil
	}
	name, err := g.name("Asks", "Write"+pascal(strings.Join(v.path, ".")), "writing "+v.name)
	if err != nil {
		return err
	}
	is := "is " + g.codeType(v.code)
	if v.code.Optional {
		is = "is *" + g.codeType(v.code)
	}
	g.line("\n// %s writes %s.\nfunc (a Asks) %s(%s) *machine.Asked {\nreturn a.m.Write(%q, machine.ValueOf(is), nil)\n}", name, v.name, name, is, v.name)
	return nil
}
