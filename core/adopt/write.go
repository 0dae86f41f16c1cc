package adopt

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"alluvion.dev/core/format"
)

// line writes a line with its evidence behind it.
func (w *writer) line(indent int, text string, evidence string, doubts ...string) {
	w.out.WriteString(strings.Repeat("  ", indent) + text)
	doubt := ""
	if len(doubts) > 0 {
		doubt = "? " + strings.Join(doubts, "; ")
		if evidence != "" {
			evidence += "; "
		}
	}
	if evidence+doubt != "" {
		if len(doubts) > 0 {
			fmt.Fprintf(&w.out, "   # ? %s%s", evidence, strings.TrimPrefix(doubt, "? "))
		} else {
			fmt.Fprintf(&w.out, "   # %s", evidence)
		}
	}
	w.out.WriteByte('\n')
}

func (w *writer) write() {
	files := 0
	for _, g := range w.groups {
		files += len(g.files)
	}
	fmt.Fprintf(&w.out, "# Drafted from %d saves. Behind each line stands what speaks for it; what is a guess begins with a question mark: look at those first.\n", files)
	w.line(0, "alluvion: 1", "")
	if w.options.Game != "" {
		w.line(0, "game: "+w.options.Game, "")
	} else {
		w.line(0, "game: adopted", "", "saves do not say what the game is called")
	}
	w.line(0, fmt.Sprintf("version: %d", w.version), w.groups[0].versions.evidence)
	w.scene()
	w.out.WriteString("\n")
	if len(w.lists) > 0 {
		w.line(0, "lists:", "")
		for _, l := range w.lists {
			w.line(1, l.id+": ["+strings.Join(l.options, ", ")+"]", l.evidence, "that these are all is not said anywhere")
		}
		w.out.WriteString("\n")
	}
	w.line(0, "defaults:", "", "saves do not say what survives what: everything is kept")
	for _, row := range []string{"player: {scene: keep, death: keep, leave: keep, new-run: reset}", "pair:   {scene: keep, death: keep, leave: keep, new-run: reset}",
		"scene:  {scene: keep, restart: keep}", "game:   {restart: keep}", "place:  {death: checkpoint, leave: exact, new-run: start}"} {
		w.line(1, row, "")
	}
	w.out.WriteString("\nvariables:\n")
	for _, v := range w.vars {
		w.variable(v)
	}
	for _, l := range w.lost {
		w.line(1, l, "")
	}
	w.scenes()
	slots := 1
	for _, g := range w.groups {
		slots = max(slots, g.whose.slots)
	}
	w.line(0, fmt.Sprintf("saving: {slots: %d, when: [scene, leave], every: 1m}", slots), "", "saves do not say when the game writes them, and how many slots there are")
	w.out.WriteString("\nformats:\n")
	for _, g := range w.groups {
		w.format(g)
	}
}

// scene writes what is said of space.
func (w *writer) scene() {
	x := w.where
	if x == nil {
		w.line(0, "space: {axes: [x, y]}", "", "no save says where a player is")
		w.line(0, "start: everywhere/begin", "")
		return
	}
	text := "space: {axes: [" + strings.Join(x.axes, ", ") + "], step: " + x.step.String()
	if x.order != nil {
		text += ", facings: [" + strings.Join(x.order, ", ") + "]"
	}
	w.line(0, text+"}", x.evidence)
	w.line(0, "start: "+x.scenes[x.start]+"/begin", "", "where the first of these saves is")
}

// unknownWays is why nothing is said of how scenes hang together.
func unknownWays(start bool) string {
	if start {
		return "{accept: {no-way-out: drafted from saves}, "
	}
	return "{accept: {unreachable-scene: drafted from saves}, "
}

func (w *writer) scenes() {
	w.out.WriteString("\n")
	x := w.where
	if x == nil {
		w.line(0, "scenes:", "")
		w.line(1, "everywhere: {size: [10, 10], spots: {begin: {at: [1, 1]}}}", "")
		w.out.WriteString("\n")
		return
	}
	w.line(0, "scenes:", "", "saves do not say how one gets from one to another")
	for _, text := range slices.Sorted(maps.Keys(x.scenes)) {
		origin, size, moved := x.size(text)
		row := "size: [" + strings.Join(size, ", ") + "]"
		if moved {
			row = "origin: [" + strings.Join(origin, ", ") + "], " + row
		}
		if text == x.start {
			row += ", spots: {begin: {at: " + x.points() + "}}"
		}
		evidence := fmt.Sprintf("in %d saves", x.scene.seen[text])
		for i, s := range x.sizes[text] {
			evidence += fmt.Sprintf(", %s from %s to %s", x.axes[i], s.lo, s.hi)
		}
		w.line(1, x.scenes[text]+": "+unknownWays(text == x.start)+row+"}", evidence, "how large it is")
	}
	w.out.WriteString("\n")
}

func (w *writer) variable(v drafted) {
	if v.kind.name == "" {
		why := "which is several things"
		switch {
		case v.list != nil:
			why = "a list whose items are not of one type"
		case v.at.dates():
			why = "times, such as those of writing"
		case v.at.secret(v.group.players()):
			why = fmt.Sprintf("%d different texts of up to %d characters, which nobody else is to read", len(v.at.seen)+v.at.more, v.at.chars)
		case v.at.mostly() == format.List && v.at.item == nil:
			why = "a list that is always empty"
		case v.at.mostly() == format.List:
			why = "a list of records that do not say which each is"
		case len(v.at.seen) == 1:
			why = "the same in each"
		}
		w.line(1, fmt.Sprintf("# %s in %d of %d: %s. It stays in the file as it is.", strings.TrimSpace(v.at.place()), v.at.count, max(v.at.in, v.at.count), why), "")
		return
	}
	parts := []string{"of: " + v.of, "type: " + v.kind.name}
	if v.kind.choices != nil {
		parts = append(parts, "choices: ["+strings.Join(v.kind.choices, ", ")+"]")
	}
	parts = append(parts, v.kind.limits...)
	if v.kind.optional {
		parts = append(parts, "optional: true")
	} else if v.kind.start != "" {
		parts = append(parts, "start: "+v.kind.start)
	}
	w.line(1, v.id+": {"+strings.Join(parts, ", ")+"}", v.kind.evidence, v.kind.doubts...)
}

func (w *writer) format(g *group) {
	w.line(1, g.name+":", fmt.Sprintf("%d saves", len(g.files)))
	w.line(2, "is: "+g.language, "")
	if g.over {
		w.line(2, "of: profile", "", "no slot is named, and one file is there for each player")
	}
	if g.rows {
		w.line(2, "rows: saves", "")
	}
	if len(g.wraps) > 0 {
		w.line(2, "wrap: ["+strings.Join(g.wraps, ", ")+"]", "")
	}
	switch {
	case g.versions.path == "":
		w.line(2, fmt.Sprintf("version: {is: %d}", w.version), g.versions.evidence, "that all are of one version")
	case g.versions.asIs:
		w.line(2, "version: "+quoted(g.versions.path), g.versions.evidence)
	default:
		read := map[string]string{}
		for text, n := range g.versions.words {
			read[text] = fmt.Sprint(n)
		}
		w.line(2, "version: {at: "+quoted(g.versions.path)+", map: "+mapOf(read)+"}", g.versions.evidence)
	}
	if g.whose.player != "" {
		w.line(2, "player: "+quoted(g.whose.player), "")
	} else if g.whose.pattern != "" {
		w.line(2, "player: {file: \""+g.whose.pattern+"\"}", "the names of the files")
	}
	if ending := g.ending(); g.whose.player == "" && g.whose.pattern == "" && ending != "" {
		w.line(2, "player: {file: \"{player}"+ending+"\"}", "the names of the files")
	}
	if g.whose.slot != "" {
		w.line(2, "slot: "+quoted(g.whose.slot), "")
	} else if g.whose.pattern != "" {
		w.line(2, "slot: {file: \""+g.whose.pattern+"\"}", "")
	}
	w.line(2, "where:", "")
	if x := w.where; x != nil && x.group == g {
		w.line(3, "place.scene: "+held(x.scene.path, "map: "+mapOf(x.now), mapOf(x.now) != ""), "")
		for i, axis := range x.axes {
			w.line(3, "place."+axis+": "+x.paths[i], "")
		}
		if x.facing != nil {
			w.line(3, "place.facing: "+held(x.facing.path, "map: "+mapOf(x.facings), mapOf(x.facings) != ""), "")
		}
	}
	until := map[int][]string{}
	for _, v := range w.vars {
		if v.group != g || v.kind.name == "" {
			continue
		}
		w.line(3, v.name+": "+w.held(v, v.at, ""), "")
		for i, b := range v.before {
			if i > 0 && b.at.place() == v.before[i-1].at.place() && b.read == v.before[i-1].read {
				continue // it stood there for longer
			}
			until[b.version] = append(until[b.version], fmt.Sprintf("%s: %s   # ? %s", v.name, w.held(v, b.at, b.read), b.evidence))
		}
	}
	w.until(g, until)
}

// ending is how the names of all files of a group end; "" where they end in several ways.
func (g *group) ending() string {
	ending := path.Ext(g.files[0].file.Name)
	for _, s := range g.files {
		if path.Ext(s.file.Name) != ending {
			return ""
		}
	}
	return ending
}

// until writes where things stood in earlier versions.
func (w *writer) until(g *group, until map[int][]string) {
	x := w.where
	if x != nil && x.group == g {
		for version, rows := range x.until {
			until[version] = append(until[version], rows...)
		}
	}
	if len(until) == 0 {
		return
	}
	w.line(2, "until:", "")
	for _, version := range slices.Sorted(maps.Keys(until)) {
		w.line(3, fmt.Sprintf("%d:", version), "")
		for _, row := range until[version] {
			w.line(4, row, "")
		}
	}
}

// held is where something stands, and how, as a plan writes it.
func held(path, more string, with bool) string {
	if !with {
		return quoted(path)
	}
	return "{at: " + quoted(path) + ", " + more + "}"
}

func (w *writer) held(v drafted, f *figure, read string) string {
	parts := []string{}
	if f.each != "" {
		id := "key"
		if f.id != "" {
			id = "/" + format.Escaped(f.id)
		}
		ids := map[string]string{}
		for _, l := range w.lists {
			if l.group == v.group && strings.HasPrefix(v.name, l.id+".") {
				for text, option := range l.read {
					ids[text] = option
				}
			}
		}
		if m := mapOf(ids); m != "" {
			id = "{at: " + id + ", map: " + m + "}"
		}
		parts = append(parts, "each: "+quoted(f.each), "id: "+id)
	}
	path := quoted(f.path)
	if f.path == "" {
		path = `""`
	}
	parts = append(parts, "at: "+path)
	switch {
	case read != "":
		parts = append(parts, "read: "+read)
	case v.kind.read != nil && mapOf(v.kind.read) != "":
		parts = append(parts, "map: "+mapOf(v.kind.read))
	}
	if v.kind.none != "" {
		parts = append(parts, "none: "+v.kind.none)
	}
	if len(parts) == 1 {
		return path
	}
	return "{" + strings.Join(parts, ", ") + "}"
}
