// Lantern Pass, version 3, for games in TypeScript and JavaScript.
// Made from the plan by alluvion bindings: write it anew when the plan changes, and do not edit it.

import {
  Machine, type Joining, type Outcome, type Place, type Player, type Players, type Plan, type Thing, type Watch, type Where,
} from './alluvion'

/** Which way a player faces. */
export type Facing = 'north' | 'east' | 'south' | 'west'

/** The scenes. */
export type SceneId = 'lodge' | 'cellar' | 'gorge' | 'ridge' | 'mill' | 'guildhall' | 'beacon'

/** The passages. */
export type PassageId =
  | 'porch_gorge' | 'cellar_door' | 'old_tunnel' | 'rope_bridge' | 'mill_gate' | 'beacon_path' | 'guild_door'

/** The checkpoints. */
export type CheckpointId = 'gorge_shelter' | 'ridge_cairn' | 'beacon_lamp'

/** The milestones. */
export type MilestoneId = 'first_crossing' | 'full_sack' | 'wayfarer' | 'lamplighter'

/** The movables. */
export type MovableId = 'sled'

/** The props of the kind Cache. */
export type CacheId = 'under_ledge' | 'at_cairn' | 'by_the_wheel'

/** Stop. */
export type StopId = 'lodge' | 'mill' | 'beacon'

/** Couriers. */
export type CourierId = 'brisa' | 'oddny' | 'tarn' | 'eirik'

/** This machine's own player. Until the first frame is in, everything is undefined. */
export interface Self extends Player {
  /** Where the player is. */
  readonly place: Place
  /** Whether the player is dead, and not back yet. */
  readonly dead: boolean
  /** In which slot the player plays, from 1. */
  readonly slot: number
  /** How often the player came in, this time too. */
  readonly visits: number
  /** The checkpoint that counts. */
  readonly checkpoint: CheckpointId | null
  /** The milestones that the player has earned. */
  readonly milestones: readonly MilestoneId[]
  /** Way back: a remembered place. */
  readonly way_back: Place | null
  readonly courier: CourierId | null
  /** 0 to 150 in steps of 0.5. */
  readonly warmth: number
  /** 50 to 150 in steps of 0.5. */
  readonly max_warmth: number
  /** 0 to 40. */
  readonly oil: number
  /** 0 to 9999. */
  readonly parcels: number
  /** Parcels delivered. 0 to 9999. */
  readonly delivered: number
  /** Furthest stage. 0 to 9. */
  readonly stage: number
  readonly lamp: 'out' | 'low' | 'bright'
  readonly nickname: string | null
  readonly trail_time: Watch
  /** Time of this run. */
  readonly run_time: Watch
  /** 0 to 9999. */
  readonly falls: number
  readonly chilled: boolean
  /** Letters in the bag. */
  readonly letters: readonly StopId[]
  readonly dress: {
    readonly hood: 'up' | 'down'
    readonly scarf: string
  }
  readonly camp: readonly number[] | null
  /** Time on the sled. */
  readonly sled_time: Watch
  /** 0 to 3 in steps of 0.1. */
  readonly pace: number
  /** Room in the pack. 0 to 99. */
  readonly pack_room: number
  readonly guild: {
    /** Stage in the pass. 0 to 9. */
    readonly pass_stage: number
    /** Stage at the market. 0 to 9. */
    readonly market_stage: number
    /** Seals of the traders. */
    readonly seals: readonly ('salt' | 'wool' | 'oil')[]
    /** Renown. 0 to 18. */
    readonly renown: number
  }
  readonly scenes: { readonly [id in SceneId]: {
    readonly visited: boolean
  } }
  readonly cache: { readonly [id in CacheId]: {
    readonly taken: boolean
  } }
}

/** What this machine is told of any player. What is undefined belongs to a player who is in another scene, or out of sight. */
export interface Other extends Player {
  /** Where the player is. */
  readonly place: Place | undefined
  /** Whether the player is dead, and not back yet. */
  readonly dead: boolean | undefined
  readonly nickname: string | null
}

/** What the game has: one for everybody in the session. */
export interface Game {
  readonly bridge_mended: boolean
  /** 0 to 20. */
  readonly planks: number
  /** 0 to 9999. */
  readonly blizzards: number
  /** The night's luck. */
  readonly night: number
  /** Wind of these ten minutes. 0 to 3. */
  readonly wind: number
}

/** What each scene has, and what this machine's player has for each. Of other scenes, what is theirs is undefined. */
export interface Scene {
  readonly id: SceneId
  /** 0 to 3 in steps of 0.1. */
  readonly snow: number | undefined
  /** 0 to 12. */
  readonly lanterns_lit: number | undefined
  readonly visited: boolean
}

/** What each cache has, and what this machine's player has for each. Of those in other scenes, what is theirs is undefined. */
export interface Cache {
  readonly taken: boolean
}

/** Every value by its name in the plan, as on() takes it. */
export interface Values {
  'player.place': Place
  'player.dead': boolean
  'player.slot': number
  'player.visits': number
  'player.checkpoint': CheckpointId | null
  'player.milestones': readonly MilestoneId[]
  'player.way_back': Place | null
  'player.courier': CourierId | null
  'player.warmth': number
  'player.max_warmth': number
  'player.oil': number
  'player.parcels': number
  'player.delivered': number
  'player.stage': number
  'player.lamp': 'out' | 'low' | 'bright'
  'player.nickname': string | null
  'player.trail_time': Watch
  'player.run_time': Watch
  'player.falls': number
  'player.chilled': boolean
  'player.letters': readonly StopId[]
  'player.dress.hood': 'up' | 'down'
  'player.dress.scarf': string
  'player.camp': readonly number[] | null
  'player.sled_time': Watch
  'player.pace': number
  'player.pack_room': number
  'player.guild.pass_stage': number
  'player.guild.market_stage': number
  'player.guild.seals': readonly ('salt' | 'wool' | 'oil')[]
  'player.guild.renown': number
  'scene.snow': number
  'scene.lanterns_lit': number
  'game.bridge_mended': boolean
  'game.planks': number
  'game.blizzards': number
  'game.night': number
  'game.wind': number
  'scene.visited': boolean
  'prop.cache.taken': boolean
  'movables': Thing
}

/** What the player asks for. Each is answered with what became of it. */
export interface Ask {
  /** Says where the player is now. Of several that were not sent yet, only the newest is. */
  move(at: readonly [number, number], facing?: Facing): Promise<Outcome>
  /** Goes through a passage, from the spot where it begins. */
  pass(passage: PassageId): Promise<Outcome>
  /** Touches a checkpoint, at its spot. */
  touch(checkpoint: CheckpointId): Promise<Outcome>
  /** Writes player.nickname. */
  write(name: 'player.nickname', value: string | null): Promise<Outcome>
  /** Begins a new run. */
  startOver(): Promise<Outcome>
  /** Ends the visit. */
  leave(): Promise<Outcome>
  snowfall(args: { /** 0 to 1 in steps of 0.1. */ readonly depth: number }): Promise<Outcome>
  choose(args: { readonly who: CourierId }): Promise<Outcome>
  name_self(args: { readonly name: string }): Promise<Outcome>
  /** Refused: The pack is full. */
  load(): Promise<Outcome>
  /** Refused: There is nothing to deliver. */
  deliver(): Promise<Outcome>
  fill_lamp(): Promise<Outcome>
  warm_up(args: { /** 1 to 60. */ readonly minutes: number }): Promise<Outcome>
  plank(): Promise<Outcome>
  light(): Promise<Outcome>
  horn(): Promise<Outcome>
  open(args: { readonly cache: CacheId }): Promise<Outcome>
  /** Refused: There is nothing to hand over. */
  hand_over(args: { readonly to: string }): Promise<Outcome>
  letter(args: { readonly for: StopId }): Promise<Outcome>
  post(): Promise<Outcome>
  hood(args: { readonly is: 'up' | 'down' }): Promise<Outcome>
  pitch(): Promise<Outcome>
  take_sled(): Promise<Outcome>
  leave_sled(): Promise<Outcome>
}

/** A machine that follows a session of Lantern Pass. */
export class LanternPass extends Machine {
  declare readonly self: Self
  /** Everybody in the session, this machine's player among them. */
  declare readonly players: Players<Other>
  declare readonly game: Game
  /** The scene that this machine's player is in. */
  declare readonly scene: Scene | undefined
  declare readonly scenes: { readonly [id in SceneId]: Scene }
  declare readonly cache: { readonly [id in CacheId]: Cache }
  declare readonly movables: { readonly [id in MovableId]: Thing | undefined }
  declare readonly ask: Ask
  /** Calls back when a value changes, whosever it is. What is not known any more is undefined. It gives a function that ends this. */
  declare readonly on: <Name extends keyof Values>(
    name: Name,
    call: (value: Values[Name] | undefined, old: Values[Name] | undefined, where: Where) => void,
  ) => () => void

  constructor(joining: Joining & { picks?: { readonly courier?: CourierId } }) {
    super(plan, joining)
  }
}

/** What the plan says of the world: coordinates are in its unit. */
export const world = {
  title: 'Lantern Pass',
  axes: ['x', 'y'],
  unit: 'metre',
  step: 0.001,
  reach: 2,
  start: 'lodge/hearth',
  scenes: {
    lodge: {
      title: 'The Lodge',
      low: [0, 0],
      size: [40, 24],
      spots: {
        hearth: { at: [20, 12], facing: 'south' },
        porch: { at: [20, 0], facing: 'north', span: { x: [4, 36] } },
        stairs: { at: [36, 20] },
        shed: { at: [4, 20] },
        alcove: { at: [38, 10] },
      },
    },
    cellar: {
      title: 'The Oil Cellar',
      low: [0, 0],
      size: [16, 12],
      spots: { steps: { at: [2, 2], facing: 'east' }, barrel: { at: [13, 9] } },
    },
    gorge: {
      title: 'Scree Gorge',
      low: [0, 0],
      size: [64, 48],
      spots: {
        mouth: { at: [12, 47], facing: 'south', span: { x: [2, 40] } },
        shelter: { at: [30, 20] },
        span_east: { at: [63, 22], span: { y: [8, 40] } },
        ledge: { at: [50, 30] },
      },
      areas: { scree: { title: 'Loose scree', low: [44, 0], high: [60, 18] } },
    },
    ridge: {
      title: 'The Ridge',
      low: [0, 0],
      size: [80, 40],
      spots: {
        span_west: { at: [0, 22], span: { y: [8, 38] } },
        cairn: { at: [60, 12] },
        gate: { at: [79, 20] },
        slope: { at: [40, 0], span: { x: [10, 70] } },
      },
    },
    mill: {
      title: 'The Frozen Mill',
      low: [0, 0],
      size: [32, 20],
      spots: { yard: { at: [0, 10], facing: 'east' }, wheel: { at: [24, 12] } },
    },
    guildhall: { title: 'The Guild\'s Hall', low: [0, 0], size: [18, 14], spots: { threshold: { at: [1, 7], facing: 'east' } } },
    beacon: {
      title: 'The Beacon',
      low: [0, 0],
      size: [24, 24],
      spots: { foot: { at: [12, 23], facing: 'north', span: { x: [2, 22] } }, lamp: { at: [12, 4] } },
    },
  },
  passages: {
    porch_gorge: { title: 'Porch gorge', from: 'lodge/porch', to: 'gorge/mouth', bothWays: true },
    cellar_door: { title: 'Cellar door', from: 'lodge/stairs', to: 'cellar/steps', bothWays: true },
    old_tunnel: { title: 'Old tunnel', from: 'lodge/shed', waymark: 'way_back' },
    rope_bridge: { title: 'Rope bridge', from: 'gorge/span_east', to: 'ridge/span_west', bothWays: true },
    mill_gate: { title: 'Mill gate', from: 'ridge/gate', to: 'mill/yard', bothWays: true },
    beacon_path: { title: 'Beacon path', from: 'ridge/slope', to: 'beacon/foot', bothWays: true },
    guild_door: { title: 'Guild door', from: 'lodge/alcove', to: 'guildhall/threshold', bothWays: true },
  },
  props: {
    cache: {
      under_ledge: { scene: 'gorge', at: [50, 30] },
      at_cairn: { scene: 'ridge', at: [60, 12] },
      by_the_wheel: { scene: 'mill', at: [26, 16] },
    },
  },
  checkpoints: { gorge_shelter: { at: 'gorge/shelter' }, ridge_cairn: { at: 'ridge/cairn' }, beacon_lamp: { at: 'beacon/lamp' } },
  milestones: {
    first_crossing: { title: 'First Crossing' },
    full_sack: { title: 'Full Sack' },
    wayfarer: { title: 'Wayfarer' },
    lamplighter: { title: 'Lamplighter' },
  },
  movables: { sled: { title: 'The sled', start: 'lodge/shed' } },
  lists: {
    stop: { lodge: { title: 'Lodge' }, mill: { title: 'Mill' }, beacon: { title: 'Beacon' } },
    courier: {
      brisa: { title: 'Brisa', pace: 1.2, pack: 6, portrait: 'brisa.png' },
      oddny: { title: 'Oddny', pace: 0.9, pack: 9, portrait: 'oddny.png' },
      tarn: { title: 'Tarn', pace: 1, pack: 7, portrait: 'tarn.png' },
      eirik: { title: 'Eirik', pace: 1.4, pack: 5, portrait: 'eirik.png' },
    },
  },
} as const

const plan: Plan = {
  runtime: 1,
  layout: {
    alluvion_layout: 1,
    game: 'lantern-pass',
    version: 3,
    plan: 'e8d1f1b3efa1fee18235e987a0d59987',
    ticks: 10,
    seats: 6,
    kinds: 3,
    places: {
      axes: ['x', 'y'],
      step: 0.001,
      scene_bits: 3,
      facing_bits: 3,
      facings: ['north', 'east', 'south', 'west'],
      scenes: [
        { id: 'lodge', low: [0, 0], bits: [16, 15] }, { id: 'cellar', low: [0, 0], bits: [14, 14] },
        { id: 'gorge', low: [0, 0], bits: [16, 16] }, { id: 'ridge', low: [0, 0], bits: [17, 16] },
        { id: 'mill', low: [0, 0], bits: [15, 15] }, { id: 'guildhall', low: [0, 0], bits: [15, 14] },
        { id: 'beacon', low: [0, 0], bits: [15, 15] },
      ],
    },
    holders: [
      {
        name: 'player',
        copies: [],
        copy_bits: 0,
        players: true,
        fields: [
          { name: 'player.here', part: 'everyone', form: 'id', start: null },
          { name: 'player.place', part: 'scene', form: 'place', start: null },
          { name: 'player.dead', part: 'scene', form: 'value', code: { kind: 'truth', bits: 1 }, start: false },
          {
            name: 'player.slot',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 2, step: 1, codes: 4 },
            start: null,
          },
          {
            name: 'player.visits',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 31, step: 1, codes: 2147483648 },
            start: null,
          },
          {
            name: 'player.checkpoint',
            part: 'self',
            form: 'value',
            code: { kind: 'option', optional: true, bits: 2, options: ['gorge_shelter', 'ridge_cairn', 'beacon_lamp'] },
            start: null,
          },
          {
            name: 'player.milestones',
            part: 'self',
            form: 'value',
            code: {
              kind: 'list',
              bits: 3,
              most: 4,
              item: { kind: 'option', bits: 2, options: ['first_crossing', 'full_sack', 'wayfarer', 'lamplighter'] },
            },
            start: [],
          },
          { name: 'player.way_back', part: 'self', form: 'spot', start: null },
          {
            name: 'player.courier',
            part: 'self',
            form: 'value',
            code: { kind: 'option', optional: true, bits: 3, options: ['brisa', 'oddny', 'tarn', 'eirik'] },
            start: null,
          },
          {
            name: 'player.warmth',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 9, step: 0.5, codes: 301 },
            start: 100,
          },
          {
            name: 'player.max_warmth',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 8, min: 50, step: 0.5, codes: 201 },
            start: 100,
          },
          {
            name: 'player.oil',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 6, step: 1, codes: 41 },
            start: 12,
          },
          {
            name: 'player.parcels',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 14, step: 1, codes: 10000 },
            start: 0,
          },
          {
            name: 'player.delivered',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 14, step: 1, codes: 10000 },
            start: 0,
          },
          {
            name: 'player.stage',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 4, step: 1, codes: 10 },
            start: 0,
          },
          {
            name: 'player.lamp',
            part: 'self',
            form: 'value',
            code: { kind: 'option', bits: 2, options: ['out', 'low', 'bright'] },
            start: 'bright',
          },
          {
            name: 'player.nickname',
            part: 'everyone',
            form: 'value',
            code: {
              kind: 'text',
              optional: true,
              bits: 5,
              letters: 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789 _-',
              most: 16,
            },
            start: null,
          },
          {
            name: 'player.trail_time',
            part: 'self',
            form: 'watch',
            code: { kind: 'number', bits: 50, step: 0.001, codes: 1000000000000000 },
            start: 0,
          },
          {
            name: 'player.run_time',
            part: 'self',
            form: 'watch',
            code: { kind: 'number', bits: 50, step: 0.001, codes: 1000000000000000 },
            start: 0,
          },
          {
            name: 'player.falls',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 14, step: 1, codes: 10000 },
            start: 0,
          },
          { name: 'player.chilled', part: 'self', form: 'value', code: { kind: 'truth', bits: 1 }, start: false },
          {
            name: 'player.letters',
            part: 'self',
            form: 'value',
            code: { kind: 'list', bits: 2, most: 3, item: { kind: 'option', bits: 2, options: ['lodge', 'mill', 'beacon'] } },
            start: [],
          },
          {
            name: 'player.dress.hood',
            part: 'self',
            form: 'value',
            code: { kind: 'option', bits: 1, options: ['up', 'down'] },
            start: 'down',
          },
          {
            name: 'player.dress.scarf',
            part: 'self',
            form: 'value',
            code: { kind: 'text', bits: 6, most: 48 },
            start: 'red',
          },
          {
            name: 'player.camp',
            part: 'self',
            form: 'value',
            code: {
              kind: 'list',
              optional: true,
              bits: 2,
              most: 2,
              item: { kind: 'number', bits: 51, min: -999999999999.999, step: 0.001, codes: 1999999999999999 },
            },
            start: null,
          },
          {
            name: 'player.sled_time',
            part: 'self',
            form: 'watch',
            code: { kind: 'number', bits: 50, step: 0.001, codes: 1000000000000000 },
            start: 0,
          },
          {
            name: 'player.pace',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 5, step: 0.1, codes: 31 },
            start: null,
          },
          {
            name: 'player.pack_room',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 7, step: 1, codes: 100 },
            start: null,
          },
          {
            name: 'player.guild.pass_stage',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 4, step: 1, codes: 10 },
            start: 0,
          },
          {
            name: 'player.guild.market_stage',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 4, step: 1, codes: 10 },
            start: 0,
          },
          {
            name: 'player.guild.seals',
            part: 'self',
            form: 'value',
            code: { kind: 'list', bits: 2, most: 3, item: { kind: 'option', bits: 2, options: ['salt', 'wool', 'oil'] } },
            start: [],
          },
          {
            name: 'player.guild.renown',
            part: 'self',
            form: 'value',
            code: { kind: 'number', bits: 5, step: 1, codes: 19 },
            start: null,
          },
        ],
      },
      {
        name: 'scene',
        copies: ['lodge', 'cellar', 'gorge', 'ridge', 'mill', 'guildhall', 'beacon'],
        copy_bits: 3,
        players: false,
        fields: [
          {
            name: 'scene.snow',
            part: 'scene',
            form: 'value',
            code: { kind: 'number', bits: 5, step: 0.1, codes: 31 },
            start: 0.4,
          },
          {
            name: 'scene.lanterns_lit',
            part: 'scene',
            form: 'value',
            code: { kind: 'number', bits: 4, step: 1, codes: 13 },
            start: 0,
          },
        ],
      },
      {
        name: 'game',
        copies: [],
        copy_bits: 0,
        players: false,
        fields: [
          {
            name: 'game.bridge_mended',
            part: 'everyone',
            form: 'value',
            code: { kind: 'truth', bits: 1 },
            start: false,
          },
          {
            name: 'game.planks',
            part: 'everyone',
            form: 'value',
            code: { kind: 'number', bits: 5, step: 1, codes: 21 },
            start: 0,
          },
          {
            name: 'game.blizzards',
            part: 'everyone',
            form: 'value',
            code: { kind: 'number', bits: 14, step: 1, codes: 10000 },
            start: 0,
          },
          {
            name: 'game.night',
            part: 'everyone',
            form: 'value',
            code: { kind: 'number', bits: 32, step: 1, codes: 4294967296 },
            start: 0,
          },
          {
            name: 'game.wind',
            part: 'everyone',
            form: 'value',
            code: { kind: 'number', bits: 2, step: 1, codes: 4 },
            start: null,
          },
        ],
      },
      {
        name: 'player and scene',
        copies: ['lodge', 'cellar', 'gorge', 'ridge', 'mill', 'guildhall', 'beacon'],
        copy_bits: 3,
        players: true,
        fields: [{ name: 'scene.visited', part: 'self', form: 'value', code: { kind: 'truth', bits: 1 }, start: false }],
      },
      {
        name: 'prop:cache',
        copies: ['under_ledge', 'at_cairn', 'by_the_wheel'],
        copy_bits: 2,
        players: false,
        fields: [],
      },
      {
        name: 'player and prop:cache',
        copies: ['under_ledge', 'at_cairn', 'by_the_wheel'],
        copy_bits: 2,
        players: true,
        fields: [{ name: 'prop.cache.taken', part: 'self', form: 'value', code: { kind: 'truth', bits: 1 }, start: false }],
      },
      {
        name: 'movables',
        copies: ['sled'],
        copy_bits: 0,
        players: false,
        fields: [{ name: 'movables', part: 'everyone', form: 'thing', start: null }],
      },
    ],
  },
  events: [
    'snowfall', 'choose', 'name_self', 'load', 'deliver', 'fill_lamp', 'warm_up', 'plank', 'light', 'horn', 'open',
    'hand_over', 'letter', 'post', 'hood', 'pitch', 'take_sled', 'leave_sled',
  ],
  props: world.props,
}
