package plan

import (
	"reflect"
	"slices"
	"sort"
	"strings"
	"time"

	"alluvion.dev/core/finding"
)

func (ms *Moments) read(r *reader, n *node, f field) {
	if n.form != formList {
		if m, ok := readMoment(r, n); ok {
			*ms = Moments{m}
		}
		return
	}
	for _, item := range n.items {
		if m, ok := readMoment(r, item); ok {
			*ms = append(*ms, m)
		}
	}
}

// readMoment reads one moment: the name of an event or of a built-in moment, {changed: variable}, or
// {every: 30s}.
func readMoment(r *reader, n *node) (Moment, bool) {
	m := Moment{At: n.At}
	if n.form == formTable && len(n.keys) == 1 && n.keys[0].name == "every" {
		m.Kind = "every"
		return m, m.readEvery(r, n.keys[0].value)
	}
	if n.form == formTable && len(n.keys) > 1 && n.key("crossed") != nil {
		form := CrossedForm{}
		r.table(n, reflect.ValueOf(&form).Elem())
		m.Kind, m.Of, m.At, m.Each = "crossed", form.Crossed.Name, form.Crossed.At, form.Of.Value == "player"
		return m, m.Of != ""
	}
	switch {
	case n.scalar():
		m.Kind = n.text
		if known := momentCalled(m.Kind); known != nil && known.needs != "" {
			r.report("missing", n.At, "%s needs %s.", m.Kind, known.needs)
			return m, false
		}
	case n.form == formTable && len(n.keys) == 1:
		m.Kind, m.Of, m.At = n.keys[0].name, n.keys[0].value.text, n.keys[0].value.At
		switch {
		case contains(momentsOf, m.Kind):
		case contains(BuiltInMoments, m.Kind):
			r.report("wrong-type", n.keys[0].at, "%s takes no name: write on: %s, and ask for more with if.", m.Kind,
				m.Kind)
			return m, false
		default:
			r.unknownKey(n.keys[0], append([]string{"every"}, momentsOf...))
			return m, false
		}
		if !n.keys[0].value.scalar() || m.Of == "" {
			r.wrong(n.keys[0].value, "the name of "+momentCalled(m.Kind).of)
			return m, false
		}
	default:
		wrongMoment(r, n)
		return m, false
	}
	return m, true
}

// wrongMoment reports what is no moment; of a table with several keys it says how that moment is written.
func wrongMoment(r *reader, n *node) {
	for _, k := range n.keys {
		switch {
		case momentCalled(k.name) == nil:
		case k.name == "every":
			r.report("wrong-type", n.At, "What else every says stands beside its time: write {every: {time: %s, of: player}}.",
				clip(k.value.text))
			return
		default:
			r.report("wrong-type", n.At, "A moment is written with one key, {%s: …}: what else is asked for belongs into the rule's if.",
				k.name)
			return
		}
	}
	r.wrong(n, "a moment, or the name of an event")
}

// readEvery reads 30s, or {time: 30s, of: player}.
func (m *Moment) readEvery(r *reader, n *node) bool {
	form := EveryForm{}
	if n.form == formTable {
		r.table(n, reflect.ValueOf(&form).Elem())
	} else {
		r.read(n, reflect.ValueOf(&form.Time).Elem(), field{name: "every"})
	}
	if form.Time.Given && form.Time.Value < 100*time.Millisecond {
		r.report("bad-value", form.Time.At, "every is at least 100ms, not %s.", form.Time.Value)
		return false
	}
	m.Every = form.Time.Value
	if form.Of.Value == "player" {
		m.Of = "player"
	}
	return form.Time.Given
}

// Rules are a plan's rules in document order.
type Rules []Rule

// read reads a list, in which rules may have names, or a table, in which all do.
func (x *Rules) read(r *reader, n *node, _ field) {
	if n.form != formTable {
		r.list(n, reflect.ValueOf((*[]Rule)(x)).Elem(), field{})
		x.names(r)
		return
	}
	*x = make(Rules, len(n.keys))
	for i, k := range n.keys {
		rule := &(*x)[i]
		r.table(k.value, reflect.ValueOf(rule).Elem())
		if rule.Name.Name != "" {
			r.report("wrong-type", rule.Name.At, "The rule is called %s already, by its key.", clip(k.name))
		}
		r.checkID(k.name, k.at, IsID)
		rule.Name = ID{k.name, k.at}
	}
}

// names makes sure that no two rules have one name.
func (x Rules) names(r *reader) {
	first := map[string]ID{}
	for i := range x {
		name := x[i].Name
		if before, twice := first[name.Name]; twice && name.Name != "" {
			r.report("duplicate-id", name.At, "There is a rule called %q already, on line %d.", clip(name.Name),
				before.Line)
		}
		first[name.Name] = name
	}
}

func (a *Always) read(r *reader, n *node, f field) {
	if n.form == formTable {
		r.table(n, reflect.ValueOf(a).Elem())
		return
	}
	a.At = n.At
	r.read(n, reflect.ValueOf(&a.That).Elem(), f)
}

// read reads a list of actions, or the name of a spot.
func (o *Otherwise) read(r *reader, n *node, f field) {
	o.At = n.At
	if n.form == formList {
		r.list(n, reflect.ValueOf(&o.Do).Elem(), field{})
		return
	}
	r.read(n, reflect.ValueOf(&o.Spot).Elem(), field{ref: "spot"})
}

// read takes the axes of a box apart from the rest: {x: [44, 60], y: [0, 18]}, or {at: [9, 9], radius: 3}.
func (a *Area) read(r *reader, n *node, f field) {
	if n.form != formTable {
		r.wrong(n, "a table: {x: [44, 60], y: [0, 18]} or {at: [9, 9], radius: 3}")
		return
	}
	box := &node{form: formTable, At: n.At}
	for _, k := range n.keys {
		switch k.name {
		case "title":
			r.read(k.value, reflect.ValueOf(&a.Title).Elem(), field{name: "title"})
		case "at":
			r.read(k.value, reflect.ValueOf(&a.At).Elem(), field{name: "at"})
		case "radius":
			r.read(k.value, reflect.ValueOf(&a.Radius).Elem(), field{name: "radius", min: "0"})
		case "accept":
			r.read(k.value, reflect.ValueOf(&a.Accept).Elem(), field{name: "accept"})
		default:
			box.keys = append(box.keys, k)
		}
	}
	r.read(box, reflect.ValueOf(&a.Box).Elem(), field{})
}

func (t *ValueType) read(r *reader, n *node, f field) {
	if n.form == formTable {
		r.table(n, reflect.ValueOf(t).Elem())
		return
	}
	t.At = n.At
	r.read(n, reflect.ValueOf(&t.Type).Elem(), field{id: "type"})
	r.pickOf(&t.Type, &t.Roster)
}

// pickOf reads the type pick:courier, which says the roster with it.
func (r *reader) pickOf(t *ID, roster *Ref) {
	name, ok := strings.CutPrefix(t.Name, "pick:")
	switch {
	case !ok:
	case roster.Given():
		r.report("wrong-type", roster.At, "The type %s says the roster already.", t.Name)
	default:
		t.Name, *roster = "pick", Ref{name, t.At}
		r.refs = append(r.refs, reference{"roster", roster})
	}
}

func (t *ValueType) complete(r *reader, _ *node) { r.pickOf(&t.Type, &t.Roster) }

// read takes variables that stand within another one for what they are meant as: a group, or those of one holder.
func (v *Variable) read(r *reader, n *node, _ field) {
	fields := fieldsOf(reflect.TypeFor[Variable]())
	nested := n.form == formTable && len(n.keys) > 0
	for _, k := range n.keys {
		if _, known := fields.byName[k.name]; known || k.value.form != formTable {
			nested = false
		}
	}
	if !nested {
		r.table(n, reflect.ValueOf(v).Elem())
		return
	}
	first := n.keys[0].name
	r.report("missing", n.At,
		"Whose it is (of) and its type are missing here: there are only other variables. Each stands by itself: %[1]s: {of: player, …}. Those that belong together are a group: {of: player, type: group, fields: {%[1]s: …}}.",
		clip(first))
}

func (v *Variable) complete(r *reader, _ *node) { r.pickOf(&v.Type, &v.Roster) }

func (f *Field) complete(r *reader, _ *node) { r.pickOf(&f.Type, &f.Roster) }

// read takes an option's title apart from its attributes, whose names are the roster's own.
func (o *RosterOption) read(r *reader, n *node, f field) {
	if n.form != formTable {
		r.wrong(n, "a table of attributes")
		return
	}
	rest := &node{form: formTable, At: n.At}
	for _, k := range n.keys {
		switch k.name {
		case "title":
			r.read(k.value, reflect.ValueOf(&o.Title).Elem(), field{name: "title"})
		case "if":
			r.read(k.value, reflect.ValueOf(&o.If).Elem(), field{name: "if"})
		case "refused":
			r.read(k.value, reflect.ValueOf(&o.Refused).Elem(), field{name: "refused"})
		default:
			rest.keys = append(rest.keys, k)
		}
	}
	r.read(rest, reflect.ValueOf(&o.Attributes).Elem(), f)
}

// read reads a spot's or a waymark's name, or {scene: ridge_by_night, carry: [x, y]}.
func (d *Destination) read(r *reader, n *node, f field) {
	if n.form == formTable {
		r.table(n, reflect.ValueOf(d).Elem())
		return
	}
	r.read(n, reflect.ValueOf(&d.Ref).Elem(), f)
}

// read reads a spot's name, or {in: gorge, at: [50, 30]}.
func (p *Placement) read(r *reader, n *node, f field) {
	if n.form == formTable {
		r.table(n, reflect.ValueOf(p).Elem())
		return
	}
	r.read(n, reflect.ValueOf(&p.Spot).Elem(), field{ref: "spot"})
}

// verb finds the one key of a table that says what is done: of the type's fields those with a with tag, even
// an empty one. It reports what is missing beside it, and what does not go with it.
func (r *reader) verb(n *node, t reflect.Type, what string) string {
	fs := fieldsOf(t)
	var verbs, others []string
	for _, k := range n.keys {
		f, ok := fs.byName[k.name]
		switch {
		case !ok:
		case f.verb:
			verbs = append(verbs, k.name)
		default:
			others = append(others, k.name)
		}
	}
	if len(verbs) > 1 { // one that another goes with
		for _, v := range verbs {
			rest := slices.DeleteFunc(slices.Clone(verbs), func(w string) bool {
				return w == v || fs.byName[v].takes(w)
			})
			if len(rest) == 0 {
				others = append(others, slices.DeleteFunc(slices.Clone(verbs), func(w string) bool {
					return w == v
				})...)
				verbs = []string{v}
				break
			}
		}
	}
	if len(verbs) == 0 && !r.alreadyReported(n.keys) {
		r.report("missing", n.At, "%s does one thing, and this says none: one of %s is wanted.", what,
			strings.Join(verbsOf(t), ", "))
	}
	if len(verbs) > 1 {
		r.report("wrong-type", n.At, "%s does one thing; this one says %s. Write them apart.", what,
			strings.Join(verbs, " and "))
	}
	if len(verbs) != 1 {
		return ""
	}
	r.companions(n, verbs[0], fs.byName[verbs[0]], others)
	return verbs[0]
}

// wordsHere are the keys that could stand in a table: of one that does one thing, what goes with that, or (where it
// does nothing yet) what could be done.
func wordsHere(n *node, t reflect.Type) []string {
	fs := fieldsOf(t)
	verbs := verbsOf(t)
	if len(verbs) == 0 {
		return fs.names
	}
	for _, k := range n.keys {
		if f, ok := fs.byName[k.name]; ok && f.verb {
			words := []string{f.name}
			for _, w := range strings.Split(f.with, ",") {
				if w != "" {
					words = append(words, strings.TrimSuffix(w, "?"))
				}
			}
			return words
		}
	}
	return verbs
}

// takes says whether something goes with a verb.
func (f field) takes(name string) bool {
	return slices.ContainsFunc(strings.Split(f.with, ","), func(w string) bool {
		return strings.TrimSuffix(w, "?") == name
	})
}

// companions checks what goes with a verb: with "a,b?" a is needed and b may stand.
func (r *reader) companions(n *node, name string, verb field, others []string) {
	allowed := map[string]bool{}
	for _, w := range strings.Split(verb.with, ",") {
		other, optional := strings.CutSuffix(w, "?")
		allowed[other] = true
		if other != "" && !optional && n.key(other) == nil {
			r.report("missing", n.At, "%s needs %q beside it.", name, other)
		}
	}
	for _, other := range others {
		if !allowed[other] {
			r.report("wrong-type", n.key(other).at, "%q does not go with %s.", other, name)
		}
	}
}

func (n *node) key(name string) *key {
	for i := range n.keys {
		if n.keys[i].name == name {
			return &n.keys[i]
		}
	}
	return nil
}

// alreadyReported says whether one of the keys has a finding of its own, so that the missing verb is
// a consequence of it.
func (r *reader) alreadyReported(keys []key) bool {
	for _, k := range keys {
		for _, f := range r.found {
			if f.At == k.at || f.At == k.value.At {
				return true
			}
		}
	}
	return false
}

// verbsOf lists what an action or a step can do, in alphabetical order.
func verbsOf(t reflect.Type) []string {
	var verbs []string
	for _, f := range fieldsOf(t).list {
		if f.verb {
			verbs = append(verbs, f.name)
		}
	}
	sort.Strings(verbs)
	return verbs
}

// resolve makes sure that every reference names something, and that ids do not shadow what is built in.
func (p *Plan) resolve(r *reader) {
	spots, areas := map[string]bool{}, map[string]bool{}
	var names, areaNames []string
	for _, s := range p.Scenes.Entries {
		for _, spot := range s.Value.Spots.Entries {
			name := s.ID + "/" + spot.ID
			spots[name], names = true, append(names, name)
		}
		for _, area := range s.Value.Areas.Entries {
			name := s.ID + "/" + area.ID
			areas[name], areaNames = true, append(areaNames, name)
		}
	}
	known := map[string][]string{"spot": names, "roster": p.ListIDs(), "event": p.Events.IDs(),
		"scene": p.Scenes.IDs(), "area": areaNames, "milestone": p.Milestones.IDs(), "waymark": p.Waymarks.IDs(), "spot or waymark": append(p.Waymarks.IDs(), names...), "movable": p.Movables.IDs(), "kind of prop": p.Props.IDs()}
	isKnown := map[string]func(string) bool{
		"spot":            func(n string) bool { return spots[n] },
		"roster":          func(n string) bool { return p.List(n) != nil },
		"event":           func(n string) bool { return p.Events.Get(n) != nil },
		"scene":           func(n string) bool { return p.Scenes.Get(n) != nil },
		"waymark":         func(n string) bool { return p.Waymarks.Get(n) != nil },
		"movable":         func(n string) bool { return p.Movables.Get(n) != nil },
		"kind of prop":    func(n string) bool { return p.Props.Get(n) != nil },
		"area":            func(n string) bool { return areas[n] },
		"milestone":       func(n string) bool { return p.Milestones.Get(n) != nil },
		"spot or waymark": func(n string) bool { return spots[n] || p.Waymarks.Get(n) != nil },
	}
	for _, ref := range r.refs {
		if !isKnown[ref.kind](ref.ref.Name) {
			r.dangling(ref, known[ref.kind], p)
		}
	}
	for _, e := range p.Events.Entries {
		if contains(BuiltInMoments, e.ID) {
			r.report("bad-value", e.At, "%q is a built-in moment; an event needs another name.", e.ID)
		}
	}
	for _, k := range p.Props.IDs() {
		areaNames = append(areaNames, "prop:"+k)
	}
	p.resolveMoments(r, areaNames)
	p.resolveCrossings(r)
	p.resolveLists(r)
	p.resolveUpgrades(r)
}

func (r *reader) dangling(ref reference, names []string, p *Plan) {
	name := ref.ref.Name
	near := finding.Declared(name, names)
	text := "There is no " + ref.kind + " called \"" + clip(name) + "\"."
	scene, spot, isPath := strings.Cut(name, "/")
	if ref.kind == "spot or waymark" && isPath {
		ref.kind = "spot"
	}
	switch {
	case ref.kind == "spot" && !isPath && p.Scenes.Get(name) != nil:
		spots := p.Scenes.Get(name).Spots.IDs()
		text = clip(name) + " is a scene, and one of its spots is wanted, as scene/spot."
		near = finding.Guess{}
		if len(spots) > 0 {
			text += " It has " + strings.Join(spots, ", ") + ": write " + name + "/" + spots[0] + "."
		}
	case ref.kind == "spot" && !isPath:
		text = "A spot is written as scene/spot; \"" + clip(name) + "\" names no scene and no spot."
	case ref.kind == "spot" && p.Scenes.Get(scene) == nil:
		text = "There is no scene called \"" + clip(scene) + "\"."
		if s := finding.Declared(scene, p.Scenes.IDs()); s.Name != "" && p.Scenes.Get(s.Name).Spots.Get(spot) != nil {
			near = finding.Guess{Name: s.Name + "/" + spot, Sure: s.Sure}
		}
	case ref.kind == "spot":
		spots := p.Scenes.Get(scene).Spots.IDs()
		text = "The scene " + scene + " has no spot called \"" + clip(spot) + "\"."
		if s := finding.Declared(spot, spots); s.Name != "" {
			near = finding.Guess{Name: scene + "/" + s.Name, Sure: s.Sure}
		} else if near.Name == "" && len(spots) > 0 {
			text += " It has " + strings.Join(spots, ", ") + "."
		}
	case ref.kind == "kind of prop" && near.Name != "":
		near.Name = "prop:" + near.Name // as it is written there
	}
	r.unknownName(ref.ref.At, text, near)
}

func (p *Plan) resolveMoments(r *reader, areas []string) {
	for i := range p.Rules {
		for j := range p.Rules[i].On {
			p.resolveMoment(r, areas, &p.Rules[i].On[j])
		}
	}
	for i := range p.Crossings.Entries {
		on := p.Crossings.Entries[i].Value.On
		for j := range on {
			p.resolveMoment(r, areas, &on[j])
		}
	}
}

func (p *Plan) resolveMoment(r *reader, areas []string, m *Moment) {
	switch {
	case (m.Kind == "entered" || m.Kind == "exited") && !contains(areas, m.Of):
		near := finding.Declared(m.Of, areas)
		if contains(areas, "prop:"+m.Of) {
			near = finding.Guess{Name: "prop:" + m.Of, Sure: true}
		}
		text := "There is no area called \"" + clip(m.Of) +
			"\"; an area is written as scene/area, and a kind of props as prop:kind."
		r.unknownName(m.At, text, near)
	case (m.Kind == "arrived" || m.Kind == "departed") && m.Of != "" && p.Scenes.Get(m.Of) == nil:
		r.unknownName(m.At, "There is no scene called \""+clip(m.Of)+"\".",
			finding.Declared(m.Of, p.Scenes.IDs()))
	case m.Kind == "checkpoint" && m.Of != "" && (p.Checkpoints == nil || p.Checkpoints.List.Get(m.Of) == nil):
		var points []string
		if p.Checkpoints != nil {
			points = p.Checkpoints.List.IDs()
		}
		r.unknownName(m.At, "There is no checkpoint called \""+clip(m.Of)+"\".", finding.Declared(m.Of, points))
	case m.Kind == "milestone" && m.Of != "" && p.Milestones.Get(m.Of) == nil:
		r.unknownName(m.At, "There is no milestone called \""+clip(m.Of)+"\".",
			finding.Declared(m.Of, p.Milestones.IDs()))
	case m.Kind == "crossed" && builtInCrossing(m.Of) != (Crossing{}):
		r.report("bad-value", m.At, "%s is a crossing that every game has: wait for %s.", m.Of, insteadOfCrossed[m.Of])
	case m.Kind == "crossed" && p.Crossings.Get(m.Of) == nil:
		r.unknownName(m.At, "The plan has no crossing called \""+clip(m.Of)+"\".",
			finding.Declared(m.Of, p.Crossings.IDs()))
	case contains(BuiltInMoments, m.Kind):
	case p.Events.Get(m.Kind) != nil:
		m.Kind, m.Of = "event", m.Kind
	default:
		r.unknownName(m.At, "There is no event or moment called \""+clip(m.Kind)+"\".",
			finding.Word(m.Kind, append(p.Events.IDs(), BuiltInMoments...)))
	}
}

// insteadOfCrossed are the moments of the crossings that every game has.
var insteadOfCrossed = map[string]string{"scene": "departed or arrived", "death": "died or came-back",
	"leave": "left or loaded", "restart": "joined", "new-run": "started"}

// unknownName reports a name that nothing has, with the nearest that something has, if any is near.
func (r *reader) unknownName(at finding.At, text string, near finding.Guess) {
	r.report("unknown-name", at, "%s%s", text, finding.DidYouMean(near.Name)).Suggest(near)
}

func contains(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}
