package contract

import (
	"time"

	"alluvion.dev/core/population"
)

// PopulationPick says under which version saves are looked at, and which of them are counted: those for which all of it
// holds. What is left out picks nothing out.
type PopulationPick struct {
	Under      int       `query:"under" minimum:"0" doc:"A published version; 0 is the plan that is being worked on."`
	Scene      string    `query:"scene" doc:"Only players who are in this scene."`
	Checkpoint string    `query:"checkpoint" doc:"Only players who have reached this checkpoint."`
	Milestone  string    `query:"milestone" doc:"Only players who have earned this milestone."`
	Version    int       `query:"version" minimum:"0" doc:"Only saves that were written under this version."`
	After      time.Time `query:"after" doc:"Only saves that were written then or later (RFC 3339)."`
	Before     time.Time `query:"before" doc:"Only saves that were written before that (RFC 3339)."`
}

// PopulationProgress says how far the counting of saves is.
type PopulationProgress struct {
	Looked  int                    `json:"looked" doc:"How many saves were looked at."`
	All     int                    `json:"all" doc:"How many slots there are."`
	Counted *population.Population `json:"counted,omitempty" doc:"What they hold: with the last event."`
}
