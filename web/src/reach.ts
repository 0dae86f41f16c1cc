import type { Schemas } from './api/client'

type Places = Schemas['ScoutPlaces']

/** A scene where it is drawn. */
export interface DrawnScene {
  id: string
  title: string
  states: number
  stuck: number
  seen: boolean
  x: number
  y: number
}

/** A way between two scenes: both ways where there is one back. */
export interface DrawnWay {
  id: string
  from: string
  to: string
  /** There is one back as well. */
  both: boolean
  /** Nobody goes through a passage for it. */
  loose: boolean
  path: string
  title: string
}

export interface Drawing {
  scenes: DrawnScene[]
  ways: DrawnWay[]
  width: number
  height: number
}

export const wide = 150
export const high = 58
const column = 216
const row = 84

/** Scenes in columns, by how often one has to change the scene to be there; those that nobody was seen in come last. */
export function drawingOf(places: Places): Drawing {
  const seen = places.scenes.filter((s) => s.steps >= 0)
  const columns: Places['scenes'][] = []
  for (const s of seen) (columns[s.steps] ??= []).push(s)
  const never = places.scenes.filter((s) => s.steps < 0)
  if (never.length) columns.push(never)
  const tallest = Math.max(1, ...columns.map((c) => c.length))
  const at = new Map<string, [number, number]>()
  columns.forEach((scenes, x) => {
    // Beside those that lead there, so that few lines cross.
    const wanted = new Map(scenes.map((s) => [s.id, middle(places, s.id, at) ?? 0]))
    const order = x === 0 ? scenes : [...scenes].sort((a, b) => wanted.get(a.id)! - wanted.get(b.id)!)
    const top = ((tallest - order.length) * row) / 2
    order.forEach((s, y) => at.set(s.id, [x * column, top + y * row]))
  })
  return {
    scenes: places.scenes.map((s) => ({ id: s.id, title: s.title || s.id, states: s.states, stuck: s.stuck ?? 0, seen: s.steps >= 0, x: at.get(s.id)![0], y: at.get(s.id)![1] })),
    ways: waysOf(places, at),
    width: (columns.length - 1) * column + wide + 40, // where lines bulge that stay in a column
    height: (tallest - 1) * row + high,
  }
}

/** How far down those are that lead to a scene from an earlier column. */
function middle(places: Places, scene: string, at: Map<string, [number, number]>): number | undefined {
  const from = places.ways.filter((w) => w.to === scene && at.has(w.from)).map((w) => at.get(w.from)![1])
  return from.length ? from.reduce((a, b) => a + b, 0) / from.length : undefined
}

/** Passages are drawn that lead no further than to the next column: one that leads further opens only to those who have been there. Of what else leads to a scene, only
 *  what nobody could be there without. All the others would be a tangle: what ends a life leads from everywhere to the same place. */
function waysOf(places: Places, at: Map<string, [number, number]>): DrawnWay[] {
  const steps = new Map(places.scenes.map((s) => [s.id, s.steps]))
  const far = (w: Places['ways'][number]) => steps.get(w.to)! - steps.get(w.from)!
  const passed = new Set(places.ways.filter((w) => w.pass && far(w) === 1).map((w) => w.to))
  const needed = (w: Places['ways'][number]) => (w.pass ? Math.abs(far(w)) < 2 : !passed.has(w.to) && far(w) === 1)
  const drawn = places.ways.filter(needed)
  const back = (w: Places['ways'][number]) => drawn.find((o) => o.from === w.to && o.to === w.from && o.pass === w.pass)
  return drawn
    .filter((w) => !back(w) || far(w) > 0 || (far(w) === 0 && w.from < w.to))
    .map((w) => ({ id: `${w.from} ${w.to}`, from: w.from, to: w.to, both: back(w) !== undefined, loose: !w.pass, path: pathOf(at.get(w.from)!, at.get(w.to)!), title: w.by.join(', ') }))
}

function pathOf(from: [number, number], to: [number, number]): string {
  const [y1, y2] = [from[1] + high / 2, to[1] + high / 2]
  if (from[0] === to[0]) {
    const x = from[0] + wide
    return `M${x} ${y1}C${x + 44} ${y1} ${x + 44} ${y2} ${x} ${y2}`
  }
  const [x1, x2] = from[0] < to[0] ? [from[0] + wide, to[0]] : [from[0], to[0] + wide]
  const half = (x1 + x2) / 2
  return `M${x1} ${y1}C${half} ${y1} ${half} ${y2} ${x2} ${y2}`
}
