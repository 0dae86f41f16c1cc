import type { Completion, CompletionContext, CompletionResult } from '@codemirror/autocomplete'
import type { Text } from '@codemirror/state'
import { hoverTooltip } from '@codemirror/view'

import type { Schemas } from './api/client'

/** What of a JSON Schema is read here. */
export interface Schema {
  $ref?: string
  $defs?: Record<string, Schema>
  description?: string
  properties?: Record<string, Schema>
  additionalProperties?: boolean | Schema
  items?: Schema
  enum?: unknown[]
  const?: unknown
  type?: string | string[]
  default?: unknown
  oneOf?: Schema[]
  anyOf?: Schema[]
  allOf?: Schema[]
}

const keyLine = /^(\s*)((?:- )*)["']?([\w-]+)["']?\s*:/

/** The keys that lead to a place on a line, from those of the lines above that stand further left, and those in braces. */
export function pathAt(doc: Text, line: number, before: string): string[] {
  const own = /^(\s*)((?:- )*)/.exec(before)!
  const path = inBraces(before)
  let indent = own[1]!.length + own[2]!.length
  if (!before.trim()) indent = before.length
  for (let n = line - 1; n >= 1 && indent > 0; n--) {
    const text = doc.line(n).text
    const found = keyLine.exec(text)
    if (!found || text.trimStart().startsWith('#')) continue
    const at = found[1]!.length + found[2]!.length
    if (at >= indent) continue
    path.unshift(found[3]!)
    indent = found[1]!.length + (found[2] ? found[2].length : 0)
    if (found[2]) indent = found[1]!.length + 1 // the keys beside it belong to the same item, what leads to it stands further left
    else indent = at
  }
  return path
}

/** The keys that are open in braces, up to the end of a piece of a line. */
function inBraces(before: string): string[] {
  const open: string[] = []
  let key = ''
  let word = ''
  let quote = ''
  for (const c of before) {
    if (quote) {
      if (c === quote) quote = ''
      continue
    }
    if (c === '"' || c === "'") quote = c
    else if (c === ':') key = word.trim().replace(/^(- )+/, '')
    else if (c === '{' || c === '[') {
      open.push(c === '{' || key ? key : '')
      key = ''
    } else if (c === '}' || c === ']') key = open.pop() ?? ''
    if (/[\w-]/.test(c) || c === ' ') word += c
    else if (c !== ':') word = ''
    if (c === ':') word = ''
    if (c === ',') key = ''
  }
  return [...open, ...(key ? [key] : [])].filter(Boolean)
}

/** All forms that a schema allows. */
function forms(root: Schema, s: Schema | undefined, depth = 0): Schema[] {
  if (!s || depth > 8) return []
  const parts = [s.$ref ? root.$defs?.[s.$ref.split('/').pop()!] : undefined, ...(s.oneOf ?? []), ...(s.anyOf ?? []), ...(s.allOf ?? []), s.items]
  return [s, ...parts.flatMap((p) => forms(root, p, depth + 1))]
}

/** What is allowed at a path. */
function allowed(root: Schema, path: string[]): Schema[] {
  let here = forms(root, root)
  for (const key of path) {
    here = here.flatMap((s) => {
      const next = s.properties?.[key] ?? (typeof s.additionalProperties === 'object' ? s.additionalProperties : undefined)
      return forms(root, next)
    })
  }
  return here
}

/** The description of a key. */
export function describe(root: Schema, path: string[]): string {
  const own = allowed(root, path.slice(0, -1)).map((s) => s.properties?.[path.at(-1)!]?.description)
  return own.find(Boolean) ?? ''
}

const holders = ['player', 'scene', 'game']

/** Completes keys, their values, and the names of variables. */
export function completing(schema: () => Schema | undefined, names: () => Schemas['Named'][]) {
  return (context: CompletionContext): CompletionResult | null => {
    const root = schema()
    const line = context.state.doc.lineAt(context.pos)
    const before = line.text.slice(0, context.pos - line.from)
    if (/(^|\s)#/.test(before)) return null
    const dotted = /[a-z][\w]*(\.\w*)+$/.exec(before)
    if (dotted) {
      const options = names().filter((n) => n.kind === 'variable').map((n): Completion => ({ label: n.name, detail: n.title, type: 'variable' }))
      return { from: context.pos - dotted[0].length, options, validFor: /^[\w.]*$/ }
    }
    if (!root) return null
    const word = /[\w-]*$/.exec(before)![0]
    const lead = before.slice(0, before.length - word.length)
    if (/^\s*(- )*$|[{,]\s*$/.test(lead)) {
      if (!word && !context.explicit && !/[{]\s*$/.test(lead)) return null
      const keys = new Map<string, Completion>()
      for (const s of allowed(root, pathAt(context.state.doc, line.number, lead))) {
        for (const [key, is] of Object.entries(s.properties ?? {})) if (!keys.has(key)) keys.set(key, { label: key, apply: `${key}: `, info: is.description, type: 'property' })
      }
      return keys.size ? { from: context.pos - word.length, options: [...keys.values()], validFor: /^[\w-]*$/ } : null
    }
    if (/:\s+$/.test(lead)) {
      const path = pathAt(context.state.doc, line.number, lead)
      const block = keyLine.exec(lead)
      if (block && !path.includes(block[3]!)) path.push(block[3]!)
      const values = allowed(root, path).flatMap((s) => [...(s.enum ?? []), ...(s.const === undefined ? [] : [s.const]), ...(s.type === 'boolean' ? [true, false] : [])])
      const more = path.at(-1) === 'of' ? holders : ['at', 'from', 'to', 'start', 'fallback', 'else'].includes(path.at(-1) ?? '') ? names().filter((n) => n.kind === 'spot').map((n) => n.name) : []
      const options = [...new Set([...values.map(String), ...more])].map((label): Completion => ({ label, type: 'constant' }))
      return options.length ? { from: context.pos - word.length, options, validFor: /^[\w/-]*$/ } : null
    }
    return null
  }
}

/** What a key means, or what a name stands for, when the pointer rests on it. */
export const hovering = (schema: () => Schema | undefined, names: () => Schemas['Named'][]) =>
  hoverTooltip((view, pos) => {
    const line = view.state.doc.lineAt(pos)
    const at = pos - line.from
    const from = at - /[\w.-]*$/.exec(line.text.slice(0, at))![0].length
    const word = /^[\w.-]+/.exec(line.text.slice(from))?.[0]
    if (!word || /(^|\s)#/.test(line.text.slice(0, from))) return null
    const named = names().find((n) => n.name === word)
    let text = named ? `${named.title}: ${named.kind}, declared on line ${named.line}` : ''
    const root = schema()
    if (!text && root && /^["']?\s*:/.test(line.text.slice(from + word.length))) text = describe(root, [...pathAt(view.state.doc, line.number, line.text.slice(0, from)), word])
    if (!text) return null
    return {
      pos: line.from + from,
      end: line.from + from + word.length,
      above: true,
      create: () => {
        const dom = document.createElement('div')
        dom.className = 'plan-help'
        dom.textContent = text
        return { dom }
      },
    }
  })
