<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, dataOf } from '../api/client'
import EmptyState from '../components/EmptyState.vue'
import MachineTable from '../components/MachineTable.vue'
import NameAgain from '../components/NameAgain.vue'
import PlayerGlance from '../components/PlayerGlance.vue'
import RateChart from '../components/RateChart.vue'
import SceneMap, { type Dot } from '../components/SceneMap.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useSceneMap, useSessions } from '../composables/resources'
import { BEHIND, useMotion } from '../composables/useMotion'
import { useOverview } from '../composables/useOverview'

const props = defineProps<{ game: string; session?: string }>()
const route = useRoute()
const router = useRouter()

const sessions = useSessions(() => props.game)
const open = computed(() => (sessions.data.value ?? []).some((s) => s.name === props.session))
const name = computed(() => (open.value ? props.session! : ''))
const map = useSceneMap(() => props.game, () => name.value)
const address = computed(() => {
  if (!name.value) return ''
  const asked = new URLSearchParams()
  for (const what of ['scene', 'player'] as const) if (route.query[what]) asked.set(what, String(route.query[what]))
  return `/v1/games/${props.game}/sessions/${name.value}/watch?${asked}`
})
const { overview, state, rates } = useOverview(() => address.value)
const drawn = useMotion(overview)
const failed = ref('')

// Without a session in the address, the first that is open is shown.
watch([sessions.data, () => props.session], ([list, given]) => {
  const first = list?.[0]
  if (!given && first) void router.replace({ name: 'live', params: { game: props.game, session: first.name }, query: route.query })
}, { immediate: true })

const players = computed(() => overview.value?.players ?? [])
const picked = computed(() => String(route.query.player ?? ''))
const watched = computed(() => players.value.find((p) => p.player === picked.value))
const titles = computed(() => Object.fromEntries((map.data.value?.scenes ?? []).map((s) => [s.id, s.title])))
const count = (id: string) => overview.value?.scenes[id] ?? 0
const busiest = computed(() => Object.entries(overview.value?.scenes ?? {}).sort((a, b) => b[1] - a[1])[0]?.[0])
const sceneID = computed(() => watched.value?.place.scene ?? String(route.query.scene ?? busiest.value ?? ''))
const scene = computed(() => map.data.value?.scenes.find((s) => s.id === sceneID.value) ?? map.data.value?.scenes[0])

const dots = computed<Dot[]>(() => {
  const out: Dot[] = []
  for (const [id, p] of Object.entries(overview.value?.things ?? {})) if (p.scene === scene.value?.id && !overview.value?.held?.[id]) out.push({ id, at: p.at, kind: 'thing' })
  for (const p of players.value) {
    const at = drawn.value[p.player] ?? p.place
    if (at.scene === scene.value?.id) out.push({ id: p.player, at: at.at, kind: p.dead ? 'dead' : 'player', trouble: (p.machine?.mismatches ?? 0) > 0 })
  }
  return out
})

function pick(id: string) {
  void router.replace({ query: { ...route.query, player: id === picked.value ? undefined : id, scene: undefined } })
}

async function openSession(called: string) {
  try {
    dataOf(await api.PUT('/v1/games/{game}/sessions/{session}', { params: { path: { game: props.game, session: called } } }))
    failed.value = ''
    await sessions.reload()
    await router.replace({ name: 'live', params: { game: props.game, session: called } })
  } catch (e) {
    failed.value = (e as Error).message
  }
}

// A session is closed, and what is held of a closed one is deleted, by writing its name once more.
const closing = ref(false)
const ending = ref(false)
const close = async () => {
  const answer = await api.DELETE('/v1/games/{game}/sessions/{session}', { params: { path: { game: props.game, session: name.value } } })
  if (!answer.response.ok) dataOf({ error: answer.error, response: answer.response })
}
const told = ref('')
const end = async () => {
  const session = props.session ?? ''
  const e = dataOf(await api.DELETE('/v1/games/{game}/sessions/{session}/world', { params: { path: { game: props.game, session }, query: { name: session } } }))
  told.value = `What was held of ${session} is deleted: ${e.journal === 1 ? 'one change' : `${e.journal} changes`} of its journal${e.worlds ? ', and its world' : ''}.`
}

const clock = (s: number) => [s / 3600, (s / 60) % 60, s % 60].map((n) => String(Math.floor(n)).padStart(2, '0')).join(':')
const present = computed(() => overview.value?.present ?? 0)
/** How many of those that could be shown are. */
const shown = computed(() => {
  const all = route.query.scene ? count(String(route.query.scene)) : present.value
  return players.value.length < all ? `The first ${players.value.length} of ${all} are shown.` : ''
})
</script>

<template>
  <div class="page">
    <h1 v-if="!name" class="page-title alone">Live</h1>
    <TroubleNote :text="sessions.error.value || map.error.value || failed" @retry="sessions.reload" />
    <WaitingNote v-if="!sessions.data.value && !sessions.error.value" />
    <EmptyState v-if="sessions.data.value && !name" :title="session ? `The session ${session} is not open` : 'No session is open'">
      <p>A session is one live run of the game. Games open one over HTTP, and their players join it over a WebSocket.</p>
      <p v-if="told" role="status">{{ told }}</p>
      <v-btn color="primary" @click="openSession(session || 'main')">Open the session {{ session || 'main' }}</v-btn>
      <v-btn v-if="session" class="ml-3" variant="text" @click="ending = true">Delete what is held of it…</v-btn>
    </EmptyState>
    <template v-else-if="name">
      <div class="head">
        <div>
          <h1 class="page-title">Live</h1>
          <p class="page-lead">
            <template v-if="overview">
              {{ present === 1 ? 'One player' : `${present} players` }}, {{ overview.traffic.machines }} connected; {{ clock(overview.time) }} on the session's clock, tick {{ overview.tick }}.
              Motion is drawn {{ BEHIND }} s behind. {{ shown }}
            </template>
            <template v-else-if="state === 'waiting'">Asking the service…</template>
            <b v-if="state === 'lost'" class="bad" role="status">The connection is lost; trying again.</b>
            <b v-if="state === 'closed'" class="bad" role="status">The session was closed; this is how it stood.</b>
          </p>
        </div>
        <nav class="chips" aria-label="Sessions">
          <RouterLink v-for="s in sessions.data.value ?? []" :key="s.name" :to="{ name: 'live', params: { game, session: s.name } }" :class="{ here: s.name === name }">{{ s.name }} <span class="mono">{{ s.present.length }}</span></RouterLink>
          <v-btn size="small" variant="text" @click="closing = true">Close…</v-btn>
        </nav>
      </div>
      <div class="beside">
        <section>
          <nav class="chips" aria-label="Scenes">
            <RouterLink v-for="s in map.data.value?.scenes ?? []" :key="s.id" replace :to="{ query: { ...route.query, scene: s.id, player: undefined } }" :class="{ here: s.id === scene?.id }">
              {{ s.title }} <span class="mono" :class="{ quiet: !count(s.id) }">{{ count(s.id) }}</span>
            </RouterLink>
          </nav>
          <div class="sheet"><SceneMap v-if="scene && map.data.value" :rows="20" :map="map.data.value" :scene="scene.id" :dots="dots" :picked="picked ? `player:${picked}` : ''" @pick="(what) => what.startsWith('player:') && pick(what.slice(7))" /></div>
          <div class="charts sheet">
            <RateChart title="Over all connections" unit="bytes a second" :values="rates.map((r) => r.bytes)" :span="60" />
            <RateChart title="Messages" unit="a second" :values="rates.map((r) => r.messages)" :span="60" />
          </div>
        </section>
        <section>
          <MachineTable v-if="players.length" :players="players" :picked="picked" :titles="titles" @pick="pick" />
          <p v-else-if="overview" class="sheet empty quiet">
            Nobody is here. Simulated players come with<br /><code class="mono">alluvion crowd -game {{ game }} -session {{ name }}</code>
          </p>
          <PlayerGlance v-if="watched" :game="game" :session="name" :watched="watched" />
          <template v-else-if="overview?.refused.length">
            <h2>Refused last</h2>
            <ul class="sheet refused">
              <li v-for="(r, i) in overview.refused.slice(0, 8)" :key="i">
                <b>{{ r.player }}</b> <span class="mono">{{ r.what }}</span>
                <span class="quiet">{{ r.why }}</span>
              </li>
            </ul>
          </template>
        </section>
      </div>
    </template>
    <NameAgain v-model="closing" :title="`Close the session ${name}?`" :name="name" act="Close the session" :work="close" @done="sessions.reload">
      <p>{{ present === 1 ? 'The visit of one player ends' : `The visits of ${present} players end` }}, everybody is saved, and the session can be opened again as it was.</p>
    </NameAgain>
    <NameAgain v-model="ending" :title="`Delete what is held of ${session}?`" :name="session ?? ''" act="Delete it" :work="end">
      <p>Its world and its journal: opened again, it begins anew. What players have stays. It cannot be restored.</p>
    </NameAgain>
  </div>
</template>

<style scoped>
.alone {
  margin-bottom: 14px;
}

.head {
  display: flex;
  justify-content: space-between;
  align-items: flex-start;
  gap: 20px;
}

h2 {
  font-size: 16px;
  margin: 14px 0 6px;
}

.beside {
  --side: 440px;
}

.charts {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 24px;
  margin-top: 12px;
  padding: 8px 14px;
}

.empty {
  padding: 14px;
  margin: 0;
}

.refused {
  list-style: none;
  margin: 0;
  padding: 4px 0;
  font-size: 14px;
}

.refused li .quiet {
  display: block;
}

.refused li .mono {
  margin-left: 6px;
}

.refused li {
  padding: 4px 12px;
  overflow-wrap: anywhere;
}
</style>
