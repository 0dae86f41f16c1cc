// The game without a service: the same plan runs in this page, and what is saved stays in this browser. The machine talks to it by
// the same messages as to a service, so that nothing else of the game knows.

import { clock, type Link } from './link'
import type { LanternPass } from './lantern-pass'

/** What cmd/embed gives, built as WebAssembly. Times are in milliseconds. */
interface Session {
  error?: string
  connect(protocol: string): string | null
  received(data: string | Uint8Array, now: number): void
  advance(now: number): void
  today(date: number): void
  outgoing(): (string | Uint8Array)[]
  ended(): number
  unsaved(): boolean
  save(): { saved: string; number: number }
  stored(number: number): void
  handedOver(slot: number, revision: number): void
}

const kept = 'lantern-pass-offline'

/** How often what has changed is kept, in seconds. */
const every = 2

export async function offline(m: LanternPass): Promise<Link> {
  const base = import.meta.env.BASE_URL
  const text = async (name: string) => (await fetch(base + name)).text()
  await import(/* @vite-ignore */ `${base}wasm_exec.js`)
  const go = new (window as unknown as { Go: new () => { importObject: WebAssembly.Imports; run(i: WebAssembly.Instance): Promise<void> } }).Go()
  const { instance } = await WebAssembly.instantiateStreaming(fetch(`${base}alluvion.wasm`), go.importObject)
  void go.run(instance)
  const open = (window as unknown as { alluvionOpen(plan: string, commons: object, saved: string | null, seed: number): Session }).alluvionOpen
  const session = open(await text('lantern-pass.compiled.json'), {}, localStorage.getItem(kept), Math.floor(Math.random() * 2 ** 32))
  if (session.error) throw new Error(session.error)

  let told = 0
  const now = () => Math.round(clock() * 1000)

  function keep() {
    if (!session.unsaved()) return
    const { saved, number } = session.save()
    localStorage.setItem(kept, saved)
    session.stored(number)
    told = clock()
  }

  /** Hands messages over, both ways, until there are none. */
  function flush() {
    if (m.state === 'closed' || m.state === 'lost' || m.state === 'ended') return
    session.today(Date.now())
    session.advance(now())
    for (let out = m.outgoing(); out.length > 0; out = m.outgoing()) {
      for (const x of out) session.received(x, now())
      hear()
    }
    hear()
    if (clock() - told > every) keep()
  }

  function hear() {
    for (const x of session.outgoing()) m.received(x, clock())
    if (session.ended() > 0) {
      m.lost(session.ended(), clock())
      keep()
    }
  }

  /** Gives the service what is kept here, and says what became of it. What is played on here is based on that. */
  async function handOver() {
    const { saved, number } = session.save()
    const player = m.self.id
    const answer = await fetch(`/v1/games/lantern-pass/players/${encodeURIComponent(player)}/offline`, { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: saved })
    const told = await answer.json()
    if (!answer.ok) return { said: (told.detail ?? told.title) as string }
    session.handedOver(told.slot, told.revision)
    session.stored(number)
    keep()
    return { said: [told.why, `The service has it as slot ${told.slot} of ${player}.`].filter(Boolean).join(' '), slot: told.slot as number }
  }

  return {
    flush,
    handOver,
    open() {
      session.connect(m.protocols[1]!)
      m.opened(m.protocols[1]!)
      flush()
    },
    cut() {}, // there is no network to be lost
  }
}
