/** A plan to begin a game with: small, without findings, and commented where a designer goes on. */
export interface Template {
  id: string
  title: string
  text: string
  plan: (game: string, title: string) => string
}

/** What every small plan begins with. */
const head = (game: string, title: string, start: string) => `alluvion: 1
game: ${game}
title: ${JSON.stringify(title)}
version: 1
space: {axes: [x, y], unit: metre}
start: ${start}

defaults:                       # what each crossing does to what does not say so itself
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  scene:  {scene: keep, restart: keep}
  game:   {restart: keep}
  place:  {death: checkpoint, leave: exact, new-run: start}
`

export const templates: Template[] = [
  {
    id: 'room',
    title: 'One room',
    text: 'One scene, one number, one checkpoint: the least that runs.',
    plan: (game, title) => `${head(game, title, 'room/door')}
variables:
  stars: {of: player, type: int, min: 0, max: 99, start: 0, read_by: game, across: {death: rewind}}   # falls back to the checkpoint with the player

scenes:
  room:
    title: The room
    size: [40, 24]
    spots:
      door: {at: [4, 12]}
      lamp: {at: [34, 12]}

checkpoints:
  fallback: room/door
  list:
    lamp: {at: room/lamp, order: 1}

events:
  star: {from: self}            # the player has picked one up

rules:
  - on: star
    do: [{add: player.stars, by: 1}]

saving: {slots: 3, when: [checkpoint, leave]}
`,
  },
  {
    id: 'two-scenes',
    title: 'Two scenes',
    text: 'A way between two scenes, a door that opens, and something that each player does once.',
    plan: (game, title) => `${head(game, title, 'village/well')}
variables:
  # What each player has.
  health: {of: player, type: int, min: 0, max: 10, start: 10, read_by: game, across: {death: reset}}
  coins:  {of: player, type: int, min: 0, max: 999, start: 0, read_by: game, across: {death: rewind}}
  # What all of them share.
  gate_open: {of: game, type: bool, start: false}

scenes:
  village:
    title: The village
    size: [48, 32]
    spots:
      well: {at: [12, 16]}
      gate: {at: [46, 16]}
  woods:
    title: The woods
    size: [64, 40]
    spots:
      edge:   {at: [1, 20]}
      shrine: {at: [50, 12]}

passages:
  way_out: {from: village/gate, to: woods/edge, both_ways: true, if: game.gate_open, refused: The gate is closed.}

checkpoints:
  fallback: village/well
  back_after: 1s
  list:
    shrine: {at: woods/shrine, order: 1}

events:
  coin: {from: self}
  lever: {from: self}
  hit:  {args: {by: {type: int, min: 1, max: 10}, at: player}, from: server}

rules:
  - on: coin
    do: [{add: player.coins, by: 1}]
  - on: lever
    do: [{set: game.gate_open, to: true}]
  - on: hit
    do:
      - {add: args.at.health, by: -args.by}
      - {if: args.at.health <= 0, do: [{die: args.at}]}

milestones:
  rich: {title: A full purse, progress: player.coins, goal: 100}

saving: {slots: 3, when: [checkpoint, scene, leave], every: 30s}
`,
  },
]
