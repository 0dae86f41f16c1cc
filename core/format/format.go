package format

import (
	"bytes"
	"regexp"
	"slices"
	"strings"
	"sync"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
	"alluvion.dev/core/upgrade"
)

// Set is the formats of a plan. It may be used by many at once.
type Set struct {
	Formats []*Format // in document order
	m       *model.Model
	chain   *upgrade.Chain
	key     []byte     // of signatures; nil where it is not known
	judging sync.Mutex // guards judge
	judge   *engine.Judge
}

// Format is one way in which saves are written.
type Format struct {
	Name string
	Decl *plan.SaveFormat
	set  *Set
	tongue
	bundle  *bundle                   // of saves that are several files
	within  map[string]*Format        // by file of a save: how it is written
	file    map[string]*regexp.Regexp // by player and slot: the name of a file, where it says which
	layouts sync.Map                  // by the version of a file: a *layout
}

// tongue is a language that files are written in.
type tongue interface {
	// read takes a file apart. An error that is a *Broken says where it stopped.
	read(raw []byte) (*Node, error)
	// write puts a file together. raw is the file that root was read from, nil where there was none.
	write(raw []byte, root *Node) ([]byte, error)
}

// spoken is what there is to know of a language.
type spoken struct {
	tongue
	// texts says that everything in it is a text: which of them are numbers, the variables say.
	texts bool
	// exact says that a file that is changed keeps everything else as it was, byte for byte.
	exact bool
	// full says that it cannot say null: what is none is not there.
	full bool
}

var tongues = map[string]spoken{
	"json": {tongue: jsonTongue{}, exact: true},
	"toml": {tongue: tomlTongue{}, full: true},
	"ini":  {tongue: iniTongue{}, texts: true, exact: true},
	"csv":  {tongue: csvTongue{}, texts: true},
	"xml":  {tongue: xmlTongue{}, texts: true},
	"cbor": {tongue: cborTongue{}},

	"messagepack": {tongue: messagepackTongue{}},
}

// New makes the formats of a plan.
func New(c *upgrade.Chain, m *model.Model) *Set {
	s := &Set{m: m, chain: c}
	for i := range m.Plan.Formats.Entries {
		e := &m.Plan.Formats.Entries[i]
		known, ok := tongues[e.Value.Is.Value]
		if !ok {
			continue
		}
		f := &Format{Name: e.ID, Decl: &e.Value, set: s, tongue: known.tongue, file: map[string]*regexp.Regexp{}}
		for part, held := range map[string]*plan.Held{"player": &e.Value.Player, "slot": &e.Value.Slot} {
			if held.File.Given {
				f.file[part] = named(held.File.Value)
			}
		}
		if len(e.Value.Files.Entries) > 0 {
			f.bundled()
		}
		s.Formats = append(s.Formats, f)
	}
	return s
}

// bundled makes a format of saves that are several files each.
func (f *Format) bundled() {
	f.bundle, f.within = newBundle(f.set, f.Decl), map[string]*Format{}
	f.tongue = f.bundle
	for _, p := range f.bundle.files {
		decl := *f.Decl
		decl.Is.Value = p.language
		f.within[p.id] = &Format{Name: f.Name, Decl: &decl, set: f.set, tongue: tongues[p.language].tongue, file: f.file}
	}
}

// in is how the file is written that something stands in: the format itself, unless a save is several files.
func (f *Format) in(h *plan.Held) *Format {
	if f.bundle == nil {
		return f
	}
	way := h.Path.Value
	if h.Each.Given {
		way = h.Each.Value
	}
	id, _, _ := strings.Cut(strings.TrimPrefix(way, "/"), "/")
	if one := f.within[id]; one != nil {
		return one
	}
	return f
}

// Signed says with which key files are signed that have a signature (wrap: [hmac]). It is said before the set is used.
func (s *Set) Signed(key []byte) *Set {
	s.key = key
	return s
}

// named is the pattern of a file's name with {player} and {slot} in it.
func named(pattern string) *regexp.Regexp {
	quoted := regexp.QuoteMeta(pattern)
	quoted = strings.Replace(quoted, `\{player\}`, `(?P<player>[^/]+?)`, 1)
	quoted = strings.Replace(quoted, `\{slot\}`, `(?P<slot>[0-9]{1,3})`, 1)
	return regexp.MustCompile("^" + quoted + "$")
}

// Format finds a format by its name; nil where there is none.
func (s *Set) Format(name string) *Format {
	i := slices.IndexFunc(s.Formats, func(f *Format) bool { return f.Name == name })
	if i < 0 {
		return nil
	}
	return s.Formats[i]
}

// absent says whether what is none is not there in a file.
func (f *Format) absent(h *plan.Held) bool {
	return h.None.Value == "missing" || !h.None.Given && tongues[f.Decl.Is.Value].full
}

// texts says whether everything in its files is a text.
func (f *Format) texts() bool { return tongues[f.Decl.Is.Value].texts }

// Ending is how the name of a file ends that has no name yet.
func (f *Format) Ending() string {
	switch {
	case f.bundle != nil:
		return "zip"
	case f.Decl.Is.Value == "messagepack":
		return "msgpack"
	}
	return f.Decl.Is.Value
}

// Exact says that a file that is changed keeps everything else as it was, byte for byte.
func (f *Format) Exact() bool { return f.bundle == nil && tongues[f.Decl.Is.Value].exact }

// Bundled says that a save is several files: it is read from an archive of them, and written as one.
func (f *Format) Bundled() bool { return f.bundle != nil }

// Newest is the version of the plan.
func (s *Set) Newest() int { return s.m.Plan.Version.Value }

// Of says what a file holds: player, profile or world.
func (f *Format) Of() string { return f.Decl.Of.Or("player") }

// layout is where everything stands in files of one version.
type layout struct {
	parts []*part
	left  []*part // what stood there in files up to an earlier version, and stands there no more
}

// part is one thing that a file holds.
type part struct {
	f      *Format  // how the file is written that it stands in
	name   string   // in a plan of the file's version: ware.*.have
	target []string // in a save of Alluvion's: lists, ware, *, have
	held   *plan.Held
	path   []string
	each   []string // nil where it stands alone
	id     []string // from the record; nil where it is the key of a table
	ids    map[string]string
	dom    *types.Domain // what it may be now; nil where that is not known
	rewind bool          // it comes back at death to what it was
	// computed is a variable that is calculated and never stored: it is written, and not read.
	computed *model.Var
}

// layout gives where everything stands in files of a version.
func (f *Format) layout(version int) *layout {
	if known, ok := f.layouts.Load(version); ok {
		return known.(*layout)
	}
	l := &layout{}
	before := map[string]bool{} // names that stand elsewhere up to this version
	for _, u := range f.Decl.Until {
		for _, n := range u.Where {
			if version > u.Version {
				l.left = append(l.left, f.part(n.Name.Value, &n.Held, u.Version))
				continue
			}
			if before[n.Name.Value] {
				continue
			}
			before[n.Name.Value] = true
			l.parts = append(l.parts, f.part(n.Name.Value, &n.Held, version))
		}
	}
	for _, n := range f.Decl.Where {
		name := f.set.nameThen(n.Name.Value, version)
		p := f.part(name, &n.Held, version)
		taken := slices.ContainsFunc(l.parts, func(q *part) bool { return q.place() == p.place() })
		if !before[name] && !taken {
			l.parts = append(l.parts, p)
		}
	}
	if version <= f.set.m.Plan.Version.Value { // of others there may be very many
		f.layouts.Store(version, l)
	}
	return l
}

// place is where a part stands in a file, as a text.
func (p *part) place() string { return p.held.Each.Value + " " + p.held.Path.Value }

func (f *Format) part(name string, held *plan.Held, version int) *part {
	p := &part{f: f.in(held), name: name, held: held, target: f.set.target(name)}
	p.path, _ = tokens(held.Path.Value)
	if held.Each.Given {
		p.each, _ = tokens(held.Each.Value)
		if p.each == nil {
			p.each = []string{}
		}
		if held.ID != nil {
			if held.ID.Path.Value != "key" {
				if p.id, _ = tokens(held.ID.Path.Value); p.id == nil {
					p.id = []string{}
				}
			}
			p.ids = map[string]string{}
			for _, m := range held.ID.Map {
				p.ids[m.File.Value] = m.Plan.Text
			}
		}
	}
	now := f.set.nameNow(name, version)
	p.dom = f.set.domain(now)
	if v := f.set.variable(now); v != nil && v.Computed() {
		p.computed = v
	} else if v != nil {
		p.rewind = v.Fates.At(plan.CrossDeath).Kind == "rewind"
	}
	return p
}

// nameNow is what a name of an earlier version is called now, as upgrades rename it.
func (s *Set) nameNow(name string, version int) string {
	for _, u := range s.m.Plan.Upgrades {
		if u.Version > version {
			name = renamed(name, u.Steps)
		}
	}
	return name
}

// renamed is what a name is called after an upgrade; what is held for one option of a list or one prop, like that of all.
func renamed(name string, steps []plan.UpgradeStep) string {
	parts := strings.SplitN(name, ".", 4)
	many := len(parts) == 3 && parts[1] == "*"
	if !many {
		return plan.Renamed(name, steps)
	}
	now := plan.Renamed(parts[0]+"."+parts[2], steps)
	list, rest, _ := strings.Cut(now, ".")
	return list + ".*." + rest
}

// nameThen is what a name of now was called in a version: renames turned round.
func (s *Set) nameThen(name string, version int) string {
	for i := len(s.m.Plan.Upgrades) - 1; i >= 0; i-- {
		u := &s.m.Plan.Upgrades[i]
		if u.Version <= version {
			break
		}
		var back []plan.UpgradeStep
		for _, x := range u.Steps {
			var turned plan.Renames
			for _, row := range x.Rename {
				turned = append(turned, plan.NewName{From: row.To, To: row.From})
			}
			if turned != nil {
				back = append(back, plan.UpgradeStep{Rename: turned})
			}
		}
		name = renamed(name, back)
	}
	return name
}

// variable finds the variable that a name of now is of, also where it is held for each of many: ware.*.have.
func (s *Set) variable(name string) *model.Var {
	if v := s.m.Var(name); v != nil {
		return v
	}
	parts := strings.SplitN(name, ".", 3)
	if len(parts) == 3 && parts[0] == "scenes" {
		return s.m.Var("scene." + parts[2])
	}
	if len(parts) == 3 && s.m.List(parts[0]) != nil {
		return s.m.Var(parts[0] + "." + parts[2])
	}
	if parts := strings.SplitN(name, ".", 4); len(parts) == 4 && parts[0] == "prop" {
		return s.m.Var("prop." + parts[1] + "." + parts[3])
	}
	return nil
}

// Own says whether a file is a save of Alluvion's own rather than one of a game's format.
func Own(raw []byte) bool {
	raw = bytes.TrimLeft(bytes.TrimPrefix(raw, []byte("\ufeff")), " \t\r\n")
	if !bytes.HasPrefix(raw, []byte("{")) {
		return false
	}
	root, err := jsonTongue{}.read(raw)
	if err != nil {
		return bytes.Contains(raw[:min(len(raw), 200)], []byte(`"alluvion_`))
	}
	return slices.ContainsFunc(root.Keys, func(k Key) bool {
		switch k.Name {
		case "alluvion_save", "alluvion_world", "alluvion_profile", "alluvion_seal":
			return true
		}
		return false
	})
}
