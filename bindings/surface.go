package bindings

import (
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/model"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
)

// surface is what a game sees of a plan, in no language yet.
type surface struct {
	m      *model.Model
	layout *share.Layout
	title  string
	values []value
	asks   []ask     // the events that players send
	writes []value   // what players write themselves
	ids    []idGroup // what has names that stand for themselves: scenes, props, options and so on
}

// value is one variable, or something built in, that machines are sent.
type value struct {
	name    string   // player.dress.hood, prop.cache.taken
	group   string   // player, prop.cache
	path    []string // dress, hood
	form    share.Form
	code    *types.Code
	part    string // everyone, scene or self
	players bool   // whether each player has one
	copies  []string
	doc     []string
}

// ask is an event that players send.
type ask struct {
	id   string
	args []argument
	doc  []string
}

type argument struct {
	id       string
	code     *types.Code
	of       string // the kind of props that it is one of; empty where it is none
	optional bool
	doc      []string
}

// idGroup is a list of ids that values and arguments take.
type idGroup struct {
	name string // scene, cache, courier
	from string // where it stands in the plan: scenes, props.cache, rosters.courier
	ids  []string
	doc  string
}

func surfaceOf(m *model.Model) (*surface, error) {
	s := &surface{m: m, layout: share.LayoutOf(m), title: titled(m.Plan.Title.Value, m.Plan.Game.Name)}
	s.ids = idsOf(m)
	vars := map[string]*model.Var{}
	for _, v := range m.Vars {
		vars[v.Name] = v
	}
	for _, h := range s.layout.Holders {
		for _, f := range h.Fields {
			if f.Form == share.FormID {
				continue
			}
			x := value{name: f.Name, form: f.Form, code: f.Code, part: f.Part, players: h.Players, copies: h.Copies,
				doc: docOf(m, f.Name, vars[f.Name])}
			x.group, x.path = pathOf(f.Name)
			s.values = append(s.values, x)
			if v := vars[f.Name]; v != nil && v.SelfMay {
				s.writes = append(s.writes, x)
			}
		}
	}
	for _, e := range m.Events {
		if e.Self {
			s.asks = append(s.asks, askOf(e))
		}
	}
	return s, s.clashes()
}

func titled(title, id string) string {
	if title != "" {
		return title
	}
	return id
}

// says is whether a title says more than the name does.
func says(title, id string) bool {
	return title != "" && !strings.EqualFold(title, strings.NewReplacer("_", " ", ".", ": ").Replace(id))
}

// pathOf is in which group a name is, and by which path there: prop.cache.taken is taken in prop.cache.
func pathOf(name string) (group string, path []string) {
	path = strings.Split(name, ".")
	n := 1
	if path[0] == "prop" {
		n = 2
	}
	return strings.Join(path[:n], "."), path[n:]
}

// builtIn says what every player has.
var builtIn = map[string]string{
	"player.place":      "Where the player is.",
	"player.dead":       "Whether the player is dead, and not back yet.",
	"player.slot":       "In which slot the player plays, from 1.",
	"player.visits":     "How often the player came in, this time too.",
	"player.checkpoint": "The checkpoint that counts.",
	"player.milestones": "The milestones that the player has earned.",
	"movables":          "Who holds each movable, or where it stands.",
}

// docOf says what a variable is, and what it may be.
func docOf(m *model.Model, name string, v *model.Var) []string {
	if v == nil {
		for _, w := range m.Waymarks {
			if name == "player."+w.ID {
				return []string{titled(w.Title, w.ID) + ": a remembered place."}
			}
		}
		if is := builtIn[name]; is != "" {
			return []string{is}
		}
		return nil
	}
	var out []string
	if says(v.Title, v.ID) {
		out = append(out, v.Title+".")
	}
	return append(out, rangeOf(&v.Domain)...)
}

// rangeOf says within which limits a number is; those of the type itself say nothing.
func rangeOf(d *types.Domain) []string {
	if !d.Type.Numeric() || d.Max.Less(d.Min) {
		return nil
	}
	if span, err := d.Max.Sub(d.Min); err != nil || span.String() == "" || types.CodeOf(d).Codes > 1<<40 {
		return nil
	}
	text := fmt.Sprintf("%s to %s", d.Min, d.Max)
	if step := d.Step.String(); step != "1" {
		text += " in steps of " + step
	}
	return []string{text + "."}
}

func askOf(e *model.Event) ask {
	out := ask{id: e.ID}
	if says(e.Title, e.ID) {
		out.doc = append(out.doc, e.Title+".")
	}
	if e.Refused.Text != "" {
		out.doc = append(out.doc, "Refused: "+e.Refused.Text)
	}
	for i := range e.Args {
		a := &e.Args[i]
		x := argument{id: a.ID, code: types.CodeOf(&a.Domain), optional: a.Type.Optional, doc: rangeOf(&a.Domain)}
		if a.Kind != nil {
			x.of = a.Kind.ID
		}
		out.args = append(out.args, x)
	}
	return out
}

func idsOf(m *model.Model) []idGroup {
	var out []idGroup
	add := func(name, from, doc string, ids []string) {
		if len(ids) > 0 {
			out = append(out, idGroup{name, from, ids, doc})
		}
	}
	var scenes, passages, points, milestones, movables []string
	for _, x := range m.Scenes {
		scenes = append(scenes, x.ID)
	}
	for _, x := range m.Passages {
		passages = append(passages, x.ID)
	}
	for _, x := range m.Checkpoints {
		points = append(points, x.ID)
	}
	for _, x := range m.Milestones {
		milestones = append(milestones, x.ID)
	}
	for _, x := range m.Movables {
		movables = append(movables, x.ID)
	}
	add("scene", "scenes", "The scenes.", scenes)
	add("passage", "passages", "The passages.", passages)
	add("checkpoint", "checkpoints", "The checkpoints.", points)
	add("milestone", "milestones", "The milestones.", milestones)
	add("movable", "movables", "The movables.", movables)
	for _, k := range m.Kinds {
		var ids []string
		for _, p := range k.Props {
			ids = append(ids, p.ID)
		}
		add(k.ID, "props."+k.ID, "The props of the kind "+titled(k.Title, k.ID)+".", ids)
	}
	for _, l := range m.Lists {
		var ids []string
		for _, o := range l.Options {
			ids = append(ids, o.ID)
		}
		add(l.ID, l.Roster.Section+"s."+l.ID, titled(l.Title, l.ID)+".", ids)
	}
	return out
}

// clashes says where two names are the same but for capital letters, or by the way that types are called.
func (s *surface) clashes() error {
	seen := map[string]string{}
	for _, g := range s.ids {
		key := strings.ToLower(pascal(g.name))
		if other, has := seen[key]; has {
			return fmt.Errorf("%s and %s come to the same name for a type: give one of them another name", other, g.from)
		}
		seen[key] = g.from
	}
	return nil
}

// pascal writes an id as types are called: under_ledge is UnderLedge.
func pascal(id string) string {
	var b strings.Builder
	for _, word := range strings.FieldsFunc(id, func(r rune) bool { return r == '_' || r == '-' || r == '.' }) {
		b.WriteString(strings.ToUpper(word[:1]) + word[1:])
	}
	return b.String()
}

// own are the names that a runtime has for itself; what the plan calls so gets a _ behind it.
type own struct {
	machine  []string // of a machine: for groups of copies
	player   []string // of a player: for variables of players
	ask      []string // of what asks: for events
	keywords []string // of the language: for all of these, and for arguments
	scenes   string   // what the group of scenes is called
}

// naming is what the plan's names are called in one language, where that is something else.
type naming struct {
	own
	names object
}

// called says by which names the runtime goes that has some of its own. It is an error where two come to the same.
func (s *surface) called(o own) (*naming, error) {
	n := &naming{own: o}
	groups, pairs := map[string]string{}, []string{}
	for _, v := range s.values {
		if len(v.copies) == 0 || v.group == "movables" {
			continue
		}
		name := n.group(v.group)
		if other, has := groups[name]; has && other != v.group {
			return nil, fmt.Errorf("%s and %s are both called %s by a game: give one of them another name", other, v.group, name)
		}
		groups[name] = v.group
		if name != o.scenes && name != strings.TrimPrefix(v.group, "prop.") {
			n.set(v.group, name)
		}
		if v.players {
			pairs = append(pairs, name)
		}
	}
	taken := map[string]string{}
	for _, v := range s.values {
		last := v.path[max(len(v.path)-1, 0):]
		if len(last) == 0 {
			continue
		}
		name := last[0]
		if slices.Contains(o.keywords, name) || v.group == "player" && len(v.path) == 1 && (slices.Contains(o.player, name) || slices.Contains(pairs, name)) {
			name += "_"
			n.set(v.name, name)
		}
		key := v.group + "." + strings.Join(append(slices.Clone(v.path[:len(v.path)-1]), name), ".")
		if other, has := taken[key]; has {
			return nil, fmt.Errorf("%s and %s are both called %s by a game: give one of them another name", other, v.name, name)
		}
		taken[key] = v.name
	}
	for _, a := range s.asks {
		if name := n.event(a.id); name != a.id {
			n.set("events."+a.id, name)
		}
	}
	return n, nil
}

func (n *naming) set(of, name string) {
	for _, m := range n.names {
		if m.key == of {
			return
		}
	}
	n.names = append(n.names, member{of, treeOf(name)})
}

// group is what a group of copies is called.
func (n *naming) group(group string) string {
	if group == "scene" {
		return n.scenes
	}
	return n.free(strings.TrimPrefix(group, "prop."), n.machine)
}

// value is what the last part of a value's name is called.
func (n *naming) value(v value) string {
	for _, m := range n.names {
		if m.key == v.name {
			return textOf(m.is)
		}
	}
	return v.path[len(v.path)-1]
}

func (n *naming) event(id string) string    { return n.free(id, n.ask) }
func (n *naming) argument(id string) string { return n.free(id, nil) }

// free is a name that is none of the language's and none of these.
func (n *naming) free(name string, taken []string) string {
	if slices.Contains(taken, name) || slices.Contains(n.keywords, name) {
		return name + "_"
	}
	return name
}

// having selects values.
func (s *surface) having(holds func(v value) bool) []value {
	var out []value
	for _, v := range s.values {
		if holds(v) {
			out = append(out, v)
		}
	}
	return out
}

// level is what stands at one place of a path: a value, or what has further values in it.
type level struct {
	name   string
	is     *value
	inside []value
}

// levels are what values have at a depth of their paths, in the order in which it comes first: of player.dress.hood and
// player.dress.scarf that is dress, once.
func levels(values []value, depth int) (out []level) {
	for _, v := range values {
		name := v.path[depth]
		if len(v.path) == depth+1 {
			out = append(out, level{name: name, is: &v})
			continue
		}
		i := slices.IndexFunc(out, func(l level) bool { return l.is == nil && l.name == name })
		if i < 0 {
			i, out = len(out), append(out, level{name: name})
		}
		out[i].inside = append(out[i].inside, v)
	}
	return out
}

// groups are those of which there are copies, in order.
func (s *surface) groups() []string {
	var out []string
	for _, v := range s.values {
		if len(v.copies) > 0 && v.group != "movables" && !slices.Contains(out, v.group) {
			out = append(out, v.group)
		}
	}
	return out
}

// touched are the checkpoints that players touch.
func (s *surface) touched() (out []string) {
	for _, x := range s.m.Checkpoints {
		if x.Spot != nil {
			out = append(out, x.ID)
		}
	}
	return out
}

// idGroup is the list of ids that these are; nil where they are none.
func (s *surface) idGroup(ids []string) *idGroup {
	for i := range s.ids {
		if slices.Equal(s.ids[i].ids, ids) {
			return &s.ids[i]
		}
	}
	return nil
}

// plan is what a runtime is given besides names and types.
func (s *surface) plan(n *naming, props any) object {
	events := []string{}
	for _, a := range s.asks {
		events = append(events, a.id)
	}
	return object{}.with("runtime", treeOf(Runtime)).with("layout", treeOf(s.layout)).with("events", treeOf(events)).
		with("props", props).with("names", n.names)
}
