package generated

// Everything is a plan with three axes, every type, every holder and every sharing.
const Everything = `
alluvion: 1
game: everything
version: 1
space: {axes: [x, y, z], step: 0.25, facings: [north, east, south, west]}
start: hall/door
reach: 1000
defaults:
  player:  {scene: keep, death: keep, leave: keep, new-run: reset}
  profile: {}
  scene:   {scene: keep, restart: keep}
  game:    {restart: keep}
  prop:    {scene: keep, restart: keep}
  place:   {death: stay, leave: exact}
lists: {ware: {attributes: {weight: int}, options: {rice: {weight: 2}, tea: {weight: 1}, wine: {weight: 3}}}}
rosters: {guide: {options: {ash: {}, birch: {}, cedar: {}, elm: {}, fir: {}}}}
variables:
  count:   {of: player, type: int, min: -3, max: 12, start: 0, share: {with: everyone}}
  wide:    {of: player, type: int, min: 0, max: 4294967295, start: 0}
  unset:   {of: player, type: int, min: 0, max: 7, optional: true}
  heat:    {of: player, type: decimal, min: -1, max: 2.7, step: 0.1, start: 0, share: {with: scene}}
  fine:    {of: player, type: decimal, min: 0, max: 1, step: 0.000000001, start: 0}
  lit:     {of: player, type: bool, start: false, share: {with: scene}}
  vow:     {of: player, type: bool, optional: true}
  hood:    {of: player, type: choice, choices: [up, down, off], start: down}
  carries: {of: player, type: ware, optional: true, share: {with: everyone}}
  guide:   {of: player, type: pick:guide, optional: true, read_by: game}
  name:    {of: player, type: text, max_length: 12, optional: true, share: {with: everyone, writer: self}}
  sign:    {of: player, type: text, max_length: 5, alphabet: "a-zé_", start: a}
  rival:   {of: player, type: player, optional: true}
  bag:     {of: player, type: set, items: ware, max_items: 3}
  path:    {of: player, type: list, items: {type: int, min: 0, max: 9}, max_items: 4}
  camp:    {of: player, type: point, optional: true}
  luck:    {of: player, type: seed, share: {with: self}}
  run:     {of: player, type: stopwatch, share: {with: everyone}}
  secret:  {of: player, type: int, min: 0, max: 9, start: 0, share: {with: nobody}}
  sound:   {of: profile, type: int, min: 0, max: 10, start: 7}
  seen:    {of: [player, scene], type: bool, start: false}
  have:    {of: [player, ware], type: int, min: 0, max: 9, start: 0, share: {with: everyone}}
  opened:  {of: [player, prop:chest], type: int, min: 0, max: 9, start: 0}
  snow:    {of: scene, type: int, min: 0, max: 9, start: 0}
  open:    {of: prop:chest, type: bool, start: false}
  store:   {of: ware, type: int, min: 0, max: 999, start: 5}
  fund:    {of: game, type: int, min: 0, max: 999, start: 0}
  most:    {of: player, type: int, min: 0, max: 99, is: player.count + 3, share: {with: everyone}}
scenes:
  hall: {size: [64, 48, 8], spots: {door: {at: [1, 1, 0]}, post: {at: [30, 20, 2]}}}
  pit:  {size: [8, 8, 30], origin: [-4, -4, -20], spots: {foot: {at: [0, 0, -20]}}}
passages: {steps: {from: hall/door, to: pit/foot, both_ways: true}}
waymarks: {back: {}}
milestones: {below: {title: Gone below, when: place.scene == 'pit'}, rich: {title: Rich, when: game.fund >= 3}}
props: {chest: {placed: {red: {in: hall, at: [5, 5, 0]}, blue: {in: pit, at: [0, 1, -20]}}}}
movables: {sled: {start: hall/post}, bell: {start: pit/foot}}
events:
  change: {from: self, args: {by: {type: int, min: -9, max: 9}}}
  take:   {from: self, args: {what: ware, many: {type: int, min: 0, max: 9}}}
  open:   {from: self, args: {it: prop:chest}}
  drag:   {from: self}
  choose: {from: self, args: {who: player}}
  mark:   {from: self}
rules:
  - on: change
    do: [{add: player.count, by: args.by}, {add: player.heat, by: 0.3}, {set: player.wide, to: 4294967295}, {set: player.fine, to: 0.123456789}, {set: player.lit, to: "!player.lit"}, {set: player.hood, to: off}, {add: game.fund, by: 1}, {add: scene.snow, by: 2}, {add: profile.sound, by: -1}]
  - {on: take, do: [{put: player.bag, item: args.what}, {set: args.what.have, to: args.many}, {add: args.what.store, by: -1}, {set: player.carries, to: args.what}]}
  - {on: open, do: [{set: args.it.open, to: true}, {add: args.it.opened, by: 1}]}
  - {on: drag, do: [{take: sled}]}
  - {on: choose, do: [{set: player.rival, to: args.who}]}
  - {on: mark, do: [{remember: back}, {set: player.camp, to: place.at}, {set: scene.seen, to: true}, {set: player.vow, to: true}]}
saving: {slots: 2, when: [leave], every: 30s}
session: {players: 40}
`

// spokenOfEverything is a conversation in that plan.
var spokenOfEverything = []spokenBy{
	{"ada", `{"is":"event","number":1,"name":"change","args":{"by":3}}`},
	{"～", ""},
	{"😀", ""},
	{"😀", `{"is":"event","number":1,"name":"take","args":{"what":"tea","many":4}}`},
	{"ada", `{"is":"event","number":2,"name":"take","args":{"what":"rice","many":9}}`},
	{"ada", `{"is":"event","number":3,"name":"take","args":{"what":"rice","many":0}}`}, // as at the start again: gone
	{"ada", `{"is":"move","number":4,"to":[12.25,3.5,7.75],"facing":"west"}`},
	{"ada", `{"is":"move","number":5,"to":[12.25,3.5,8]}`}, // refused: outside
	{"ada", `{"is":"event","number":6,"name":"mark"}`},
	{"～", `{"is":"event","number":1,"name":"choose","args":{"who":"😀"}}`},
	{"ada", `{"is":"event","number":7,"name":"choose","args":{"who":"～"}}`},
	{"ada", `{"is":"write","number":8,"name":"player.name","value":"Adé €"}`},
	{"ada", `{"is":"event","number":9,"name":"drag"}`},
	{"ada", `{"is":"event","number":10,"name":"open","args":{"it":"red"}}`},
	{"😀", `{"is":"event","number":2,"name":"change","args":{"by":-3}}`},
	{"ada", `{"is":"pass","number":11,"name":"steps"}`},
	{"ada", `{"is":"event","number":12,"name":"open","args":{"it":"blue"}}`},
	{"ada", `{"is":"event","number":13,"name":"change","args":{"by":-9}}`},
	{"～", `{"is":"leave","number":2}`}, // whom ada chose
	{"ada", `{"is":"start-over","number":14}`},
	{"ada", `{"is":"move","number":15,"to":[0.1,0.13,0.38]}`}, // rounded to the step
	{"ada", lost},
	{"😀", `{"is":"leave","number":3}`},
	{"@～", ""}, // in a seat that somebody had before
	{"@～", `{"is":"event","number":1,"name":"change","args":{"by":2}}`},
	{"ada", back},
	{"ada", `{"is":"event","number":16,"name":"choose","args":{"who":"@～"}}`},
}
