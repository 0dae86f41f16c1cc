// Package scout searches for what could happen under a plan. It tries what players and the game can do, with the engine's
// own steps, and reports which goals are reached, from which states a goal cannot be reached any more, and what fails. It
// claims that something never happens only if it has followed everything that could lead there.
//
// It starts no goroutine and reads no clock: the caller takes jobs, runs them, and returns the results.
package scout

import (
	"alluvion.dev/core/model"
)

// Options say how much is searched.
type Options struct {
	Players  int  // how many play, from 1; 0 stands for 1
	NoServer bool // without the requests that only the game's server sends
	Alone    bool // a way out of a dead end is one that the first player can go by themselves, with time alone
	States   int  // how many states are kept in each search at most; 0 stands for MostStates
	Memory   int  // how many bytes are kept in all searches together at most, about; 0 stands for no limit
}

// MostStates is how many states a search keeps where nothing is said.
const MostStates = 200_000

// ManyStates is how many states a search keeps at most, whatever is said: more could not be told apart.
const ManyStates = 40_000_000

// Answer is what is known of one thing that could be reached.
type Answer struct {
	Kind    string `json:"kind"` // one of AnswerKinds
	ID      string `json:"id"`
	Title   string `json:"title,omitempty"`
	Line    int    `json:"line,omitempty"`
	Verdict string `json:"verdict"`       // reached, never (nothing leads there), not found
	Run     *Run   `json:"run,omitempty"` // to it; the shortest one where Run.Shortest says so; nil of fates
}

// The verdicts.
const (
	Reached  = "reached"
	Never    = "never"     // the search was complete, and nothing led there
	NotFound = "not found" // in what was searched

	// Of a conserved total. Kept: the search was complete, and nothing changed it; Broken: something changed it; NotBroken:
	// nothing did in what was searched.
	Kept      = "kept"
	Broken    = "broken"
	NotBroken = "not broken"
)

// AnswerKinds are the kinds of answers, in the order of a report.
var AnswerKinds = []string{"goal", "milestone", "conserved", "scene", "passage", "passage refused", "checkpoint", "event", "option",
	"rule", "fate"}

// DeadEnd is a state from which something cannot be reached any more.
type DeadEnd struct {
	Kind   string `json:"kind"` // goal, milestone; scene: it cannot be left again
	ID     string `json:"id"`
	Title  string `json:"title,omitempty"`
	Line   int    `json:"line,omitempty"`
	Alone  bool   `json:"alone,omitempty"` // the first player cannot get there by themselves; with others' help they perhaps can
	Proved bool   `json:"proved"`          // false if a possible way out was not tried
	Why    string `json:"why,omitempty"`
	Lost   string `json:"lost"`   // the step at which the way was lost
	States int    `json:"states"` // how many states are dead ends of this kind
	Run    *Run   `json:"run"`

	In map[string]int `json:"in"` // how many of these states are in which scene
}

// Trouble is something that went wrong on the way.
type Trouble struct {
	Kind string `json:"kind"` // broken (what always holds did not), failed (a rule), made and lost (what is conserved), cut off (a number, by a limit)
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
	Looked   int      `json:"looked,omitempty"`   // at how many states, to see what Costs are
	Costs    []Cost   `json:"costs,omitempty"`    // what tells most states apart, where there were too many
}

// Report is the result of all searches.
type Report struct {
	Game     string     `json:"game"`
	Version  int        `json:"version"`
	Players  int        `json:"players"`
	Searches []Searched `json:"searches"`
	Answers  []Answer   `json:"answers"`
	DeadEnds []DeadEnd  `json:"dead_ends"`
	Troubles []Trouble  `json:"troubles"`
	Places   Places     `json:"places"`
	NotTried []string   `json:"not_tried,omitempty"` // what was done in no search
	Leaves   []Leave    `json:"leaves,omitempty"`    // where a plan has no goals: how each scene can always be left
}

// Bad says whether the report has a problem: a goal or a milestone that is never reached, a dead end, a broken invariant, or
// a rule that failed.
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
