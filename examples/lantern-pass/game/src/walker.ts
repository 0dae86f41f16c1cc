// The player's own courier: it walks at once, and says so to the service ten times a second. Where the service puts it
// elsewhere (a door, a fall, a move that was refused) it stands there.

import { type Facing, type LanternPass, world } from './lantern-pass'

/** Metres a second of somebody whose pace is 1. */
const stride = 4.5

/** How often a step is told, in seconds. */
const every = 0.1

export class Walker {
  at: [number, number] = [0, 0]
  facing: Facing = 'south'
  walks = false
  private arrival = 0
  private told = 0
  private fresh = false

  constructor(private readonly m: LanternPass) {}

  /** Goes on by the direction that keys or fingers say. */
  step(dt: number, now: number, [x, y]: [number, number]) {
    const place = this.m.self.place
    if (!place || !this.m.scene) return
    if (place.arrival !== this.arrival) this.stand()
    const far = Math.hypot(x, y)
    this.walks = far > 0.1 && !this.m.self.dead
    if (this.walks) {
      const by = (stride * this.m.self.pace * dt) / Math.max(far, 1)
      const { low, size } = world.scenes[this.m.scene.id]
      this.at = [within(this.at[0] + x * by, low[0], size[0]), within(this.at[1] + y * by, low[1], size[1])]
      this.facing = Math.abs(x) > Math.abs(y) ? (x > 0 ? 'east' : 'west') : y > 0 ? 'south' : 'north'
      this.fresh = true
    }
    if (this.fresh && now - this.told >= every) {
      this.told = now
      this.fresh = this.walks
      void this.say()
    }
  }

  private async say() {
    const was = this.arrival
    const answer = await this.m.ask.move(this.at, this.facing)
    if (answer.is === 'refused' && answer.kind !== 'replaced' && answer.kind !== 'stale' && was === this.arrival) this.stand()
  }

  /** Stands where the service says. */
  private stand() {
    const place = this.m.self.place
    this.at = [place.at[0]!, place.at[1]!]
    this.facing = (place.facing as Facing | undefined) ?? this.facing
    this.arrival = place.arrival ?? 0
    this.fresh = false
  }
}

/** A scene ends just before its far edge. */
const within = (x: number, low: number, size: number) => Math.min(Math.max(x, low), low + size - 0.01)
