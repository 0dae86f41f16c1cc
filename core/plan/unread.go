package plan

import (
	"strings"

	"alluvion.dev/core/finding"
)

// Gaps are the JSON Pointers of what is of another form than it has to be, and so could not be read. What is found
// wrong with the rest may follow from it. Of a key that is not known the value is false: nothing hangs on what it says,
// and only what the table misses may be what was meant.
type Gaps map[string]bool

// declaring are the sections that declare names.
var declaring = map[string]bool{"variables": true, "events": true, "props": true, "rosters": true, "passages": true,
	"movables": true, "milestones": true, "standings": true, "waymarks": true, "carriers": true, "scenes": true}

// Shadow says whether a finding is likely to follow from a gap: it speaks of what is declared there, it stands at the
// table that the gap is in, or it is about what was never read.
func (g Gaps) Shadow(f finding.Finding) bool {
	if len(g) == 0 {
		return false
	}
	if f.Line == 0 || strings.Contains(f.Message, `called ""`) {
		return true
	}
	for pointer, form := range g {
		if above := pointer[:max(strings.LastIndexByte(pointer, '/'), 0)]; !form && strings.Count(pointer, "/") > 2 {
			if f.Pointer == above || f.Pointer == pointer || strings.HasPrefix(f.Pointer, pointer+"/") {
				return true
			}
			continue
		}
		parts := strings.Split(strings.TrimPrefix(pointer, "/"), "/")
		switch {
		case len(parts) == 1 && declaring[parts[0]], strings.HasPrefix(pointer,
			"/space/axes"), strings.HasPrefix(pointer, "/space/facings"), pointer == "/space":
			return true
		case parts[0] == "uses" && (f.ID == "unknown-name" ||
			strings.Contains(f.Message, "commons")), parts[0] == "game" && strings.Contains(f.Message, "written by"):
			return true
		}
		above := pointer[:strings.LastIndexByte(pointer, '/')]
		if above != "" && f.Pointer == above || f.Pointer == pointer || strings.HasPrefix(f.Pointer, pointer+"/") {
			return true
		}
		if of := typed(parts); of != "" && strings.HasPrefix(f.Pointer, of+"/") {
			return true
		}
		said, _, _ := strings.Cut(f.Message, " It has ") // what else there is, says nothing of what is wrong
		if name := declaredAt(parts); name != "" && finding.Mentions(said, name, "") {
			return true
		}
	}
	return false
}

// declaredAt is the name that a part of the plan declares: of a spot or an area its own, where it alone could not be
// read.
func declaredAt(parts []string) string {
	switch {
	case len(parts) < 2 || !declaring[parts[0]]:
		return ""
	case parts[0] == "scenes" && len(parts) > 3 && (parts[2] == "spots" || parts[2] == "areas"):
		return parts[3]
	}
	return parts[1]
}

// typed is what has a type, and a gap in its declaration: what else is wrong there may hang on that.
func typed(parts []string) string {
	for i, part := range parts[:len(parts)-1] {
		if part == "args" || part == "attributes" || part == "variables" && i == 0 {
			if end := i + 2; end < len(parts) {
				return "/" + strings.Join(parts[:end], "/")
			}
		}
	}
	return ""
}
