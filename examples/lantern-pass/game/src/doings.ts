// What a courier can do where they stand. The plan decides whether it may be done; this only offers what is likely.

import type { Outcome } from './alluvion'
import { type CacheId, type CheckpointId, type LanternPass, type PassageId, type SceneId, world } from './lantern-pass'

export interface Doing {
  key: string
  label: string
  /** At something that one stands beside. */
  near?: boolean
  ask(): Promise<Outcome>
}

type Point = readonly [number, number]
interface Spot { readonly at: Point; readonly span?: { readonly x?: Point; readonly y?: Point } }

/** A spot by its name in the plan, such as lodge/porch. */
export function spot(name: string): { scene: SceneId; spot: Spot } {
  const [scene, id] = name.split('/') as [SceneId, string]
  return { scene, spot: (world.scenes[scene].spots as Record<string, Spot>)[id]! }
}

/** The point of a spot that is nearest: of an edge, beside where one stands. */
export function nearest({ at, span }: Spot, from: Point): Point {
  const along = (axis: 'x' | 'y', i: 0 | 1) => (span?.[axis] ? Math.min(Math.max(from[i], span[axis][0]), span[axis][1]) : at[i])
  return [along('x', 0), along('y', 1)]
}

const far = (a: Point, b: Point) => Math.hypot(a[0] - b[0], a[1] - b[1])

/** The passages that begin in a scene, with where they lead. */
export function waysFrom(scene: SceneId): { id: PassageId; spot: Spot; label: string }[] {
  const out: { id: PassageId; spot: Spot; label: string }[] = []
  for (const id of Object.keys(world.passages) as PassageId[]) {
    const p: { from: string; to?: string; bothWays?: boolean } = world.passages[id]
    const begin = spot(p.from), end = p.to ? spot(p.to) : undefined
    if (begin.scene === scene) out.push({ id, spot: begin.spot, label: end ? `To ${world.scenes[end.scene].title}` : 'Back to where the horn was blown' })
    if (p.bothWays && end?.scene === scene) out.push({ id, spot: end.spot, label: `To ${world.scenes[begin.scene].title}` })
  }
  return out
}

export function doings(m: LanternPass, at: Point): Doing[] {
  const scene = m.scene?.id
  if (!scene || m.self.dead) return []
  const out: Doing[] = []
  const beside = (p: Point) => far(p, at) <= world.reach
  const add = (key: string, label: string, ask: () => Promise<Outcome>, near = false) => out.push({ key, label, ask, near })

  for (const way of waysFrom(scene)) if (beside(nearest(way.spot, at))) add('E', way.label, () => m.ask.pass(way.id), true)
  for (const id of Object.keys(world.checkpoints) as CheckpointId[]) {
    const is = spot(world.checkpoints[id].at)
    if (is.scene === scene && beside(is.spot.at) && m.self.checkpoint !== id) add('E', 'Rest here', () => m.ask.touch(id), true)
  }
  for (const id of Object.keys(world.props.cache) as CacheId[]) {
    const is = world.props.cache[id]
    if (is.scene === scene && beside(is.at) && !m.cache[id].taken) add('E', 'Open the cache', () => m.ask.open({ cache: id }), true)
  }
  const sled = m.movables.sled
  if (sled?.holder === m.self.id) add('X', 'Leave the sled', () => m.ask.leave_sled())
  else if (sled?.scene === scene && beside(sled.at as unknown as Point)) add('E', 'Take the sled', () => m.ask.take_sled(), true)
  for (const other of m.players) {
    const place = other.id === m.self.id ? undefined : other.place
    if (place?.scene === scene && m.self.parcels > 0 && beside(place.at as unknown as Point)) add('G', `Hand a parcel to ${other.nickname ?? other.id}`, () => m.ask.hand_over({ to: other.id }), true)
  }

  if (scene === 'lodge') {
    add('T', 'Take a parcel', () => m.ask.load())
    if (m.self.warmth < m.self.max_warmth) add('R', 'Warm up', () => m.ask.warm_up({ minutes: 10 }))
    if (!m.self.letters.includes('mill')) add('M', 'Take a letter for the mill', () => m.ask.letter({ for: 'mill' }))
  }
  if ((scene === 'lodge' || scene === 'mill') && m.self.parcels > 0) add('V', `Deliver ${m.self.parcels === 1 ? 'the parcel' : `${m.self.parcels} parcels`}`, () => m.ask.deliver())
  if (scene === 'mill' && m.self.letters.includes('mill')) add('M', 'Post the letter', () => m.ask.post())
  if (scene === 'cellar') add('F', 'Fill the lamp', () => m.ask.fill_lamp())
  if (scene === 'gorge' && !m.game.bridge_mended) add('P', `Lay a plank on the bridge (${m.game.planks} of 3)`, () => m.ask.plank())
  if (scene !== 'cellar') add('L', 'Light a lantern', () => m.ask.light())
  if (scene !== 'lodge' && scene !== 'cellar') add('H', 'Blow the horn, and be at the hearth', () => m.ask.horn())
  add('O', m.self.dress.hood === 'up' ? 'Put the hood down' : 'Put the hood up', () => m.ask.hood({ is: m.self.dress.hood === 'up' ? 'down' : 'up' }))
  return out
}
