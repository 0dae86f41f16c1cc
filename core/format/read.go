package format

import (
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// Opened is a file that was read.
type Opened struct {
	Format  *Format
	Version int
	Player  string
	Slot    int
	Save    []byte // the save of Alluvion's that it is, of the version that it says
	// Problems are what is wrong with the file by itself.
	Problems []save.Problem

	raw  []byte // what was in its wraps
	root *Node
	from map[string]origin // by JSON Pointer in Save
	// wrong are the JSON Pointers in Save of what could not be read, and was told.
	wrong map[string]bool
	rows  []*Node // of a file in which each row is a save
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

// Open reads a file, of which the name may say whose it is. An error means that it is no file of this format.
func (f *Format) Open(raw []byte, name string) ([]*Opened, error) {
	inner, err := unwrap(raw, f.Decl.Wrap)
	if err != nil {
		return nil, err
	}
	root, err := f.read(inner)
	if err != nil {
		return nil, err
	}
	if f.Decl.Rows.Value != "saves" {
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
		out = append(out, one)
	}
	if out == nil {
		return nil, &Broken{Why: "there is no row in it"}
	}
	return out, nil
}

func (f *Format) open(raw []byte, whole, root *Node, start, name string) (*Opened, error) {
	o := &opening{Opened: &Opened{Format: f, Slot: 1, raw: raw, root: whole, from: map[string]origin{}, wrong: map[string]bool{}, rows: whole.Items}, f: f,
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
	if err := o.whose(path.Base(name)); err != nil {
		return nil, err
	}
	o.head()
	o.twice(root, start, 0)
	for _, p := range o.l.parts {
		if at := f.aim(p); at != nil {
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
		if o.f.absent(p.held) || p.held.Is != nil {
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
	o.Player = strings.TrimSuffix(file, path.Ext(file))
	err := get("player", &o.f.Decl.Player, func(s string) bool { o.Player = s; return true })
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

// part reads one thing that a file holds.
func (o *opening) part(p *part, at []string) {
	if p.each == nil {
		o.one(p, p.name, at, o.root, o.start)
		return
	}
	list := o.lookUp(o.root, o.start, p.each)
	if list.node == nil || list.node.Form == Null {
		return
	}
	star := func(id string) []string {
		out := make([]string, len(at))
		for i, token := range at {
			if out[i] = token; token == "*" {
				out[i] = id
			}
		}
		return out
	}
	seen := map[string]bool{}
	record := func(n *Node, id, pointer string, spot Spot) {
		if meant, ok := p.ids[id]; ok {
			id = meant
		}
		name := strings.Replace(p.name, "*", id, 1)
		if seen[id] {
			o.tell(save.KindDuplicate, spot, pointer, name, "it stands there twice",
				"the first counts, and the file keeps the others")
			return
		}
		seen[id] = true
		o.one(p, name, star(id), n, pointer)
	}
	switch list.node.Form {
	case Table:
		if p.id != nil && o.f.Decl.Is.Value != "xml" {
			o.tell(save.KindType, list.node.Spot, list.pointer, p.name, "a list is wanted here, not a table", "it is as if there were nothing")
			return
		}
		if p.id != nil { // in XML one record alone is no list
			if id := o.lookUp(list.node, list.pointer, p.id); id.node != nil {
				record(list.node, id.node.Text, list.pointer, list.node.Spot)
			}
			return
		}
		for i := range list.node.Keys {
			k := &list.node.Keys[i]
			record(k.Value, k.Name, list.pointer+"/"+escaped(k.Name), k.Spot)
		}
	case List:
		for i, item := range list.node.Items {
			pointer := list.pointer + "/" + strconv.Itoa(i)
			if p.id == nil {
				record(item, strconv.Itoa(i), pointer, item.Spot)
				continue
			}
			id := o.lookUp(item, pointer, p.id)
			if id.node == nil || id.node.Text == "" {
				o.tell(save.KindType, item.Spot, pointer, p.name, "it does not say whose it is: it has no "+p.held.ID.Path.Value,
					"it is left out, and the file keeps it")
				continue
			}
			record(item, id.node.Text, pointer, item.Spot)
		}
	default:
		o.tell(save.KindType, list.node.Spot, list.pointer, p.name,
			"a list or a table is wanted here, not "+list.node.Form.String(), "it is as if there were nothing")
	}
}

// one reads one value to its place in the save.
func (o *opening) one(p *part, name string, at []string, from *Node, base string) {
	where := o.lookUp(from, base, p.path)
	where.node = o.f.leaf(where.node)
	where.name = name
	o.from[pointerOf(at)] = where
	var text jsontext.Value
	switch {
	case where.node == nil && o.f.absent(p.held):
		text = jsontext.Value("null")
	case where.node == nil:
		if at[0] == "place" && at[1] == "facing" {
			o.tell(save.KindMissing, where.near.Spot, where.pointer, name, "it is not there", "it is "+o.f.set.firstFacing())
		} else if at[0] == "place" {
			o.nowhere = true
			o.tell(save.KindMissing, where.near.Spot, where.pointer, name, "it is not there", "they are at the start, "+o.f.set.m.Start.ID)
		}
		return
	default:
		var problem string
		if text, problem = o.scalar(p.held, p.dom, where.node); problem != "" {
			text = o.misfit(p, at, name, where, problem)
			if text == nil {
				return
			}
		}
	}
	if slices.Contains(at, "at") && !isNumber(string(text)) && (string(text) != "null" || at[0] == "place") { // a coordinate
		o.misfit(p, at, name, where, "a number is wanted, not "+where.node.String())
		return
	}
	switch {
	case at[0] == "milestones" && len(at) == 1:
		o.set([]string{"milestones"}, text)
	case at[0] == "milestones":
		if string(text) == "true" {
			list, _ := o.doc["milestones"].([]any)
			o.doc["milestones"] = append(list, at[1])
		}
	case at[0] == "checkpoint" && string(text) == "null":
	default:
		o.set(at, text)
		if p.rewind && o.f.Of() == "player" {
			o.set(append([]string{"record"}, at...), text)
		}
	}
}

// firstFacing is how a player faces at the start.
func (s *Set) firstFacing() string {
	if s.m.Start.Facing != "" || len(s.m.Facings) == 0 {
		return s.m.Start.Facing
	}
	return s.m.Facings[0]
}

// misfit tells of what cannot be read, and gives what is read instead; nil where it is as if it were not there.
func (o *opening) misfit(p *part, at []string, name string, where origin, problem string) jsontext.Value {
	kind, instead := save.KindType, "it is as if it were not there"
	v := o.f.set.variable(o.f.set.nameNow(p.name, o.Version))
	if v != nil && !v.Holder.Lazy() {
		instead = "it has its start value, " + v.Start.Plain()
	}
	switch problem {
	case notMapped:
		problem = fmt.Sprintf("%s is not in the map of the format", where.node)
		if kind = save.KindOption; p.dom == aName {
			kind = save.KindPlace
		}
	case tooLarge:
		problem = fmt.Sprintf("%s is outside every limit", where.node)
		if kind = save.KindRange; v != nil && save.PolicyOf(o.f.set.m, kind) == save.Nearest {
			near := v.Max
			if strings.HasPrefix(where.node.Text, "-") {
				near = v.Min
			}
			o.tell(kind, where.node.Spot, where.pointer, name, problem, "it is "+near.String()+", the nearest that is right")
			return jsontext.Value(near.String())
		}
	}
	if at[0] == "place" && at[1] == "facing" {
		instead = "it is " + o.f.set.firstFacing()
	} else if at[0] == "place" {
		o.nowhere, instead = true, "they are at the start, "+o.f.set.m.Start.ID
	}
	o.tell(kind, where.node.Spot, where.pointer, name, problem, instead)
	o.wrong[pointerOf(at)] = true
	return nil
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

// What scalar says is wrong, where that is more than that something is of another type.
const (
	notMapped = "not mapped"
	tooLarge  = "too large"
)

// scalar is what stands in a file as a value of a save, as JSON; or why it is none.
func (o *opening) scalar(h *plan.Held, d *types.Domain, n *Node) (jsontext.Value, string) {
	for i := range h.Map {
		if m := &h.Map[i]; n.Form != List && n.Form != Table && m.File.Value == plainly(n) {
			return o.f.meant(d, &m.Plan), ""
		}
	}
	switch {
	case len(h.Map) > 0 && n.Form != Null && (d == nil || !d.Type.Numeric()) && (n.Form != Text || n.Text != ""):
		return nil, notMapped
	case n.Form == Number && d != nil && d.Type.Numeric() && !h.Read.Given() && !isNumber(n.Text):
		return nil, tooLarge
	case d == aName && (n.Form == Number || n.Form == Bool):
		quoted, _ := jsontext.AppendQuote(nil, n.Text)
		return quoted, ""
	case n.Form == Null, n.Form == Text && n.Text == "" && (h.None.Value == "empty" || o.f.texts() && nothing(h, d)):
		return jsontext.Value("null"), ""
	case h.Read.Given():
		return o.f.calculated(h.Read, "old", d, o.f.plain(n, nil))
	case h.As.Given:
		return as(h.As.Value, d, n)
	case h.Split.Given && n.Form == Text:
		list := &Node{Form: List, Spot: n.Spot}
		if n.Text != "" {
			for _, item := range strings.Split(n.Text, h.Split.Value) {
				list.Items = append(list.Items, &Node{Form: Text, Text: strings.TrimSpace(item)})
			}
		}
		return o.f.items(list, d, true), ""
	}
	return o.f.json(n, d), ""
}

// nothing says whether an empty text stands for none, where everything is a text: of what may be none, and of numbers.
// Of a text that is not there where it is none, it is a text.
func nothing(h *plan.Held, d *types.Domain) bool {
	if h.None.Value == "missing" && d != nil && d.Type.Kind == types.Text {
		return false
	}
	return d == nil || d.Type.Optional || d.Type.Numeric()
}

// plainly is what stands in a file, as a map names it.
func plainly(n *Node) string {
	if n.Form == Null {
		return "null"
	}
	if n.Form == Number {
		if num, err := fixed.Exact(n.Text); err == nil {
			return num.String()
		}
	}
	return strings.TrimSpace(n.Text)
}

// meant is a value that a plan writes in a map.
func (f *Format) meant(d *types.Domain, l *plan.Literal) jsontext.Value {
	if d != nil {
		if v, err := d.FromLiteral(l.Literal); err == nil {
			raw, _ := v.MarshalJSON()
			return raw
		}
	}
	switch l.Kind {
	case types.LiteralBool:
		return jsontext.Value(strconv.FormatBool(l.Bool))
	case types.LiteralNumber:
		return jsontext.Value(l.Number.String())
	}
	raw, _ := jsontext.AppendQuote(nil, l.Text)
	return raw
}

// json is a node as JSON.
func (f *Format) json(n *Node, d *types.Domain) jsontext.Value {
	switch n.Form {
	case Null:
		return jsontext.Value("null")
	case Bool:
		return jsontext.Value(n.Text)
	case Table:
		return jsontext.Value("{}")
	case List:
		return f.items(n, d, f.texts())
	}
	return f.plain(n, d)
}

func (f *Format) items(n *Node, d *types.Domain, texts bool) jsontext.Value {
	var item *types.Domain
	if d != nil {
		item = d.Item
	}
	out := []byte{'['}
	for i, one := range n.Items {
		if i > 0 {
			out = append(out, ',')
		}
		if texts && one.Form == Text {
			out = append(out, typed(one.Text, item)...)
			continue
		}
		out = append(out, f.json(one, item)...)
	}
	return append(out, ']')
}

// plain is a number or a text as JSON.
func (f *Format) plain(n *Node, d *types.Domain) jsontext.Value {
	switch {
	case n.Form == Number:
		return jsontext.Value(number9(n, d))
	case n.Form == Bool:
		return jsontext.Value(n.Text)
	case f.texts() && n.Form == Text:
		return typed(n.Text, d)
	}
	raw, _ := jsontext.AppendQuote(nil, n.Text)
	return raw
}

// typed reads a text where everything is a text: as what the variable is; where nobody knows what it is, as it looks.
func typed(text string, d *types.Domain) jsontext.Value {
	quoted, _ := jsontext.AppendQuote(nil, text)
	if d == nil {
		switch num, err := fixed.Parse(text); {
		case text == "true" || text == "false":
			return jsontext.Value(text)
		case err == nil && num.String() == text:
			return jsontext.Value(text)
		}
		return quoted
	}
	if d.Type.Kind != types.Text {
		text = strings.TrimSpace(text)
	}
	if d.Type.Numeric() {
		if _, err := fixed.Read(text); err == nil {
			return jsontext.Value(number9(&Node{Form: Number, Text: text}, d))
		}
		return quoted
	}
	v, err := d.Type.Kind.Typed(d, text)
	if err != nil || v.IsNone() {
		return quoted
	}
	raw, _ := v.MarshalJSON()
	return raw
}

// nearStep is how far a number that was calculated in binary may be from a step, and still means it.
var nearStep = fixed.Must("0.000001")

// exactDigits is how many digits a number has of which somebody meant each: a 64-bit binary number has no more.
const exactDigits = 15

// number9 is a number as JSON, with at most nine places where more of them mean nothing.
func number9(n *Node, d *types.Domain) string {
	num, err := fixed.Read(n.Text)
	if err != nil {
		return n.Text
	}
	digits := strings.Count(strings.Map(func(r rune) rune {
		if '0' <= r && r <= '9' {
			return 'd'
		}
		return -1
	}, n.Text), "d")
	if d != nil && (n.Float || digits >= exactDigits) && d.Step.Sign() > 0 {
		if near, err := num.RoundTo(d.Step); err == nil {
			if off, err := near.Sub(num); err == nil && !nearStep.Less(off.Abs()) {
				return near.String()
			}
		}
	}
	return num.String()
}

// as reads a number that is written in another way.
func as(way string, d *types.Domain, n *Node) (jsontext.Value, string) {
	switch way {
	case "date":
		at, err := time.Parse(time.RFC3339, n.Text)
		if n.Form != Text || err != nil {
			return nil, "a date like 2027-03-01T12:00:00Z is wanted, not " + n.String()
		}
		whole := fixed.FromInt(at.Unix())
		part := fixed.FromNano(int64(at.Nanosecond()))
		sum, err := whole.Add(part)
		if err != nil {
			return nil, "it is too far away"
		}
		return jsontext.Value(number9(&Node{Text: sum.String()}, d)), ""
	}
	if n.Form != Number && n.Form != Text {
		return nil, "a number is wanted, not " + n.String()
	}
	num, err := fixed.Read(n.Text)
	if err != nil {
		return nil, "a number is wanted, not " + n.String()
	}
	if way == "millis" {
		if num, err = num.Div(fixed.FromInt(1000)); err != nil {
			return nil, "it is too large"
		}
	}
	return jsontext.Value(number9(&Node{Text: num.String(), Float: n.Float}, d)), ""
}

// calculated is what an expression makes of a value.
func (f *Format) calculated(x plan.Expr, called string, d *types.Domain, text jsontext.Value) (jsontext.Value, string) {
	var given types.Value
	if err := given.UnmarshalJSON(text); err != nil {
		return nil, err.Error()
	}
	v, err := f.set.chain.Eval(x, func(name string) (types.Value, error) {
		if name != called {
			return types.None, fmt.Errorf("nothing is called %s here: %s is what stands there", name, called)
		}
		return given, nil
	})
	if err != nil {
		return nil, fmt.Sprintf("nothing can be calculated by %s of %s: %v", x.Source, given, err)
	}
	if d != nil {
		v = d.Rounded(v)
	}
	raw, err := v.MarshalJSON()
	if err != nil {
		return nil, err.Error()
	}
	return raw, ""
}
