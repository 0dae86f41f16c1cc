package format

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/core/upgrade"
)

// Left is something of a save that a file cannot hold.
type Left struct {
	Name string `json:"name"`
	Why  string `json:"why"`
}

// Write puts a save of the plan's own version, as JSON, into a file of the format. was is the file that the save came
// from: everything in it that the save does not change stays as it is. Without one (nil) a file is written anew.
func (f *Format) Write(doc []byte, was *Opened) ([]byte, []Left, error) {
	return f.WriteAll([][]byte{doc}, []*Opened{was})
}

// WriteAll is Write for a file that holds several saves: a table of which each row is one. was are all that it held. One
// that has no document (nil) stays as it is.
func (f *Format) WriteAll(docs [][]byte, was []*Opened) ([]byte, []Left, error) {
	var raw []byte
	root := &Node{Form: Table}
	if f.rows() {
		root = &Node{Form: List, Items: []*Node{{Form: Table}}}
	}
	if was[0] != nil {
		var err error
		raw = was[0].raw
		if root, err = f.read(raw); err != nil {
			return nil, nil, err
		}
	}
	var left []Left
	var written []*writing
	for i, doc := range docs {
		if doc == nil {
			continue
		}
		saved, err := jsonTongue{}.read(doc)
		if err != nil {
			return nil, nil, err
		}
		w := &writing{f: f, saved: saved, doc: doc, o: &opening{f: f, Opened: &Opened{Format: f, from: map[string]origin{}}}}
		if was[i] != nil {
			w.row, w.before = was[i].row, was[i].Version
		}
		w.root = f.rowOf(root, w.row)
		w.all()
		written, left = append(written, w), append(left, w.left...)
	}
	out, err := f.tongueFor(written).write(raw, root)
	if err != nil {
		return nil, nil, err
	}
	if root, err = f.read(out); err != nil {
		return nil, nil, fmt.Errorf("what would be written cannot be read again: %w", err)
	}
	for _, w := range written {
		left = append(left, w.proved(f.rowOf(root, w.row))...)
	}
	out, err = rewrap(out, f.Decl.Wrap, f.set.key)
	return out, left, err
}

// tongueFor is the tongue that files are written in: of a save that is several files, with their names filled in.
func (f *Format) tongueFor(saves []*writing) tongue {
	if f.bundle == nil || len(saves) == 0 {
		return f.tongue
	}
	get := func(part string) string {
		if n := saves[0].saved.step(part); n != nil {
			return n.Text
		}
		return ""
	}
	slot, err := strconv.Atoi(get("slot"))
	if err != nil {
		slot = 1
	}
	return f.bundle.called(get("player"), slot)
}

// rows says whether each row of a file is a save.
func (f *Format) rows() bool { return f.Decl.Rows.Value == "saves" }

// rowOf is where a save begins in a file: its row, or the whole.
func (f *Format) rowOf(root *Node, row int) *Node {
	if f.rows() {
		return root.Items[row]
	}
	return root
}

// proved tells what of a save does not come back as it is from a file that was written, beside what was told already.
func (w *writing) proved(root *Node) (left []Left) {
	again := &writing{f: w.f, saved: w.saved, doc: w.doc, o: w.o, root: root, proving: true}
	again.all()
	for _, l := range again.left {
		if !slices.ContainsFunc(w.left, func(k Left) bool { return k.Name == l.Name }) {
			left = append(left, l)
		}
	}
	return left
}

// writing is a file that is being written.
type writing struct {
	f      *Format
	o      *opening // reads what stands there
	root   *Node
	saved  *Node
	doc    []byte // of saved
	row    int    // of a table of saves
	before int    // the version of the file that was there; 0 where there was none
	left   []Left
	// proving says that nothing is written: what would be is told.
	proving bool
}

// within goes on in one of the files of a save, until what it gives is called.
func (w *writing) within(f *Format) (back func()) {
	whole, reads := w.f, w.o.within(f)
	w.f = f
	return func() { reads(); w.f = whole }
}

func (w *writing) leave(name, format string, args ...any) {
	w.left = append(w.left, Left{name, fmt.Sprintf(format, args...)})
}

func (w *writing) all() {
	d, now := w.f.Decl, w.f.set.m.Plan.Version.Value
	w.fact("the version", &d.Version, &Node{Form: Number, Text: strconv.Itoa(now)}, aCount)
	for part, h := range map[string]*plan.Held{"player": &d.Player, "slot": &d.Slot} {
		if at := w.saved.step(part); at != nil && h.Given() {
			w.fact(part, h, at, map[string]*types.Domain{"player": aName, "slot": aCount}[part])
		}
	}
	l := w.f.layout(now)
	if w.before > 0 && w.before != now {
		w.clear(w.f.layout(w.before), l)
	}
	done := map[string]bool{}
	for _, p := range l.parts {
		w.part(p, l, done)
	}
}

// part writes one thing; what is held for each of many with everything that stands in the same records.
func (w *writing) part(p *part, l *layout, done map[string]bool) {
	at := w.f.aim(p)
	defer w.within(p.f)()
	switch {
	case at == nil:
	case p.computed != nil:
		w.computed(p)
	case p.each == nil:
		w.value(p, p.name, w.stored(p, at, p.name), w.root, p.path)
	case !done[p.held.Each.Value]:
		done[p.held.Each.Value] = true
		w.records(p.held.Each.Value, l.parts)
	}
}

// clear takes out what stood in a file of an earlier version and stands elsewhere now, or in another way.
func (w *writing) clear(then, now *layout) {
	for _, p := range then.parts {
		stays := slices.ContainsFunc(now.parts, func(q *part) bool {
			return q.place() == p.place() && slices.Equal(q.id, p.id) && (q.id == nil) == (p.id == nil)
		})
		way := p.path
		if p.each != nil {
			way = p.each
			stays = stays || slices.ContainsFunc(now.parts, func(q *part) bool { // another field of the same records
				return q.each != nil && q.held.Each.Value == p.held.Each.Value && slices.Equal(q.id, p.id) && (q.id == nil) == (p.id == nil)
			})
		}
		n, _, _ := p.f.find(w.root, way)
		if stays || n == nil || n == w.root || n.gone {
			continue
		}
		if p.each != nil {
			known := w.ids(p)
			w.eachRecord(p, n, func(id string, _ *Node) {
				if !slices.Contains(known, id) {
					w.leave(strings.Replace(p.name, "*", id, 1), "the plan does not know it, and it stands in another way in files of this version")
				}
			})
		}
		n.gone = true
		w.prune(way)
	}
}

// prune takes out what holds nothing any more, after something in it was taken out.
func (w *writing) prune(way []string) {
	for len(way) > 1 {
		way = way[:len(way)-1]
		n, _, _ := w.f.find(w.root, way)
		if n == nil || len(living(n)) > 0 {
			return
		}
		n.gone = true
	}
}

// fact writes the version, the player or the slot.
func (w *writing) fact(name string, h *plan.Held, value *Node, d *types.Domain) {
	if !h.Path.Given {
		return
	}
	way, _ := tokens(h.Path.Value)
	defer w.within(w.f.in(h))()
	w.put(name, h, d, w.root, way, value)
}

// stored is what the save has: its start value where a save leaves that out; nil where it is none.
func (w *writing) stored(p *part, at []string, name string) *Node {
	if at[0] == "milestones" && len(at) == 2 {
		has := false
		if list := w.saved.step("milestones"); list != nil {
			has = slices.ContainsFunc(list.Items, func(n *Node) bool { return n.Text == at[1] })
		}
		return &Node{Form: Bool, Text: strconv.FormatBool(has)}
	}
	if n, _, _ := w.saved.find(at); n != nil {
		return n
	}
	if v := w.f.set.variable(name); v != nil {
		raw, _ := v.Start.MarshalJSON()
		n, _ := jsonTongue{}.read(raw)
		return n
	}
	if at[0] == "milestones" {
		return &Node{Form: List}
	}
	return &Node{Form: Null}
}

// value writes one value where it stands, below a node.
func (w *writing) value(p *part, name string, value, from *Node, way []string) {
	w.put(name, p.held, p.dom, from, way, value)
}

// put writes a value unless what stands there means the same.
func (w *writing) put(name string, h *plan.Held, d *types.Domain, from *Node, way []string, value *Node) {
	there, _, _ := w.f.find(from, way)
	if there != nil && there.Form == Table && w.f.Decl.Is.Value == "xml" && value.Form != Null { // of an element with attributes
		way = append(way[:len(way):len(way)], "#text")
		there = there.step("#text")
	}
	if there != nil && !there.gone {
		text, wrong := w.o.scalar(h, d, there)
		if wrong == "" && same(text, value, d) {
			return
		}
	} else if value.Form == Null && (w.f.absent(h) || strings.HasPrefix(name, "waymarks.") || strings.HasPrefix(name, "movables.")) {
		return
	}
	n, why := w.f.written(h, d, value, there)
	switch {
	case why != "":
		w.leave(name, "%s", why)
	case w.proving:
		w.leave(name, "%s cannot stand in %s as it is", value, w.f.Decl.Is.Value)
	case n == nil && there != nil:
		there.gone = true
	case n == nil:
	case there != nil && !there.gone:
		there.become(n)
	default:
		if why := w.f.insert(from, way, n); why != "" {
			w.leave(name, "%s", why)
		}
	}
}

// same says whether a JSON text means what a node is: of a set, in whichever order.
func same(text jsontext.Value, n *Node, d *types.Domain) bool {
	read := types.FromJSON
	if d != nil && d.Type.Kind == types.Set {
		read = d.FromJSON
	}
	a, errA := read(text)
	b, errB := read(valueOf(n))
	return errA == nil && errB == nil && a == b
}

// valueOf is a node of a save as JSON.
func valueOf(n *Node) jsontext.Value { return (&Format{Decl: &plan.SaveFormat{}}).json(n, nil) }

// become makes a node another one in the same place.
func (n *Node) become(m *Node) {
	if n.was == nil {
		was := *n
		n.was = &was
	}
	n.Form, n.Text, n.Float, n.Items, n.Keys = m.Form, m.Text, m.Float, m.Items, m.Keys
}

// insert puts a node where nothing stands; it makes the tables that lead there.
func (f *Format) insert(from *Node, way []string, n *Node) string {
	for i, token := range way {
		last := i == len(way)-1
		if from.Form == Text && f.Decl.Is.Value == "xml" && (token[0] == '@' || token == "#text") {
			text := *from
			from.become(&Node{Form: Table, Keys: []Key{{Name: "#text", Value: &text}}})
		}
		next := from.step(token)
		if next != nil && !last {
			from = next
			continue
		}
		made := n
		if !last {
			made = &Node{Form: Table}
			if way[i+1] == "0" && !f.texts() {
				made.Form = List
			}
		}
		switch j, isIndex := index(token); {
		case from.Form == Table:
			from.Keys = append(from.Keys, Key{Name: token, Value: made})
		case from.Form == List && isIndex && j == len(from.Items):
			from.Items = append(from.Items, made)
		default:
			return fmt.Sprintf("there is no place for it in the file: /%s is %s", strings.Join(way[:i], "/"), from.Form)
		}
		from = made
	}
	return ""
}

// computed writes what the plan calculates of a save.
func (w *writing) computed(p *part) {
	value, ok := types.None, false
	if l, err := w.f.set.chain.Player(w.doc, upgrade.Around{}); err == nil {
		value, ok = w.f.set.calculated(l.Player, p.computed)
	}
	if !ok {
		w.leave(p.name, "it cannot be calculated of this save")
		return
	}
	raw, _ := value.MarshalJSON()
	node, _ := jsonTongue{}.read(raw)
	there, _, _ := w.f.find(w.root, p.path)
	n, why := w.f.written(p.held, p.dom, node, there)
	switch {
	case why != "":
		w.leave(p.name, "%s", why)
	case n == nil && there == nil, n != nil && there != nil && !there.gone && there.Form == n.Form && there.Text == n.Text:
	case w.proving:
		w.leave(p.name, "%s cannot stand in %s as it is", node, w.f.Decl.Is.Value)
	case n == nil:
		there.gone = true
	case there != nil && !there.gone:
		there.become(n)
	default:
		if why := w.f.insert(w.root, p.path, n); why != "" {
			w.leave(p.name, "%s", why)
		}
	}
}

// calculated is what a computed variable is in a save; false where it cannot be calculated.
func (s *Set) calculated(p *save.Player, v *model.Var) (types.Value, bool) {
	s.judging.Lock()
	defer s.judging.Unlock()
	return s.asked().Computed(p, v)
}

// asked is who calculates what is computed.
func (s *Set) asked() *engine.Judge {
	if s.judge == nil {
		s.judge = engine.NewJudge(s.m, nil)
	}
	return s.judge
}

// records writes what is held for each of many.
func (w *writing) records(each string, parts []*part) {
	var here []*part
	for _, p := range parts {
		if p.each != nil && p.held.Each.Value == each && w.f.aim(p) != nil {
			here = append(here, p)
		}
	}
	first := here[0]
	list, _, _ := w.f.find(w.root, first.each)
	known := map[string]*Node{}
	if list != nil {
		w.eachRecord(first, list, func(id string, record *Node) {
			if known[id] == nil {
				known[id] = record
			}
		})
	}
	for _, id := range w.ids(first) {
		record := known[id]
		for _, p := range here {
			name := strings.Replace(p.name, "*", id, 1)
			at := slices.Clone(w.f.aim(p))
			for i, token := range at {
				if token == "*" {
					at[i] = id
				}
			}
			value := w.stored(p, at, name)
			switch {
			case record != nil && len(p.path) == 0:
				w.scalarRecord(p, name, value, record)
			case record != nil:
				w.value(p, name, value, record, p.path)
			case w.starts(name, value):
			case w.proving:
				w.leave(name, "%s cannot stand in %s as it is", value, w.f.Decl.Is.Value)
			default:
				if record = w.newRecord(p, id, name); record == nil {
					return
				}
				known[id] = record
				if len(p.path) == 0 {
					w.scalarRecord(p, name, value, record)
				} else {
					w.value(p, name, value, record, p.path)
				}
			}
		}
	}
}

// scalarRecord writes a record that is one value.
func (w *writing) scalarRecord(p *part, name string, value, record *Node) {
	if text, wrong := w.o.scalar(p.held, p.dom, record); record.old() && wrong == "" && same(text, value, p.dom) {
		return
	}
	n, why := w.f.written(p.held, p.dom, value, record)
	switch {
	case why != "":
		w.leave(name, "%s", why)
	case w.proving:
		w.leave(name, "%s cannot stand in %s as it is", value, w.f.Decl.Is.Value)
	case n == nil:
		record.gone = true
	default:
		record.become(n)
	}
}

// starts says whether a value is what everything begins with: then it needs no record.
func (w *writing) starts(name string, value *Node) bool {
	v := w.f.set.variable(name)
	if v == nil {
		return value.Form == Null
	}
	raw, _ := v.Start.MarshalJSON()
	return same(raw, value, &v.Domain)
}

// eachRecord visits the records of a list or a table, with what each is called in the plan.
func (w *writing) eachRecord(p *part, list *Node, visit func(id string, record *Node)) {
	meant := func(id string) string {
		if m, ok := p.ids[id]; ok {
			return m
		}
		return id
	}
	switch {
	case list.Form == Table && p.id != nil:
		if id, _, _ := w.f.find(list, p.id); id != nil {
			visit(meant(id.Text), list)
		}
	case list.Form == Table:
		for i := range list.Keys {
			visit(meant(list.Keys[i].Name), list.Keys[i].Value)
		}
	case list.Form == List:
		for i, item := range list.Items {
			id := strconv.Itoa(i)
			if p.id != nil {
				n, _, _ := w.f.find(item, p.id)
				if n == nil {
					continue
				}
				id = n.Text
			}
			visit(meant(id), item)
		}
	}
}

// ids are those for which the plan holds what a part is about, in its order.
func (w *writing) ids(p *part) []string {
	parts := strings.Split(p.name, ".")
	m := w.f.set.m
	var out []string
	switch l := m.List(parts[0]); {
	case l != nil:
		for _, o := range l.Options {
			out = append(out, o.ID)
		}
	case parts[0] == "prop" && m.Kind(parts[1]) != nil:
		for _, x := range m.Kind(parts[1]).Props {
			out = append(out, x.ID)
		}
	case parts[0] == "scenes":
		for _, s := range m.Scenes {
			out = append(out, s.ID)
		}
	}
	return out
}

// newRecord adds a record for one of many; nil where there is no place for one.
func (w *writing) newRecord(p *part, id, name string) *Node {
	inFile := id
	for _, file := range slices.Sorted(maps.Keys(p.ids)) {
		if p.ids[file] == id {
			inFile = file
			break
		}
	}
	list, _, _ := w.f.find(w.root, p.each)
	if list == nil {
		list = &Node{Form: List}
		if p.id == nil {
			list.Form = Table
		}
		if why := w.f.insert(w.root, p.each, list); why != "" {
			w.leave(name, "%s", why)
			return nil
		}
	}
	record := &Node{Form: Table}
	switch {
	case list.Form == Table && p.id == nil:
		list.Keys = append(list.Keys, Key{Name: inFile, Value: record})
	case list.Form == Table: // in XML one record alone is no list
		one := *list
		list.become(&Node{Form: List, Items: []*Node{&one, record}})
	case list.Form == List && p.id != nil:
		list.Items = append(list.Items, record)
	default:
		w.leave(name, "there is no place for it in the file: %s is %s", p.held.Each.Value, list.Form)
		return nil
	}
	if p.id != nil {
		w.f.insert(record, p.id, w.f.looks(inFile, nil))
	}
	return record
}
