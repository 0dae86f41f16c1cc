<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, dataOf, type Schemas } from '../api/client'
import { useTrial } from '../composables/resources'
import SampleDiff from './SampleDiff.vue'

const props = defineProps<{ game: string; trial?: Schemas['TrialInfo']; etag: string; version: number }>()
const emit = defineEmits<{ changed: [] }>()

const route = useRoute()
const router = useRouter()
const whole = useTrial(() => props.game, () => props.trial?.trial ?? 0)
const now = computed(() => (whole.data.value?.etag === props.etag ? whole.data.value : undefined))
const running = computed(() => now.value?.state === 'running')
const result = computed(() => now.value?.result)
const trouble = ref('')
/** The outcome of which one save is looked at; it stands in the address. */
const sample = computed(() => String(route.query.sample ?? ''))
const look = (fate: string) => void router.replace({ query: { ...route.query, sample: sample.value === fate ? undefined : fate } })

const fates = [
  { id: 'unchanged', words: 'are of this version already' },
  { id: 'upgraded', words: 'are upgraded in full' },
  { id: 'put-right', words: 'are loaded with something corrected, kept or told' },
  { id: 'earlier', words: 'have an earlier save loaded instead' },
  { id: 'refused', words: 'are not loaded' },
] as const
const parts = computed(() => fates.map((f) => ({ ...f, n: result.value?.counts[f.id] ?? 0 })).filter((f) => f.n > 0))
const shown = computed(() => result.value?.samples.find((s) => s.fate === sample.value))

watch(
  () => now.value?.state,
  (state, before) => before === 'running' && state !== 'running' && emit('changed'),
)

async function ask(what: 'start' | 'stop' | 'go-on') {
  trouble.value = ''
  const path = { game: props.game, trial: now.value?.trial ?? 0 }
  try {
    if (what === 'start') dataOf(await api.POST('/v1/games/{game}/trials', { params: { path }, body: { made: 200, seed: 1 } }))
    if (what === 'stop') dataOf(await api.POST('/v1/games/{game}/trials/{trial}/stop', { params: { path } }))
    if (what === 'go-on') dataOf(await api.POST('/v1/games/{game}/trials/{trial}/go-on', { params: { path } }))
  } catch (e) {
    trouble.value = (e as Error).message
  }
  emit('changed')
  await whole.reload()
}

function left(seconds: number) {
  return seconds < 90 ? `${Math.ceil(seconds)} s` : `${Math.ceil(seconds / 60)} min`
}
</script>

<template>
  <section class="sheet trial" aria-label="Trial">
    <div class="head">
      <h2>Trial of version {{ version }}</h2>
      <span class="tools">
        <v-btn v-if="running" size="small" variant="outlined" @click="ask('stop')">Stop</v-btn>
        <v-btn v-else-if="now?.state === 'stopped'" size="small" color="primary" @click="ask('go-on')">Go on</v-btn>
        <v-btn v-if="!running" size="small" :variant="now ? 'outlined' : 'flat'" color="primary" @click="ask('start')">{{ now ? 'Try again' : 'Try it over every save' }}</v-btn>
      </span>
    </div>
    <p v-if="trouble" class="bad">{{ trouble }}</p>
    <p v-if="!now" class="quiet">Every stored save, and generated ones of each published version, are taken to the plan in work. Nothing is written.</p>
    <template v-else>
      <v-progress-linear v-if="running || now.state === 'stopped'" :model-value="(100 * now.done) / Math.max(1, now.total)" color="secondary" height="8" rounded />
      <p class="quiet small">
        {{ now.done.toLocaleString() }} of {{ now.total.toLocaleString() }} saves
        <template v-if="running && now.rate">, {{ Math.round(now.rate).toLocaleString() }} a second, {{ left(now.left ?? 0) }} left</template>
        <template v-if="now.state === 'stopped'">, stopped</template>
        <template v-if="now.error">: {{ now.error }}</template>
      </p>
      <div v-if="result && result.saves" class="bar" role="img" :aria-label="parts.map((p) => `${p.n} ${p.words}`).join(', ')">
        <span v-for="p in parts" :key="p.id" :class="['part', p.id]" :style="{ flexGrow: p.n }" />
      </div>
      <ul class="counts">
        <li v-for="p in parts" :key="p.id">
          <span :class="['dot', p.id]" /><strong class="mono">{{ p.n.toLocaleString() }}</strong> {{ p.words }}
          <button type="button" class="look" :aria-expanded="sample === p.id" @click="look(p.id)">{{ sample === p.id ? 'hide' : 'look at one' }}</button>
        </li>
      </ul>
      <p v-if="version > 1" class="small"><RouterLink class="link" :to="{ name: 'population', params: { game }, query: { beside: version - 1 } }">What all saves hold, before and after</RouterLink></p>
      <SampleDiff v-if="shown" :game="game" :title="`${shown.save}, of version ${shown.from}`" :before="shown.before" :after="shown.after" />
      <table v-if="result && result.cases.length" class="plain cases">
        <thead>
          <tr><th scope="col" class="number">Saves</th><th scope="col">What</th><th scope="col">Such as</th></tr>
        </thead>
        <tbody>
          <tr v-for="c in result.cases" :key="c.kind + c.name">
            <td class="number mono">{{ c.count.toLocaleString() }}</td>
            <td class="mono">{{ c.name }}<span class="quiet kind">{{ c.kind }}</span></td>
            <td>{{ c.reason }}; <strong>{{ c.instead }}</strong>.<span class="quiet kind">{{ c.save }}{{ c.option ? `, ${c.option}` : "" }}</span></td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
.trial {
  padding: 14px 16px;
}

.head {
  display: flex;
  justify-content: space-between;
  align-items: center;
  margin-bottom: 6px;
}

.tools {
  display: flex;
  gap: 8px;
}

h2 {
  font-size: 16px;
  margin: 0;
}

p {
  margin: 4px 0 8px;
}

.small {
  font-size: 14px;
}

.bar {
  display: flex;
  gap: 2px;
  height: 14px;
}

.part {
  min-width: 4px;
  border-radius: 2px;
}

.unchanged,
.upgraded {
  background: rgb(var(--v-theme-success));
}

.unchanged {
  opacity: 0.55;
}

.put-right,
.earlier {
  background: rgb(var(--v-theme-warning));
}

.earlier {
  opacity: 0.7;
}

.refused {
  background: rgb(var(--v-theme-error));
}

.counts {
  list-style: none;
  margin: 8px 0;
  padding: 0;
  line-height: 1.6;
}

.dot {
  display: inline-block;
  width: 10px;
  height: 10px;
  border-radius: 2px;
  margin-right: 8px;
}

.look {
  margin-left: 8px;
  font-size: 13px;
  color: rgb(var(--v-theme-primary));
  cursor: pointer;
  text-decoration: underline;
}

.cases {
  margin-top: 6px;
}

.cases td {
  vertical-align: top;
}

.kind {
  display: block;
  font-family: var(--body);
  font-size: 13px;
}
</style>
