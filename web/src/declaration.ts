import { shown, type Row, type Schemas } from './api/client'

export type TypeForm = Schemas['TypeForm']

/** A type with its limits, by their keys, as they are typed. */
export interface Typed {
  type: string
  limits: Record<string, string>
}

/** What a form says of a variable's type. */
export interface Shape extends Typed {
  start: string
  optional: boolean
  /** Of a list or a set. */
  items: Typed
}

/** What a form begins with: what a variable is declared as, or a number where it is new. */
export function shapeOf(row?: Row): Shape {
  const d = row?.declared
  if (!d) return { type: 'int', limits: { min: '0', max: '9999' }, start: '0', optional: false, items: { type: 'choice', limits: {} } }
  return { type: d.type, limits: { ...d.limits }, start: shown(row?.start), optional: d.optional ?? false, items: d.items ? { type: d.items.type, limits: { ...d.items.limits } } : { type: 'choice', limits: {} } }
}

/** Several names that are typed with commas or spaces between. */
export const namesIn = (text: string) => text.split(/[,\s]+/).filter(Boolean)

const formOf = (types: TypeForm[], name: string) => types.find((t) => t.name === name)
const hasItems = (form: TypeForm | undefined) => !!form?.limits.some((l) => l.input === 'type')

/** What a value can begin with, where it is one of a few that are known here. */
export function choicesOf(form: TypeForm, limits: Record<string, string>): unknown[] {
  if (form.choices.length) return form.choices
  return form.limits.filter((l) => l.input === 'names').flatMap((l) => namesIn(limits[l.key] ?? ''))
}

/** Whether a form asks with what a value begins. Of a choice it does so once there is something to choose from. */
export function asksStart(form: TypeForm, s: Shape): boolean {
  if (form.alone || s.optional) return false
  return form.input === 'number' || form.input === 'text' || (form.input === 'choice' && choicesOf(form, s.limits).length > 0)
}

/** A number as it is written, or nothing where nothing is. */
const number = (text: string) => (text.trim() === '' || Number.isNaN(Number(text)) ? undefined : Number(text))

function limitsOf(form: TypeForm, limits: Record<string, string>): Record<string, unknown> {
  const out: Record<string, unknown> = {}
  for (const l of form.limits) {
    const text = (limits[l.key] ?? '').trim()
    if (text === '' || l.input === 'type') continue
    out[l.key] = l.input === 'number' ? number(text) : l.input === 'names' ? namesIn(text) : text
  }
  return out
}

function startOf(form: TypeForm, s: Shape): unknown {
  if (form.input === 'number') return number(s.start) ?? 0
  if (form.input === 'text') return s.start
  const choices = choicesOf(form, s.limits)
  return choices.find((c) => String(c) === s.start) ?? choices[0]
}

/** What the declaration says of its type. */
export function declarationOf(types: TypeForm[], s: Shape): Record<string, unknown> {
  const form = formOf(types, s.type)
  if (!form) return { type: s.type }
  const out: Record<string, unknown> = { type: s.type, ...limitsOf(form, s.limits) }
  if (hasItems(form)) {
    const items = formOf(types, s.items.type)
    out.items = { type: s.items.type, ...(items ? limitsOf(items, s.items.limits) : {}) }
  }
  if (s.optional && !form.alone) out.optional = true
  else if (asksStart(form, s)) out.start = startOf(form, s)
  return out
}

const filled = (form: TypeForm, limits: Record<string, string>) => form.limits.every((l) => !l.needed || l.input === 'type' || (limits[l.key] ?? '').trim() !== '')

/** Whether what is filled in is enough. */
export function complete(types: TypeForm[], s: Shape): boolean {
  const form = formOf(types, s.type)
  if (!form || !filled(form, s.limits)) return false
  const items = formOf(types, s.items.type)
  return !hasItems(form) || (!!items && filled(items, s.items.limits))
}
