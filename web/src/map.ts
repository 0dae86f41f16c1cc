import type { Schemas } from './api/client'

export type PlanMap = Schemas['Map']
export type MapScene = Schemas['MapScene']
export type MapSpot = Schemas['MapSpot']
export type MapPassage = Schemas['MapPassage']
export type MapArea = Schemas['MapArea']
export type MapProp = Schemas['MapProp']

/** Something that can be moved on the map: a spot or a prop, which is at a point, or an area, which has a size. */
export interface MapThing {
  /** As it is picked: spot:gorge/ledge, prop:cache.at_cairn, area:gorge/scree. */
  what: string
  /** Where it is; of an area its least corner. */
  at: number[]
  size?: number[]
}

export const spotThing = (s: MapSpot): MapThing => ({ what: `spot:${s.id}`, at: s.at })
export const propThing = (p: MapProp): MapThing => ({ what: `prop:${p.id}`, at: p.at })
export const areaThing = (a: MapArea): MapThing => ({ what: `area:${a.id}`, at: a.low, size: a.high.map((high, i) => neat(high - a.low[i]!)) })
export const thingsIn = (s: MapScene) => [...s.spots.map(spotThing), ...s.props.map(propThing), ...s.areas.map(areaThing)]
export const thingsOf = (map: PlanMap) => map.scenes.flatMap(thingsIn)

/** A number without what binary fractions add to it. */
export const neat = (x: number) => Number(x.toFixed(6))

/** The first id of a kind that nothing has yet: spot_1, spot_2. */
export function freeID(base: string, taken: string[]): string {
  let n = 1
  while (taken.includes(`${base}_${n}`)) n++
  return `${base}_${n}`
}

export const widthOf = (s: MapScene) => s.high[0]! - s.low[0]!
export const heightOf = (s: MapScene) => (s.high[1] ?? 1) - (s.low[1] ?? 0)
export const sceneOf = (spot: string) => spot.split('/')[0]!
export const nameOf = (id: string) => id.split('/').pop()!

/** Where a spot is, for people: porch, The Lodge. */
export const where = (map: PlanMap, spot: string) => `${nameOf(spot)}, ${map.scenes.find((s) => s.id === sceneOf(spot))?.title ?? sceneOf(spot)}`

/** The numbers of a text with commas between, where there are as many as there ought to be. */
export function numbersIn(text: string, wanted: number): number[] | undefined {
  const all = text.split(/[,\s]+/).filter(Boolean).map(Number)
  return all.length === wanted && all.every(Number.isFinite) ? all : undefined
}

/** Which side of its scene a spot is nearest to, as a step that way. */
export function outward(s: MapScene, spot: MapSpot): [number, number] {
  const x = (spot.at[0]! - s.low[0]!) / widthOf(s) - 0.5
  const y = ((spot.at[1] ?? 0) - (s.low[1] ?? 0)) / heightOf(s) - 0.5
  return Math.abs(x) >= Math.abs(y) ? [Math.sign(x) || 1, 0] : [0, Math.sign(y) || 1]
}

/** The nearest point that lies on whole multiples of a step, and in the scene; for an area of a size, its least corner. */
export function snapped(s: MapScene, at: number[], step: number, finest: number, size?: number[]): number[] {
  return at.map((x, i) => {
    const low = s.low[i] ?? 0
    const high = s.high[i] ?? 0
    const whole = Math.round(x / step) * step
    const most = size ? high - size[i]! : high - (whole >= high ? Math.max(finest, step >= 1 ? 1 : step) : 0)
    return neat(Math.max(Math.min(whole, most), low))
  })
}
