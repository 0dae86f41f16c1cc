package format

import (
	"fmt"
	"path"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
)

// Opened is a file that was read.
type Opened struct {
	Format  *Format
	Version int
	Player  string
	// SaysPlayer says whether Player stands in the file, or in the names of its files, rather than in what it is called.
	SaysPlayer bool
	Slot       int
	Save       []byte // the save of Alluvion's that it is, of the version that it says
	// Problems are what is wrong with the file by itself.
	Problems []save.Problem

	raw  []byte // what was in its wraps
	root *Node
	from map[string]origin // by JSON Pointer in Save
	// wrong are the JSON Pointers in Save of what could not be read, and was told.
	wrong map[string]bool
	row   int // of a file in which each row is a save
}

// origin is where something of a save stands in the file that it was read from.
type origin struct {
	node    *Node // nil where it is not there
	near    *Node // the nearest node that is there
	pointer string
	name    string // as the plan calls it
}

// opening is a file that is being read.
type opening struct {
	*Opened
	f     *Format
	l     *layout
	root  *Node
	doc   map[string]any
	start string // the pointer of the root: of a row, its number
	// nowhere says that a part of where the player is cannot be read: they are at the start.
	nowhere bool
}

// within goes on in one of the files of a save, until what it gives is called.
func (o *opening) within(f *Format) (back func()) {
	whole := o.f
	o.f = f
	return func() { o.f = whole }
}

// Open reads a file, of which the name may say whose it is. An error means that it is no file of this format.
func (f *Format) Open(raw []byte, name string) ([]*Opened, error) {
	inner, err := unwrap(raw, f.Decl.Wrap, f.set.key)
	if err != nil {
		return nil, err
	}
	root, err := f.read(inner)
	if err != nil {
		return nil, err
	}
	if !f.rows() {
		one, err := f.open(inner, root, root, "", name)
		if err != nil {
			return nil, err
		}
		return []*Opened{one}, nil
	}
	var out []*Opened
	for i, row := range root.Items {
		one, err := f.open(inner, root, row, "/"+strconv.Itoa(i), name)
		if err != nil {
			return nil, err
		}
		one.row = i
		out = append(out, one)
	}
	if out == nil {
		return nil, &Broken{Why: "there is no row in it"}
	}
	return out, nil
}

func (f *Format) open(raw []byte, whole, root *Node, start, name string) (*Opened, error) {
	o := &opening{Opened: &Opened{Format: f, Slot: 1, raw: raw, root: whole, from: map[string]origin{}, wrong: map[string]bool{}}, f: f,
		root: root, start: start, doc: map[string]any{}}
	var err error
	if o.Version, err = o.version(); err != nil {
		return nil, err
	}
	o.l = f.layout(o.Version)
	if f.Decl.Version.Is != nil {
		if err := o.hasEverything(); err != nil {
			return nil, err
		}
	}
	if f.bundle != nil {
		player, slot := f.bundle.whose(raw)
		o.Player, o.SaysPlayer = player, player != ""
		if n, err := strconv.Atoi(slot); err == nil {
			o.Slot = n
		}
	}
	if err := o.whose(path.Base(name)); err != nil {
		return nil, err
	}
	o.head()
	if f.bundle != nil {
		for _, p := range f.bundle.files {
			if root.Key(p.id) == nil {
				o.tell(save.KindMissing, Spot{}, "/"+p.id, "save", "there is no file like "+p.decl.Name.Value, "what stands in it begins anew")
			}
		}
	}
	o.twice(root, start, 0)
	for _, p := range o.l.parts {
		if at := f.aim(p); at != nil && p.computed == nil {
			o.part(p, at)
		}
	}
	o.rest()
	if o.Save, err = encode(o.doc); err != nil {
		return nil, err
	}
	return o.Opened, nil
}

// lookUp finds where something stands in the file.
func (o *opening) lookUp(from *Node, base string, way []string) origin {
	found, last, steps := o.f.find(from, way)
	at := origin{node: found, near: last, pointer: base}
	for _, token := range way[:steps] {
		at.pointer += "/" + escaped(token)
	}
	return at
}

// find goes along a path. In XML a name of which there is one stands for a list of it, and the other way about.
func (f *Format) find(from *Node, way []string) (found, last *Node, steps int) {
	if f.Decl.Is.Value != "xml" {
		return from.find(way)
	}
	last = from
	for i, token := range way {
		next := last.step(token)
		switch {
		case next != nil:
		case last.Form == List && len(last.Items) > 0 && last.Items[0].step(token) != nil:
			next = last.Items[0].step(token)
		case last.Form != List && token == "0":
			next = last
		case last.Form != Table && last.Form != List && token == "#text":
			next = last
		default:
			return nil, last, i
		}
		last = next
	}
	return last, last, len(way)
}

// leaf is the text of an element that has attributes, too; anything else is as it is.
func (f *Format) leaf(n *Node) *Node {
	if n == nil || n.Form != Table || f.Decl.Is.Value != "xml" {
		return n
	}
	if k := n.Key("#text"); k != nil {
		return k.Value
	}
	return &Node{Form: Text, Spot: n.Spot}
}

// version reads which version of the plan a file is of.
func (o *opening) version() (int, error) {
	h := &o.f.Decl.Version
	if h.Is != nil {
		n, _ := h.Is.Number.Int()
		return int(n), nil
	}
	way, _ := tokens(h.Path.Value)
	at := o.lookUp(o.root, o.start, way)
	if at.node == nil {
		return 0, broken(Spot{}, "it has no %s, which says its version", h.Path.Value)
	}
	defer o.within(o.f.in(h))()
	text, problem := o.scalar(h, aCount, at.node)
	n, err := fixed.Exact(string(text))
	i, whole := n.Int()
	if problem != "" || err != nil || !whole || i < 1 || i > 1_000_000 {
		return 0, broken(at.node.Spot, "%s says its version, and %s is none: a whole number from 1 is wanted", h.Path.Value,
			at.node.String())
	}
	return int(i), nil
}

// String is a node as people read it, clipped.
func (n *Node) String() string {
	switch n.Form {
	case List, Table:
		return n.Form.String()
	case Text:
		if r := []rune(n.Text); len(r) > 40 {
			return strconv.Quote(string(r[:40]) + "…")
		}
		return strconv.Quote(n.Text)
	case Null:
		return "null"
	}
	return n.Text
}

// hasEverything makes sure that a file in which nothing says its version has the paths of the format.
func (o *opening) hasEverything() error {
	for _, p := range o.l.parts {
		way := p.path
		if p.each != nil {
			way = p.each
		}
		if p.f.absent(p.held) || p.held.Is != nil || p.computed != nil {
			continue
		}
		if at := o.lookUp(o.root, o.start, way); at.node == nil {
			where := p.held.Path.Value
			if p.each != nil {
				where = p.held.Each.Value
			}
			return broken(Spot{}, "it has no %s", where)
		}
	}
	return nil
}

// whose reads whose save it is, and which slot.
func (o *opening) whose(file string) error {
	get := func(part string, h *plan.Held, into func(string) bool) error {
		switch {
		case h.Is != nil:
			into(h.Is.Text)
		case h.File.Given:
			m := o.f.file[part].FindStringSubmatch(file)
			i := o.f.file[part].SubexpIndex(part)
			if m == nil || i < 0 {
				return broken(Spot{}, "its name is not like %s", h.File.Value)
			}
			into(m[i])
		case h.Path.Given:
			way, _ := tokens(h.Path.Value)
			at := o.lookUp(o.root, o.start, way)
			if at.node == nil || at.node.Form == List || at.node.Form == Table || at.node.Form == Null {
				return broken(at.near.Spot, "%s says %s, and is not there", h.Path.Value,
					map[string]string{"player": "whose save it is", "slot": "which slot it is of"}[part])
			}
			o.from["/"+part] = origin{at.node, at.node, at.pointer, part}
			if text := o.mapped(h, at.node); !into(text) {
				return broken(at.node.Spot, "%s says which slot it is of, and %s is none: a number from 1 is wanted", h.Path.Value,
					at.node.String())
			}
		}
		return nil
	}
	if o.Player == "" {
		o.Player = strings.TrimSuffix(file, path.Ext(file))
	}
	err := get("player", &o.f.Decl.Player, func(s string) bool { o.Player, o.SaysPlayer = s, true; return true })
	if err != nil {
		return err
	}
	return get("slot", &o.f.Decl.Slot, func(s string) bool {
		n, err := strconv.Atoi(s)
		o.Slot = n
		return err == nil && n > 0
	})
}

// mapped is the text of a node, or what the plan says that it means.
func (o *opening) mapped(h *plan.Held, n *Node) string {
	for _, m := range h.Map {
		if m.File.Value == n.Text {
			return m.Plan.Text
		}
	}
	return n.Text
}

// head begins the save.
func (o *opening) head() {
	m := o.f.set.m
	o.doc["game"], o.doc["version"] = m.Plan.Game.Name, o.Version
	switch o.f.Of() {
	case "world":
		o.doc["alluvion_world"] = save.Format
		o.doc["values"] = map[string]any{}
	case "profile":
		o.doc["alluvion_profile"], o.doc["player"] = save.Format, o.Player
		o.doc["values"] = map[string]any{}
	default:
		o.doc["alluvion_save"], o.doc["player"], o.doc["slot"], o.doc["visits"] = save.Format, o.Player, o.Slot, 1
		o.doc["dead"] = false
		o.doc["values"] = map[string]any{}
		o.doc["record"] = map[string]any{"values": map[string]any{}}
		if m.Single {
			o.doc["world"] = map[string]any{"alluvion_world": save.Format, "game": m.Plan.Game.Name, "version": o.Version,
				"values": map[string]any{}}
		}
	}
}

// twice tells of keys that stand twice in one table.
func (o *opening) twice(n *Node, pointer string, depth int) {
	if n.Form == Table && len(n.Keys) > 1 {
		seen := make(map[string]bool, len(n.Keys))
		for i := range n.Keys {
			k := &n.Keys[i]
			if seen[k.Name] {
				o.tell(save.KindDuplicate, k.Spot, pointer+"/"+escaped(k.Name), "save", fmt.Sprintf("the key %q stands there twice", k.Name),
					"the first counts, and the file keeps the others")
			}
			seen[k.Name] = true
		}
	}
	for i := range n.Keys {
		o.twice(n.Keys[i].Value, pointer+"/"+escaped(n.Keys[i].Name), depth+1)
	}
	for i, item := range n.Items {
		o.twice(item, pointer+"/"+strconv.Itoa(i), depth+1)
	}
}

func (o *opening) tell(kind save.Kind, at Spot, pointer, name, reason, otherwise string) {
	p := save.Problem{Kind: kind, Pointer: pointer, Name: name, Reason: reason, Policy: save.PolicyOf(o.f.set.m, kind),
		Line: at.Line, Column: at.Column, Byte: o.f.byteOf(at)}
	p.Instead = otherwise
	switch p.Policy {
	case save.Last:
		p.Instead = "the newest earlier save of the slot is loaded in which this is right"
	case save.Refuse:
		p.Instead = "the save is not loaded"
	}
	o.Problems = append(o.Problems, p)
}

// byteOf is the place of a spot in a file that has no lines.
func (f *Format) byteOf(at Spot) int {
	if at.Line > 0 {
		return 0
	}
	return at.Start
}

// pointerOf is a JSON Pointer of its parts.
func pointerOf(at []string) string {
	var out strings.Builder
	for _, token := range at {
		out.WriteString("/" + escaped(token))
	}
	return out.String()
}

// set puts a value into the save.
func (o *opening) set(at []string, text jsontext.Value) {
	into := o.doc
	for i, token := range at[:len(at)-1] {
		if at[i+1] == "0" || at[i+1] == "1" || at[i+1] == "2" {
			if token == "at" {
				o.axis(into, at[i+1], text)
				return
			}
		}
		next, ok := into[token].(map[string]any)
		if !ok {
			next = map[string]any{}
			into[token] = next
		}
		into = next
	}
	into[at[len(at)-1]] = text
}

// axis puts one coordinate into a place.
func (o *opening) axis(place map[string]any, axis string, text jsontext.Value) {
	list, ok := place["at"].([]any)
	if !ok {
		list = make([]any, len(o.f.set.m.Axes))
		for i := range list {
			list[i] = jsontext.Value("0")
		}
		place["at"] = list
	}
	i, _ := strconv.Atoi(axis)
	if i < len(list) {
		list[i] = text
	}
}

// noPlaces leaves out the waymarks and movables of which the file says no scene: those are none.
func (o *opening) noPlaces(in map[string]any, kind string) {
	places, _ := in[kind].(map[string]any)
	for id, p := range places {
		place, _ := p.(map[string]any)
		scene, _ := place["scene"].(jsontext.Value)
		if s := string(scene); s == "" || s == "null" || s == `""` {
			delete(places, id)
			continue
		}
		if s := fmt.Sprintf("%s", place["facing"]); s == "null" {
			delete(place, "facing")
		}
	}
	if len(places) == 0 {
		delete(in, kind)
	}
}

// rest adds what every save has and the format says nothing of: it begins anew.
func (o *opening) rest() {
	m := o.f.set.m
	o.noPlaces(o.doc, "waymarks")
	o.noPlaces(o.doc, "movables")
	if record, ok := o.doc["record"].(map[string]any); ok {
		o.noPlaces(record, "waymarks")
	}
	if world, ok := o.doc["world"].(map[string]any); ok {
		o.noPlaces(world, "movables")
	}
	if o.f.Of() == "player" {
		place, ok := o.doc["place"].(map[string]any)
		if !ok || o.nowhere {
			place = map[string]any{}
			o.doc["place"] = place
		}
		if place["scene"] == nil {
			place["scene"] = m.Start.Scene.ID
		}
		if place["at"] == nil {
			at := make([]any, len(m.Axes))
			for i := range at {
				at[i] = jsontext.Value(m.Start.Point[i].String())
			}
			place["at"] = at
		}
		if place["facing"] == nil && len(m.Facings) > 0 {
			place["facing"] = o.f.set.firstFacing()
		}
		o.doc["entry"] = place
	}
	if o.Version != m.Plan.Version.Value {
		return
	}
	fill := func(h *model.Holding, at []string) {
		if h == nil {
			return
		}
		for _, v := range h.Stored {
			where := append(at[:len(at):len(at)], v.ID)
			if _, held := o.from[pointerOf(where)]; !held && !v.Seed && v.Shared == nil {
				raw, _ := v.Start.MarshalJSON()
				o.set(where, raw)
			}
		}
	}
	switch o.f.Of() {
	case "world":
		fill(m.Holders[model.OfGame], []string{"values"})
	case "profile":
		fill(m.Profile, []string{"values"})
	default:
		fill(m.Holders[model.OfPlayer], []string{"values"})
		if m.Single {
			fill(m.Holders[model.OfGame], []string{"world", "values"})
		}
	}
}
