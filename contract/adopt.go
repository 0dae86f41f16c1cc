package contract

import "alluvion.dev/core/finding"

// Adopting are the saves from which a plan is to be drafted.
type Adopting struct {
	Game    string      `json:"game,omitempty" maxLength:"64" doc:"The game's id; without it the draft has one that is to be changed."`
	Version string      `json:"version,omitempty" maxLength:"500" doc:"The path at which files say their version; without it, it is found."`
	Files   []AdoptFile `json:"files" minItems:"1" maxItems:"2000"`
}

// AdoptFile is one of them.
type AdoptFile struct {
	Name string `json:"name" maxLength:"255" doc:"The name of the file, which may say whose it is."`
	File []byte `json:"file" doc:"Its bytes, in base64."`
}

// Adopted is a plan that was drafted.
type Adopted struct {
	Plan     string            `json:"plan" doc:"Each line has its evidence behind it; one with # ? is a guess."`
	Findings []finding.Finding `json:"findings" doc:"What check says of it."`
	Formats  []string          `json:"formats"`
	Saves    int               `json:"saves"`
	Clean    int               `json:"clean" doc:"How many load under the draft with nothing told."`
	Back     int               `json:"back" doc:"How many of these are written back as they were: those of the newest version."`
	Doubts   int               `json:"doubts" doc:"How many lines are guesses."`
	Told     []AdoptTold       `json:"told" doc:"What of the saves does not fit the draft; at most 200."`
	More     int               `json:"more,omitempty" doc:"Of which there is more than is told."`
}

// AdoptTold is something of a save that does not fit a draft. It says no value: that may be somebody's alone.
type AdoptTold struct {
	File string `json:"file"`
	What string `json:"what"`
}
