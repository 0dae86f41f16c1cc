package model

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// List is a list of options: a roster is one, too. Each option can have variables, and each player can have variables
// for each option.
type List struct {
	ID      string
	Title   string
	Index   int
	Options []*Option
	Roster  *types.Roster // what the options say of themselves
	Own     *Holding      // what each option has
	Players *Holding      // what each player has for each option
	Profile *Holding      // what each player has for each option over all slots
	At      finding.At
	Decl    *plan.Roster
	byID    map[string]int
}

// Option is one of a list's.
type Option struct {
	ID    string
	Title string
	Index int // in the list
	At    finding.At
}

// Option finds an option by its id; -1 where there is none.
func (l *List) Option(id string) int {
	if i, ok := l.byID[id]; ok {
		return i
	}
	return -1
}

// List finds a list by its id; nil where there is none.
func (m *Model) List(id string) *List { return m.lists[id] }

// allLists reads the lists, but for what their options hold.
func (b *builder) allLists() {
	for _, e := range b.Plan.AllLists() {
		if b.lists[e.ID] != nil {
			continue
		}
		if slices.Contains(expr.FunctionNames(), e.ID) {
			b.report("duplicate-id", e.At, "%s is a function of expressions; the list needs another name.", e.ID)
		}
		decl := b.Plan.List(e.ID)
		l := &List{ID: e.ID, Title: Title(decl.Title, e.ID), Index: len(b.Lists), At: e.At, Decl: decl,
			byID: map[string]int{}}
		l.Roster = b.attributes(l)
		for i := range decl.Options.Entries {
			o := &decl.Options.Entries[i]
			l.byID[o.ID] = i
			l.Options = append(l.Options, &Option{ID: o.ID, Title: Title(o.Value.Title, o.ID), Index: i, At: o.At})
		}
		b.Lists, b.lists[e.ID], b.rosters[e.ID] = append(b.Lists, l), l, l.Roster
	}
}

// attributes reads what a list's options say of themselves.
func (b *builder) attributes(l *List) *types.Roster {
	roster := &types.Roster{ID: l.ID, Section: l.section(), Attributes: map[string]types.Attribute{}}
	domains := map[string]types.Domain{}
	for _, a := range l.Decl.Attributes.Entries {
		d := b.valueDomain(a.ID, &a.Value, types.InAttribute)
		domains[a.ID] = d
		roster.Attributes[a.ID] = types.Attribute{Type: d.Type, Values: map[string]types.Value{}}
	}
	if len(l.Decl.Options.Entries) == 0 && !b.rest.inside(l.At.Pointer) {
		b.report("missing", l.At, "The %s %s has no options.", l.section(), l.ID)
	}
	for _, o := range l.Decl.Options.Entries {
		b.options[l.ID] = append(b.options[l.ID], o.ID)
		b.option(l, o, l.Decl.Attributes.IDs(), domains, roster)
	}
	return roster
}

// section is what the plan calls it: a list or a roster.
func (l *List) section() string {
	if strings.HasPrefix(l.At.Pointer, "/rosters/") {
		return "roster"
	}
	return "list"
}

func (b *builder) option(l *List, o plan.Entry[plan.RosterOption], names []string,
	domains map[string]types.Domain, into *types.Roster) {
	meant := map[string]bool{}
	for _, a := range o.Value.Attributes.Entries {
		d, ok := domains[a.ID]
		if !ok && b.rest.inside(l.At.Pointer+"/attributes") {
			continue
		}
		if !ok {
			near := finding.Declared(a.ID, names)
			meant[near.Name] = true
			b.unknownName(a.At, fmt.Sprintf("The %s %s has no attribute called %q.%s", l.section(), l.ID, a.ID,
				finding.DidYouMean(near.Name)), near)
			continue
		}
		v, err := d.FromLiteral(a.Value.Literal)
		if err != nil && d.Type.Kind != types.Invalid {
			b.report("bad-value", a.Value.At, "%s of %s: %v.", a.ID, o.ID, err)
		}
		into.Attributes[a.ID].Values[o.ID] = v
	}
	for _, name := range names {
		if _, ok := into.Attributes[name].Values[o.ID]; !ok && !meant[name] && !domains[name].Type.Optional {
			b.report("missing", o.At, "The option %s does not say its %s.", o.ID, name)
		}
	}
}

// listHoldings makes holdings for what the options of lists have.
func (b *builder) listHoldings() {
	for _, l := range b.Lists {
		l.Own = b.holdingFor(OfList, func(of plan.Holder) bool { return of.Name == "list" && of.Kind == l.ID })
		l.Players = b.holdingFor(OfPlayerList, func(of plan.Holder) bool {
			return of.Name == "player" && of.With == "list" && of.Kind == l.ID
		})
		l.Profile = b.holdingFor(OfProfileList, func(of plan.Holder) bool {
			return of.Name == "profile" && of.Kind == l.ID
		})
		l.Own.List, l.Players.List, l.Profile.List = l, l, l
	}
	b.Profile = b.holdingFor(OfProfile, func(of plan.Holder) bool { return of.Name == "profile" && of.With == "" })
}

// holdingFor makes a holding where some variable is held so; otherwise one that is in no list of holdings.
func (b *builder) holdingFor(h Holder, held func(plan.Holder) bool) *Holding {
	for _, e := range b.Plan.Variables.Entries {
		if held(e.Value.Of) {
			return b.newHolding(h, nil)
		}
	}
	return &Holding{Index: -1, Holder: h}
}

// HasProfile says whether players have anything over all slots.
func (m *Model) HasProfile() bool {
	return slices.ContainsFunc(m.Holders, func(h *Holding) bool { return h.Holder.OfProfiles() && len(h.Stored) > 0 })
}

// underOption makes sure that a variable's name is free under the options of its list: there stand the attributes and
// all variables of the list.
func (b *builder) underOption(v *Var) {
	l := v.Hold.List
	if l == nil {
		return
	}
	id, _, _ := strings.Cut(v.ID, ".")
	_, attribute := l.Roster.Attributes[id]
	switch {
	case l.Option(id) >= 0:
		b.report("duplicate-id", v.At, "%s is one of the options of %s already; the variable needs another name.", id,
			l.ID)
	case attribute || id == "title":
		b.report("duplicate-id", v.At, "%s.%s is an attribute of the options already; the variable needs another name.",
			l.ID, id)
	}
}

// listNames are the lists as expressions know them: with what the options have, and what a player has for them.
func (b *builder) listNames(player bool) map[string]*expr.List {
	out := map[string]*expr.List{}
	for _, l := range b.Lists {
		x := &expr.List{ID: l.ID, Index: l.Index, Options: b.options[l.ID], Roster: l.Roster,
			Vars: varEntries(l.Own, nil)}
		pairs := varEntries(l.Players, nil)
		maps.Copy(pairs, varEntries(l.Profile, nil))
		for name, e := range pairs {
			if !player {
				x.Nobody = append(x.Nobody, name)
				continue
			}
			x.Vars[name] = ofSelf(e)
		}
		out[l.ID] = x
	}
	return out
}

// ofSelf makes an entry one of the rule's player.
func ofSelf(e *expr.Entry) *expr.Entry {
	out := *e
	out.Ref.Who = expr.Self
	if e.Fields != nil {
		out.Fields = map[string]*expr.Entry{}
		for name, f := range e.Fields {
			out.Fields[name] = ofSelf(f)
		}
	}
	return &out
}
