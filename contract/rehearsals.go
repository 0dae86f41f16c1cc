package contract

import (
	"time"
)

// RehearsalInfo is a rehearsal as a list shows it.
type RehearsalInfo struct {
	Name      string    `json:"name"`
	Title     string    `json:"title"`
	UpdatedAt time.Time `json:"updated_at"`
}

// RehearsalResult is what came of a run of a rehearsal.
type RehearsalResult struct {
	Name   string       `json:"name"`
	Title  string       `json:"title"`
	Passed bool         `json:"passed"`
	Steps  int          `json:"steps" doc:"How many there are."`
	Failed []FailedStep `json:"failed" doc:"Those at which something was otherwise than expected."`
}

// FailedStep is a step at which something was otherwise than expected.
type FailedStep struct {
	Step   int    `json:"step" doc:"From 1; 0 where the script cannot be played at all."`
	Line   int    `json:"line" doc:"Of the script."`
	Text   string `json:"text" doc:"The step as it is written."`
	Why    string `json:"why"`
	Wanted []Side `json:"wanted" doc:"Both sides of what was expected."`
}

// Side is one expectation with what is and what was wanted.
type Side struct {
	Name   string `json:"name"`
	Is     string `json:"is"`
	Wanted string `json:"wanted"`
}
