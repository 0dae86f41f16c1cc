package expr

import (
	"slices"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/tree"
	"alluvion.dev/core/types"
)

// special walks the functions that ask about something other than plain values; nil where it is none.
func (c *checker) special(name string, call *tree.Node, at finding.At, known Facts) *typed {
	args, one := call.Args, len(call.Args) == 1
	var out typed
	switch {
	case name == "earned" && call.Member() && one:
		out = c.earned(call, at)
	case call.Member() && one && c.names.Watched && (name == "inside" || name == "holds"):
		out = c.askedOf(name, call, at)
	case call.Member():
		return nil
	case name == "inside" && one:
		out = c.inside(args[0], at)
	case name == "holds" && one:
		out = c.holds(args[0], at)
	case name == "count" && len(args) == 3:
		out = c.countPlayers(args, at, known)
	case one && (name == "count" || name == "sum" || name == "any" || name == "all"):
		if over := c.over(name, args[0], at, known); over != nil {
			return over
		}
		out = c.count(args[0], at, known)
	case name == "draw" && len(args) == 4:
		out = c.draw(args, known)
	case name == "point":
		out = c.point(args, at, known)
	default:
		return nil
	}
	return &out
}

// earned is player.earned('id'): whether that player has a milestone.
func (c *checker) earned(call *tree.Node, at finding.At) typed {
	arg := call.Args[0]
	id := arg.Quoted()
	_, parts := path(call.On)
	entry, ref := c.entry(parts)
	if entry == nil || entry.Type.Kind != types.Player || id == "" {
		return c.fail("bad-expression", at, "earned is written player.earned('milestone').")
	}
	known := entry.Fields[MilestonesKey].Fields
	field := known[id]
	if field == nil {
		near := finding.Declared(id, keys(known))
		c.report("unknown-name", c.at(arg), "There is no milestone called \"%s\".%s", id,
			finding.DidYouMean(near.Name)).Suggest(near)
		return typed{}
	}
	return c.value(field.Type, field.Ref.from(ref), strings.Join(parts, ".")+".earned('"+id+"')", at, nil)
}

// inside is inside('scene/area'): whether the rule's player is in an area.
func (c *checker) inside(arg *tree.Node, at finding.At) typed {
	return c.asked("inside", "area", "inside('scene/area')", "There is no player here who could be inside an area.",
		c.names.Areas, arg, at)
}

// holds is holds('sled'): whether the rule's player holds a movable.
func (c *checker) holds(arg *tree.Node, at finding.At) typed {
	return c.asked("holds", "movable", "holds('movable')", "There is no player here who could hold something.",
		c.names.Held, arg, at)
}

// asked is a function of the rule's player that takes the written name of something.
func (c *checker) asked(function, what, form, nobody string, known map[string]*Entry, arg *tree.Node,
	at finding.At) typed {
	id := arg.Quoted()
	if known == nil {
		return c.fail("unknown-name", at, "%s", nobody)
	}
	entry := known[id]
	if entry == nil {
		near := finding.Declared(id, keys(known))
		c.report("unknown-name", c.at(arg), "There is no %s called \"%s\"; it is written %s.%s", what, id, form,
			finding.DidYouMean(near.Name)).Suggest(near)
		return typed{}
	}
	return c.value(entry.Type, entry.Ref, function+"('"+id+"')", at, nil)
}

// askedOf is wren.inside('scene/area') or wren.holds('sled'), of a player who is watched.
func (c *checker) askedOf(name string, call *tree.Node, at finding.At) typed {
	_, parts := path(call.On)
	entry, ref := c.entry(parts)
	if entry == nil || entry.Type.Kind != types.Player || ref.Who != Local {
		return c.fail("bad-expression", at, "%s is asked of a player: wren.%s.", name, forms[name])
	}
	known, what := c.names.Areas, "area"
	if name == "holds" {
		known, what = c.names.Held, "movable"
	}
	out := c.asked(name, what, forms[name], "", known, call.Args[0], at)
	if out.read != nil {
		asked := out.read.Ref
		asked.As = ref.Index + 1
		return c.value(out.typ, asked, strings.Join(parts, ".")+"."+out.read.Path, at, nil)
	}
	return out
}

// MissedKey is how the days since the calendar's last turn are read, in fates and rules of a crossing of the calendar.
const MissedKey = "days_missed"

const missedElsewhere = "days_missed is known only in the fates at a crossing of the calendar, and in rules on {crossed: …} of one."

// MilestonesKey is where a player's entry has the milestones; no name can be written like that.
const MilestonesKey = "earned()"

// entry finds what a path of names stands for; nil where it is no record.
func (c *checker) entry(parts []string) (*Entry, Ref) {
	if len(parts) == 0 || c.names.Roots[parts[0]] == nil {
		return nil, Ref{}
	}
	e := c.names.Roots[parts[0]]
	ref := e.Ref
	for _, field := range parts[1:] {
		if e.Type.Kind == types.Player && e.Fields == nil { // what stands behind a reference
			to := ref
			e, ref = &Entry{Fields: c.names.Player}, Ref{Who: Through, Via: &to}
		}
		next := e.Fields[field]
		if next == nil {
			return nil, Ref{}
		}
		ref, e = next.Ref.from(ref), next
	}
	return e, ref
}

// count is count(present), the players in the session; the items of a list or a set; or of how many
// scenes or props a variable of a pair is true.
func (c *checker) count(e *tree.Node, at finding.At, known Facts) typed {
	whole := types.Type{Kind: types.Int, Range: types.Range{HasLo: true, Step: types.One}}
	if e.Kind == tree.Name && e.Word == "present" {
		ref := Ref{Who: Nobody, What: Present}
		c.program.Reads = append(c.program.Reads, Read{ref, "present", at})
		return typed{typ: whole, eval: func(env Env) types.Value { return env.Read(&ref) }}
	}
	n := c.walk(e, known)
	switch {
	case n.eval == nil || c.none(n, c.at(e)):
		return typed{}
	case n.typ.Kind == types.Copies && n.typ.Item.Kind == types.Bool:
		return typed{typ: types.Type{Kind: types.Int, Range: n.typ.Range}, eval: n.eval}
	case n.typ.Item != nil && n.typ.Kind != types.Copies:
		x := n.eval
		whole.Range.Hi, whole.Range.HasHi = n.typ.Range.Hi, true
		return typed{typ: whole, eval: func(env Env) types.Value { return types.OfInt(len(x(env).Items())) }}
	}
	return c.fail("type-mismatch", c.at(e),
		"count counts the players that are present, the items of a list or a set, or of how many scenes or props something is true; this is %s.", n.typ)
}

// countPlayers is count(present, p, condition): of how many present players something is true.
func (c *checker) countPlayers(args []*tree.Node, at finding.At, known Facts) typed {
	if args[0].Kind != tree.Name || args[0].Word != "present" || args[1].Kind != tree.Name {
		return c.fail("bad-expression", at, "count with a name is written count(present, p, p.score > 3).")
	}
	name := args[1].Word
	if c.names.Roots[name] != nil || c.names.Lists[name] != nil || c.names.Missing[name] != "" {
		return c.fail("bad-expression", c.at(args[1]),
			"%s is known here as something else; the player's name has to be another.", name)
	}
	if c.names.Player == nil {
		return c.fail("bad-expression", at, "Players cannot be counted like this here.")
	}
	size, before := c.program.Size, c.names
	c.names = c.names.With(map[string]*Entry{name: {Type: types.Type{Kind: types.Player}, Ref: Ref{Who: Someone},
		Fields: c.names.Player}})
	n := c.condition(args[2], known)
	c.names = before
	c.program.Size += (c.program.Size - size) * manyPlayers
	if n.eval == nil {
		return typed{}
	}
	x := n.cond()
	return asNumber(types.Type{Kind: types.Int, Range: types.Range{HasLo: true, Step: types.One}},
		func(env Env) fixed.Num {
			found := int64(0)
			for i := range env.Person(0) {
				if env.Person(i); x(env) {
					found++
				}
			}
			env.Person(-1)
			return fixed.FromInt(found)
		})
}

// manyPlayers is how many players a function over those who are present counts as, in a program's size.
const manyPlayers = 16

// ofItems is list.size() and list.contains(item).
func (c *checker) ofItems(name string, list typed, call *tree.Node, at finding.At, known Facts) typed {
	x := list.eval
	switch name {
	case "size":
		return c.count(call.On, at, known)
	case "contains":
		arg := call.Args[0]
		item := c.walk(arg, known)
		if item.eval == nil || c.none(item, c.at(arg)) {
			return typed{}
		}
		item.typ = c.adapt(item.typ, *list.typ.Item, arg)
		if why, ok := types.Fits(item.typ, *list.typ.Item); !ok {
			return c.fail("type-mismatch", c.at(arg), "This can never be among the items: %s.", why)
		}
		y := item.eval
		return typed{typ: types.Type{Kind: types.Bool}, eval: func(env Env) types.Value {
			return types.OfBool(slices.Contains(x(env).Items(), y(env)))
		}}
	}
	return c.fail("bad-expression", at, "Lists and sets have size() and contains(item); they have no %s.", name)
}

// point is point(x, y): coordinates, one for each axis.
func (c *checker) point(args []*tree.Node, at finding.At, known Facts) typed {
	evals := make([]func(Env) types.Value, len(args))
	for i, a := range args {
		n, ok := c.number(a, known)
		if !ok {
			return typed{}
		}
		evals[i] = n.eval
	}
	if len(args) != len(c.names.Axes) {
		return c.fail("bad-expression", at, "A point has %d coordinates here (%s), not %d.", len(c.names.Axes),
			types.JoinNames(c.names.Axes), len(args))
	}
	return typed{typ: types.Type{Kind: types.Point, Names: c.names.Axes}, eval: func(env Env) types.Value {
		items := make([]types.Value, len(evals))
		for i, e := range evals {
			items[i] = e(env)
		}
		return types.OfItems(items)
	}}
}

// draw is draw(seed, index, from, to): a whole number that everybody draws alike.
func (c *checker) draw(args []*tree.Node, known Facts) typed {
	seed := c.walk(args[0], known)
	if seed.eval == nil {
		return typed{}
	}
	if seed.typ.Kind != types.Seed {
		return c.fail("type-mismatch", c.at(args[0]), "Numbers are drawn from a seed; this is %s.", seed.typ)
	}
	var n [3]typed
	for i := range n {
		var ok bool
		if n[i], ok = c.number(args[i+1], known); !ok {
			return typed{}
		}
		if !n[i].typ.Range.FitsStep(types.One) {
			return c.fail("type-mismatch", c.at(args[i+1]), "draw takes whole numbers; this may have a fraction.")
		}
	}
	r := types.Range{Lo: n[1].typ.Range.Lo, HasLo: n[1].typ.Range.HasLo, Hi: n[2].typ.Range.Hi,
		HasHi: n[2].typ.Range.HasHi, Step: types.One}
	s, index, from, to := seed.eval, n[0].eval, n[1].eval, n[2].eval
	return typed{typ: types.Type{Kind: types.Int, Range: r}, eval: func(env Env) types.Value {
		drawn, err := Draw(s(env).Num, index(env).Num, from(env).Num, to(env).Num)
		if err != nil {
			env.Fail(err)
		}
		return types.OfNum(drawn)
	}}
}
