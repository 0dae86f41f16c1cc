// Package finding is what Alluvion says about a plan: one sentence, where, why it matters, and what
// to do next. Everything that judges a plan (the reader, the type check, the checks) says it in this
// form, and everything that people see (command line, HTTP, console) shows it unchanged.
package finding

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
)

// Severity is how much a finding matters.
type Severity string

// An Error means that the plan cannot run; a Warning that it will surprise somebody; a Note is worth
// a look.
const (
	Error   Severity = "error"
	Warning Severity = "warning"
	Note    Severity = "note"
)

// At is a position in the plan's text. Lines and columns count from 1, columns in characters.
// Pointer is the JSON Pointer (RFC 6901) of the value there.
type At struct {
	Line    int    `json:"line" doc:"Line in the plan, from 1; 0 where the finding is about the whole document."`
	Column  int    `json:"column" doc:"Column in that line, from 1, in characters."`
	Pointer string `json:"pointer" doc:"JSON Pointer (RFC 6901) of the value in the plan."`
}

// Pos gives the position itself; it makes whatever embeds an At something that a finding can point to.
func (a At) Pos() At { return a }

// Finding is one thing to know about a plan.
type Finding struct {
	ID       string   `json:"id" doc:"Permanent kebab-case id; docs/findings.md explains each."`
	Severity Severity `json:"severity" enum:"error,warning,note"`
	Message  string   `json:"message" doc:"One sentence about this plan."`
	Why      string   `json:"why" doc:"Why it matters."`
	Do       string   `json:"do" doc:"What to do about it."`
	Nearest  string   `json:"nearest,omitempty" doc:"The valid name nearest to the one that was written."`
	Sure     bool     `json:"sure,omitempty" doc:"Nothing but the nearest can have been meant: check -mend writes it."`
	Excerpt  string   `json:"excerpt,omitempty" doc:"The line of the plan."`
	Accepted string   `json:"accepted,omitempty" doc:"The plan's own reason for accepting this finding."`
	Item     string   `json:"item,omitempty" doc:"The item of the plan that it is about, as player.warmth or passages.rope_bridge."`
	Also     []At     `json:"also,omitempty" doc:"Where else just this is wrong."`
	At
}

// New makes a finding of a registered kind, with that kind's severity, reason and advice.
// It panics on an id that is not registered: that is a mistake in this program.
func New(id string, at At, message string) Finding {
	k, ok := Lookup(id)
	if !ok {
		panic("finding: unregistered id " + id)
	}
	return Finding{ID: id, Severity: k.Severity, Message: message, Why: k.Why, Do: k.Do, At: at}
}

// Most is how many findings are told of one document. Whoever has more begins with these.
const Most = 300

// enough is what stops whoever judges a document in which more is wrong than is told.
type enough struct{}

// Enough stops judging where that many findings were told; UpToMost hears of it.
func (l List) Enough() {
	if len(l) >= Most {
		panic(enough{})
	}
}

// UpToMost judges until that is done, or enough was found. It says whether there may be more.
func UpToMost(judge func()) (more bool) {
	defer func() {
		if stopped := recover(); stopped != nil {
			if _, more = stopped.(enough); !more {
				panic(stopped)
			}
		}
	}()
	judge()
	return false
}

// TooMany says that there may be more than is told.
func TooMany() Finding {
	return New("too-many", At{Line: 1, Column: 1},
		fmt.Sprintf("There are more findings than the %d that are listed. Begin with these, and check again.", Most))
}

// Suggest says which name was probably meant.
func (f *Finding) Suggest(g Guess) { f.Nearest, f.Sure = g.Name, g.Sure }

// Kind explains one kind of finding.
type Kind struct {
	ID       string   `json:"id"`
	Severity Severity `json:"severity"`
	Title    string   `json:"title"`
	Why      string   `json:"why"`
	Do       string   `json:"do"`
}

// Add adds kinds of findings: those of the checks stand beside what judges them, in core/check.
func Add(more ...Kind) struct{} {
	for _, k := range more {
		if _, twice := byID[k.ID]; twice {
			panic("finding: two kinds have the id " + k.ID)
		}
		kinds, byID[k.ID] = append(kinds, k), k
	}
	return struct{}{}
}

// Lookup finds a kind by its id.
func Lookup(id string) (Kind, bool) {
	k, ok := byID[id]
	return k, ok
}

// Kinds lists every kind, by id.
func Kinds() []Kind {
	all := slices.Clone(kinds)
	slices.SortFunc(all, func(a, b Kind) int { return cmp.Compare(a.ID, b.ID) })
	return all
}

var byID = func() map[string]Kind {
	m := map[string]Kind{}
	for _, k := range kinds {
		m[k.ID] = k
	}
	return m
}()

// List is the findings about one plan.
type List []Finding

// Sort puts the list in reading order: by line, column, severity, id.
func (l List) Sort() {
	rank := map[Severity]int{Error: 0, Warning: 1, Note: 2}
	slices.SortStableFunc(l, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(a.Line, b.Line), cmp.Compare(a.Column, b.Column),
			cmp.Compare(rank[a.Severity], rank[b.Severity]), cmp.Compare(a.ID, b.ID), cmp.Compare(a.Message, b.Message))
	})
}

// Excerpts fills in the line of the plan that each finding points to.
func (l List) Excerpts(source string) {
	lines := strings.Split(source, "\n")
	for i := range l {
		if n := l[i].Line; n >= 1 && n <= len(lines) && l[i].Column <= mostQuoted {
			l[i].Excerpt = clip(strings.TrimRight(lines[n-1], "\r"))
		}
	}
}

// Together makes one finding, at the first of its places, of an error that stands in the same words in several: a name
// that is misspelt where it is declared is one mistake, however often it is read.
func (l List) Together() List {
	type words struct{ id, message string }
	first := map[words]int{}
	out := make(List, 0, len(l))
	for _, f := range l {
		said := words{f.ID, f.Message}
		if i, again := first[said]; again && f.Severity == Error {
			out[i].Also = append(out[i].Also, f.At)
			continue
		}
		first[said] = len(out)
		out = append(out, f)
	}
	return out
}

// AlsoLines are the lines of a finding's other places, but for its own, each once.
func (f *Finding) AlsoLines() []int {
	var lines []int
	for _, at := range f.Also {
		if at.Line != f.Line && !slices.Contains(lines, at.Line) {
			lines = append(lines, at.Line)
		}
	}
	return lines
}

// mostQuoted is how much of a line is quoted: what stands behind it is not.
const mostQuoted = 400

// clip bounds a quoted line, so that a finding about a huge line stays readable.
func clip(line string) string {
	if r := []rune(line); len(r) > mostQuoted {
		return string(r[:mostQuoted]) + "…"
	}
	return line
}

// Errors says whether the plan cannot run.
func (l List) Errors() bool {
	return slices.ContainsFunc(l, func(f Finding) bool { return f.Severity == Error })
}

// Open counts the findings that the plan has not accepted.
func (l List) Open() int {
	n := 0
	for _, f := range l {
		if f.Accepted == "" {
			n++
		}
	}
	return n
}

// Upper is a text with a capital letter first, as a sentence begins.
func Upper(s string) string {
	_, n := utf8.DecodeRuneInString(s)
	return strings.ToUpper(s[:n]) + s[n:]
}
