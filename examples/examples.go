// Package examples holds the sample games that ship with Alluvion: Lantern Pass, its sister game and the commons that
// they share, and the Harbour.
package examples

import (
	"embed"

	"alluvion.dev/core/model"
)

// LanternPass is the plan of the demo game.
//
//go:embed lantern-pass/plan.yaml
var LanternPass []byte

// LanternMarket is the plan of its sister game.
//
//go:embed lantern-market/plan.yaml
var LanternMarket []byte

// Harbour is the plan of another game, with two crews, rounds and days; HarbourBefore is its first version.
//
//go:embed harbour/plan.yaml
var Harbour []byte

// HarbourBefore is the first version of Harbour.
//
//go:embed harbour/history/plan.v1.yaml
var HarbourBefore []byte

// CourierGuild is the commons that both use.
//
//go:embed courier-guild.yaml
var CourierGuild []byte

// FirstNight is a script for alluvion play: one player crosses, dies, quits and returns.
//
//go:embed lantern-pass/first-night.play
var FirstNight []byte

// Commons gives the commons of the sample games.
func Commons(id string) ([]byte, error) {
	if id == "courier-guild" {
		return CourierGuild, nil
	}
	return nil, model.Unknown(id)
}

// LanternPassHistory are the earlier versions of Lantern Pass, and saves of each: history/plan.v1.yaml,
// history/saves/ada.v1.json.
//
//go:embed lantern-pass/history/plan.v1.yaml lantern-pass/history/plan.v2.yaml lantern-pass/history/plan.v4.yaml lantern-pass/history/saves/*.json
var LanternPassHistory embed.FS

// Rehearsals are those of all games: lantern-pass/rehearsals/starting-over.yaml.
//
//go:embed lantern-pass/rehearsals/*.yaml lantern-market/rehearsals/*.yaml harbour/rehearsals/*.yaml
var Rehearsals embed.FS
