// What is said to the player: what the plan tells them, what was refused, and why.

import type { Outcome, Told } from './alluvion'
import { type LanternPass, world } from './lantern-pass'

export class Words {
  constructor(private readonly box: HTMLElement, private readonly m: LanternPass) {
    m.onTold((t) => this.told(t))
  }

  say(text: string, how = '') {
    if (this.box.lastElementChild?.textContent === text && !this.box.lastElementChild.classList.contains('old')) return
    const p = Object.assign(document.createElement('p'), { textContent: text, className: how })
    this.box.append(p)
    while (this.box.children.length > 4) this.box.firstElementChild!.remove()
    setTimeout(() => p.classList.add('old'), how === 'great' ? 5000 : 3200)
    setTimeout(() => p.remove(), how === 'great' ? 5600 : 3800)
  }

  /** What became of something that the player asked for: what was refused says why. */
  async answer(asked: Promise<Outcome>) {
    const is = await asked
    if (is.is === 'refused' && is.kind !== 'stale') this.say(is.why, 'no')
    if (is.is === 'unknown') this.say('The connection was lost: nobody knows whether that was done.', 'no')
  }

  private told(t: Told) {
    const mine = t.player === undefined || t.player === this.m.self.id
    const who = mine ? 'You' : (this.m.players.get(t.player!)?.nickname ?? t.player!)
    const thing = t.id ? (world.movables as Record<string, { title: string }>)[t.id]?.title.toLowerCase() : undefined
    switch (t.kind) {
      case 'milestone':
        this.say(mine ? t.text! : `${who}: ${t.text}`, mine ? 'great' : '')
        break
      case 'message':
        this.say(t.text!)
        break
      case 'checkpoint':
        if (mine) this.say('You will come back here if the cold takes you.')
        break
      case 'died':
        this.say(mine ? 'You fall.' : `${who} falls.`, 'no')
        break
      case 'came-back':
        if (mine) this.say('You are back where you last rested.')
        break
      case 'joined':
        if (!mine) this.say(`${who} has come in.`)
        break
      case 'left':
        if (!mine) this.say(`${who} has gone.`)
        break
      case 'taken':
        this.say(`${who} ${mine ? 'take' : 'takes'} ${thing}.`)
        break
      case 'set-down':
        this.say(`${who} ${mine ? 'leave' : 'leaves'} ${thing}.`)
    }
  }
}
