import { onScopeDispose, ref, shallowRef, watch } from 'vue'

import type { Schemas } from '../api/client'

export type Overview = Schemas['Overview']
export type Watched = Schemas['Watched']

/** What went over all connections in a second. */
export interface Rate {
  time: number
  bytes: number
  messages: number
}

/** How many seconds of rates are kept. */
const KEPT = 60

/**
 * Follows a session: the service tells a few times a second how it stands. When the connection is lost, the browser
 * comes back by itself; until then state is 'lost', and what was known is still shown.
 */
export function useOverview(address: () => string) {
  const overview = shallowRef<Overview>()
  const state = ref<'waiting' | 'live' | 'lost' | 'closed'>('waiting')
  const rates = ref<Rate[]>([])
  let source: EventSource | undefined
  let counted: { at: number; bytes: number; messages: number } | undefined

  function count(o: Overview) {
    let [bytes, messages] = [0, 0]
    for (const p of o.players) {
      bytes += (p.machine?.bytes_in ?? 0) + (p.machine?.bytes_out ?? 0)
      messages += (p.machine?.in ?? 0) + (p.machine?.out ?? 0)
    }
    const now = performance.now()
    if (!counted || bytes < counted.bytes) counted = { at: now, bytes, messages } // somebody left with what they had counted
    if (now - counted.at < 1000) return
    const seconds = (now - counted.at) / 1000
    rates.value = [...rates.value, { time: now / 1000, bytes: (bytes - counted.bytes) / seconds, messages: (messages - counted.messages) / seconds }].slice(-KEPT)
    counted = { at: now, bytes, messages }
  }

  function follow(url: string) {
    source?.close()
    overview.value = undefined
    rates.value = []
    counted = undefined
    state.value = 'waiting'
    if (!url) return
    const mine = new EventSource(url)
    source = mine
    mine.addEventListener('overview', (e) => {
      state.value = 'live'
      overview.value = JSON.parse(e.data) as Overview
      count(overview.value)
    })
    mine.addEventListener('closed', () => {
      state.value = 'closed'
      mine.close()
    })
    mine.onerror = () => {
      if (state.value !== 'closed') state.value = 'lost'
      if (mine.readyState === EventSource.CLOSED) window.setTimeout(() => source === mine && follow(url), 2000)
    }
  }

  watch(address, follow, { immediate: true })
  onScopeDispose(() => {
    source?.close()
    source = undefined
  })
  return { overview, state, rates }
}
