<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, dataOf, told as inWords, type Schemas } from '../api/client'
import EmptyState from '../components/EmptyState.vue'
import FormFold from '../components/FormFold.vue'
import MilestoneAsk from '../components/MilestoneAsk.vue'
import MilestoneTable from '../components/MilestoneTable.vue'
import StandingTable from '../components/StandingTable.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useMilestones, useStandings } from '../composables/resources'

const props = defineProps<{ game: string }>()
const route = useRoute()
const router = useRouter()
const { data, error, reload } = useMilestones(() => props.game)
const standings = useStandings(() => props.game)

type Player = Schemas['MilestonePlayer']
const find = computed(() => String(route.query.find ?? ''))
const look = (text: string) => void router.replace({ query: text ? { find: text } : {} })
const players = computed(() => (data.value?.players ?? []).filter((p) => p.player.includes(find.value)))

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
        <MilestoneTable v-if="players.length" :game="game" :milestones="data.milestones" :players="players" @ask="(player, index) => (asked = { player, index })" />
        <p v-else class="quiet">{{ find ? `Nobody is called ${find}.` : 'Nobody has played yet.' }}</p>
        <p v-if="data.slots > data.players.length" class="quiet">The {{ data.players.length }} who are furthest, of {{ data.slots }}.</p>
        <p v-if="data.unread" class="quiet">{{ data.unread }} saves cannot be loaded, and are not counted.</p>
      </section>
      <section class="standings">
        <StandingTable v-for="s in standings.data.value ?? []" :key="s.id" :game="game" :standing="s" />
        <p v-if="standings.data.value && !standings.data.value.length" class="quiet">The plan orders players by nothing: it has no standings.</p>
      </section>
    </div>
    <FormFold v-if="data" :game="game" title="Change milestones and standings in the plan" :parts="['milestones', 'standings']" />
    <MilestoneAsk v-if="asked" :title="data?.milestones[asked.index]?.title ?? ''" :player="asked.player" :index="asked.index" :busy="busy" @give="(yes) => give(asked!.player, asked!.index, yes)" @close="asked = undefined" />
  </div>
</template>

<style scoped>
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

.standings {
  display: grid;
  gap: 12px;
}
</style>
