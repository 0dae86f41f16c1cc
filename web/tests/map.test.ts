import { describe, expect, it } from 'vitest'

import { together } from '../src/layout'
import { areaThing, freeID, neat, numbersIn, outward, snapped, type MapScene, type PlanMap } from '../src/map'
import { pages, groups, pageCalled } from '../src/pages'
import { waysOf } from '../src/ways'

const spot = (id: string, at: number[], more = {}) => ({ id, at, from: at, to: at, checkpoint: false, order: 0, line: 1, start: false, ...more })
const scene = (id: string, high: number[], spots: ReturnType<typeof spot>[]): MapScene => ({ id, title: id.toUpperCase(), line: 1, low: [0, 0], high, spots, areas: [], props: [] })
const passage = (id: string, from: string, to: string) => ({ id, title: id, from, to, both_ways: true, gated: false, carries: [], line: 1 })
const map = {
  unit: 'metre',
  axes: ['x', 'y'],
  scenes: [scene('a', [20, 10], [spot('a/e', [20, 5], { start: true }), spot('a/n', [10, 0])]), scene('b', [20, 10], [spot('b/w', [0, 5])]), scene('c', [8, 8], [spot('c/s', [4, 8])]), scene('alone', [5, 5], [])],
  passages: [passage('east', 'a/e', 'b/w'), passage('north', 'a/n', 'c/s')],
} as unknown as PlanMap

describe('points on the map', () => {
  it('snaps to steps, and stays in its scene', () => {
    const s = map.scenes[0]!
    expect(snapped(s, [3.26, 4.9], 0.5, 0.001)).toEqual([3.5, 5])
    expect(snapped(s, [-3, 99], 1, 0.001)).toEqual([0, 9])
    expect(snapped(s, [19.9, 9.9], 1, 0.001, [4, 4])).toEqual([16, 6])
    expect(neat(0.1 + 0.2)).toBe(0.3)
  })
  it('reads as many numbers as there are axes', () => {
    expect(numbersIn('1, 2.5', 2)).toEqual([1, 2.5])
    expect(numbersIn('1', 2)).toBeUndefined()
    expect(numbersIn('1, x', 2)).toBeUndefined()
  })
  it('finds an id that nothing has', () => {
    expect(freeID('spot', ['spot_1', 'spot_3'])).toBe('spot_2')
  })
  it('knows which side a spot is at', () => {
    const s = map.scenes[0]!
    expect(outward(s, s.spots[0]!)).toEqual([1, 0])
    expect(outward(s, s.spots[1]!)).toEqual([0, -1])
  })
  it('moves an area by its least corner', () => {
    expect(areaThing({ id: 'a/x', title: '', low: [1, 2], high: [4.1, 6], line: 1 })).toEqual({ what: 'area:a/x', at: [1, 2], size: [3.1, 4] })
  })
})

describe('scenes beside one another', () => {
  const laid = together(map)
  const box = (id: string) => {
    const s = map.scenes.find((x) => x.id === id)!
    const at = laid.at[id]!
    return { left: at[0], top: at[1], right: at[0] + s.high[0]!, bottom: at[1] + s.high[1]! }
  }
  it('puts what a way leads to beyond the side that it leaves through', () => {
    expect(box('b').left).toBeGreaterThan(box('a').right)
    expect(box('c').bottom).toBeLessThan(box('a').top)
    expect(box('alone').top).toBeGreaterThan(Math.max(box('a').bottom, box('b').bottom))
  })
  it('lays none over another', () => {
    const all = map.scenes.map((s) => box(s.id))
    for (const [i, p] of all.entries())
      for (const q of all.slice(i + 1)) expect(p.left < q.right && q.left < p.right && p.top < q.bottom && q.top < p.bottom).toBe(false)
  })
})

it('draws a way that leaves what is shown as a note of where it leads', () => {
  const ground = { shows: (id: string) => id === 'a', drawn: (_: string, at: number[]) => [at[0]!, at[1]!] as [number, number], placeOf: (s: { at: number[] }) => s.at, size: 2 }
  const ways = waysOf(map, ground)
  expect(ways.map((w) => [w.id, w.note, w.side])).toEqual([['east', 'B', 1], ['north', 'C', 0]])
  expect(waysOf(map, { ...ground, shows: () => true }).every((w) => w.note === '' && w.path.includes('C'))).toBe(true)
  expect(waysOf(map, { ...ground, shows: (id) => id === 'alone' })).toEqual([])
})

it('has every page once, and each in a group unless another page leads to it', () => {
  expect(new Set(pages.map((p) => p.name)).size).toBe(pages.length)
  expect(new Set(pages.map((p) => p.path)).size).toBe(pages.length)
  for (const p of pages) expect(p.group ?? p.within ?? p.name).toBeTruthy()
  expect(groups.flat().map((p) => p.name)).not.toContain('player')
  expect(pageCalled('player')?.within).toBe('players')
  expect(pageCalled('nowhere')).toBeUndefined()
})
