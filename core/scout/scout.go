// Package scout searches what could happen under a plan: it does what players and the game could do, by the engine's own
// steps, and says what that can lead to. Goals that are reached or not, ends from which a goal cannot be reached any
// more, what breaks. It says of each answer what it rests on, and claims that something never happens only where
// everything that could lead to it was followed to the end.
//
// It starts no goroutine and reads no clock: a caller takes jobs out, lets workers do them, and hands the results in.
package scout

import (
	"alluvion.dev/core/model"
)

// Options say how much is searched.
type Options struct {
	Players  int  // how many play, from 1; 0 stands for 1
	NoServer bool // leaves out what only the game's server asks for
	States   int  // how many states are kept in each search at most; 0 stands for MostStates
}

// MostStates is how many states a search keeps where nothing is said.
const MostStates = 200_000

// Answer is what is known of one thing that could be reached.
type Answer struct {
	Kind    string `json:"kind"` // one of AnswerKinds
	ID      string `json:"id"`
	Title   string `json:"title,omitempty"`
	Line    int    `json:"line,omitempty"`
	Verdict string `json:"verdict"`       // reached, never (nothing leads there), not found
	Run     *Run   `json:"run,omitempty"` // to it; the shortest one where Run.Shortest says so
}

// The verdicts.
const (
	Reached  = "reached"
	Never    = "never"     // the search was complete, and nothing led there
	NotFound = "not found" // in what was searched
)

// AnswerKinds are the kinds of answers, in the order in which they are told.
var AnswerKinds = []string{"goal", "milestone", "scene", "passage", "passage refused", "checkpoint", "event", "option",
	"rule"}

// DeadEnd is a state from which something cannot be reached any more.
type DeadEnd struct {
	Kind   string `json:"kind"` // goal, milestone; scene: it cannot be left again
	ID     string `json:"id"`
	Title  string `json:"title,omitempty"`
	Line   int    `json:"line,omitempty"`
	Proved bool   `json:"proved"` // false where some way out was left out
	Why    string `json:"why,omitempty"`
	Lost   string `json:"lost"`   // the step at which the way was lost
	States int    `json:"states"` // how many states are such an end
	Run    *Run   `json:"run"`
}

// Trouble is something that went wrong on the way.
type Trouble struct {
	Kind string `json:"kind"` // broken (what always holds did not), failed (a rule), cut off (a number, by a limit)
	Text string `json:"text"`
	Line int    `json:"line,omitempty"` // of the rule
	Run  *Run   `json:"run"`
}

// Searched is how one search went.
type Searched struct {
	Name     string   `json:"name"`
	States   int      `json:"states"`
	Steps    int      `json:"steps"` // that were tried
	Complete bool     `json:"complete"`
	Why      []string `json:"why,omitempty"`      // what keeps it from being complete
	LeftOut  []string `json:"left_out,omitempty"` // the variables that decide nothing in it
}

// Report is what a scout brings back.
type Report struct {
	Game     string     `json:"game"`
	Version  int        `json:"version"`
	Players  int        `json:"players"`
	Searches []Searched `json:"searches"`
	Answers  []Answer   `json:"answers"`
	DeadEnds []DeadEnd  `json:"dead_ends"`
	Troubles []Trouble  `json:"troubles"`
	NotTried []string   `json:"not_tried,omitempty"` // what was done in no search
}

// Bad says whether the report has something that somebody has to see to: a goal or a milestone that is never reached, a
// dead end, something broken or failed.
func (r *Report) Bad() bool {
	for _, a := range r.Answers {
		if a.Verdict == Never && (a.Kind == "goal" || a.Kind == "milestone") {
			return true
		}
	}
	for _, d := range r.DeadEnds {
		if d.Proved {
			return true
		}
	}
	for _, t := range r.Troubles {
		if t.Kind != "cut off" {
			return true
		}
	}
	return false
}

// question is something that a search looks for: whether a condition about the first player comes to hold.
type question struct {
	kind, id, title string
	line            int
	goal            *model.Goal
	mile            *model.Milestone
}

// questionsOf are the goals of a plan, and its milestones.
func questionsOf(m *model.Model) []question {
	var out []question
	for _, g := range m.Goals {
		out = append(out, question{kind: "goal", id: g.ID, title: g.Title, line: g.At.Line, goal: g})
	}
	for _, x := range m.Milestones {
		out = append(out, question{kind: "milestone", id: x.ID, title: x.Title, line: x.At.Line, mile: x})
	}
	return out
}
