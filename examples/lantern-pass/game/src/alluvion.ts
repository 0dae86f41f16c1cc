/*
 * Alluvion for games in TypeScript and JavaScript: what a machine needs to follow a session, and to ask in it.
 *
 * It opens no connection, starts no timer and reads no clock. The game owns a WebSocket; it hands over what that
 * received, and sends what comes out:
 *
 *   const m = new LanternPass({ player: 'ada' })          // from the generated file beside this one
 *   socket.onopen = () => m.opened(socket.protocol)
 *   socket.onmessage = (e) => m.received(e.data, seconds())
 *   socket.onclose = (e) => m.lost(e.code, seconds())
 *   // and in every frame of the game, and after asking:
 *   m.advance(seconds())
 *   for (const out of m.outgoing()) socket.send(out)
 *
 * `now` is always the game's own time in seconds, from any moment on, never going back.
 *
 * Callbacks run inside received, lost and advance only. They may ask; they may not call these three. What a callback
 * throws is thrown by the call that it ran in, after everything else of that call is done. Nothing that a service or a
 * network can send makes received throw: it is reported to onTrouble, the view stays as it was, and the whole view is
 * asked for.
 */

/** Of this runtime. A generated file is made for one. */
export const runtime = 1

/** Any value, as the wire has it. Seconds and coordinates are numbers, none is null. */
export type Value = null | boolean | number | string | readonly Value[] | { readonly [name: string]: Value }

/** Where a player is, or was remembered. */
export interface Place {
  readonly scene: string
  /** One number for each axis of the plan's space. */
  readonly at: readonly number[]
  readonly facing?: string
  /** Of where a player is: at which of the session's seconds they got there. */
  readonly time?: number
  /** Of where a player is: how often in this visit they were put somewhere. */
  readonly arrival?: number
}

/** A movable: who holds it, or where it stands. */
export type Thing = { readonly holder: string; readonly scene?: undefined } | (Place & { readonly holder?: undefined })

/** A stopwatch: what it reads in seconds, or since which of the session's seconds it runs. */
export type Watch = number | { readonly since: number }

/** What came of something that was asked for. */
export type Outcome =
  /** It was done. It is on disk when saved(number) says so. */
  | { readonly is: 'applied'; readonly number: number; readonly repeat?: boolean }
  /** It was not done, and nothing has changed. Kinds are those of the wire (docs/wire.md), and of this runtime: `replaced` of a
   *  move that gave way to a newer one before it was sent, `too-many` where 256 requests wait already. */
  | {
    readonly is: 'refused'
    readonly number: number
    readonly kind: string
    readonly why: string
    readonly key?: string
    readonly rule?: number
    readonly line?: number
    readonly member?: string
  }
  /** It may have been done or not: nobody knows any more. */
  | { readonly is: 'unknown'; readonly number: number; readonly why: string }

/** Something that the player is told. */
export interface Told {
  /** message, milestone, arrived, left and so on: the plan's reference has a table of them. */
  readonly kind: string
  readonly player?: string
  /** As the plan has it. Another language goes by the key. */
  readonly text?: string
  readonly key?: string
  /** The milestone, checkpoint or movable. */
  readonly id?: string
  readonly rule?: number
  readonly scene?: string
  readonly from?: string
}

/** What a game ought to know, and seldom needs to do anything about. */
export type Trouble =
  /** What came in is no message, or not of this layout. The whole view was asked for. */
  | { readonly is: 'malformed'; readonly why: string }
  /** The service found that this machine believed something else, and sends it the whole view. Please report it. */
  | { readonly is: 'differs'; readonly tick: number }
  /** Some of what the player was told while the connection was lost is not known any more. */
  | { readonly is: 'missed' }
  /** The session was opened anew: what was not saved may be gone. */
  | { readonly is: 'rolled-back' }
  /** A message that has no number was refused. */
  | { readonly is: 'refused'; readonly kind: string; readonly why: string }
  /** The session's plan is not the one that this file was made from, and these variables are gone or of another type. */
  | { readonly is: 'plan-changed'; readonly names: readonly string[] }

/** How the connection is. */
export type State =
  /** No connection was opened yet. */
  | 'closed'
  /** The service was asked to let the player in. */
  | 'joining'
  /** The player is in the session. */
  | 'in'
  /** The connection was lost; open another one after retryIn seconds. */
  | 'lost'
  /** The session has another layout: fetch it from m.fetch, and hand it to learned. */
  | 'fetch'
  /** There is no coming back without something new; m.end says why. */
  | 'ended'

/** How values of one domain are written in bits. */
export interface Code {
  readonly kind: string
  readonly optional?: boolean
  readonly bits: number
  readonly min?: number
  readonly step?: number
  readonly codes?: number
  readonly options?: readonly string[]
  readonly letters?: string
  readonly most?: number
  readonly item?: Code
}

/** What views hold and how packed frames are laid out (docs/wire.md). */
export interface Layout {
  readonly alluvion_layout: number
  readonly game: string
  readonly version: number
  readonly plan: string
  readonly ticks: number
  readonly seats: number
  readonly kinds: number
  readonly places: {
    readonly axes: readonly string[]
    readonly step: number
    readonly scene_bits: number
    readonly facing_bits: number
    readonly facings: readonly string[]
    readonly scenes: readonly { readonly id: string; readonly low: readonly number[]; readonly bits: readonly number[]; readonly near?: boolean }[]
  }
  readonly holders: readonly {
    readonly name: string
    readonly copies: readonly string[]
    readonly copy_bits: number
    readonly players: boolean
    readonly fields: readonly { readonly name: string; readonly part: string; readonly form: string; readonly code?: Code; readonly start: Value }[]
  }[]
}

/** What a generated file hands over. */
export interface Plan {
  readonly runtime: number
  readonly layout: Layout
  /** The events that players send. */
  readonly events: readonly string[]
  /** In which scene the props of each kind are. */
  readonly props: { readonly [kind: string]: { readonly [id: string]: { readonly scene: string } } }
  /** Groups, events and variables that go by another name here than in the plan, as that is a name of the runtime's. */
  readonly names?: { readonly [name: string]: string }
}

/** How a machine comes in. */
export interface Joining {
  /** Who plays. */
  player: string
  /** Which save, from 1; 1 if unsaid. */
  slot?: number
  /** What the player picks on the way in. */
  picks?: { readonly [roster: string]: string }
  /** Where the service asks for tokens. */
  token?: string
  /** Frames come in bits, which are about a sixth of the text. True if unsaid. */
  packed?: boolean
  /** Say now and then what this machine believes, so that differences are found. True if unsaid. */
  checks?: boolean
  /** Nobody plays: what is saved of this player may be removed with all of its kind. */
  simulated?: boolean
}

/** Whose value has changed. */
export interface Where {
  /** Of a value that players have: whose. */
  readonly player?: string
  /** Of a value that there is for each scene, prop or option: which. */
  readonly copy?: string
}

const partNames = ['everyone', 'scene', 'self', 'near'] as const
const everyone = 0
const scene = 1
const near = 3

/** The most requests that wait for an answer. */
const mostPending = 256

/** How long a player may have been on the way between two places, in milliseconds: who stood longer set out later. */
const longestWalk = 400

/** How many places are kept of each player, for drawing in between. */
const placesKept = 32

class Malformed extends Error {}

// Bits and bytes

class Bits {
  private at: number
  private readonly bytes: Uint8Array

  constructor(bytes: Uint8Array, from: number) {
    this.bytes = bytes
    this.at = from * 8
  }

  /** A whole number in so many bits, up to 53, the highest first. */
  read(bits: number): number {
    if (bits > 24) {
      const n = this.read(bits - 24) * 2 ** 24 + this.read(24)
      if (n > Number.MAX_SAFE_INTEGER) throw new Malformed('A number is beyond 2^53 - 1.')
      return n
    }
    if (bits === 0) return 0
    const at = this.at
    this.at = at + bits
    if (this.at > this.bytes.length * 8) throw new Malformed('The frame ends too early.')
    const i = at >>> 3, b = this.bytes // beyond the end stand zeros, of which none is read
    return (((b[i]! << 24) | ((b[i + 1] ?? 0) << 16) | ((b[i + 2] ?? 0) << 8) | (b[i + 3] ?? 0)) << (at & 7)) >>> (32 - bits)
  }

  flag(): boolean {
    return this.read(1) === 1
  }

  /** A number in groups of five bits: whether another group follows, and four of the number, the lowest group first. */
  count(): number {
    let n = 0
    for (let weight = 1; ; weight *= 16) {
      const more = this.flag()
      n += this.read(4) * weight
      if (n > Number.MAX_SAFE_INTEGER) throw new Malformed('A count is beyond 2^53 - 1.')
      if (!more) return n
      if (weight >= 2 ** 52) throw new Malformed('A count has no end.')
    }
  }

  /** How many things follow, of which each takes a bit at least: more than there are bits cannot be. */
  many(): number {
    const n = this.count()
    if (n > this.bytes.length * 8 - this.at) throw new Malformed('A count is greater than what follows.')
    return n
  }

  /** A number in groups of seven bits, the lowest first. */
  varint(): number {
    let n = 0
    for (let weight = 1; ; weight *= 128) {
      const more = this.flag()
      n += this.read(7) * weight
      if (n > Number.MAX_SAFE_INTEGER) throw new Malformed('A number is beyond 2^53 - 1.')
      if (!more) return n
      if (weight >= 2 ** 56) throw new Malformed('A number has no end.')
    }
  }

  text(bytes: number): string {
    if (bytes * 8 > this.bytes.length * 8 - this.at) throw new Malformed('A text is longer than the frame.')
    const raw = new Uint8Array(bytes)
    for (let i = 0; i < bytes; i++) raw[i] = this.read(8)
    return fromUTF8(raw)
  }

  align(): void {
    this.at = Math.ceil(this.at / 8) * 8
  }

  rest(): string {
    return fromUTF8(this.bytes.subarray(this.at / 8))
  }
}

class Writer {
  private readonly bytes: number[] = []
  private at = 0

  write(n: number, bits: number): void {
    for (let i = bits - 1; i >= 0; i--) {
      if (this.at % 8 === 0) this.bytes.push(0)
      if (Math.floor(n / 2 ** i) % 2 === 1) this.bytes[this.bytes.length - 1]! |= 0x80 >> (this.at % 8)
      this.at++
    }
  }

  varint(n: number): void {
    for (; n >= 128; n = Math.floor(n / 128)) this.write(128 + (n % 128), 8)
    this.write(n, 8)
  }

  done(): Uint8Array {
    return Uint8Array.from(this.bytes)
  }
}

function fromUTF8(raw: Uint8Array): string {
  let out = ''
  for (let i = 0; i < raw.length;) {
    const first = raw[i]!
    const more = first < 0x80 ? 0 : first >= 0xc2 && first < 0xe0 ? 1 : first >= 0xe0 && first < 0xf0 ? 2 : first >= 0xf0 && first < 0xf5 ? 3 : -1
    let code = more === 0 ? first : first & (0x3f >> more)
    for (let k = 1; k <= more; k++) {
      const byte = raw[i + k]
      if (byte === undefined || (byte & 0xc0) !== 0x80) throw new Malformed('A text is not UTF-8.')
      code = code * 64 + (byte & 0x3f)
    }
    const least = [0, 0x80, 0x800, 0x10000][more]
    if (least === undefined || code < least || code > 0x10ffff || (code >= 0xd800 && code < 0xe000)) throw new Malformed('A text is not UTF-8.')
    out += String.fromCodePoint(code)
    i += more + 1
  }
  return out
}

function toUTF8(text: string): Uint8Array {
  const out: number[] = []
  for (const letter of text) {
    let code = letter.codePointAt(0)!
    if (code >= 0xd800 && code < 0xe000) code = 0xfffd // half of a pair
    if (code < 0x80) out.push(code)
    else if (code < 0x800) out.push(0xc0 | (code >> 6), 0x80 | (code & 63))
    else if (code < 0x10000) out.push(0xe0 | (code >> 12), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63))
    else out.push(0xf0 | (code >> 18), 0x80 | ((code >> 12) & 63), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63))
  }
  return Uint8Array.from(out)
}

// Digests

/** A value as canonical JSON (RFC 8785), which is how this language prints numbers and texts; names are in the order of their UTF-16 units. */
export function canonical(value: Value): string {
  if (Array.isArray(value)) return `[${value.map(canonical).join(',')}]`
  if (value === null || typeof value !== 'object') return JSON.stringify(value)
  const members = value as { [name: string]: Value }
  return `{${Object.keys(members).sort().map((name) => `${JSON.stringify(name)}:${canonical(members[name]!)}`).join(',')}}`
}

/** The first 32 bits behind the point of the square or cube roots of the first primes (FIPS 180-4, sections 4.2.2 and 5.3.3). */
function roots(many: number, power: number): number[] {
  const primes: number[] = []
  for (let n = 2; primes.length < many; n++) if (primes.every((p) => n % p !== 0)) primes.push(n)
  return primes.map((prime) => {
    let root = 0n
    for (let bit = 36n; bit >= 0n; bit--) if ((root + (1n << bit)) ** BigInt(power) <= BigInt(prime) << BigInt(32 * power)) root += 1n << bit
    return Number(BigInt.asIntN(32, root))
  })
}
const rounds = roots(64, 3)
const begin = roots(8, 2)

/** SHA-256 of a text's UTF-8, in hexadecimal (FIPS 180-4). */
export function sha256(text: string): string {
  const raw = toUTF8(text)
  const whole = new Uint8Array(Math.ceil((raw.length + 9) / 64) * 64)
  whole.set(raw)
  whole[raw.length] = 0x80
  const words = new DataView(whole.buffer)
  words.setUint32(whole.length - 8, Math.floor((raw.length * 8) / 2 ** 32))
  words.setUint32(whole.length - 4, (raw.length * 8) >>> 0)
  const sum = begin.slice()
  const w = new Int32Array(64)
  const turn = (x: number, by: number) => (x >>> by) | (x << (32 - by))
  for (let block = 0; block < whole.length; block += 64) {
    for (let i = 0; i < 64; i++) {
      if (i < 16) {
        w[i] = words.getInt32(block + i * 4)
        continue
      }
      const a = w[i - 15]!, b = w[i - 2]!
      w[i] = (w[i - 16]! + (turn(a, 7) ^ turn(a, 18) ^ (a >>> 3)) + w[i - 7]! + (turn(b, 17) ^ turn(b, 19) ^ (b >>> 10))) | 0
    }
    let [a, b, c, d, e, f, g, h] = sum as [number, number, number, number, number, number, number, number]
    for (let i = 0; i < 64; i++) {
      const one = (h + (turn(e, 6) ^ turn(e, 11) ^ turn(e, 25)) + ((e & f) ^ (~e & g)) + rounds[i]! + w[i]!) | 0
      const two = ((turn(a, 2) ^ turn(a, 13) ^ turn(a, 22)) + ((a & b) ^ (a & c) ^ (b & c))) | 0
      h = g
      g = f
      f = e
      e = (d + one) | 0
      d = c
      c = b
      b = a
      a = (one + two) | 0
    }
    ;[a, b, c, d, e, f, g, h].forEach((x, i) => { sum[i] = (sum[i]! + x) | 0 })
  }
  return sum.map((x) => (x >>> 0).toString(16).padStart(8, '0')).join('')
}

// Values in bits

/** How many digits a number has behind its point. */
function digits(n: number): number {
  const [mantissa, exponent] = String(n).split('e')
  return Math.max(0, (mantissa!.split('.')[1]?.length ?? 0) - Number(exponent ?? 0))
}

const gcd = (a: number, b: number): number => (b === 0 ? Math.abs(a) : gcd(b, a % b))

/** Numbers that are steps above a least one: (low + n * step) / scale in whole numbers, so that one division is all that is rounded. */
class Steps {
  private readonly low: number
  private readonly step: number
  private readonly scale: number

  constructor(min: number, step: number) {
    const scale = 10 ** Math.max(digits(min), digits(step))
    const low = Math.round(min * scale)
    const by = gcd(gcd(low, Math.round(step * scale)), scale)
    this.low = low / by
    this.step = Math.round(step * scale) / by
    this.scale = scale / by
  }

  value(n: number): number {
    return (this.low + n * this.step) / this.scale + 0
  }

  /** The number of steps that is nearest to a value. */
  nearest(value: number): number {
    return Math.round((value * this.scale - this.low) / this.step)
  }
}

type Read = (s: Bits) => Value

function reader(code: Code): Read {
  const { bits, optional = false, options = [], codes = 0, most = 0 } = code
  switch (code.kind) {
    case 'number': {
      const steps = new Steps(code.min ?? 0, code.step ?? 1)
      return (s) => {
        const n = s.read(bits)
        if (n < codes) return steps.value(n)
        if (n === codes && optional) return null
        throw new Malformed('A number is beyond the greatest.')
      }
    }
    case 'option':
      return (s) => {
        const n = s.read(bits)
        if (n < options.length) return options[n]!
        if (n === options.length && optional) return null
        throw new Malformed('An option is none of those that there are.')
      }
    case 'truth':
      return (s) => (optional && !s.flag() ? null : s.flag())
    case 'text': {
      const letters = code.letters ? [...code.letters] : []
      const wide = Math.max(0, Math.ceil(Math.log2(Math.max(letters.length, 1))))
      return (s) => {
        if (optional && !s.flag()) return null
        const long = s.read(bits)
        if (long > most) throw new Malformed('A text is longer than it may be.')
        if (letters.length === 0) return s.text(long)
        let out = ''
        for (let i = 0; i < long; i++) {
          const letter = letters[s.read(wide)]
          if (letter === undefined) throw new Malformed('A letter is none of the alphabet.')
          out += letter
        }
        return out
      }
    }
    case 'list': {
      const item = reader(code.item!)
      return (s) => {
        if (optional && !s.flag()) return null
        const long = s.read(bits)
        if (long > most) throw new Malformed('A list is longer than it may be.')
        return Array.from({ length: long }, () => item(s))
      }
    }
  }
  throw new Error(`alluvion: this runtime does not know codes of the kind ${code.kind}; update it`)
}

// What a layout says

/** One field of one holder. */
interface Slot {
  readonly name: string
  readonly part: number
  readonly form: string
  readonly code: Code | undefined
  readonly start: Value
  readonly players: boolean
  readonly copies: readonly string[]
  /** What stands for each copy in a view, without the player: the name, and the copy in brackets. */
  readonly keys: readonly string[]
  readonly read: Read
}

interface Holder {
  readonly copies: number
  readonly copyBits: number
  readonly players: boolean
  /** The fields in each part; in near stand those of the scene. */
  readonly parts: readonly (readonly Slot[])[]
}

/** A layout, made ready for reading. */
class Shape {
  readonly layout: Layout
  readonly near: boolean
  readonly holders: readonly Holder[]
  readonly slots = new Map<string, Slot>()
  readonly scenes: readonly { readonly id: string; readonly axes: readonly Steps[]; readonly bits: readonly number[] }[]

  constructor(layout: Layout) {
    if (layout.alluvion_layout !== 1 && layout.alluvion_layout !== 2) throw new Error(`alluvion: the layout has format ${layout.alluvion_layout}; this runtime reads 1 and 2`)
    this.layout = layout
    this.near = layout.places.scenes.some((x) => x.near)
    this.scenes = layout.places.scenes.map((x) => ({ id: x.id, bits: x.bits, axes: x.low.map((low) => new Steps(low, layout.places.step)) }))
    this.holders = layout.holders.map((holder) => {
      const slots = holder.fields.map((f): Slot => ({
        name: f.name,
        part: partNames.indexOf(f.part as 'self'),
        form: f.form,
        code: f.code,
        start: f.start,
        players: holder.players,
        copies: holder.copies,
        keys: holder.copies.length === 0 ? [f.name] : holder.copies.map((copy) => `${f.name}[${copy}]`),
        read: f.form === 'value' && f.code ? reader(f.code) : () => null,
      }))
      for (const slot of slots) this.slots.set(slot.name, slot)
      return {
        copies: Math.max(holder.copies.length, 1), copyBits: holder.copy_bits, players: holder.players,
        parts: [0, 1, 2, 1].map((part) => slots.filter((slot) => slot.part === part)),
      }
    })
  }
}

/** A view: in each part, the values of each player, and of nobody in particular (''), by name and copy. */
type Part = Map<string, Map<string, Value>>

/** What a frame changes in one part. */
interface Change {
  part: number
  whole: boolean
  /** Players of whom nothing is known any more: in this part or, if everywhere, in all. */
  forget: { player: string; everywhere: boolean }[]
  gone: [player: string, key: string][]
  set: [player: string, key: string, value: Value][]
}

interface Frame {
  tick: number
  /** The session's, in milliseconds. */
  time: number
  done: number
  check: boolean
  changes: Change[]
  told: readonly Told[]
  seats: (string | undefined)[] | undefined
}

/** Reads a frame in bits. It changes nothing: what is malformed half way has done no harm. */
function readPacked(shape: Shape, bytes: Uint8Array, known: readonly (string | undefined)[]): Frame {
  const kind = bytes[0]
  const flags = bytes[1] ?? 0
  if (kind !== (shape.near ? 3 : 1)) throw new Malformed('This is no frame of this layout.')
  const s = new Bits(bytes, shape.near ? 3 : 2)
  const frame: Frame = { tick: s.varint(), time: s.varint(), done: s.varint(), check: (flags & 64) !== 0, changes: [], told: [], seats: undefined }
  const hows = [flags & 3, (flags >> 2) & 3, (flags >> 4) & 3, shape.near ? bytes[2]! : 0]
  const seat = () => s.read(shape.layout.seats)
  const who = (n: number) => (frame.seats ?? known)[n]
  const sits = (n: number, player: string | undefined) => {
    frame.seats ??= known.slice()
    frame.seats[n] = player
  }

  const key = (part: number, seatOf: () => number) => {
    const holder = shape.holders[s.read(shape.layout.kinds)]
    if (!holder) throw new Malformed('A value has a holder that there is not.')
    const copy = s.read(holder.copyBits)
    if (copy >= holder.copies) throw new Malformed('A value is of something that there is not.')
    return { slots: holder.parts[part]!, copy, first: holder === shape.holders[0], seat: holder.players ? seatOf() : -1 }
  }
  const groups = (change: Change, seatOf: () => number) => {
    for (let n = s.many(); n > 0; n--) {
      const k = key(change.part, seatOf)
      const player = k.seat < 0 ? '' : who(k.seat)
      if (change.part === everyone && k.first && player !== undefined) {
        change.forget.push({ player, everywhere: true })
        sits(k.seat, undefined)
      }
      if (player !== undefined) for (const slot of k.slots) change.gone.push([player, slot.keys[k.copy]!])
    }
    for (let n = s.many(); n > 0; n--) {
      const k = key(change.part, seatOf)
      const set = k.slots.length === 1 ? k.slots : k.slots.filter(() => s.flag())
      for (const slot of set) {
        const value = readValue(shape, slot, s, frame.time, who)
        if (slot.form === 'id') {
          sits(k.seat, value as string)
          change.set.push([value as string, slot.keys[k.copy]!, true])
          continue
        }
        const player = k.seat < 0 ? '' : who(k.seat)
        if (player === undefined) throw new Malformed('A value is of a seat that nobody has.')
        change.set.push([player, slot.keys[k.copy]!, value])
      }
    }
  }

  hows.forEach((how, part) => {
    if (how === 0) return
    if (how > 2) throw new Malformed('A part is neither whole nor what has changed.')
    const change: Change = { part, whole: how === 2, forget: [], gone: [], set: [] }
    frame.changes.push(change)
    if (part !== near) {
      groups(change, seat)
    } else {
      for (let n = s.many(); n > 0; n--) {
        const player = who(seat())
        if (player !== undefined) change.forget.push({ player, everywhere: false })
      }
      for (let n = s.many(); n > 0; n--) {
        const theirs = seat()
        const player = who(theirs)
        if (player === undefined) throw new Malformed('Somebody near has a seat that nobody has.')
        if (s.flag()) change.forget.push({ player, everywhere: false })
        groups(change, () => theirs)
      }
    }
    s.align()
  })
  if ((flags & 128) !== 0) frame.told = toldOf(parsed(s.rest()))
  return frame
}

function readValue(shape: Shape, slot: Slot, s: Bits, now: number, who: (seat: number) => string | undefined): Value {
  const place = () => readPlace(shape, s)
  switch (slot.form) {
    case 'id':
      return s.text(s.count())
    case 'place': {
      const at = place()
      const time = s.flag() ? now - s.read(10) : s.count()
      const arrival = s.count()
      return { ...at, time: time / 1000, ...(arrival > 0 ? { arrival } : {}) }
    }
    case 'spot':
      return s.flag() ? place() : null
    case 'thing': {
      if (s.flag()) return place()
      const holder = who(s.read(shape.layout.seats))
      if (holder === undefined) throw new Malformed('A movable is held by a seat that nobody has.')
      return { holder }
    }
    case 'watch': {
      const runs = s.flag()
      const below = s.flag()
      const ms = s.count()
      const seconds = (below && ms > 0 ? -ms : ms) / 1000
      return runs ? { since: seconds } : seconds
    }
  }
  return slot.read(s)
}

function readPlace(shape: Shape, s: Bits): { scene: string; at: number[]; facing?: string } {
  const { scene_bits, facing_bits, facings } = shape.layout.places
  const x = shape.scenes[s.read(scene_bits)]
  if (!x) throw new Malformed('A place is in a scene that there is not.')
  const at = x.axes.map((axis, i) => axis.value(s.read(x.bits[i]!)))
  const facing = s.read(facing_bits)
  if (facing > facings.length) throw new Malformed('A place faces a way that there is not.')
  return facing === 0 ? { scene: x.id, at } : { scene: x.id, at, facing: facings[facing - 1]! }
}

// Messages in text

type Message = { readonly [name: string]: unknown }

function parsed(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    throw new Malformed('This is no JSON.')
  }
}

const isObject = (x: unknown): x is Message => typeof x === 'object' && x !== null && !Array.isArray(x)
const isNumber = (x: unknown): x is number => typeof x === 'number' && Math.abs(x) <= Number.MAX_SAFE_INTEGER
const isCount = (x: unknown): x is number => isNumber(x) && x >= 0 && Number.isInteger(x)
const isText = (x: unknown): x is string => typeof x === 'string'

function toldOf(x: unknown): readonly Told[] {
  if (x === undefined) return []
  if (!Array.isArray(x) || !x.every((t) => isObject(t) && isText(t.kind))) throw new Malformed('The notifications are not a list of objects.')
  return x as Told[]
}

/** Whether a value in text is of the type that its field has. */
function fits(shape: Shape, slot: Slot, value: unknown): boolean {
  const at = (x: unknown): x is Message => isObject(x) && isText(x.scene) && Array.isArray(x.at) && x.at.length === shape.layout.places.axes.length && x.at.every(isNumber)
  switch (slot.form) {
    case 'id':
      return value === true
    case 'place':
      return at(value) && isNumber(value.time)
    case 'spot':
      return value === null || at(value)
    case 'thing':
      return at(value) || (isObject(value) && isText(value.holder))
    case 'watch':
      return isNumber(value) || (isObject(value) && isNumber(value.since))
  }
  return slot.code === undefined || fitsCode(slot.code, value)
}

/** What is built in and was not given a value yet is null too, whatever its code says. */
function fitsCode(code: Code, value: unknown): boolean {
  if (value === null) return true
  switch (code.kind) {
    case 'number':
      return isNumber(value)
    case 'truth':
      return typeof value === 'boolean'
    case 'list':
      return Array.isArray(value) && value.every((x) => fitsCode(code.item!, x))
  }
  return isText(value)
}

/** An address is what stands in a view for a value: a key, and behind @ the player whose it is. */
function split(address: string): [player: string, key: string] {
  const at = address.indexOf('@')
  return at < 0 ? ['', address] : [address.slice(at + 1), address.slice(0, at)]
}

const nameOf = (key: string) => (key.indexOf('[') < 0 ? key : key.slice(0, key.indexOf('[')))

function readText(shape: Shape, m: Message, hasNear: boolean): Frame {
  if (!isCount(m.tick) || !isNumber(m.time) || m.time < 0 || !isCount(m.done)) throw new Malformed('A frame does not say which it is.')
  const frame: Frame = { tick: m.tick, time: Math.round(m.time * 1000), done: m.done, check: m.check === true, changes: [], told: toldOf(m.told), seats: undefined }
  partNames.forEach((name, part) => {
    const x = m[name]
    if (x === undefined || (part === near && !hasNear)) return
    if (!isObject(x) || !(x.gone === undefined || (Array.isArray(x.gone) && x.gone.every(isText))) || !(x.set === undefined || isObject(x.set))) throw new Malformed(`The part ${name} is none.`)
    const change: Change = { part, whole: x.whole === true, forget: [], gone: ((x.gone ?? []) as string[]).map(split), set: [] }
    for (const [address, value] of Object.entries((x.set ?? {}) as { [address: string]: Value })) {
      const [player, key] = split(address)
      const slot = shape.slots.get(nameOf(key))
      if (slot && !fits(shape, slot, value)) throw new Malformed(`${address} is not of its type.`)
      change.set.push([player, key, value])
    }
    frame.changes.push(change)
  })
  return frame
}

// Motion

interface Step { at: Place; time: number }

/** Draws a player between the places that were reached around a time (docs/wire.md, Motion). Times are in milliseconds. */
function between(steps: readonly Step[], time: number): Place | undefined {
  let i = steps.length - 1
  while (i > 0 && steps[i]!.time > time) i--
  const from = steps[i]
  const to = steps[i + 1]
  if (!from || !to || from.time > time || to.at.arrival !== from.at.arrival || to.at.scene !== from.at.scene) return from?.at
  const set = Math.max(from.time, to.time - longestWalk)
  if (time <= set) return from.at
  const part = (time - set) / (to.time - set)
  return { ...from.at, facing: to.at.facing, time: time / 1000, at: from.at.at.map((x, k) => x + (to.at.at[k]! - x) * part) } as Place
}

// What games read

/** Names of values, as a tree: player.dress.hood is hood in dress. */
interface Tree { [name: string]: Tree | string }

/** Everything that one player has, of which this machine is told. */
export class Player {
  /** Who it is. Of the machine's own player, this is known from the welcome on. */
  readonly id: string
  constructor(id: string) {
    this.id = id
  }
}

/** Those who are in the session. */
export interface Players<P> extends Iterable<P> {
  readonly size: number
  get(id: string): P | undefined
  has(id: string): boolean
}

interface Pending {
  number: number
  sent: boolean
  ask: { is: string; arrival?: number; [name: string]: unknown }
  to?: { at: readonly number[]; facing: string | undefined; scene: string | undefined }
  answer: (o: Outcome) => void
}

/** Waits until something is on disk. */
interface Waiting { number: number; answer: (on: boolean) => void }

/** What the generated classes are made of: a machine that follows a session by one plan. */
export class Machine {
  /** How the connection is. */
  state: State = 'closed'
  /** Where state is ended: the code that the connection ended with, and why. */
  end: { readonly code: number; readonly why: string } | undefined
  /** Where state is fetch: where the session's layout is, on the service. */
  fetch = ''
  /** Where state is lost: after how many seconds to try again. */
  retryIn = 0
  /** How many seconds ago the service was last heard, at the last advance. A connection that is quiet for ten is dead: close it. */
  quiet = 0
  /** The newest frame, and its time in the session's seconds. */
  tick = 0
  time = 0
  /** How many frames a second the plan has, at most. */
  ticks: number
  /** For how many seconds a player who lost the connection keeps their seat. */
  grace = 0
  /** The session's name, once the player is in. */
  session = ''

  readonly plan: Plan
  readonly #joining: Joining
  #shape: Shape
  #hasNear = false
  #parts: Part[] = [new Map(), new Map(), new Map(), new Map()]
  #seats: (string | undefined)[] = []
  #tracks = new Map<string, Step[]>()
  #people = new Map<string, Player>()
  #me: Player | undefined

  #run = ''
  #number = 0
  #welcomed = 0
  #disk = 0
  #requests: Pending[] = []
  #waiting: Waiting[] = []
  #queue: (string | Uint8Array | Pending)[] = []
  #tries = 0
  #refusal = ''

  #heard = 0
  #spoke = 0
  #asksWhole = false
  #askedWhole = -Infinity
  #ahead: number | undefined
  #shown: { now: number; at: number } | undefined

  #busy = false
  #calls: (() => void)[] = []
  /** What the values that somebody listens to were before the frame that is taken in. */
  readonly #before = new Map<string, Value | undefined>()
  readonly #listeners = new Map<string, Set<(value: never, old: never, where: Where) => void>>()
  readonly #toldTo = new Set<(t: Told) => void>()
  readonly #troubleTo = new Set<(t: Trouble) => void>()
  readonly #stateTo = new Set<(s: State) => void>()

  constructor(plan: Plan, joining: Joining) {
    if (plan.runtime !== runtime) throw new Error(`alluvion: the generated file is made for runtime ${plan.runtime}, and this is ${runtime}; write both anew`)
    this.plan = plan
    this.#joining = { ...joining }
    this.#shape = new Shape(plan.layout)
    this.ticks = plan.layout.ticks
    grow(this, this.#shape, plan, {
      own: () => this.#own(), everybody: () => this.#everybody(), moveTo: (at, facing) => this.#moveTo(at, facing),
      listen: (name, call) => this.#listen(name, call), request: (ask) => this.#request(ask),
    })
  }

  // Connecting

  /** Where to connect: `address('wss://play.example', 'winter')`. */
  address(base: string, session: string): string {
    return `${base.replace(/\/$/, '').replace(/^http/, 'ws')}/v1/games/${encodeURIComponent(this.#shape.layout.game)}/sessions/${encodeURIComponent(session)}/live`
  }

  /** The sub-protocols to offer, the second argument of a WebSocket. */
  get protocols(): string[] {
    const kind = this.#packs ? 'packed' : 'json'
    return [`alluvion.${kind}.2`, `alluvion.${kind}.1`]
  }

  get #packs(): boolean {
    return this.#joining.packed ?? true
  }

  /** A connection is open; protocol is the one that the service chose. The hello is the first thing that comes out. */
  opened(protocol = ''): void {
    this.#hasNear = protocol === '' ? this.#shape.near : protocol.endsWith('.2')
    this.#refusal = ''
    const j = this.#joining
    const hello: { [name: string]: unknown } = { is: 'hello', player: j.player, plan: this.#shape.layout.plan, checks: j.checks ?? true }
    for (const name of ['slot', 'picks', 'token', 'simulated'] as const) if (j[name] !== undefined) hello[name] = j[name]
    if (this.#run !== '' && !this.#asksWhole) Object.assign(hello, { run: this.#run, tick: this.tick })
    this.#queue = [JSON.stringify(hello)]
    for (const r of this.#requests) r.sent = false
    this.#become('joining')
    this.#tell()
  }

  /** What came in over the connection: text, or bytes. */
  received(data: string | ArrayBuffer | Uint8Array, now: number): void {
    this.#alone(() => {
      this.#heard = now
      try {
        if (typeof data === 'string') this.#take(parsed(data), now)
        else this.#takeFrame(readPacked(this.#shape, data instanceof Uint8Array ? data : new Uint8Array(data), this.#seats), now)
      } catch (e) {
        if (!(e instanceof Malformed)) throw e
        this.#trouble({ is: 'malformed', why: e.message })
        this.#wantWhole(now)
      }
    })
  }

  /** The connection is lost, or was closed; code is that of the WebSocket's close event. */
  lost(code: number, now: number, reason = ''): void {
    this.#alone(() => {
      this.#heard = now
      this.#queue = []
      if (this.state === 'ended' || this.state === 'fetch') return
      const why = this.#refusal || reason || whys[code] || `The connection was lost (${code}).`
      const never = [1000, 1003, 1009, 4002, 4005, 4006, 4007].includes(code) || (code === 4001 && this.fetch === '')
      if (never) {
        this.end = { code, why }
        for (const r of this.#requests.filter((x) => code === 1000 && x.ask.is === 'leave')) this.#settle(r, { is: 'applied', number: r.number })
        this.#giveUp(why)
        this.#become('ended')
        return
      }
      // Twice as long each time, up to eight seconds, and not the same for everybody.
      const spread = 0.75 + (parseInt(sha256(this.#joining.player).slice(0, 4), 16) / 0xffff) / 2
      this.retryIn = Math.min(8, 0.25 * 2 ** this.#tries++) * spread
      // A move that was sent may have been applied, and the newest says where the player is.
      const moves = this.#requests.filter((r) => r.to)
      for (const r of moves.slice(0, -1)) this.#settle(r, { is: 'unknown', number: r.number, why: 'The connection was lost before it was confirmed.' })
      this.#become('lost')
    })
  }

  /** The session's layout, as it was fetched from m.fetch. The machine goes on by it where it has all that this file knows. */
  learned(layout: Layout): void {
    this.#alone(() => {
      const next = new Shape(layout)
      const names = [...this.#shape.slots.values()].filter((slot) => !stillIs(slot, next.slots.get(slot.name))).map((slot) => slot.name)
      if (names.length > 0) {
        const why = 'The session has another plan than this game was built with.'
        this.end = { code: 4001, why }
        this.#trouble({ is: 'plan-changed', names })
        this.#giveUp(why)
        this.#become('ended')
        return
      }
      this.#shape = next
      this.#run = ''
      this.fetch = ''
      this.retryIn = 0
      this.#become('lost')
    })
  }

  /** What there is to send, in order: text, or bytes. Call it after asking and in every frame of the game. */
  outgoing(): (string | Uint8Array)[] {
    const out = this.#queue.map((x) => {
      if (typeof x === 'string' || x instanceof Uint8Array) return x
      x.sent = true
      return this.#written(x)
    })
    this.#queue = []
    if (out.length > 0) this.#spoke = this.#heard
    return out
  }

  /** Lets time pass: sends a sign of life after 15 seconds of silence, and asks again for what was not sent. */
  advance(now: number): void {
    this.#alone(() => {
      this.quiet = Math.max(0, now - this.#heard)
      if (this.state !== 'in') return
      if (now - this.#spoke > 15) {
        this.#spoke = now
        this.#queue.push('{"is":"ping"}')
      }
      if (this.#asksWhole && now - this.#askedWhole > 2) this.#wantWhole(now)
    })
  }

  /** A new token in place of one that runs out. Where the machine is not connected, it comes in with it. */
  renew(token: string): Promise<Outcome> {
    this.#joining.token = token
    if (this.state === 'ended' && this.end?.code === 4006) {
      this.end = undefined
      this.retryIn = 0
      this.#become('lost')
      this.#tell()
    }
    return this.state === 'in' ? this.#request({ is: 'token', token }) : Promise.resolve({ is: 'applied', number: 0 })
  }

  // Reading

  /** What is known by a name of the plan, such as player.warmth: of a copy where there are several, of a player where they have it
   *  (this machine's own if unsaid). What was never sent is undefined; what nothing ever changed has its start value. */
  value(name: string, copy = '', player = this.#joining.player): Value | undefined {
    const slot = this.#shape.slots.get(name)
    if (!slot) return undefined
    const key = copy === '' ? name : `${name}[${copy}]`
    const owner = slot.players ? player : ''
    let is = this.#parts[slot.part]!.get(owner)?.get(key)
    if (is === undefined && slot.part === scene) is = this.#parts[near]!.get(owner)?.get(key)
    return is === undefined && copy !== '' && this.#sees(slot, copy, owner, this.#placeOf(this.#joining.player)?.scene) ? slot.start : is
  }

  /** Whether this machine is sent what changes there, while its player is in a scene. */
  #sees(slot: Slot, copy: string, owner: string, here: string | undefined): boolean {
    if (here === undefined || !slot.copies.includes(copy)) return false
    if (slot.players) return this.#parts[everyone]!.has(owner) && (slot.part === everyone || owner === this.#joining.player || (slot.part === scene && this.#placeOf(owner) !== undefined))
    if (slot.part !== scene) return true
    const kind = slot.name.split('.')
    return here === (kind[0] === 'prop' ? this.plan.props[kind[1]!]?.[copy]?.scene : kind[0] === 'scene' ? copy : here)
  }

  #placeOf(player: string): Place | undefined {
    return this.value('player.place', '', player) as Place | undefined
  }

  /** Whoever is in the session, this machine's player among them. */
  #everybody(): Players<Player> {
    const here = this.#parts[everyone]!
    const is = (id: string) => here.get(id)?.has('player.here') ?? false
    const get = (id: string) => (is(id) ? this.#person(id) : undefined)
    const ids = () => [...here.keys()].filter(is)
    return { get size() { return ids().length }, get, has: is, [Symbol.iterator]: () => ids().map((id) => this.#person(id))[Symbol.iterator]() }
  }

  #person(id: string): Player {
    let p = this.#people.get(id)
    if (!p) {
      p = people(this, this.#shape, this.plan, id)
      this.#people.set(id, p)
    }
    return p
  }

  /** This machine's own player. */
  #own(): Player {
    return (this.#me ??= this.#person(this.#joining.player))
  }

  /** The session's time in seconds, now: it runs on between frames, and never goes back while the machine goes on where it was. */
  now(local: number): number {
    if (this.#ahead === undefined) return this.time
    const wanted = local + this.#ahead
    if (!this.#shown || wanted - this.#shown.at > 1) {
      this.#shown = { now: local, at: wanted }
    } else {
      const passed = Math.max(0, local - this.#shown.now)
      const off = wanted - (this.#shown.at + passed)
      this.#shown = { now: Math.max(local, this.#shown.now), at: this.#shown.at + passed + Math.max(-0.1 * passed, Math.min(0.1 * passed, off)) }
    }
    return this.#shown.at
  }

  /** Where to draw a player at one of the session's seconds: between the places that they reached around it. Draw others
   *  at m.now(local) - 2 / m.ticks. */
  placeAt(player: string, time: number): Place | undefined {
    return between(this.#tracks.get(player) ?? [], Math.round(time * 1000))
  }

  /** Everything that this machine believes, by part and address. */
  view(): { [part: string]: { [address: string]: Value } } {
    const out: { [part: string]: { [address: string]: Value } } = {}
    for (let part = 0; part < (this.#hasNear ? 4 : 3); part++) {
      const values: [string, Value][] = []
      for (const [player, has] of this.#parts[part]!) for (const [key, value] of has) values.push([player === '' ? key : `${key}@${player}`, value])
      out[partNames[part]!] = Object.fromEntries(values)
    }
    return out
  }

  /** The digest of that, as the service checks it. */
  digest(): string {
    return sha256(canonical(Object.fromEntries(Object.entries(this.view()).map(([part, values]) => [part, sha256(canonical(values))]))))
  }

  // Being told

  /** Calls back when a value changes, whosever it is. What is not known any more becomes undefined. It gives a function that ends this. */
  #listen(name: string, call: (value: never, old: never, where: Where) => void): () => void {
    if (!this.#shape.slots.has(name)) throw new Error(`alluvion: ${name} is no value of this plan that machines are sent`)
    const all = this.#listeners.get(name) ?? new Set()
    this.#listeners.set(name, all.add(call))
    return () => void all.delete(call)
  }

  /** Calls back with what the player is told, in order. It gives a function that ends this. */
  onTold(call: (t: Told) => void): () => void {
    this.#toldTo.add(call)
    return () => void this.#toldTo.delete(call)
  }

  /** Calls back when something is not as it ought to be. */
  onTrouble(call: (t: Trouble) => void): () => void {
    this.#troubleTo.add(call)
    return () => void this.#troubleTo.delete(call)
  }

  /** Calls back when the state changes. */
  onState(call: (s: State) => void): () => void {
    this.#stateTo.add(call)
    return () => void this.#stateTo.delete(call)
  }

  // Asking

  /** How many requests wait for an answer. */
  get pending(): number {
    return this.#requests.length
  }

  /** Whether everything up to a number is on disk: true when it is, false when that will never be known. */
  saved(number: number): Promise<boolean> {
    if (number <= this.#disk) return Promise.resolve(true)
    if (this.state === 'ended' || this.#waiting.length >= mostPending) return Promise.resolve(false)
    return new Promise((answer) => this.#waiting.push({ number, answer }))
  }

  /** Asks for what the wire has a message for. The generated class has a function for each. */
  #request(ask: { is: string; [name: string]: unknown }, to?: Pending['to']): Promise<Outcome> {
    if (this.state === 'ended') return Promise.resolve({ is: 'refused', number: 0, kind: 'ended', why: this.end?.why ?? 'The visit has ended.' })
    if (this.#requests.length >= mostPending) return Promise.resolve({ is: 'refused', number: 0, kind: 'too-many', why: `${mostPending} requests wait for an answer already.` })
    const arrival = this.#placeOf(this.#joining.player)?.arrival
    return new Promise((answer) => {
      const r: Pending = { number: 0, sent: false, ask: { ...ask, ...(arrival === undefined ? {} : { arrival }) }, to, answer }
      const last = this.#requests[this.#requests.length - 1]
      if (to && last?.to && !last.sent) this.#replace(last)
      this.#requests.push(r)
      if (this.state === 'in') this.#post(r)
    })
  }

  /** Takes a move out that was not sent yet and has a newer one behind it. */
  #replace(r: Pending): void {
    this.#queue = this.#queue.filter((x) => x !== r)
    this.#settle(r, { is: 'refused', number: r.number, kind: 'replaced', why: 'A newer move took its place before it was sent.' })
  }

  #post(r: Pending): void {
    if (r.number === 0) r.number = ++this.#number
    this.#queue.push(r)
  }

  /** A request as it is sent. A packed machine sends moves in bits. */
  #written(r: Pending): string | Uint8Array {
    const { arrival } = r.ask
    const { scene_bits, facing_bits, facings } = this.#shape.layout.places
    const index = this.#shape.scenes.findIndex((x) => x.id === r.to?.scene)
    const into = this.#shape.scenes[index]
    const facing = r.to?.facing === undefined ? 0 : facings.indexOf(r.to.facing) + 1 || -1
    const steps = into?.axes.map((axis, i) => axis.nearest(r.to!.at[i]!))
    // What bits have no room for goes as text, and the service says what is wrong with it.
    if (!this.#packs || !into || facing < 0 || !steps!.every((n, i) => n >= 0 && n < 2 ** into.bits[i]!)) return JSON.stringify({ ...r.ask, number: r.number })
    const w = new Writer()
    w.write(2, 8)
    w.varint(r.number)
    w.varint(arrival ?? 0)
    w.write(index, scene_bits)
    steps!.forEach((n, i) => w.write(n, into.bits[i]!))
    w.write(facing, facing_bits)
    return w.done()
  }

  /** Says where the player is now, rounded to the step of the plan's space. */
  #moveTo(at: readonly number[], facing?: string): Promise<Outcome> {
    const step = new Steps(0, this.#shape.layout.places.step)
    const to = at.map((x) => step.value(step.nearest(x)))
    if (to.length !== this.#shape.layout.places.axes.length || !to.every(isNumber)) throw new Error(`alluvion: a place has ${this.#shape.layout.places.axes.length} numbers`)
    return this.#request({ is: 'move', to, ...(facing === undefined ? {} : { facing }) }, { at: to, facing, scene: this.#placeOf(this.#joining.player)?.scene })
  }

  // Taking in

  /** Runs something that calls back at its end only. */
  #alone(work: () => void): void {
    if (this.#busy) throw new Error('alluvion: received, lost, advance and learned may not be called from a callback')
    this.#busy = true
    try {
      work()
    } finally {
      this.#busy = false
    }
    this.#tell()
  }

  /** Runs the callbacks that have come together. */
  #tell(): void {
    if (this.#busy) return
    this.#busy = true
    let thrown: { e: unknown } | undefined
    while (this.#calls.length > 0) {
      try {
        this.#calls.shift()!()
      } catch (e) {
        thrown ??= { e }
      }
    }
    this.#busy = false
    if (thrown) throw thrown.e
  }

  #become(state: State): void {
    if (this.state === state) return
    this.state = state
    for (const call of this.#stateTo) this.#calls.push(() => call(state))
  }

  #trouble(t: Trouble): void {
    for (const call of this.#troubleTo) this.#calls.push(() => call(t))
  }

  /** Asks for the whole view, at most once a second. */
  #wantWhole(now: number): void {
    this.#asksWhole = true
    if (this.state !== 'in' || now - this.#askedWhole < 1) return
    this.#askedWhole = now
    this.#queue.push('{"is":"whole"}')
  }

  #take(m: unknown, now: number): void {
    if (!isObject(m) || !isText(m.is)) throw new Malformed('This is no message.')
    const number = isCount(m.number) ? m.number : 0
    switch (m.is) {
      case 'tick':
        this.#takeFrame(readText(this.#shape, m, this.#hasNear), now)
        return
      case 'welcome':
        this.#takeWelcome(m)
        return
      case 'answer':
        this.#answered(number, () => ({ is: 'applied', number, ...(m.repeat === true ? { repeat: true } : {}) }))
        return
      case 'refused':
        this.#takeRefusal(m, number)
        return
      case 'saved':
        this.#onDisk(number)
        return
      case 'differs':
        if (!isCount(m.tick)) throw new Malformed('A difference has no tick.')
        this.#queue.push(JSON.stringify({ is: 'believed', tick: m.tick, values: this.view() }))
        this.#trouble({ is: 'differs', tick: m.tick })
        return
      case 'fetch':
        if (!isText(m.layout)) throw new Malformed('The service does not say where the layout is.')
        this.fetch = m.layout
        this.#queue = []
        this.#become('fetch')
    }
  }

  #takeWelcome(m: Message): void {
    const { run, session, ticks, grace, number, resumed } = m
    if (!isText(run) || !isText(session) || !isNumber(ticks) || ticks <= 0 || !isNumber(grace) || !isCount(number) || typeof resumed !== 'boolean') throw new Malformed('This is no welcome.')
    const before = this.#run
    this.#run = run
    this.session = session
    this.ticks = ticks
    this.grace = grace
    this.#welcomed = number
    this.#number = Math.max(this.#number, number)
    this.#tries = 0
    this.#asksWhole = false
    if (m.missed === true) this.#trouble({ is: 'missed' })
    if (!resumed) {
      this.#forgetAll()
      if (before !== '' && before !== run) {
        this.#trouble({ is: 'rolled-back' })
        for (const w of this.#waiting.splice(0)) w.answer(false)
      }
    }
    this.#become('in')
    for (const r of this.#requests) this.#post(r)
  }

  /** The whole view comes next. */
  #forgetAll(): void {
    this.#seats = []
    this.#tracks.clear()
    this.tick = 0
    this.#shown = this.#ahead = undefined // the session's time may have stood still meanwhile
  }

  #takeRefusal(m: Message, number: number): void {
    const kind = isText(m.kind) ? m.kind : 'refused'
    const why = isText(m.why) ? m.why : ''
    if (this.state === 'joining') {
      this.#refusal = why
      return
    }
    if (number === 0) {
      this.#trouble({ is: 'refused', kind, why })
      return
    }
    this.#answered(number, () => {
      if (kind === 'unknown' && m.repeat !== true && number <= this.#welcomed) return { is: 'unknown', number, why }
      const more: { [name: string]: unknown } = {}
      for (const name of ['key', 'member']) if (isText(m[name])) more[name] = m[name]
      for (const name of ['rule', 'line']) if (isCount(m[name])) more[name] = m[name]
      return { is: 'refused', number, kind, why, ...more }
    })
  }

  #answered(number: number, outcome: () => Outcome): void {
    const r = this.#requests.find((x) => x.number === number)
    if (r && number > 0) this.#settle(r, outcome())
  }

  #settle(r: Pending, outcome: Outcome): void {
    this.#requests = this.#requests.filter((x) => x !== r)
    r.answer(outcome)
  }

  #onDisk(number: number): void {
    this.#disk = Math.max(this.#disk, number)
    const ready = this.#waiting.filter((w) => w.number <= this.#disk)
    this.#waiting = this.#waiting.filter((w) => w.number > this.#disk)
    for (const w of ready) w.answer(true)
  }

  /** Nothing that waits will be answered any more. */
  #giveUp(why: string): void {
    for (const r of this.#requests.splice(0)) r.answer({ is: 'unknown', number: r.number, why })
    for (const w of this.#waiting.splice(0)) w.answer(false)
  }

  #takeFrame(f: Frame, now: number): void {
    for (const t of f.told) for (const call of this.#toldTo) this.#calls.push(() => call(t))
    for (const r of this.#requests.filter((x) => x.to && x.number > 0 && x.number <= f.done)) this.#settle(r, { is: 'applied', number: r.number })
    const whole = [everyone, scene, 2].every((part) => f.changes.some((c) => c.part === part && c.whole))
    if ((this.#asksWhole || this.tick === 0) && !whole) {
      if (!this.#asksWhole) this.#wantWhole(now)
      return // it changes what this machine does not have
    }
    this.#asksWhole = false
    const here = this.#placeOf(this.#joining.player)?.scene
    this.tick = f.tick
    this.time = f.time / 1000
    if (f.seats) this.#seats = f.seats
    for (const c of f.changes) this.#apply(c)
    this.#callBack(here)
    const ahead = this.time - now
    this.#ahead = this.#ahead === undefined || ahead > this.#ahead ? ahead : this.#ahead + (ahead - this.#ahead) * 0.02
    if (f.check) this.#queue.push(JSON.stringify({ is: 'belief', tick: f.tick, digest: this.digest() }))
  }

  #apply(c: Change): void {
    const part = this.#parts[c.part]!
    const heard = this.#listeners.size > 0
    if (c.whole) this.#parts[c.part] = new Map()
    const now = this.#parts[c.part]!
    for (const { player, everywhere } of c.forget) {
      for (const p of everywhere ? this.#parts : [now]) {
        const had = p.get(player)
        if (had && heard) for (const [key, old] of had) this.#was(player, key, old)
        p.delete(player)
      }
    }
    for (const [player, key] of c.gone) {
      const had = now.get(player)
      if (heard) this.#was(player, key, had?.get(key))
      had?.delete(key)
      if (had?.size === 0) now.delete(player)
    }
    for (const [player, key, value] of c.set) {
      let has = now.get(player)
      if (!has) now.set(player, (has = new Map()))
      if (heard) this.#was(player, key, part.get(player)?.get(key))
      has.set(key, value)
      if (key === 'player.place') this.#walked(player, value as unknown as Place)
    }
    if (c.whole && heard) {
      for (const [player, had] of part) for (const [key, old] of had) this.#was(player, key, old)
    }
    if (c.part === everyone) {
      for (const id of this.#people.keys()) if (!now.has(id) && id !== this.#joining.player) this.#people.delete(id)
      for (const id of this.#tracks.keys()) if (!now.has(id)) this.#tracks.delete(id)
    }
  }

  /** Notes what a value was before this frame. It may stand in two parts: in near after, and in scene before. */
  #was(player: string, key: string, old: Value | undefined): void {
    if (!this.#listeners.has(nameOf(key))) return
    const address = `${key}@${player}`
    if (this.#before.get(address) === undefined) this.#before.set(address, old)
  }

  /** Calls back about what is not as it was before this frame, when the player was in the scene here. */
  #callBack(here: string | undefined): void {
    for (const [address, had] of this.#before) {
      const [player, key] = split(address)
      const name = nameOf(key)
      const copy = name === key ? '' : key.slice(name.length + 1, -1)
      const value = this.value(name, copy, player)
      const slot = this.#shape.slots.get(name)!
      const old = had === undefined && copy !== '' && this.#sees(slot, copy, player, here) ? slot.start : had
      if (value === old || (value !== undefined && old !== undefined && canonical(value) === canonical(old))) continue
      const where: Where = { ...(player === '' ? {} : { player }), ...(copy === '' ? {} : { copy }) }
      for (const call of this.#listeners.get(name)!) this.#calls.push(() => call(value as never, old as never, where))
    }
    this.#before.clear()
  }

  #walked(player: string, at: Place): void {
    const steps = this.#tracks.get(player) ?? []
    const time = Math.round(at.time! * 1000)
    if (steps.length > 0 && steps[steps.length - 1]!.time > time) return
    steps.push({ at, time })
    if (steps.length > placesKept) steps.shift()
    this.#tracks.set(player, steps)
  }
}

const whys: { readonly [code: number]: string } = {
  1000: 'The visit has ended.',
  1001: 'The session is closing; everybody is saved.',
  1003: 'What was sent is not understood.',
  1009: 'What was sent is too large.',
  4002: 'The player has come in from another machine.',
  4003: 'This machine did not read.',
  4004: 'Nothing was heard of this machine.',
  4005: 'Too much of what was asked for was refused.',
  4006: 'The token is not good for this, or has run out.',
  4007: 'The player cannot join.',
}

/** Whether a field means under a later layout what it meant under an earlier one: ranges and options may be others. */
function stillIs(was: Slot, is: Slot | undefined): boolean {
  const same = (a: Code | undefined, b: Code | undefined): boolean =>
    a === b || (a !== undefined && b !== undefined && a.kind === b.kind && (a.optional ?? false) === (b.optional ?? false) && same(a.item, b.item))
  return is !== undefined && is.form === was.form && is.players === was.players && same(was.code, is.code) && was.copies.every((copy) => is.copies.includes(copy))
}

// The names that games read by

/** In which group a name is, and by which path there: prop.cache.taken is taken in cache, player.dress.hood is dress.hood in player. */
function pathOf(name: string): [group: string, path: string[]] {
  const parts = name.split('.')
  const group = parts[0] === 'prop' ? parts.splice(0, 2) : parts.splice(0, 1)
  return [group.join('.'), parts]
}

function put(tree: Tree, path: readonly string[], name: string): void {
  const [first, ...rest] = path as [string, ...string[]]
  if (rest.length === 0) tree[first] = name
  else put((tree[first] ??= {}) as Tree, rest, name)
}

/** An object that reads values by the names in a tree. */
function node(tree: Tree, read: (name: string) => unknown): object {
  const out = {}
  for (const [name, is] of Object.entries(tree)) {
    const inner = typeof is === 'string' ? undefined : node(is, read)
    Object.defineProperty(out, name, { enumerable: true, get: inner ? () => inner : () => read(is as string) })
  }
  return out
}

interface Groups {
  /** Of players themselves, and of their profiles. */
  readonly player: Tree
  readonly profile: Tree
  /** Of the game. */
  readonly game: Tree
  /** Of each scene, prop and option: the names of their own, and those that players have of them. */
  readonly copies: Map<string, { ids: readonly string[]; own: Tree; pairs: Tree }>
}

const groupsOf = new WeakMap<Shape, Groups>()

function groupsIn(shape: Shape, names: { readonly [name: string]: string }): Groups {
  const ready = groupsOf.get(shape)
  if (ready) return ready
  const out: Groups = { player: {}, profile: {}, game: {}, copies: new Map() }
  for (const slot of shape.slots.values()) {
    if (slot.name === 'player.here') continue
    const [group, path] = pathOf(slot.name)
    const last = path.length - 1
    if (last >= 0) path[last] = names[slot.name] ?? path[last]!
    if (slot.copies.length === 0) {
      put(group === 'game' ? out.game : group === 'profile' ? out.profile : out.player, path, slot.name)
      continue
    }
    const has = out.copies.get(group) ?? { ids: slot.copies, own: {}, pairs: {} }
    out.copies.set(group, has)
    if (last >= 0) put(slot.players ? has.pairs : has.own, path, slot.name)
  }
  groupsOf.set(shape, out)
  return out
}

/** What a group of copies is called: prop.cache is cache, and scene is scenes, as scene is where the player is. */
function called(group: string, names: { readonly [name: string]: string }): string {
  return names[group] ?? (group === 'scene' ? 'scenes' : group.replace('prop.', ''))
}

/** An object with something for each copy. */
function each(ids: readonly string[], of: (id: string) => unknown): object {
  const out = {}
  for (const id of ids) Object.defineProperty(out, id, { enumerable: true, get: () => of(id) })
  return out
}

function people(m: Machine, shape: Shape, plan: Plan, id: string): Player {
  const names = plan.names ?? {}
  const groups = groupsIn(shape, names)
  const player = new Player(id)
  const read = (name: string) => m.value(name, '', id)
  Object.defineProperties(player, Object.getOwnPropertyDescriptors(node(groups.player, read)))
  Object.defineProperty(player, 'profile', { value: node(groups.profile, read) })
  for (const [group, { ids, pairs }] of groups.copies) {
    if (Object.keys(pairs).length === 0) continue
    const nodes = new Map(ids.map((copy) => [copy, node(pairs, (name) => m.value(name, copy, id))]))
    Object.defineProperty(player, called(group, names), { value: each(ids, (copy) => nodes.get(copy)) })
  }
  return player
}

/** What the names of a plan reach of a machine. */
interface Inside {
  own(): Player
  everybody(): Players<Player>
  listen(name: string, call: (value: never, old: never, where: Where) => void): () => void
  request(ask: { is: string; [name: string]: unknown }): Promise<Outcome>
  moveTo(at: readonly number[], facing?: string): Promise<Outcome>
}

/** Gives a machine the names of its plan: self, players, game, scene, scenes, movables, the kinds of props, the lists, ask, on. */
function grow(m: Machine, shape: Shape, plan: Plan, inside: Inside): void {
  const names = plan.names ?? {}
  const groups = groupsIn(shape, names)
  const has = (name: string, get: () => unknown) => Object.defineProperty(m, name, { enumerable: true, get })
  has('self', () => inside.own())
  has('players', () => inside.everybody())
  has('profile', () => (inside.own() as unknown as { profile: object }).profile)
  const game = node(groups.game, (name) => m.value(name))
  has('game', () => game)
  for (const [group, { ids, own, pairs }] of groups.copies) {
    const nodes = new Map(ids.map((copy) => [copy, node({ ...own, ...pairs }, (name) => m.value(name, copy))]))
    const all = group === 'movables' ? each(ids, (copy) => m.value('movables', copy)) : each(ids, (copy) => nodes.get(copy))
    has(called(group, names), () => all)
  }
  const scenes = new Map(shape.scenes.map(({ id }) => {
    const copies = groups.copies.get('scene')
    const is = node({ ...copies?.own, ...copies?.pairs }, (name) => m.value(name, id))
    return [id, Object.defineProperty(is, 'id', { enumerable: true, value: id })]
  }))
  has('scene', () => scenes.get((m.value('player.place') as Place | undefined)?.scene ?? ''))
  if (!groups.copies.has('scene')) has('scenes', () => Object.fromEntries(scenes))
  const ask: { [name: string]: unknown } = {
    move: (at: readonly number[], facing?: string) => inside.moveTo(at, facing),
    pass: (name: string) => inside.request({ is: 'pass', name }),
    touch: (name: string) => inside.request({ is: 'touch', name }),
    write: (name: string, value: Value, args?: { [name: string]: Value }) => inside.request({ is: 'write', name, value, ...(args ? { args } : {}) }),
    startOver: () => inside.request({ is: 'start-over' }),
    leave: () => inside.request({ is: 'leave' }),
  }
  for (const name of plan.events) ask[names[`events.${name}`] ?? name] = (args: { [name: string]: Value } = {}) => inside.request({ is: 'event', name, args })
  has('ask', () => ask)
  const on = (name: string, call: (value: never, old: never, where: Where) => void) => inside.listen(name, call)
  has('on', () => on)
}
