// Package save is the documents that a session is kept in between its runs: a player's, and the
// world's. A save holds what was when it was cut; what becomes of it is decided when it is loaded.
//
// Saves are JSON. Written and read again under the same plan version, a save is the same in canonical
// form (RFC 8785). What a plan does not know is kept in the attic, and comes back to its place under a
// plan that knows it.
package save

import (
	"strings"
	"time"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

// Format is the version of the save format that this package writes.
const Format = 1

// Place is where a player is: never coordinates without their scene.
type Place struct {
	Scene  string      `json:"scene"`
	At     []fixed.Num `json:"at"`               // one for each axis
	Facing string      `json:"facing,omitempty"` // "" where the space has no facings
}

// String is the place as people read it: gorge (12, 47) north.
func (p Place) String() string {
	at := make([]string, len(p.At))
	for i, n := range p.At {
		at[i] = n.String()
	}
	return strings.TrimRight(p.Scene+" ("+strings.Join(at, ", ")+") "+p.Facing, " ")
}

// Values are figures by the ids of their variables.
type Values map[string]types.Value

// Props are figures of props, by kind and prop, or of the options of lists, by list and option; what has its start
// value is left out.
type Props map[string]map[string]Values

// Player is one player's save in one slot.
type Player struct {
	Format  int    `json:"alluvion_save"`
	Game    string `json:"game"`
	Version int    `json:"version"` // of the plan
	Player  string `json:"player"`
	Slot    int    `json:"slot"`
	Visits  int    `json:"visits"` // how often they have joined, the last visit included
	Number  uint64 `json:"number"` // the last numbered request that was applied
	Dead    bool   `json:"dead"`
	Place   Place  `json:"place"`
	Entry   Place  `json:"entry"` // where they last arrived in that scene
	// Checkpoint is the one reached, "" where none was; Used are those that counted in this run.
	Checkpoint string           `json:"checkpoint,omitempty"`
	Used       []string         `json:"used,omitempty"`
	Back       *Place           `json:"back,omitempty"`       // of a checkpoint that is an area: where it was entered
	Waymarks   map[string]Place `json:"waymarks,omitempty"`   // those that are not none
	Milestones []string         `json:"milestones,omitempty"` // those that are earned
	Values     Values           `json:"values"`
	// Scenes and Props are what the player has for each scene and each prop; what has its start value is
	// left out.
	Scenes    map[string]Values    `json:"scenes,omitempty"`
	Props     Props                `json:"props,omitempty"`
	Lists     Props                `json:"lists,omitempty"`     // and for each option of each list
	Standings map[string]fixed.Num `json:"standings,omitempty"` // the number that counts in each
	Crossed   map[string]Met       `json:"crossed,omitempty"`   // by own crossing: which the player met last
	Record    Record               `json:"record"`
	World     *World               `json:"world,omitempty"` // where session.players is 1
	Attic     Attic                `json:"attic,omitempty"`
	About     *About               `json:"about,omitempty"` // of one that has left the service
	// Profile is what the player has over all slots: it is kept apart, once for all of them.
	Profile *Profile `json:"-"`
	// Shared is what this game writes of each commons: it is kept apart, once for all games and slots.
	Shared map[string]Values `json:"-"`
}

// About is what the service knows of a save, and writes into it when it leaves.
type About struct {
	Plan     string    `json:"plan,omitempty"` // digest of the published text of the version: SHA-256, its first 128 bits
	Revision int       `json:"revision"`
	Moment   string    `json:"moment"` // what it was saved on
	SavedAt  time.Time `json:"saved_at"`
}

// Record is what rewinds at death, as it was when the checkpoint reached was reached, or at the run's
// start.
type Record struct {
	Values   Values            `json:"values"`
	Scenes   map[string]Values `json:"scenes,omitempty"`
	Props    Props             `json:"props,omitempty"`
	Lists    Props             `json:"lists,omitempty"`
	Waymarks map[string]Place  `json:"waymarks,omitempty"`
	World    *World            `json:"world,omitempty"` // where session.players is 1
}

// World is what the game and its scenes hold.
type World struct {
	Format  int               `json:"alluvion_world"`
	Game    string            `json:"game"`
	Version int               `json:"version"`
	Values  Values            `json:"values"`           // held by the game
	Scenes  map[string]Values `json:"scenes,omitempty"` // held by each scene
	Props   Props             `json:"props,omitempty"`  // held by each prop; what has its start value is left out
	Lists   Props             `json:"lists,omitempty"`  // held by each option of each list; what has its start value is left out
	// Movables are where each movable is; Held says of those that somebody holds, who.
	Movables map[string]Place  `json:"movables,omitempty"`
	Held     map[string]string `json:"held,omitempty"`
	// Senders are the last numbered request of each of the game's servers that was applied.
	Senders map[string]uint64 `json:"senders,omitempty"`
	Crossed map[string]Met    `json:"crossed,omitempty"` // by own crossing: how often it was counted
	// Standings are the numbers that count of options of lists, by standing and option.
	Standings map[string]map[string]fixed.Num `json:"standings,omitempty"`
	Attic     Attic                           `json:"attic,omitempty"`
}

// Profile is what a player has over all slots of a game.
type Profile struct {
	Format  int            `json:"alluvion_profile"`
	Game    string         `json:"game"`
	Version int            `json:"version"` // of the plan
	Player  string         `json:"player"`
	Values  Values         `json:"values"`
	Lists   Props          `json:"lists,omitempty"`   // for each option of each list; what has its start value is left out
	Crossed map[string]Met `json:"crossed,omitempty"` // by own crossing: which was met last, in whichever slot
	Attic   Attic          `json:"attic,omitempty"`
}

// Met is which of the happenings of one of a plan's own crossings was met last.
type Met struct {
	Session string `json:"session,omitempty"` // in which session; "" where the world is stored in the player's save
	Count   int    `json:"count,omitempty"`   // which it was there, from 1
	Date    string `json:"date,omitempty"`    // of what happens by the calendar, in place of these: the local date of the turn; "" where none was
}

// Attic keeps what the plan does not know, or what does not fit it any more: by identity
// (player.warmth, scenes.ridge.snow), the value that stood in the save, as a Kept.
type Attic map[string]jsontext.Value
