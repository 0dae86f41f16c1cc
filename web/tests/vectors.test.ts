import { createHash } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'

// The vectors that are published for those who write a client: another language comes to the same by the same rules.

const vectors = <T>(name: string) => JSON.parse(readFileSync(`../docs/vectors/${name}.json`, 'utf8')) as T

/** RFC 8785, which is what this language's own printing of numbers and texts follows: names in the order of their UTF-16 units. */
function canonical(x: unknown): string {
  if (Array.isArray(x)) return `[${x.map(canonical).join(',')}]`
  if (x === null || typeof x !== 'object') return JSON.stringify(x)
  const names = Object.keys(x).sort()
  return `{${names.map((name) => `${JSON.stringify(name)}:${canonical((x as Record<string, unknown>)[name])}`).join(',')}}`
}
const sha256 = (text: string) => createHash('sha256').update(text).digest('hex')

describe('vectors', () => {
  it('have digests that anybody comes to', () => {
    const all = vectors<{ view: unknown; canonical: string; sha256: string }[]>('digests')
    expect(all.length).toBeGreaterThan(4)
    for (const d of all) {
      expect(canonical(d.view)).toBe(d.canonical)
      expect(sha256(d.canonical)).toBe(d.sha256)
    }
  })

  for (const name of ['conversations', 'near', 'everything', 'lantern-pass']) {
    it(`have a conversation (${name}) whose text frames lead to its views and digests`, () => {
      interface Part { whole?: boolean; gone?: string[]; set?: Record<string, unknown> }
      interface Turn { away?: boolean; frame: Record<string, Part>; view: Record<string, Record<string, unknown>>; digest: string }
      const said = vectors<{ turns: Turn[] }>(name)
      const view: Record<string, Record<string, unknown>> = {}
      for (const part of Object.keys(said.turns[0]!.view)) view[part] = {}
      for (const turn of said.turns.filter((t) => !t.away)) {
        for (const part of Object.keys(view)) {
          const told = turn.frame[part]
          if (!told) continue
          if (told.whole) view[part] = {}
          for (const address of told.gone ?? []) delete view[part]![address]
          Object.assign(view[part]!, told.set)
        }
        expect(view).toEqual(turn.view)
        const sums = Object.fromEntries(Object.entries(view).map(([part, values]) => [part, sha256(canonical(values))]))
        expect(sha256(canonical(sums))).toBe(turn.digest)
      }
    })
  }

  it('draw the same numbers', () => {
    const mask = (1n << 64n) - 1n
    const bits = (seed: number, index: number) => {
      let z = (BigInt(seed) << 32n) | BigInt.asUintN(32, BigInt(index))
      z = (z + 0x9e3779b97f4a7c15n) & mask
      z = ((z ^ (z >> 30n)) * 0xbf58476d1ce4e5b9n) & mask
      z = ((z ^ (z >> 27n)) * 0x94d049bb133111ebn) & mask
      return (z ^ (z >> 31n)) >> 32n
    }
    for (const d of vectors<{ seed: number; index: number; bits: number; from: number; to: number; number: number }[]>('draws')) {
      expect(Number(bits(d.seed, d.index))).toBe(d.bits)
      expect(d.from + Number((bits(d.seed, d.index) * BigInt(d.to - d.from + 1)) >> 32n)).toBe(d.number)
    }
  })

  it('have codes whose bits say their values', () => {
    interface Code { kind: string; optional?: boolean; bits: number; min?: number; step?: number; codes?: number; options?: string[] }
    let read = 0
    for (const f of vectors<{ name: string; code: Code; values: { value: unknown; bits: string }[] }[]>('codes')) {
      const { kind, optional, min = 0, step = 1, codes = 0, options = [] } = f.code
      for (const v of f.values) {
        const n = parseInt(v.bits, 2)
        const places = (String(step).split('e-')[1] ? Number(String(step).split('e-')[1]) : String(step).split('.')[1]?.length) ?? 0
        const scale = 10 ** places
        const values: Record<string, unknown> = {
          number: optional && n === codes ? null : (Math.round(min * scale) + n * Math.round(step * scale)) / scale,
          option: optional && n === options.length ? null : options[n],
          truth: optional && v.bits === '0' ? null : v.bits.endsWith('1'),
        }
        if (!(kind in values)) continue
        expect(values[kind], f.name).toEqual(v.value)
        read++
      }
    }
    expect(read).toBeGreaterThan(30)
  })
})
