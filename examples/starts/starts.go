// Package starts holds small games that a new one can begin with, one of each usual shape: each has a plan without findings,
// and rehearsals that go as expected. A folder for each; the comment that a plan begins with says what it is.
package starts

import (
	"embed"
	"io/fs"
	"path"
	"strings"
)

//go:embed */plan.yaml */rehearsals/*.yaml
var files embed.FS

// Start is one of them.
type Start struct {
	ID    string // the folder, and the plan's game
	Title string // what shape it has: Rooms to walk
	About string // a sentence or two about it
	Plan  string
	// Rehearsals are their texts by name, for a plan that stands a folder above them.
	Rehearsals map[string]string
}

// order is that in which they are offered.
var order = []string{"rooms", "rounds", "story", "world", "least"}

// All are all of them, in the order in which they are offered.
func All() []Start {
	var out []Start
	for _, id := range order {
		text, err := files.ReadFile(path.Join(id, "plan.yaml"))
		if err != nil {
			panic(err) // it is embedded
		}
		s := Start{ID: id, Plan: string(text), Rehearsals: map[string]string{}}
		s.Title, s.About = about(s.Plan)
		names, _ := fs.Glob(files, path.Join(id, "rehearsals", "*.yaml"))
		for _, name := range names {
			raw, err := files.ReadFile(name)
			if err != nil {
				panic(err)
			}
			s.Rehearsals[strings.TrimSuffix(path.Base(name), ".yaml")] = string(raw)
		}
		out = append(out, s)
	}
	return out
}

// about reads the comment that a plan begins with: "# Rooms to walk: an observatory ...".
func about(plan string) (title, text string) {
	var words []string
	for line := range strings.Lines(plan) {
		rest, comment := strings.CutPrefix(line, "#")
		if !comment {
			break
		}
		words = append(words, strings.TrimSpace(rest))
	}
	title, text, _ = strings.Cut(strings.Join(words, " "), ": ")
	return title, strings.ToUpper(text[:1]) + text[1:]
}
