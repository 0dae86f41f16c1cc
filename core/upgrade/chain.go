package upgrade

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// Chain takes saves of every earlier version of a plan to its own: one upgrade after the other, and then to the
// plan's variables. It may be used by many at once.
type Chain struct {
	Formulas
	m      *model.Model
	stages []*stage
}

// New makes the chain of a plan.
func New(m *model.Model) *Chain {
	c := &Chain{m: m}
	for i := range m.Plan.Upgrades {
		if u := &m.Plan.Upgrades[i]; u.Version <= m.Plan.Version.Value {
			c.stages = append(c.stages, c.stage(u))
		}
	}
	return c
}

// Around is what there is besides the save that is upgraded: what moves from one holder to another comes from there.
type Around struct {
	// World is the world of the session that the player joins; nil where there is none.
	World func() (*save.LooseWorld, error)
	// Players visits the newest saves of all players, by player and slot; nil where there are none.
	Players func(visit func(*save.Loose) error) error
	// Profile is what the player has over all slots, under the plan; nil where there is nothing.
	Profile *save.Profile
	// Shared is what the player has of commons, by the names that the plan has for it (player.guild.seals).
	Shared func(name string) (types.Value, bool)
}

// Loaded is a player's save under a plan.
type Loaded struct {
	Player   *save.Player
	From     int            // the version that it was written under
	Problems []save.Problem // what of it the plan does not take as it is, in the order of the pointers
	Moved    []Moved        // what goes to commons
	Over     []Moved        // what goes to the player's profile
}

// Moved is a value that an upgrade takes to a commons.
type Moved struct {
	Var   *model.Var
	Value types.Value
}

// WithOver is what a player has over all slots with what an upgrade of a slot has moved there.
func WithOver(m *model.Model, p *save.Profile, player string, over []Moved) *save.Profile {
	if len(over) == 0 {
		return p
	}
	if p == nil {
		p = &save.Profile{Game: m.Plan.Game.Name, Version: m.Plan.Version.Value, Player: player}
	}
	if p.Values == nil {
		p.Values = save.Values{}
	}
	for _, x := range over {
		p.Values[x.Var.ID] = x.Value
	}
	return p
}

// LoadedWorld is a world's save under a plan.
type LoadedWorld struct {
	World    *save.World
	From     int
	Problems []save.Problem
}

// Upgraded says whether a save was upgraded from an earlier version.
func (l *Loaded) Upgraded() bool { return l.From < l.Player.Version }

// Upgraded says whether a save was upgraded from an earlier version.
func (l *LoadedWorld) Upgraded() bool { return l.From < l.World.Version }

// Player takes the bytes of a player's save to the plan. An error, which is save.ErrFormat, ErrGame or ErrVersion,
// means that it cannot be loaded at all; what the plan says of lesser things is in the problems, and
// save.Outcome says what it comes to.
func (c *Chain) Player(raw []byte, around Around) (*Loaded, error) {
	l, err := save.OpenPlayer(raw)
	if err != nil {
		return nil, err
	}
	return c.Open(l, around)
}

// Open is Player for a save that was read already.
func (c *Chain) Open(l *save.Loose, around Around) (*Loaded, error) {
	out := &Loaded{From: l.Version}
	l.Since = l.Version
	if l.Game == c.m.Plan.Game.Name && l.Version >= 1 {
		if err := c.raise(l, c.m.Plan.Version.Value, &around, out); err != nil {
			return nil, err
		}
	}
	p, problems, err := l.Fit(c.m)
	if err != nil {
		return nil, err
	}
	p.Version = c.m.Plan.Version.Value
	if p.World != nil {
		p.World.Version = p.Version
	}
	out.Player = p
	out.Problems = inOrder(append(out.Problems, problems...))
	return out, nil
}

// raise takes a save up to a version, and tells in out what went wrong on the way.
func (c *Chain) raise(l *save.Loose, to int, around *Around, out *Loaded) error {
	for _, s := range c.stages {
		if s.version > l.Version && s.version <= to {
			if err := s.player(l, around, out); err != nil {
				return err
			}
		}
	}
	return nil
}

// Profile takes the bytes of what a player has over all slots to the plan, as Player does a save's.
func (c *Chain) Profile(raw []byte) (*save.Profile, []save.Problem, error) {
	l, err := save.OpenProfile(raw)
	if err != nil {
		return nil, nil, err
	}
	out := &Loaded{From: l.Version}
	l.Since = l.Version
	if l.Game == c.m.Plan.Game.Name && l.Version >= 1 {
		for _, s := range c.stages {
			if s.version > l.Version {
				s.profile(l, out)
			}
		}
	}
	p, problems, err := l.Fit(c.m)
	if err != nil {
		return nil, nil, err
	}
	p.Version = c.m.Plan.Version.Value
	return p, inOrder(append(out.Problems, problems...)), nil
}

// World takes the bytes of a world's save to the plan, as Player does a player's.
func (c *Chain) World(raw []byte, around Around) (*LoadedWorld, error) {
	w, err := save.OpenWorld(raw)
	if err != nil {
		return nil, err
	}
	out := &Loaded{From: w.Version}
	w.Since = w.Version
	if w.Game == c.m.Plan.Game.Name && w.Version >= 1 {
		if err := c.raiseWorld(w, c.m.Plan.Version.Value, &around, out); err != nil {
			return nil, err
		}
	}
	world, problems, err := w.Fit(c.m)
	if err != nil {
		return nil, err
	}
	world.Version = c.m.Plan.Version.Value
	return &LoadedWorld{World: world, From: out.From, Problems: inOrder(append(out.Problems, problems...))}, nil
}

func (c *Chain) raiseWorld(w *save.LooseWorld, to int, around *Around, out *Loaded) error {
	for _, s := range c.stages {
		if s.version > w.Version && s.version <= to {
			if err := s.world(w, around, out); err != nil {
				return err
			}
		}
	}
	return nil
}

func inOrder(list []save.Problem) []save.Problem {
	slices.SortStableFunc(list, func(a, b save.Problem) int { return strings.Compare(a.Pointer, b.Pointer) })
	return list
}

// Judge adds to a loaded save what it breaks of what always holds, and of the checks of its upgrade. world is the
// world that the player comes into; where it is nil, what reads the world is not asked.
func (c *Chain) Judge(l *Loaded, j *engine.Judge) {
	for _, b := range j.Player(l.Player, l.Upgraded()) {
		name := "always"
		if b.Check {
			name = "check"
		}
		l.Problems = append(l.Problems, save.Impossible(c.m, "", name,
			fmt.Sprintf("%s (line %d of the plan)", b.Text, b.Line)))
	}
}

// stage is one upgrade, sorted by what it touches.
type stage struct {
	chain   *Chain
	version int
	steps   []plan.UpgradeStep
	ops     map[string][]*op             // by space: player, game, scene, prop.kind, or the list
	names   map[string]map[string]string // by space: scenes, props, checkpoints, …
	drops   map[string]map[string]string // by space and name: why
	places  []*plan.UpgradeStep

	lists map[string]*listSteps

	fromPlayers, fromWorld []*op // moves into what this holder has
	restores               map[string][]*plan.UpgradeStep
}

// op is what one step does with the values of one holder.
type op struct {
	step *plan.UpgradeStep
	from string // the old id, without its space; "" where it only writes
	to   string // the new id
	why  string // of what is given up
}

// space takes a name apart into whose it is and its id: prop.cache.taken is of prop.cache.
func space(name string) (string, string) {
	first, rest, _ := strings.Cut(name, ".")
	if first == "prop" {
		kind, id, _ := strings.Cut(rest, ".")
		return "prop." + kind, id
	}
	return first, rest
}

func (c *Chain) stage(u *plan.Upgrade) *stage {
	s := &stage{chain: c, version: u.Version, steps: u.Steps, ops: map[string][]*op{},
		names: map[string]map[string]string{}, drops: map[string]map[string]string{}, restores: map[string][]*plan.UpgradeStep{}, lists: map[string]*listSteps{}}
	for i := range u.Steps {
		s.add(&u.Steps[i])
	}
	return s
}

func (s *stage) add(x *plan.UpgradeStep) {
	values := func(name string) bool {
		first, _ := space(name)
		return slices.Contains(plan.ValueSpaces, first) || !slices.Contains(plan.AllSpaces, first)
	}
	file := func(name string, o op) {
		where, id := space(name)
		o.step, o.from = x, id
		s.ops[where] = append(s.ops[where], &o)
	}
	put := func(table map[string]map[string]string, name, what string) {
		where, id, _ := strings.Cut(name, ".")
		if table[where] == nil {
			table[where] = map[string]string{}
		}
		table[where][id] = what
	}
	if x.Verb == "options" || x.Verb == "drop" || x.Verb == "restore" {
		s.addOptions(x)
		if x.Verb == "options" && !strings.Contains(x.Options.Value, ".") {
			return
		}
	}
	switch x.Verb {
	case "rename":
		for _, row := range x.Rename {
			if values(row.From.Value) {
				_, to := space(row.To.Value)
				file(row.From.Value, op{to: to})
				continue
			}
			_, to, _ := strings.Cut(row.To.Value, ".")
			put(s.names, row.From.Value, to)
		}
	case "convert", "options":
		name := x.Convert.Value + x.Options.Value
		_, to := space(plan.Renamed(name, s.steps))
		file(name, op{to: to})
	case "split":
		file(x.Split.Value, op{})
	case "merge":
		_, to := space(x.Merge.Value)
		where, _ := space(x.Merge.Value)
		s.ops[where] = append(s.ops[where], &op{step: x, to: to})
	case "fill":
		where, to := space(x.Fill.Value)
		s.ops[where] = append(s.ops[where], &op{step: x, to: to})
	case "drop":
		if values(x.Drop.Value) {
			file(x.Drop.Value, op{why: x.Why.Value})
		} else {
			put(s.drops, x.Drop.Value, x.Why.Value)
		}
	case "move":
		s.addMove(x)
	case "place":
		s.places = append(s.places, x)
	case "restore":
		if values(x.Restore.Value) {
			where, id := space(x.Restore.Value)
			s.ops[where] = append(s.ops[where], &op{step: x, to: id})
		} else {
			where, _, _ := strings.Cut(x.Restore.Value, ".")
			s.restores[where] = append(s.restores[where], x)
		}
	}
}

// addMove files a move at both ends: where the value is given up, and where it arrives.
func (s *stage) addMove(x *plan.UpgradeStep) {
	from, id := space(x.Move.Value)
	to, into := space(x.Into.Name.Value)
	s.ops[from] = append(s.ops[from], &op{step: x, from: id, why: "it went to " + x.Into.Name.Value})
	arrives := &op{step: x, from: id, to: into}
	switch {
	case from == "player" && to == "game":
		s.fromPlayers = append(s.fromPlayers, arrives)
	case to == "player" && from != "player" || to == "game":
		s.fromWorld = append(s.fromWorld, arrives)
	}
}

// renamed gives what something that holds no values is called now.
func (s *stage) renamed(space, id string) string {
	if to, ok := s.names[space][id]; ok {
		return to
	}
	return id
}

// renamedKeys renames the keys of a table.
func renamedKeys[V any](s *stage, space string, table map[string]V) map[string]V {
	if len(s.names[space]) == 0 || table == nil {
		return table
	}
	out := make(map[string]V, len(table))
	for id, v := range table {
		if _, moved := s.names[space][id]; !moved {
			out[id] = v
		}
	}
	for id, v := range table {
		if to, moved := s.names[space][id]; moved {
			out[to] = v
		}
	}
	return out
}

// sortedKeys are a table's keys in order.
func sortedKeys[V any](table map[string]V) []string { return slices.Sorted(maps.Keys(table)) }
