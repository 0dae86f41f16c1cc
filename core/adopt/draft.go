package adopt

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/format"
)

// writer writes a draft.
type writer struct {
	options Options
	groups  []*group
	version int
	where   *where
	taken   map[string]bool // ids of variables
	lists   []list
	vars    []drafted
	matched map[*figure]bool // of earlier versions: those that something in the newest is
	lost    []string
	out     strings.Builder
}

// list is the ids for which something is held.
type list struct {
	id, evidence string
	each         string
	group        *group
	options      []string
	read         map[string]string
}

// drafted is a variable of the draft.
type drafted struct {
	id, name string // name: player.coins, pack.*.count
	of       string
	kind     kind
	list     *figure // of a list or a set
	items    string
	group    *group
	at       *figure
	before   []before
}

// before is where something stood in an earlier version.
type before struct {
	version  int
	at       *figure
	read     string
	evidence string
}

// reserved are ids that variables and lists cannot have.
var reserved = []string{"dead", "checkpoint", "slot", "visits", "first_visit", "place", "profile", "player", "game", "scene", "scenes",
	"prop", "props", "session", "args", "old", "value", "is", "in", "true", "false", "null", "milestones", "waymarks", "movables", "standings", "lists", "crossings", "checkpoints"}

func (w *writer) plan() (string, error) {
	w.taken, w.matched = map[string]bool{}, map[*figure]bool{}
	for _, r := range reserved {
		w.taken[r] = true
	}
	w.version = 1
	for _, g := range w.groups {
		w.version = max(w.version, g.inOrder()[len(g.drafts)-1])
	}
	slotted := slices.ContainsFunc(w.groups, func(g *group) bool { return g.whose.pattern != "" || g.whose.slot != "" })
	for i, g := range w.groups {
		g.over = i > 0 && slotted && g.whose.pattern == "" && g.whose.slot == "" && !g.rows
		if v := g.inOrder(); g.versions.path == "" && w.version > v[len(v)-1] { // they say none: they are of the newest
			w.moveTo(g, w.version)
		}
		w.group(g)
	}
	w.write()
	return w.out.String(), nil
}

// moveTo makes the files of a group of another version.
func (w *writer) moveTo(g *group, version int) {
	for _, s := range g.files {
		s.version = version
	}
	g.drafts = map[int]*shape{version: g.newest()}
}

func (g *group) figures(version int) []*figure {
	var out []*figure
	for _, f := range g.drafts[version].gather("", g.drafts[version].count, nil) {
		switch f.path {
		case g.versions.path, g.whose.player, g.whose.slot:
			if f.each == "" {
				continue
			}
		}
		out = append(out, f)
	}
	return out
}

func (g *group) filesOf(version int) []*source {
	var out []*source
	for _, s := range g.files {
		if s.version == version {
			out = append(out, s)
		}
	}
	return out
}

func (g *group) players() int {
	seen := map[string]bool{}
	for _, s := range g.files {
		seen[s.player] = true
	}
	return len(seen)
}

// group drafts the variables of one format.
func (w *writer) group(g *group) {
	order := g.inOrder()
	newest := order[len(order)-1]
	now := g.figures(newest)
	if w.where == nil {
		w.where = findPlace(now, g.filesOf(newest))
		if w.where != nil {
			w.where.ofGroup(g)
		}
	}
	then := map[int][]*figure{}
	for _, v := range order[:len(order)-1] {
		then[v] = slices.DeleteFunc(g.figures(v), func(f *figure) bool {
			return w.where != nil && w.where.group == g && w.where.before[v] != nil && w.where.before[v].has(f)
		})
	}
	for _, f := range now {
		if w.where != nil && w.where.used[f] {
			continue
		}
		w.figure(g, f, now, then, order[:len(order)-1])
	}
	for _, v := range order[:len(order)-1] {
		for _, f := range then[v] {
			same := func(g *figure) bool { return g.place() == f.place() && g.id == f.id }
			if !w.matched[f] && !slices.ContainsFunc(now, same) {
				w.lost = append(w.lost, fmt.Sprintf("# ? %s in %d saves of version %d: nothing in the newest is like it. It stays in the file as it is; name it under until if it is something.",
					strings.TrimSpace(f.place()), f.count, v))
			}
		}
	}
}

// figure drafts one variable.
func (w *writer) figure(g *group, f *figure, now []*figure, then map[int][]*figure, earlier []int) {
	shapes := []*shape{f.shape}
	v := drafted{group: g, at: f}
	for i := len(earlier) - 1; i >= 0; i-- {
		was := f.in1(then[earlier[i]], now)
		if was == nil {
			continue
		}
		w.matched[was.figure] = true
		b := before{version: earlier[i], at: was.figure, read: was.read, evidence: was.why}
		if was.read == "" {
			shapes = append(shapes, was.figure.shape)
		}
		if f.each != "" {
			maps.Copy(f.ids, was.figure.ids)
		}
		if was.figure.place() != f.place() || was.figure.id != f.id || was.read != "" {
			v.before = append(v.before, b)
		}
	}
	v.kind = f.kindOf(shapes, g.players())
	f.overTime(&v.kind, now)
	switch {
	case f.list:
		w.asList(&v, f, shapes)
	case f.constant(shapes) || f.secret(g.players()):
		v.kind.name = "" // it says nothing, or nobody is to read it
	}
	last := f.words[len(f.words)-1]
	if v.kind.name == "" {
		w.vars = append(w.vars, v)
		return
	}
	v.id = fresh(named(last), w.taken)
	v.of = "player"
	if g.over {
		v.of = "profile"
	}
	v.name = v.of + "." + v.id
	if f.each != "" {
		l := w.listFor(g, f)
		v.name, v.of = l+".*."+v.id, "["+v.of+", "+l+"]"
		v.kind.optional, v.kind.none = false, ""
		if v.kind.start == "" {
			v.kind.start = "0"
		}
	}
	w.vars = append(w.vars, v)
}

// constant says whether it is the same in all saves of all versions.
func (f *figure) constant(shapes []*shape) bool {
	if f.each != "" || f.count < 20 || f.count < f.in {
		return false
	}
	for _, s := range shapes {
		for text := range s.seen {
			if len(s.seen) > 1 || s.more > 0 || f.seen[text] == 0 {
				return false
			}
		}
	}
	return len(f.seen) == 1
}

// listFor is the list for which something is held, which is made where it is not there yet.
func (w *writer) listFor(g *group, f *figure) string {
	for i := range w.lists {
		if l := &w.lists[i]; l.group == g && l.each == f.each {
			for _, text := range slices.Sorted(maps.Keys(f.ids)) {
				if !slices.Contains(l.options, f.ids[text]) {
					l.options, l.read[text] = append(l.options, f.ids[text]), f.ids[text]
				}
			}
			return l.id
		}
	}
	name := f.words[0]
	if parts := strings.Split(f.each, "/"); parts[len(parts)-1] != "" {
		name = parts[len(parts)-1]
	}
	l := list{id: fresh(named(name), w.taken), each: f.each, group: g, read: maps.Clone(f.ids)}
	for _, text := range slices.Sorted(maps.Keys(f.ids)) {
		l.options = append(l.options, f.ids[text])
	}
	l.evidence = fmt.Sprintf("%d different at %s", len(f.ids), f.each)
	if f.id != "" {
		l.evidence += ", by " + f.id
	} else {
		l.evidence += ", the keys of a table"
	}
	w.lists = append(w.lists, l)
	return l.id
}

func (w *writer) asList(v *drafted, f *figure, shapes []*shape) {
	v.list = f
	most, alike, count := 0, 0, 0
	var items []*shape
	for _, s := range shapes {
		most, alike, count = max(most, s.longest), alike+s.alike, count+s.forms[format.List]
		if s.item != nil {
			items = append(items, s.item)
		}
	}
	one := &figure{words: f.words, in: f.item.count, shape: f.item}
	item := one.kindOf(items, 1<<30)
	v.kind = kind{name: "list", evidence: fmt.Sprintf("in %d of %d: up to %d items", f.count, max(f.in, f.count), most)}
	if alike == count && count >= 5 {
		v.kind.name = "set"
	}
	switch {
	case item.name == "" || item.read != nil:
		v.kind.name = ""
		return
	case item.name == "choice":
		v.items = "{type: choice, choices: [" + strings.Join(item.choices, ", ") + "]}"
	default:
		v.items = "{type: " + item.name
		for _, l := range item.limits {
			v.items += ", " + l
		}
		v.items += "}"
	}
	v.kind.limits = []string{"items: " + v.items, fmt.Sprintf("max_items: %d", roundUp(most))}
	if f.in > f.count {
		v.kind.none = "missing"
		v.kind.optional = true
	}
}

// was is what stood for something in an earlier version.
type was struct {
	figure    *figure
	read, why string
}

// in1 finds what a figure was in an earlier version: what stood in the same place, or something that is gone now and is
// like it.
func (f *figure) in1(then, now []*figure) *was {
	for _, old := range then {
		if old.place() == f.place() && old.id == f.id {
			w := &was{figure: old}
			w.scale(f)
			return w
		}
	}
	var best *was
	score := 0
	for _, old := range then {
		gone := !slices.ContainsFunc(now, func(g *figure) bool { return g.place() == old.place() && g.id == old.id })
		if !gone || (old.each == "") != (f.each == "") || old.list != f.list || old.mostly() != f.mostly() {
			continue
		}
		w := &was{figure: old}
		points := 0
		if shared(old.words, f.words) {
			points, w.why = points+2, "it has a name in common"
		}
		if equal, pairs := pairs(old, f); pairs >= 10 && equal*10 >= pairs*9 {
			points, w.why = points+3, fmt.Sprintf("the same in %d of %d pairs of one player's saves", equal, pairs)
		}
		w.scale(f)
		if points == 0 && w.read == "" && f.mostly() == format.Number && closeTo(old.shape, f.shape) {
			points, w.why = points+1, "its values are spread alike"
		}
		if points > score {
			best, score = w, points
		}
	}
	return best
}

// shared says whether names have a word in common, beside the most usual ones.
func shared(a, b []string) bool {
	last := strings.Split(named(a[len(a)-1]), "_")
	for _, word := range strings.Split(named(b[len(b)-1]), "_") {
		if len(word) > 2 && slices.Contains(last, word) {
			return true
		}
	}
	return len(a) > 1 && len(b) > 1 && a[len(a)-2] == b[len(b)-2] && a[len(a)-1] == b[len(b)-1]
}

// pairs counts players whose saves of both versions say the same.
func pairs(old, f *figure) (equal, all int) {
	now := map[string]string{}
	for s, n := range f.byFile {
		now[s.player] = n.Text
	}
	for s, n := range old.byFile {
		if text, ok := now[s.player]; ok {
			if all++; text == n.Text {
				equal++
			}
		}
	}
	return equal, all
}

// quantiles are the tenth, the half and the nine tenths of numbers.
func quantiles(s *shape) (out [3]float64, ok bool) {
	var all []float64
	for text, n := range s.seen {
		v, err := strconv.ParseFloat(text, 64)
		for range n {
			if err == nil {
				all = append(all, v)
			}
		}
	}
	if len(all) < 20 {
		return out, false
	}
	slices.Sort(all)
	for i, q := range []float64{0.1, 0.5, 0.9} {
		out[i] = all[int(q*float64(len(all)-1))]
	}
	return out, true
}

// scale finds whether an earlier version counted in another unit.
func (w *was) scale(f *figure) {
	if f.mostly() != format.Number || w.figure.mostly() != format.Number || f.each != "" {
		return
	}
	old, now := w.figure.shape, f.shape
	if old.numbers < 10 || now.numbers < 10 || old.most.Sign() <= 0 || now.most.Sign() <= 0 || old.least.Sign() < 0 || now.least.Sign() < 0 {
		return
	}
	for _, by := range []int64{2, 10, 60, 100, 1000} {
		switch {
		case times(old, now, by):
			w.read = fmt.Sprintf("old * %d", by)
			w.why = fmt.Sprintf("all later values go in steps %d times as large, up to %d times as much", by, by)
		case times(now, old, by):
			w.read = fmt.Sprintf("old / %d", by)
			w.why = fmt.Sprintf("all later values go in steps of a %dth, up to a %dth as much", by, by)
		}
	}
	for _, by := range []float64{60, 100, 1000} { // of what is counted by itself, steps say nothing
		switch {
		case w.read != "":
		case spread(old, now, by):
			w.read = fmt.Sprintf("old * %g", by)
			w.why = fmt.Sprintf("the half and the most of all later values are about %g times as much", by)
		case spread(now, old, by):
			w.read = fmt.Sprintf("old / %g", by)
			w.why = fmt.Sprintf("the half and the most of all later values are about a %gth as much", by)
		}
	}
}

// spread says whether the half and the most of large are about so many times those of small.
func spread(small, large *shape, by float64) bool {
	a, ok := quantiles(small)
	b, ok2 := quantiles(large)
	about := func(x, y float64) bool { return x > 0 && y/x > by*0.6 && y/x < by*1.6 }
	return ok && ok2 && about(a[1], b[1]) && about(small.most.Float(), large.most.Float())
}

// times says whether large is small in another unit: its steps are so many times as large, and so are the most and the
// half of its values, near enough.
func times(small, large *shape, by int64) bool {
	step, err := small.divides.Mul(fixed.FromInt(by))
	if err != nil || step != large.divides {
		return false
	}
	near := func(a, b, off float64) bool { return a > 0 && b/a > float64(by)*(1-off) && b/a < float64(by)*(1+off) }
	if !near(small.most.Float(), large.most.Float(), 0.15) {
		return false
	}
	a, ok := quantiles(small)
	b, ok2 := quantiles(large)
	return ok && ok2 && near(a[1], b[1], 0.5)
}

// closeTo says whether two sets of numbers are spread alike: their cumulated shares are nowhere further apart than 0.2
// (N. Smirnov, Table for estimating the goodness of fit of empirical distributions, 1948).
func closeTo(a, b *shape) bool {
	if a.numbers < 10 || b.numbers < 10 {
		return false
	}
	at := map[string]bool{}
	maps.Copy(at, keysOf(a.seen))
	maps.Copy(at, keysOf(b.seen))
	share := func(s *shape, upTo fixed.Num) float64 {
		below := 0
		for text, n := range s.seen {
			if v, err := fixed.Read(text); err == nil && !upTo.Less(v) {
				below += n
			}
		}
		return float64(below) / float64(s.numbers)
	}
	for text := range at {
		v, err := fixed.Read(text)
		if d := share(a, v) - share(b, v); err == nil && (d > 0.2 || d < -0.2) {
			return false
		}
	}
	return true
}

func keysOf(m map[string]int) map[string]bool {
	out := map[string]bool{}
	for k := range m {
		out[k] = true
	}
	return out
}
