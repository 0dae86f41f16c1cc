// Package examples holds the sample games that ship with Alluvion: Lantern Pass, its sister game, and the
// commons that they share.
package examples

import (
	_ "embed"

	"alluvion/core/model"
)

// LanternPass is the plan of the demo game.
//
//go:embed lantern-pass/plan.yaml
var LanternPass []byte

// LanternMarket is the plan of its sister game.
//
//go:embed lantern-market/plan.yaml
var LanternMarket []byte

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
