import { outward, sceneOf, type MapPassage, type MapScene, type MapSpot, type PlanMap } from './map'

/** A passage as it is drawn: from spot to spot, or, where only one of its scenes is shown, a little way out of that. */
export interface Way {
  id: string
  path: string
  middle: [number, number]
  /** The scene that it leads to, where that is not shown. */
  note: string
  /** To which side it leaves: -1 left, 1 right, 0 up or down. */
  side: number
  gated: boolean
  /** It leads to a remembered place; drawn is where it leads else. */
  loose: boolean
}

/** What ways are drawn on. */
export interface Ground {
  shows: (scene: string) => boolean
  /** A point of a scene where it is drawn. */
  drawn: (scene: string, at: number[]) => [number, number]
  /** Where a spot is, while it is dragged too. */
  placeOf: (spot: MapSpot) => number[]
  /** One line of text high. */
  size: number
}

/** Where two spots lie in one scene, a way bends less. */
const BEND = { within: 0.16, between: 0.42 }

/** All ways that can be seen. */
export function waysOf(map: PlanMap, ground: Ground): Way[] {
  const scenes = new Map(map.scenes.map((s) => [s.id, s]))
  const spots = new Map(map.scenes.flatMap((s) => s.spots.map((x) => [x.id, x] as const)))
  return map.passages.flatMap((p) => {
    const [from, to] = [spots.get(p.from), spots.get(p.to || p.else || '')]
    if (!from || !to) return []
    const [there, back] = [ground.shows(sceneOf(from.id)), ground.shows(sceneOf(to.id))]
    if (there && back) return [between(p, from, to, scenes, ground)]
    if (!there && !back) return []
    return [out(p, there ? from : to, there ? to : from, scenes, ground)]
  })
}

const common = (p: MapPassage) => ({ id: p.id, gated: p.gated, loose: !p.to })

function between(p: MapPassage, from: MapSpot, to: MapSpot, scenes: Map<string, MapScene>, ground: Ground): Way {
  const end = (s: MapSpot) => ({ at: ground.drawn(sceneOf(s.id), ground.placeOf(s)), out: outward(scenes.get(sceneOf(s.id))!, s) })
  const [a, b] = [end(from), end(to)]
  const far = Math.hypot(b.at[0] - a.at[0], b.at[1] - a.at[1]) * (sceneOf(from.id) === sceneOf(to.id) ? BEND.within : BEND.between)
  const bend = (e: typeof a) => [e.at[0] + e.out[0] * far, e.at[1] + e.out[1] * far] as const
  const [c, d] = [bend(a), bend(b)]
  const middle = [0, 1].map((i) => (a.at[i]! + b.at[i]! + 3 * (c[i]! + d[i]!)) / 8) as [number, number] // of a cubic curve
  return { ...common(p), path: `M${a.at.join(' ')}C${c.join(' ')} ${d.join(' ')} ${b.at.join(' ')}`, middle, note: '', side: 0 }
}

function out(p: MapPassage, here: MapSpot, other: MapSpot, scenes: Map<string, MapScene>, ground: Ground): Way {
  const scene = scenes.get(sceneOf(here.id))!
  const at = ground.drawn(scene.id, ground.placeOf(here))
  const way = outward(scene, here)
  const [low, high] = [ground.drawn(scene.id, scene.low), ground.drawn(scene.id, scene.high)]
  const beyond = ([0, 1] as const).map((i) => (way[i] > 0 ? high[i] + ground.size * 0.7 : way[i] < 0 ? low[i] - ground.size * 0.7 : at[i])) as [number, number]
  return { ...common(p), path: `M${at.join(' ')}L${beyond.join(' ')}`, middle: beyond, note: scenes.get(sceneOf(other.id))?.title ?? '', side: way[0] }
}
