// Lantern Pass in a browser: comes in, and then once for each picture walks, asks, and draws.

import './game.css'
import { type Doing, doings } from './doings'
import { keys } from './keys'
import { type CourierId, LanternPass, world } from './lantern-pass'
import { clock, link } from './link'
import { offline } from './offline'
import { kept, panel } from './panel'
import { Picture } from './picture'
import { Walker } from './walker'
import { Words } from './words'

const find = <E extends HTMLElement>(id: string) => document.getElementById(id) as E

interface Coming { player: string; courier?: CourierId }

/** Who walks: as the address says, as this browser knows from before, or as the gate asks. */
async function comesIn(): Promise<Coming> {
  const player = new URLSearchParams(location.search).get('player') ?? localStorage.getItem('lantern-pass')
  if (player) return { player }
  const gate = find<HTMLDialogElement>('gate'), name = find<HTMLInputElement>('name')
  find('couriers').replaceChildren(...(Object.keys(world.lists.courier) as CourierId[]).map((id, i) => {
    const { title, pace, pack } = world.lists.courier[id]
    const label = document.createElement('label')
    const choice = Object.assign(document.createElement('input'), { type: 'radio', name: 'courier', value: id, checked: i === 0 })
    label.append(choice, ` ${title}`, Object.assign(document.createElement('small'), { textContent: `pace ${pace}, carries ${pack}` }))
    return label
  }))
  gate.showModal()
  name.focus()
  await new Promise((done) => gate.addEventListener('close', done, { once: true }))
  const courier = gate.querySelector<HTMLInputElement>('input:checked')!.value as CourierId
  localStorage.setItem('lantern-pass', name.value.trim())
  return { player: name.value.trim(), courier }
}

async function play() {
  const { player, courier } = await comesIn()
  const session = new URLSearchParams(location.search).get('session') ?? 'winter'
  const m = new LanternPass({ player, slot: Number(new URLSearchParams(location.search).get('slot') ?? 1) })
  const wire = new URLSearchParams(location.search).has('offline') ? await offline(m) : link(m, session)
  const walker = new Walker(m)
  const words = new Words(find('words'), m)
  const picture = new Picture(find<HTMLCanvasElement>('view'), m, walker)
  const does = (d: Doing) => void words.answer(d.ask())
  const way = keys(find('pad'), (letter) => {
    const d = doings(m, walker.at).find((x) => x.key === letter)
    if (d) does(d)
  })
  m.onTrouble((t) => {
    if (t.is === 'rolled-back') words.say('The service was started anew: what was not saved is gone.', 'no')
    if (t.is === 'plan-changed') words.say('The game has changed. Load this page again.', 'no')
    if (t.is === 'missed') words.say('Something was said meanwhile that is not known any more.')
  })

  let there = 0 // the slot in which the service has what was handed over
  const hand = wire.handOver && (async () => {
    const { said, slot } = await wire.handOver!().catch(() => ({ said: 'The service is not heard of.', slot: undefined }))
    if (slot && there) return location.assign(`?player=${encodeURIComponent(player)}&slot=${slot}`) // with what was done meanwhile
    words.say(said, slot ? 'great' : 'no')
    there = slot ?? 0
  })

  let greeted = false
  m.on('player.visits', () => {
    if (greeted) return
    greeted = true
    if (courier && m.self.courier === null) void words.answer(m.ask.choose({ who: courier }))
    if (!m.self.nickname && /^[A-Za-z0-9 _-]{1,16}$/.test(player)) void m.ask.write('player.nickname', player)
    if (m.self.visits > 1) kept(m)
  })
  // Who closes the page has left, and is saved at once.
  addEventListener('pagehide', () => {
    void m.ask.leave()
    wire.flush()
  })

  wire.open()
  let last = clock()
  const frame = () => {
    const now = clock()
    m.advance(now)
    if (m.quiet > 10 && m.state === 'in') wire.cut()
    walker.step(Math.min(0.1, now - last), now, way.way())
    last = now
    wire.flush()
    picture.draw(now, m.now(now))
    panel(m, doings(m, walker.at), does, () => location.reload(), hand && { label: there ? `Play slot ${there} there` : 'Hand it over to the service', does: hand })
    requestAnimationFrame(frame)
  }
  requestAnimationFrame(frame)
  Object.assign(window, { machine: m, walker, wire }) // to look at in the browser's console
}

void play()
