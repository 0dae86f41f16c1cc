import { describe, expect, it } from 'vitest'

import type { Schemas } from '../src/api/client'
import { drawingOf } from '../src/reach'

type Places = Schemas['ScoutPlaces']

const scene = (id: string, steps: number, stuck = 0): Places['scenes'][number] => ({ id, title: id, states: steps < 0 ? 0 : 10, steps, stuck })
const way = (from: string, to: string, ...by: string[]): Places['ways'][number] => ({ from, to, by, pass: by[0] !== 'death' && by[0] !== 'the event fly', moves: 1 })

const places: Places = {
  search: 'ways',
  scenes: [scene('hut', 0), scene('gorge', 1), scene('ridge', 2, 3), scene('loft', 1), scene('moon', 3), scene('vault', -1)],
  ways: [way('hut', 'gorge', 'gate'), way('gorge', 'hut', 'gate'), way('gorge', 'ridge', 'bridge'), way('hut', 'loft', 'ladder'), way('hut', 'ridge', 'tunnel'), way('ridge', 'hut', 'death'), way('ridge', 'moon', 'the event fly'), way('loft', 'gorge', 'rope')],
}

describe('where a search went', () => {
  const d = drawingOf(places)
  const at = (id: string) => d.scenes.find((s) => s.id === id)!

  it('puts scenes into columns, by how often the scene has to change; what was never seen comes last', () => {
    expect(at('hut').x).toBe(0)
    expect(at('gorge').x).toBe(at('loft').x)
    expect(at('gorge').y).not.toBe(at('loft').y)
    expect([at('hut').x, at('gorge').x, at('ridge').x, at('moon').x, at('vault').x]).toEqual([...new Set(d.scenes.map((s) => s.x))].sort((a, b) => a - b))
    expect(at('vault').seen).toBe(false)
    expect(at('ridge').stuck).toBe(3)
  })

  it('draws passages, those with one back once, and of the rest only what is needed to get there', () => {
    expect(d.ways.map((w) => `${w.id}${w.both ? ' and back' : ''}${w.loose ? ', loose' : ''}`).sort()).toEqual(['gorge ridge', 'hut gorge and back', 'hut loft', 'loft gorge', 'ridge moon, loose'])
  })

  it('draws nothing where nothing was seen', () => {
    expect(drawingOf({ search: 'ways', scenes: [], ways: [] })).toMatchObject({ scenes: [], ways: [] })
  })
})
