<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import type { Schemas } from '../api/client'
import EmptyState from '../components/EmptyState.vue'
import SaveCheck from '../components/SaveCheck.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { MOST_PLAYERS, usePlayers } from '../composables/resources'
import { useWindow } from '../composables/useWindow'
import { dayAndTime } from '../times'

const props = defineProps<{ game: string }>()
const route = useRoute()
const router = useRouter()
const find = computed(() => String(route.query.find ?? ''))
const { data: players, error, reload } = usePlayers(() => props.game, () => find.value)

interface Line {
  player: Schemas['PlayerInfo']
  slot?: Schemas['SlotInfo']
}

const look = (text: string) => void router.replace({ query: text ? { find: text } : {} })
const lines = computed<Line[]>(() => (players.value ?? []).flatMap((player) => (player.slots.length ? player.slots.map((slot) => ({ player, slot })) : [{ player }])))
const scroller = ref<HTMLElement>()
const { seen, above, below } = useWindow(lines, () => 33, scroller)
const here = (l: Line) => l.player.session && (!l.slot || l.slot.slot === l.player.slot)
</script>

<template>
  <div class="page">
    <h1 class="page-title">Players</h1>
    <p class="page-lead">Everybody who is in a session now, or has something saved.</p>
    <TroubleNote :text="error" @retry="reload" />
    <EmptyState v-if="players && players.length === 0 && !find" title="Nobody has played yet">
      Let somebody join: <span class="mono">alluvion play -service … -game {{ game }}</span>
      <template #do><v-btn variant="outlined" :to="{ name: 'dry-run', params: { game } }">Or try the plan in a dry run</v-btn></template>
    </EmptyState>
    <template v-else-if="players">
      <v-text-field v-if="players.length > 12 || find" :model-value="find" class="find" label="Find a player" clearable @update:model-value="(v) => look(v ?? '')" />
      <div ref="scroller" class="sheet scroll" tabindex="0" aria-label="Players and their saves">
        <table class="plain">
          <thead>
            <tr>
              <th scope="col">Player</th>
              <th scope="col">Now</th>
              <th scope="col">Slot</th>
              <th scope="col">Saved in</th>
              <th scope="col">On</th>
              <th scope="col">When</th>
              <th scope="col" class="number">Version</th>
              <th scope="col" class="number">Revision</th>
            </tr>
          </thead>
          <tbody>
            <tr v-if="above" aria-hidden="true"><td :style="{ height: `${above}px` }" /></tr>
            <tr v-for="{ item: l } in seen" :key="`${l.player.player} ${l.slot?.slot ?? 0}`">
              <td>
                <RouterLink class="plain" :to="{ name: 'player', params: { game, player: l.player.player }, query: l.slot ? { slot: l.slot.slot } : {} }">{{ l.player.player }}</RouterLink>
              </td>
              <td>
                <span v-if="here(l)" class="present">in {{ l.player.session }}</span>
                <span v-else class="quiet">away</span>
              </td>
              <td>{{ l.slot?.slot ?? l.player.slot }}</td>
              <td>{{ l.slot?.title || l.slot?.scene || 'nothing yet' }}</td>
              <td class="quiet">{{ l.slot?.moment }}</td>
              <td>{{ l.slot ? dayAndTime(l.slot.saved_at) : '' }}</td>
              <td class="number mono">{{ l.slot?.version }}</td>
              <td class="number mono">{{ l.slot?.revision }}</td>
            </tr>
            <tr v-if="below" aria-hidden="true"><td :style="{ height: `${below}px` }" /></tr>
          </tbody>
        </table>
        <p v-if="players.length === MOST_PLAYERS" class="quiet none">The first {{ MOST_PLAYERS }} are shown. A part of the name finds others.</p>
        <p v-if="!lines.length" class="quiet none">Nobody is called {{ find }}.</p>
      </div>
    </template>
    <WaitingNote v-else-if="!error" />
    <SaveCheck :game="game" />
  </div>
</template>

<style scoped>
.find {
  max-width: 300px;
  margin-bottom: 10px;
}

.scroll {
  overflow: auto;
  max-height: calc(100vh - 262px);
}

thead th {
  position: sticky;
  top: 0;
  background: rgb(var(--v-theme-surface));
}

tbody tr {
  height: 33px;
}

table.plain td {
  padding: 3px 12px;
  white-space: nowrap;
}

.none {
  margin: 12px;
}

.present {
  color: rgb(var(--v-theme-success));
  font-weight: 600;
}
</style>
