<script setup lang="ts">
import EmptyState from '../components/EmptyState.vue'
import SaveCheck from '../components/SaveCheck.vue'
import TroubleNote from '../components/TroubleNote.vue'
import { usePlayers } from '../composables/resources'

const props = defineProps<{ game: string }>()
const { data: players, error, reload } = usePlayers(() => props.game)
const when = new Intl.DateTimeFormat(undefined, { dateStyle: 'medium', timeStyle: 'medium' })
</script>

<template>
  <div class="page">
    <h1 class="page-title">Players</h1>
    <p class="page-lead">Everybody who is in a session now, or has something saved.</p>
    <TroubleNote :text="error" @retry="reload" />
    <EmptyState v-if="players && players.length === 0" title="Nobody has played yet">
      Let somebody join: <span class="mono">alluvion play -service … -game {{ game }}</span>
    </EmptyState>
    <table v-else-if="players" class="plain sheet">
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
        <template v-for="p in players" :key="p.player">
          <tr v-for="(s, i) in p.slots.length ? p.slots : [undefined]" :key="i">
            <td>
              <RouterLink class="plain" :to="{ name: 'player', params: { game, player: p.player }, query: s ? { slot: s.slot } : {} }">{{ p.player }}</RouterLink>
            </td>
            <td>
              <span v-if="p.session && (!s || s.slot === p.slot)" class="present">in {{ p.session }}</span>
              <span v-else class="quiet">away</span>
            </td>
            <td>{{ s?.slot ?? p.slot }}</td>
            <td>{{ s?.scene ?? 'nothing yet' }}</td>
            <td class="quiet">{{ s?.moment }}</td>
            <td>{{ s ? when.format(new Date(s.saved_at)) : '' }}</td>
            <td class="number mono">{{ s?.version }}</td>
            <td class="number mono">{{ s?.revision }}</td>
          </tr>
        </template>
      </tbody>
    </table>
    <SaveCheck :game="game" />
  </div>
</template>

<style scoped>
.present {
  color: rgb(var(--v-theme-success));
  font-weight: 600;
}
</style>
