import { shallowRef, watch } from 'vue'

import { snapped, thingsOf, type MapScene, type MapThing, type PlanMap } from '../map'

/** How long something stays where it was dropped while the map does not say so, in milliseconds: then it could not be. */
const PATIENCE = 4000

interface Dragging {
  map: () => PlanMap
  /** What things stick to; 0 where nothing can be moved. */
  snap: () => number
  /** How far a pointer has to go before it drags, and does not only pick. */
  slack: () => number
  /** Where a pointer is in a scene. */
  pointed: (e: MouseEvent, scene: MapScene) => number[]
  moved: (thing: MapThing, to: number[]) => void
  picked: (what: string) => void
}

/** Spots, props and areas that are dragged by pointer, or moved by the arrow keys. */
export function useDrag(on: Dragging) {
  const dragged = shallowRef<{ thing: MapThing; scene: MapScene; at: number[]; grip: number[]; began: boolean }>()
  const dropped = shallowRef<Record<string, { from: number[]; to: number[] }>>({})

  /** Where something is drawn: where the pointer has it, or where it was dropped until the map says so too. */
  const placeOf = (thing: MapThing) => (dragged.value?.thing.what === thing.what ? dragged.value.at : (dropped.value[thing.what]?.to ?? thing.at))

  watch(on.map, (map) => {
    const now = new Map(thingsOf(map).map((x) => [x.what, x.at.join()] as const))
    dropped.value = Object.fromEntries(Object.entries(dropped.value).filter(([what, m]) => now.get(what) === m.from.join()))
  })

  function moveTo(thing: MapThing, to: number[]) {
    dropped.value = { ...dropped.value, [thing.what]: { from: thing.at, to } }
    window.setTimeout(() => (dropped.value = {}), PATIENCE)
    on.moved(thing, to)
  }

  function take(e: PointerEvent, scene: MapScene, thing: MapThing) {
    if (!on.snap() || e.button !== 0) return
    ;(e.currentTarget as Element).setPointerCapture(e.pointerId)
    const at = on.pointed(e, scene)
    // A point is where the pointer is; an area is held where it was taken.
    dragged.value = { thing, scene, at: thing.at, grip: thing.size ? at.map((x, i) => x - thing.at[i]!) : [], began: false }
  }

  function drag(e: PointerEvent) {
    const d = dragged.value
    if (!d) return
    const step = on.map().step
    const wanted = on.pointed(e, d.scene).map((x, i) => x - (d.grip[i] ?? 0))
    const to = snapped(d.scene, [...wanted, ...d.thing.at.slice(2)], e.shiftKey ? step : on.snap(), step, d.thing.size)
    if (!d.began && to.every((x, i) => Math.abs(x - d.thing.at[i]!) < on.slack())) return
    dragged.value = { ...d, at: to, began: true }
  }

  function drop() {
    const d = dragged.value
    dragged.value = undefined
    if (!d) return
    if (d.began) moveTo(d.thing, d.at)
    else on.picked(d.thing.what)
  }

  const letGo = () => (dragged.value = undefined)

  function key(e: KeyboardEvent, scene: MapScene, thing: MapThing) {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key]
    const snap = on.snap()
    if (e.key === 'Enter' || e.key === ' ') on.picked(thing.what)
    else if (by && snap) moveTo(thing, snapped(scene, placeOf(thing).map((x, i) => x + (by[i] ?? 0) * snap), snap, on.map().step, thing.size))
    else return
    e.preventDefault()
  }

  return { dragged, placeOf, take, drag, drop, letGo, key }
}
