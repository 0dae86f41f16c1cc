// Package adopt drafts a plan, with the format of its saves, from nothing but saves: which figures there are, of which
// types and ranges, what is held for each of many, where players are, and how versions differ. Each line has its evidence
// behind it; what is a guess says so, with # ? before it.
package adopt

import (
	"bytes"
	"errors"
	"fmt"
	"maps"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/format"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
)

// Limits on what is drafted.
const (
	least     = 3     // saves
	mostPaths = 2_000 // of one format
	mostSlots = 32    // of one player: higher numbers count something else
)

// ErrSaves means that no plan can be drafted from these saves; the error says why.
var ErrSaves = errors.New("no plan can be drafted from these saves")

func refuse(form string, args ...any) error {
	return fmt.Errorf("%w: %s", ErrSaves, fmt.Sprintf(form, args...))
}

// File is a save, by the name of its file.
type File struct {
	Name string
	Raw  []byte
}

// Options are what is known besides the saves.
type Options struct {
	Game    string // its id; "" makes one of the names of the files' folder
	Version string // the path at which files say their version; "" finds it
}

// Draft is a plan that was drafted.
type Draft struct {
	Plan    string
	Found   finding.List // what check says of it
	Saves   int
	Told    []Told // what does not load as it stands, or is written back otherwise
	Clean   int    // saves that load without a finding
	Back    int    // of these, those that are written back as they were: of the newest version
	Doubts  int    // lines with # ?
	Formats []string
}

// Told is something that is not right with a save under the draft.
type Told struct {
	File string `json:"file"`
	What string `json:"what"`
}

// source is a file that was read.
type source struct {
	file     File
	root     *format.Node
	language string
	wraps    []string
	version  int // of the plan; 0 until it is known
	player   string
}

// group is the files of one format.
type group struct {
	name     string
	language string
	wraps    []string
	files    []*source
	versions versions
	whose    whose
	drafts   map[int]*shape // by version
	rows     bool           // each row of a table is a save
	over     bool           // they hold what a player has over all slots
}

// New drafts a plan from saves.
func New(files []File, o Options) (*Draft, error) {
	groups, err := sorted(files)
	if err != nil {
		return nil, err
	}
	for _, g := range groups {
		if g.rowsOf(); len(g.files) < least && len(groups) == 1 {
			return nil, refuse("there are %d, and at least %d are wanted to tell what changes from what does not", len(g.files), least)
		}
		if err := g.study(o); err != nil {
			return nil, err
		}
	}
	w := &writer{options: o, groups: groups}
	text, err := w.plan()
	if err != nil {
		return nil, err
	}
	d := &Draft{Plan: text, Doubts: strings.Count(text, "# ?")}
	for _, g := range groups {
		d.Formats, d.Saves = append(d.Formats, g.name), d.Saves+len(g.files)
	}
	d.prove(files)
	return d, nil
}

// prove checks the draft, loads every save under it, and writes each back.
func (d *Draft) prove(files []File) {
	m, _, found := check.Plan([]byte(d.Plan))
	d.Found = found
	if m == nil || found.Errors() {
		return
	}
	set := format.New(upgrade.New(m), m)
	judge := engine.NewJudge(m, nil)
	for _, f := range files {
		d.proveOne(set, judge, f)
	}
}

func (d *Draft) proveOne(set *format.Set, judge *engine.Judge, f File) {
	tell := func(form string, args ...any) { d.Told = append(d.Told, Told{f.Name, fmt.Sprintf(form, args...)}) }
	opened, err := set.Open(f.Raw, f.Name)
	if err != nil {
		tell("cannot be read: %v", err)
		return
	}
	docs, newest, before := make([][]byte, len(opened)), true, len(d.Told)
	clean, problems := 0, false
	for i, one := range opened {
		x := one.Check(judge)
		for _, p := range x.Problems {
			tell("%s %s: %s", p.Pointer, p.Name, without(p))
		}
		if docs[i], err = x.Document(); err == nil && len(x.Problems) == 0 {
			clean++
		}
		newest = newest && one.Version == set.Newest()
		problems = problems || len(x.Problems) > 0
	}
	d.Clean += clean
	if !newest {
		return // what is upgraded is written as another version
	}
	first := opened[0]
	back, left, err := first.Format.WriteAll(docs, opened)
	switch {
	case err != nil:
		tell("cannot be written back: %v", err)
	case len(left) > 0:
		tell("%s is not written back as it was", left[0].Name)
	case first.Format.Exact() && !bytes.Equal(back, f.Raw) && !problems && len(first.Format.Decl.Wrap) == 0:
		tell("is written back otherwise than it stood")
	}
	if len(d.Told) == before {
		d.Back += len(opened)
	} else if !problems {
		d.Clean -= clean
	}
}

// without is what is wrong, without the value: it may be something that nobody else is to read.
func without(p save.Problem) string {
	return map[save.Kind]string{save.KindType: "is of another type", save.KindRange: "is out of range", save.KindStep: "is between two steps",
		save.KindOption: "is none of the options", save.KindPlace: "is no place", save.KindMissing: "is not there",
		save.KindExtra: "is not known", save.KindDuplicate: "stands there twice", save.KindImpossible: "cannot be"}[p.Kind]
}

// sorted reads files and puts those of one format together.
func sorted(files []File) ([]*group, error) {
	byKind := map[string][]*source{}
	var order, unread []string
	for _, f := range files {
		s, err := read(f)
		if err != nil {
			unread = append(unread, path.Base(f.Name)+" ("+err.Error()+")")
			continue
		}
		key := s.language + " " + strings.Join(s.wraps, " ")
		if byKind[key] == nil {
			order = append(order, key)
		}
		byKind[key] = append(byKind[key], s)
	}
	if len(unread) > 0 {
		return nil, refuse("%d of them cannot be read, such as %s", len(unread), unread[0])
	}
	var out []*group
	for _, key := range order {
		for _, alike := range apart(byKind[key]) {
			g := &group{language: alike[0].language, wraps: alike[0].wraps, files: alike}
			g.rows = g.language == "csv"
			out = append(out, g)
		}
	}
	slices.SortStableFunc(out, func(a, b *group) int { return len(b.files) - len(a.files) })
	if len(out) > 6 {
		return nil, refuse("they are of %d formats with nothing in common: they look like those of several games", len(out))
	}
	for i, g := range out {
		g.name = "save_file"
		if i > 0 {
			g.name = fmt.Sprintf("other_file_%d", i)
		}
	}
	return out, nil
}

// read takes a file apart: what it is wrapped in, and the language that reads it.
func read(f File) (*source, error) {
	raw, wraps := f.Raw, []string(nil)
	for range format.MaxWraps {
		if bytes.HasPrefix(raw, []byte{0x1f, 0x8b}) {
			wraps = append(wraps, "gzip")
		} else if _, err := format.Unwrap(raw, []string{"base64"}); err == nil && len(raw) >= 16 && looksPacked(raw) {
			wraps = append(wraps, "base64")
		} else {
			break
		}
		inner, err := format.Unwrap(raw, wraps[len(wraps)-1:])
		if err != nil {
			return nil, err
		}
		raw = inner
	}
	if len(wraps) < format.MaxWraps { // no other file ends with its own checksum by chance
		if inner, err := format.Unwrap(raw, []string{"crc32"}); err == nil {
			s, err := read(File{f.Name, inner})
			if err == nil {
				s.file, s.wraps = f, append(append(wraps, "crc32"), s.wraps...)
			}
			return s, err
		}
	}
	for _, language := range guesses(raw) {
		root, err := format.Read(language, raw)
		if err == nil && (root.Form == format.Table && len(root.Keys) > 0 || root.Form == format.List && len(root.Items) > 0) {
			return &source{file: f, root: root, language: language, wraps: wraps}, nil
		}
	}
	return nil, errors.New("it is in none of the languages that are known")
}

// looksPacked says whether a text is one word of base64.
func looksPacked(raw []byte) bool {
	return !bytes.ContainsAny(bytes.TrimSpace(raw), " \t{}[]<>:,;\"'")
}

// guesses are the languages that a file may be written in, the surest first.
func guesses(raw []byte) []string {
	text := bytes.TrimLeft(bytes.TrimPrefix(raw, []byte("\ufeff")), " \t\r\n")
	switch {
	case !utf8.Valid(raw) || bytes.IndexByte(raw, 0) >= 0:
		return []string{"messagepack", "cbor"}
	case len(text) == 0:
		return nil
	case text[0] == '{':
		return []string{"json", "yaml", "messagepack"}
	case text[0] == '<':
		return []string{"xml"}
	case text[0] == '[':
		return []string{"json", "toml", "ini"}
	}
	first, rest, _ := bytes.Cut(text, []byte("\n"))
	second, _, _ := bytes.Cut(rest, []byte("\n"))
	for _, comma := range []string{",", ";", "\t"} {
		if n := bytes.Count(first, []byte(comma)); n > 0 && n == bytes.Count(second, []byte(comma)) && !bytes.ContainsAny(first, ":={") {
			return []string{"csv"}
		}
	}
	return []string{"toml", "ini", "yaml", "messagepack", "cbor"}
}

// apart puts files with paths in common together.
func apart(all []*source) [][]*source {
	type heap struct {
		files []*source
		paths map[string]bool
	}
	var heaps []*heap
	for _, s := range all {
		paths := map[string]bool{}
		pathsOf(s.root, "", paths)
		best, most := (*heap)(nil), 0
		for _, h := range heaps {
			common := 0
			for p := range paths {
				if h.paths[p] {
					common++
				}
			}
			if common > most && common*10 >= min(len(paths), len(h.paths))*3 {
				best, most = h, common
			}
		}
		if best == nil {
			best = &heap{paths: map[string]bool{}}
			heaps = append(heaps, best)
		}
		best.files = append(best.files, s)
		maps.Copy(best.paths, paths)
	}
	var out [][]*source
	for _, h := range heaps {
		out = append(out, h.files)
	}
	return out
}

// pathsOf are the names that stand in a file, two levels deep: what is below differs from save to save.
func pathsOf(n *format.Node, at string, into map[string]bool) {
	if n.Form == format.List && at == "" && len(n.Items) > 0 {
		n = n.Items[0]
	}
	for _, k := range n.Keys {
		here := at + "/" + format.Escaped(k.Name)
		into[here] = true
		if strings.Count(here, "/") < 2 {
			pathsOf(k.Value, here, into)
		}
	}
}

// rowsOf makes each row of a table a save by itself.
func (g *group) rowsOf() {
	if !g.rows {
		return
	}
	var rows []*source
	for _, s := range g.files {
		for _, row := range s.root.Items {
			rows = append(rows, &source{file: s.file, root: row, language: s.language})
		}
	}
	g.files = rows
}

// study finds out everything about a group.
func (g *group) study(o Options) error {
	if len(g.files) < least {
		return refuse("%d of them are of a format of their own, such as %s: at least %d of each are wanted", len(g.files),
			path.Base(g.files[0].file.Name), least)
	}
	if err := g.findVersions(o.Version); err != nil {
		return err
	}
	g.findWhose()
	g.drafts = map[int]*shape{}
	for _, s := range g.files {
		if g.drafts[s.version] == nil {
			g.drafts[s.version] = newShape("")
		}
		g.drafts[s.version].add(s.root, s)
	}
	for _, version := range g.inOrder() {
		d := g.drafts[version]
		if n := d.paths(); n > mostPaths {
			return refuse("they have %d paths, and at most %d are looked at", n, mostPaths)
		}
		d.texts(format.Texts(g.language))
	}
	return nil
}

// inOrder are the versions of a group, the newest last.
func (g *group) inOrder() []int { return slices.Sorted(maps.Keys(g.drafts)) }

// newest is the shape of the newest version.
func (g *group) newest() *shape { return g.drafts[g.inOrder()[len(g.drafts)-1]] }

// versions is where files say which version they are of.
type versions struct {
	path     string
	words    map[string]int // what stands there, with the version of the plan that it is
	asIs     bool           // it is the version of the plan
	evidence string
	guess    bool
}

var (
	versionName = regexp.MustCompile(`(?i)(^|_)(v|ver|version|rev|revision|schema|save_?version|format)$`)
	dotted      = regexp.MustCompile(`^[0-9]+(\.[0-9]+)*$`)
)

func (g *group) findVersions(given string) error {
	type candidate struct {
		path  string
		words map[string]int
		named bool
	}
	var all []candidate
	for _, p := range g.scalars() {
		name := p[strings.LastIndexByte(p, '/')+1:]
		words := map[string]int{}
		for _, s := range g.files {
			if n := s.root.Find(p); n != nil && (n.Form == format.Number || n.Form == format.Text) && dotted.MatchString(n.Text) {
				words[n.Text]++
			} else {
				words = nil
				break
			}
		}
		named := versionName.MatchString(named(name))
		if words != nil && len(words) <= 20 && (named || p == given) {
			all = append(all, candidate{p, words, named})
		}
	}
	if given != "" {
		all = slices.DeleteFunc(all, func(c candidate) bool { return c.path != given })
		if len(all) == 0 && g.hasPath(given) {
			return refuse("%s does not stand in each of %d files, or is no version there", given, len(g.files))
		}
	}
	slices.SortStableFunc(all, func(a, b candidate) int { return strings.Count(a.path, "/") - strings.Count(b.path, "/") })
	if len(all) == 0 {
		for _, s := range g.files {
			s.version = 1
		}
		if g.odds() {
			return refuse("nothing in them says which version each is of, and they differ in what they hold: name the path with -version")
		}
		g.versions = versions{evidence: "nothing in these files says a version", guess: true}
		return nil
	}
	c := all[0]
	g.versions = versions{path: c.path, words: map[string]int{}, asIs: true}
	words := slices.Collect(maps.Keys(c.words))
	slices.SortFunc(words, byVersion)
	var counted []string
	for _, w := range words {
		n, err := strconv.Atoi(w)
		g.versions.asIs = g.versions.asIs && err == nil && n >= 1 && n <= 1_000_000 && strconv.Itoa(n) == w
		counted = append(counted, fmt.Sprintf("%s in %d", w, c.words[w]))
	}
	for i, w := range words {
		g.versions.words[w] = i + 1
		if g.versions.asIs {
			g.versions.words[w], _ = strconv.Atoi(w)
		}
	}
	g.versions.evidence = strings.Join(counted, ", ") + fmt.Sprintf(" of %d", len(g.files))
	for _, s := range g.files {
		s.version = g.versions.words[s.root.Find(c.path).Text]
	}
	return nil
}

func (g *group) hasPath(p string) bool { return g.files[0].root.Find(p) != nil }

// byVersion orders 2 before 10, and 1.2 before 1.10.
func byVersion(a, b string) int {
	x, y := strings.Split(a, "."), strings.Split(b, ".")
	for i := range min(len(x), len(y)) {
		m, _ := strconv.Atoi(x[i])
		n, _ := strconv.Atoi(y[i])
		if m != n {
			return m - n
		}
	}
	return len(x) - len(y)
}

// scalars are the paths of the first file that lead to one value, without going through a list.
func (g *group) scalars() []string {
	var out []string
	var visit func(n *format.Node, at string)
	visit = func(n *format.Node, at string) {
		if n.Form == format.Text || n.Form == format.Number {
			out = append(out, at)
		}
		for _, k := range n.Keys {
			visit(k.Value, at+"/"+format.Escaped(k.Name))
		}
	}
	visit(g.files[0].root, "")
	return out
}

// odds says whether some of the files hold what all others of them lack, and the other way about.
func (g *group) odds() bool {
	counts := map[string]int{}
	for _, s := range g.files {
		paths := map[string]bool{}
		for _, k := range s.root.Keys {
			paths["/"+k.Name] = true
		}
		for p := range paths {
			counts[p]++
		}
	}
	some := 0
	for _, n := range counts {
		if n < len(g.files) && n*20 > len(g.files) {
			some++
		}
	}
	return some*2 > len(counts)
}

// whose is where it says whose save a file is, and which slot.
type whose struct {
	player, slot string // paths
	pattern      string // of the name of a file
	slots        int    // the highest that is there
}

var (
	playerName = regexp.MustCompile(`(?i)(^|_)(player|player_?id|who|user|user_?id|owner|account|account_?id|profile)$`)
	slotName   = regexp.MustCompile(`(?i)^(slot|save_?slot|file_?slot)$`)
	numbered   = regexp.MustCompile(`^(.+?)([-_.])([0-9]{1,2})(\.[^.]+(?:\.[^.]+)?)$`)
)

// slotOf is what stands where a file says which slot it is of.
func (s *source) slotOf(w *whose) string {
	if m := numbered.FindStringSubmatch(path.Base(s.file.Name)); m != nil && w.pattern != "" {
		return m[3]
	}
	if n := s.root.Find(w.slot); w.slot != "" && n != nil {
		return n.Text
	}
	return ""
}

func (g *group) findWhose() {
	for _, p := range g.scalars() {
		name := p[strings.LastIndexByte(p, '/')+1:]
		everywhere := !slices.ContainsFunc(g.files, func(s *source) bool {
			n := s.root.Find(p)
			return n == nil || n.Form != format.Text && n.Form != format.Number || n.Text == "" || len(n.Text) > 64
		})
		switch {
		case !everywhere:
		case playerName.MatchString(named(name)) && g.whose.player == "":
			g.whose.player = p
		case slotName.MatchString(named(name)) && g.whose.slot == "":
			g.whose.slot = p
		}
	}
	if g.rows {
		if g.whose.player == "" {
			g.whose.player = "/" + format.Escaped(g.files[0].root.Keys[0].Name)
		}
	} else if g.whose.player == "" || g.whose.slot == "" {
		fits, like, whose := 0, "", map[string]bool{}
		for _, s := range g.files {
			if m := numbered.FindStringSubmatch(path.Base(s.file.Name)); m != nil {
				form := "{player}" + m[2] + "{slot}" + m[4]
				if like == "" {
					like = form
				}
				if slot, _ := strconv.Atoi(m[3]); form == like && slot >= 1 && slot <= mostSlots {
					fits++
					whose[m[1]] = true
				}
			}
		}
		if fits == len(g.files) && len(whose) > 1 && g.whose.player == "" { // else the number counts the files
			g.whose.pattern = like
		}
	}
	for _, s := range g.files {
		if n, err := strconv.Atoi(s.slotOf(&g.whose)); err == nil {
			g.whose.slots = max(g.whose.slots, n)
		}
		s.player = strings.TrimSuffix(path.Base(s.file.Name), path.Ext(s.file.Name))
		if m := numbered.FindStringSubmatch(path.Base(s.file.Name)); m != nil && g.whose.pattern != "" {
			s.player = m[1]
		}
		if g.whose.player != "" {
			s.player = s.root.Find(g.whose.player).Text
		}
	}
}
