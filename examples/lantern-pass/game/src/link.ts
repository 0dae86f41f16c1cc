// The game's own socket: it feeds the machine, sends what comes out of it, and comes back when the connection is lost.

import type { LanternPass } from './lantern-pass'

/** The game's time in seconds. */
export const clock = () => performance.now() / 1000

export interface Link {
  /** Sends what was asked for. Call it in every frame. */
  flush(): void
  /** Opens another connection now: the first one, and after an end that somebody wants to go on from. */
  open(): void
  /** Closes it without a word, as when the network is gone. */
  cut(): void
  /** Where the game is played without the service: gives it what is kept here, and says what became of it, and in which slot it is. */
  handOver?(): Promise<{ said: string; slot?: number }>
}

export function link(m: LanternPass, session: string): Link {
  let socket: WebSocket | undefined
  let timer = 0

  function flush() {
    if (socket?.readyState !== WebSocket.OPEN) return
    for (const out of m.outgoing()) socket.send(out as string)
  }

  async function open() {
    clearTimeout(timer)
    const mine = {}
    current = mine
    try {
      // Opens the session, where nobody has yet.
      const answer = await fetch(`/v1/games/lantern-pass/sessions/${encodeURIComponent(session)}`, { method: 'PUT' })
      if (!answer.ok) throw new Error()
    } catch {
      if (current === mine) lost(1006)
      return
    }
    if (current !== mine) return
    const s = new WebSocket(m.address(location.origin, session), m.protocols)
    s.binaryType = 'arraybuffer'
    s.onopen = () => {
      m.opened(s.protocol)
      flush()
    }
    s.onmessage = (e: MessageEvent<string | ArrayBuffer>) => {
      if (socket !== s) return
      m.received(e.data, clock())
      flush()
    }
    s.onclose = (e) => {
      if (socket === s) lost(e.code, e.reason)
    }
    socket = s
  }
  let current: object | undefined

  function lost(code: number, reason = '') {
    socket = undefined
    m.lost(code, clock(), reason)
    if (m.state === 'lost') timer = window.setTimeout(() => void open(), m.retryIn * 1000)
    if (m.state === 'fetch') void learn()
  }

  /** The session goes on under another version of the plan: read its layout, and come in again. */
  async function learn() {
    const answer = await fetch(m.fetch)
    m.learned(await answer.json())
    if (m.state === 'lost') void open()
  }

  return { flush, open: () => void open(), cut: () => socket?.close() }
}
