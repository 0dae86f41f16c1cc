<script setup lang="ts">
import { computed, ref, useId, watch } from 'vue'

import { useForm } from '../composables/usePlanForm'
import { beginning, itemOf, keysOf, pasted, shapeOf, shapes, shownValue, spaced, valueOf, type Schema, type Table, type Value } from '../planForm'
import ExpressionField from './ExpressionField.vue'
import RuleSentence from './RuleSentence.vue'

// Something of the plan, whatever it is, as a form: a field for what is one word, and what stands within it for a list or
// a table. It is put together from the schema of plans, so that there is nothing that no form can write.
const props = defineProps<{ schema: Schema; value: Value | undefined; path: string[]; label?: string; /** It may be taken out. */ loose?: boolean }>()

const form = useForm()
const id = useId()
const all = computed(() => (form.root.value ? shapes(form.root.value, props.schema) : []))
const shape = computed(() => shapeOf(all.value, props.value))
const table = computed(() => (typeof props.value === 'object' && props.value !== null && !Array.isArray(props.value) ? (props.value as Table) : {}))
const items = computed(() => (Array.isArray(props.value) ? props.value : []))
const findings = computed(() => form.findingsAt(props.path))
const sentence = computed(() => form.saysAt(props.path))
/** Paths of what stands within it: the same ones each time, so that it is drawn anew only where it has changed. */
const paths = computed(() => {
  const known = new Map<string, string[]>()
  return (key: string) => {
    let path = known.get(key)
    if (!path) known.set(key, (path = [...props.path, key]))
    return path
  }
})

// A field follows the plan, but for what is being typed.
const text = ref(shownValue(props.value))
/** What was written last: the plan may not have come back yet with it. */
let written = text.value
watch(() => shownValue(props.value), (now) => (text.value = written = now))
const offered = computed(() => {
  const s = shape.value
  if (!s) return []
  return form.namesFor(s.schema.$comment, s.schema.examples)
})

function write() {
  const s = shape.value
  if (!s || text.value === written) return
  written = text.value
  if (text.value.trim() === '' && props.loose) void form.remove(props.path)
  else void form.put(props.path, valueOf(s, text.value))
}

/** Writes it in another way: what stood there is taken along where it can be. */
function turn(label: string) {
  const next = all.value.find((s) => s.label === label)
  if (!next || !form.root.value) return
  let value = beginning(form.root.value, next)
  if (next.kind === 'list' && !next.schema.prefixItems && props.value !== undefined && !Array.isArray(props.value)) value = [props.value]
  else if (next.kind === 'table' && shape.value?.kind === 'table') {
    const kept = Object.entries(table.value).filter(([k]) => next.keys?.includes(k) && !(next.verb !== shape.value?.verb && k === next.verb))
    value = { ...(value as Table), ...Object.fromEntries(kept) }
  } else if (next.kind !== 'list' && next.kind !== 'table' && Array.isArray(props.value) && props.value.length && typeof props.value[0] !== 'object') value = props.value[0]!
  void form.put(props.path, value)
}

const could = computed(() => (shape.value?.kind === 'table' ? keysOf(shape.value, table.value) : { there: [], could: [] }))
const inner = (key: string): Schema => shape.value?.schema.properties?.[key] ?? (typeof others.value === 'object' ? others.value : {})
const others = computed(() => {
  const more = shape.value?.schema.additionalProperties
  return typeof more === 'object' ? more : undefined
})
/** Keys that the plan names itself: of its events, lists, options. */
const own = computed(() => (others.value ? Object.keys(table.value).filter((k) => !(k in (shape.value?.schema.properties ?? {}))) : []))
const labelOf = (key: string) => inner(key).title ?? spaced(key)
const isNeeded = (key: string) => (shape.value?.schema.required ?? []).includes(key)

function start(schema: Schema): Value {
  const first = form.root.value && shapes(form.root.value, schema)[0]
  return first && form.root.value ? beginning(form.root.value, first) : ''
}
const add = (key: string) => form.put([...props.path, key], start(inner(key)))

const named = ref('')
const pattern = computed(() => shape.value?.schema.propertyNames?.pattern)
const nameFits = computed(() => named.value !== '' && !(named.value in table.value) && (!pattern.value || new RegExp(pattern.value).test(named.value)))
function addNamed() {
  if (!nameFits.value || !others.value) return
  void form.put([...props.path, named.value], start(others.value))
  toggle(named.value, true)
  most.value = Math.max(most.value, own.value.length + 1)
  named.value = ''
}
/** The entries that are open: what stands within them is drawn only then. */
const opened = ref(new Set<string>())
function toggle(key: string, open: boolean) {
  if (opened.value.has(key) === open) return
  const next = new Set(opened.value)
  if (open) next.add(key)
  else next.delete(key)
  opened.value = next
}
// What was one word and is written in detail now stays in sight.
watch(table, (now, before) => {
  for (const key of own.value) if (key in before && isPlain(before[key]) && !isPlain(now[key])) toggle(key, true)
})
/** Of a list: it has just these items, each with a meaning of its own. */
const fixed = computed(() => shape.value?.schema.prefixItems !== undefined)
/** How many entries are drawn at first. */
const most = ref(200)

const addItem = () => form.insert([...props.path, String(items.value.length)], start(shape.value?.schema.items ?? {}))
const isPlain = (v: Value | undefined) => v === undefined || v === null || typeof v !== 'object'
const glance = (v: Value | undefined): string => {
  if (isPlain(v)) return shownValue(v)
  if (Array.isArray(v)) return v.every(isPlain) ? v.map(shownValue).join(', ') : v.length === 1 ? 'one entry' : `${v.length} entries`
  const title = (v as Table).title
  if (typeof title === 'string') return title
  const words = Object.entries(v as Table).map(([k, x]) => (isPlain(x) ? `${spaced(k).toLowerCase()} ${shownValue(x)}` : spaced(k).toLowerCase()))
  return words.slice(0, 6).join(', ') + (words.length > 6 ? ' …' : '')
}

// Rows that were copied out of a table elsewhere come in at once: items of a list, or entries by the id in their first cell.
const pasting = ref(false)
/** Of a list: its items may be single values. */
const rowsFit = computed(() => form.root.value !== undefined && shapes(form.root.value, shape.value?.schema.items ?? {}).some((s) => s.kind !== 'table' && s.kind !== 'list'))
const rows = ref('')
const told = ref('')
async function paste() {
  const s = shape.value
  if (!s || !rows.value.trim() || !form.root.value) return
  const list = s.kind === 'list'
  const inside = list ? (s.schema.items ?? {}) : (others.value ?? {})
  const plain = !shapes(form.root.value, inside).some((x) => x.kind === 'table' || x.kind === 'list')
  const known = list ? items.value.filter(isPlain).map(shownValue) : Object.keys(table.value)
  const { keys, values, left } = pasted(rows.value, list, known, plain)
  const edits = keys.map((key, i) => (list ? { do: 'insert' as const, path: [...props.path, String(items.value.length + i)], value: values[i]! } : { do: 'put' as const, path: [...props.path, key], value: values[i]! }))
  if (!edits.length) {
    told.value = left.length ? `All of these are there already: ${left.slice(0, 5).join(', ')}.` : 'There is no row in that.'
    return
  }
  if (!(await form.draft.edit(`${props.path.join(' ')}: ${edits.length} pasted`, ...edits))) return
  told.value = left.length ? `Left out, since they are there already: ${left.slice(0, 5).join(', ')}${left.length > 5 ? ` and ${left.length - 5} more` : ''}.` : ''
  pasting.value = false
  rows.value = ''
}

/** What is called something else is called so wherever the plan names it; what stands deeper has no name of its own. */
const renaming = ref('')
const called = ref('')
function call(key: string) {
  if (called.value && called.value !== key) void form.rename([...props.path, key], called.value)
  renaming.value = ''
}
</script>

<template>
  <div v-if="shape" class="plan-field" :class="[shape.kind, { bad: findings.some((f) => f.severity === 'error') }]">
    <div class="top">
      <label v-if="label" :for="id" :title="shape.schema.description">{{ label }}</label>
      <select v-if="all.length > 1" :value="shape.label" :aria-label="`${label ?? path.slice(-2).join(' ')}: how it is written`" @change="turn(($event.target as HTMLSelectElement).value)">
        <option v-for="s in all" :key="s.label" :value="s.label">{{ s.verb ? spaced(s.label) : s.label }}</option>
      </select>
      <button v-if="loose" type="button" class="link out" :aria-label="`Take out ${label ?? path.at(-1)}`" @click="form.remove(path)">take out</button>
    </div>
    <p v-if="sentence" class="says"><RuleSentence :text="sentence" /></p>

    <select v-if="shape.kind === 'choice'" :id="id" :value="shownValue(value)" @change="form.put(path, ($event.target as HTMLSelectElement).value)">
      <option v-if="value === undefined || value === ''" value="" />
      <option v-for="o in shape.schema.enum" :key="String(o)" :value="String(o)">{{ o }}</option>
    </select>
    <input v-else-if="shape.kind === 'flag'" :id="id" type="checkbox" :checked="value === true" @change="form.put(path, ($event.target as HTMLInputElement).checked)" />
    <ExpressionField v-else-if="shape.kind === 'expression'" :id="id" v-model="text" :label="label ? undefined : path.join(' ')" :variables="form.variables.value" :more="form.argsAt(path)" @write="write" />
    <template v-else-if="shape.kind === 'word' || shape.kind === 'number'">
      <input :id="id" v-model="text" class="text" :class="{ mono: shape.kind !== 'word' || offered.length }" :list="offered.length ? `${id}-names` : undefined" :aria-label="label ? undefined : path.join(' ')" :spellcheck="shape.kind === 'word'" autocomplete="off" @change="write" @keydown.enter.prevent="write" />
      <datalist v-if="offered.length" :id="`${id}-names`"><option v-for="n in offered" :key="n.name" :value="n.name">{{ n.title }}</option></datalist>
    </template>

    <ol v-else-if="shape.kind === 'list'" class="items">
      <li v-for="(item, i) in items.slice(0, most)" :key="i">
        <PlanField :schema="itemOf(shape, i) ?? {}" :value="item" :path="paths(String(i))" />
        <span v-if="!fixed" class="item-tools">
          <button type="button" class="link" :disabled="i === 0" :aria-label="`Item ${i + 1} up`" title="Up" @click="form.order([...path, String(i)], i - 1)">↑</button>
          <button type="button" class="link" :disabled="i === items.length - 1" :aria-label="`Item ${i + 1} down`" title="Down" @click="form.order([...path, String(i)], i + 1)">↓</button>
          <button type="button" class="link" :aria-label="`Take out item ${i + 1}`" title="Take out" @click="form.remove([...path, String(i)])">×</button>
        </span>
      </li>
      <li v-if="items.length > most" class="more"><button type="button" class="link" @click="most += 1000">Show more: there are {{ items.length }}</button></li>
      <li v-if="!fixed" class="more"><span class="item-tools"><button type="button" class="link" @click="addItem">One more</button><button v-if="rowsFit" type="button" class="link" @click="pasting = !pasting">Paste rows</button></span></li>
    </ol>

    <div v-else class="keys">
      <PlanField v-for="key in could.there" :key="key" :schema="inner(key)" :value="table[key]" :path="paths(key)" :label="labelOf(key)" :loose="!isNeeded(key)" />
      <template v-for="key in own.slice(0, most)" :key="key">
        <PlanField v-if="isPlain(table[key])" :schema="inner(key)" :value="table[key]" :path="paths(key)" loose :label="key" />
        <details v-else :open="opened.has(key)" @toggle="(e) => toggle(key, (e.target as HTMLDetailsElement).open)">
          <summary><span class="mono">{{ key }}</span> <span class="quiet">{{ glance(table[key]) }}</span></summary>
          <form v-if="path.length === 1 && renaming === key" class="call" @submit.prevent="call(key)">
            <input v-model="called" class="text mono" :aria-label="`Another id for ${key}`" autocomplete="off" /> <button type="submit">Rename</button>
          </form>
          <button v-else-if="path.length === 1" type="button" class="link rename" @click="((renaming = key), (called = key))">rename</button>
          <PlanField v-if="opened.has(key)" :schema="inner(key)" :value="table[key]" :path="paths(key)" loose :label="key" />
        </details>
      </template>
      <button v-if="own.length > most" type="button" class="link" @click="most += 1000">Show more: there are {{ own.length }}</button>
      <div v-if="others || could.could.length" class="adds">
        <button v-for="key in could.could" :key="key" type="button" :title="inner(key).description" @click="add(key)">+ {{ labelOf(key).toLowerCase() }}</button>
        <form v-if="others" @submit.prevent="addNamed"><input v-model="named" class="text mono" :aria-label="`A new one of ${label ?? path.at(-1) ?? 'these'}: its id`" placeholder="new id" autocomplete="off" /> <button type="submit" :disabled="!nameFits">Add</button> <button type="button" @click="pasting = !pasting">Paste rows</button></form>
      </div>
    </div>

    <form v-if="pasting" class="paste" @submit.prevent="paste">
      <textarea v-model="rows" class="text mono" rows="5" :aria-label="`Rows for ${label ?? path.at(-1)}, as copied from a spreadsheet`" placeholder="Rows as copied from a spreadsheet. The first cell is the id; a first row of headings (id, title, …) says what the others are." />
      <button type="submit" :disabled="!rows.trim()">Put these in</button> <button type="button" @click="pasting = false">Leave it</button>
    </form>
    <p v-if="told" class="finding" role="status">{{ told }}</p>
    <p v-for="f in findings" :key="f.id + f.message" class="finding" :class="{ bad: f.severity === 'error' }">{{ f.message }} {{ f.do }}</p>
  </div>
</template>

<style scoped>
.plan-field {
  min-width: 0;
}

.top {
  display: flex;
  align-items: baseline;
  gap: 8px;
  flex-wrap: wrap;
}

.top > label {
  font-weight: 600;
  font-size: 14px;
}

.top > select {
  padding: 1px 4px;
  font-size: 13px;
  color: rgb(var(--v-theme-quiet));
}

.out {
  margin-left: auto;
  font-size: 13px;
  color: rgb(var(--v-theme-quiet));
}

.says {
  margin: 2px 0 4px;
  color: rgb(var(--v-theme-quiet));
}

.text {
  width: 100%;
  box-sizing: border-box;
  padding: 4px 8px;
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
  border-radius: 3px;
}

.bad > .text {
  border-color: rgb(var(--v-theme-error));
}

input[type='checkbox'] {
  accent-color: rgb(var(--v-theme-primary));
}

.items {
  margin: 4px 0 0;
  padding: 0;
  list-style: none;
  display: grid;
  gap: 8px;
}

.items > li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 8px;
  align-items: start;
}

.items > li:not(.more) {
  padding-left: 10px;
  border-left: 2px solid var(--line);
}

.item-tools {
  display: flex;
  gap: 8px;
}

.item-tools button {
  text-decoration: none;
  min-width: 14px;
}

button:disabled {
  opacity: 0.35;
  cursor: default;
}

.keys {
  display: grid;
  gap: 10px;
  margin-top: 4px;
}

.plan-field .plan-field .keys {
  padding-left: 10px;
}

summary {
  cursor: pointer;
  padding: 2px 0;
}

.adds {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
}

.adds > button,
.adds form button {
  color: rgb(var(--v-theme-primary));
  font-size: 13px;
  cursor: pointer;
}

.adds form {
  display: flex;
  gap: 8px;
}

.call {
  display: flex;
  gap: 8px;
  margin: 2px 0;
}

.call .text {
  width: 180px;
}

.rename {
  font-size: 13px;
  color: rgb(var(--v-theme-quiet));
}

.adds .text {
  width: 110px;
  padding: 1px 6px;
}

.paste button {
  color: rgb(var(--v-theme-primary));
  cursor: pointer;
}

.finding {
  margin: 3px 0 0;
  font-size: 14px;
}
</style>
