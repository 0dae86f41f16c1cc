package worlds

import (
	"fmt"
	"strings"
)

// Cellar is a plan of everything that a save can hold, up to its formats; CellarFormats are formats of it.
const Cellar = `
alluvion: 1
game: cellar
version: 3
space: {axes: [x, y], step: 0.5, facings: [north, east, south, west]}
start: bakehouse/door
session: {players: 1}
lists:
  ware: [rye, oats, malt]
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  pair: {scene: keep, death: keep, leave: keep, new-run: reset}
  scene: {scene: keep, restart: keep}
  prop: {scene: keep, restart: keep}
  game: {restart: keep}
  place: {death: checkpoint, leave: exact, new-run: start}
variables:
  coins: {of: player, type: int, min: -5, max: 9999, start: 10, across: {death: rewind}}
  heat: {of: player, type: decimal, min: 0, max: 10, step: 0.1, start: 5}
  note: {of: player, type: text, max_length: 30, optional: true}
  lamp: {of: player, type: choice, choices: [dim, bright], start: dim}
  wet: {of: player, type: bool, start: false}
  fond: {of: player, type: set, items: ware}
  time: {of: player, type: stopwatch}
  have: {of: [player, ware], type: int, min: 0, max: 99, start: 0}
  price: {of: ware, type: decimal, min: 0, max: 9, step: 0.25, start: 1}
  seen: {of: [player, scene], type: bool, start: false}
  open: {of: 'prop:hatch', type: bool, start: false}
  day: {of: game, type: int, min: 1, max: 365, start: 1}
props:
  hatch: {placed: {front: {in: cellar, at: [3, 3]}, back: {in: cellar, at: [9, 9]}}}
scenes:
  bakehouse: {size: [20, 20], spots: {door: {at: [1, 1]}}}
  cellar: {size: [30, 30], spots: {stair: {at: [2, 2]}}}
passages: {down: {from: bakehouse/door, to: cellar/stair, both_ways: true}}
checkpoints: {fallback: bakehouse/door, list: {stair: {at: cellar/stair}}}
waymarks: {home: {}}
milestones: {rich: {when: player.coins >= 5000}}
upgrades:
  2: [{rename: {player.money: player.coins}}]
  3: [{convert: player.heat, to: old * 1}]
formats:
`

// nested is a format of a language that has tables and lists.
const nested = `
  slot_file:
    is: %s
    version: /meta/rev
    player: /meta/who
    slot: /meta/slot
    where:
      place.scene: {at: /at/level, map: {3: bakehouse, 4: cellar}}
      place.x: /at/pos/0
      place.y: /at/pos/1
      place.facing: {at: /at/deg, map: {0: north, 90: east, 180: south, 270: west}}
      player.coins: /purse
      player.heat: {at: /oven, read: old / 10 - 3, write: (value + 3) * 10}
      player.note: {at: /note, none: missing}
      player.lamp: {at: /lamp, map: {0: dim, 1: bright}}
      player.wet: {at: /flags/wet, map: {0: false, 1: true}}
      player.fond: {at: /fond, split: ","}
      player.time: {at: /clock, as: millis}
      player.checkpoint: {at: /last, none: empty}
      milestones.rich: /earned/rich
      waymarks.home.scene: /home/where
      waymarks.home.x: /home/x
      waymarks.home.y: /home/y
      waymarks.home.facing: /home/facing
      ware.*.have: {each: /pack, id: {at: /name, map: {Rye bread: rye}}, at: /count}
      ware.*.price: {each: /prices, id: key, at: ""}
      scenes.*.seen: {each: /rooms, id: key, at: /seen}
      prop.hatch.*.open: {each: /hatches, id: key, at: /open}
      game.day: {at: /day, read: old + 1}
    until: {1: {player.money: /gold}}
`

// CellarFormats are the ways in which its saves are written in each language.
var CellarFormats = map[string]string{
	"json": fmt.Sprintf(nested, "json"), "yaml": fmt.Sprintf(nested, "yaml"), "toml": fmt.Sprintf(nested, "toml"),
	"messagepack": fmt.Sprintf(nested, "messagepack"), "cbor": fmt.Sprintf(nested, "cbor"),
	"wrapped": strings.Replace(fmt.Sprintf(nested, "json"), "version:", "wrap: [base64, gzip, crc32]\n    version:", 1),
	"xml": `
  slot_file:
    is: xml
    version: /save/@v
    player: /save/who
    slot: /save/@slot
    where:
      place.scene: {at: /save/at, map: {3: bakehouse, 4: cellar}}
      place.x: /save/at/@x
      place.y: /save/at/@y
      place.facing: /save/at/@facing
      player.coins: /save/purse
      player.heat: {at: /save/oven, read: old / 10}
      player.note: {at: /save/note/#text, none: missing}
      player.lamp: /save/lamp
      player.wet: {at: /save/wet, map: {0: false, 1: true}}
      player.fond: {at: /save/fond, split: " "}
      player.time: {at: /save/clock, as: seconds}
      player.checkpoint: {at: /save/last, none: missing}
      milestones.rich: /save/rich
      waymarks.home.scene: /save/home/@where
      waymarks.home.x: /save/home/@x
      waymarks.home.y: /save/home/@y
      waymarks.home.facing: /save/home/@facing
      ware.*.have: {each: /save/item, id: /@name, at: /@n}
      ware.*.price: {each: /save/prices, id: key, at: ""}
      scenes.*.seen: {each: /save/rooms, id: key, at: ""}
      prop.hatch.*.open: {each: /save/hatches, id: key, at: /open}
      game.day: /save/day
`,
	"ini": `
  slot_file:
    is: ini
    version: /main/v
    player: /main/who
    slot: //slot
    where:
      place.scene: /at/scene
      place.x: /at/x
      place.y: /at/y
      place.facing: /at/facing
      player.coins: /main/purse
      player.heat: /main/oven
      player.note: {at: /main/note, none: missing}
      player.lamp: /main/lamp
      player.wet: /main/wet
      player.fond: {at: /main/fond, split: ","}
      player.time: /main/clock
      player.checkpoint: {at: /main/last, none: missing}
      milestones.rich: {at: /main/rich, map: {yes: true, no: false}}
      waymarks.home.scene: /home/where
      waymarks.home.x: /home/x
      waymarks.home.y: /home/y
      waymarks.home.facing: /home/facing
      ware.*.have: {each: /pack, id: key, at: ""}
      ware.*.price: {each: /prices, id: key, at: ""}
      scenes.*.seen: {each: /rooms, id: key, at: ""}
      prop.hatch.*.open: {each: /hatches, id: key, at: ""}
      game.day: /main/day
`,
	"files": `
  slot_folder:
    is: json
    files:
      state: "{player}/{slot}/state.json"
      rooms: {name: "{player}/{slot}/rooms.ini", is: ini}
      pack: {name: "{player}/{slot}/pack.xml.gz", is: xml, wrap: [gzip]}
    version: /state/meta/rev
    where:
      place.scene: {at: /state/at/level, map: {3: bakehouse, 4: cellar}}
      place.x: /state/at/pos/0
      place.y: /state/at/pos/1
      place.facing: {at: /state/at/deg, map: {0: north, 90: east, 180: south, 270: west}}
      player.coins: /state/purse
      player.heat: {at: /rooms/main/oven, read: old / 10}
      player.note: {at: /state/note, none: missing}
      player.lamp: /rooms/main/lamp
      player.wet: {at: /pack/pack/@wet, map: {0: false, 1: true}}
      player.fond: {at: /rooms/main/fond, split: ","}
      player.time: {at: /state/clock, as: millis}
      player.checkpoint: {at: /state/last, none: empty}
      milestones.rich: {at: /rooms/main/rich, map: {yes: true, no: false}}
      waymarks.home.scene: /pack/pack/home/@where
      waymarks.home.x: /pack/pack/home/@x
      waymarks.home.y: /pack/pack/home/@y
      waymarks.home.facing: /pack/pack/home/@facing
      ware.*.have: {each: /pack/pack/item, id: /@name, at: /@n}
      ware.*.price: {each: /rooms/prices, id: key, at: ""}
      scenes.*.seen: {each: /rooms/rooms, id: key, at: ""}
      prop.hatch.*.open: {each: /state/hatches, id: key, at: /open}
      game.day: {at: /state/day, read: old + 1}
    until: {1: {player.money: /state/gold}}
`,
}
