import { describe, expect, it } from 'vitest'

import { asksStart, choicesOf, complete, declarationOf, namesIn, shapeOf, type Shape, type TypeForm } from '../src/declaration'

const limit = (key: string, input: string, needed = false) => ({ key, title: key, meaning: key, input, needed })
const type = (name: string, input: string, limits: ReturnType<typeof limit>[], more: Partial<TypeForm> = {}) => ({ name, input, limits, sentence: name, example: '{}', stands: ['variables', 'items'], choices: [], ...more }) as TypeForm

// A few types as the service says them; one of them nobody has heard of.
const types = [
  type('int', 'number', [limit('min', 'number'), limit('max', 'number')]),
  type('decimal', 'number', [limit('step', 'number', true)]),
  type('bool', 'choice', [], { choices: [false, true] as never }),
  type('choice', 'choice', [limit('choices', 'names', true)]),
  type('pick', 'choice', [limit('roster', 'roster', true)]),
  type('text', 'text', [limit('max_length', 'number')]),
  type('set', 'items', [limit('items', 'type', true), limit('max_items', 'number')]),
  type('seed', 'none', [], { alone: true }),
  type('hue', 'text', [limit('palette', 'names', true)]),
]
const shape = (of: string, limits: Record<string, string> = {}, more: Partial<Shape> = {}): Shape => ({ type: of, limits, start: '', optional: false, items: { type: 'choice', limits: {} }, ...more })

describe('what a form declares', () => {
  it.each([
    [shape('int', { min: '-1', max: '' }, { start: '3' }), { type: 'int', min: -1, start: 3 }],
    [shape('int', { min: 'x' }, { start: 'y' }), { type: 'int', min: undefined, start: 0 }],
    [shape('int', {}, { optional: true }), { type: 'int', optional: true }],
    [shape('decimal', { step: '0.5' }, { start: '1.5' }), { type: 'decimal', step: 0.5, start: 1.5 }],
    [shape('bool', {}, { start: 'true' }), { type: 'bool', start: true }],
    [shape('bool', {}, { start: '' }), { type: 'bool', start: false }],
    [shape('choice', { choices: 'low, high' }, { start: 'high' }), { type: 'choice', choices: ['low', 'high'], start: 'high' }],
    [shape('choice', { choices: 'low high' }, { start: 'gone' }), { type: 'choice', choices: ['low', 'high'], start: 'low' }],
    [shape('pick', { roster: 'courier' }), { type: 'pick', roster: 'courier' }],
    [shape('text', { max_length: '16' }, { start: 'a b' }), { type: 'text', max_length: 16, start: 'a b' }],
    [shape('set', { max_items: '8' }, { items: { type: 'int', limits: { max: '9' } } }), { type: 'set', max_items: 8, items: { type: 'int', max: 9 } }],
    [shape('seed', {}, { optional: true }), { type: 'seed' }],
    [shape('hue', { palette: 'red,blue' }, { start: 'red' }), { type: 'hue', palette: ['red', 'blue'], start: 'red' }],
    [shape('nothing'), { type: 'nothing' }],
  ])('%j', (from, wanted) => {
    expect(declarationOf(types, from)).toEqual(wanted)
  })
})

it('is complete when what is needed is filled in', () => {
  expect(complete(types, shape('int'))).toBe(true)
  expect(complete(types, shape('decimal'))).toBe(false)
  expect(complete(types, shape('choice', { choices: '  ' }))).toBe(false)
  expect(complete(types, shape('choice', { choices: 'a' }))).toBe(true)
  expect(complete(types, shape('set'))).toBe(false)
  expect(complete(types, shape('set', {}, { items: { type: 'choice', limits: { choices: 'a' } } }))).toBe(true)
  expect(complete(types, shape('set', {}, { items: { type: 'nothing', limits: {} } }))).toBe(false)
  expect(complete(types, shape('nothing'))).toBe(false)
})

it('asks with what a value begins only where it has a start', () => {
  const form = (name: string) => types.find((t) => t.name === name)!
  expect(asksStart(form('int'), shape('int'))).toBe(true)
  expect(asksStart(form('int'), shape('int', {}, { optional: true }))).toBe(false)
  expect(asksStart(form('choice'), shape('choice'))).toBe(false)
  expect(asksStart(form('choice'), shape('choice', { choices: 'a' }))).toBe(true)
  expect(asksStart(form('pick'), shape('pick', { roster: 'courier' }))).toBe(false)
  expect(asksStart(form('set'), shape('set'))).toBe(false)
  expect(asksStart(form('seed'), shape('seed'))).toBe(false)
  expect(choicesOf(form('bool'), {})).toEqual([false, true])
})

it('begins with what a variable is declared as, and changes nothing of that', () => {
  const row = { start: 12, declared: { id: 'oil', type: 'int', limits: { max: '40' } } } as never
  const made = shapeOf(row)
  expect(made).toMatchObject({ type: 'int', limits: { max: '40' }, start: '12', optional: false })
  made.limits.max = '1'
  expect(shapeOf(row).limits.max).toBe('40')
  expect(shapeOf().type).toBe('int')
  expect(shapeOf({ start: null, declared: { id: 'a', type: 'set', limits: {}, items: { type: 'pick', limits: { roster: 'r' } } } } as never).items).toEqual({ type: 'pick', limits: { roster: 'r' } })
})

it('reads names with commas or spaces between', () => {
  expect(namesIn(' a, b  c,,')).toEqual(['a', 'b', 'c'])
  expect(namesIn('')).toEqual([])
})
