package contract

import (
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"time"
)

// PlayerInfo is a player as a list shows them.
type PlayerInfo struct {
	Player  string     `json:"player"`
	Session string     `json:"session,omitempty" doc:"The session that they are in now."`
	Slot    int        `json:"slot,omitempty" doc:"The slot that they play in now."`
	Slots   []SlotInfo `json:"slots"`
	// Simulated players can be removed all together: alluvion crowd -remove.
	Simulated bool `json:"simulated,omitempty" doc:"Nobody plays them: they are of a crowd."`
}

// SlotInfo tells what is saved in a slot.
type SlotInfo struct {
	Slot     int       `json:"slot"`
	Revision int       `json:"revision"`
	Moment   string    `json:"moment" doc:"What it was saved on."`
	Version  int       `json:"version" doc:"Of the plan."`
	Scene    string    `json:"scene"`
	Title    string    `json:"title,omitempty" doc:"Of the scene, for people; where the plan that is played has it."`
	SavedAt  time.Time `json:"saved_at"`
}

// PlayerView is what a player has: at the start, now, and saved.
type PlayerView struct {
	Player   string         `json:"player"`
	Slot     int            `json:"slot"`
	Session  string         `json:"session,omitempty" doc:"The session that they are in with this slot."`
	Present  bool           `json:"present"`
	Dead     bool           `json:"dead" doc:"Now, or as saved."`
	Revision int            `json:"revision" doc:"The newest revision; 0 where nothing is saved."`
	Recovery bool           `json:"recovery" doc:"What is saved is newer than the newest revision."`
	Values   []Three        `json:"values"`
	Problems []save.Problem `json:"problems" doc:"What of the save the plan does not take as it is, and what is loaded instead."`
	From     int            `json:"from" doc:"The version that the save was written under; it is shown as it would be loaded."`
	Under    int            `json:"under" doc:"The version that it is shown under."`
	Slots    []SlotInfo     `json:"slots"`
	Formats  []string       `json:"formats,omitempty" doc:"The formats of the game's own in which the save can be had."`
}

// Three is one value's three figures.
type Three struct {
	Name     string      `json:"name"`
	Of       string      `json:"of,omitempty" doc:"Of what a player has for each scene, prop or option: which."`
	Title    string      `json:"title"`
	Type     string      `json:"type"`
	Computed bool        `json:"computed"`
	Start    types.Value `json:"start" doc:"Before anything happened; null for none, and for what is computed."`
	Live     types.Value `json:"live" doc:"Now; null for none, and where the player is not present."`
	Saved    types.Value `json:"saved" doc:"In the save; null for none, and where it is not stored."`
	Stored   bool        `json:"stored" doc:"Whether the save has it."`
	// Correctable and Choices are for forms.
	Correctable bool     `json:"correctable" doc:"Whether it can be corrected by hand."`
	Choices     []string `json:"choices,omitempty" doc:"What it can be, where that is one of a few."`
}

// RevisionInfo tells about a revision.
type RevisionInfo struct {
	SlotInfo
	Why      string `json:"why,omitempty" doc:"Of what somebody did by hand: the reason."`
	Checksum string `json:"checksum" doc:"SHA-256 of the document."`
}
