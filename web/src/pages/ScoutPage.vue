<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, dataOf, told, type Schemas } from '../api/client'
import EmptyState from '../components/EmptyState.vue'
import ScoutPlaces from '../components/ScoutPlaces.vue'
import ScoutRun from '../components/ScoutRun.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useScout } from '../composables/resources'

const props = defineProps<{ game: string }>()
const route = useRoute()
const router = useRouter()
const { data: info, error, reload } = useScout(() => props.game)
const report = computed(() => info.value?.report)
const running = computed(() => info.value?.state === 'running')
const trouble = ref('')

const players = ref(1)
const seconds = ref(60)
const server = ref(true)
const alone = ref(false)
const times = [
  { value: 10, title: '10 seconds' },
  { value: 60, title: 'a minute' },
  { value: 300, title: 'five minutes' },
]

async function start() {
  trouble.value = ''
  try {
    dataOf(await api.POST('/v1/games/{game}/scout', { params: { path: { game: props.game } }, body: { players: players.value, seconds: seconds.value, no_server: !server.value, alone: alone.value, states: seconds.value > 60 ? 400_000 : 200_000 } }))
    look('')
  } catch (e) {
    trouble.value = told(e)
  }
  await reload()
}

async function stop() {
  try {
    dataOf(await api.POST('/v1/games/{game}/scout/stop', { params: { path: { game: props.game } } }))
  } catch (e) {
    trouble.value = told(e)
  }
  await reload()
}

interface Found {
  key: string
  head: string
  tone: 'good' | 'bad' | 'doubt'
  text: string
  more?: string
  line?: number
  run?: Schemas['ScoutRun']
}

const verdicts = { reached: 'good', kept: 'good', never: 'bad', broken: 'bad', 'not found': 'doubt', 'not broken': 'doubt' } as const
const named = (kind: string, id: string) => (kind === 'rule' ? id : kind === 'passage refused' ? `passage ${id} closed` : `${kind} ${id}`)
const answered = (a: Schemas['ScoutAnswer']): Found => ({
  key: `${a.kind}-${a.id}`,
  head: a.verdict,
  tone: verdicts[a.verdict],
  text: a.title && isAsked(a) ? (a.kind === 'conserved' ? `${a.title}, conserved` : a.title) : named(a.kind, a.id),
  more: a.run ? `${a.run.moves} ${a.run.moves === 1 ? 'move' : 'moves'}` : '',
  line: a.line,
  run: a.run,
})

const isAsked = (a: Schemas['ScoutAnswer']) => ['goal', 'milestone', 'conserved'].includes(a.kind)
const asked = computed(() => (report.value?.answers ?? []).filter(isAsked).map(answered))
const unseen = computed(() => (report.value?.answers ?? []).filter((a) => !isAsked(a) && a.kind !== 'fate' && a.verdict !== 'reached').map(answered))
const ends = computed<Found[]>(() =>
  (report.value?.dead_ends ?? []).map((d) => ({
    key: `end-${d.kind}-${d.id}`,
    head: d.proved ? 'dead end' : 'perhaps a dead end',
    tone: d.proved ? 'bad' : 'doubt',
    text: d.kind === 'scene' ? `${d.title || d.id} cannot be left any more${d.alone ? ' alone' : ''}` : `${d.title || d.id} cannot be reached any more${d.alone ? ' alone' : ''}`,
    more: `The way is lost where ${d.lost}.${d.why ? ` Left out: ${d.why}.` : ''}`,
    line: d.line,
    run: d.run,
  })),
)
const troubles = computed<Found[]>(() =>
  (report.value?.troubles ?? []).map((t, i) => ({ key: `trouble-${i}`, head: t.kind, tone: t.kind === 'cut off' ? 'doubt' : 'bad', text: t.text, line: t.line, run: t.run })),
)
const lists = computed(() => [
  { title: 'Dead ends', of: ends.value, none: report.value?.nobody_stuck ?? '' },
  { title: 'Goals, milestones and what is conserved', of: asked.value, none: 'The plan has none of them. goals: says what is meant to be possible, conserved: which totals have to stay the same.' },
  { title: 'What breaks', of: troubles.value, none: report.value?.searches.every((s) => s.complete) ? 'Nothing breaks.' : 'Nothing broke, as far as was searched.' },
  { title: 'Never seen', of: unseen.value, none: 'Every scene, passage, checkpoint, event and rule was seen.' },
])
const fates = computed(() => (report.value?.answers ?? []).filter((a) => a.kind === 'fate'))
const shown = computed(() => fates.value.filter((a) => a.verdict === 'reached').length)
const seen = computed(() => (report.value?.answers ?? []).filter((a) => a.verdict === 'reached').length)
const why = computed(() => [...new Set((report.value?.searches ?? []).flatMap((s) => s.why))])

const all = computed(() => lists.value.flatMap((l) => l.of))
const picked = computed(() => all.value.find((f) => f.key === route.query.look && f.run))
const look = (key: string) => void router.replace({ query: key && key !== route.query.look ? { look: key } : {} })
const slug = (text: string) => text.toLowerCase().replace(/[^a-z0-9]+/g, '-').replace(/^-+|-+$/g, '').slice(0, 80)
</script>

<template>
  <div class="page">
    <h1 class="page-title">What could happen</h1>
    <p class="page-lead">A search does what players and the game could do, from the start on, and says what that can lead to: what is reached, where one gets stuck, what breaks.</p>
    <TroubleNote :text="error || trouble || info?.error || ''" @retry="reload" />
    <WaitingNote v-if="!info && !error" />
    <div v-if="info" class="sheet bar">
      <v-select v-model="players" :items="[1, 2, 3, 4].map((n) => ({ value: n, title: n === 1 ? 'one player' : `${n} players` }))" label="With" class="field" hide-details :disabled="running" />
      <v-select v-model="seconds" :items="times" label="For at most" class="field" hide-details :disabled="running" />
      <v-checkbox v-model="server" hide-details label="with what the game’s server sends" :disabled="running" />
      <v-checkbox v-model="alone" hide-details label="each has to get there alone" title="Whether the first player gets everywhere by themselves, without the others and the game’s server" :disabled="running" />
      <span class="grow" />
      <v-btn v-if="running" variant="outlined" @click="stop">Stop</v-btn>
      <v-btn v-else color="primary" @click="start">{{ report ? 'Search again' : 'Search' }}</v-btn>
    </div>
    <div v-if="running && info" class="sheet going" role="status">
      <v-progress-linear :model-value="(100 * (info.over ?? 0)) / Math.max(1, info.searches ?? 1)" color="secondary" height="8" rounded />
      <p class="quiet">
        Search {{ (info.over ?? 0) + 1 }} of {{ info.searches || '…' }}<template v-if="info.search">, {{ info.search }}</template>: {{ (info.states ?? 0).toLocaleString() }} states, {{ (info.rate ?? 0).toLocaleString() }} moves a second, {{ Math.round(info.took ?? 0) }} s.
      </p>
    </div>
    <EmptyState v-if="info && info.state === 'none'" title="Nothing was searched yet">
      The search uses the plan as it is saved. It takes a minute at most, beside the sessions that play, and keeps nothing of what it does.
    </EmptyState>
    <div v-if="report" class="beside">
      <div>
        <section v-if="report.places.search" class="sheet list" aria-label="Where it went">
          <h2>Where it went</h2>
          <ScoutPlaces :places="report.places" />
        </section>
        <section v-for="l in lists" :key="l.title" class="sheet list" :aria-label="l.title">
          <h2>{{ l.title }} <span v-if="l.of.length" class="quiet">{{ l.of.length }}</span></h2>
          <p v-if="!l.of.length" class="quiet">{{ l.none }}</p>
          <ul v-else>
            <li v-for="f in l.of" :key="f.key" :class="{ here: picked?.key === f.key }">
              <span :class="['head', f.tone]">{{ f.head }}</span>
              <span>
                <button v-if="f.run" type="button" class="link" :aria-expanded="picked?.key === f.key" @click="look(f.key)">{{ f.text }}</button>
                <template v-else>{{ f.text }}</template>
                <span v-if="f.more" class="quiet more">{{ f.more }}</span>
              </span>
              <RouterLink v-if="f.line" class="quiet line" :to="{ name: 'plan', params: { game }, query: { line: f.line } }">line {{ f.line }}</RouterLink>
            </li>
          </ul>
        </section>
        <section class="sheet list" aria-label="How far it went">
          <h2>How far it went</h2>
          <table class="plain">
            <thead>
              <tr><th scope="col">Search</th><th scope="col" class="number">States</th><th scope="col" class="number">Moves</th><th scope="col">Complete</th></tr>
            </thead>
            <tbody>
              <tr v-for="s in report.searches" :key="s.name">
                <td :title="s.left_out.length ? `Decides nothing here: ${s.left_out.join(', ')}` : ''">{{ s.name }}</td>
                <td class="number mono">{{ s.states.toLocaleString() }}</td>
                <td class="number mono">{{ s.moves.toLocaleString() }}</td>
                <td :class="s.complete ? 'good' : 'doubt'">{{ s.complete ? 'yes' : 'no' }}</td>
              </tr>
            </tbody>
          </table>
          <template v-if="why.length">
            <p>Why not complete, so that what was not found may still be there:</p>
            <ul class="why"><li v-for="w in why" :key="w">{{ w }}</li></ul>
          </template>
          <template v-if="report.costs.length">
            <p>What makes so many states, and how many of them there would be without it:</p>
            <ul class="why"><li v-for="c in report.costs" :key="c.name"><span class="mono">{{ c.percent }} %</span> {{ c.name }}</li></ul>
          </template>
          <p v-if="fates.length">
            {{ shown }} of {{ fates.length }} fates were seen at work<template v-if="shown < fates.length">; <RouterLink :to="{ name: 'matrix', params: { game }, query: { marks: 'search' } }">the matrix marks the others</RouterLink></template>.
          </p>
          <p class="quiet">{{ seen - shown }} of {{ report.answers.length - fates.length }} things were seen. In no search: {{ report.not_tried.join('; ') }}.</p>
        </section>
      </div>
      <aside>
        <ScoutRun v-if="picked?.run" :game="game" :title="picked.text" :name="slug(picked.key)" :run="picked.run" />
        <p v-else class="sheet quiet hint">Pick something that was found to see the way there.</p>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.beside {
  --side: 380px;
}

.bar {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 12px;
  padding: 12px 16px;
  margin-bottom: 14px;
}

.field {
  max-width: 170px;
}

.grow {
  flex: 1;
}

.going,
.list,
.hint {
  padding: 12px 16px;
  margin: 0 0 14px;
}

.going p {
  margin: 8px 0 0;
}

aside {
  position: sticky;
  top: 12px;
  align-self: start;
}

h2 {
  font-size: 16px;
  margin: 0 0 6px;
}

.list > p {
  margin: 4px 0;
}

ul {
  list-style: none;
  margin: 0;
  padding: 0;
}

.list > ul:not(.why) > li {
  display: grid;
  grid-template-columns: 130px minmax(0, 1fr) auto;
  gap: 4px 10px;
  padding: 6px 0;
  border-top: 1px solid var(--line);
}

.list > ul > li.here {
  background: var(--faint);
}

.why li {
  padding: 1px 0 1px 14px;
}

.why .mono {
  display: inline-block;
  width: 3.5em;
}

.head {
  font-weight: 600;
}

.doubt {
  color: rgb(var(--v-theme-warning));
}

.more {
  display: block;
}

.line {
  white-space: nowrap;
}

@media (max-width: 1100px) {
  .beside {
    grid-template-columns: minmax(0, 1fr);
  }

  aside {
    position: static;
    order: -1;
  }
}
</style>
