package expr

import (
	"maps"
	"slices"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/tree"
	"alluvion.dev/core/types"
)

// walk checks and compiles one part. known holds the paths that are not none here.
func (c *checker) walk(e *tree.Node, known Facts) typed {
	c.program.Size++
	switch e.Kind {
	case tree.Bool, tree.Int, tree.Decimal, tree.Text, tree.Null, tree.Other:
		return c.literal(e)
	case tree.Name, tree.Field:
		return c.name(e, known)
	case tree.Call:
		return c.call(e, known)
	case tree.List:
		return c.fail("bad-expression", c.at(e),
			"A list cannot be written in an expression: compare one by one, a == 'x' || a == 'y'. A point is written point(x, y).")
	case tree.Table:
		return c.fail("bad-expression", c.at(e),
			"Tables and groups cannot be written in an expression; what an option says of itself is an attribute of its list.")
	}
	return c.fail("bad-expression", c.at(e), "This form cannot stand in an expression.")
}

func constant(v types.Value, t types.Type) typed {
	out := typed{typ: types.Constant(v, t), eval: func(Env) types.Value { return v }}
	if v.Kind == types.IsNum {
		n := v.Num
		out.num, out.is = func(Env) fixed.Num { return n }, &n
	}
	return out
}

func (c *checker) literal(e *tree.Node) typed {
	switch e.Kind {
	case tree.Bool:
		return constant(types.OfBool(e.Word == "true"), types.Type{Kind: types.Bool})
	case tree.Int, tree.Decimal:
		n, err := fixed.Parse(e.Word)
		if err != nil {
			return c.fail("bad-expression", c.at(e), "This number cannot be used: %v.", err)
		}
		kind := types.Decimal
		if e.Kind == tree.Int {
			kind = types.Int
		}
		return constant(types.OfNum(n), types.Type{Kind: kind})
	case tree.Text:
		return constant(types.OfText(e.Word), types.Type{Kind: types.Text})
	case tree.Null:
		return c.fail("bad-expression", c.at(e),
			"There is no null: what may be none is asked with has(x), or read with x.orValue(other).")
	}
	return c.fail("bad-expression", c.at(e),
		"Numbers are written 12 or 0.5, texts 'so'; there is nothing else of the kind.")
}

// path takes a.b.c apart; nil where it begins with something other than a name.
func path(e *tree.Node) (root *tree.Node, parts []string) {
	switch e.Kind {
	case tree.Name:
		return e, []string{e.Word}
	case tree.Field:
		root, parts = path(e.On)
		if parts != nil {
			parts = append(parts, e.Word)
		}
	}
	return root, parts
}

// name resolves a.b.c: names of records one after the other, then perhaps an attribute of a pick.
func (c *checker) name(e *tree.Node, known Facts) typed {
	rootExpr, parts := path(e)
	if parts == nil {
		return c.fail("bad-expression", c.at(e), "Only a name can be followed by a dot and another name.")
	}
	at := c.at(rootExpr)
	entry := c.names.Roots[parts[0]]
	if entry == nil {
		if l := c.names.Lists[parts[0]]; l != nil {
			return c.ofList(l, parts, at, known)
		}
		return c.unknownRoot(parts, at)
	}
	ref := entry.Ref
	for i, field := range parts[1:] {
		next := entry.Fields[field]
		if next == nil {
			if entry.Type.Kind == types.Point && i == len(parts)-2 && slices.Contains(entry.Type.Names, field) {
				return c.axis(c.value(entry.Type, ref, strings.Join(parts[:i+1], "."), at, known), field, known)
			}
			if entry.Type.Kind == types.Player && entry.Fields == nil {
				return c.through(c.value(entry.Type, ref, strings.Join(parts[:i+1], "."), at, known), ref, parts[i+1:],
					at, known)
			}
			if roster := entry.Type.Roster; roster != nil && entry.Type.Kind != types.Copies {
				base := c.value(entry.Type, ref, strings.Join(parts[:i+1], "."), at, known)
				if l := c.names.Lists[roster.ID]; l != nil {
					of := ref
					return c.behind(option{l, &Option{Of: &of}, base, base.path}, parts[i+1:], at, known)
				}
				return c.attribute(base, field, at, known)
			}
			return c.unknownField(entry, parts[:i+1], field, at)
		}
		ref = next.Ref.from(ref)
		entry = next
	}
	if entry.Type.Kind == types.Invalid { // what is wrong with it has been said where it is declared
		return typed{}
	}
	if entry.Type.Kind == types.Copies && slices.Contains(c.overs, entry.Type.Of) {
		ref.What, ref.Option = Variable, here
		return c.value(*entry.Type.Item, ref, strings.Join(parts, "."), at, known)
	}
	if l := c.names.Lists[entry.Type.Of]; l != nil && entry.Type.Kind == types.Copies {
		return c.whichOption(l, strings.Join(parts, "."), at)
	}
	if entry.Type.Kind == types.Record {
		return c.fail("type-mismatch", at, "%s is no value by itself; it has %s.", strings.Join(parts, "."),
			types.JoinNames(keys(entry.Fields)))
	}
	return c.value(entry.Type, ref, strings.Join(parts, "."), at, known)
}

// whichOption reports that what is held for each option of a list is no value by itself, with what to write.
func (c *checker) whichOption(l *List, name string, at finding.At) typed {
	last := name[strings.LastIndexByte(name, '.')+1:]
	if slices.Contains(c.hand, l.ID) && name == "player."+last {
		return c.fail("type-mismatch", at, "%s is held for each %s: that for the one at hand is written %s.%s.", name,
			l.ID, l.ID, last)
	}
	return c.fail("type-mismatch", at,
		"%s is held for each %s: that for one of them is written %s['%s'], and count, sum, any and all go over them.",
		name, l.ID, name, l.example())
}

// through resolves what stands behind a reference to a player: it is there while that player is.
func (c *checker) through(base typed, to Ref, rest []string, at finding.At, known Facts) typed {
	entry, path := &Entry{Fields: c.names.Player}, base.path
	ref := Ref{Who: Through, Via: &to}
	for i, field := range rest {
		next := entry.Fields[field]
		if next == nil && entry.Fields == nil {
			last := c.value(optionally(entry.Type), ref, path, at, known)
			switch l := rosterOf(entry.Type); {
			case entry.Type.Kind == types.Player:
				return c.through(last, ref, rest[i:], at, known)
			case l != nil && c.names.Lists[l.ID] != nil:
				of := ref
				return c.behind(option{c.names.Lists[l.ID], &Option{Of: &of}, last, path}, rest[i:], at, known)
			case l != nil:
				return c.attribute(last, field, at, known)
			}
		}
		if next == nil {
			entry.Type.Kind = types.Record
			return c.unknownField(&Entry{Type: entry.Type, Fields: entry.Fields}, strings.Split(path, "."), field, at)
		}
		ref, entry, path = next.Ref.from(ref), next, path+"."+field
	}
	if entry.Type.Kind == types.Record || entry.Type.Kind == types.Copies && !slices.Contains(c.overs, entry.Type.Of) {
		return c.fail("type-mismatch", at, "%s is no value by itself.", path)
	}
	if entry.Type.Kind == types.Copies {
		ref.What, ref.Option = Variable, here
		return c.value(optionally(*entry.Type.Item), ref, path, at, known)
	}
	out := c.value(optionally(entry.Type), ref, path, at, known)
	out.loose = base.typ.Optional || base.loose
	return out
}

func optionally(t types.Type) types.Type {
	t.Optional = true
	return t
}

func rosterOf(t types.Type) *types.Roster { return t.Roster }

// axis is one coordinate of a point.
func (c *checker) axis(base typed, name string, known Facts) typed {
	i, eval, p := slices.Index(base.typ.Names, name), base.eval, base.path+"."+name
	t := types.Type{Kind: types.Decimal, Range: base.typ.Range, Optional: base.typ.Optional && !known[p]}
	return typed{typ: t, path: p, eval: func(env Env) types.Value {
		if items := eval(env).Items(); i < len(items) {
			return items[i]
		}
		return types.None
	}}
}

// from fills in whose value it is from the entry that it was found in.
func (r Ref) from(base Ref) Ref {
	if r.As == 0 {
		r.As = base.As
	}
	if r.Who == Base {
		r.Who, r.Index, r.Via = base.Who, base.Index, base.Via
	}
	return r
}

func (c *checker) value(t types.Type, ref Ref, path string, at finding.At, known Facts) typed {
	if c.names.Narrow != nil {
		t = c.names.Narrow(ref, t)
	}
	if known[path] {
		t.Optional = false
	}
	read := Read{ref, path, at}
	c.program.Reads = append(c.program.Reads, read)
	out := typed{typ: t, eval: func(env Env) types.Value { return env.Read(&ref) }, path: path, read: &read}
	switch {
	case t.Numeric() && ref.Mine():
		slot := ref.Slot
		out.num = func(env Env) fixed.Num { return env.Mine(slot) }
	case t.Numeric():
		out.num = func(env Env) fixed.Num { return env.Number(&ref) }
	}
	return out
}

func (c *checker) attribute(base typed, name string, at finding.At, known Facts) typed {
	roster := base.typ.Roster
	attribute, ok := roster.Attributes[name]
	if !ok {
		near := finding.Declared(name, sortedKeys(roster.Attributes))
		text := "The " + roster.Section + " " + roster.ID + " has no attribute called \"" + name + "\"." +
			finding.DidYouMean(near.Name)
		c.report("unknown-name", at, "%s", text).Suggest(near)
		return typed{}
	}
	t := attribute.Type
	if t.Kind == types.Invalid { // which has been said where it is declared
		return typed{}
	}
	p := base.path + "." + name
	t.Optional = (t.Optional || base.typ.Optional) && !known[p]
	values, eval := attribute.Values, base.eval
	return typed{typ: t, path: p, eval: func(env Env) types.Value { return values[eval(env).Text] }}
}

func (c *checker) unknownRoot(parts []string, at finding.At) typed {
	name := parts[0]
	if why, ok := c.names.Missing[name]; ok {
		return c.fail("unknown-name", at, "%s", why)
	}
	if name == MissedKey {
		return c.fail("unknown-name", at, "%s", missedElsewhere)
	}
	candidates := append(keys(c.names.Roots), sortedKeys(c.names.Lists)...)
	near := finding.Declared(name, candidates)
	owned := 0
	for _, root := range candidates { // warmth where player.warmth is meant
		if e := c.names.Roots[root]; e != nil && e.Fields[name] != nil {
			owned++
			near = finding.Guess{Name: root + "." + name, Sure: owned == 1}
		}
	}
	text := "Nothing is called \"" + name + "\" here." + finding.DidYouMean(near.Name)
	if near.Name == "" {
		text += " Names begin with " + types.JoinNames(candidates) + "."
	}
	c.report("unknown-name", at, "%s", text).Suggest(near)
	return typed{}
}

func (c *checker) unknownField(entry *Entry, parts []string, field string, at finding.At) typed {
	owner := strings.Join(parts, ".")
	if entry.Type.Kind == types.Invalid { // what is wrong with it has been said where it is declared
		return typed{}
	}
	if l := c.names.Lists[entry.Type.Of]; l != nil && entry.Type.Kind == types.Copies {
		if !slices.Contains(l.Options, field) {
			field = l.example()
		}
		return c.fail("type-mismatch", at, "%s is held for each %s: that for one of them is written %s['%s'].", owner,
			l.ID,
			owner, field)
	}
	if entry.Fields == nil {
		return c.fail("type-mismatch", at, "%s is %s; it has no parts.", owner, entry.Type)
	}
	near := finding.Declared(field, keys(entry.Fields))
	if over := entry.Fields["profile"]; over != nil && over.Fields[field] != nil {
		near = finding.Guess{Name: "profile." + field, Sure: true}
	}
	text := owner + " has no \"" + field + "\"."
	if near.Name != "" {
		if holds(owner) { // in the words in which it is missed elsewhere, so that it is told once
			text = "There is no variable called \"" + owner + "." + field + "\"."
		}
		near.Name = owner + "." + near.Name
		text += finding.DidYouMean(near.Name)
	} else if len(entry.Fields) > 0 {
		text += " It has " + types.JoinNames(keys(entry.Fields)) + "."
	}
	c.report("unknown-name", at, "%s", text).Suggest(near)
	return typed{}
}

// holds says whether a root stands for what has variables.
func holds(root string) bool {
	return slices.Contains([]string{"player", "scene", "game", "prop"}, root)
}

// none reports the use of an optional as a value, and says whether it was one.
func (c *checker) none(n typed, at finding.At) bool {
	if !n.typ.Optional {
		return false
	}
	what := n.path
	if what == "" {
		what = "this"
	}
	c.report("none-unhandled", at, "%s may be none here: ask has(%s) first, or use %s.orValue(…).", what, what, what)
	return true
}

func merge(a, b Facts) Facts {
	if len(a) == 0 {
		return b
	}
	if len(b) == 0 {
		return a
	}
	out := maps.Clone(a)
	maps.Copy(out, b)
	return out
}
