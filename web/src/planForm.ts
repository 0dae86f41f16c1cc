import type { Schema as Known } from './planHelp'

/** What of a JSON Schema forms read besides. */
export interface Schema extends Known {
  $comment?: string
  examples?: string[]
  required?: string[]
  minimum?: number
  maximum?: number
  pattern?: string
  /** What stands over it in a form. */
  title?: string
  propertyNames?: { pattern?: string }
  prefixItems?: Schema[]
  additionalProperties?: boolean | Schema
  properties?: Record<string, Schema>
  items?: Schema
  oneOf?: Schema[]
  anyOf?: Schema[]
  $defs?: Record<string, Schema>
}

export type Value = string | number | boolean | null | Value[] | { [key: string]: Value }
export type Table = { [key: string]: Value }

/** One of the ways in which something can be written. */
export interface Shape {
  kind: 'expression' | 'flag' | 'number' | 'choice' | 'word' | 'list' | 'table'
  schema: Schema
  /** What tells it from the others. */
  label: string
  /** Of a table that does one of several things: the key that says which, with what goes along with it. */
  verb?: string
  keys?: string[]
}

const follow = (root: Schema, s: Schema): Schema => {
  if (!s.$ref) return s
  const known = root.$defs?.[s.$ref.split('/').pop()!] ?? {}
  return { ...known, description: s.description ?? known.description }
}

const more = /^may stand with it: (.*)$/

/** All ways in which something can be written, the shortest first. */
export function shapes(root: Schema, of: Schema): Shape[] {
  const s = follow(root, of)
  const alternatives = s.oneOf ?? s.anyOf
  if (alternatives && s.properties) {
    return alternatives.map((a): Shape => {
      const needed = a.required ?? []
      const others = more.exec(a.$comment ?? '')?.[1]?.split(', ') ?? []
      return { kind: 'table', schema: { ...s, required: needed }, label: needed[0] ?? '', verb: needed[0], keys: [...needed, ...others] }
    })
  }
  if (alternatives) return alternatives.flatMap((a) => shapes(root, { ...follow(root, a), description: a.description ?? s.description }))
  if (s.enum) return [{ kind: 'choice', schema: s, label: 'one of these' }]
  if (s.prefixItems) return [{ kind: 'list', schema: s, label: 'a pair' }]
  if (s.type === 'array' || s.items) return [{ kind: 'list', schema: s, label: 'several' }]
  if (s.type === 'object' || s.properties) return [{ kind: 'table', schema: s, label: s.required?.length === 1 && Object.keys(s.properties ?? {}).length === 1 ? s.required[0]! : 'in detail' }]
  if (s.$comment === 'an expression') return [{ kind: 'expression', schema: s, label: 'an expression' }]
  if (s.type === 'boolean') return [{ kind: 'flag', schema: s, label: 'yes or no' }]
  if (s.type === 'integer' || s.type === 'number') return [{ kind: 'number', schema: s, label: 'a number' }]
  return [{ kind: 'word', schema: s, label: 'by name' }]
}

const isTable = (v: Value | undefined): v is Table => typeof v === 'object' && v !== null && !Array.isArray(v)

/** How many of a value's keys a table has; below 0 where it is none. */
function agrees(shape: Shape, value: Value | undefined): number {
  if (Array.isArray(value)) return shape.kind === 'list' ? 1 : -1
  if (isTable(value)) {
    if (shape.kind !== 'table') return -1
    const keys = Object.keys(value)
    if (shape.verb) return shape.verb in value ? 1 + (shape.keys ?? []).filter((k) => k in value).length : -1
    const known = Object.keys(shape.schema.properties ?? {})
    const needed = (shape.schema.required ?? []).filter((k) => !keys.includes(k)).length
    return keys.filter((k) => known.includes(k)).length * 2 + (typeof shape.schema.additionalProperties === 'object' ? 1 : 0) - needed
  }
  if (shape.kind === 'list' || shape.kind === 'table') return -1
  if (shape.kind === 'flag') return typeof value === 'boolean' ? 2 : -1
  if (shape.kind === 'number') return typeof value === 'number' ? 2 : -1
  if (shape.kind === 'choice') return shape.schema.enum?.includes(value) ? 3 : -1
  return 1
}

/** The way in which a value is written; the first one of nothing. */
export function shapeOf(all: Shape[], value: Value | undefined): Shape | undefined {
  if (value === undefined || value === null) return all[0]
  const best = all.map((shape) => ({ shape, n: agrees(shape, value) })).sort((a, b) => b.n - a.n)[0]
  return best && best.n > -1 ? best.shape : (all.find((s) => s.kind === 'table' && isTable(value)) ?? all.find((s) => s.kind === 'word') ?? all[0])
}

/** Something that can be put where nothing is yet: what is needed, each with something to begin with. */
export function beginning(root: Schema, shape: Shape, depth = 0): Value {
  switch (shape.kind) {
    case 'flag':
      return true
    case 'number':
      return Math.max(shape.schema.minimum ?? 0, Math.min(1, shape.schema.maximum ?? 1))
    case 'choice':
      return (shape.schema.enum?.[0] as Value) ?? ''
    case 'list':
      return (shape.schema.prefixItems ?? []).map((item) => beginning(root, shapes(root, item)[0]!, depth + 1))
    case 'table': {
      const out: Table = {}
      for (const key of shape.schema.required ?? []) {
        const inner = shape.schema.properties?.[key]
        if (inner && depth < 4) out[key] = beginning(root, shapes(root, inner)[0]!, depth + 1)
      }
      return out
    }
    default:
      return shape.schema.examples?.[0] ?? ''
  }
}

/** The schema of a list's item. */
export const itemOf = (shape: Shape, i: number): Schema | undefined => shape.schema.prefixItems?.[i] ?? (typeof shape.schema.items === 'object' ? shape.schema.items : undefined)

/** What was written into a field, as a value. */
export function valueOf(shape: Shape, text: string): Value {
  const plain = text.trim()
  if (shape.kind === 'number') return plain !== '' && Number.isFinite(Number(plain)) ? Number(plain) : plain
  if (shape.kind === 'expression' || (shape.kind === 'word' && Array.isArray(shape.schema.type))) {
    if (/^-?(0|[1-9]\d*)(\.\d+)?$/.test(plain) && plain.length < 16) return Number(plain)
    if (plain === 'true' || plain === 'false') return plain === 'true'
  }
  return shape.kind === 'expression' ? plain : text
}

/** What stands in the field of a value. */
export const shownValue = (v: Value | undefined): string => (v === undefined || v === null ? '' : String(v))

/** What a table's keys can be: those it has, as they are written, and those that could come to it. */
export function keysOf(shape: Shape, value: Table): { there: string[]; could: string[] } {
  const known = (shape.keys ?? Object.keys(shape.schema.properties ?? {})).filter((k) => shape.schema.properties?.[k])
  const needed = shape.schema.required ?? []
  const there = [...Object.keys(value).filter((k) => k in (shape.schema.properties ?? {})), ...needed.filter((k) => known.includes(k) && !(k in value))]
  return { there, could: known.filter((k) => !there.includes(k)) }
}

/** What stands at a path of a document. */
export function at(document: Value | undefined, path: string[]): Value | undefined {
  let here = document
  for (const key of path) {
    if (Array.isArray(here)) here = here[Number(key)]
    else if (isTable(here)) here = here[key]
    else return undefined
  }
  return here
}

/** The schema of what stands at a path. */
export function schemaAt(root: Schema, path: string[], document: Value): Schema | undefined {
  let here: Schema | undefined = root
  path.forEach((key, i) => {
    if (!here) return
    const shape = shapeOf(shapes(root, here), at(document, path.slice(0, i)))
    const s: Schema | undefined = shape?.schema
    here = shape?.kind === 'list' ? itemOf(shape, Number(key)) : (s?.properties?.[key] ?? (typeof s?.additionalProperties === 'object' ? s.additionalProperties : undefined))
  })
  return here
}

/** A value, of which everything that is as it was before is the very same object. */
export function sameWhere(before: Value | undefined, now: Value | undefined): Value | undefined {
  if (before === now || typeof before !== 'object' || typeof now !== 'object' || before === null || now === null || Array.isArray(before) !== Array.isArray(now)) return now
  const [was, is] = [before as Table, now as Table]
  const keys = Object.keys(is)
  let same = keys.length === Object.keys(was).length && keys.join('\n') === Object.keys(was).join('\n')
  for (const key of keys) {
    const kept = sameWhere(was[key], is[key])!
    is[key] = kept
    same &&= kept === was[key]
  }
  return same ? before : now
}

/** A path as a JSON Pointer (RFC 6901), and back. */
export const pointer = (path: string[]) => path.map((k) => `/${k.replace(/~/g, '~0').replace(/\//g, '~1')}`).join('')
export const pathOf = (text: string) => text.split('/').slice(1).map((k) => k.replace(/~1/g, '/').replace(/~0/g, '~'))

/** A key as people read it. */
export const spaced = (key: string) => key.replace(/[_-]/g, ' ').replace(/^./, (c) => c.toUpperCase())

/** Rows and cells of a text that was copied out of a table: tabs between cells, or else semicolons or commas. */
export function cells(text: string): string[][] {
  const lines = text.replace(/\r\n?/g, '\n').split('\n').filter((l) => l.trim())
  const between = ['\t', ';', ','].find((c) => lines.some((l) => l.includes(c))) ?? '\t'
  return lines.map((l) => l.split(between).map((c) => c.trim().replace(/^"(.*)"$/, '$1').replace(/""/g, '"')))
}

/** An id out of what people call something: Rye bread becomes rye_bread. */
export const idOf = (text: string) => {
  const id = text.normalize('NFKD').toLowerCase().replace(/[^a-z0-9]+/g, '_').replace(/^_+|_+$/g, '')
  return /^[a-z]/.test(id) ? id.slice(0, 64) : `n${id}`.slice(0, 64)
}

/** A word of a table as the plan has it: a number, yes or no, or a text. */
export const plainValue = (text: string): Value => (/^-?\d+([.,]\d+)?$/.test(text) ? Number(text.replace(',', '.')) : text === 'true' || text === 'false' ? text === 'true' : text)

/** What rows of a table become under a path: items of a list, or entries by the id in their first cell. */
export function pasted(text: string, list: boolean, known: string[], plain: boolean): { keys: string[]; values: Value[]; left: string[] } {
  let rows = cells(text)
  const first = (rows[0]?.[0] ?? '').toLowerCase()
  const head = rows.length > 1 && (['id', 'name', 'key', ''].includes(first) || (rows[0]!.length > 1 && rows[0]!.slice(1).every((c) => /^[A-Za-z][\w ]*$/.test(c)) && rows[1]!.slice(1).some((c) => !/^[A-Za-z][\w ]*$/.test(c)))) ? rows[0]!.map((c) => idOf(c)) : undefined
  if (head) rows = rows.slice(1)
  const keys: string[] = []
  const values: Value[] = []
  const left: string[] = []
  for (const row of rows) {
    const id = idOf(row[0] ?? '')
    if (keys.includes(id) || known.includes(id)) {
      left.push(row[0] ?? '')
      continue
    }
    keys.push(id)
    if (list || (plain && row.length < 2)) values.push(list ? (plain ? id : plainValue(row[0] ?? '')) : '')
    else if (plain) values.push(plainValue(row[1] ?? ''))
    else {
      const value: Table = {}
      if (row[0] && id !== row[0] && !head?.includes('title')) value.title = row[0]
      for (let i = 1; i < row.length; i++) {
        const name = head?.[i] ?? (i === 1 && row.length === 2 ? 'title' : '')
        if (name && row[i] !== '') value[name] = name === 'title' ? row[i]! : plainValue(row[i]!)
      }
      values.push(value)
    }
  }
  return { keys, values, left }
}

/** Every key that a schema allows and no form could write: where it is, by the names of what leads to it. */
export function unwritable(root: Schema): string[] {
  const out: string[] = []
  const seen = new Set<string>()
  const visit = (s: Schema, where: string) => {
    const id = s.$ref ?? ''
    if (id && seen.has(id)) return
    if (id) seen.add(id)
    const all = shapes(root, s)
    if (!all.length) out.push(where)
    for (const shape of all) {
      if (shape.kind === 'list') {
        if (!itemOf(shape, 0)) out.push(`${where}/-`)
        for (const item of shape.schema.prefixItems ?? [shape.schema.items]) if (item) visit(item, `${where}/-`)
      }
      if (shape.kind !== 'table') continue
      const writable = new Set(all.flatMap((x) => (x.kind === 'table' ? (x.keys ?? Object.keys(x.schema.properties ?? {})) : [])))
      for (const [key, inner] of Object.entries(shape.schema.properties ?? {})) {
        if (!writable.has(key)) out.push(`${where}/${key}`)
        visit(inner, `${where}/${key}`)
      }
      const others = shape.schema.additionalProperties
      if (typeof others === 'object') visit(others, `${where}/*`)
      if (!shape.schema.properties && !others) out.push(where)
    }
  }
  visit(root, '')
  return [...new Set(out)]
}
