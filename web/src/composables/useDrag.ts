import { shallowRef, watch } from 'vue'

import { snapped, type MapScene, type MapSpot, type PlanMap } from '../map'

/** How long a spot stays where it was dropped while the map does not say so, in milliseconds: then it could not be. */
const PATIENCE = 4000

interface Dragging {
  map: () => PlanMap
  /** What spots stick to; 0 where nothing can be moved. */
  snap: () => number
  /** How far a pointer has to go before it drags, and does not only pick. */
  slack: () => number
  /** Where a pointer is in a scene. */
  pointed: (e: MouseEvent, scene: MapScene) => number[]
  moved: (spot: MapSpot, to: number[]) => void
  picked: (spot: MapSpot) => void
}

/** Spots that are dragged by pointer, or moved by the arrow keys. */
export function useDrag(on: Dragging) {
  const dragged = shallowRef<{ spot: MapSpot; scene: MapScene; at: number[]; began: boolean }>()
  const dropped = shallowRef<Record<string, { from: number[]; to: number[] }>>({})

  /** Where a spot is drawn: where the pointer has it, or where it was dropped until the map says so too. */
  const placeOf = (s: MapSpot) => (dragged.value?.spot.id === s.id ? dragged.value.at : (dropped.value[s.id]?.to ?? s.at))

  watch(on.map, (map) => {
    const now = new Map(map.scenes.flatMap((s) => s.spots.map((x) => [x.id, x.at.join()] as const)))
    dropped.value = Object.fromEntries(Object.entries(dropped.value).filter(([id, m]) => now.get(id) === m.from.join()))
  })

  function moveTo(spot: MapSpot, to: number[]) {
    dropped.value = { ...dropped.value, [spot.id]: { from: spot.at, to } }
    window.setTimeout(() => (dropped.value = {}), PATIENCE)
    on.moved(spot, to)
  }

  function take(e: PointerEvent, scene: MapScene, spot: MapSpot) {
    if (!on.snap() || e.button !== 0) return
    ;(e.currentTarget as Element).setPointerCapture(e.pointerId)
    dragged.value = { spot, scene, at: spot.at, began: false }
  }

  function drag(e: PointerEvent) {
    const d = dragged.value
    if (!d) return
    const step = on.map().step
    const to = snapped(d.scene, [...on.pointed(e, d.scene), ...d.spot.at.slice(2)], e.shiftKey ? step : on.snap(), step)
    if (!d.began && to.every((x, i) => Math.abs(x - d.spot.at[i]!) < on.slack())) return
    dragged.value = { ...d, at: to, began: true }
  }

  function drop() {
    const d = dragged.value
    dragged.value = undefined
    if (!d) return
    if (d.began) moveTo(d.spot, d.at)
    else on.picked(d.spot)
  }

  const letGo = () => (dragged.value = undefined)

  function key(e: KeyboardEvent, scene: MapScene, spot: MapSpot) {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key]
    const snap = on.snap()
    if (e.key === 'Enter' || e.key === ' ') on.picked(spot)
    else if (by && snap) moveTo(spot, snapped(scene, placeOf(spot).map((x, i) => x + (by[i] ?? 0) * snap), snap, on.map().step))
    else return
    e.preventDefault()
  }

  return { dragged, placeOf, take, drag, drop, letGo, key }
}
