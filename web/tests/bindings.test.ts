import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'

import { canonical, Machine, sha256, type Layout, type Outcome, type Plan, type Trouble, type Value } from '../../bindings/typescript/alluvion'

// The runtime that games in TypeScript are given, checked against the published vectors.

const vectors = <T>(name: string) => JSON.parse(readFileSync(`../docs/vectors/${name}.json`, 'utf8')) as T

interface Turn { who: string; away?: boolean; resumes?: boolean; asks?: Record<string, unknown>; frame: Record<string, unknown>; packed: string; view: Record<string, Record<string, Value>>; digest: string }
interface Said { layout: Layout; viewer: string; turns: Turn[] }

const hex = (text: string) => Uint8Array.from(text.match(/../g) ?? [], (x) => parseInt(x, 16))

class Any extends Machine {
  declare readonly ask: Record<string, (...args: unknown[]) => Promise<Outcome>>
  declare readonly on: (name: string, call: (value: Value | undefined, old: Value | undefined, where: { player?: string; copy?: string }) => void) => () => void
  declare readonly self: Record<string, unknown> & { id: string }
  declare readonly players: Iterable<{ id: string }> & { size: number; get(id: string): Record<string, unknown> | undefined }
}

const planOf = (layout: Layout): Plan => ({ runtime: 1, layout, events: ['open', 'then'], props: { chest: { red: { scene: 'hall' }, blue: { scene: 'pit' } } } })

/** A machine that is in a session. */
function comeIn(layout: Layout, player: string, packed: boolean, number = 0): Any {
  const m = new Any(planOf(layout), { player, packed })
  m.opened(m.protocols[layout.alluvion_layout === 2 ? 0 : 1])
  expect(JSON.parse(m.outgoing()[0] as string)).toMatchObject({ is: 'hello', player, plan: layout.plan })
  m.received(welcome(layout, player, number), 0)
  return m
}

const welcome = (layout: Layout, player: string, number = 0, more: object = {}) => JSON.stringify({
  is: 'welcome', player, game: layout.game, session: 'one', version: layout.version, plan: layout.plan, run: 'r1', ticks: layout.ticks, grace: 45, number, resumed: false, tick: 0, ...more,
})

const frameOf = (turn: Turn, packed: boolean) => (packed ? hex(turn.packed) : JSON.stringify(turn.frame))

describe('the runtime for TypeScript', () => {
  it('comes to the published digests', () => {
    for (const d of vectors<{ view: Value; canonical: string; sha256: string }[]>('digests')) {
      expect(canonical(d.view)).toBe(d.canonical)
      expect(sha256(d.canonical)).toBe(d.sha256)
    }
    expect(sha256('')).toBe('e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855')
    expect(sha256('a'.repeat(1000))).toBe('41edece42d63e8d9bf515a9ba6932e1c20cbc9f5a5d134645adb5db1b9737ea3')
  })

  for (const name of ['conversations', 'near', 'everything', 'lantern-pass']) {
    for (const packed of [false, true]) {
      it(`believes what ${name} says, ${packed ? 'in bits' : 'in text'}`, () => {
        const said = vectors<Said>(name)
        const m = comeIn(said.layout, said.viewer, packed)
        m.onTrouble((t) => expect.fail(JSON.stringify(t)))
        let told = 0
        m.onTold(() => told++)
        said.turns.forEach((turn, i) => {
          if (turn.away) {
            if (m.state === 'in') m.lost(1006, i / 10)
            expect(m.view()).toEqual(turn.view)
            return
          }
          if (turn.resumes) {
            m.opened(m.protocols[said.layout.alluvion_layout === 2 ? 0 : 1])
            expect(JSON.parse(m.outgoing()[0] as string)).toMatchObject({ run: 'r1', tick: m.tick })
            m.received(welcome(said.layout, said.viewer, 0, { resumed: true }), i / 10)
          }
          m.received(frameOf(turn, packed), i / 10)
          expect(m.view(), `turn ${i}`).toEqual(turn.view)
          expect(m.digest(), `turn ${i}`).toBe(turn.digest)
        })
        expect(told).toBe(said.turns.flatMap((t) => (t.frame?.told as unknown[]) ?? []).length)
        expect(m.time).toBe(said.turns.at(-1)!.frame.time)
      })
    }
  }

  it('draws players where the vectors have them', () => {
    const { told, drawn } = vectors<{ told: { scene: string; at: number[]; facing: string; time: number; arrival: number }[]; drawn: { time: number; is: { scene: string; at: number[]; facing: string } }[] }>('motion')
    const said = vectors<Said>('conversations')
    const m = comeIn({ ...said.layout, places: { ...said.layout.places, axes: ['x', 'y'] } }, said.viewer, false)
    const empty = { whole: true, set: {} }
    told.forEach((p, i) => m.received(JSON.stringify({
      is: 'tick', tick: i + 1, time: p.time / 1000, done: 0, everyone: { whole: true, set: { 'player.here@wren': true } },
      scene: { whole: true, set: { 'player.place@wren': { ...p, time: p.time / 1000 } } }, self: empty, near: empty,
    }), i))
    for (const d of drawn) {
      const at = m.placeAt('wren', d.time / 1000)!
      expect(at.scene).toBe(d.is.scene)
      expect(at.facing).toBe(d.is.facing)
      at.at.forEach((x, k) => expect(x, `${d.time}`).toBeCloseTo(d.is.at[k]!, 6))
    }
  })

  it('reports whatever is malformed, believes what it did, and asks for the whole view', () => {
    let seed = 1
    const random = (n: number) => (seed = (seed * 48271) % 2147483647) % n
    for (const name of ['everything', 'near']) {
      const said = vectors<Said>(name)
      for (const packed of [false, true]) {
        for (let round = 0; round < 400; round++) {
          const m = comeIn(said.layout, said.viewer, packed)
          const troubles: Trouble[] = []
          m.onTrouble((t) => troubles.push(t))
          const turns = said.turns.filter((t) => !t.away)
          const at = 1 + random(turns.length - 1)
          for (const turn of turns.slice(0, at)) m.received(frameOf(turn, packed), 1)
          const before = m.view()
          const whole = packed ? hex(turns[at]!.packed) : new TextEncoder().encode(JSON.stringify(turns[at]!.frame))
          const bad = round % 2 === 0 ? whole.slice(0, random(whole.length)) : whole.map((x, i) => (i >= 1 && random(12) === 0 ? x ^ (1 << random(8)) : x))
          m.received(packed ? bad : new TextDecoder().decode(bad), 2)
          if (troubles.length === 0) continue // it still is a frame
          expect(troubles[0]!.is).toBe('malformed')
          expect(m.view()).toEqual(before)
          expect(m.outgoing()).toContain('{"is":"whole"}')
          // What changes a state that this machine does not have is left alone, until all of it comes.
          m.received(frameOf(turns[at]!, packed), 2)
          if (!(turns[at]!.frame.scene as { whole?: boolean } | undefined)?.whole) expect(m.view()).toEqual(before)
        }
      }
    }
  })

  it('is not harmed by messages of other forms', () => {
    const said = vectors<Said>('everything')
    const m = comeIn(said.layout, said.viewer, false)
    for (const x of ['', 'null', '[]', '7', '{}', '{"is":5}', '{"is":"tick"}', '{"is":"welcome"}', '{"is":"tick","tick":-1,"time":0,"done":0}', '{"is":"tick","tick":1e300,"time":0,"done":0}',
      '{"is":"tick","tick":1,"time":1,"done":0,"everyone":5}', '{"is":"tick","tick":1,"time":1,"done":0,"told":{}}', '{"is":"differs"}', '{"is":"fetch"}', '['.repeat(100000),
      '{"is":"tick","tick":1,"time":1,"done":0,"everyone":{"set":{"player.count@ada":"many"}}}', '{"is":"answer","number":99}', '{"is":"saved"}', '{"is":"bye"}', '{"is":"later"}']) m.received(x, 1)
    m.received(new Uint8Array(0), 1)
    m.received(new Uint8Array(100).fill(255), 1)
    expect(m.state).toBe('in')
    m.received(frameOf(said.turns[0]!, false), 5)
    expect(m.digest()).toBe(said.turns[0]!.digest)
  })

  it('reads by the names of the plan', () => {
    const said = vectors<Said>('everything')
    const m = comeIn(said.layout, said.viewer, true)
    const heard: unknown[] = []
    m.on('player.heat', (value, old, where) => heard.push([value, old, where]))
    m.on('scene.snow', (value, old, where) => heard.push([value, old, where]))
    expect(() => m.on('player.hats', () => {})).toThrow('no value')
    for (const [i, turn] of said.turns.slice(0, 5).entries()) m.received(frameOf(turn, true), i)
    expect(m.self).toMatchObject({ id: 'ada', heat: 0.3, hood: 'off', unset: null })
    expect([...m.players].map((p) => p.id).sort()).toEqual(['ada', '～', '😀'].sort())
    const any = m as unknown as Record<string, Record<string, Record<string, unknown>>>
    expect(any.ware!.tea!.store).toBe(4)
    expect((m.players.get('😀') as Record<string, Record<string, Record<string, unknown>>>).ware!.tea!.have).toBe(4)
    expect(any.ware!.rice!.have).toBe(0) // nothing ever changed it
    expect(any.chest!.red!.open).toBe(false)
    expect(any.chest!.blue!.open).toBeUndefined() // it is in another scene
    expect(any.scene!.id).toBe('hall')
    expect(any.scene!.snow).toBe(2)
    expect(any.scenes!.pit!.snow).toBeUndefined()
    expect(any.profile!.sound).toBe(6)
    expect(any.movables!.sled).toMatchObject({ scene: 'hall' })
    expect(heard).toEqual([[0, undefined, { player: 'ada' }], [0, undefined, { copy: 'hall' }], [2, 0, { copy: 'hall' }], [0.3, 0, { player: 'ada' }],
      [0, undefined, { player: '～' }], [0, undefined, { player: '😀' }]])
  })

  it('calls by another name what is called as something of its own', () => {
    const said = vectors<Said>('everything')
    const m = new Any({ ...planOf(said.layout), events: ['move'], names: { ware: 'ware_', 'player.count': 'count_', 'events.move': 'move_' } }, { player: 'ada', packed: false })
    m.opened(m.protocols[1])
    m.received(welcome(said.layout, 'ada'), 0)
    m.received(frameOf(said.turns[0]!, false), 1)
    expect(m.self.count_).toBe(0)
    expect(m.value('player.count')).toBe(0)
    expect(m.self).not.toHaveProperty('count')
    expect(Object.keys((m as unknown as Record<string, object>).ware_!)).toEqual(['rice', 'tea', 'wine'])
    void m.ask.move_!({})
    expect(m.outgoing()[1]).toContain('"is":"event","name":"move"')
  })

  it('asks with rising numbers, and knows what became of each', async () => {
    const said = vectors<Said>('conversations')
    const m = comeIn(said.layout, said.viewer, true, 40)
    m.received(frameOf(said.turns[0]!, true), 1)
    const place = m.self.place as { scene: string; at: number[]; arrival: number }
    const opened = m.ask.open!({ chest: 'red' })
    const moves = [m.ask.move!(place.at), m.ask.move!(place.at)]
    const out = m.outgoing()
    expect(out).toHaveLength(2)
    expect(JSON.parse(out[0] as string)).toEqual({ is: 'event', name: 'open', args: { chest: 'red' }, arrival: place.arrival, number: 41 })
    expect((out[1] as Uint8Array)[0]).toBe(2)
    expect(await moves[0]).toMatchObject({ is: 'refused', kind: 'replaced' })
    m.received('{"is":"refused","number":41,"kind":"refused","why":"It is locked.","rule":3}', 1)
    expect(await opened).toEqual({ is: 'refused', number: 41, kind: 'refused', why: 'It is locked.', rule: 3 })
    m.received(JSON.stringify({ is: 'tick', tick: 90, time: 9, done: 43 }), 2)
    expect(await moves[1]).toEqual({ is: 'applied', number: 43 })
    const saved = m.saved(43)
    m.received('{"is":"saved","number":43,"revision":2,"moment":"leave"}', 2)
    expect(await saved).toBe(true)
    expect(m.pending).toBe(0)

    const many = Array.from({ length: 300 }, () => m.ask.open!({}))
    expect(await many[299]).toMatchObject({ is: 'refused', kind: 'too-many' })
    expect(m.pending).toBe(256)
  })

  it('goes on where the connection was lost, and sends again what was not answered', async () => {
    const said = vectors<Said>('conversations')
    const m = comeIn(said.layout, said.viewer, false)
    const troubles: Trouble[] = []
    m.onTrouble((t) => troubles.push(t))
    m.received(frameOf(said.turns[0]!, false), 1)
    const here = (m.self.place as { at: number[] }).at
    const first = m.ask.move!(here)
    m.outgoing()
    const second = m.ask.move!(here)
    const event = m.ask.open!({})
    m.outgoing()
    m.lost(1006, 2)
    expect(m.state).toBe('lost')
    expect(m.retryIn).toBeGreaterThan(0)
    expect(m.retryIn).toBeLessThan(0.5)
    expect((await first).is).toBe('unknown')
    m.lost(1006, 3)
    expect(m.retryIn).toBeGreaterThan(0.3)
    m.opened(m.protocols[1])
    expect(JSON.parse(m.outgoing()[0] as string)).toMatchObject({ run: 'r1', tick: m.tick })
    m.received(welcome(said.layout, said.viewer, 2, { resumed: true }), 4)
    expect(m.outgoing().map((x) => (JSON.parse(x as string) as { number: number }).number)).toEqual([2, 3])
    m.received('{"is":"answer","number":3,"repeat":true}', 4)
    expect(await event).toEqual({ is: 'applied', number: 3, repeat: true })
    m.received(JSON.stringify({ is: 'tick', tick: 91, time: 9, done: 3 }), 5)
    expect((await second).is).toBe('applied')
    expect(m.view()).toEqual(said.turns[0]!.view)

    // The session was opened anew: what was not saved may be gone.
    const lost = m.ask.open!({})
    const saved = m.saved(4)
    m.outgoing()
    m.lost(1001, 6)
    m.opened(m.protocols[1])
    m.received(welcome(said.layout, said.viewer, 7, { run: 'r2' }), 7)
    m.received('{"is":"refused","number":4,"kind":"unknown","why":"It is no longer known."}', 7)
    expect((await lost).is).toBe('unknown')
    expect(await saved).toBe(false)
    expect(troubles).toEqual([{ is: 'rolled-back' }])

    // The player has come in elsewhere: that is the end.
    const never = m.ask.open!({})
    m.lost(4002, 8)
    expect(m.state).toBe('ended')
    expect((await never).is).toBe('unknown')
    expect(await m.ask.open!({})).toMatchObject({ is: 'refused', kind: 'ended' })
  })

  it('goes on under a layout that has more, and says what is gone under another', () => {
    const { layout } = vectors<Said>('everything')
    const begin = () => {
      const m = comeIn(layout, 'ada', true)
      m.received('{"is":"fetch","plan":"other","layout":"/v1/games/g/sessions/s/layout"}', 1)
      m.lost(4001, 1)
      expect(m.state).toBe('fetch')
      expect(m.fetch).toBe('/v1/games/g/sessions/s/layout')
      return m
    }
    const more = structuredClone(layout) as unknown as { plan: string; holders: { fields: { name: string; code?: { kind: string } }[] }[] }
    more.plan = 'other'
    more.holders[0]!.fields.push({ ...more.holders[0]!.fields.find((f) => f.name === 'player.count')!, name: 'player.hats' })
    const m = begin()
    m.learned(more as unknown as Layout)
    expect(m.state).toBe('lost')
    m.opened()
    expect(JSON.parse(m.outgoing()[0] as string)).toMatchObject({ plan: 'other' })

    const less = begin()
    const troubles: Trouble[] = []
    less.onTrouble((t) => troubles.push(t))
    more.holders[0]!.fields = more.holders[0]!.fields.filter((f) => f.name !== 'player.count')
    more.holders[0]!.fields.find((f) => f.name === 'player.lit')!.code!.kind = 'text'
    less.learned(more as unknown as Layout)
    expect(less.state).toBe('ended')
    expect(troubles).toEqual([{ is: 'plan-changed', names: ['player.count', 'player.lit'] }])
  })

  it('calls back when all is taken in, and lets nothing in from a callback', () => {
    const said = vectors<Said>('conversations')
    const m = comeIn(said.layout, said.viewer, false)
    const states: string[] = []
    m.onState((s) => states.push(s))
    const end = m.onTold(() => {
      expect(m.tick).toBe(1)
      void m.ask.open!({})
      m.received('{}', 1)
    })
    expect(() => m.received(frameOf(said.turns[0]!, false), 1)).toThrow('from a callback')
    expect(m.view()).toEqual(said.turns[0]!.view)
    expect(m.outgoing().length).toBeGreaterThan(0)
    end()
    m.advance(20)
    expect(m.outgoing()).toEqual(['{"is":"ping"}'])
    expect(m.quiet).toBe(19)
    m.lost(1000, 21)
    expect(states).toEqual(['ended'])
  })

  it('has a clock that never goes back', () => {
    const said = vectors<Said>('conversations')
    const m = comeIn(said.layout, said.viewer, false)
    let last = 0
    for (let i = 0; i < 200; i++) {
      const local = 10 + i / 10
      const late = i % 7 === 0 ? 0.3 : 0.02
      m.received(JSON.stringify({ ...said.turns[0]!.frame, tick: i + 1, time: i / 10 }), local + late)
      for (const after of [0.03, 0.05, 0.09]) {
        const now = m.now(local + late + after)
        expect(now).toBeGreaterThanOrEqual(last)
        last = now
      }
    }
    expect(last).toBeGreaterThan(19.5)
    expect(last).toBeLessThan(20.5)
    // Away for so long that the visit ended, while nobody was in the session: its time stood still.
    m.lost(1006, 31)
    m.opened(m.protocols[1])
    m.received(welcome(said.layout, said.viewer), 400)
    m.received(JSON.stringify({ ...said.turns[0]!.frame, tick: 201, time: 21 }), 400)
    expect(m.now(400.1)).toBeCloseTo(21.1, 5)
  })
})
