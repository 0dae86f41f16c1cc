package contract

import (
	"alluvion.dev/core/upgrade"
)

// BothWays is a text checked against the game's plan, both ways.
type BothWays struct {
	Forward upgrade.Comparison `json:"forward" doc:"What becomes of saves of the game's plan under the text."`
	Back    upgrade.Comparison `json:"back" doc:"What would become of saves of the text under the game's plan; the service refuses to load them."`
}
