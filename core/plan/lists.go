package plan

import (
	"reflect"
	"slices"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/types"
)

// AllLists are the plan's lists and rosters: a roster is a list, too.
func (p *Plan) AllLists() []Entry[Roster] { return slices.Concat(p.Lists.Entries, p.Rosters.Entries) }

// List finds a list or a roster by its id; nil where there is none.
func (p *Plan) List(id string) *Roster {
	if l := p.Lists.Get(id); l != nil {
		return l
	}
	return p.Rosters.Get(id)
}

// ListIDs are the ids of all lists and rosters.
func (p *Plan) ListIDs() []string { return append(p.Lists.IDs(), p.Rosters.IDs()...) }

// read reads a list in its short form, too: [harbour, dunes].
func (l *Roster) read(r *reader, n *node, f field) {
	if n.form == formList {
		l.Options.read(r, n, f)
		return
	}
	r.table(n, reflect.ValueOf(l).Elem())
}

// read reads the options as a table, or by their names alone.
func (o *RosterOptions) read(r *reader, n *node, f field) {
	if n.form != formList {
		o.Map.read(r, n, f)
		return
	}
	o.At = n.At
	for _, item := range n.items {
		if !item.scalar() {
			r.wrong(item, "the name of an option")
			continue
		}
		r.checkID(item.text, item.At, IsID)
		if o.Get(item.text) != nil {
			r.report("duplicate-id", item.At, "%q stands here twice.", clip(item.text))
			continue
		}
		o.Entries = append(o.Entries, Entry[RosterOption]{ID: item.text, At: item.At})
	}
}

// read takes the fates of what lists hold apart from those that every plan has.
func (d *Defaults) read(r *reader, n *node, _ field) {
	if n.form != formTable {
		r.wrongTable(n, reflect.TypeFor[Defaults]())
		return
	}
	builtIn := fieldsOf(reflect.TypeFor[Defaults]()).byName
	rest := n.without(func(name string) bool {
		_, known := builtIn[name]
		return !known && slices.Contains(r.lists, name)
	}, func(k *key) {
		e := Entry[Fates]{ID: k.name, At: k.at}
		e.Value.read(r, k.value, field{name: k.name})
		d.Lists.Entries = append(d.Lists.Entries, e)
	})
	r.tableOf(rest, reflect.ValueOf(d).Elem(), func(*node) {}, r.lists...)
}

// mostOptions is how many options a list may have.
const mostOptions = 1000

// listRoots are the names that no list can have: names that expressions begin with, and the keys of defaults.
var listRoots = []string{"player", "profile", "place", "game", "scene", "scenes", "prop", "args", "movables", "time",
	"present", "days_missed", "pair", "session"}

// resolveLists makes sure that a list's name stands for nothing else.
func (p *Plan) resolveLists(r *reader) {
	taken := slices.Concat(listRoots, TypesOf(^types.Stand(0)), []string{GroupType})
	for _, e := range p.AllLists() {
		switch {
		case slices.Contains(taken, e.ID):
			r.report("duplicate-id", e.At, "%s is a word of the language; the list needs another name.", e.ID)
		case p.Lists.Get(e.ID) != nil && p.Rosters.Get(e.ID) != nil:
			r.report("duplicate-id", e.At, "There is a list and a roster called %s: one of them needs another name.",
				e.ID)
		case len(e.Value.Options.Entries) > mostOptions:
			r.report("bad-value", e.At, "The list %s has %s options; there can be %s.", e.ID,
				finding.Grouped(len(e.Value.Options.Entries)), finding.Grouped(mostOptions))
		}
	}
}
