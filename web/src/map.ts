import type { Schemas } from './api/client'

export type PlanMap = Schemas['Map']
export type MapScene = Schemas['MapScene']
export type MapSpot = Schemas['MapSpot']

/** Where the scenes of a map are drawn beside one another, all to the same scale. */
export interface Layout {
  at: Record<string, [number, number]>
  low: [number, number]
  high: [number, number]
}

export const widthOf = (s: MapScene) => s.high[0]! - s.low[0]!
export const heightOf = (s: MapScene) => (s.high[1] ?? 1) - (s.low[1] ?? 0)
export const sceneOf = (spot: string) => spot.split('/')[0]!
export const nameOf = (id: string) => id.split('/').pop()!

/** One scene by itself. */
export function alone(s: MapScene): Layout {
  return { at: { [s.id]: [0, 0] }, low: [s.low[0]!, s.low[1] ?? 0], high: [s.high[0]!, s.high[1] ?? 1] }
}

/**
 * All scenes: those that one passage leads to from where runs begin stand in the next column, and so on; what nothing
 * leads to stands last. Within a column they stand where those that lead to them do.
 */
export function together(map: PlanMap): Layout {
  const near = new Map<string, Set<string>>(map.scenes.map((s) => [s.id, new Set<string>()]))
  for (const p of map.passages) {
    for (const to of [p.to, p.else]) {
      if (!to) continue
      near.get(sceneOf(p.from))?.add(sceneOf(to))
      near.get(sceneOf(to))?.add(sceneOf(p.from))
    }
  }
  const start = map.scenes.find((s) => s.spots.some((x) => x.start))?.id ?? map.scenes[0]?.id
  const depth = new Map<string, number>()
  let edge = start ? [start] : []
  for (let d = 0; edge.length; d++) {
    for (const id of edge) depth.set(id, d)
    edge = [...new Set(edge.flatMap((id) => [...(near.get(id) ?? [])]))].filter((id) => !depth.has(id))
  }
  const last = Math.max(-1, ...depth.values()) + 1
  const columns: MapScene[][] = []
  for (const s of map.scenes) (columns[depth.get(s.id) ?? last] ??= []).push(s)

  const gap = Math.max(6, ...map.scenes.map((s) => Math.min(widthOf(s), heightOf(s)) * 0.42))
  const at: Record<string, [number, number]> = {}
  const middle: Record<string, number> = {}
  let x = 0
  for (const column of columns) {
    if (!column) continue
    const wanted = (s: MapScene) => {
      const known = [...(near.get(s.id) ?? [])].flatMap((id) => (id in middle ? [middle[id]!] : []))
      return known.length ? known.reduce((a, b) => a + b, 0) / known.length : 0
    }
    column.sort((a, b) => wanted(a) - wanted(b))
    const tall = column.reduce((sum, s) => sum + heightOf(s) + gap, -gap)
    const wide = Math.max(...column.map(widthOf))
    let y = -tall / 2
    for (const s of column) {
      at[s.id] = [x + (wide - widthOf(s)) / 2 - s.low[0]!, y - (s.low[1] ?? 0)]
      middle[s.id] = y + heightOf(s) / 2
      y += heightOf(s) + gap
    }
    x += wide + gap * 1.25
  }
  const tops = map.scenes.map((s) => at[s.id]![1] + (s.low[1] ?? 0))
  const ends = map.scenes.map((s) => at[s.id]![1] + (s.high[1] ?? 1))
  return { at, low: [0, Math.min(0, ...tops)], high: [Math.max(1, x - gap * 1.25), Math.max(1, ...ends)] }
}

/** The nearest point that lies on whole multiples of a step, and in the scene. */
export function snapped(s: MapScene, at: number[], step: number, finest: number): number[] {
  return at.map((x, i) => {
    const low = s.low[i] ?? 0
    const high = s.high[i] ?? 0
    const whole = Math.round(x / step) * step
    const inside = Math.min(Math.max(whole, low), high - (whole >= high ? Math.max(finest, step >= 1 ? 1 : step) : 0))
    return Number(inside.toFixed(6))
  })
}
