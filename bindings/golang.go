package bindings

import (
	"fmt"
	"go/format"
	"go/token"
	"strings"
	"unicode"

	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
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
	g.line("import (\n\"context\"\n\"encoding/json\"\n\"errors\"\n\n\"alluvion.dev/client\"\n\"alluvion.dev/core/types\"\n\"alluvion.dev/core/wire\"\n)\n")
	g.line("// The game, and the version of its plan that this was made from.\nconst (\nGame = %q\nVersion = %d\n)", game, g.s.m.Plan.Version.Value)
	g.b.WriteString(goMachine)
	for _, own := range []string{"Game", "Version", "Machine", "Join", "Player", "Asks", "Place", "Watch"} {
		g.taken["."+own] = "what every file has"
	}
	g.taken["Player.ID"] = "what every player has"
	for _, own := range []string{"Me", "Player", "Players", "Ask"} {
		g.taken["Machine."+own] = "what every machine has"
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

// goMachine is what every file has.
const goMachine = `
// Machine follows a session for one player, and asks for what the player does. Whatever client.Machine can, it can.
type Machine struct {
	*client.Machine
	player string
}

// Join connects a player's machine to a session of the game.
func Join(ctx context.Context, s *client.Session, j client.Joining) (*Machine, error) {
	m, err := s.Join(ctx, j)
	if err != nil {
		return nil, err
	}
	return &Machine{m, j.Player}, nil
}

// Me is the machine's own player.
func (m *Machine) Me() Player { return Player{m, m.player} }

// Player is somebody in the session, by id.
func (m *Machine) Player(id string) Player { return Player{m, id} }

// Players are all of whom the machine was told, its own player too.
func (m *Machine) Players() []Player {
	var out []Player
	for _, id := range m.Others() {
		out = append(out, Player{m, id})
	}
	return out
}

// Ask is what the machine's player can ask for. What is refused is a *client.Refused.
func (m *Machine) Ask() Asks { return Asks{m} }

// Player is what a machine was told of a player. Each of its values has an ok, which is false where the value is none, and
// where the machine is not told of it: of somebody in another scene, or out of sight.
type Player struct {
	m  *Machine
	ID string
}

// Asks are what a machine's player can ask for.
type Asks struct{ m *Machine }

// Place is where something is: coordinates in the plan's unit, and the session's time in seconds at which it was there. Of
// what somebody carries there is only the holder.
type Place struct {
	Holder  string    ` + "`json:\"holder\"`" + `
	Scene   string    ` + "`json:\"scene\"`" + `
	At      []float64 ` + "`json:\"at\"`" + `
	Facing  string    ` + "`json:\"facing\"`" + `
	Time    float64   ` + "`json:\"time\"`" + `
	Arrival int       ` + "`json:\"arrival\"`" + `
}

// Watch is a stopwatch: what it reads in seconds, or since when it runs, in the session's time.
type Watch struct {
	Reads float64
	Runs  bool
	Since float64
}

// UnmarshalJSON reads a number, or {"since": second}.
func (w *Watch) UnmarshalJSON(raw []byte) error {
	*w = Watch{}
	if json.Unmarshal(raw, &w.Reads) == nil {
		return nil
	}
	var running struct{ Since *float64 }
	if err := json.Unmarshal(raw, &running); err != nil || running.Since == nil {
		return errors.New("this is no stopwatch")
	}
	w.Runs, w.Since = true, *running.Since
	return nil
}

// get is the value under an address, as the machine believes it.
func get[T any](m *Machine, address string) (is T, ok bool) {
	raw, known := m.JSON(address)
	if !known || raw == "null" || json.Unmarshal([]byte(raw), &is) != nil {
		var none T
		return none, false
	}
	return is, true
}

func valueOf(is any) (out types.Value, err error) {
	raw, err := json.Marshal(is)
	if err == nil {
		err = out.UnmarshalJSON(raw)
	}
	return out, err
}

// event sends an event, and waits for what comes of it. Arguments that are nil are left out.
func (a Asks) event(ctx context.Context, name string, args map[string]any) error {
	out := map[string]types.Value{}
	for id, is := range args {
		v, err := valueOf(is)
		if err != nil {
			return err
		}
		if !v.IsNone() {
			out[id] = v
		}
	}
	return a.m.Do(ctx, wire.Ask{Is: "event", Name: name, Args: out})
}

func (a Asks) write(ctx context.Context, name string, is any) error {
	v, err := valueOf(is)
	if err != nil {
		return err
	}
	return a.m.Do(ctx, wire.Ask{Is: "write", Name: name, Value: &v})
}
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
	owner, of, at, params, machine := "Machine", "(m *Machine)", v.name, "", "m"
	if v.group == "movables" {
		name = "Movable"
	}
	if len(v.copies) > 0 {
		at += `[" + string(of) + "]`
		params = "of " + g.idsOf(v.group)
	}
	if at = `"` + at + `"`; v.players {
		owner, of, machine = "Player", "(p Player)", "p.m"
		at = strings.TrimSuffix(at, `"`) + `@" + p.ID`
	}
	name, err := g.name(owner, name, v.name)
	if err != nil {
		return err
	}
	doc := strings.Join(append([]string{name + " is " + v.name + "."}, v.doc...), " ")
	g.line("\n// %s\nfunc %s %s(%s) (is %s, ok bool) {\nreturn get[%s](%s, %s)\n}", doc, of, name, params, g.typeOf(v),
		g.typeOf(v), machine, at)
	return nil
}

// typeOf is the type of a value; none is told by its ok.
func (g *goFile) typeOf(v value) string {
	switch v.form {
	case share.FormPlace, share.FormSpot, share.FormThing:
		return "Place"
	case share.FormWatch:
		return "Watch"
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
	params, given := "ctx context.Context", []string{}
	for _, x := range a.args {
		is := g.codeType(x.code)
		if x.of != "" {
			is = strings.Replace(is, "string", pascal(x.of)+"ID", 1)
		}
		if x.optional {
			is = "*" + is
		}
		arg := x.id
		if token.IsKeyword(arg) || arg == "a" || arg == "ctx" || arg == "map" || arg == "any" || arg == "string" {
			arg += "_"
		}
		params += ", " + arg + " " + is
		given = append(given, fmt.Sprintf("%q: %s", x.id, arg))
	}
	doc := strings.Join(append([]string{name + " sends the event " + a.id + "."}, a.doc...), " ")
	g.line("\n// %s\nfunc (a Asks) %s(%s) error {\nreturn a.event(ctx, %q, map[string]any{%s})\n}", doc, name, params, a.id,
		strings.Join(given, ", "))
	return nil
}

// write writes what the player sets by themselves. What they have for each of something is written by client.Machine.Do.
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
	g.line("\n// %s writes %s.\nfunc (a Asks) %s(ctx context.Context, %s) error { return a.write(ctx, %q, is) }", name, v.name, name, is, v.name)
	return nil
}
