<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'

import { api, asPlan, dataOf, told, type Schemas } from '../api/client'
import EmptyState from '../components/EmptyState.vue'
import FindingCounts from '../components/FindingCounts.vue'
import NameAgain from '../components/NameAgain.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useGames, useNodes } from '../composables/resources'
import { dayAndTime } from '../times'

const { data: games, error, reload } = useGames()
const { data: nodes } = useNodes()
const router = useRouter()

const making = ref(false)
const title = ref('')
/** Small games that this one can begin with. */
const starts = shallowRef<Schemas['Start'][]>([])
const start = ref('')
const trouble = ref('')
const busy = ref(false)
const id = computed(() => title.value.toLowerCase().normalize('NFKD').replace(/[^a-z0-9]+/g, '-').replace(/^[^a-z]+|-+$/g, '').slice(0, 64))
const taken = computed(() => (games.value ?? []).some((g) => g.id === id.value))

/** What of a game needs somebody, and where it is looked at. */
function needs(g: Schemas['GameInfo']) {
  const out: { text: string; page: string }[] = []
  const one = (n: number, word: string, many: string) => `${n} ${n === 1 ? word : many}`
  if (g.findings.errors) out.push({ text: `${one(g.findings.errors, 'error', 'errors')}: the plan cannot run`, page: 'plan' })
  else if (g.findings.warnings) out.push({ text: one(g.findings.warnings, 'warning in the plan', 'warnings in the plan'), page: 'plan' })
  if (g.published && g.published < g.version) out.push({ text: `Version ${g.version} is not published yet`, page: 'versions' })
  if (g.older) out.push({ text: `${one(g.older, 'save is', 'saves are')} of an earlier version`, page: 'versions' })
  if (g.trial && g.trial !== 'clean') out.push({ text: `The last trial ${g.trial === 'not clean' ? 'was not clean' : g.trial === 'running' ? 'is running' : g.trial === 'failed' ? 'failed' : 'was stopped'}`, page: 'versions' })
  if (g.refused) out.push({ text: `${one(g.refused, 'request was', 'requests were')} refused to those who play`, page: 'live' })
  if (g.differs) out.push({ text: `Machines believed something else ${one(g.differs, 'time', 'times')}`, page: 'live' })
  return out
}

const find = ref('')
const shownGames = computed(() => (games.value ?? []).filter((g) => `${g.title} ${g.id}`.toLowerCase().includes(find.value.toLowerCase())))

// Deleting a game asks for its id, and says what goes with it.
const asked = ref(false)
const gone = ref<{ id: string; title: string; saves: number; sessions: number }>()
const remove = async () => {
  const game = gone.value?.id ?? ''
  dataOf(await api.DELETE('/v1/games/{game}', { params: { path: { game }, query: { name: game } } }))
}

watch(making, async (now) => {
  if (!now || starts.value.length) return
  try {
    starts.value = dataOf(await api.GET('/v1/starts'))
    start.value = starts.value[0]?.id ?? ''
  } catch (e) {
    trouble.value = told(e)
  }
})

async function make() {
  const begin = starts.value.find((t) => t.id === start.value)
  if (!begin || !id.value || taken.value) return
  busy.value = true
  trouble.value = ''
  const path = { game: id.value }
  try {
    const plan = begin.plan.replace(/^game: .*$/m, () => `game: ${id.value}`).replace(/^title: .*$/m, () => `title: ${JSON.stringify(title.value.trim())}`)
    dataOf(await api.PUT('/v1/games/{game}/plan', { params: { path, header: {} }, ...asPlan(plan) }))
    for (const r of begin.rehearsals) dataOf(await api.PUT('/v1/games/{game}/rehearsals/{name}', { params: { path: { ...path, name: r.name } }, ...asPlan(r.text) }))
    await router.push({ name: 'matrix', params: { game: id.value } })
  } catch (e) {
    trouble.value = told(e)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <div class="page">
    <div class="page-head">
      <div>
        <h1 class="page-title">Games</h1>
        <p class="page-lead">Each game has one plan: which player state survives what. A plan file can be dropped anywhere here; a save too, to be checked.</p>
      </div>
      <span class="tools">
        <v-btn v-if="nodes?.this" variant="outlined" :to="{ name: 'nodes' }">{{ nodes.nodes.length }} {{ nodes.nodes.length === 1 ? 'node' : 'nodes' }}</v-btn>
        <v-btn variant="outlined" @click="router.push({ name: 'adopt' })">From saves…</v-btn>
        <v-btn color="primary" @click="making = true">New game</v-btn>
      </span>
    </div>
    <TroubleNote :text="error" @retry="reload" />
    <EmptyState v-if="games && games.length === 0" title="No game has a plan yet">
      Begin with a small one, drop a plan file on this page, or look at the demo: <span class="mono">alluvion demo</span>
      <template #do><v-btn color="primary" @click="making = true">New game</v-btn></template>
    </EmptyState>
    <v-text-field v-if="games && games.length > 4" v-model="find" class="find" label="Find a game" clearable hide-details />
    <div v-if="games && games.length" class="games">
      <article v-for="g in shownGames" :key="g.id" class="sheet game">
        <RouterLink class="title" :to="{ name: 'matrix', params: { game: g.id } }">{{ g.title }}</RouterLink>
        <span class="quiet"><span class="mono">{{ g.id }}</span>, version {{ g.version }}, changed {{ dayAndTime(g.updated_at) }}</span>
        <dl>
          <div><dt>Variables</dt><dd>{{ g.variables }}</dd></div>
          <div><dt>Scenes</dt><dd>{{ g.scenes }}</dd></div>
          <div><dt>Sessions open</dt><dd>{{ g.sessions }}</dd></div>
          <div><dt>Players in them</dt><dd>{{ g.present }}</dd></div>
          <div><dt>Slots saved</dt><dd>{{ g.saves }}</dd></div>
        </dl>
        <ul v-if="needs(g).length" class="needs">
          <li v-for="n in needs(g)" :key="n.text"><RouterLink class="plain" :to="{ name: n.page, params: { game: g.id } }">{{ n.text }}</RouterLink></li>
        </ul>
        <span class="last">
          <span><FindingCounts :counts="g.findings" /></span>
          <v-btn size="small" variant="text" :aria-label="`Delete ${g.title}`" @click="((gone = g), (asked = true))">Delete…</v-btn>
        </span>
      </article>
    </div>
    <WaitingNote v-else-if="!error && !games" />
    <NameAgain v-if="gone" v-model="asked" :title="`Delete ${gone.title}?`" :name="gone.id" act="Delete the game" :work="remove" @done="reload">
      <p>
        Its plan and versions, {{ gone.saves === 1 ? 'the save of one slot' : gone.saves ? `the saves of ${gone.saves} slots` : 'all saves (there are none yet)' }}, worlds, journals, trials and rehearsals go with it. Nothing of it can be restored; <span class="mono">alluvion backup</span> keeps a copy of everything.
      </p>
      <p v-if="gone.sessions">{{ gone.sessions === 1 ? 'One session is' : `${gone.sessions} sessions are` }} open: close {{ gone.sessions === 1 ? 'it' : 'them' }} first.</p>
    </NameAgain>
    <v-dialog v-model="making" max-width="560" transition="fade-transition" aria-label="New game">
      <form class="sheet ask" @submit.prevent="make">
        <h2>New game</h2>
        <v-text-field v-model="title" label="What it is called" v-begin :error-messages="taken ? `There is a game ${id} already` : ''" :hint="id ? `Its id: ${id}` : 'Its id follows from that'" persistent-hint />
        <WaitingNote v-if="!starts.length && !trouble" text="Reading what there is to begin with …" />
        <v-radio-group v-else v-model="start" label="Begin with a small game, which is yours to change" hide-details>
          <v-radio v-for="t in starts" :key="t.id" :value="t.id">
            <template #label><span class="start"><b>{{ t.title }}</b> <span class="quiet">{{ t.about }}</span></span></template>
          </v-radio>
        </v-radio-group>
        <p v-if="trouble" class="bad" role="alert">{{ trouble }}</p>
        <div class="buttons">
          <v-btn variant="text" @click="making = false">Cancel</v-btn>
          <v-btn type="submit" color="primary" :disabled="!id || taken || !start" :loading="busy">Begin</v-btn>
        </div>
      </form>
    </v-dialog>
  </div>
</template>

<style scoped>
.start {
  display: block;
  padding: 3px 0;
  line-height: 1.35;
}

.tools {
  display: flex;
  gap: 10px;
}

.find {
  max-width: 320px;
  margin-bottom: 14px;
}

.needs {
  margin: 2px 0 4px;
  padding-left: 18px;
}

.games {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(440px, 1fr));
  gap: 16px;
}

.game {
  position: relative;
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 16px 18px;
}

.game:hover {
  background: var(--faint);
}

.title {
  font-size: 19px;
  font-weight: 600;
  color: inherit;
  text-decoration: none;
}

/* Wherever on it one clicks, a card leads to its game. */
.title::after {
  content: '';
  position: absolute;
  inset: 0;
}

.needs a,
.last :deep(.v-btn),
.last a {
  position: relative;
  z-index: 1;
}

dl {
  display: flex;
  gap: 22px;
  margin: 6px 0;
}

dt {
  font-size: 13px;
  color: rgb(var(--v-theme-quiet));
}

dd {
  margin: 0;
  font-size: 20px;
}

.last {
  display: flex;
  justify-content: space-between;
  align-items: center;
}

</style>
