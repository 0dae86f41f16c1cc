package worlds

// Tin is a plan of which a save is two files, one of them packed.
const Tin = `
alluvion: 1
game: tin
version: 2
space: {axes: [x, y]}
start: yard/gate
session: {players: 1}
saving: {slots: 3, when: [leave], every: 30s}
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  game: {restart: keep}
  place: {death: checkpoint, leave: exact, new-run: start}
variables:
  coins: {of: player, type: int, min: 0, max: 99, start: 3, read_by: game, written_by: game}
  day: {of: game, type: int, min: 1, max: 365, start: 1, read_by: game, written_by: game}
scenes: {yard: {size: [20, 20], spots: {gate: {at: [1, 1]}}}}
checkpoints: {fallback: yard/gate, list: {}}
upgrades: {2: [{rename: {player.money: player.coins}}]}
formats:
  folder:
    is: json
    files:
      state: "{player}/{slot}/state.json"
      map: {name: "{player}/{slot}/map.ini", is: ini, wrap: [gzip]}
    version: /state/v
    where: {player.coins: /state/purse, game.day: /map/main/day, place.x: /state/x, place.y: /state/y}
`
