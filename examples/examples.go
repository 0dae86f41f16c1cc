// Package examples holds the sample games that ship with Alluvion.
package examples

import _ "embed"

// LanternPass is the plan of the demo game.
//
//go:embed lantern-pass/plan.yaml
var LanternPass []byte

// FirstNight is a script for alluvion play: one player crosses, dies, quits and returns.
//
//go:embed lantern-pass/first-night.play
var FirstNight []byte
