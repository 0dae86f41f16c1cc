package plan

import (
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

// Read reads a plan from YAML (or JSON, which is YAML). It reports everything that it finds wrong, not
// only the first thing. The plan is never nil; where the findings hold an error it is incomplete and
// must not be run.
func Read(source []byte) (*Plan, finding.List) {
	p := &Plan{Source: textOf(source)}
	root, found := parse(source)
	if other := otherKind(root, "alluvion"); other != nil {
		root, found = nil, other
	}
	if root != nil {
		r := newReader(found)
		p.Stopped = finding.UpToMost(func() {
			r.crossings = idsUnder(root, "crossings")
			r.lists = append(idsUnder(root, "lists"), idsUnder(root, "rosters")...)
			r.read(root, reflect.ValueOf(p).Elem(), field{})
			form := len(r.found)
			p.Gaps = r.pointers()
			p.resolve(r)
			r.dropShadows(form, p.Gaps)
		})
		if found, p.Unread = r.found, r.pointers(); p.Stopped {
			found = append(found, finding.TooMany())
		}
	}
	found.Sort()
	found.Excerpts(p.Source)
	return p, found
}

// dropShadows drops what follows from gaps, of the findings from a place on.
func (r *reader) dropShadows(from int, gaps Gaps) {
	kept := r.found[:from]
	for i, f := range r.found[from:] {
		pointer, known := r.unread[from+i]
		key := r.keys[from+i]
		delete(r.unread, from+i)
		delete(r.keys, from+i)
		if gaps.Shadow(f) {
			continue
		}
		if known {
			r.unread[len(kept)] = pointer
		}
		if key {
			r.keys[len(kept)] = true
		}
		kept = append(kept, f)
	}
	r.found = kept
}

// otherKind tells of a document that is of another kind than the one wanted, which is known by the key that it has.
func otherKind(root *node, want string) finding.List {
	if root == nil || root.form != formTable || root.key(want) != nil && !(want == "alluvion" && isCommons(root)) {
		return nil
	}
	for key, text := range map[string]string{
		"alluvion_compiled": "This is a compiled plan, which only games run: check the plan that it was made from.",
		"rehearsal":         "This is a rehearsal: play it with alluvion rehearse FILE.",
		"commons":           "This is a commons: check it with alluvion check FILE, and name it in the plan's uses.",
		"game":              "This is a plan: check it with alluvion check FILE.",
	} {
		if k := root.key(key); k != nil && (key != "game" || root.key("scenes") != nil && want != "alluvion") {
			return finding.List{finding.New("wrong-type", k.at, text)}
		}
	}
	return nil
}

// pointers are those of what could not be read.
func (r *reader) pointers() Gaps {
	out := map[string]bool{}
	for i, f := range r.found {
		pointer, known := r.unread[i]
		if !known {
			pointer = f.Pointer
		}
		if f.Severity == finding.Error && (!known || pointer != "") {
			out[pointer] = out[pointer] || !r.keys[i]
		}
	}
	return out
}

// idsUnder are the ids that a document declares in a section.
func idsUnder(root *node, section string) []string {
	var ids []string
	if n := root.child(section); n != nil {
		for _, k := range n.keys {
			ids = append(ids, k.name)
		}
	}
	return ids
}

// reader walks the document and the Go types side by side.
type reader struct {
	found finding.List
	refs  []reference
	// unread are the pointers of what findings are about, by their place in found, where that is not where they stand:
	// of what is missing, and none of a misspelt key that was read as the one that was meant.
	unread map[int]string
	keys   map[int]bool // which findings are about a key that is not known
	// crossings are the ids of those that the plan declares, wherever in it: fates can be given at them.
	crossings []string
	lists     []string // and of lists and rosters: they can hold something
}

// reference is a written name that has to be declared somewhere: kind says as what.
type reference struct {
	kind string
	ref  *Ref
}

func newReader(found finding.List) *reader {
	return &reader{found: found, unread: map[int]string{}, keys: map[int]bool{}}
}

func (r *reader) report(id string, at finding.At, format string, args ...any) *finding.Finding {
	r.found.Enough()
	r.found = append(r.found, finding.New(id, at, fmt.Sprintf(format, args...)))
	return &r.found[len(r.found)-1]
}

// wrong reports a value of another form than the one wanted.
func (r *reader) wrong(n *node, want string) {
	got := n.form.String()
	if n.scalar() {
		got = strconv.Quote(clip(n.text))
	}
	r.report("wrong-type", n.At, "%s is wanted here, not %s.", finding.Upper(want), got)
}

// wrongMap reports what stands where a table of things by their ids is wanted: of a list of them, with how it is made one.
func (r *reader) wrongMap(n *node) {
	var form []string
	for _, item := range n.items {
		for _, name := range []string{"id", "name"} {
			if k := item.key(name); k != nil {
				item = k.value
			}
		}
		if item.scalar() && IsID(item.text) && len(form) < 2 {
			form = append(form, item.text+": {…}")
		}
	}
	if n.form != formList || form == nil {
		r.wrong(n, "a table")
		return
	}
	r.report("wrong-type", n.At, "A table by ids is wanted here, not a list: one like {%s}.", strings.Join(form, ", "))
}

// wrongList reports what stands where a list is wanted, and how it is made one.
func (r *reader) wrongList(n *node) {
	switch {
	case n.form == formTable:
		r.report("wrong-type", n.At,
			"A list is wanted here, not a table: put the table in brackets, [{…}], or a dash before it.")
	case n.scalar() && n.text != "":
		r.report("wrong-type", n.At, "A list is wanted here, not %q: write [%s], or more of such with commas between.",
			clip(n.text), clip(n.text))
	default:
		r.wrong(n, "a list")
	}
}

// wrongTable reports what stands where a table is wanted, and what such a table looks like.
func (r *reader) wrongTable(n *node, t reflect.Type) {
	fs, form := fieldsOf(t), []string{}
	for _, f := range fs.list {
		if f.required {
			form = append(form, f.name+": …")
		}
	}
	first, rest, _ := strings.Cut(n.text, " ")
	if _, verb := fs.byName[first]; verb && n.scalar() && rest != "" { // add oil
		form = []string{first + ": " + clip(rest)}
	}
	for _, f := range fs.list {
		if len(form) == 0 && f.name != "title" {
			form = append(form, f.name+": …")
		}
	}
	got := n.form.String()
	if n.scalar() {
		got = strconv.Quote(clip(n.text))
	}
	name := ""
	if key := n.At.Pointer[strings.LastIndexByte(n.At.Pointer, '/')+1:]; key != "" &&
		strings.Trim(key, "0123456789") != "" {
		name = key + ": "
	}
	r.report("wrong-type", n.At, "A table is wanted here, not %s: one like %s{%s}.", got, name,
		strings.Join(form, ", "))
}

func clip(s string) string {
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return s
}

// special is a type that reads itself.
type special interface {
	read(r *reader, n *node, f field)
}

// read fills v from n.
func (r *reader) read(n *node, v reflect.Value, f field) {
	if s, ok := v.Addr().Interface().(special); ok {
		s.read(r, n, f)
		return
	}
	switch v.Kind() {
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		r.read(n, v.Elem(), f)
	case reflect.Slice:
		r.list(n, v, f)
	case reflect.Struct:
		r.table(n, v)
	default:
		panic("plan: no reader for " + v.Type().String())
	}
}

func (r *reader) list(n *node, v reflect.Value, f field) {
	if n.form != formList {
		r.wrongList(n)
		return
	}
	v.Set(reflect.MakeSlice(v.Type(), len(n.items), len(n.items)))
	for i, item := range n.items {
		r.read(item, v.Index(i), f)
	}
}

// table reads a struct: known keys into their fields, unknown ones into findings. A key that is misspelt is told once,
// and read as what was probably meant, so that what stands under it is not missed everywhere else.
func (r *reader) table(n *node, v reflect.Value) {
	done, _ := v.Addr().Interface().(interface{ complete(*reader, *node) })
	r.tableOf(n, v, func(n *node) {
		if done != nil {
			done.complete(r, n)
		}
	})
}

// tableOf is table with what is to be judged once all its keys are read, and with more words that can stand there.
func (r *reader) tableOf(n *node, v reflect.Value, complete func(*node), more ...string) {
	if n.form != formTable {
		r.wrongTable(n, v.Type())
		return
	}
	if at := v.FieldByName("At"); at.IsValid() && at.Type() == reflect.TypeFor[finding.At]() {
		at.Set(reflect.ValueOf(n.At))
	}
	fields := fieldsOf(v.Type())
	seen := map[string]bool{}
	before, misspelt := len(r.found), map[int]bool{}
	for i, k := range n.keys {
		f, ok := fields.byName[k.name]
		if !ok {
			near := r.unknownKey(k, slices.Concat(wordsHere(n, v.Type()), more))
			if near == "" || n.key(near) != nil || slices.Contains(more, near) {
				r.found[len(r.found)-1].Sure = false
				continue
			}
			misspelt[len(r.found)-1] = true
			r.unread[len(r.found)-1] = ""
			n, f = n.renamed(i, near), fields.byName[near]
		}
		seen[f.name] = true
		r.read(k.value, v.FieldByIndex(f.index), f)
	}
	for _, f := range fields.list {
		if f.required && !seen[f.name] {
			r.report("missing", n.At, "%q is missing here: %s", f.name, lowerFirst(f.doc))
			r.unread[len(r.found)-1] = n.Pointer + "/" + f.name
		}
	}
	complete(n)
	if len(misspelt) > 0 {
		r.onlyWhatFits(before, misspelt)
	}
}

// renamed is a table in which one key has another name.
func (n *node) renamed(i int, name string) *node {
	out := *n
	out.keys = slices.Clone(n.keys)
	out.keys[i].name = name
	return &out
}

// onlyWhatFits takes back how sure it is of misspelt keys where something else is wrong in their table: what stands
// there does not fit what they are taken for.
func (r *reader) onlyWhatFits(before int, misspelt map[int]bool) {
	fits := true
	for i := before; i < len(r.found); i++ {
		fits = fits && (misspelt[i] || r.found[i].Severity != finding.Error)
	}
	for i := range misspelt {
		r.found[i].Sure = r.found[i].Sure && fits
	}
}

func lowerFirst(s string) string {
	if s == "" {
		return s
	}
	return strings.ToLower(s[:1]) + s[1:]
}

// unknownKey reports a key that is not known, and gives the one that was probably meant.
func (r *reader) unknownKey(k key, names []string) string {
	near := finding.Word(k.name, names)
	hint := " Known here: " + strings.Join(names, ", ") + "."
	switch {
	case near.Name != "":
		hint = finding.DidYouMean(near.Name)
	case strings.ContainsAny(k.name, "()'\"?=<>"):
		hint = " If this is part of an expression: one with a comma or a colon, inside braces, needs quotes around it."
	}
	r.keys[len(r.found)] = true
	r.report("unknown-name", k.at, "There is nothing called %q here.%s", clip(k.name), hint).Suggest(near)
	return near.Name
}

// orAt gives an empty value the position of its key.
func orAt(at, key finding.At) finding.At {
	if at.Line == 0 {
		return key
	}
	return at
}

// field is what a struct field's tags say.
type field struct {
	index    []int // in the struct, and in one that is embedded in it
	name     string
	required bool
	doc      string
	enum     []string
	min, max string
	def      string
	ref      string
	id       string
	verb     bool   // says what is done: the table has exactly one such key
	with     string // what goes with it
	form     string // what stands over it in a form, where a form asks for it
	say      string // of a verb: its sentence, with keys in braces, and in brackets what is left out where a key is not written
	less     string // its sentence where the last key takes away
}

type fields struct {
	list   []field
	names  []string
	byName map[string]field
}

// known keeps what fieldsOf found out: it is the same for every document.
var known sync.Map // of reflect.Type: fields

func fieldsOf(t reflect.Type) fields {
	if fs, ok := known.Load(t); ok {
		return fs.(fields)
	}
	fs := readTags(t)
	known.Store(t, fs)
	return fs
}

func readTags(t reflect.Type) fields {
	fs := fields{byName: map[string]field{}}
	for _, sf := range reflect.VisibleFields(t) {
		tag := sf.Tag
		name, opts, _ := strings.Cut(tag.Get("plan"), ",")
		if name == "" || name == "-" {
			continue
		}
		f := field{index: sf.Index, name: name, required: opts == "required", doc: tag.Get("doc"), min: tag.Get("min"),
			max: tag.Get("max"), def: tag.Get("default"), ref: tag.Get("ref"), id: tag.Get("id"), with: tag.Get("with"), form: tag.Get("form"),
			say: tag.Get("say"), less: tag.Get("less")}
		_, f.verb = tag.Lookup("with")
		if e := tag.Get("enum"); e != "" {
			f.enum = strings.Split(e, ",")
		}
		if where, ok := tag.Lookup("stands"); ok {
			f.enum, f.doc = typesOf(where)
		}
		fs.list, fs.byName[name] = append(fs.list, f), f
		fs.names = append(fs.names, name)
	}
	return fs
}

// IDPattern is what an id looks like, as a regular expression (RE2 and ECMAScript), and IDWords the same for people.
const (
	IDPattern = `^[a-z][a-z0-9_]{0,63}$`
	IDWords   = "lower-case letters, digits and _, begin with a letter, and have at most 64 characters"
)

// IsID says whether a word can be an id.
func IsID(word string) bool { return isID(word, "_") }

// IsGameID says whether a word can be the id of a game.
func IsGameID(word string) bool { return isGame(word) }

// isGame says whether a word can be the id of a game or a commons, which may have dashes.
func isGame(word string) bool { return isID(word, "_-") }

func isID(word, others string) bool {
	for i := range len(word) {
		c := word[i]
		letter, digit := 'a' <= c && c <= 'z', '0' <= c && c <= '9'
		if !letter && (i == 0 || !digit && strings.IndexByte(others, c) < 0) {
			return false
		}
	}
	return 0 < len(word) && len(word) <= 64
}

func (r *reader) checkID(name string, at finding.At, can func(string) bool) {
	if !can(name) {
		r.report("bad-value", at, "%q cannot be an id: ids are %s.", clip(name), IDWords)
	}
}

func (i *ID) read(r *reader, n *node, f field) {
	if !n.scalar() {
		r.wrong(n, "a name")
		return
	}
	*i = ID{n.text, n.At}
	switch f.id {
	case "game":
		r.checkID(i.Name, n.At, isGame)
	case "type":
		// The model says which types there are, and which are still to come.
	default:
		r.checkID(i.Name, n.At, IsID)
	}
}

func (x *Ref) read(r *reader, n *node, f field) {
	if !n.scalar() || n.text == "" {
		r.wrong(n, strings.TrimSuffix("the name of a "+f.ref, " of a "))
		return
	}
	*x = Ref{n.text, n.At}
	if f.ref != "" { // of an earlier version, which is not at hand
		r.refs = append(r.refs, reference{f.ref, x})
	}
}

func (x *Expr) read(r *reader, n *node, f field) {
	if !n.scalar() || strings.TrimSpace(n.text) == "" {
		r.wrong(n, "an expression")
		return
	}
	*x = Expr{n.text, n.At}
	if n.form == formQuoted && !strings.Contains(n.text, "\n") {
		x.Column++
	}
}

func (l *Literal) read(r *reader, n *node, f field) {
	*l = Literal{types.Literal{Text: n.text}, n.At}
	switch {
	case n.form == formQuoted:
	case n.form == formList:
		l.Kind, l.Items = types.LiteralList, make([]types.Literal, len(n.items))
		for i, item := range n.items {
			var one Literal
			if one.read(r, item, f); one.Kind == types.LiteralList {
				r.wrong(item, "a single value")
			}
			l.Items[i] = one.Literal
		}
	case n.form != formPlain:
		r.wrong(n, "a value")
	case n.text == "true" || n.text == "false":
		l.Kind, l.Bool = types.LiteralBool, n.text == "true"
	default:
		if num, err := fixed.Parse(n.text); err == nil {
			l.Kind, l.Number = types.LiteralNumber, num
		}
	}
}

func (x *Fate) read(r *reader, n *node, f field) {
	x.At = n.At
	switch {
	case n.scalar() && (n.text == "keep" || n.text == "reset" || n.text == "rewind"):
		x.Kind = n.text
		if n.text == "rewind" && !builtInCrossing(f.name).Rewinds() {
			r.report("bad-value", n.At, "rewind is a fate at death only.")
		}
	case n.form == formTable && len(n.keys) == 1 && n.keys[0].name == "set":
		x.Kind = "set"
		r.read(n.keys[0].value, reflect.ValueOf(&x.Set).Elem(), field{})
	case n.scalar():
		near := finding.Word(n.text, []string{"keep", "reset", "rewind"})
		r.report("bad-value", n.At, "A fate is keep, reset, rewind (at death) or {set: expression}, not %q.%s",
			clip(n.text), finding.DidYouMean(near.Name)).Suggest(near)
	default:
		r.wrong(n, "keep, reset, rewind or {set: expression}")
	}
}

func (h *Holder) read(r *reader, n *node, f field) {
	h.At = n.At
	switch {
	case n.form == formList && len(n.items) == 2 && n.items[0].text == "profile" &&
		slices.Contains(r.lists, n.items[1].text):
		h.Name, h.With, h.Kind = "profile", "list", n.items[1].text
	case n.form == formList && len(n.items) == 2 && n.items[0].text == "player" && n.items[1].scalar():
		h.Name = "player"
		h.With, h.Kind = r.holderName(n.items[1], []string{"scene", "prop:kind"})
	case n.form == formList:
		r.wrong(n, "a pair that begins with player: [player, scene], [player, prop:kind] or [player, list]; or [profile, list]")
	case !n.scalar():
		r.wrong(n, "a holder (game, player, profile, scene, prop:kind, a list, or a pair of player with one of the last three)")
	default:
		h.Name, h.Kind = r.holderName(n, []string{"game", "player", "profile", "scene", "prop:kind"})
	}
}

// orList is A, b or c.
func orList(names []string) string {
	return finding.Upper(strings.Join(names[:len(names)-1], ", ") + " or " + names[len(names)-1])
}

// holderName reads one holder; of a prop with its kind, which has to be declared.
func (r *reader) holderName(n *node, known []string) (name, kind string) {
	name, kind, isProp := strings.Cut(n.text, ":")
	switch {
	case isProp && name == "prop":
		r.refs = append(r.refs, reference{"kind of prop", &Ref{kind, n.At}})
	case n.text == "prop":
		r.report("missing", n.At, "A prop is named with its kind, as prop:cache.")
	case !isProp && slices.Contains(known, name):
	case !isProp && slices.Contains(r.lists, name):
		return "list", name
	default:
		known := slices.Concat(known, r.lists)
		near := finding.Word(n.text, known)
		hint := ""
		if near.Name == "" {
			hint = fmt.Sprintf(" A kind of props is written prop:%s.", clip(n.text))
		}
		r.report("unknown-name", n.At, "%s is wanted here, not %q.%s", orList(known), clip(n.text), hint).Suggest(near)
	}
	return name, kind
}

func (a *Accept) read(r *reader, n *node, f field) {
	if n.form != formTable {
		r.wrong(n, "a table of finding ids and reasons")
		return
	}
	a.Reasons, a.Where = map[string]string{}, map[string]finding.At{}
	for _, k := range n.keys {
		if !k.value.scalar() || strings.TrimSpace(k.value.text) == "" {
			r.wrong(k.value, "the reason, in words")
			continue
		}
		a.Reasons[k.name], a.Where[k.name] = k.value.text, k.at
	}
}

func (m *Map[T]) read(r *reader, n *node, f field) {
	if n.form != formTable {
		r.wrongMap(n)
		return
	}
	m.At = n.At
	m.Entries = make([]Entry[T], len(n.keys))
	for i, k := range n.keys {
		r.checkID(k.name, k.at, IsID)
		m.Entries[i] = Entry[T]{ID: k.name, At: k.at}
		r.read(k.value, reflect.ValueOf(&m.Entries[i].Value).Elem(), f)
	}
}

// read fills a scalar of one of the types that stand in document.go.
func (g *Given[T]) read(r *reader, n *node, f field) {
	if !n.scalar() {
		r.wrong(n, scalarName(g.Value, f))
		return
	}
	ok := false
	switch v := any(&g.Value).(type) {
	case *string:
		*v, ok = n.text, r.enum(n, f)
	case *bool:
		*v, ok = n.text == "true", n.form == formPlain && (n.text == "true" || n.text == "false")
		if !ok {
			r.wrong(n, scalarName(g.Value, f))
		}
	case *int:
		i, err := strconv.Atoi(n.text)
		*v, ok = i, err == nil && n.form == formPlain
		if !ok {
			r.wrong(n, scalarName(g.Value, f))
		} else {
			ok = r.within(n, fixed.FromInt(int64(i)), f)
		}
	case *fixed.Num:
		num, err := fixed.Parse(n.text)
		*v, ok = num, err == nil && n.form == formPlain
		if !ok {
			r.wrong(n, scalarName(g.Value, f))
		} else {
			ok = r.within(n, num, f)
		}
	case *Rate:
		*v, ok = rate(n.text)
		if !ok {
			r.wrong(n, scalarName(g.Value, f))
		}
	case *Budget:
		*v, ok = budget(n.text)
		if !ok {
			r.wrong(n, scalarName(g.Value, f))
		}
	case *time.Duration:
		d, err := time.ParseDuration(n.text)
		*v, ok = d, err == nil && d >= 0 && d <= 365*24*time.Hour
		if !ok {
			r.wrong(n, scalarName(g.Value, f))
		}
	}
	g.Given, g.At = ok, n.At
}

func scalarName(v any, f field) string {
	switch v.(type) {
	case bool:
		return "true or false"
	case int:
		return "a whole number"
	case fixed.Num:
		return "a plain decimal number (of at most nine places, without quotes)"
	case Rate:
		return "a rate such as 5/s, 30/m or 100/h"
	case Budget:
		return "a number of bytes for each tick, from 100B/tick to 1000KB/tick, such as 900B/tick or 4KB/tick"
	case time.Duration:
		return "a time such as 30s or 0.8s"
	}
	if f.enum != nil {
		return "one of " + strings.Join(f.enum, ", ")
	}
	return "a text"
}

// rate reads 5/s.
func rate(text string) (Rate, bool) {
	times, unit, _ := strings.Cut(text, "/")
	n, err := strconv.Atoi(times)
	per, ok := map[string]time.Duration{"s": time.Second, "m": time.Minute, "h": time.Hour}[unit]
	return Rate{n, per}, err == nil && ok && n >= 1 && n <= 1_000_000
}

// budget reads 4KB/tick.
func budget(text string) (Budget, bool) {
	size, perTick := strings.CutSuffix(text, "/tick")
	unit := 1
	if kilo, ok := strings.CutSuffix(size, "KB"); ok {
		size, unit = kilo, 1000
	} else if size, ok = strings.CutSuffix(size, "B"); !ok {
		return 0, false
	}
	n, err := strconv.Atoi(size)
	return Budget(n * unit), perTick && err == nil && n <= 1_000_000 && 100 <= n*unit && n*unit <= 1_000_000
}

func (r *reader) enum(n *node, f field) bool {
	if f.enum == nil {
		return true
	}
	for _, e := range f.enum {
		if e == n.text {
			return true
		}
	}
	near := finding.Word(n.text, f.enum)
	text := fmt.Sprintf("%s is one of %s, not %q.", f.name, strings.Join(f.enum, ", "), clip(n.text))
	if len(f.enum) == 1 {
		text = fmt.Sprintf("%s is always written %s: %s, not %q.", f.name, f.name, f.enum[0], clip(n.text))
	}
	r.report("bad-value", n.At, "%s%s", text, finding.DidYouMean(near.Name)).Suggest(near)
	return false
}

func (r *reader) within(n *node, v fixed.Num, f field) bool {
	if f.min != "" && v.Less(fixed.Must(f.min)) || f.max != "" && fixed.Must(f.max).Less(v) {
		limits := "at least " + f.min
		switch {
		case f.min == "":
			limits = "at most " + f.max
		case f.max != "":
			limits = "from " + f.min + " to " + f.max
		}
		r.report("bad-value", n.At, "%s has to be %s, not %s.", f.name, limits, v)
		return false
	}
	return true
}
