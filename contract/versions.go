package contract

import (
	"alluvion.dev/core/upgrade"
	"time"
)

// Versions are what has been published of a game, beside the plan that is being worked on.
type Versions struct {
	Draft     DraftInfo     `json:"draft"`
	Published []VersionInfo `json:"published" doc:"Newest first. The newest is what sessions are opened under."`
}

// DraftInfo is the plan that is being worked on.
type DraftInfo struct {
	Version   int       `json:"version"`
	ETag      string    `json:"etag"`
	UpdatedAt time.Time `json:"updated_at"`
	Runs      bool      `json:"runs" doc:"Whether it has no errors."`
	Published bool      `json:"published" doc:"Whether just this text is published."`
	Next      bool      `json:"next" doc:"Whether it has the version that can be published next."`
	Wanted    int       `json:"wanted" doc:"The version that can be published next; 0 where nothing was published, so that it may be any."`
}

// VersionInfo is a published version.
type VersionInfo struct {
	Version     int       `json:"version"`
	ETag        string    `json:"etag"`
	PublishedAt time.Time `json:"published_at"`
	Why         string    `json:"why,omitempty" doc:"Why it was published although its trial was not clean."`
	Trial       int       `json:"trial,omitempty" doc:"The trial that it was published after."`
	Saves       int       `json:"saves" doc:"How many slots have a newest save of this version."`
	Sessions    int       `json:"sessions" doc:"How many open sessions run it."`
}

// Publishing is how the game's plan is published.
type Publishing struct {
	Plan string `json:"plan,omitempty" maxLength:"1100000" doc:"A text that takes the place of the game's plan and is published: both or neither. If-Match is then the entity tag of the plan that it replaces."`
	GoOn string `json:"go_on,omitempty" maxLength:"500" doc:"Why it is published although its trial was not clean, or there was none. It is kept."`
}

// TrialStart is what a trial is begun with.
type TrialStart struct {
	Plan string `json:"plan,omitempty" maxLength:"1100000" doc:"Try this text, in place of the game's plan, which stays as it is."`
	Made int    `json:"made,omitempty" minimum:"0" maximum:"100000" default:"200" doc:"How many random saves are generated for each published version, besides those at every edge."`
	Seed int    `json:"seed,omitempty" minimum:"0" maximum:"4294967295" default:"1" doc:"What the random ones come from."`
}

// TrialInfo is how far a trial is, and what came of it so far.
type TrialInfo struct {
	Trial   int            `json:"trial"`
	Version int            `json:"version" doc:"Of the plan that saves are taken to."`
	ETag    string         `json:"etag" doc:"Of that plan."`
	State   string         `json:"state" enum:"running,stopped,done,failed"`
	Done    int            `json:"done" doc:"How many saves were tried."`
	Total   int            `json:"total" doc:"How many there are."`
	Rate    float64        `json:"rate,omitempty" doc:"Saves a second, while it runs."`
	Left    float64        `json:"left,omitempty" doc:"Seconds until it is done, while it runs."`
	BeganAt time.Time      `json:"began_at"`
	Error   string         `json:"error,omitempty"`
	Clean   bool           `json:"clean" doc:"Whether it is done, and nothing is lost, corrected or refused."`
	Result  *upgrade.Trial `json:"result,omitempty" doc:"Missing in lists."`
}
