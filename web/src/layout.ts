import { heightOf, outward, sceneOf, widthOf, type MapScene, type MapSpot, type PlanMap } from './map'

/** Where the scenes of a map are drawn beside one another, all to the same scale. */
export interface Layout {
  at: Record<string, [number, number]>
  low: [number, number]
  high: [number, number]
}

interface Box {
  low: [number, number]
  high: [number, number]
}

/** How far to the side of where it ought to be a scene may stand, in gaps. */
const SIDEWAYS = 5

/** One scene by itself. */
export function alone(s: MapScene): Layout {
  return { at: { [s.id]: [0, 0] }, low: [s.low[0]!, s.low[1] ?? 0], high: [s.high[0]!, s.high[1] ?? 1] }
}

/**
 * All scenes, as a traveller would draw them, beginning where runs begin: what a passage through the top of a scene
 * leads to lies above it, the two ends of the passage across from one another where there is room. What nothing leads
 * to stands in a row below.
 */
export function together(map: PlanMap): Layout {
  const gap = Math.max(6, ...map.scenes.map((s) => Math.min(widthOf(s), heightOf(s)) * 0.42))
  const scenes = new Map(map.scenes.map((s) => [s.id, s]))
  const spots = new Map(map.scenes.flatMap((s) => s.spots.map((x) => [x.id, x] as const)))
  const placed = new Map<string, Box>()
  const put = (s: MapScene, low: [number, number]) => placed.set(s.id, { low, high: [low[0] + widthOf(s), low[1] + heightOf(s)] })

  const ways = map.passages.flatMap((p) => {
    const [a, b] = [spots.get(p.from), spots.get(p.to || p.else || '')]
    return a && b && sceneOf(a.id) !== sceneOf(b.id) ? [[a, b] as const, [b, a] as const] : []
  })
  const first = map.scenes.find((s) => s.spots.some((x) => x.start)) ?? map.scenes[0]
  if (first) put(first, [0, 0])
  for (const id of placed.keys()) { // which grows as it is gone through
    for (const [from, to] of ways) {
      const next = scenes.get(sceneOf(to.id))!
      if (sceneOf(from.id) === id && !placed.has(next.id)) put(next, beside(scenes.get(id)!, from, next, to, placed, gap))
    }
  }

  const lowest = Math.max(0, ...[...placed.values()].map((b) => b.high[1]))
  let x = Math.min(0, ...[...placed.values()].map((b) => b.low[0]))
  for (const s of map.scenes.filter((s) => !placed.has(s.id))) {
    put(s, [x, lowest + gap])
    x += widthOf(s) + gap
  }
  const boxes = [...placed.values()]
  const edge = (pick: (...all: number[]) => number, side: 'low' | 'high', i: 0 | 1) => pick(...boxes.map((b) => b[side][i]))
  return {
    at: Object.fromEntries(map.scenes.map((s) => [s.id, placed.get(s.id)!.low.map((low, i) => low - (s.low[i] ?? 0)) as [number, number]])),
    low: boxes.length ? [edge(Math.min, 'low', 0), edge(Math.min, 'low', 1)] : [0, 0],
    high: boxes.length ? [edge(Math.max, 'high', 0), edge(Math.max, 'high', 1)] : [1, 1],
  }
}

/** Where a scene that a passage leads to stands: beyond the side that it leaves through, as near as there is room. */
function beside(scene: MapScene, from: MapSpot, next: MapScene, to: MapSpot, placed: Map<string, Box>, gap: number): [number, number] {
  const here = placed.get(scene.id)!
  const size = [widthOf(next), heightOf(next)]
  const out = outward(scene, from)
  const wanted = ([0, 1] as const).map((i) => {
    if (out[i] > 0) return here.high[i] + gap
    if (out[i] < 0) return here.low[i] - gap - size[i]!
    return here.low[i] + (from.at[i] ?? 0) - (scene.low[i] ?? 0) - ((to.at[i] ?? 0) - (next.low[i] ?? 0))
  }) as [number, number]
  const near = gap * 0.99 // at a gap's distance they are free of one another, whatever the rounding
  const free = (low: [number, number]) =>
    ![...placed.values()].some((b) => low[0] < b.high[0] + near && low[0] + size[0]! > b.low[0] - near && low[1] < b.high[1] + near && low[1] + size[1]! > b.low[1] - near)
  for (let off = 0; ; off++) {
    for (let aside = 0; aside <= Math.min(off, SIDEWAYS); aside++) {
      for (const turn of aside ? [aside, -aside] : [0]) {
        const [along, across] = [(off - aside) * gap, turn * gap]
        const low: [number, number] = [wanted[0] + out[0] * along + Math.abs(out[1]) * across, wanted[1] + out[1] * along + Math.abs(out[0]) * across]
        if (free(low)) return low
      }
    }
  }
}
