package contract

import (
	"alluvion.dev/core/types"
)

// Correction is a value that is corrected by hand.
type Correction struct {
	Name  string      `json:"name" minLength:"1" doc:"The variable, as player.parcels; or a milestone, as player.earned.full_sack, which is true or false."`
	Of    string      `json:"of,omitempty" doc:"Of what a player has for each scene, prop or option: which, as ridge, cache.at_cairn or rice."`
	Value types.Value `json:"value,omitempty" doc:"What it becomes; null for none."`
	Words *string     `json:"words,omitempty" maxLength:"4000" doc:"In place of value: what it becomes, as people type it: 12, true, oddny, none; of a list, a set or a point with commas between."`
	Why   string      `json:"why" minLength:"1" maxLength:"500" doc:"The reason; it is kept."`
}
