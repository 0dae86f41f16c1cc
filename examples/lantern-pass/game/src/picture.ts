// The scene from above, to scale: ground, doors, things, couriers, snow, and the dark with holes in it where lamps burn.

import { nearest, spot, waysFrom } from './doings'
import { type CacheId, type CheckpointId, type LanternPass, type SceneId, world } from './lantern-pass'
import type { Walker } from './walker'

const rooms: Partial<Record<SceneId, [floor: string, line: string]>> = {
  lodge: ['#6b4a33', '#7d5a40'], cellar: ['#46413f', '#544e4b'], mill: ['#5b5044', '#6b5f51'], guildhall: ['#5a3c46', '#6c4a55'],
}
const snow: [ground: string, line: string] = ['#b9c8df', '#c9d6ea']

/** Metres around a courier that their lamp lights. */
const shine = { bright: 11, low: 6, out: 2.2 }

/** How much of the window is left to the words above and below the scene. */
const above = 80
const below = 112

interface Light { x: number; y: number; r: number }

export class Picture {
  private readonly g: CanvasRenderingContext2D
  private readonly dark = document.createElement('canvas')
  private readonly warm = document.createElement('canvas')
  private readonly flakes = Array.from({ length: 260 }, (_, i) => ({ x: hash(i, 1), y: hash(i, 2), v: 0.5 + hash(i, 3) }))
  private scale = 1
  private left = 0
  private top = 0

  constructor(private readonly canvas: HTMLCanvasElement, private readonly m: LanternPass, private readonly walker: Walker) {
    this.g = canvas.getContext('2d')!
  }

  draw(now: number, session: number) {
    const { canvas, g, m } = this
    const ratio = devicePixelRatio || 1
    const w = innerWidth, h = innerHeight
    if (canvas.width !== Math.round(w * ratio) || canvas.height !== Math.round(h * ratio)) {
      canvas.width = Math.round(w * ratio)
      canvas.height = Math.round(h * ratio)
    }
    g.setTransform(ratio, 0, 0, ratio, 0, 0)
    g.fillStyle = '#0e1730'
    g.fillRect(0, 0, w, h)
    if (!m.scene) return
    const id = m.scene.id
    const { low, size } = world.scenes[id]
    this.scale = Math.min((w - 60) / size[0], (h - above - below) / size[1])
    this.left = (w - size[0] * this.scale) / 2 - low[0] * this.scale
    this.top = above + (h - above - below - size[1] * this.scale) / 2 - low[1] * this.scale

    this.ground(id, low, size)
    const lights: Light[] = []
    this.doors(id, lights)
    this.things(id, now, lights)
    this.couriers(id, session, now, lights)
    this.night(id, lights, now)
    if (!rooms[id]) this.snowfall(low, size, now)
    this.names(id, session)
  }

  private x(x: number) { return this.left + x * this.scale }
  private y(y: number) { return this.top + y * this.scale }

  private ground(id: SceneId, low: readonly number[], size: readonly number[]) {
    const { g, scale } = this
    const [floor, line] = rooms[id] ?? snow
    const x = this.x(low[0]!), y = this.y(low[1]!), w = size[0]! * scale, h = size[1]! * scale
    g.fillStyle = floor
    g.beginPath()
    g.roundRect(x, y, w, h, rooms[id] ? 2 : 14)
    g.fill()
    g.save()
    g.clip()
    g.strokeStyle = line
    g.lineWidth = 1.5
    g.beginPath()
    if (rooms[id]) {
      for (let k = 0; k * 1.5 < size[1]!; k++) { // boards
        g.moveTo(x, y + k * 1.5 * scale)
        g.lineTo(x + w, y + k * 1.5 * scale)
      }
    } else {
      for (let k = 0; k < (size[0]! * size[1]!) / 26; k++) { // drifts
        const dx = x + hash(k, 7) * w, dy = y + hash(k, 8) * h, r = (0.8 + hash(k, 9) * 1.6) * scale
        g.moveTo(dx - r, dy)
        g.quadraticCurveTo(dx, dy - r * 0.35, dx + r, dy)
      }
    }
    g.stroke()
    const areas: Record<string, { low: readonly number[]; high: readonly number[]; title?: string }> = (world.scenes[id] as { areas?: object }).areas as never ?? {}
    for (const area of Object.values(areas)) {
      g.fillStyle = '#7c7f8a'
      const ax = this.x(area.low[0]!), ay = this.y(area.low[1]!), aw = (area.high[0]! - area.low[0]!) * scale, ah = (area.high[1]! - area.low[1]!) * scale
      g.fillRect(ax, ay, aw, ah)
      for (let k = 0; k < (aw * ah) / 240; k++) { // stones
        g.fillStyle = k % 3 ? '#666a76' : '#9498a4'
        g.beginPath()
        g.ellipse(ax + hash(k, 4) * aw, ay + hash(k, 5) * ah, 3 + hash(k, 6) * 5, 2 + hash(k, 6) * 3, hash(k, 3) * 3, 0, 7)
        g.fill()
      }
    }
    g.restore()
  }

  private doors(id: SceneId, lights: Light[]) {
    const { g } = this
    for (const way of waysFrom(id)) {
      const a = nearest(way.spot, [-1e6, -1e6]), b = nearest(way.spot, [1e6, 1e6])
      g.lineCap = 'round'
      g.strokeStyle = '#ffdf9a'
      g.lineWidth = Math.max(5, this.scale * 0.45)
      g.beginPath()
      g.moveTo(this.x(a[0]) - (a[0] === b[0] && a[1] === b[1] ? 6 : 0), this.y(a[1]))
      g.lineTo(this.x(b[0]) + (a[0] === b[0] && a[1] === b[1] ? 6 : 0), this.y(b[1]))
      g.stroke()
      lights.push({ x: way.spot.at[0], y: way.spot.at[1], r: 3.2 })
    }
  }

  private things(id: SceneId, now: number, lights: Light[]) {
    const { g, m, scale } = this
    if (id === 'lodge') {
      this.fire(20, 9.5, now)
      lights.push({ x: 20, y: 9.5, r: 15 + Math.sin(now * 7) * 0.3 })
    }
    for (const point of Object.keys(world.checkpoints) as CheckpointId[]) {
      const is = spot(world.checkpoints[point].at)
      if (is.scene !== id) continue
      const [x, y] = [this.x(is.spot.at[0]), this.y(is.spot.at[1])]
      const s = Math.max(11, scale)
      g.fillStyle = m.self.checkpoint === point ? '#ffc861' : '#5d4632' // a shelter
      g.beginPath()
      g.moveTo(x - s, y + s * 0.6)
      g.lineTo(x, y - s)
      g.lineTo(x + s, y + s * 0.6)
      g.fill()
      g.fillStyle = '#241a14'
      g.fillRect(x - s * 0.25, y - s * 0.05, s * 0.5, s * 0.65)
      lights.push({ x: is.spot.at[0], y: is.spot.at[1], r: m.self.checkpoint === point ? 5 : 3 })
    }
    for (const cache of Object.keys(world.props.cache) as CacheId[]) {
      const is = world.props.cache[cache]
      if (is.scene !== id) continue
      const [x, y] = [this.x(is.at[0]), this.y(is.at[1])]
      const s = Math.max(9, scale * 0.8)
      g.fillStyle = m.cache[cache].taken ? '#6d6358' : '#a2662d'
      g.fillRect(x - s, y - s * 0.6, s * 2, s * 1.3)
      g.fillStyle = m.cache[cache].taken ? '#2b2622' : '#e0b46b'
      g.fillRect(x - s, y - s * 0.6, s * 2, s * 0.4)
    }
    const sled = m.movables.sled
    if (sled?.scene === id) this.sled(this.x(sled.at[0]!), this.y(sled.at[1]!))
    const { low, size } = world.scenes[id]
    for (let k = 0; k < (m.scene?.lanterns_lit ?? 0); k++) { // where couriers hung them
      const x = low[0] + (0.12 + 0.76 * hash(k, 21)) * size[0], y = low[1] + (0.12 + 0.76 * hash(k, 22)) * size[1]
      g.fillStyle = '#3a2c20'
      g.fillRect(this.x(x) - 1.5, this.y(y), 3, 14)
      g.fillStyle = '#ffd27a'
      g.beginPath()
      g.arc(this.x(x), this.y(y), 5, 0, 7)
      g.fill()
      lights.push({ x, y, r: 5.5 + Math.sin(now * 5 + k) * 0.2 })
    }
  }

  private fire(x: number, y: number, now: number) {
    const { g, scale } = this
    g.fillStyle = '#2c2220'
    g.beginPath()
    g.arc(this.x(x), this.y(y), 1.1 * scale, 0, 7)
    g.fill()
    for (let k = 0; k < 3; k++) {
      g.fillStyle = ['#e2582c', '#f59a3c', '#ffe08a'][k]!
      g.beginPath()
      g.arc(this.x(x) + Math.sin(now * (6 + k) + k) * 1.5, this.y(y), (0.75 - k * 0.22) * scale, 0, 7)
      g.fill()
    }
  }

  private sled(x: number, y: number) {
    const { g } = this
    const s = Math.max(10, this.scale * 0.9)
    g.strokeStyle = '#4d2f1d'
    g.lineWidth = 3
    for (const side of [-0.35, 0.35]) {
      g.beginPath()
      g.moveTo(x - s, y + side * s)
      g.lineTo(x + s, y + side * s)
      g.quadraticCurveTo(x + s * 1.35, y + side * s, x + s * 1.3, y + side * s * 0.4)
      g.stroke()
    }
    g.fillStyle = '#8a5a33'
    g.fillRect(x - s * 0.8, y - s * 0.45, s * 1.5, s * 0.9)
  }

  /** Where to draw everybody: the own courier where they walk, others a little in the past. */
  private *seen(id: SceneId, session: number) {
    const { m } = this
    for (const p of m.players) {
      const mine = p.id === m.self.id
      const place = mine ? m.self.place : m.placeAt(p.id, session - 2 / m.ticks)
      if (!place || place.scene !== id) continue
      const [x, y] = mine ? this.walker.at : (place.at as unknown as [number, number])
      yield { p, mine, x, y, facing: mine ? this.walker.facing : place.facing, dead: p.dead ?? false }
    }
  }

  private couriers(id: SceneId, session: number, now: number, lights: Light[]) {
    const { g, m } = this
    for (const { p, mine, x, y, facing, dead } of this.seen(id, session)) {
      const s = Math.max(9, this.scale * 0.62)
      const [px, py] = [this.x(x), this.y(y)]
      if (m.movables.sled?.holder === p.id) this.sled(px, py + s * 0.7)
      g.save()
      g.translate(px, py + (mine && this.walker.walks ? Math.sin(now * 14) * 1.2 : 0))
      if (dead) g.rotate(1.4)
      g.fillStyle = '#0004'
      g.beginPath()
      g.ellipse(0, s * 0.95, s * 0.8, s * 0.28, 0, 0, 7)
      g.fill()
      g.fillStyle = mine ? '#b8452b' : tone(p.id) // the cloak
      g.beginPath()
      g.moveTo(-s * 0.75, s)
      g.quadraticCurveTo(-s * 0.55, -s * 0.5, 0, -s * 0.75)
      g.quadraticCurveTo(s * 0.55, -s * 0.5, s * 0.75, s)
      g.fill()
      const up = mine && m.self.dress.hood === 'up'
      g.fillStyle = up ? '#8d321e' : '#f1d3b3'
      g.beginPath()
      g.arc(0, -s * 0.75, s * 0.42, 0, 7)
      g.fill()
      const side = facing === 'west' ? -1 : facing === 'east' ? 1 : 0.55
      if (facing !== 'north') {
        g.fillStyle = '#ffd27a'
        g.beginPath()
        g.arc(side * s * 0.85, s * 0.15, s * 0.26, 0, 7)
        g.fill()
      }
      g.restore()
      if (!dead) lights.push({ x, y, r: mine ? shine[m.self.lamp] : 6 })
    }
  }

  /** Lays the dark over the scene, with a hole for each light, and gives what is lit a warm tone. */
  private night(id: SceneId, lights: Light[], now: number) {
    const { g } = this
    const { low, size } = world.scenes[id]
    const x = this.x(low[0]), y = this.y(low[1]), w = size[0] * this.scale, h = size[1] * this.scale
    const lay = (canvas: HTMLCanvasElement, fill: string, how: GlobalCompositeOperation, stops: [number, string][]) => {
      canvas.width = Math.ceil(w)
      canvas.height = Math.ceil(h)
      const d = canvas.getContext('2d')!
      d.fillStyle = fill
      d.fillRect(0, 0, w, h)
      d.globalCompositeOperation = how
      for (const light of lights) {
        const cx = this.x(light.x) - x, cy = this.y(light.y) - y, radius = light.r * this.scale * (1 + Math.sin(now * 9 + light.x) * 0.008)
        const glow = d.createRadialGradient(cx, cy, 0, cx, cy, radius)
        for (const [at, colour] of stops) glow.addColorStop(at, colour)
        d.fillStyle = glow
        d.fillRect(cx - radius, cy - radius, radius * 2, radius * 2)
      }
    }
    lay(this.dark, rooms[id] && id !== 'cellar' ? 'rgba(14, 12, 30, 0.46)' : 'rgba(12, 20, 52, 0.7)', 'destination-out',
      [[0, 'rgba(0,0,0,0.95)'], [0.55, 'rgba(0,0,0,0.55)'], [1, 'rgba(0,0,0,0)']])
    lay(this.warm, '#fff', 'darken', [[0, 'rgba(255, 222, 170, 1)'], [0.6, 'rgba(255, 216, 160, 0.6)'], [1, 'rgba(255, 222, 170, 0)']])
    g.save()
    g.beginPath()
    g.roundRect(x, y, w, h, rooms[id] ? 2 : 14)
    g.clip()
    g.globalCompositeOperation = 'multiply'
    g.drawImage(this.warm, x, y)
    g.globalCompositeOperation = 'source-over'
    g.drawImage(this.dark, x, y)
    g.restore()
  }

  /** As much as the scene has snow, blown as the wind goes. */
  private snowfall(low: readonly number[], size: readonly number[], now: number) {
    const { g, m } = this
    const many = Math.min(this.flakes.length, 40 + (m.scene?.snow ?? 0) * 90)
    const x = this.x(low[0]!), y = this.y(low[1]!), w = size[0]! * this.scale, h = size[1]! * this.scale
    g.fillStyle = 'rgba(255, 255, 255, 0.75)'
    for (let k = 0; k < many; k++) {
      const f = this.flakes[k]!
      const fx = part(f.x + now * 0.012 * (m.game.wind ?? 0) * f.v + Math.sin(now * f.v + k) * 0.004), fy = part(f.y + now * 0.03 * f.v)
      g.fillRect(x + fx * w, y + fy * h, 1 + f.v, 1 + f.v)
    }
  }

  private names(id: SceneId, session: number) {
    const { g } = this
    g.textAlign = 'center'
    g.lineJoin = 'round'
    const write = (text: string, x: number, y: number, colour: string, font: string) => {
      g.font = font
      g.lineWidth = 4
      g.strokeStyle = '#0b1226c0'
      g.strokeText(text, x, y)
      g.fillStyle = colour
      g.fillText(text, x, y)
    }
    const { low, size } = world.scenes[id]
    for (const way of waysFrom(id)) {
      const [x, y] = way.spot.at
      const below = y < low[1] + size[1] / 2
      const half = way.label.length * 3.4
      write(way.label, Math.min(Math.max(this.x(x), half + 8), innerWidth - half - 8), this.y(y) + (below ? 24 : -14), '#ffe4ae', '13px system-ui, sans-serif')
    }
    for (const { p, mine, x, y } of this.seen(id, session)) if (!mine) write(p.nickname ?? p.id, this.x(x), this.y(y) - Math.max(20, this.scale * 1.2), '#e7ecf8', '13px system-ui, sans-serif')
  }
}

/** A number from 0 to 1 that looks as if by chance, and is always the same. */
function hash(n: number, of: number) {
  const x = Math.sin(n * 127.1 + of * 311.7) * 43758.5453
  return x - Math.floor(x)
}

const part = (x: number) => x - Math.floor(x)

/** The colour of another's cloak. */
function tone(id: string) {
  let n = 0
  for (const letter of id) n = (n * 31 + letter.codePointAt(0)!) % 997
  return ['#3f6b73', '#6a5a8c', '#55703f', '#8c6a3a', '#4a5f8e', '#7d4d63'][n % 6]!
}
