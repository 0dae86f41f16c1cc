import { onScopeDispose, ref, watch, type Ref } from 'vue'

import type { Overview } from './useOverview'

interface Sample {
  time: number
  scene: string
  at: number[]
}

/** How far behind the session players are drawn, in seconds: a little more than the time between two overviews. */
export const BEHIND = 0.35

/** Where each player is to be drawn: between the two places around the time that is shown, so that motion is smooth. */
export function useMotion(overview: Ref<Overview | undefined>) {
  const drawn = ref<Record<string, { scene: string; at: number[] }>>({})
  const tracks = new Map<string, Sample[]>()
  let ahead = -Infinity // the session's time less this page's, as the quickest overview said
  let frame = 0

  watch(overview, (o) => {
    if (!o) {
      tracks.clear()
      drawn.value = {}
      ahead = -Infinity
      return
    }
    const now = performance.now() / 1000
    ahead = o.time - now < ahead - 2 ? o.time - now : Math.max(ahead, o.time - now) // it stood still for a while
    const here = new Set(o.players.map((p) => p.player))
    for (const id of tracks.keys()) if (!here.has(id)) tracks.delete(id)
    for (const p of o.players) {
      const track = tracks.get(p.player) ?? []
      track.push({ time: o.time, scene: p.place.scene, at: p.place.at })
      tracks.set(p.player, track.slice(-8))
    }
  })

  function draw() {
    frame = requestAnimationFrame(draw)
    if (document.hidden) return
    const time = performance.now() / 1000 + ahead - BEHIND
    const out: Record<string, { scene: string; at: number[] }> = {}
    for (const [id, track] of tracks) out[id] = between(track, time)
    drawn.value = out
  }

  frame = requestAnimationFrame(draw)
  onScopeDispose(() => cancelAnimationFrame(frame))
  return drawn
}

function between(track: Sample[], time: number) {
  let i = track.length - 1
  while (i > 0 && track[i]!.time > time) i--
  const from = track[i]!
  const to = track[i + 1]
  if (!to || to.scene !== from.scene || time < from.time) return from
  const part = Math.min((time - from.time) / (to.time - from.time), 1)
  return { scene: from.scene, at: from.at.map((x, k) => x + (to.at[k]! - x) * part) }
}
