import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'

import { at, beginning, keysOf, pasted, pathOf, pointer, schemaAt, shapeOf, shapes, unwritable, valueOf, type Schema, type Table } from '../src/planForm'

const root = JSON.parse(readFileSync('../docs/plan.schema.json', 'utf8')) as Schema
const kinds = (path: string[], document: Table = {}) => shapes(root, schemaAt(root, path, document)!).map((s) => s.label)

describe('forms of a plan', () => {
  it('can write every key that a plan can have', () => {
    expect(unwritable(root)).toEqual([])
    const odd: Schema = { type: 'object', properties: { a: { type: 'object' }, b: { type: 'array' } } }
    expect(unwritable(odd)).toEqual(['/a', '/b/-'])
  })

  it('know in which way something is written', () => {
    const moments = shapes(root, root.$defs!.Moment!)
    expect(shapeOf(moments, 'died')?.kind).toBe('word')
    expect(shapeOf(moments, { changed: 'player.oil' })?.label).toBe('changed')
    expect(shapeOf(moments, { every: '30s' })?.label).toBe('every')
    const actions = shapes(root, root.$defs!.Action!)
    expect(actions).toHaveLength(24)
    expect(shapeOf(actions, { set: 'player.oil', to: 3 })?.verb).toBe('set')
    expect(shapeOf(actions, { pick: 'player.courier', to: 'args.who' })?.verb).toBe('pick')
    expect(shapeOf(actions, { if: 'true', do: [], else: [] })?.verb).toBe('if')
    expect(shapeOf(actions, { go: 'lodge/hearth', else: 'mill/wheel' })?.verb).toBe('go')
    expect(keysOf(shapeOf(actions, { if: 'true', do: [] })!, { if: 'true', do: [] })).toEqual({ there: ['if', 'do'], could: ['elif', 'else'] })
  })

  it('find what stands at a path', () => {
    const plan: Table = { rules: [{ on: ['died', { every: '3s' }], do: [{ if: 'true', do: [{ die: 'player' }] }] }], lists: { wares: ['rice'] } }
    expect(at(plan, ['rules', '0', 'do', '0', 'do', '0', 'die'])).toBe('player')
    expect(at(plan, ['rules', '7', 'do'])).toBeUndefined()
    expect(kinds(['rules', '0', 'do', '0', 'if'], plan)).toEqual(['an expression'])
    expect(kinds(['rules', '0', 'do', '0', 'do', '0'], plan)).toContain('die')
    expect(kinds(['lists', 'wares'], plan)).toEqual(['several', 'in detail'])
    expect(pathOf(pointer(['a', 'x/y~z', '0']))).toEqual(['a', 'x/y~z', '0'])
  })

  it('begin with what is needed', () => {
    const action = (verb: string) => beginning(root, shapes(root, root.$defs!.Action!).find((s) => s.verb === verb)!)
    expect(action('set')).toEqual({ set: '', to: '' })
    expect(action('each')).toMatchObject({ do: [] })
    expect(beginning(root, shapes(root, root.$defs!.Event!)[0]!)).toEqual({ from: 'self' })
  })

  it('write numbers as numbers, and words as they are', () => {
    const expression = { kind: 'expression', schema: {}, label: '' } as const
    expect([valueOf(expression, ' 3 '), valueOf(expression, '-2.5'), valueOf(expression, 'true'), valueOf(expression, 'player.oil > 3'), valueOf(expression, '007')]).toEqual([3, -2.5, true, 'player.oil > 3', '007'])
    expect(valueOf({ kind: 'number', schema: {}, label: '' }, 'x')).toBe('x')
    expect(valueOf({ kind: 'word', schema: { type: 'string' }, label: '' }, '3')).toBe('3')
  })
})

it('rows of a spreadsheet become entries and items', () => {
  expect(pasted('id\ttitle\tpace\nRye bread\tRye bread, dark\t3\noats\tOats\t1,5', false, [], false)).toEqual({ keys: ['rye_bread', 'oats'], values: [{ title: 'Rye bread, dark', pace: 3 }, { title: 'Oats', pace: 1.5 }], left: [] })
  expect(pasted('Rye bread\nOats\noats', false, ['salt'], false)).toEqual({ keys: ['rye_bread', 'oats'], values: [{ title: 'Rye bread' }, { title: 'Oats' }], left: ['oats'] })
  expect(pasted('rye\noats', true, ['oats'], true)).toEqual({ keys: ['rye'], values: ['rye'], left: ['oats'] })
})
