package scout

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// point is a place in a scene.
type point = [model.MaxAxes]fixed.Num

// move is one thing that a player, the game's server or time can do. It includes the walk to the place where it is done.
type move struct {
	do     string // join (how a run begins), walk, face, pass, touch, event, write, commons (another game writes), die, start-over, again (leave and come back), leave (and stay away), back, restart, crash, save (wait until the plan saves), wait, day (a date comes)
	player string // whom it is about; "" for nobody
	scene  int    // the player has to be in it; -1 where it does not matter
	walks  bool   // walks to at first
	at     point
	near   *model.Movable // walks to this object first
	name   string
	args   map[string]types.Value
	value  types.Value
	of     string // of write: which copy
	server bool
	wait   int64   // of wait: how long, in milliseconds; 0 until something is due
	alive  bool    // only for the living
	aside  bool    // it changes nothing that counts: tried only for what may go wrong in it
	way    outward // whether it counts as a way out of a dead end
}

// outward says whether a move counts as a way out of a dead end. A lost visit and a kill by the game do not count, since
// players do not choose them.
type outward uint8

const (
	wayOut outward = iota
	noWay
	byStartingOver // only for goals that say so
)

// moves makes up all moves of a plan.
type moves struct {
	m        *model.Model
	s        *slice
	d        domains
	lens     *engine.Lens
	options  Options
	players  []string
	all      []move
	calendar bool     // days pass
	fates    bool     // it is noted which fates show
	unsaved  bool     // the plan does not save on leaving, so that what was saved before matters
	stays    bool     // players stay away while others play on
	returns  returns  // with what they come back
	sampled  []string // what is tried with some of its values only, and counts
}

func (o Options) names() []string {
	var out []string
	for i := range max(1, o.Players) {
		out = append(out, fmt.Sprintf("p%d", i+1))
	}
	return out
}

func movesOf(m *model.Model, s *slice, o Options) *moves {
	x := &moves{m: m, s: s, lens: s.lens(), options: o, players: o.names()}
	x.alike()
	x.calendar = slices.ContainsFunc(m.OwnCrossings, func(c *model.OwnCrossing) bool { return c.Calendar != nil })
	x.d = domains{m: m, players: x.players, numbers: written(programsOf(m))}
	x.joins() // the first of all moves
	for _, p := range x.players {
		x.walks(p)
		x.passages(p)
		x.checkpoints(p)
	}
	x.events()
	x.writes()
	x.elsewhere()
	for _, p := range x.players {
		x.visits(p)
	}
	x.waits()
	x.endings()
	return x
}

func (x *moves) add(m move) { x.all = append(x.all, m) }

// mostJoins is how many ways to join are tried.
const mostJoins = 64

// joins are the ways to begin a run in which a player picks something on joining. The way without a pick needs no move.
func (x *moves) joins() {
	for _, player := range x.players {
		combined := []map[string]types.Value{{}}
		for _, v := range x.m.Holders[model.OfPlayer].Stored {
			if v.Type.Kind != types.Pick {
				continue
			}
			for _, before := range slices.Clone(combined) {
				for _, option := range v.Type.Names {
					one := maps.Clone(before)
					one[v.ID] = types.OfText(option)
					combined = append(combined, one)
				}
			}
		}
		for _, picks := range combined[1:] {
			if len(x.all) >= mostJoins {
				x.sampled = append(x.sampled, "joining")
				return
			}
			x.add(move{do: "join", player: player, scene: -1, args: picks})
		}
	}
}

// walks are the moves within a scene. They are only needed if the slice depends on coordinates, areas or facings.
func (x *moves) walks(player string) {
	if x.lens.Facing {
		for _, facing := range x.m.Facings {
			x.add(move{do: "face", player: player, scene: -1, name: facing, alive: true})
		}
	}
	for i, scene := range x.m.Scenes {
		if !scene.Walk || !x.lens.Exact[i] {
			continue
		}
		for _, at := range x.points(scene) {
			x.add(move{do: "walk", player: player, scene: i, walks: true, at: at, alive: true})
		}
	}
}

// points are the places of a scene that are tried: spots, the ends and the middle of edges, props, the middle of areas, and
// points just outside the corners of areas, so that players can also walk around an area.
func (x *moves) points(scene *model.Scene) []point {
	var out []point
	add := func(at point) {
		at = scene.Nearest(at, x.m.Step)
		if scene.Has(at) && !slices.Contains(out, at) {
			out = append(out, at)
		}
	}
	for _, spot := range scene.Spots {
		for _, at := range along(spot, len(x.m.Axes)) {
			add(at)
		}
	}
	for _, prop := range scene.Props {
		add(prop.Point)
	}
	for _, a := range x.areasOf(scene) {
		add(middle(a))
		for _, at := range around(a, x.m.Step) {
			if !a.Contains(at) {
				add(at)
			}
		}
	}
	return out
}

// areasOf are the areas of a scene that count, those around props too, in a fixed order.
func (x *moves) areasOf(scene *model.Scene) []*model.Area {
	var out []*model.Area
	for _, a := range scene.Areas {
		if x.s.areas[a] {
			out = append(out, a)
		}
	}
	for _, prop := range scene.Props {
		if prop.Area != nil && x.s.areas[prop.Area] {
			out = append(out, prop.Area)
		}
	}
	return out
}

// along are a spot's point, and both ends and the middle of its edge.
func along(spot *model.Spot, axes int) []point {
	out := []point{spot.Point}
	for i := range axes {
		span := spot.Span[i]
		if span == nil {
			continue
		}
		for _, n := range []fixed.Num{span.Lo, half(span.Lo, span.Hi), span.Hi} {
			at := spot.Point
			at[i] = n
			out = append(out, at)
		}
	}
	return out
}

func half(a, b fixed.Num) fixed.Num {
	sum, _ := a.Add(b)
	out, _ := sum.Div(fixed.FromInt(2))
	return out
}

func middle(a *model.Area) point {
	if a.Ball {
		return a.Center
	}
	at := a.Lo
	for i := range a.Axes {
		at[i] = half(a.Lo[i], a.Hi[i])
	}
	return at
}

// around are the points just outside of an area's corners, along the first two axes.
func around(a *model.Area, step fixed.Num) []point {
	var out []point
	for corner := range 4 {
		at := middle(a)
		for i := range min(2, a.Axes) {
			if corner&(1<<i) == 0 {
				at[i], _ = a.Lo[i].Sub(step)
			} else {
				at[i], _ = a.Hi[i].Add(step)
			}
		}
		out = append(out, at)
	}
	return out
}

func (x *moves) passages(player string) {
	for _, p := range x.m.Passages {
		from := []*model.Spot{p.From}
		if p.BothWays && p.To != nil {
			from = append(from, p.To)
		}
		for i, spot := range from {
			to := p.To
			if i == 1 {
				to = p.From
			}
			at := []point{spot.Point}
			if to != nil && x.lens.Exact[to.Scene.Index] {
				at = along(spot, len(x.m.Axes))
				if p.Carry.Axes != [model.MaxAxes]bool{} && !slices.Contains(x.sampled, p.ID) {
					x.sampled = append(x.sampled, p.ID) // other points lead elsewhere
				}
			}
			for _, one := range at {
				x.add(move{do: "pass", player: player, scene: spot.Scene.Index, walks: spot.Scene.Walk, at: one,
					name: p.ID, alive: true})
			}
		}
	}
}

func (x *moves) checkpoints(player string) {
	for _, c := range x.m.Checkpoints {
		if c.Spot != nil {
			x.add(move{do: "touch", player: player, scene: c.Spot.Scene.Index, walks: c.Spot.Scene.Walk, at: c.Spot.Point,
				name: c.ID, alive: true})
		}
	}
}

func (x *moves) events() {
	for _, e := range x.m.Events {
		if !e.Self && x.options.NoServer {
			continue
		}
		combined, all := x.d.together(e)
		if !all && x.s.counts(x.s.closure(e.Rules)) {
			x.sampled = append(x.sampled, e.ID)
		}
		senders := x.players
		if !e.Self {
			senders = []string{""}
		}
		aside := x.s.aside(e)
		for _, player := range senders {
			for _, args := range combined {
				x.event(e, player, args)
				x.all[len(x.all)-1].aside = aside
			}
		}
	}
}

// event is sent from wherever the player is; where it is about something in reach, they walk there first.
func (x *moves) event(e *model.Event, player string, args map[string]types.Value) {
	one := move{do: "event", player: player, scene: -1, name: e.ID, args: args, server: !e.Self, alive: !e.WhileDead && e.Self}
	for _, a := range e.Args {
		if prop := propOf(&a, args); prop != nil && a.Within {
			one.scene, one.walks, one.at = prop.Scene.Index, prop.Scene.Walk, prop.Point
			break
		}
	}
	for _, r := range e.Rules {
		each(r.Do, nil, func(a *model.Action, _ []*expr.Program) {
			if a.Takes != nil && one.near == nil && e.Self {
				one.near = a.Takes
			}
		})
	}
	x.add(one)
}

func propOf(a *model.Arg, args map[string]types.Value) *model.Prop {
	if a.Kind == nil {
		return nil
	}
	return a.Kind.Prop(args[a.ID].Text)
}

// writes are values that players, and the game's server where the plan says so, give to variables.
func (x *moves) writes() {
	for _, v := range x.m.Vars {
		byServer := v.Decl.WrittenBy.Given && !x.options.NoServer && !v.Computed() && !v.Stopwatch && !v.Seed &&
			(v.Shared == nil || v.Shared.Mine)
		if !byServer && !v.SelfMay || !x.s.vars[v] {
			continue
		}
		values, all := x.d.of(&v.Domain, nil)
		if !all {
			x.sampled = append(x.sampled, v.Name)
		}
		players := x.players
		if !v.Holder.OfPlayers() {
			players = []string{""}
		}
		for _, of := range x.copies(v) {
			for _, player := range players {
				for _, value := range values {
					x.add(move{do: "write", player: player, scene: -1, name: v.Name, of: of, value: value,
						server: byServer})
				}
			}
		}
	}
}

// elsewhere are the values that other games give to what they write of a commons.
func (x *moves) elsewhere() {
	for _, v := range x.m.Vars {
		if !foreign(v) || !x.s.vars[v] {
			continue
		}
		values, all := x.d.of(&v.Domain, nil)
		if !all {
			x.sampled = append(x.sampled, v.Name)
		}
		for _, player := range x.players {
			for _, value := range values {
				x.add(move{do: "commons", player: player, scene: -1, name: v.Name, value: value, server: true})
			}
		}
	}
}

// foreign says whether another game writes a variable.
func foreign(v *model.Var) bool { return v.Shared != nil && !v.Shared.Mine && !v.Computed() }

// copies are the ids of the scenes, props or options that have one of a variable each; "" where there is one alone.
func (x *moves) copies(v *model.Var) []string {
	if v.Holder != model.OfScene && v.Holder != model.OfPlayerScene && !v.Holder.Lazy() {
		return []string{""}
	}
	var out []string
	for _, at := range x.m.Copies(v.Hold) {
		if v.In == nil || v.In[x.m.Scenes[at]] {
			out = append(out, x.m.CopyID(v.Hold, at))
		}
	}
	return out
}

// visits are how a player's visit and life end and go on.
func (x *moves) visits(player string) {
	if r := x.m.Requests["start-over"]; r == nil || !r.Closed {
		x.add(move{do: "start-over", player: player, scene: -1, way: byStartingOver})
	}
	if !x.options.NoServer {
		x.add(move{do: "die", player: player, scene: -1, server: true, alive: true, way: noWay})
	}
	x.add(move{do: "again", player: player, scene: -1, way: noWay})
}

// endings are how a session ends and is opened again.
func (x *moves) endings() {
	x.unsaved = !x.m.SavesOn("leave")
	if !x.m.Single {
		x.add(move{do: "restart", scene: -1, way: noWay})
	}
	if x.m.SavesEvery() > 0 {
		x.add(move{do: "save", scene: -1})
	}
}

// alone says whether a move is the first player's own, or that of time.
func (x *moves) alone(i int32) bool {
	m := &x.all[i]
	return m.way != noWay && !m.server && (m.player == x.players[0] || m.player == "" && m.do != "event" && m.do != "write")
}

// visit says whether a move ends visits.
func (m *move) visit() bool {
	return m.do == "again" || m.do == "restart" || m.do == "leave" || m.do == "back"
}

// theCrash is the crash of the machine. It is tried right after moves at whose end everything was written to the disk.
var theCrash = &move{do: "crash", scene: -1, way: noWay}

// waits are until something is due; where stopwatches or the time are read, also for a while.
func (x *moves) waits() {
	x.add(move{do: "wait", scene: -1})
	if x.calendar {
		x.add(move{do: "day", scene: -1})
	}
	watches := slices.ContainsFunc(x.m.Vars, func(v *model.Var) bool { return v.Stopwatch && x.s.vars[v] })
	if !watches && !x.lens.Clock {
		return
	}
	for _, n := range x.d.numbers {
		if s, ok := n.Int(); ok && s > 0 && s <= 86_400 {
			x.add(move{do: "wait", scene: -1, wait: s * 1000})
		}
	}
}

// still says whether a move is one request and nothing else: nobody walks for it, and no time passes.
func (m *move) still() bool {
	return !m.walks && m.near == nil && (m.do == "event" || m.do == "write" || m.do == "touch" || m.do == "commons")
}

// words are a move as a sentence's part: "p1 goes through mill_gate".
func (m *move) words() string {
	who := cmp.Or(m.player, "the game")
	switch m.do {
	case "join":
		return who + " joins"
	case "walk":
		return who + " walks"
	case "face":
		return who + " turns " + m.name
	case "pass":
		return who + " goes through " + m.name
	case "touch":
		return who + " touches " + m.name
	case "event":
		if m.server {
			return "the game sends " + m.name
		}
		return who + " sends " + m.name
	case "write":
		return fmt.Sprintf("%s is written: %s", m.name, m.value)
	case "commons":
		return fmt.Sprintf("another game gives %s's %s the value %s", who, m.name, m.value)
	case "die":
		return who + " dies"
	case "start-over":
		return who + " starts over"
	case "again":
		return who + " leaves and comes back"
	case "leave":
		return who + " leaves"
	case "back":
		return who + " comes back"
	case "restart":
		return "the session is opened again"
	case "crash":
		return "the machine crashes"
	case "save":
		return "time passes until the regular save"
	case "day":
		return "the next day comes"
	}
	return "time passes"
}
