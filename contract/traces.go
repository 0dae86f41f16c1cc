package contract

import (
	"time"
)

// Forgotten says how much was held about a player, and is no more.
type Forgotten struct {
	Slots    int64 `json:"slots"`
	Saves    int64 `json:"saves"`
	Ranks    int64 `json:"ranks"`
	Journal  int64 `json:"journal"`
	Commons  int64 `json:"commons"`
	Profiles int64 `json:"profiles" doc:"What the player had over all slots."`
	// Waiting are the nodes that have not come so far yet, where several make one service.
	Waiting []string `json:"waiting,omitempty" doc:"Where several nodes make one service: those whose file still has it, since they have not come so far yet. The status is 202 then. Those that are not there begin with a copy that has nothing of it."`
}

// Held is everything that is held about a player.
type Held struct {
	Game      string          `json:"game"`
	Player    string          `json:"player"`
	At        time.Time       `json:"at"`
	Saves     []HeldSave      `json:"saves"`
	Standings []HeldRank      `json:"standings"`
	Journal   []HeldChange    `json:"journal" doc:"What the journals say of the player, newest first; at most 20,000."`
	Files     []HeldFile      `json:"files,omitempty" doc:"The files in the game's own formats that were uploaded last."`
	Profile   JSON            `json:"profile,omitempty" doc:"What the player has over all slots."`
	Commons   map[string]JSON `json:"commons" doc:"By commons and name, as courier-guild.seals. A game's server is given those that its plan uses."`
}

// HeldSave is one stored save.
type HeldSave struct {
	SlotInfo
	Why  string `json:"why,omitempty"`
	Save JSON   `json:"save"`
}

// HeldFile is a file in a game's own format, as it was uploaded.
type HeldFile struct {
	Slot    int       `json:"slot"`
	Format  string    `json:"format"`
	Name    string    `json:"name"`
	SavedAt time.Time `json:"saved_at"`
	File    []byte    `json:"file" doc:"Its bytes, in base64."`
}

// HeldRank is a place in a standing.
type HeldRank struct {
	Standing string `json:"standing"`
	Number   string `json:"number"`
}

// HeldChange is a change that a journal tells of.
type HeldChange struct {
	At     time.Time `json:"at"`
	Change JSON      `json:"change"`
}
