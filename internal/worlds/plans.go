package worlds

// Camp has something of what most plans have.
const Camp = `
alluvion: 1
game: camp
version: 2
space: {axes: [x, y], facings: [north, south]}
start: hut/bed
reach: 2
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  scene:  {scene: keep, restart: keep}
  game:   {restart: keep}
  place:  {death: checkpoint, leave: exact}
rosters:
  courier: {attributes: {pack: int}, options: {brisa: {pack: 6}, oddny: {pack: 9}}}
variables:
  warmth: {of: player, type: decimal, min: 0, max: 100, step: 0.5, start: 50, read_by: game, across: {death: {set: player.most}}}
  most:   {of: player, type: decimal, min: 10, max: 100, step: 0.5, start: 80}
  logs:   {of: player, type: int, min: 0, max: 99, start: 0, read_by: game, across: {death: rewind}}
  muddy:  {of: player, type: bool, start: false, read_by: game, across: {scene: reset, leave: reset}}
  badge:  {of: player, type: text, max_length: 8, optional: true, read_by: game, across: {new-run: keep}}
  who:    {of: player, type: pick, roster: courier, optional: true}
  strict: {of: player, type: int, min: 0, max: 10, start: 5, at_limit: refuse, read_by: game}
  clock:  {of: player, type: stopwatch, read_by: game, across: {death: rewind}}
  seen:   {of: player, type: int, min: 0, max: 99, start: 0, read_by: game}
  room:   {of: player, type: int, min: 0, max: 99, is: player.who.pack.orValue(3) - player.logs, read_by: game}
  fire:   {of: scene, type: int, min: 0, max: 9, start: 0, read_by: game, across: {scene: reset}}
  marks:  {of: scene, type: int, min: 0, max: 9, start: 0, read_by: game}
  fund:   {of: game, type: int, min: 0, max: 99, start: 0}
scenes:
  hut:  {size: [10, 10], spots: {bed: {at: [2, 2], facing: south}, door: {at: [5, 0], facing: north, span: {x: [1, 9]}}}}
  yard: {size: [30, 30], spots: {gate: {at: [15, 29], span: {x: [4, 26]}}, well: {at: [4, 4]}, oak: {at: [25, 5]}}}
  loft: {size: [5, 5], spots: {hatch: {at: [1, 1]}}}
passages:
  out:    {from: hut/door, to: yard/gate, both_ways: true, carry: [x, facing]}
  ladder: {from: hut/bed, to: loft/hatch, both_ways: true, if: game.fund >= 2, refused: The ladder costs two.}
  maze:   {from: yard/well, to: yard/oak, if: player.logs > 0, else: hut/bed}
checkpoints:
  fallback: hut/bed
  back_after: 1s
  list: {well: {at: yard/well, order: 1}, oak: {at: yard/oak, order: 2, again: true}, bed: {at: hut/bed, order: 0}}
events:
  hurt:   {args: {by: {type: decimal, min: 0, max: 100, step: 0.5}, at: player}, from: server}
  chop:   {args: {n: {type: int, min: 1, max: 5}}, from: self}
  mud:    {from: self}
  give:   {from: self, if: player.logs > 0, refused: Nothing to give.}
  name:   {args: {text: {type: text, max_length: 20}}, from: self, while_dead: true}
  choose: {args: {who: {type: pick, roster: courier}}, from: self}
  bump:   {args: {n: {type: int, min: -9, max: 9}}, from: self}
  split:  {args: {n: {type: int, min: 0, max: 9}}, from: self}
  spiral: {from: self}
  home:   {from: self}
  again:  {from: self}
  cold:   {args: {to: {type: decimal, min: 10, max: 100, step: 0.5}}, from: self}
rules:
  - {on: hurt, do: [{add: args.at.warmth, by: -args.by}, {if: args.at.warmth <= 0, do: [{die: args.at}, {die: args.at}]}]}
  - {on: chop, do: [{add: player.logs, by: args.n}]}
  - {on: mud, do: [{set: player.muddy, to: true}, {add: scene.fire, by: 1}, {add: scene.marks, by: 1}]}
  - on: give
    accept: {rewinds-apart: a gift is a gift}
    do: [{add: player.logs, by: -1}, {add: game.fund, by: 1}]
  - {on: name, do: [{set: player.badge, to: args.text}]}
  - {on: choose, do: [{pick: player.who, option: args.who}]}
  - on: bump
    accept: {rewinds-apart: for the test}
    do: [{add: player.logs, by: 1}, {add: player.strict, by: args.n}]
  - on: split
    accept: {rewinds-apart: for the test}
    do: [{add: player.logs, by: 1}, {set: player.seen, to: "div(10, args.n)"}]
  - {on: spiral, do: [{add: player.seen, by: 1}]}
  - {on: {changed: player.seen}, if: player.seen > 0 && player.seen < 99, do: [{set: player.seen, to: "player.seen == 1 ? 2 : 1"}]}
  - {on: home, do: [{go: hut/bed}]}
  - {on: again, do: [{start-over: player}]}
  - {on: cold, do: [{set: player.most, to: args.to}]}
  - {on: [arrived, departed, came-back], do: [{notify: player, text: a moment}]}
always:
  - {that: player.warmth <= player.most, refused: Warmer than can be.}
saving:  {when: [checkpoint, scene, leave], slots: 2, every: 30s}
session: {players: 3}
`

// Choir is about what rules can do: lists, seeds, notices.
const Choir = `
alluvion: 1
game: choir
version: 1
start: hall/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, scene: {scene: keep, restart: keep}, game: {restart: keep}, place: {death: stay, leave: exact}}
rosters: {voice: {attributes: {low: bool}, options: {alto: {low: false}, bass: {low: true}}}}
variables:
  warmth: {of: player, type: int, min: 0, max: 99, start: 10, read_by: game}
  share:  {of: player, type: int, min: 0, max: 99, start: 0, read_by: game}
  turns:  {of: player, type: int, min: 0, max: 99, start: 0, read_by: game}
  voice:  {of: player, type: pick, roster: voice, optional: true, read_by: game}
  fund:   {of: game, type: int, min: 0, max: 99, start: 12}
  ticks:  {of: game, type: int, min: 0, max: 99, start: 0, read_by: game}
scenes:
  hall: {size: [9, 9], spots: {door: {at: [1, 1]}}}
  yard: {size: [9, 9], spots: {gate: {at: [1, 1]}}}
passages: {out: {from: hall/door, to: yard/gate, both_ways: true}}
events:
  divide: {from: server}
  sing:   {from: self}
  loud:   {args: {by: {type: int, min: 0, max: 9}, note: {type: text, max_length: 9, optional: true}}, from: self}
  open:   {args: {at: player}, from: server, if: args.at.warmth > 0, refused: Too cold.}
  call:   {args: {who: player, by: int}, from: self}
  pickv:  {args: {v: {type: pick, roster: voice}}, from: self}
rules:
  - on: divide
    do:
      - let: {part: "div(game.fund, count(present))", twice: part * 2}
        do:
          - {each: p, in: session, do: [{add: p.share, by: part}, {if: p.warmth > 50, do: [{set: p.share, to: twice}]}]}
          - {set: game.fund, to: 0}
  - {on: sing, do: [{each: near, in: scene, do: [{add: near.warmth, by: 5}]}]}
  - {on: sing, do: [{send: loud, args: {by: player.warmth}}]}
  - {on: loud, do: [{add: player.share, by: args.by}, {if: has(args.note), do: [{notify: everyone, text: noted}]}]}
  - {on: call, do: [{send: open, args: {at: args.who}}, {add: player.turns, by: args.by}]}
  - {on: open, do: [{add: args.at.warmth, by: 1}]}
  - {on: pickv, do: [{pick: player.voice, option: args.v}]}
  - {on: picked, do: [{add: player.turns, by: 10}]}
  - {on: {every: 2s}, do: [{add: game.ticks, by: 1}]}
  - {on: {every: {time: 3s, of: player}}, do: [{add: player.turns, by: 1}]}
saving: {every: 30s}
`

// Cabin is a game for one player, whose world dies and starts over with them.
const Cabin = `
alluvion: 1
game: cabin
version: 1
start: room/bed
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  scene:  {scene: keep, restart: keep, death: keep, new-run: reset}
  game:   {restart: keep, death: rewind, new-run: reset}
  prop:   {scene: keep, restart: keep, death: rewind, new-run: reset}
  pair:   {scene: keep, death: {set: "prop.opened ? 7 : 0"}, leave: keep, new-run: reset}
  place:  {death: checkpoint, leave: exact}
variables:
  wood:    {of: game, type: int, min: 0, max: 99, start: 3, read_by: game}
  opened:  {of: prop:chest, type: bool, start: false}
  dust:    {of: prop:chest, type: int, min: 0, max: 9, start: 0, read_by: game, across: {scene: {set: prop.dust + 1}}}
  counted: {of: [player, prop:chest], type: int, min: 0, max: 9, start: 0, read_by: game}
  steps:   {of: [player, scene], type: int, min: 0, max: 99, start: 0, read_by: game, across: {death: reset, scene: {set: scene.steps + 10}}}
scenes:
  room:   {size: [9, 9], spots: {bed: {at: [1, 1]}, door: {at: [8, 4]}}}
  garden: {size: [30, 30], spots: {door: {at: [1, 15]}, tree: {at: [20, 20]}}}
passages: {out: {from: room/door, to: garden/door, both_ways: true}}
checkpoints: {fallback: room/bed, list: {tree: {at: garden/tree, again: true}}}
props: {chest: {placed: {red: room/bed, blue: garden/tree, green: {in: garden, at: [5, 5]}}}}
movables: {axe: {start: room/bed}, hoe: {start: garden/tree, across: {new-run: keep}}}
events: {open: {args: {it: prop:chest}, from: self}, chop: {from: self}, fall: {from: self}, axe: {from: self}, hoe: {from: self}, pace: {from: self}, frost: {from: server}}
rules:
  - {on: frost, do: [{set: game.wood, to: 0}]}
  - {on: open, do: [{set: args.it.opened, to: true}]}
  - {on: chop, do: [{add: game.wood, by: 1}]}
  - {on: fall, do: [{die: player}]}
  - {on: axe, do: [{take: axe}]}
  - {on: hoe, do: [{take: hoe}]}
  - {on: pace, do: [{add: scene.steps, by: 1}]}
saving: {slots: 2, when: [leave], every: 30s}
session: {players: 1}
`

// Marsh is about areas and the time in them.
const Marsh = `
alluvion: 1
game: marsh
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: checkpoint, leave: exact}}
variables:
  ins:   {of: player, type: int, min: 0, max: 99, start: 0, read_by: game}
  outs:  {of: player, type: int, min: 0, max: 99, start: 0, read_by: game}
  pools: {of: player, type: int, min: 0, max: 99, start: 0, read_by: game}
scenes:
  hut:   {size: [9, 9], spots: {door: {at: [1, 1]}}}
  marsh:
    size: [60, 60]
    areas:
      reeds: {x: [20, 30], y: [10, 40]}
      line:  {x: [50, 50.001]}
      pool:  {at: [10, 50], radius: 4}
      camp:  {at: [40, 5], radius: 3}
    spots: {edge: {at: [25, 30]}, stone: {at: [5, 5]}}
passages: {out: {from: hut/door, to: marsh/edge, both_ways: true}}
checkpoints: {fallback: hut/door, back_after: 1s, list: {stone: {at: marsh/stone, order: 1}, camp: {in: marsh/camp, order: 2}}}
events: {fall: {from: self}, dry: {from: self, if: "!inside('marsh/reeds')", refused: Too wet here.}, flee: {from: self}}
rules:
  - {on: {entered: marsh/reeds}, do: [{add: player.ins, by: 1}]}
  - {on: {exited: marsh/reeds}, do: [{add: player.outs, by: 1}]}
  - {on: {entered: marsh/line}, do: [{add: player.ins, by: 10}]}
  - {on: {exited: marsh/line}, do: [{add: player.outs, by: 10}]}
  - {on: {entered: marsh/pool}, do: [{add: player.pools, by: 1}]}
  - {on: fall, do: [{die: player}]}
  - {on: dry, do: [{notify: player, text: dry}]}
  - {on: flee, do: [{go: marsh/stone}]}
saving: {when: [checkpoint, leave], every: 30s}
`

// Caves has one of everything that is held by others than players, scenes and the game, and of every type
// that is more than one plain value.
const Caves = `
alluvion: 1
game: caves
version: 1
start: hall/door
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  scene:  {scene: keep, restart: keep}
  game:   {restart: keep}
  place:  {death: checkpoint, leave: exact}
rosters:
  guide:
    attributes: {pace: int}
    options:
      mole: {pace: 1}
      bat:  {pace: 3, if: player.depth >= 2, refused: Bats only follow who has been deep.}
variables:
  depth:   {of: player, type: int, min: 0, max: 9, start: 0}
  guide:   {of: player, type: pick, roster: guide, optional: true, locked: true}
  marks:   {of: player, type: set, items: {type: choice, choices: [sun, moon, star]}, max_items: 2, across: {death: rewind}}
  path:    {of: player, type: list, items: {type: int, min: 0, max: 9}, max_items: 3}
  outfit:  {of: player, type: group, fields: {hat: {type: text, max_length: 8, start: felt}, rope: {type: int, min: 0, max: 50, start: 10}}, across: {death: reset}}
  pin:     {of: player, type: point, optional: true}
  awake:   {of: player, type: stopwatch, while: player.depth > 0}
  busy:    {of: game, type: stopwatch, while: count(present) > 1}
  dug:     {of: prop:vein, type: int, min: 0, max: 5, start: 5}
  mined:   {of: [player, prop:vein], type: int, min: 0, max: 99, start: 0, across: {death: rewind}}
  found:   {of: [player, prop:chest], type: bool, start: false}
  lit:     {of: [player, scene], in: [hall, pit], type: bool, start: false}
  steps:   {of: [player, scene], type: int, min: 0, max: 99, start: 0, across: {scene: reset}}
  weather: {of: game, type: seed, across: {restart: reset}}
  rolled:  {of: player, type: int, min: 0, max: 6, start: 0}
  slow:    {of: player, type: int, is: "holds('cart') ? 1 : 4"}
  mood:    {of: player, type: choice, choices: [calm, wild], start: calm, share: {writer: self, with: everyone}}
scenes:
  hall: {size: [20, 20], spots: {door: {at: [2, 2]}, stairs: {at: [18, 10]}}}
  pit:  {size: [20, 20], origin: [-10, -10], spots: {foot: {at: [8, 0]}, ledge: {at: [0, 9]}}}
  loft: {size: [20, 20], spots: {beam: {at: [10, 10]}, hatch: {at: [4, 4]}}, walk: false}
passages:
  down: {from: hall/stairs, to: pit/foot, both_ways: true}
  up:   {from: hall/door, to: loft/beam, both_ways: true}
checkpoints: {fallback: hall/door, list: {ledge: {at: pit/ledge, again: true}}}
props:
  vein:  {placed: {north: {in: pit, at: [5, 5]}, south: {in: pit, at: [5, -5]}}, reach: 3}
  chest: {placed: {old: pit/ledge, new: {in: hall, at: [10, 10]}}, radius: 1.5}
movables:
  cart: {start: hall/stairs, never_in: [loft]}
  lamp: {start: hall/door, across: {restart: reset}}
events:
  dig:    {args: {vein: {type: prop:vein, within: reach}}, from: self}
  far:    {args: {vein: prop:vein}, from: self}
  refill: {args: {vein: prop:vein}, from: server}
  mark:   {args: {what: {type: choice, choices: [sun, moon, star]}}, from: self}
  unmark: {args: {what: {type: choice, choices: [sun, moon, star]}}, from: self}
  walk:   {args: {n: {type: int, min: 0, max: 9}}, from: self}
  back:   {args: {n: {type: int, min: 0, max: 9}}, from: self}
  dress:  {args: {hat: {type: text, max_length: 8}}, from: self}
  pin:    {from: self}
  deeper: {from: self}
  hire:   {args: {who: {type: pick, roster: guide}}, from: self}
  light:  {from: self}
  here:   {from: self}
  roll:   {args: {n: {type: int, min: 0, max: 1000}}, from: self}
  grab:   {from: self, while_dead: true}
  drop:   {from: self}
  home:   {from: self}
  lamp:   {from: self}
  fall:   {from: self}
  mirror: {from: self}
  rest:   {from: self}
rules:
  - on: dig
    do: [{add: args.vein.dug, by: -1}, {add: args.vein.mined, by: 1}]
  - on: far
    if: "args.vein.mined > 0 && count(player.found) == 0"
    do: []
  - on: refill
    do: [{set: args.vein.dug, to: 5}]
  - {on: mark, do: [{put: player.marks, item: args.what}]}
  - {on: unmark, do: [{take-out: player.marks, item: args.what}]}
  - {on: walk, do: [{put: player.path, item: args.n}]}
  - {on: back, do: [{take-out: player.path, item: args.n}]}
  - {on: dress, do: [{set: player.outfit.hat, to: args.hat}]}
  - {on: pin, do: [{set: player.pin, to: place.at}]}
  - {on: deeper, do: [{add: player.depth, by: 1}]}
  - {on: hire, do: [{pick: player.guide, option: args.who}]}
  - {on: light, do: [{set: scene.lit, to: true}]}
  - {on: here, do: [{add: scene.steps, by: 1}, {set: scenes.pit.lit, to: true}]}
  - {on: roll, do: [{set: player.rolled, to: "draw(game.weather, args.n, 1, 6)"}]}
  - {on: grab, do: [{take: cart}]}
  - {on: drop, do: [{set-down: cart}]}
  - {on: home, do: [{set-down: cart, at: hall/door}]}
  - {on: lamp, do: [{take: lamp}]}
  - {on: fall, do: [{die: player}]}
  - {on: mirror, do: [{go: {scene: pit, carry: [x, y]}}]}
  - {on: rest, do: [{save: player}, {save: world}]}
  - on: {entered: prop:chest}
    if: "!prop.found"
    do: [{set: prop.found, to: true}, {notify: player, text: A chest.}]
  - {on: loaded, do: [{notify: player, text: Back again.}]}
  - {on: saved, do: [{notify: player, text: Noted.}]}
standings:
  miners: {rank: "prop.vein.north.mined + prop.vein.south.mined"}
  deep:   {rank: player.depth, keep: last, order: low, if: player.depth > 0}
milestones:
  explorer: {when: count(player.found) == 2}
requests: {start-over: {if: place.scene == 'hall', refused: Only in the hall.}, move: {fastest: 10}, touch: {if: player.depth < 9}}
saving: {when: [leave], every: 30s}
`

// Marks is about milestones.
const Marks = `
alluvion: 1
game: marks
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, game: {restart: keep}, place: {death: stay, leave: exact}}
variables:
  parcels: {of: player, type: int, min: 0, max: 99, start: 0}
  bonus:   {of: player, type: int, min: 0, max: 99, start: 0, read_by: game}
  twice:   {of: player, type: int, min: 0, max: 198, is: player.parcels * 2}
  fund:    {of: game, type: int, min: 0, max: 99, start: 0}
scenes:
  hut:  {size: [9, 9], spots: {door: {at: [1, 1]}}}
  yard: {size: [9, 9], spots: {gate: {at: [1, 1]}}}
passages: {out: {from: hut/door, to: yard/gate, both_ways: true}}
events: {load: {args: {n: {type: int, min: 1, max: 50}}, from: self}, pay: {from: self}, grant: {args: {at: player}, from: server}, strip: {args: {at: player}, from: server}, over: {from: self}}
rules:
  - {on: load, do: [{add: player.parcels, by: args.n}]}
  - {on: pay, do: [{add: game.fund, by: 10}]}
  - {on: grant, do: [{earn: outside, of: args.at}]}
  - {on: strip, do: [{unearn: outside, of: args.at}]}
  - {on: over, do: [{start-over: player}]}
  - {on: {milestone: ten}, do: [{add: player.bonus, by: 1}]}
  - {on: milestone, do: [{notify: player, text: well done}]}
milestones:
  ten:     {title: Ten, progress: player.parcels, goal: 10}
  forty:   {progress: player.twice, goal: 40, across: {new-run: reset}}
  outside: {when: place.scene == 'yard'}
  rich:    {when: game.fund >= 20}
  both:    {when: player.earned('ten') && player.earned('outside')}
saving: {every: 30s}
`

// Moor is about waymarks and ways back.
const Moor = `
alluvion: 1
game: moor
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
scenes:
  hut:  {size: [9, 9], spots: {door: {at: [1, 1]}, hole: {at: [5, 5]}}}
  moor: {size: [50, 50], spots: {stone: {at: [9, 9]}}}
  bog:  {size: [50, 50], spots: {reed: {at: [3, 3]}}}
passages:
  out:    {from: hut/door, to: moor/stone, both_ways: true}
  down:   {from: moor/stone, to: bog/reed, both_ways: true}
  tunnel: {from: hut/hole, to: way_back, else: hut/door}
  crack:  {from: hut/hole, to: deep, if: has(player.deep), refused: No crack is known.}
waymarks:
  way_back: {not_from: [hut]}
  deep:     {lasting: true, forget_on: [bog], across: {death: rewind, leave: reset}}
checkpoints: {back_after: 1s, list: {stone: {at: moor/stone}}}
events: {horn: {from: self}, mark: {from: self}, lose: {from: self}, home: {from: self}, blind: {from: self}, fall: {from: self}}
rules:
  - {on: horn, do: [{remember: way_back}, {go: hut/door}]}
  - {on: mark, do: [{remember: deep}]}
  - {on: lose, do: [{forget: way_back}, {forget: deep}]}
  - {on: home, do: [{go: way_back, else: hut/door}]}
  - {on: blind, accept: {waymark-may-be-none: for the test}, do: [{go: way_back}]}
  - {on: fall, do: [{die: player}]}
saving: {every: 30s}
`

// Market is about lists whose options hold state, sides, crossings of the plan's own, values over all slots, and values
// that name another player.
const Market = `
alluvion: 1
game: market
version: 2
space: {axes: [x, y]}
start: pier/steps
reach: 50
lists:
  ware: {attributes: {weight: int}, options: {rice: {weight: 2}, tea: {weight: 1}, salt: {weight: 3}}}
  crew: [harbour, dunes]
defaults:
  player:  {scene: keep, death: keep, leave: keep, new-run: reset, round: keep, day: keep}
  profile: {day: keep}
  scene:   {scene: keep, restart: keep}
  game:    {restart: keep, round: keep}
  crew:    {round: keep}
  place:   {death: checkpoint, leave: exact}
crossings:
  round: {on: over, for: [game, crew, player]}
  day:   {calendar: {every: day, at: "04:00"}, for: [player, profile]}
variables:
  have:    {of: [player, ware], type: int, min: 0, max: 20, start: 0, at_limit: refuse, across: {death: rewind}, share: {with: scene}}
  fair:    {of: [player, ware], type: bool, start: true, share: {with: everyone}, read_by: game}
  load:    {of: player, type: int, min: 0, max: 999, is: sum(player.have * ware.weight), share: {with: everyone}}
  crew:    {of: player, type: crew, optional: true, share: {with: everyone}}
  mate:    {of: player, type: player, across: {round: reset}, share: {with: scene}}
  likes:   {of: player, type: ware, optional: true, share: {with: scene}, read_by: game}
  heavy:   {of: player, type: bool, is: has(player.mate.load) && player.mate.load > player.load, read_by: game}
  crowd:   {of: player, type: int, min: 0, max: 99, is: "count(present, p, p.crew == player.crew)", read_by: game}
  today:   {of: player, type: int, min: 0, max: 9, start: 0, across: {day: reset}}
  streak:  {of: player, type: int, min: 0, max: 99, start: 0, across: {day: {set: "days_missed > 1 ? 0 : player.streak + 1"}}, read_by: game}
  store:   {of: crew, type: int, min: 0, max: 50, start: 0, across: {round: reset}, share: {with: everyone}}
  won:     {of: crew, type: int, min: 0, max: 99, start: 0, read_by: game}
  lead:    {of: crew, type: int, min: -99, max: 99, is: crew.store - crew.won, share: {with: everyone}, read_by: game}
  price:   {of: ware, type: int, min: 1, max: 9, start: 5, share: {with: everyone}}
  rounds:  {of: game, type: int, min: 0, max: 999, start: 0, across: {round: {set: game.rounds + 1}}, share: {with: everyone}, read_by: game}
  first:   {of: game, type: crew, optional: true, share: {with: everyone}, read_by: game}
  volume:  {of: [profile, crew], type: int, min: 0, max: 10, start: 7, share: {with: self}, read_by: game}
  days:    {of: profile, type: int, min: 0, max: 999, start: 0, across: {day: {set: profile.days + 1}}, share: {with: everyone}, read_by: game}
  played:  {of: profile, type: stopwatch, share: {with: self}, read_by: game}
scenes:
  pier:   {size: [50, 30], spots: {steps: {at: [2, 4]}, slip: {at: [40, 4]}}}
  shoals: {size: [80, 60], spots: {landing: {at: [5, 4]}}}
passages:
  fairway: {from: pier/slip, to: shoals/landing, both_ways: true, if: player.load <= 30, refused: Too heavy.}
checkpoints: {fallback: pier/steps, back_after: 1s, list: {slip: {at: pier/slip, again: true}}}
events:
  join_crew: {args: {crew: crew}, from: self}
  find:   {args: {ware: ware, by: {type: int, min: 1, max: 5}}, from: self}
  haul:   {args: {ware: ware}, from: self, if: has(player.crew)}
  over:   {from: server}
  hail:   {args: {to: player, ware: ware}, from: self}
  give:   {args: {ware: ware}, from: self, if: has(player.mate)}
  haggle: {args: {ware: ware, to: {type: int, min: 1, max: 9}}, from: self}
  tune:   {args: {crew: crew, to: {type: int, min: 0, max: 10}}, from: self}
  sink:   {from: self}
  fetch:  {from: self}
rules:
  joining: {on: join_crew, do: [{set: player.crew, to: args.crew}]}
  finding: {on: find, do: [{add: args.ware.have, by: args.by}, {set: player.likes, to: args.ware}]}
  hauling:
    on: haul
    if: has(player.crew)
    do: [{add: player.crew.store, by: args.ware.have * args.ware.price}, {set: args.ware.have, to: 0}, {set: game.first, to: player.crew}]
  winning: {on: over, do: [{each: c, in: crew, do: [{if: c.store > 10, do: [{add: c.won, by: 1}]}]}]}
  hailing: {on: hail, do: [{set: player.mate, to: args.to}, {set: args.to.likes, to: args.ware}]}
  giving:
    on: give
    if: has(player.mate)
    do: [{add: "player.have[args.ware]", by: -1}, {add: "player.mate.have[args.ware]", by: 1}]
  haggling: {on: haggle, do: [{set: args.ware.price, to: args.to}]}
  tuning:   {on: tune, do: [{set: args.crew.volume, to: args.to}]}
  sinking:  {on: sink, do: [{die: player}]}
  fetching: {on: fetch, do: [{add: player.today, by: 1}]}
  round_of: {on: {crossed: round, of: player}, do: [{set: player.likes, to: tea}]}
milestones:
  rich: {when: "player.have['tea'] >= 5"}
  sure: {when: all(player.fair) && game.rounds > 2}
upgrades:
  2:
    - {drop: ware.indigo, why: Nobody trades in it.}
`

// Fair has a scene in which machines are sent only those who are near, one without, and a budget that is soon used up.
const Fair = `
alluvion: 1
game: fair
version: 1
space: {axes: [x, y], facings: [north, south]}
start: field/gate
reach: 5
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
variables:
  hood:  {of: player, type: bool, start: false, share: {with: scene}}
  purse: {of: player, type: int, min: 0, max: 99, start: 3, read_by: game}
  loud:  {of: player, type: int, min: 0, max: 9, start: 0, share: {with: everyone}}
  tents: {of: [player, scene], type: int, min: 0, max: 9, start: 0, share: {with: scene}, across: {scene: reset}}
  flags: {of: scene, type: int, min: 0, max: 9, start: 0, read_by: game}
scenes:
  field: {size: [60, 40], near: {within: 8, at_most: 3}, spots: {gate: {at: [1, 20]}, post: {at: [30, 20]}}}
  hall:  {size: [9, 9], spots: {door: {at: [1, 1]}}}
  pond:  {size: [20, 20], origin: [-10, -10], near: {within: 4}, spots: {reed: {at: [0, 0]}}}
passages:
  in:    {from: field/gate, to: hall/door, both_ways: true}
  swim:  {from: hall/door, to: pond/reed, both_ways: true}
events: {hide: {from: self}, pitch: {from: self}, shout: {from: self}, wave: {from: self}}
rules:
  - {on: hide, do: [{set: player.hood, to: "!player.hood"}]}
  - {on: pitch, do: [{add: scene.tents, by: 1}]}
  - {on: shout, do: [{add: player.loud, by: 1}]}
  - {on: wave, do: [{add: scene.flags, by: 1}]}
saving: {when: [leave], every: 30s}
session: {players: 12, budget: 100B/tick}
`
