// What stands at the edge: where the player is, what they carry, what can be done here, and how the connection is.

import { clock } from './link'
import type { Doing } from './doings'
import { type LanternPass, type MilestoneId, world } from './lantern-pass'

const find = (id: string) => document.getElementById(id)!

/** Puts text where it is not yet. */
function put(id: string, text: string) {
  const e = find(id)
  if (e.textContent !== text) e.textContent = text
}

let drawn = ''

/** What can be done with a game that is kept in this browser. */
interface Handing { label: string; does: () => void }

export function panel(m: LanternPass, doings: Doing[], does: (d: Doing) => void, again: () => void, hand?: Handing) {
  wire(m, again, hand)
  if (!m.scene) return
  put('scene', world.scenes[m.scene.id].title)
  const here = [...m.players].filter((p) => p.id !== m.self.id && p.place?.scene === m.scene?.id).length
  const others = here === 0 ? 'You are alone here' : here === 1 ? 'One other courier is here' : `${here} other couriers are here`
  put('about', `${others} · ${['no wind', 'a light wind', 'wind', 'a storm'][m.game.wind] ?? 'wind'} · snow ${(m.scene.snow ?? 0).toFixed(1)} m`)

  const { warmth, max_warmth, oil, lamp, parcels, pack_room, delivered, falls } = m.self
  const gauge = (name: string, part: number, of: string, tone: string) =>
    `<div class="gauge" style="--part:${part.toFixed(3)};--tone:${tone}"><span>${name}</span><i></i><b>${of}</b></div>`
  const bag = gauge('Warmth', warmth / max_warmth, warmth.toFixed(0), warmth < 30 ? '#8fb8e8' : '#e8825a') +
    gauge('Oil', oil / 40, `${oil}`, '#ffc861') +
    `<p>Lamp ${lamp} · ${parcels} ${parcels === 1 ? 'parcel' : 'parcels'}, room for ${pack_room}</p><p>${delivered} delivered · ${falls} ${falls === 1 ? 'fall' : 'falls'}</p>`
  if (bag !== drawn) find('bag').innerHTML = drawn = bag // numbers and words of the plan's own choices, nothing that somebody typed

  const nav = find('doings')
  const labels = doings.map((d) => `${d.key} ${d.label}`).join('\n')
  if (nav.dataset.labels === labels) return
  nav.dataset.labels = labels
  nav.replaceChildren(...doings.map((d) => {
    const b = document.createElement('button')
    b.append(d.label, Object.assign(document.createElement('kbd'), { textContent: d.key }))
    b.classList.toggle('near', d.near ?? false)
    b.onclick = () => {
      b.blur()
      does(d)
    }
    return b
  }))
}

function wire(m: LanternPass, again: () => void, hand?: Handing) {
  const e = find('wire')
  const text = m.state === 'in' ? (m.quiet > 3 ? 'Nothing is heard of the service' : m.session === 'offline' ? 'Played in this browser alone, and kept here' : 'Connected') : m.state === 'ended' ? m.end!.why : m.state === 'lost' ? 'The connection is lost. Trying again…' : 'Coming in…'
  e.classList.toggle('lost', m.state !== 'in' || m.quiet > 3)
  const button = m.state === 'ended' ? { label: 'Come in here', does: again } : m.state === 'in' ? hand : undefined
  const now = `${text}\n${button?.label ?? ''}`
  if (e.dataset.now === now) return
  e.dataset.now = now
  e.textContent = text
  if (button) {
    const b = Object.assign(document.createElement('button'), { textContent: button.label })
    b.onclick = () => {
      b.blur()
      button.does()
    }
    e.append(b)
  }
}

/** Says to whoever comes back what they still have. */
export function kept(m: LanternPass) {
  const card = find('kept')
  const has: [string, string][] = [
    ['Where', world.scenes[m.scene!.id].title], ['Warmth', `${m.self.warmth} of ${m.self.max_warmth}`], ['Oil', `${m.self.oil} of 40`],
    ['Parcels', `${m.self.parcels} carried, ${m.self.delivered} delivered`],
    ['Rested at', m.self.checkpoint ? m.self.checkpoint.replace('_', ' ') : 'nowhere yet'],
    ['Seen', `${Object.values(m.scenes).filter((s) => s.visited).length} of ${Object.keys(world.scenes).length} scenes`],
    ['Milestones', m.self.milestones.map((id: MilestoneId) => world.milestones[id].title).join(', ') || 'none yet'],
  ]
  card.querySelector('dl')!.replaceChildren(...has.flatMap(([name, is]) => [
    Object.assign(document.createElement('dt'), { textContent: name }), Object.assign(document.createElement('dd'), { textContent: is }),
  ]))
  card.hidden = false
  const until = clock() + 1
  const close = () => {
    if (clock() < until) return
    card.hidden = true
    removeEventListener('keydown', close)
    removeEventListener('pointerdown', close)
  }
  addEventListener('keydown', close)
  addEventListener('pointerdown', close)
}
