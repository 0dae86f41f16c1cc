package format

import (
	"archive/zip"
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"alluvion.dev/core/plan"
)

// A save in several files is read from a ZIP archive of them (APPNOTE.TXT 6.3, PKWARE): its tree is a table of the files,
// so that a path begins with the file that it leads into. Loose files in a folder are bundled first.

// bundle is the tongue of a format whose saves are several files each.
type bundle struct {
	files []piece
	as    func(name string) string // fills in whose the save is, in the names of files that are new
}

// piece is one of the files.
type piece struct {
	id       string
	set      *Set
	decl     *plan.SaveFile
	language string
	name     *regexp.Regexp // the end of its path
}

// maxPieces is how many files an archive may have in it, those that are none of a save's among them.
const maxPieces = 1000

func newBundle(set *Set, d *plan.SaveFormat) *bundle {
	b := &bundle{as: func(name string) string { return name }}
	for i := range d.Files.Entries {
		e := &d.Files.Entries[i]
		whole := named(e.Value.Name.Value).String()
		b.files = append(b.files, piece{id: e.ID, set: set, decl: &e.Value, language: e.Value.Is.Or(d.Is.Value),
			name: regexp.MustCompile("(?:^|/)" + strings.TrimPrefix(whole, "^"))})
	}
	return b
}

// matches says whether a path is that of the file; where the archive was made of the files alone, by its last part.
func (p *piece) matches(name string) bool {
	return p.name.MatchString(name) || !strings.Contains(name, "/") && !strings.Contains(path.Base(p.decl.Name.Value), "{") && path.Base(p.decl.Name.Value) == name
}

// says is what the path of the file says: whose the save is, or which slot; "" where it does not.
func (p *piece) says(part, name string) string {
	i, m := p.name.SubexpIndex(part), p.name.FindStringSubmatch(name)
	if i < 0 || m == nil {
		return ""
	}
	return m[i]
}

// entry is a file of an archive.
type entry struct {
	name  string
	raw   []byte
	piece *piece // nil of one that is none of the save's
}

// entriesOf takes an archive apart.
func entriesOf(raw []byte) ([]entry, error) {
	z, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	if err != nil {
		return nil, &Broken{Why: "it is no ZIP archive of the save's files"}
	}
	if len(z.File) > maxPieces {
		return nil, &Broken{Why: fmt.Sprintf("it has more than %d files", maxPieces)}
	}
	left := min(MaxOpen, max(1<<20, maxRatio*len(raw)))
	var out []entry
	for _, f := range z.File {
		if f.FileInfo().IsDir() {
			continue
		}
		name := strings.ReplaceAll(f.Name, `\`, "/") // as some programs write it
		if !filepath.IsLocal(filepath.FromSlash(name)) {
			return nil, &Broken{Why: "a file in it has a name that leads out of it"}
		}
		text, err := readEntry(f, left)
		if err != nil {
			return nil, err
		}
		left -= len(text)
		out = append(out, entry{name: name, raw: text})
	}
	return out, nil
}

// open takes an archive apart, and finds the save's files in it.
func (b *bundle) open(raw []byte) ([]entry, error) {
	out, err := entriesOf(raw)
	if err != nil {
		return nil, err
	}
	found := map[*piece]bool{}
	for i := range out {
		for k := range b.files {
			p := &b.files[k]
			if !p.matches(out[i].name) {
				continue
			}
			if found[p] {
				return nil, &Broken{Why: fmt.Sprintf("there are two files like %s in it: one save is wanted", p.decl.Name.Value)}
			}
			out[i].piece, found[p] = p, true
			break
		}
	}
	if first := &b.files[0]; !found[first] {
		return nil, &Broken{Why: fmt.Sprintf("there is no file like %s in it", first.decl.Name.Value)}
	}
	return out, nil
}

func readEntry(f *zip.File, most int) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, &Broken{Why: fmt.Sprintf("%s in it is packed in a way that is not known", f.Name)}
	}
	defer func() { _ = r.Close() }()
	text, err := io.ReadAll(io.LimitReader(r, int64(most)+1))
	switch {
	case err != nil:
		return nil, &Broken{Why: fmt.Sprintf("%s in it cannot be unpacked: it is damaged", f.Name)}
	case len(text) > most:
		return nil, &Broken{Why: "it becomes larger than a save may be when it is unpacked"}
	}
	return text, nil
}

// read reads each file of an archive; a file that is not there is not in the table.
func (b *bundle) read(raw []byte) (*Node, error) {
	entries, err := b.open(raw)
	if err != nil {
		return nil, err
	}
	root := &Node{Form: Table}
	for _, e := range entries {
		if e.piece == nil {
			continue
		}
		n, err := e.piece.read(e.raw)
		if err != nil {
			return nil, inFile(e.name, err)
		}
		root.Keys = append(root.Keys, Key{Name: e.piece.id, Value: n})
	}
	return root, nil
}

// read reads one file, out of what it is wrapped in.
func (p *piece) read(raw []byte) (*Node, error) {
	inner, err := unwrap(raw, p.decl.Wrap, p.set.key)
	if err != nil {
		return nil, err
	}
	return tongues[p.language].read(inner)
}

// inFile says in which file of an archive something is wrong.
func inFile(name string, err error) error {
	var at *Broken
	if errors.As(err, &at) {
		return &Broken{at.Spot, name + ": " + at.Why}
	}
	return fmt.Errorf("%s: %w", name, err)
}

// write puts the files together. What is none of the save's files stays in the archive as it is.
func (b *bundle) write(raw []byte, root *Node) ([]byte, error) {
	var entries []entry
	if raw != nil {
		var err error
		if entries, err = b.open(raw); err != nil {
			return nil, err
		}
	}
	for i := range b.files {
		p := &b.files[i]
		k := root.Key(p.id)
		if k == nil {
			continue
		}
		at := slices.IndexFunc(entries, func(e entry) bool { return e.piece == p })
		if at < 0 {
			at = len(entries)
			entries = append(entries, entry{name: b.as(p.decl.Name.Value), piece: p})
		}
		text, err := p.write(entries[at].raw, k.Value)
		if err != nil {
			return nil, inFile(entries[at].name, err)
		}
		entries[at].raw = text
	}
	return pack(entries)
}

func (p *piece) write(was []byte, root *Node) ([]byte, error) {
	var inner []byte
	if was != nil {
		var err error
		if inner, err = unwrap(was, p.decl.Wrap, p.set.key); err != nil {
			return nil, err
		}
	}
	text, err := tongues[p.language].write(inner, root)
	if err != nil {
		return nil, err
	}
	if was != nil && bytes.Equal(text, inner) {
		return was, nil
	}
	return rewrap(text, p.decl.Wrap, p.set.key)
}

// pack makes an archive: the same files become the same bytes.
func pack(entries []entry) ([]byte, error) {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for _, e := range entries {
		w, err := z.CreateHeader(&zip.FileHeader{Name: e.name, Method: zip.Deflate})
		if err != nil {
			return nil, err
		}
		if _, err := w.Write(e.raw); err != nil {
			return nil, err
		}
	}
	err := z.Close()
	return out.Bytes(), err
}

// called fills in the names of files with whose the save is.
func (b *bundle) called(player string, slot int) *bundle {
	return &bundle{files: b.files, as: func(name string) string {
		return strings.NewReplacer("{player}", player, "{slot}", strconv.Itoa(slot)).Replace(name)
	}}
}

// whose is what the names of the files in an archive say: whose the save is, and which slot; "" where none does.
func (b *bundle) whose(raw []byte) (player, slot string) {
	entries, err := b.open(raw)
	if err != nil {
		return "", ""
	}
	for _, e := range entries {
		if e.piece != nil {
			player, slot = cmp.Or(player, e.piece.says("player", e.name)), cmp.Or(slot, e.piece.says("slot", e.name))
		}
	}
	return player, slot
}

// Loose is a save whose files lie loose in a folder.
type Loose struct {
	Name  string            // the first file's
	Files map[string]string // by what it is called in an archive: where it lies
}

// place is where a loose file lies, and whose it is as far as its path says: the same for all files of a save.
type place struct{ above, player, slot string }

// lies says where a loose file lies, and what it is called below that; false where it is another file.
func (p *piece) lies(file string) (inside string, at place, ok bool) {
	slash := filepath.ToSlash(file)
	m := p.name.FindStringIndex(slash)
	if m == nil {
		return "", place{}, false
	}
	inside = strings.TrimPrefix(slash[m[0]:], "/")
	return inside, place{strings.TrimSuffix(slash, inside), p.says("player", slash), p.says("slot", slash)}, true
}

// Loose finds the saves that lie in loose files.
func (s *Set) Loose(files []string) []Loose {
	var out []Loose
	for _, f := range s.Formats {
		if f.bundle == nil {
			continue
		}
		first, others := &f.bundle.files[0], f.bundle.files[1:]
		lie := make([]map[place]string, len(others))
		for i := range others {
			lie[i] = map[place]string{}
			for _, file := range files {
				if _, at, ok := others[i].lies(file); ok {
					lie[i][at] = file
				}
			}
		}
		for _, file := range files {
			inside, at, ok := first.lies(file)
			if !ok {
				continue
			}
			one := Loose{Name: file, Files: map[string]string{inside: file}}
			for i := range others {
				// A file whose path says less belongs to all saves of which it says so.
				for _, there := range []place{at, {at.above, at.player, ""}, {at.above, "", at.slot}, {at.above, "", ""}} {
					if other := lie[i][there]; other != "" {
						inside, _, _ := others[i].lies(other)
						one.Files[inside] = other
						break
					}
				}
			}
			out = append(out, one)
		}
	}
	return out
}

// Pack makes an archive of a save's loose files.
func Pack(files map[string][]byte) ([]byte, error) {
	var entries []entry
	for name, raw := range files {
		entries = append(entries, entry{name: name, raw: raw})
	}
	slices.SortFunc(entries, func(a, b entry) int { return strings.Compare(a.name, b.name) })
	return pack(entries)
}

// Unpack gives the files of an archive, by name.
func Unpack(raw []byte) (map[string][]byte, error) {
	entries, err := entriesOf(raw)
	if err != nil {
		return nil, err
	}
	out := map[string][]byte{}
	for _, e := range entries {
		out[e.name] = e.raw
	}
	return out, nil
}
