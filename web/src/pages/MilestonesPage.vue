<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, dataOf, told as inWords, type Schemas } from '../api/client'
import EmptyState from '../components/EmptyState.vue'
import StandingTable from '../components/StandingTable.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useMilestones, useStandings } from '../composables/resources'
import { useWindow } from '../composables/useWindow'

const props = defineProps<{ game: string }>()
const route = useRoute()
const router = useRouter()
const { data, error, reload } = useMilestones(() => props.game)
const standings = useStandings(() => props.game)

type Player = Schemas['MilestonePlayer']
const find = computed(() => String(route.query.find ?? ''))
const look = (text: string) => void router.replace({ query: text ? { find: text } : {} })
const players = computed(() => (data.value?.players ?? []).filter((p) => p.player.includes(find.value)))
const scroller = ref<HTMLElement>()
const { seen, above, below } = useWindow(players, () => 37, scroller)

// A milestone is given by hand to see what follows from it, and taken back.
const asked = ref<{ player: Player; index: number }>()
const told = ref('')
const back = ref<() => Promise<void>>()
const busy = ref(false)

async function give(player: Player, index: number, yes: boolean) {
  const m = data.value?.milestones[index]
  if (!m || busy.value) return
  busy.value = true
  asked.value = undefined
  try {
    const path = { game: props.game, player: player.player, slot: player.slot }
    const now = await api.GET('/v1/games/{game}/players/{player}', { params: { path, query: { slot: player.slot } } })
    const etag = now.response.headers.get('ETag') ?? ''
    dataOf(
      await api.POST('/v1/games/{game}/players/{player}/slots/{slot}/correct', {
        params: { path, header: player.present ? {} : { 'If-Match': etag } },
        body: { name: `player.earned.${m.id}`, value: yes, why: yes ? 'given in the console, to see it' : 'taken back in the console' },
      }),
    )
    told.value = yes ? `${player.player} has ${m.title} now.` : `${m.title} is taken back from ${player.player}.`
    back.value = () => give(player, index, !yes)
    await reload()
  } catch (e) {
    told.value = inWords(e)
    back.value = undefined
  } finally {
    busy.value = false
  }
}

/** How far somebody is, in a word. */
function standing(p: Player, index: number) {
  const [stand, m] = [p.stands[index], data.value?.milestones[index]]
  return stand?.earned ? 'earned' : m?.goal ? `${stand?.reached ?? 0}/${m.goal}` : 'not yet'
}

const share = (reached: number, goal = 0) => Math.min(100, goal ? (100 * reached) / goal : 0)
</script>

<template>
  <div class="page">
    <h1 class="page-title">Milestones and standings</h1>
    <p class="page-lead">
      Who has what, and how far the others are: those who play, as they are now; the others, as saved.
      <span v-if="told" role="status"><b>{{ told }}</b> <button v-if="back" type="button" class="link" @click="back()">Undo</button></span>
    </p>
    <TroubleNote :text="error || standings.error.value" @retry="reload" />
    <WaitingNote v-if="!data && !error" text="Reading all saves …" />
    <EmptyState v-if="data && !data.milestones.length && standings.data.value && !standings.data.value.length" title="The plan has no milestones and no standings">
      A milestone is a lasting mark that a player earns once: <span class="mono">milestones: {first_star: {when: player.stars >= 1}}</span>
      <template #do><v-btn color="primary" :to="{ name: 'plan', params: { game } }">Write one in the plan</v-btn></template>
    </EmptyState>
    <div v-else-if="data" class="beside">
      <section>
        <div class="cards">
          <RouterLink v-for="m in data.milestones" :key="m.id" class="sheet card" :to="{ name: 'plan', params: { game }, query: { line: m.line } }" :title="`Line ${m.line} of the plan`">
            <b>{{ m.title }}</b>
            <span class="number">{{ m.earned }} <span class="quiet">of {{ data.slots }}</span></span>
            <span class="mono quiet">{{ m.when ?? `${m.progress} ≥ ${m.goal}` }}</span>
          </RouterLink>
        </div>
        <v-text-field v-if="data.players.length > 12 || find" :model-value="find" class="find" label="Find a player" clearable @update:model-value="(v) => look(v ?? '')" />
        <div v-if="players.length" ref="scroller" class="sheet scroll" tabindex="0" aria-label="Players and their milestones">
          <table class="plain">
            <thead>
              <tr>
                <th scope="col">Player</th>
                <th v-for="m in data.milestones" :key="m.id" scope="col">{{ m.title }}</th>
              </tr>
            </thead>
            <tbody>
              <tr v-if="above" aria-hidden="true"><td :style="{ height: `${above}px` }" /></tr>
              <tr v-for="{ item: p } in seen" :key="`${p.player} ${p.slot}`">
                <th scope="row">
                  <RouterLink class="plain" :to="{ name: 'player', params: { game, player: p.player }, query: { slot: p.slot } }">{{ p.player }}</RouterLink>
                  <span v-if="p.slot > 1" class="quiet"> slot {{ p.slot }}</span> <span v-if="p.present" class="present">plays</span>
                </th>
                <td v-for="(m, i) in data.milestones" :key="m.id">
                  <button type="button" class="stand" :class="{ earned: p.stands[i]?.earned }" :title="p.stands[i]?.earned ? 'Take it back' : 'Give it by hand'" :aria-label="`${m.title} of ${p.player}: ${standing(p, i)}; ${p.stands[i]?.earned ? 'take it back' : 'give it by hand'}`" @click="asked = { player: p, index: i }">
                    <template v-if="p.stands[i]?.earned"><svg viewBox="0 0 16 16" width="14" aria-hidden="true"><path d="M2 13V3l6 3.4L14 3v10L8 9.6z" fill="currentColor" /></svg> earned</template>
                    <template v-else-if="m.goal"><span class="bar"><span :style="{ width: `${share(p.stands[i]?.reached ?? 0, m.goal)}%` }" /></span> <span class="mono">{{ standing(p, i) }}</span></template>
                    <template v-else>{{ standing(p, i) }}</template>
                  </button>
                </td>
              </tr>
              <tr v-if="below" aria-hidden="true"><td :style="{ height: `${below}px` }" /></tr>
            </tbody>
          </table>
        </div>
        <p v-else class="quiet">{{ find ? `Nobody is called ${find}.` : 'Nobody has played yet.' }}</p>
        <p v-if="data.slots > data.players.length" class="quiet">The {{ data.players.length }} who are furthest, of {{ data.slots }}.</p>
        <p v-if="data.unread" class="quiet">{{ data.unread }} saves cannot be loaded, and are not counted.</p>
      </section>
      <section class="standings">
        <StandingTable v-for="s in standings.data.value ?? []" :key="s.id" :game="game" :standing="s" />
        <p v-if="standings.data.value && !standings.data.value.length" class="quiet">The plan orders players by nothing: it has no standings.</p>
      </section>
    </div>
    <v-dialog v-if="asked" :model-value="true" max-width="440" transition="fade-transition" aria-label="Give a milestone by hand" @update:model-value="asked = undefined">
      <div class="sheet ask">
        <h2>{{ data?.milestones[asked.index]?.title }}: {{ asked.player.player }}</h2>
        <p v-if="asked.player.stands[asked.index]?.earned">It is taken back. As soon as what it asks for is weighed again and holds, it is earned again.</p>
        <p v-else>It is given by hand{{ asked.player.present ? ': the rules that wait for it do what they do' : ' in the save; rules that wait for it do nothing' }}. It stands in the history as a correction, and can be taken back.</p>
        <div class="buttons">
          <v-btn variant="text" @click="asked = undefined">Cancel</v-btn>
          <v-btn color="primary" :loading="busy" autofocus @click="give(asked.player, asked.index, !asked.player.stands[asked.index]?.earned)">{{ asked.player.stands[asked.index]?.earned ? 'Take it back' : 'Give it' }}</v-btn>
        </div>
      </div>
    </v-dialog>
  </div>
</template>

<style scoped>
.beside {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 320px;
  gap: 18px;
  align-items: start;
}

.cards {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(190px, 1fr));
  gap: 10px;
  margin-bottom: 12px;
}

.card {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 8px;
  padding: 10px 14px;
  color: inherit;
  text-decoration: none;
}

.card:hover {
  background: var(--faint);
}

.card .mono {
  grid-column: 1 / -1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.find {
  max-width: 300px;
  margin-bottom: 10px;
}

.scroll {
  overflow: auto;
  max-height: calc(100vh - 282px);
}

thead th {
  position: sticky;
  top: 0;
  z-index: 1;
  background: rgb(var(--v-theme-surface));
}

tbody tr {
  height: 37px;
}

tbody th[scope='row'] {
  padding: 3px 12px;
  border-bottom: 1px solid var(--line);
  font-size: 15px;
  font-weight: 400;
  white-space: nowrap;
}

table.plain td {
  padding: 2px 6px;
}

.present {
  color: rgb(var(--v-theme-success));
  font-size: 13px;
  font-weight: 600;
}

.stand {
  display: flex;
  align-items: center;
  gap: 8px;
  width: 100%;
  padding: 3px 6px;
  border-radius: 3px;
  cursor: pointer;
  color: rgb(var(--v-theme-quiet));
  white-space: nowrap;
}

.stand:hover {
  background: var(--faint);
}

.earned {
  color: rgb(var(--v-theme-keep));
  font-weight: 600;
}

.bar {
  flex: 1;
  min-width: 36px;
  height: 7px;
  border-radius: 4px;
  background: rgb(var(--v-theme-surface-variant));
  overflow: hidden;
}

.bar span {
  display: block;
  height: 100%;
  background: rgb(var(--v-theme-secondary));
}

.standings {
  display: grid;
  gap: 12px;
}

.ask {
  padding: 20px 22px;
}

.ask h2 {
  font-size: 18px;
  margin: 0 0 8px;
}

.buttons {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
  margin-top: 14px;
}

@media (max-width: 1000px) {
  .beside {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
