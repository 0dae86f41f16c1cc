package contract

import (
	"alluvion.dev/core/types"
)

// DryRunWish is a run of a plan that is made step by step.
type DryRunWish struct {
	Plan    string   `json:"plan,omitempty" maxLength:"1100000" doc:"The plan's text; the game's plan if unsaid."`
	Script  string   `json:"script,omitempty" maxLength:"1100000" doc:"A rehearsal to begin with: its players and steps, in place of those here."`
	Title   string   `json:"title,omitempty" maxLength:"200"`
	Players []string `json:"players,omitempty" maxItems:"20" doc:"Who takes part."`
	Seed    int      `json:"seed,omitempty" minimum:"0" maximum:"4294967295"`
	Steps   []JSON   `json:"steps,omitempty" maxItems:"1000" doc:"The steps, each as it would stand in a rehearsal."`
	At      int      `json:"at" minimum:"-1" doc:"Behind how many steps one looks; -1 for behind all."`
	Keep    bool     `json:"keep,omitempty" doc:"Give the run as a rehearsal that expects what was seen."`
}

// DryRunView is how the run stands.
type DryRunView struct {
	Title   string         `json:"title"`
	Players []string       `json:"players"`
	Seed    int            `json:"seed"`
	Steps   []DryRunStep   `json:"steps"`
	At      int            `json:"at" doc:"Behind how many steps this is how it stands."`
	Stands  []DryRunPlayer `json:"stands" doc:"Each player, before the last of these steps and after it."`
	World   []BeforeAfter  `json:"world" doc:"What the game and its scenes hold."`
	Things  []DryRunThing  `json:"things" doc:"Where movables are, after."`
	Script  string         `json:"script,omitempty" doc:"The run as a rehearsal."`
}

// DryRunStep is one step with what came of it.
type DryRunStep struct {
	Step    JSON     `json:"step" doc:"As it would stand in a rehearsal."`
	Words   string   `json:"words" doc:"What it does, for people."`
	Time    float64  `json:"time" doc:"The session's, in seconds, after it."`
	Failed  string   `json:"failed,omitempty" doc:"Why it was refused, or what was otherwise than expected."`
	Refused string   `json:"refused,omitempty" doc:"Why a step was refused that was to be."`
	Wanted  []Side   `json:"wanted"`
	Changes []Change `json:"changes"`
	Notices []Notice `json:"notices"`
}

// DryRunPlayer is a player before and after a step.
type DryRunPlayer struct {
	Player  string        `json:"player"`
	Present bool          `json:"present"`
	Dead    bool          `json:"dead"`
	Scene   string        `json:"scene,omitempty"`
	At      []float64     `json:"at"`
	Values  []BeforeAfter `json:"values"`
}

// BeforeAfter is one value before a step and after it.
type BeforeAfter struct {
	Name   string      `json:"name"`
	Of     string      `json:"of,omitempty" doc:"Of what there is one of for each scene, prop or option: which."`
	Title  string      `json:"title"`
	Before types.Value `json:"before"`
	After  types.Value `json:"after"`
	Change bool        `json:"change" doc:"Whether the step changed it."`
	Cause  string      `json:"cause,omitempty" doc:"Why it changed, in words."`
	Line   int         `json:"line,omitempty" doc:"Where that stands in the plan."`
}

// DryRunThing is where a movable is.
type DryRunThing struct {
	ID     string    `json:"id"`
	Scene  string    `json:"scene"`
	At     []float64 `json:"at"`
	Holder string    `json:"holder,omitempty"`
}
