package format

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
)

// ErrUnknown means that a file is none of a plan's formats, or could be of two of them.
var ErrUnknown = errors.New("it is of no format that the plan has")

// Open reads a file of whichever format it is. It is known by its bytes, never by how its name ends.
func (s *Set) Open(raw []byte, name string) ([]*Opened, error) {
	var fits []*Format
	var opened []*Opened
	var why []string
	var last error
	for _, f := range s.Formats {
		o, err := f.Open(raw, name)
		if err != nil {
			why, last = append(why, f.Name+": "+err.Error()), err
			continue
		}
		fits, opened = append(fits, f), o
	}
	switch len(fits) {
	case 1:
		return opened, nil
	case 0:
		if len(s.Formats) == 1 {
			return nil, fmt.Errorf("%w: %w", ErrUnknown, last)
		}
		return nil, fmt.Errorf("%w: %s", ErrUnknown, strings.Join(why, "; "))
	}
	var names []string
	for _, f := range fits {
		names = append(names, f.Name)
	}
	return nil, fmt.Errorf("it could be of each of %s: give the plan a path by which they differ (%w)", strings.Join(names, ", "), ErrUnknown)
}

// Check says everything that the plan does not take as it is in a file: of a table of saves, for each of them.
func (s *Set) Check(raw []byte, name string, j *engine.Judge) []Checked {
	opened, err := s.Open(raw, name)
	if err != nil {
		p := save.Whole(s.m, fmt.Errorf("%w: %w", save.ErrFormat, err))
		p.Reason = err.Error()
		var at *Broken
		if errors.As(err, &at) {
			if len(s.Formats) == 1 {
				p.Reason = "it is no " + s.Formats[0].Name + ": " + at.Why
			}
			p.Line, p.Column, p.Byte = at.Line, at.Column, at.Start
			if at.Line > 0 {
				p.Byte = 0
			}
		}
		x := upgrade.Checked{Of: "nothing", To: s.m.Plan.Version.Value, Problems: []save.Problem{p}}
		x.Outcome = save.Outcome(x.Problems)
		return []Checked{{Checked: x}}
	}
	out := make([]Checked, len(opened))
	for i, o := range opened {
		out[i] = Checked{o.Check(j), o.Save}
	}
	return out
}

// Checked is what a plan says of a file in a game's own format.
type Checked struct {
	upgrade.Checked
	Save []byte `json:"-"` // as a save of Alluvion's, of the version that it says; nil where it cannot be read
}

// Check says everything that the plan does not take as it is in a file that was read, by the file's own paths.
func (o *Opened) Check(j *engine.Judge) upgrade.Checked {
	x := o.Format.set.chain.Check(o.Save, nil, upgrade.Around{}, j)
	x.Format = o.Format.Name
	if o.Version > o.Format.set.Newest() { // nothing is known of what it ought to hold
		return x
	}
	problems := slices.Clone(o.Problems)
	for _, p := range x.Problems {
		if q, ok := o.told(p); ok {
			problems = append(problems, q)
		}
	}
	slices.SortStableFunc(problems, func(a, b save.Problem) int {
		if a.Line != b.Line {
			return a.Line - b.Line
		}
		return a.Column - b.Column
	})
	x.Problems = problems
	if x.Problems == nil {
		x.Problems = []save.Problem{}
	}
	x.Outcome = save.Outcome(x.Problems)
	if x.Over != nil && x.Outcome == save.Last {
		x.Outcome = save.Take
	}
	return x
}

// told is a problem of a save as one of the file that it was read from; false where it is told of something else already.
func (o *Opened) told(p save.Problem) (save.Problem, bool) {
	for _, again := range []string{"/record/", "/entry"} {
		if strings.HasPrefix(p.Pointer+"/", again) {
			return p, false
		}
	}
	if p.Kind == save.KindMissing && o.wrong[p.Pointer] {
		return p, false
	}
	from, at, ok := o.origin(p.Pointer)
	if !ok {
		if from, ok = o.renamed(p.Name); !ok {
			p.Pointer = ""
			return p, true
		}
		at = p.Pointer
		from.name = p.Name
	}
	below := strings.TrimPrefix(p.Pointer, at)
	p.Pointer = from.pointer
	if i, ok := index(strings.TrimPrefix(below, "/")); ok && from.node != nil && from.node.Form == List && i < len(from.node.Items) {
		p.Pointer, from.node = p.Pointer+below, from.node.Items[i]
	}
	if from.name != "" && (p.Name != "place" || p.Kind != save.KindPlace) {
		p.Name = from.name
	}
	near := from.near
	if from.node != nil {
		near = from.node
	}
	if near != nil {
		p.Line, p.Column, p.Byte = near.Line, near.Column, o.Format.byteOf(near.Spot)
	}
	return p, true
}

// renamed finds where something stands in a file of an earlier version, in which it was called otherwise.
func (o *Opened) renamed(now string) (origin, bool) {
	if o.Version >= o.Format.set.Newest() {
		return origin{}, false
	}
	for _, from := range o.from {
		if from.name != "" && from.name != now && o.Format.set.nameNow(from.name, o.Version) == now {
			return from, true
		}
	}
	return origin{}, false
}

// sceneAt is the scene of a place in the save, as the plan calls it.
func (o *Opened) sceneAt(place string) string {
	root, err := jsonTongue{}.read(o.Save)
	if err != nil {
		return ""
	}
	if n := root.Find(place + "/scene"); n != nil {
		return n.Text
	}
	return ""
}

// origin finds where something of the save stands in the file: itself, what it is part of, or the first part of it; and
// at which pointer of the save that is.
func (o *Opened) origin(pointer string) (from origin, at string, ok bool) {
	for at = pointer; at != ""; at = at[:max(0, strings.LastIndexByte(at, '/'))] {
		if from, ok := o.from[at]; ok {
			return from, at, true
		}
		for _, first := range []string{"/at/0", "/scene"} { // of a place
			if from, ok := o.from[at+first]; ok && (first == "/scene" || o.Format.set.m.Scene(o.sceneAt(at)) != nil) {
				return from, at, true
			}
		}
	}
	return origin{}, "", false
}
