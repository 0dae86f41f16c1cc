<script setup lang="ts">
import { computed, defineAsyncComponent, onScopeDispose, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { heard, type Schemas } from '../api/client'
import EmptyState from '../components/EmptyState.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useNames, useVersions } from '../composables/resources'
import { useResource } from '../composables/useResource'

// What all saves of the game hold: how often each value of each variable is there.
const SpreadChart = defineAsyncComponent(() => import('../components/SpreadChart.vue'))

const props = defineProps<{ game: string }>()
const route = useRoute()
const router = useRouter()
const { data: names } = useNames(() => props.game)
const { data: published } = useVersions(() => props.game)

/** What is picked stands in the address. */
const picked = (key: string) => computed({ get: () => (route.query[key] ? String(route.query[key]) : null), set: (v: string | null) => void router.replace({ query: { ...route.query, [key]: v || undefined } }) })
const scene = picked('scene')
const checkpoint = picked('checkpoint')
const milestone = picked('milestone')
const version = picked('version')
const saved = picked('saved')
const beside = picked('beside')
const show = picked('show')
const find = ref('')

type Counted = Schemas['Population']

/** Under which versions the saves were written that hold what nothing in the plan gives. */
const writtenUnder = computed(() => Object.entries(figure.value?.beyond?.versions ?? {}).map(([version, n]) => `${n} under version ${version}`).join(', '))

/** Days since which, or before which, a save was written. */
const times = [
  { title: 'in the last day', value: '1' },
  { title: 'in the last week', value: '7' },
  { title: 'in the last 30 days', value: '30' },
  { title: 'more than 30 days ago', value: '-30' },
  { title: 'more than 90 days ago', value: '-90' },
]
/** What is asked for, as the query of an address. */
function asked(under: string): string {
  const q = new URLSearchParams()
  const days = Number(saved.value)
  if (days) q.set(days > 0 ? 'after' : 'before', new Date(Date.now() - Math.abs(days) * 86_400_000).toISOString())
  for (const [key, value] of Object.entries({ scene: scene.value, checkpoint: checkpoint.value, milestone: milestone.value, version: version.value, under })) if (value) q.set(key, value)
  return q.toString()
}

const progress = ref<{ looked: number; all: number }>()
const waiting = ref(false)
let counting: AbortController | undefined
onScopeDispose(() => counting?.abort())
const { data, error, reload } = useResource(
  async () => {
    counting?.abort()
    const mine = (counting = new AbortController())
    const count = async (under: string) => {
      const last = await heard<{ looked: number; all: number; counted?: Counted }>(`/v1/games/${encodeURIComponent(props.game)}/population/events?${asked(under)}`, mine.signal, (now) => (progress.value = now))
      if (!last?.counted) throw new Error('The saves were not counted to the end. Try again.')
      return last.counted
    }
    waiting.value = true
    try {
      return { now: await count(''), beside: beside.value ? await count(beside.value) : undefined }
    } catch (e) {
      // What was asked for since then is under way.
      if (mine.signal.aborted) return new Promise<{ now: Counted; beside?: Counted }>(() => undefined)
      throw e
    } finally {
      if (mine === counting) waiting.value = false
    }
  },
  () => [props.game, scene.value, checkpoint.value, milestone.value, version.value, saved.value, beside.value],
)
const all = computed(() => data.value?.now)

const of = (kind: string) => (names.value ?? []).filter((n) => n.kind === kind).map((n) => ({ title: n.title || n.name, value: n.name }))
const versions = computed(() => Object.keys(all.value?.versions ?? {}).map(Number).sort((a, b) => a - b))
const known = ref<number[]>([])
watch(versions, (now) => !version.value && (known.value = now))
const figures = computed(() => (all.value?.spreads ?? []).filter((f) => `${f.name} ${f.title}`.toLowerCase().includes(find.value.toLowerCase())))
const figure = computed(() => all.value?.spreads?.find((f) => f.name === show.value) ?? all.value?.spreads?.find((f) => f.type === 'number' && f.name !== 'player.visits') ?? all.value?.spreads?.[0])
/** The same under the version beside which it is looked at. */
const other = computed(() => data.value?.beside?.spreads?.find((f) => f.name === figure.value?.name))
/** What is told of the other version where it is another number. */
const was = (pick: (f: Schemas['Spread']) => number | undefined) => (other.value && figure.value && pick(other.value) !== pick(figure.value) ? `under version ${beside.value}: ${short(pick(other.value)) || '–'}` : '')

const low = ref('')
const high = ref('')
watch(() => figure.value?.name, () => (low.value = high.value = ''))
const numberOf = (text: string) => (text.trim() && Number.isFinite(Number(text)) ? Number(text) : undefined)
const cut = computed(() => {
  const f = figure.value
  const [a, b] = [numberOf(low.value), numberOf(high.value)]
  if (!f || f.type !== 'number' || (a === undefined && b === undefined)) return undefined
  let below = 0
  let above = 0
  for (const x of f.bars ?? []) {
    const width = x.to - x.from
    if (a !== undefined) below += x.to < a ? x.count : x.from < a && width > 0 ? Math.round((x.count * (a - x.from)) / width) : 0
    if (b !== undefined) above += x.from > b ? x.count : x.to > b && width > 0 ? Math.round((x.count * (x.to - b)) / width) : 0
  }
  return { below, above }
})

const short = (n?: number) => (n === undefined ? '' : Number(n.toPrecision(6)).toString())
const share = (n: number, f: Schemas['Spread']) => `${((100 * n) / Math.max(1, f.count)).toFixed(1)} %`
const quantile = (f: Schemas['Spread'], at: number) => f.quantiles?.find((q) => q.share === at)?.value

/** In a list of figures: eleven small bars. */
function spark(f: Schemas['Spread']) {
  const bars = f.bars ?? []
  if (f.type === 'words') return bars.slice(0, 11).map((b) => b.count)
  const out = Array.from({ length: 11 }, () => 0)
  const from = f.least ?? 0
  const width = ((f.most ?? 0) - from) / 11 || 1
  for (const b of bars) out[Math.min(10, Math.floor((b.from - from) / width))]! += b.count
  return out
}

const chart = ref<InstanceType<typeof SpreadChart> & { png?: () => string | undefined }>()
function keep(name: string, href: string) {
  const a = document.createElement('a')
  a.href = href
  a.download = name
  a.click()
}
function asPNG() {
  const href = chart.value?.png?.()
  if (href) keep(`${figure.value?.name}.png`, href)
}
function asCSV() {
  const f = figure.value
  if (!f) return
  const cell = (v: unknown) => (/[",\n]/.test(String(v)) ? `"${String(v).replace(/"/g, '""')}"` : String(v))
  const rows = [['name', 'value', 'from', 'to', 'saves'], ...(f.bars ?? []).map((b) => [f.name, b.value ?? '', f.type === 'words' ? '' : b.from, f.type === 'words' ? '' : b.to, b.count])]
  keep(`${f.name}.csv`, URL.createObjectURL(new Blob([rows.map((r) => r.map(cell).join(',')).join('\r\n') + '\r\n'], { type: 'text/csv' })))
}

/** Whose save an end is: wren/1. */
const leads = (save: string) => {
  const i = save.lastIndexOf('/')
  return i > 0 && /^\d+$/.test(save.slice(i + 1)) ? { name: 'player', params: { game: props.game, player: save.slice(0, i) }, query: { slot: save.slice(i + 1) } } : undefined
}
</script>

<template>
  <div class="page">
    <div class="page-head">
      <div>
        <h1 class="page-title">What saves hold</h1>
        <p class="page-lead">
          The newest save of each slot, as it would be loaded under the plan as it is saved<template v-if="all">: {{ all.picked }} of {{ all.saves }} counted<template v-if="all.unread">; <span class="bad">{{ all.unread }} cannot be loaded and are left out</span></template></template>. What people wrote is measured, not shown.
        </p>
      </div>
    </div>
    <div class="picks">
      <v-select v-model="scene" :items="of('scene')" label="Players in" clearable hide-details />
      <v-select v-if="of('checkpoint').length" v-model="checkpoint" :items="of('checkpoint')" label="who have reached" clearable hide-details />
      <v-select v-if="of('milestone').length" v-model="milestone" :items="of('milestone')" label="who have earned" clearable hide-details />
      <v-select v-if="known.length > 1 || version" v-model="version" :items="known.map((v) => ({ title: `version ${v}`, value: String(v) }))" label="saved under" clearable hide-details />
      <v-select v-model="saved" :items="times" label="last saved" clearable hide-details />
      <v-select v-if="published?.published.length" v-model="beside" :items="published.published.map((v) => ({ title: `version ${v.version}`, value: String(v.version) }))" label="beside" clearable hide-details />
    </div>
    <TroubleNote :text="error" @retry="reload" />
    <v-progress-linear v-if="waiting && progress && progress.all > 2000" :model-value="(100 * progress.looked) / progress.all" color="secondary" height="6" class="mb-3" :aria-label="`${progress.looked} of ${progress.all} saves counted`" />
    <WaitingNote v-if="waiting && !data" :text="progress && progress.all > 2000 ? `Counting every save: ${progress.looked.toLocaleString()} of ${progress.all.toLocaleString()} …` : 'Counting every save …'" />
    <EmptyState v-else-if="all && !all.picked" :title="all.saves ? 'No save is so' : 'Nobody has a save yet'">
      {{ all.saves ? 'Pick less, or something else.' : 'As soon as somebody is saved, what they have is counted here.' }}
    </EmptyState>
    <div v-else-if="all && figure" class="beside" :class="{ old: waiting }">
      <nav class="sheet list" aria-label="What is counted">
        <v-text-field v-model="find" label="Find" density="compact" hide-details class="find" />
        <button v-for="f in figures" :key="f.name" type="button" :aria-current="f.name === figure.name" @click="show = f.name">
          <span><b>{{ f.title }}</b><span class="quiet mono">{{ f.name }}</span><small v-if="f.beyond" class="bad">{{ f.beyond.count }} given by no rule</small></span>
          <svg viewBox="0 0 44 18" aria-hidden="true"><rect v-for="(n, i) in spark(f)" :key="i" :x="i * 4" :width="3" :height="n ? Math.max(1.5, (18 * n) / Math.max(...spark(f))) : 0" :y="18 - (n ? Math.max(1.5, (18 * n) / Math.max(...spark(f))) : 0)" /></svg>
        </button>
      </nav>
      <section class="sheet one">
        <div class="head">
          <h2>{{ figure.title }} <span class="mono quiet">{{ figure.name }}</span></h2>
          <span class="tools"><button type="button" class="link" @click="asPNG">PNG</button><button type="button" class="link" @click="asCSV">CSV</button></span>
        </div>
        <SpreadChart ref="chart" :figure="figure" :other="other" :under="Number(beside) || undefined" :low="numberOf(low)" :high="numberOf(high)" :versions="versions" />
        <p v-if="other" class="quiet small">Filled: under the plan in work. Outlined: under version {{ beside }}.</p>
        <p v-else-if="beside" class="quiet small">Version {{ beside }} has nothing of it.</p>
        <p v-else-if="versions.length > 1 && figure.exact" class="quiet small">Stacked by the version that saves were written under: {{ versions.join(', ') }}, from below.</p>
        <dl>
          <div><dt>Have a value</dt><dd>{{ figure.count }} <small class="quiet">{{ was((f) => f.count) }}</small></dd></div>
          <div v-if="figure.none || other?.none"><dt>None</dt><dd>{{ figure.none }} <small class="quiet">{{ was((f) => f.none) }}</small></dd></div>
          <template v-if="figure.type !== 'words' && figure.least !== undefined">
            <div><dt>Least</dt><dd>{{ short(figure.least) }} <small class="quiet">{{ was((f) => f.least) }}</small></dd></div>
            <div><dt>A quarter below</dt><dd>{{ short(quantile(figure, 0.25)) }} <small class="quiet">{{ was((f) => quantile(f, 0.25)) }}</small></dd></div>
            <div><dt>Half below</dt><dd>{{ short(quantile(figure, 0.5)) }} <small class="quiet">{{ was((f) => quantile(f, 0.5)) }}</small></dd></div>
            <div><dt>Nine tenths below</dt><dd>{{ short(quantile(figure, 0.9)) }} <small class="quiet">{{ was((f) => quantile(f, 0.9)) }}</small></dd></div>
            <div><dt>Most</dt><dd>{{ short(figure.most) }} <small class="quiet">{{ was((f) => f.most) }}</small></dd></div>
            <div><dt>On average</dt><dd>{{ short(figure.mean) }} <small class="quiet">{{ was((f) => f.mean) }}</small></dd></div>
          </template>
          <div v-if="figure.min !== undefined"><dt>On the limits {{ short(figure.min) }}, {{ short(figure.max) }}</dt><dd>{{ figure.at_min }}, {{ figure.at_max }}</dd></div>
          <div v-if="figure.missing || figure.misfits"><dt>Corrected when loaded</dt><dd class="bad">{{ figure.missing + figure.misfits }}</dd></div>
        </dl>
        <p class="quiet small">{{ figure.exact ? `${figure.distinct === 1 ? 'One value' : `${figure.distinct} different values`}; every figure is exact.` : '' }} {{ figure.error }}</p>
        <div v-if="figure.type === 'number'" class="try">
          <span>A narrower range would be</span>
          <v-text-field v-model="low" label="from" density="compact" hide-details class="mono" />
          <v-text-field v-model="high" label="to" density="compact" hide-details class="mono" />
          <span v-if="cut" role="status"><b :class="{ bad: cut.below + cut.above }">{{ figure.exact ? '' : 'about ' }}{{ cut.below + cut.above }}</b> of {{ figure.count }} saves cut off ({{ cut.below }} below, {{ cut.above }} above; {{ share(cut.below + cut.above, figure) }})</span>
        </div>
        <table v-if="figure.type === 'words'" class="plain">
          <thead><tr><th scope="col">Value</th><th scope="col" class="number">Saves</th><th scope="col" class="number">Of those with a value</th><th scope="col">Such as</th></tr></thead>
          <tbody><tr v-for="b in (figure.bars ?? []).slice(0, 60)" :key="b.value"><td>{{ b.value }} <span v-if="b.no_way" class="bad">a complete search of the plan found no way to it</span></td><td class="number mono">{{ b.count }}</td><td class="number mono">{{ share(b.count, figure) }}</td><td><RouterLink v-if="b.save && leads(b.save)" class="link" :to="leads(b.save)!">{{ b.save }}</RouterLink><template v-else>{{ b.save }}</template></td></tr></tbody>
        </table>
        <template v-if="figure.beyond">
          <p><b class="bad">Nothing in this plan gives what {{ figure.beyond.count === 1 ? 'one save has' : `${figure.beyond.count} saves have` }}.</b> {{ figure.beyond.given ? `Its rules give ${figure.beyond.given}.` : 'Its rules never put anything into it.' }} An earlier version, support or the game's own code may have written it: {{ writtenUnder }}.</p>
          <table class="plain">
            <thead><tr><th scope="col">Given by no rule</th><th scope="col">In the save of</th></tr></thead>
            <tbody><tr v-for="b in figure.beyond.saves" :key="b.value"><td class="mono">{{ b.value }}</td><td><RouterLink v-if="leads(b.save)" class="link" :to="leads(b.save)!">{{ b.save }}</RouterLink><template v-else>{{ b.save }}</template></td></tr></tbody>
          </table>
        </template>
        <table v-if="figure.ends?.length" class="plain">
          <thead><tr><th scope="col" class="number">At the ends</th><th scope="col">In the save of</th><th scope="col"><span class="hidden">Note</span></th></tr></thead>
          <tbody>
            <tr v-for="e in figure.ends" :key="e.value">
              <td class="number mono">{{ short(e.value) }}</td>
              <td><RouterLink v-if="leads(e.save)" class="link" :to="leads(e.save)!">{{ e.save }}</RouterLink><template v-else>{{ e.save }}</template></td>
              <td><span v-if="e.far" class="bad">far from all others</span></td>
            </tr>
          </tbody>
        </table>
      </section>
    </div>
  </div>
</template>

<style scoped>
.picks {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  margin-bottom: 14px;
}

.picks > :deep(.v-input) {
  flex: 1 1 150px;
  max-width: 220px;
}

.beside {
  display: grid;
  grid-template-columns: 320px minmax(0, 1fr);
  gap: 16px;
  align-items: start;
}

.old {
  opacity: 0.6;
}

@media (max-width: 900px) {
  .beside {
    grid-template-columns: minmax(0, 1fr);
  }

  .list {
    max-height: 240px !important;
  }
}

.list {
  max-height: calc(100vh - 260px);
  overflow: hidden auto;
}

.find {
  margin: 10px 12px;
}

.list button {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 10px;
  width: 100%;
  padding: 7px 12px;
  text-align: left;
  border-top: 1px solid var(--line);
  cursor: pointer;
}

.list button:hover,
.list button[aria-current='true'] {
  background: var(--faint);
}

.list b {
  font-weight: 500;
}

.list .mono {
  display: block;
  font-size: 12.5px;
}

svg {
  flex: none;
  width: 66px;
  height: 26px;
  fill: rgb(var(--v-theme-primary));
}

.one {
  padding: 14px 18px;
}

.head {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
}

h2 {
  font-size: 18px;
  margin: 0 0 8px;
}

h2 .mono {
  font-size: 14px;
  font-weight: 400;
}

.tools {
  display: flex;
  gap: 14px;
}

.link {
  color: rgb(var(--v-theme-primary));
  cursor: pointer;
}

.link:hover {
  text-decoration: underline;
}

dl {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 28px;
  margin: 8px 0;
}

dt {
  font-size: 13px;
  color: rgb(var(--v-theme-quiet));
}

dd {
  margin: 0;
  font-size: 17px;
}

.try {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 10px;
  margin: 10px 0;
}

.try > :deep(.v-input) {
  flex: 0 0 120px;
}

table {
  margin-top: 10px;
}

.hidden {
  position: absolute;
  clip-path: inset(50%);
}
</style>
