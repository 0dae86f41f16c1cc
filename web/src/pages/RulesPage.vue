<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import type { Schemas } from '../api/client'
import EmptyState from '../components/EmptyState.vue'
import PlanField from '../components/PlanField.vue'
import RuleSentence from '../components/RuleSentence.vue'
import StaleNote from '../components/StaleNote.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useDraft } from '../composables/useDraft'
import { usePlanForm } from '../composables/usePlanForm'
import { at, pathOf, pointer, schemaAt, type Table } from '../planForm'

const props = defineProps<{ game: string }>()
const draft = useDraft(props.game)
const form = usePlanForm(draft)
const { outline, document, stale, error, says, lines } = form
const route = useRoute()
const router = useRouter()

// What is picked, and what is looked for, stand in the address.
const picked = computed(() => String(route.query.at ?? ''))
const about = computed(() => String(route.query.about ?? ''))
const find = computed(() => String(route.query.find ?? ''))
function look(query: Record<string, string | undefined>) {
  const next = { ...route.query, ...query }
  void router.replace({ query: Object.fromEntries(Object.entries(next).filter(([, v]) => v)) })
}
const pick = (pointer: string) => look({ at: pointer })

const linesOf = (rule: string) => lines.value.get(rule) ?? []
type Rule = Schemas['RuleGlance']
const fits = (r: Rule, more: string) => (!about.value || r.changes.includes(about.value) || r.reads.includes(about.value)) && (!find.value || [more, ...linesOf(r.at).map((l) => l.text)].join(' ').toLowerCase().includes(find.value.toLowerCase()))
const shown = computed(() =>
  (outline.value?.groups ?? [])
    .map((g) => ({ ...g, says: g.event ? says.value.get(pointer(['events', g.event])) : undefined, all: g.rules.length }))
    .map((g) => ({ ...g, rules: g.rules.filter((r) => fits(r, `${g.title} ${g.says ?? ''}`)) }))
    .filter((g) => g.rules.length > 0 || (!about.value && g.all === 0 && `${g.title} ${g.says ?? ''}`.toLowerCase().includes(find.value.toLowerCase()))),
)
const count = computed(() => new Set(shown.value.flatMap((g) => g.rules.map((r) => r.at))).size)

const path = computed(() => pathOf(picked.value))
const value = computed(() => (picked.value ? at(document.value, path.value) : undefined))
const off = computed(() => at(value.value, ['off']) === true)
const schema = computed(() => (form.root.value && document.value !== undefined && value.value !== undefined ? schemaAt(form.root.value, path.value, document.value) : undefined))
const title = computed(() => (path.value[0] === 'events' ? `The event ${path.value[1]}` : path.value[0] === 'rules' ? (/^\d+$/.test(path.value[1] ?? '') ? `Rule ${Number(path.value[1]) + 1}` : `The rule ${path.value[1]}`) : path.value[0] === 'always' ? 'What always holds' : 'What players ask for'))

// Who comes by an address is shown what it names.
const stop = watch([shown, picked], async () => {
  await nextTick()
  window.document.querySelector('section .rule.here, section .head.here')?.scrollIntoView({ block: 'center' })
  if (shown.value.length) stop()
})

const always = computed(() => [...says.value].filter(([p]) => p.startsWith('/always/')))
const rules = computed(() => at(document.value, ['rules']))

/** A new rule stands behind all others, and waits for what was just looked at. */
async function addRule(event?: string) {
  const rule = { on: event ?? 'joined', do: [] }
  const list = rules.value
  if (list && !Array.isArray(list)) {
    let n = Object.keys(list as Table).length + 1
    while (`rule_${n}` in (list as Table)) n++
    if (await form.put(['rules', `rule_${n}`], rule)) pick(`/rules/rule_${n}`)
    return
  }
  const n = Array.isArray(list) ? list.length : 0
  if (await form.insert(['rules', String(n)], rule)) pick(`/rules/${n}`)
}

async function addEvent() {
  const events = (at(document.value, ['events']) ?? {}) as Table
  let n = 1
  while (`event_${n}` in events) n++
  if (await form.put(['events', `event_${n}`], { from: 'self' })) pick(`/events/event_${n}`)
}

async function addAlways() {
  const list = at(document.value, ['always'])
  const n = Array.isArray(list) ? list.length : 0
  if (await form.insert(['always', String(n)], 'true')) pick(`/always/${n}`)
}

async function takeOut() {
  if (await form.remove(path.value)) pick('')
}

/** What an event is called, while that is written. */
const called = ref('')
watch(picked, () => (called.value = path.value[1] ?? ''), { immediate: true })
async function call() {
  const to = called.value
  if (to && to !== path.value[1] && (await form.rename(path.value, to))) pick(pointer([path.value[0]!, to]))
}
</script>

<template>
  <div class="page">
    <div class="page-head">
      <div>
        <h1 class="page-title">Rules</h1>
        <p class="page-lead">What happens when, in sentences that follow the plan. Pick one to change it.</p>
      </div>
      <span class="page-tools">
        <v-btn variant="outlined" :disabled="!outline" @click="addEvent">Add an event</v-btn>
        <v-btn color="primary" :disabled="!outline" @click="addRule()">Add a rule</v-btn>
      </span>
    </div>
    <TroubleNote :text="error || form.trouble.value || (draft.ready.value ? '' : draft.error.value)" @retry="draft.ready.value ? form.reload() : draft.load()" />
    <StaleNote v-if="stale" :game="game" :draft="draft" what="rules" :shown="outline !== undefined" />
    <EmptyState v-if="outline && !outline.groups.length" title="Nothing happens yet">
      An event is what a game reports, a rule is what follows from it: “when a player sends Drink, 1 is taken from the player's Bottles”.
      <template #do><v-btn color="primary" @click="addEvent">Add the first event</v-btn></template>
    </EmptyState>
    <div v-else-if="outline" class="beside">
      <div>
        <div class="filters">
          <v-text-field :model-value="find" bg-color="surface" label="Find in the sentences" clearable hide-details @update:model-value="(v) => look({ find: v ?? undefined })" />
          <v-autocomplete :model-value="about || null" :items="form.variables.value.map((n) => ({ title: `${n.title} (${n.name})`, value: n.name }))" label="Everything about a variable" clearable hide-details @update:model-value="(v: string | null) => look({ about: v ?? undefined })" />
        </div>
        <p v-if="find || about" class="quiet" role="status">{{ count === 1 ? 'One rule' : `${count} rules` }}<template v-if="about"> that read or change <span class="mono">{{ about }}</span></template>.</p>
        <section v-for="g in shown" :key="g.title + (g.event ?? '')" class="sheet group" :aria-label="g.title">
          <button v-if="g.event" type="button" class="head" :class="{ here: picked === pointer(['events', g.event]) }" @click="pick(pointer(['events', g.event!]))">
            <RuleSentence :text="g.says ?? g.title" />
          </button>
          <h2 v-else class="head">{{ g.title }}</h2>
          <button v-for="r in g.rules" :key="r.at" type="button" class="rule" :class="{ here: picked === r.at }" @click="pick(r.at)">
            <RuleSentence v-for="l in linesOf(r.at)" :key="l.at" :text="l.text" :deep="l.deep" />
          </button>
          <p v-if="!g.rules.length" class="none quiet">Nothing follows from it. <button type="button" class="link" @click="addRule(g.event)">Add a rule</button></p>
        </section>
        <section v-if="!about" class="sheet group" aria-label="What always holds">
          <h2 class="head">What always holds</h2>
          <button v-for="[p, text] in always" :key="p" type="button" class="rule" :class="{ here: picked === p }" @click="pick(p)"><RuleSentence :text="text" /></button>
          <p class="none quiet">Whatever would break it is refused. <button type="button" class="link" @click="addAlways">Add one</button></p>
        </section>
        <section v-if="!about && !find" class="sheet group" aria-label="What players ask for">
          <button type="button" class="head" :class="{ here: picked === '/requests' }" @click="at(document, ['requests']) === undefined ? form.put(['requests'], {}).then(() => pick('/requests')) : pick('/requests')">What players may ask for: to move, pass, touch, start over</button>
        </section>
      </div>
      <aside v-if="schema && value !== undefined" class="sheet form" :aria-label="title">
        <h2>{{ title }}</h2>
        <form v-if="path.length === 2 && path[0] === 'events'" class="call" @submit.prevent="call">
          <input v-model="called" class="mono" aria-label="The event's id" autocomplete="off" /> <button type="submit" class="link">Rename</button>
        </form>
        <PlanField :key="picked" :schema="schema" :value="value" :path="path" />
        <p class="buttons">
          <button v-if="path[0] === 'events'" type="button" class="link" @click="addRule(path[1])">Add a rule for it</button>
          <button v-if="path[0] === 'rules' && path.length === 2" type="button" class="link" :aria-pressed="off" @click="off ? form.remove([...path, 'off']) : form.put([...path, 'off'], true)">{{ off ? 'Switch it on' : 'Switch it off for a try' }}</button>
          <button v-if="path.length === 2" type="button" class="link" @click="takeOut">Take it out of the plan</button>
        </p>
      </aside>
      <aside v-else class="sheet hint">
        <b>Pick a sentence</b>
        <p>Its moment, its condition and what it does can be chosen here. The plan’s text changes by just that.</p>
      </aside>
    </div>
    <WaitingNote v-else-if="!error && !draft.error.value && !stale" text="Reading the plan …" />
  </div>
</template>

<style scoped>
.beside {
  --side: 440px;
}

.filters {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
  margin-bottom: 12px;
}

.group {
  margin-bottom: 12px;
  overflow: hidden;
}

.head {
  display: block;
  width: 100%;
  margin: 0;
  padding: 8px 14px;
  font-size: 14px;
  font-weight: 600;
  text-align: left;
  background: var(--faint);
  border-bottom: 1px solid var(--line);
}

button.head,
.rule {
  cursor: pointer;
}

.rule {
  display: block;
  width: 100%;
  padding: 8px 14px;
  text-align: left;
}

.rule + .rule {
  border-top: 1px solid var(--line);
}

button.head:hover,
.rule:hover {
  background: color-mix(in srgb, rgb(var(--v-theme-secondary)) 12%, transparent);
}

.here {
  box-shadow: inset 3px 0 rgb(var(--v-theme-primary));
}

.none {
  margin: 0;
  padding: 8px 14px;
}

.form {
  position: sticky;
  top: 66px;
  max-height: calc(100vh - 140px);
  overflow: auto;
  padding: 14px 18px;
}

.form h2 {
  font-size: 17px;
  margin: 0 0 8px;
}

.call {
  display: flex;
  gap: 10px;
  margin-bottom: 10px;
}

.call input {
  padding: 3px 8px;
  border: 1px solid var(--line);
  border-radius: 3px;
}

.buttons {
  justify-content: space-between;
  margin: 16px 0 0;
}

/* Where there is no room beside the sentences, what is picked stays above them. */
@media (max-width: 1000px) {
  .form {
    order: -1;
    max-height: 48vh;
    z-index: 2;
  }
}

</style>
