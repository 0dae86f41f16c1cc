package plan

import (
	"reflect"
	"slices"
	"strconv"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
)

// Upgrades are what turns saves of each version into those of the next, by the version that they lead to.
type Upgrades []Upgrade

// Upgrade turns a save of an earlier version into one of this version: all of its steps read the old save and
// write the new one.
type Upgrade struct {
	Version int
	Steps   []UpgradeStep
	finding.At
}

// UpgradeStep does one thing with what saves hold: exactly one verb, with what goes with it. What it reads are the
// names of the version before, what it writes those of its own.
type UpgradeStep struct {
	Rename  Renames       `plan:"rename" with:"" doc:"Old names, each with its new one: player.heat: player.warmth. Also of scenes (scenes.gorge), kinds and props (props.cache, props.cache.at_cairn), checkpoints, waymarks, milestones, standings and movables (checkpoints.cairn)."`
	Convert Given[string] `plan:"convert" with:"to" doc:"Every value of this old name becomes what an expression says; old is the value. It keeps its name, unless a rename beside it gives it another."`
	Options Given[string] `plan:"options" with:"map,many?" doc:"Of this old choice, pick, list or set: options that are called something else now. Of a list of the plan (ware): everywhere, also in what is held for each option."`
	Split   Given[string] `plan:"split" with:"into" doc:"One old value becomes several."`
	Merge   Given[string] `plan:"merge" with:"from,to" doc:"Several old values become this new one."`
	Move    Given[string] `plan:"move" with:"into,many?" doc:"An old value goes to another holder: into another name."`
	Fill    Given[string] `plan:"fill" with:"to" doc:"What saves do not have, or have as none, becomes what an expression says, in place of its start."`
	Drop    Given[string] `plan:"drop" with:"why" doc:"An old name is given up. The attic keeps what saves hold of it, and only a restore brings it back."`
	Place   Ref           `plan:"place" with:"in?,to,by?,scale?" ref:"" doc:"Places in this old scene become places elsewhere: of players, waymarks, checkpoint records and movables."`
	Restore Given[string] `plan:"restore" with:"to?" doc:"What the attic holds under this old name comes back, under its name or, with to, as an expression over old says."`
	Check   Expr          `plan:"check" with:"why" doc:"What has to hold of a save after the upgrade."`

	To    Expr                    `plan:"to" doc:"Of convert, merge, fill, restore: an expression over old names. Of place: a scene, or a spot."`
	Map   Map[ID]                 `plan:"map" doc:"Of options: each old option with its new one."`
	Into  Into                    `plan:"into" doc:"Of split: a table of new names, each with an expression over old names. Of move: the new name."`
	From  []Given[string]         `plan:"from" doc:"Of merge: the old names that it uses up."`
	Many  Many                    `plan:"many" doc:"Where many have a value and one is to have it: max, min, sum or first, of move that of the first by id. Of options that become one: for all that is held for them, or by variable, {have: sum}; first where nothing is said."`
	In    Map[[]Given[fixed.Num]] `plan:"in" doc:"Of place: only what is in this box of the old scene: {y: [0, 24]}."`
	By    []Given[fixed.Num]      `plan:"by" doc:"Of place: what is added to the coordinates, one number for each axis."`
	Scale Given[fixed.Num]        `plan:"scale" min:"0.000001" max:"1000000" default:"1" doc:"Of place: what coordinates are multiplied with before."`
	Why   Given[string]           `plan:"why" doc:"Of drop: the reason. Of check: what is said of a save for which it does not hold."`

	// Verb is the one that was written.
	Verb string `plan:"-"`
	finding.At
}

func (s *UpgradeStep) complete(r *reader, n *node) {
	s.Verb = r.verb(n, reflect.TypeFor[UpgradeStep](), "An upgrade step")
	switch {
	case s.Verb == "split" && s.Into.Name.Given:
		r.wrong(n.key("into").value, "a table of new names, each with an expression")
	case s.Verb == "move" && s.Into.Table != nil:
		r.wrong(n.key("into").value, "one new name")
	case s.Verb == "move" && s.Many.Each.Entries != nil:
		r.wrong(n.key("many").value, "max, min, sum or first")
	case s.Verb == "options" && n.key("many") != nil && strings.Contains(s.Options.Value, "."):
		r.report("wrong-type", n.key("many").at,
			"many goes with the options of a list (options: ware): %s keeps one option, or each.",
			clip(s.Options.Value))
	}
}

// Many says which of many values counts, or that all are added up: for everything, or by variable.
type Many struct {
	Given[string]
	Each Map[Given[string]]
}

// manyWays are what can be made of many values.
var manyWays = []string{"max", "min", "sum", "first"}

func (m *Many) read(r *reader, n *node, f field) {
	one := field{name: "many", enum: manyWays}
	if n.form == formTable {
		m.Each.read(r, n, one)
		return
	}
	m.Given.read(r, n, one)
}

// Renames are old names with their new ones.
type Renames []NewName

// NewName is one of them.
type NewName struct{ From, To Given[string] }

func (x *Renames) read(r *reader, n *node, f field) {
	if n.form != formTable {
		r.wrong(n, "a table of old names and new ones: {player.heat: player.warmth}")
		return
	}
	for _, k := range n.keys {
		row := NewName{From: Given[string]{k.name, true, k.at}}
		r.read(k.value, reflect.ValueOf(&row.To).Elem(), field{name: "the new name"})
		*x = append(*x, row)
	}
}

// readRows reads a table whose keys are no ids: each entry becomes a row that has its key, and into what the value is read.
func readRows[T any](r *reader, n *node, into func(row *T, key Given[string]) any) []T {
	rows := make([]T, len(n.keys))
	for i, k := range n.keys {
		value := into(&rows[i], Given[string]{k.name, true, k.at})
		r.read(k.value, reflect.ValueOf(value).Elem(), field{name: k.name})
	}
	return rows
}

// Into is one new name, or several with an expression each.
type Into struct {
	Name  Given[string]
	Table []Becomes
	finding.At
}

// Becomes is a new name with the expression that says its value.
type Becomes struct {
	Name Given[string]
	To   Expr
}

func (x *Into) read(r *reader, n *node, f field) {
	x.At = n.At
	if n.form != formTable {
		r.read(n, reflect.ValueOf(&x.Name).Elem(), f)
		return
	}
	x.Table = readRows(r, n, func(row *Becomes, name Given[string]) any { row.Name = name; return &row.To })
}

func (u *Upgrades) read(r *reader, n *node, f field) {
	if n.form != formTable {
		r.wrong(n, "a table of versions, each with a list of steps")
		return
	}
	for _, k := range n.keys {
		version, err := strconv.Atoi(k.name)
		if err != nil || version < 2 {
			r.report("bad-value", k.at, "The version that an upgrade leads to is wanted here, 2 or later, not %q.",
				clip(k.name))
			continue
		}
		one := Upgrade{Version: version, At: k.at}
		r.read(k.value, reflect.ValueOf(&one.Steps).Elem(), field{name: k.name})
		*u = append(*u, one)
	}
	slices.SortStableFunc(*u, func(a, b Upgrade) int { return a.Version - b.Version })
}

// resolveUpgrades makes sure that no upgrade leads beyond the plan, and that names are written as names are.
func (p *Plan) resolveUpgrades(r *reader) {
	for _, u := range p.Upgrades {
		if p.Version.Given && u.Version > p.Version.Value {
			r.report("bad-value", u.At, "The plan has version %d: no upgrade can lead to %d yet.", p.Version.Value,
				u.Version)
		}
		for i := range u.Steps {
			s := &u.Steps[i]
			s.eachName(func(name Given[string], spaces []string) { r.savedName(name, spaces) })
			for _, row := range s.Rename {
				r.sameHolder(row.From, row.To, "a rename")
			}
			for _, row := range s.Into.Table {
				r.sameHolder(s.Split, row.Name, "a split")
			}
			for _, from := range s.From {
				r.sameHolder(from, s.Merge, "a merge")
			}
		}
	}
}

// eachName visits the names of saved things that a step says, with the spaces that they may be of.
func (s *UpgradeStep) eachName(visit func(name Given[string], spaces []string)) {
	for _, row := range s.Rename {
		visit(row.From, AllSpaces)
		visit(row.To, AllSpaces)
	}
	for _, name := range []Given[string]{s.Drop, s.Restore} {
		visit(name, AllSpaces)
	}
	for _, name := range append([]Given[string]{s.Convert, s.Options, s.Split, s.Merge, s.Move, s.Fill, s.Into.Name},
		s.From...) {
		visit(name, ValueSpaces)
	}
	for _, row := range s.Into.Table {
		visit(row.Name, ValueSpaces)
	}
}

// ValueSpaces are the spaces of names that have values: whose they are. AllSpaces are also those of what saves
// name besides.
var (
	ValueSpaces = []string{"player", "game", "scene", "prop", "profile"}
	AllSpaces   = append([]string{"scenes", "props", "checkpoints", "waymarks", "milestones", "standings", "movables",
		"crossings", "lists"},
		ValueSpaces...)
)

// savedName reports a name that is none of what saves hold.
func (r *reader) savedName(name Given[string], spaces []string) {
	if !name.Given {
		return
	}
	parts := strings.Split(name.Value, ".")
	near := finding.Word(parts[0], spaces)
	switch {
	case contains(spaces, parts[0]):
	case contains(r.lists, parts[0]) || near.Name == "" && len(parts) > 1: // a list, perhaps of an earlier version
		for _, part := range parts {
			r.checkID(part, name.At, IsID)
		}
		return
	default:
		r.report("unknown-name", name.At, "What saves hold is named %s, as in player.warmth; not %q.",
			lowerFirst(orList(spaces)), clip(name.Value)).Suggest(near)
		return
	}
	for _, part := range parts[1:] {
		r.checkID(part, name.At, IsID)
	}
	least, most := 2, 3
	switch parts[0] {
	case "prop":
		least, most = 3, 4
	case "props":
	default:
		if !contains(ValueSpaces, parts[0]) {
			most = 2
		}
	}
	if parts[0] == "player" { // of a commons: player.guild.seals
		most = 4
	}
	if len(parts) < least || len(parts) > most {
		form := parts[0] + ".name"
		if parts[0] == "prop" {
			form = "prop.kind.name"
		}
		r.report("bad-value", name.At, "%q is no name of what saves hold: it is written %s.", clip(name.Value), form)
	}
}

// Names are the names of saved things that a step says, old ones and new ones.
func (s *UpgradeStep) Names() []string {
	var out []string
	s.eachName(func(name Given[string], _ []string) {
		if name.Given {
			out = append(out, name.Value)
		}
	})
	return out
}

// Expressions are those of a step, in order.
func (s *UpgradeStep) Expressions() []Expr {
	var out []Expr
	if s.To.Given() && s.Verb != "place" {
		out = append(out, s.To)
	}
	for _, row := range s.Into.Table {
		out = append(out, row.To)
	}
	return out
}

// Renamed is what an old name is called after an upgrade: also where a group or a kind of props that it is part of
// was renamed.
func Renamed(name string, steps []UpgradeStep) string {
	for _, s := range steps {
		for _, row := range s.Rename {
			from, to := row.From.Value, row.To.Value
			if strings.HasPrefix(from, "props.") && strings.Count(from, ".") == 1 && strings.HasPrefix(name, "prop.") {
				from, to = "prop."+strings.TrimPrefix(from, "props."), "prop."+strings.TrimPrefix(to, "props.")
			}
			if rest, ok := strings.CutPrefix(name, from); ok && (rest == "" || rest[0] == '.') {
				return to + rest
			}
		}
	}
	return name
}

// sameHolder reports a step that would take a value to another holder without saying so.
func (r *reader) sameHolder(from, to Given[string], verb string) {
	a, _, _ := strings.Cut(from.Value, ".")
	b, _, _ := strings.Cut(to.Value, ".")
	if from.Given && to.Given && a != b {
		r.report("bad-value", to.At,
			"%s keeps the holder: %s cannot become %s like this. A step move takes a value to another holder.", finding.Upper(verb), from.Value, clip(to.Value))
	}
}
