<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import PlanPart from '../components/PlanPart.vue'
import StaleNote from '../components/StaleNote.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useDraft } from '../composables/useDraft'
import { usePlanForm } from '../composables/usePlanForm'
import { pathOf, spaced, type Table, type Value } from '../planForm'

// The whole plan as a form: a part of it is picked on the left, and can be changed on the right. What is picked stands in
// the address, as what findings point to.
const props = defineProps<{ game: string }>()
const draft = useDraft(props.game)
const form = usePlanForm(draft)
const { outline, document, root, stale, error } = form
const route = useRoute()
const router = useRouter()

const path = computed(() => pathOf(String(route.query.at ?? '/saving')))
const section = computed(() => path.value[0] ?? '')
const go = (part: string) => void router.replace({ query: { at: `/${part}` } })

const groups: [string, string[]][] = [
  ['The game', ['game', 'title', 'version', 'alluvion', 'start', 'space', 'reach', 'uses']],
  ['State', ['variables', 'defaults', 'lists', 'rosters', 'crossings']],
  ['Places and things', ['scenes', 'passages', 'checkpoints', 'waymarks', 'props', 'movables']],
  ['What happens', ['events', 'rules', 'always', 'requests', 'milestones', 'standings', 'goals', 'conserved']],
  ['Running it', ['session', 'saving', 'carriers', 'upgrades', 'formats']],
]
/** Parts that the list above does not know yet stand at its end: a form is there for everything that a plan can say. */
const parts = computed(() => {
  const all = Object.keys(root.value?.properties ?? {})
  const known = new Set(groups.flatMap(([, keys]) => keys))
  const rest = all.filter((k) => !known.has(k))
  return [...groups, ...(rest.length ? [['More', rest] as [string, string[]]] : [])].map(([title, keys]) => ({ title, keys: keys.filter((k) => all.includes(k)) }))
})
const plan = computed(() => (document.value ?? {}) as Table)
function size(v: Value | undefined): string {
  if (v === undefined) return ''
  if (typeof v !== 'object') return String(v)
  if (Array.isArray(v)) return String(v.length)
  return typeof v === 'object' && v !== null ? String(Object.keys(v).length) : ''
}

const trail = computed(() => path.value.map((key, i) => ({ key: /^\d+$/.test(key) ? `number ${Number(key) + 1}` : i ? key : spaced(key), to: `/${path.value.slice(0, i + 1).join('/')}` })))
</script>

<template>
  <div class="page">
    <div class="page-head">
      <div>
        <h1 class="page-title">The plan as a form</h1>
        <p class="page-lead">Everything that a plan can say. Each change is one of the text, by just that, and can be undone.</p>
      </div>
      <v-btn variant="outlined" :to="{ name: 'plan', params: { game } }">See the text</v-btn>
    </div>
    <TroubleNote :text="error || form.trouble.value || (draft.ready.value ? '' : draft.error.value)" @retry="draft.ready.value ? form.reload() : draft.load()" />
    <StaleNote v-if="stale" :game="game" :draft="draft" what="form" :shown="outline !== undefined" />
    <div v-if="outline && root" class="beside first">
      <nav class="sheet parts" aria-label="Parts of the plan">
        <section v-for="g in parts" :key="g.title">
          <h2>{{ g.title }}</h2>
          <button v-for="key in g.keys" :key="key" type="button" :class="{ here: key === section, quiet: !(key in plan) }" :aria-current="key === section ? 'true' : undefined" :title="root.properties?.[key]?.description" @click="go(key)">
            <span>{{ spaced(key) }}</span> <span class="quiet">{{ size(plan[key]) }}</span>
          </button>
        </section>
      </nav>
      <section class="sheet form" :aria-label="spaced(section)">
        <h2 class="trail"><template v-for="(t, i) in trail" :key="t.to"><span v-if="i"> · </span><RouterLink v-if="i < trail.length - 1" class="plain" :to="{ query: { at: t.to } }">{{ t.key }}</RouterLink><span v-else>{{ t.key }}</span></template></h2>
        <p v-if="path.length === 1" class="quiet">{{ root.properties?.[section]?.description }}</p>
        <PlanPart :path="path" />
      </section>
    </div>
    <WaitingNote v-else-if="!error && !draft.error.value && !stale" text="Reading the plan …" />
  </div>
</template>

<style scoped>
.beside {
  --side: 210px;
}

.parts {
  position: sticky;
  top: 66px;
  padding: 10px 0;
}

.parts h2 {
  margin: 8px 14px 2px;
  font-size: 13px;
  color: rgb(var(--v-theme-quiet));
}

.parts button {
  display: flex;
  justify-content: space-between;
  width: 100%;
  padding: 3px 14px;
  text-align: left;
  cursor: pointer;
}

.parts button:hover {
  background: var(--faint);
}

.parts .here {
  font-weight: 600;
  box-shadow: inset 3px 0 rgb(var(--v-theme-primary));
}

.form {
  padding: 14px 18px 18px;
}

.parts .quiet:last-child {
  max-width: 110px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.trail {
  font-size: 17px;
  margin: 0 0 6px;
}
</style>
