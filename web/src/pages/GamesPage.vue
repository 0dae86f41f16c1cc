<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'

import { api, asPlan, dataOf, told, type Schemas } from '../api/client'
import EmptyState from '../components/EmptyState.vue'
import FindingCounts from '../components/FindingCounts.vue'
import NameAgain from '../components/NameAgain.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useGames } from '../composables/resources'
import { dayAndTime } from '../times'

const { data: games, error, reload } = useGames()
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
        <v-btn variant="outlined" :to="{ name: 'adopt' }">From saves…</v-btn>
        <v-btn color="primary" @click="making = true">New game</v-btn>
      </span>
    </div>
    <TroubleNote :text="error" @retry="reload" />
    <EmptyState v-if="games && games.length === 0" title="No game has a plan yet">
      Begin with a small one, drop a plan file on this page, or look at the demo: <span class="mono">alluvion demo</span>
      <template #do><v-btn color="primary" @click="making = true">New game</v-btn></template>
    </EmptyState>
    <div v-else-if="games" class="games">
      <RouterLink v-for="g in games" :key="g.id" class="sheet game" :to="{ name: 'matrix', params: { game: g.id } }">
        <span class="title">{{ g.title }}</span>
        <span class="quiet"><span class="mono">{{ g.id }}</span>, version {{ g.version }}, changed {{ dayAndTime(g.updated_at) }}</span>
        <dl>
          <div><dt>Variables</dt><dd>{{ g.variables }}</dd></div>
          <div><dt>Scenes</dt><dd>{{ g.scenes }}</dd></div>
          <div><dt>Sessions open</dt><dd>{{ g.sessions }}</dd></div>
          <div><dt>Players in them</dt><dd>{{ g.present }}</dd></div>
          <div><dt>Slots saved</dt><dd>{{ g.saves }}</dd></div>
        </dl>
        <span class="last">
          <span><FindingCounts :counts="g.findings" /></span>
          <v-btn size="small" variant="text" :aria-label="`Delete ${g.title}`" @click.prevent="((gone = g), (asked = true))">Delete…</v-btn>
        </span>
      </RouterLink>
    </div>
    <WaitingNote v-else-if="!error" />
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

.games {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(440px, 1fr));
  gap: 16px;
}

.game {
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 16px 18px;
  color: inherit;
  text-decoration: none;
}

.game:hover {
  background: var(--faint);
}

.title {
  font-size: 19px;
  font-weight: 600;
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
