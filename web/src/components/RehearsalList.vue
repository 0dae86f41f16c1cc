<script setup lang="ts">
import { computed, onScopeDispose, ref } from 'vue'

import { api, asPlan, dataOf, rehearsalPath, textAt, told, type Schemas } from '../api/client'
import { useRehearsals } from '../composables/resources'
import type { Draft } from '../composables/useDraft'
import type { DryRun } from '../composables/useDryRun'
import TroubleNote from './TroubleNote.vue'

const props = defineProps<{ draft: Draft; dryRun: DryRun }>()
const game = props.draft.game
const { data: list, error, reload } = useRehearsals(() => game)

const results = ref<Record<string, Schemas['RehearsalResult']>>({})
const running = ref(false)
const done = ref(0)
const trouble = ref('')
const failing = computed(() => Object.values(results.value).filter((r) => !r.passed).length)
let stopped = false
onScopeDispose(() => (stopped = true))

async function run(name: string) {
  const answer = await api.POST('/v1/games/{game}/rehearsals/{name}/run', { params: { path: { game, name } }, body: props.draft.changed.value ? { plan: props.draft.text.value } : {} })
  results.value = { ...results.value, [name]: dataOf(answer) }
}

async function runAll() {
  running.value = true
  stopped = false
  done.value = 0
  results.value = {}
  trouble.value = ''
  try {
    for (const r of list.value ?? []) {
      if (stopped) break
      await run(r.name)
      done.value++
    }
  } catch (e) {
    trouble.value = told(e)
  } finally {
    running.value = false
  }
}

const stop = () => (stopped = true)
const open = (name: string) => props.dryRun.open(name, results.value[name]?.failed[0]?.step || -1)

// Keeping the run that is in a dry run.
const title = ref('')
const kept = ref('')
const asking = ref(false)
const slug = computed(() => title.value.toLowerCase().normalize('NFKD').replace(/[^a-z0-9]+/g, '-').replace(/^-+|-+$/g, '').slice(0, 80))
const taken = computed(() => (list.value ?? []).some((r) => r.name === slug.value))

async function keep() {
  if (!slug.value) return
  try {
    const text = await props.dryRun.script(title.value.trim())
    dataOf(await api.PUT('/v1/games/{game}/rehearsals/{name}', { params: { path: { game, name: slug.value } }, ...asPlan(text) }))
    kept.value = `Kept as ${slug.value}.`
    asking.value = false
    title.value = ''
    trouble.value = ''
    await reload()
  } catch (e) {
    trouble.value = told(e)
  }
}

// What is deleted can be put back as long as the page is open.
const gone = ref<{ name: string; text: string }>()
async function drop(name: string) {
  try {
    const text = await textAt(rehearsalPath(game, name))
    const deleted = await api.DELETE('/v1/games/{game}/rehearsals/{name}', { params: { path: { game, name } } })
    if (!deleted.response.ok) throw new Error('It could not be deleted.')
    gone.value = { name, text }
    kept.value = ''
    await reload()
  } catch (e) {
    trouble.value = told(e)
  }
}

async function undrop() {
  const g = gone.value
  if (!g) return
  try {
    dataOf(await api.PUT('/v1/games/{game}/rehearsals/{name}', { params: { path: { game, name: g.name } }, ...asPlan(g.text) }))
    gone.value = undefined
    await reload()
  } catch (e) {
    trouble.value = told(e)
  }
}
</script>

<template>
  <section class="rehearsals" aria-label="Rehearsals">
    <div class="head">
      <h2>Rehearsals</h2>
      <v-btn v-if="!running" size="small" variant="outlined" :disabled="!list?.length" @click="runAll">Run all</v-btn>
      <v-btn v-else size="small" variant="outlined" @click="stop">Stop</v-btn>
      <v-btn size="small" color="primary" :disabled="!dryRun.steps.value.length" @click="asking = !asking">Keep this run</v-btn>
    </div>
    <form v-if="asking" class="keep" @submit.prevent="keep">
      <v-text-field v-model="title" label="What is rehearsed, in a few words" v-begin :hint="taken ? `In place of ${slug}` : 'What is seen now is what it will expect.'" persistent-hint />
      <v-btn type="submit" size="small" color="primary" :disabled="!slug">{{ taken ? 'Replace' : 'Keep' }}</v-btn>
    </form>
    <p v-if="kept" class="quiet small" role="status">{{ kept }}</p>
    <p v-if="gone" class="quiet small" role="status">{{ gone.name }} is deleted. <button type="button" class="link" @click="undrop">Undo</button></p>
    <TroubleNote :text="error || trouble" @retry="reload" />
    <v-progress-linear v-if="running" :model-value="(100 * done) / (list?.length || 1)" color="secondary" height="6" aria-label="Rehearsals played" />
    <p v-else-if="Object.keys(results).length" class="small" role="status" :class="failing ? 'bad' : 'good'">{{ failing ? `${failing} of ${Object.keys(results).length} fail` : `All ${Object.keys(results).length} go as expected` }}</p>
    <p v-if="list && !list.length" class="quiet small">None are kept yet. Try something in a dry run, and keep it: it is then checked against every later plan.</p>
    <ul v-else>
      <li v-for="r in list" :key="r.name" :class="{ here: dryRun.opened.value === r.name }">
        <button type="button" class="open" :title="r.name" @click="open(r.name)">
          <span v-if="results[r.name]" :class="results[r.name]?.passed ? 'good' : 'bad'">{{ results[r.name]?.passed ? '✓' : '✗' }}</span>
          {{ r.title }}
          <span v-if="results[r.name]?.failed.length" class="bad small">at step {{ results[r.name]?.failed[0]?.step }}: {{ results[r.name]?.failed[0]?.why }}</span>
        </button>
        <button type="button" class="drop quiet" :aria-label="`Delete ${r.title}`" title="Delete" @click="drop(r.name)">×</button>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.rehearsals {
  display: flex;
  flex-direction: column;
  min-height: 0;
}

.head {
  display: flex;
  align-items: center;
  gap: 6px;
  padding: 8px 10px;
  border-top: 1px solid var(--line);
  border-bottom: 1px solid var(--line);
}

h2 {
  flex: 1;
  font-size: 15px;
  margin: 0;
}

.keep {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 8px;
  align-items: start;
  padding: 10px;
}

.small {
  margin: 4px 10px;
  font-size: 14px;
}

ul {
  list-style: none;
  margin: 0;
  padding: 4px;
  overflow: auto;
}

li {
  display: flex;
  border-radius: 3px;
}

li:hover {
  background: var(--faint);
}

li.here {
  background: color-mix(in srgb, rgb(var(--v-theme-primary)) 13%, transparent);
}

.open {
  flex: 1;
  padding: 2px 8px;
  text-align: left;
  cursor: pointer;
}

.open .small {
  display: block;
  margin: 0;
}

.drop {
  padding: 0 8px;
  cursor: pointer;
}
</style>
