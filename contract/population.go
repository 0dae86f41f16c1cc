package contract

import "alluvion.dev/core/population"

// PopulationPick says under which version saves are looked at, and which of them are counted.
type PopulationPick struct {
	Under int `query:"under" minimum:"0" doc:"A published version; 0 is the plan that is being worked on."`
	population.Pick
}

// PopulationProgress says how far the counting of saves is.
type PopulationProgress struct {
	Looked  int                    `json:"looked" doc:"How many saves were looked at."`
	All     int                    `json:"all" doc:"How many slots there are."`
	Counted *population.Population `json:"counted,omitempty" doc:"What they hold: with the last event."`
}
