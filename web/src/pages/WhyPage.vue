<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, dataOf, shown } from '../api/client'
import EmptyState from '../components/EmptyState.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useNames, usePlayers, useSessions } from '../composables/resources'
import { useResource } from '../composables/useResource'
import { dayAndTime, sessionTime } from '../times'

const props = defineProps<{ game: string }>()
const route = useRoute()
const router = useRouter()

const sessions = useSessions(() => props.game)
const part = ref('')
const players = usePlayers(() => props.game, () => part.value)
const names = useNames(() => props.game)

// What is asked stands in the address.
const text = (key: string) => String(route.query[key] ?? '')
const player = computed(() => text('player'))
const name = computed(() => text('name'))
/** Whoever is asked about, who need not be among the first. */
const mine = useResource(
  async () => (player.value ? dataOf(await api.GET('/v1/games/{game}/players', { params: { path: { game: props.game }, query: { part: player.value, most: 50 } } })) : []),
  () => [props.game, player.value],
  2000,
)
const session = computed(() => text('session') || mine.data.value?.find((p) => p.player === player.value)?.session || sessions.data.value?.[0]?.name || '')
const most = computed(() => Math.min(Number(text('most')) || 100, 500))
const ask = (query: Record<string, string | null | undefined>) => void router.replace({ query: Object.fromEntries(Object.entries({ ...route.query, ...query }).filter(([, v]) => v)) })

const { data: steps, error, reload } = useResource(
  async () => {
    if (!session.value) return undefined
    return dataOf(await api.GET('/v1/games/{game}/sessions/{session}/changes', { params: { path: { game: props.game, session: session.value }, query: { player: player.value, name: name.value, most: most.value } } }))
  },
  () => [props.game, session.value, player.value, name.value, most.value],
  2000,
)

const values = computed(() => ['place', 'player.dead', 'player.checkpoint', ...(names.data.value ?? []).flatMap((n) => (n.kind === 'variable' ? [n.name] : n.kind === 'milestone' ? [`player.earned.${n.name}`] : n.kind === 'movable' ? [`movables.${n.name}`] : n.kind === 'waymark' ? [`player.${n.name}`] : []))])
const rooms = computed(() => [...new Set([...(sessions.data.value ?? []).map((s) => s.name), ...(session.value ? [session.value] : [])])])
const open = computed(() => sessions.data.value?.some((s) => s.name === session.value))
const whose = (s: { player?: string; scene?: string; prop?: string; option?: string }) => [s.player, s.scene, s.prop, s.option].filter(Boolean).join(' · ') || 'game'
</script>

<template>
  <div class="page">
    <h1 class="page-title">Why is it so?</h1>
    <p class="page-lead">The changes that led to a value, newest first: when, from what to what, and who or which rule did it.</p>
    <form class="asked" @submit.prevent>
      <v-combobox :model-value="session" :items="rooms" label="Session" @update:model-value="(v) => ask({ session: v })" />
      <v-autocomplete :model-value="player || null" :items="(players.data.value ?? []).map((p) => p.player)" label="Player" placeholder="everybody" clearable @update:search="(text) => (part = text === player ? '' : (text ?? ''))" @update:model-value="(v) => ask({ player: v })" />
      <v-autocomplete :model-value="name || null" :items="values" label="Value" placeholder="every value" clearable @update:model-value="(v) => ask({ name: v })" />
    </form>
    <TroubleNote :text="error || sessions.error.value" @retry="sessions.reload().then(reload)" />
    <EmptyState v-if="sessions.data.value && !session" title="No session is open">Changes are kept for each session, and for some time after it was closed. Write a session’s name above, or open one on the page Live.</EmptyState>
    <EmptyState v-else-if="steps && !steps.length && !error" :title="name || player ? 'Nothing of that has changed' : 'Nothing has changed yet'">
      <template v-if="name || player">In the session {{ session }}, {{ player || 'nobody' }} has {{ name ? `no change of ${name}` : 'no change' }} on record.</template>
      <template v-else>What happens in the session {{ session }} appears here, with its reason.</template>
      <template v-if="name || player" #do><v-btn variant="outlined" @click="ask({ name: null, player: null })">Show all changes</v-btn></template>
    </EmptyState>
    <template v-else-if="steps && session">
      <p class="quiet count">{{ steps.length === most ? `The newest ${most}` : steps.length === 1 ? 'One change' : `${steps.length} changes` }} in {{ session }}{{ open ? '' : ', which is closed' }}.<template v-if="name"> <RouterLink class="plain" :to="{ name: 'rules', params: { game }, query: { about: name } }">Every rule about it</RouterLink></template></p>
      <div class="sheet scroll" tabindex="0" aria-label="Changes">
        <table class="plain">
          <thead>
            <tr>
              <th scope="col">When</th>
              <th scope="col" class="number">Session</th>
              <th scope="col">Whose</th>
              <th scope="col">Value</th>
              <th scope="col">From</th>
              <th scope="col">To</th>
              <th scope="col">Because</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(s, i) in steps" :key="`${s.at} ${i}`">
              <td class="quiet">{{ dayAndTime(s.at) }}</td>
              <td class="number mono quiet">{{ sessionTime(s.time) }}</td>
              <td>
                <button v-if="s.player && !player" type="button" class="asks" @click="ask({ player: s.player })">{{ whose(s) }}</button>
                <template v-else>{{ whose(s) }}</template>
              </td>
              <td class="mono">
                <button v-if="s.name !== name" type="button" class="asks" @click="ask({ name: s.name })">{{ s.name }}</button>
                <template v-else>{{ s.name }}</template>
              </td>
              <td class="mono quiet">{{ shown(s.from) }}</td>
              <td class="mono to">{{ shown(s.to) }}</td>
              <td>
                <RouterLink v-if="s.line" class="plain" :to="{ name: 'plan', params: { game }, query: { line: s.line } }">{{ s.cause }}</RouterLink>
                <span v-else>{{ s.cause }}</span>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-if="steps.length === most && most < 500" class="more"><v-btn variant="outlined" size="small" @click="ask({ most: '500' })">Show up to 500</v-btn></p>
    </template>
    <WaitingNote v-else-if="!error && !sessions.error.value" />
  </div>
</template>

<style scoped>
.asked {
  display: grid;
  grid-template-columns: 200px 220px 320px;
  gap: 12px;
  margin-bottom: 14px;
}

.count {
  margin: 0 0 6px;
}

.scroll {
  overflow: auto;
  max-height: calc(100vh - 246px);
}

table.plain th {
  position: sticky;
  top: 0;
  background: rgb(var(--v-theme-surface));
}

table.plain td {
  padding: 4px 12px;
  vertical-align: top;
}

td:first-child {
  white-space: nowrap;
}

.to {
  font-weight: 600;
}

.asks {
  cursor: pointer;
  text-align: left;
}

.asks:hover {
  text-decoration: underline;
}

.more {
  margin: 10px 0;
}

@media (max-width: 900px) {
  .asked {
    grid-template-columns: 1fr;
  }
}
</style>
