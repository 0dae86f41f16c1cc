import { computed, inject, provide, ref, watch, type InjectionKey } from 'vue'

import { api, asPlan, dataOf, type Finding, type Schemas } from '../api/client'
import { at, pathOf, pointer, sameWhere, type Schema, type Table, type Value } from '../planForm'
import { reach } from './connection'
import { useOfDraft, type Draft } from './useDraft'

function makePlanForm(draft: Draft) {
  const root = ref<Schema>()
  const trouble = ref('')
  const names = ref<Schemas['Named'][]>([])
  const { data: outline, stale, error, reload } = useOfDraft(draft, async (text) => dataOf(await api.POST('/v1/outline', asPlan(text))), true)
  void reach('/v1/schema')
    .then(async (answer) => (root.value = (await answer.json()) as Schema))
    .catch(() => (trouble.value = 'What a plan can say could not be read. Load the page again.'))
  // While the plan has errors, those are known that it had before.
  watch(outline, (now) => now?.names.length && (names.value = now.names))

  // What is as it was stays the very same, so that only what has changed is drawn anew.
  const document = computed<Value | undefined>((before) => sameWhere(before, outline.value?.document as Value | undefined))
  const says = computed(() => new Map((outline.value?.says ?? []).map((s) => [s.at, s.text])))
  /** The sentences of each rule. */
  const lines = computed(() => {
    const out = new Map<string, Schemas['Sentence'][]>()
    for (const s of outline.value?.says ?? []) {
      const rule = pointer(pathOf(s.at).slice(0, 2))
      const known = out.get(rule)
      if (known) known.push(s)
      else out.set(rule, [s])
    }
    return out
  })
  const findings = computed(() => {
    const out = new Map<string, Finding[]>()
    for (const f of draft.findings.value) if (!f.accepted) out.set(f.pointer, [...(out.get(f.pointer) ?? []), f])
    return out
  })
  const variables = computed(() => names.value.filter((n) => n.kind === 'variable'))
  /** What is done is named by what it is about, so that Undo says it. */
  const put = (path: string[], value: Value) => draft.edit(path.join(' '), { do: 'put', path, value })
  const insert = (path: string[], value: Value) => draft.edit(`${path.slice(0, -1).join(' ')}: one more`, { do: 'insert', path, value })
  // What is about an item by its number is done only when the change before it is: a second press is not about another item.
  const settled = (edit: () => Promise<boolean>) => (draft.busy.value ? Promise.resolve(false) : edit())
  const remove = (path: string[]) => settled(() => draft.edit(`${path.join(' ')} taken out`, { do: 'remove', path }))
  const order = (path: string[], to: number) => settled(() => draft.edit(`${path.join(' ')} moved`, { do: 'order', path, to: String(to) }))
  function rename(path: string[], to: string) {
    const variable = path[0] === 'variables' ? variables.value.find((n) => n.name.split('.').at(-1) === path[1])?.name : undefined
    return draft.edit(`${path.join(' ')} is called ${to}`, variable ? { do: 'rename', name: variable, to } : { do: 'rename', path, to })
  }

  /** Names that can stand in a field, by what its schema says of it: "the name of: spot or waymark". */
  function namesFor(comment: string | undefined, examples: string[] | undefined): { name: string; title: string }[] {
    const kinds = /^the name of: (.*)$/.exec(comment ?? '')?.[1]?.split(' or ') ?? []
    return [...names.value.filter((n) => kinds.includes(n.kind)).map((n) => ({ name: n.name, title: n.type ? `${n.title}: ${n.type}` : n.title })), ...(examples ?? []).map((name) => ({ name, title: '' }))]
  }
  /** The arguments of the events that what stands at a path is about: of the event itself, and of those that a rule waits for. */
  function argsAt(path: string[]): { name: string; title: string; type: string }[] {
    const on = path[0] === 'rules' ? at(document.value, [...path.slice(0, 2), 'on']) : path[0] === 'events' ? path[1] : undefined
    const out: { name: string; title: string; type: string }[] = []
    for (const event of Array.isArray(on) ? on : [on]) {
      const args = typeof event === 'string' ? at(document.value, ['events', event, 'args']) : undefined
      for (const [id, of] of Object.entries((args ?? {}) as Table)) out.push({ name: `args.${id}`, title: `of ${String(event)}`, type: typeof of === 'string' ? of : String((of as Table | null)?.type ?? '') })
    }
    return out
  }
  const none: Finding[] = []
  const findingsAt = (path: string[]) => findings.value.get(pointer(path)) ?? none
  const saysAt = (path: string[]) => says.value.get(pointer(path)) ?? ''

  return { draft, root, trouble, names, variables, outline, document, says, lines, stale, error, reload, put, remove, insert, order, rename, namesFor, argsAt, findingsAt, saysAt }
}

export type PlanForm = ReturnType<typeof makePlanForm>
const key: InjectionKey<PlanForm> = Symbol('the plan as a form')

/** The plan of a draft as forms show it, for a page and all that stands on it. */
export function usePlanForm(draft: Draft): PlanForm {
  const form = makePlanForm(draft)
  provide(key, form)
  return form
}

/** The form that this stands on. */
export const useForm = () => inject(key)!
