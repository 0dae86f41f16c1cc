package expr

import (
	"slices"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/tree"
	"alluvion.dev/core/types"
)

// List is a list of options, as expressions know it.
type List struct {
	ID      string
	Index   int
	Options []string
	Roster  *types.Roster
	// Vars are what each option has, and what the rule's player has for it, by name. Of which option is said where they
	// are read.
	Vars   map[string]*Entry
	Nobody []string // what players have for options, where there is no player that it could be of
}

// Option says of which option a Ref means the copy.
type Option struct {
	Index int  // of the option, in the list
	Here  bool // the option at hand, in place of a certain one
	Of    *Ref // or the one that this names
}

// here is the option at hand.
var here = &Option{Here: true}

// option is one option of a list, as it stands in an expression: a certain one, the one at hand, or one that a name
// stands for.
type option struct {
	list *List
	is   *Option
	base typed // of one that a name stands for, or that is at hand
	name string
}

// ofList resolves ware.rice.have and, where an option is at hand, ware.have and ware.
func (c *checker) ofList(l *List, parts []string, at finding.At, known Facts) typed {
	hand := slices.Contains(c.hand, l.ID)
	if len(parts) == 1 {
		if !hand {
			return c.fail("type-mismatch", at, "Which %s is meant? Here none is at hand: name one, as in %s.%s.", l.ID,
				l.ID,
				l.example())
		}
		return c.atHand(l, at, known)
	}
	if i := slices.Index(l.Options, parts[1]); i >= 0 {
		if len(parts) == 2 {
			return c.fail("type-mismatch", at, "%s.%s is no value by itself; it has %s. The option is written '%s'.",
				l.ID,
				parts[1], l.has(), parts[1])
		}
		return c.behind(option{l, &Option{Index: i}, constant(types.OfText(parts[1]), l.choice()),
			l.ID + "." + parts[1]},
			parts[2:], at, known)
	}
	if hand {
		return c.behind(option{l, here, c.atHand(l, at, known), l.ID}, parts[1:], at, known)
	}
	if l.Vars[parts[1]] != nil || l.Roster.Attributes[parts[1]].Type.Kind != nil {
		return c.fail("type-mismatch", at,
			"Which %s is meant? %s is of each one: write %s.%s.%s, or count, sum, any or all over them.",
			l.ID, strings.Join(parts, "."), l.ID, l.example(), parts[1])
	}
	near := finding.Declared(parts[1], l.Options)
	text := "The list " + l.ID + " has no \"" + parts[1] + "\"." + finding.DidYouMean(near.Name)
	if near.Name == "" {
		text += " It has " + types.JoinNames(l.Options) + "."
	}
	c.report("unknown-name", at, "%s", text).Suggest(near)
	return typed{}
}

// example is an option, for messages.
func (l *List) example() string {
	if len(l.Options) == 0 {
		return "…"
	}
	return l.Options[0]
}

// has are the names that stand under each option.
func (l *List) has() string {
	return types.JoinNames(append(keys(l.Vars), sortedKeys(l.Roster.Attributes)...))
}

// choice is the type of one option.
func (l *List) choice() types.Type {
	return types.Type{Kind: types.Choice, Of: l.ID, Names: l.Options, Roster: l.Roster}
}

// atHand is the option at hand, as a value. While the range of a sum is found, it is a certain one.
func (c *checker) atHand(l *List, at finding.At, known Facts) typed {
	if i, ok := c.fixed[l.ID]; ok {
		return constant(types.OfText(l.Options[i]), l.choice())
	}
	return c.value(l.choice(), Ref{Who: Nobody, What: AtHand, Slot: l.Index}, l.ID, at, known)
}

// behind resolves what stands behind an option: a variable of its list, or an attribute.
func (c *checker) behind(o option, rest []string, at finding.At, known Facts) typed {
	e, path := o.list.Vars[rest[0]], o.name+"."+rest[0]
	if e == nil {
		switch {
		case slices.Contains(o.list.Nobody, rest[0]):
			return c.fail("unknown-name", at, "There is no player here whose %s it could be.", path)
		case len(rest) > 1:
			return c.fail("type-mismatch", at, "%s has no parts.", path)
		case o.is.Of == nil && o.list.Roster.Attributes[rest[0]].Type.Kind == nil:
			near := finding.Declared(rest[0], append(keys(o.list.Vars), sortedKeys(o.list.Roster.Attributes)...))
			text := o.name + " has no \"" + rest[0] + "\"."
			if near.Name != "" {
				near.Name = o.name + "." + near.Name
				text += finding.DidYouMean(near.Name)
			} else if o.list.has() != "" {
				text += " It has " + o.list.has() + "."
			}
			c.report("unknown-name", at, "%s", text).Suggest(near)
			return typed{}
		}
		out := c.attribute(o.base, rest[0], at, known)
		if o.base.path == "" && out.eval != nil { // of a certain option: it is known what it is
			v := out.eval(nil)
			if v.Kind == types.IsNone {
				return out
			}
			out = constant(v, out.typ)
		}
		return out
	}
	for _, field := range rest[1:] { // of a group
		path += "." + field
		next := e.Fields[field]
		if next == nil {
			return c.fail("unknown-name", at, "There is no %s; there is %s.", path, types.JoinNames(keys(e.Fields)))
		}
		e = next
	}
	if e.Type.Kind == types.Invalid {
		return typed{}
	}
	if e.Type.Kind == types.Record {
		return c.fail("type-mismatch", at, "%s is no value by itself; it has %s.", path,
			types.JoinNames(keys(e.Fields)))
	}
	ref := e.Ref
	ref.Option = o.is
	if o.is.Of != nil && ref.Who == Self && (o.is.Of.Who == Arg || o.is.Of.Who == Local || o.is.Of.As > 0) {
		owner, _, _ := strings.Cut(o.name, ".")
		if dot := strings.LastIndexByte(o.name, '.'); dot > 0 {
			owner = o.name[:dot]
		}
		if o.is.Of.What != Itself && o.is.Of.What != LocalValue {
			return c.fail("bad-expression", at, "Whose is meant? Write %s.%s[%s] or player.%s[%s].", owner, rest[0],
				o.name,
				rest[0], o.name)
		}
	}
	t := e.Type
	loose := o.base.typ.Optional
	t.Optional = t.Optional || loose
	out := c.value(t, ref, path, at, known)
	out.loose = loose
	return out
}

// index is p.have[option]: what any present player has for an option.
func (c *checker) index(args []*tree.Node, at finding.At, known Facts) typed {
	_, parts := path(args[0])
	entry, ref := c.entry(parts)
	if entry == nil && parts != nil { // which says what there is not
		if n := c.name(args[0], known); n.eval == nil {
			return n
		}
	}
	if entry != nil && entry.Type.Item != nil && entry.Type.Kind != types.Copies {
		return c.fail("bad-expression", at,
			"Items have no place that lasts, so none is read by its number: ask %s.contains(x) or count(%s).",
			strings.Join(parts, "."), strings.Join(parts, "."))
	}
	if entry == nil || entry.Type.Kind != types.Copies || c.names.Lists[entry.Type.Of] == nil {
		return c.fail("bad-expression", at,
			"Only what is held for each option of a list is read with [ ]: player.have['rice'] or player.have[args.ware].")
	}
	l := c.names.Lists[entry.Type.Of]
	o, ok := c.optionIn(l, args[1], known)
	if !ok {
		return typed{}
	}
	ref.What, ref.Option = Variable, o.is
	t := *entry.Type.Item
	if ref.Who == Through { // it is there while that player is
		t.Optional = true
	}
	out := c.value(t, ref, strings.Join(parts, ".")+"["+o.name+"]", at, known)
	out.loose = c.loose(parts, known)
	return out
}

// loose says whether a reference on the way may lead to nobody.
func (c *checker) loose(parts []string, known Facts) bool {
	for i := 2; i < len(parts); i++ {
		e, _ := c.entry(parts[:i])
		if e != nil && e.Type.Kind == types.Player && e.Fields == nil && e.Type.Optional &&
			!known[strings.Join(parts[:i], ".")] {
			return true
		}
	}
	return false
}

// optionIn reads the option that stands in [ ].
func (c *checker) optionIn(l *List, e *tree.Node, known Facts) (option, bool) {
	word := ""
	switch {
	case e.Written():
		word = e.Quoted()
	case e.Kind == tree.Name && c.names.Roots[e.Word] == nil && c.names.Lists[e.Word] == nil:
		word = e.Word
	}
	if word != "" {
		i := slices.Index(l.Options, word)
		if i < 0 {
			c.listed(word, l.choice(), c.at(e))
			return option{}, false
		}
		return option{list: l, is: &Option{Index: i}, name: word}, true
	}
	n := c.walk(e, known)
	switch {
	case n.eval == nil || c.none(n, c.at(e)):
		return option{}, false
	case n.read == nil || n.typ.Roster == nil || n.typ.Roster.ID != l.ID:
		c.report("type-mismatch", c.at(e), "In [ ] stands an option of %s, or a name that stands for one; this is %s.",
			l.ID, n.typ)
		return option{}, false
	case n.read.Ref.What == AtHand:
		return option{l, here, n, n.path}, true
	}
	of := n.read.Ref
	return option{l, &Option{Of: &of}, n, n.path}, true
}

// over walks a function over all options of a list: count, sum, any and all. It is nil where what stands in it speaks
// of no list.
func (c *checker) over(name string, arg *tree.Node, at finding.At, known Facts) *typed {
	l, many := c.listOf(arg)
	var out typed
	switch {
	case many:
		out = c.fail("bad-expression", at, "%s goes over the options of one list; this speaks of several.", name)
		return &out
	case l == nil && name == "count":
		return nil // of players, items, scenes or props
	case l == nil:
		out = c.fail("bad-expression", at, "%s goes over the options of a list: %s.", name, forms[name])
		return &out
	case slices.Contains(c.overs, l.ID):
		out = c.fail("bad-expression", at, "%s goes over %s already, where this stands: it cannot do so twice.", name,
			l.ID)
		return &out
	}
	size, from := c.program.Size, len(c.program.Reads)
	n := c.withHand(l, func() typed { return c.walk(arg, known) })
	c.program.Size += (c.program.Size - size) * max(0, len(l.Options)-1)
	if n.eval == nil {
		return &typed{}
	}
	if name != "count" && c.none(n, c.at(arg)) {
		return &typed{}
	}
	out = c.folded(name, l, arg, n, from, at, known)
	return &out
}

// withHand walks something with the option at hand.
func (c *checker) withHand(l *List, walk func() typed) typed {
	hand, overs := c.hand, c.overs
	c.hand, c.overs = append(slices.Clone(hand), l.ID), append(slices.Clone(overs), l.ID)
	defer func() { c.hand, c.overs = hand, overs }()
	return walk()
}

// folded is a function over what each option says, for which the program's reads from from on are read.
func (c *checker) folded(name string, l *List, arg *tree.Node, n typed, from int, at finding.At, known Facts) typed {
	count := types.Between(fixed.Num{}, fixed.FromInt(int64(len(l.Options))), types.One)
	yes := func(v types.Value) bool { return v.Bool }
	switch {
	case name == "sum" && n.typ.Numeric():
		return c.sum(l, arg, n, from, at, known)
	case name == "sum":
		return c.fail("type-mismatch", c.at(arg), "sum adds numbers; this is %s.", n.typ)
	case name == "count" && n.typ.Optional:
		yes = func(v types.Value) bool { return v.Kind != types.IsNone }
	case name == "count" && n.typ.Numeric():
		yes = func(v types.Value) bool { return v.Num.Sign() != 0 }
	case n.typ.Kind == types.Bool:
	case name == "count":
		return c.fail("type-mismatch", c.at(arg),
			"count counts the options for which something is true, a number is not 0, or something is there; this is %s.", n.typ)
	default:
		return c.fail("type-mismatch", c.at(arg), "%s asks whether something is true of the options; this is %s.", name,
			n.typ)
	}
	x := n.eval
	if name == "count" {
		return asNumber(types.Type{Kind: types.Int, Range: count}, c.tallyOf(l, from, counted(x, yes)).sum)
	}
	want := name == "any" // of all, one that does not is enough
	list, size := l.Index, len(l.Options)
	return asCondition(types.Type{Kind: types.Bool, Truth: n.typ.Truth}, func(env Env) bool {
		met := false
		each(env, list, size, func() bool {
			met = yes(x(env)) == want
			return !met
		})
		return met == want
	})
}

// sum adds up what each option says, exactly. What it can be is added up option by option, with the attributes as they
// are.
func (c *checker) sum(l *List, arg *tree.Node, n typed, from int, at finding.At, known Facts) typed {
	total := types.Exactly(fixed.Num{})
	for i := range l.Options {
		total = sum(total, c.rangeFor(l, i, arg, n, known))
	}
	if !safe(total) {
		return c.fail("too-large", at,
			"This can become too large: a number has at most 15 digits, and all %d options together more. Give what is added narrower limits.",
			len(l.Options))
	}
	return asNumber(types.Type{Kind: n.typ.Kind, Range: total}, c.tallyOf(l, from, n.number()).sum)
}

// rangeFor is what an expression can be for one option.
func (c *checker) rangeFor(l *List, i int, arg *tree.Node, n typed, known Facts) types.Range {
	if len(l.Roster.Attributes) == 0 {
		return n.typ.Range
	}
	aside := *c
	aside.program, aside.found = &Program{}, nil
	aside.fixed = map[string]int{l.ID: i}
	one := aside.withHand(l, func() typed { return aside.walk(arg, known) })
	if one.eval == nil {
		return n.typ.Range
	}
	return one.typ.Range
}

// safe says whether a sum stays within 2^53 - 1 steps (rule 20).
func safe(r types.Range) bool {
	most := fixed.FromInt(1<<53 - 1)
	if r.Step.Sign() > 0 {
		var err error
		if most, err = most.Mul(fixed.Min(r.Step, types.One)); err != nil {
			return false
		}
	}
	return (!r.HasHi || !most.Less(r.Hi)) && (!r.HasLo || !r.Lo.Less(most.Neg()))
}

// listOf finds the list that an expression speaks of; whether there are several.
func (c *checker) listOf(e *tree.Node) (list *List, many bool) {
	see := func(l *List) {
		if l != nil && list != nil && l != list {
			many = true
		}
		if list == nil {
			list = l
		}
	}
	var visit func(e *tree.Node)
	visit = func(e *tree.Node) {
		switch e.Kind {
		case tree.Name, tree.Field:
			_, parts := path(e)
			if parts == nil {
				return
			}
			if l := c.names.Lists[parts[0]]; l != nil && c.names.Roots[parts[0]] == nil {
				if len(parts) == 1 || !slices.Contains(l.Options, parts[1]) {
					see(l)
				}
				return
			}
			if entry, _ := c.entry(parts); entry != nil && entry.Type.Kind == types.Copies {
				see(c.names.Lists[entry.Type.Of])
			}
		case tree.Call:
			if e.Word == tree.Index {
				visit(e.Args[1])
				return
			}
			if slices.Contains([]string{"count", "sum", "any", "all"}, e.Word) {
				return // which goes over its own
			}
			if e.Member() {
				visit(e.On)
			}
			for _, arg := range e.Args {
				visit(arg)
			}
		}
	}
	visit(e)
	return list, many
}
