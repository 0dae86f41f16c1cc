package generated

import (
	"bytes"
	"fmt"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/check"
	"alluvion.dev/core/pack"
)

// carrying is a plan with a carrier of everything that one can carry.
const carrying = `
alluvion: 1
game: carrying
version: 1
space: {axes: [x, y], step: 0.5, facings: [north, south]}
start: hall/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
variables:
  oil:   {of: player, read_by: game, written_by: game, type: int, min: -5, max: 250, optional: true}
  heat:  {of: player, read_by: game, written_by: game, type: decimal, min: -1, max: 2.7, step: 0.1, start: 0}
  hood:  {of: player, read_by: game, written_by: game, type: choice, choices: [up, down], start: up, optional: true}
  lamp:  {of: player, read_by: game, written_by: game, type: bool, start: false}
  vow:   {of: player, read_by: game, written_by: game, type: bool, optional: true}
  nick:  {of: player, read_by: game, written_by: game, type: text, max_length: 4, alphabet: "a-zé_", optional: true}
  sign:  {of: player, read_by: game, written_by: game, type: text, max_length: 2, start: ""}
  luck:  {of: player, read_by: game, type: seed}
scenes: {hall: {size: [64, 48], spots: {door: {at: [1, 1]}}}, pit: {size: [8, 8], origin: [-8, -8], spots: {foot: {at: [-1, -1]}}}}
passages: {steps: {from: hall/door, to: pit/foot, both_ways: true}}
carriers:
  lamp_line: {alphabet: "0-9A-Z", length: 120, lanes: 16, every: 500ms, samples: 2,
    carries: [place.scene, place.x, place.y, place.facing, player.oil, player.heat, player.hood, player.lamp, player.vow, player.nick, player.sign, player.luck, player.dead]}
saving: {every: 30s}
`

// said are messages of that carrier, as people write them.
var said = []string{
	`{"place.scene": ["hall", "pit"], "place.x": [63.5, -8], "place.y": [0, -0.5], "place.facing": ["north", "south"], "player.oil": null, "player.heat": -1, "player.hood": null,
	  "player.lamp": true, "player.vow": null, "player.nick": null, "player.sign": "", "player.luck": 0, "player.dead": false}`,
	`{"place.scene": ["pit", "pit"], "place.x": [-0.5, -1], "place.y": [-8, 47.5], "place.facing": ["south", "south"], "player.oil": -5, "player.heat": 2.7, "player.hood": "down",
	  "player.lamp": false, "player.vow": true, "player.nick": "é_a", "player.sign": "é€", "player.luck": 4294967295, "player.dead": true}`,
	`{"place.scene": ["hall", "hall"], "place.x": [12.5, 12], "place.y": [3, 3], "place.facing": ["north", "north"], "player.oil": 250, "player.heat": 0.3, "player.hood": "up",
	  "player.lamp": true, "player.vow": false, "player.nick": "", "player.sign": "A", "player.luck": 7, "player.dead": false}`,
}

// carriers are the layout of a carrier and messages of it with their symbols, for those who write a codec of their own.
func carriers() ([]byte, error) {
	m, _, found := check.Text([]byte(carrying))
	if m == nil {
		return nil, fmt.Errorf("the plan of the vectors: %+v", found)
	}
	type vector struct {
		Values  map[string]any `json:"values"`
		Message string         `json:"message"`
	}
	l := pack.Of(m.Carriers[0])
	out := struct {
		Layout   pack.Report `json:"layout"`
		Messages []vector    `json:"messages"`
	}{Layout: l.Report()}
	for _, text := range said {
		message, err := l.Read([]byte(text))
		if err != nil {
			return nil, err
		}
		symbols, err := l.Encode(message)
		if err != nil {
			return nil, err
		}
		out.Messages = append(out.Messages, vector{message.Plain(), symbols})
	}
	raw, err := json.Marshal(out, json.Deterministic(true), jsontext.WithIndent("  "))
	return append(bytes.TrimSpace(raw), '\n'), err
}
