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
    const t = o.traffic
    const [bytes, messages] = [t.bytes_in + t.bytes_out, t.in + t.out]
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
    turn(url)
  }

  function turn(url: string) {
    source?.close()
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

  // Looking at another scene of the same session begins no new counting.
  watch(address, (url, before) => (before && url.split('?')[0] === before.split('?')[0] ? turn(url) : follow(url)), { immediate: true })
  onScopeDispose(() => {
    source?.close()
    source = undefined
  })
  return { overview, state, rates }
}
