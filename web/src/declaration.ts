import { shown, type Row } from './api/client'

/** What a form says of a variable's type. Numbers are as they are typed. */
export interface Shape {
  type: string
  /** Of a list or a set: the type of its items, which the limits are then of. */
  items: string
  most: string
  min: string
  max: string
  step: string
  start: string
  choices: string
  length: string
  roster: string
  optional: boolean
}

export const types = ['int', 'decimal', 'bool', 'text', 'choice', 'pick', 'point', 'list', 'set', 'stopwatch', 'seed']
export const itemTypes = ['int', 'decimal', 'text', 'choice', 'pick', 'point']

export const isMany = (s: Shape) => s.type === 'list' || s.type === 'set'
/** The type that the limits are of. */
export const limited = (s: Shape) => (isMany(s) ? s.items : s.type)
export const isNumeric = (s: Shape) => limited(s) === 'int' || limited(s) === 'decimal'
export const canBeNone = (s: Shape) => ['text', 'pick', 'point', 'choice'].includes(s.type)
export const choicesOf = (s: Shape) => s.choices.split(/[,\s]+/).filter(Boolean)

/** What a form begins with: what a variable is declared as, or a number where it is new. */
export function shapeOf(row?: Row): Shape {
  const d = row?.declared
  if (!d) return { type: 'int', items: 'choice', most: '8', min: '0', max: '9999', step: '0.1', start: '0', choices: '', length: '16', roster: '', optional: false }
  return {
    type: d.type,
    items: d.items ?? 'choice',
    most: d.max_items ?? '8',
    min: d.min ?? '',
    max: d.max ?? '',
    step: d.step ?? '',
    start: shown(row?.start),
    choices: d.choices.join(', '),
    length: d.length ?? '',
    roster: d.roster ?? '',
    optional: d.optional ?? false,
  }
}

/** A number as it is written, or nothing where nothing is. */
const number = (text: string) => (text.trim() === '' || Number.isNaN(Number(text)) ? undefined : Number(text))

/** What the limits of a type say, for the type itself or for items of it. */
function limits(s: Shape): Record<string, unknown> {
  switch (limited(s)) {
    case 'int':
      return { min: number(s.min), max: number(s.max) }
    case 'decimal':
      return { min: number(s.min), max: number(s.max), step: number(s.step) }
    case 'text':
      return { max_length: number(s.length) }
    case 'choice':
      return { choices: choicesOf(s) }
    case 'pick':
      return { roster: s.roster }
  }
  return {}
}

function start(s: Shape): Record<string, unknown> {
  if (s.optional && canBeNone(s)) return { optional: true }
  switch (s.type) {
    case 'int':
    case 'decimal':
      return { start: number(s.start) ?? 0 }
    case 'bool':
      return { start: s.start === 'true' }
    case 'text':
      return { start: s.start === '0' ? '' : s.start }
    case 'choice':
      return { start: choicesOf(s).includes(s.start) ? s.start : choicesOf(s)[0] }
  }
  return {}
}

/** What the declaration says of its type. */
export const declarationOf = (s: Shape): Record<string, unknown> =>
  isMany(s) ? { type: s.type, items: { type: s.items, ...limits(s) }, max_items: number(s.most) } : { type: s.type, ...limits(s), ...start(s) }

/** Whether what is filled in is enough. */
export const complete = (s: Shape) => (limited(s) === 'choice' ? choicesOf(s).length > 0 : limited(s) === 'pick' ? s.roster !== '' : true)
