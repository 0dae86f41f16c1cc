<script setup lang="ts">
import { computed } from 'vue'

import type { Watched } from '../composables/useOverview'

const props = defineProps<{ players: Watched[]; picked: string; titles: Record<string, string> }>()
defineEmits<{ pick: [id: string] }>()

/** Some are in a scene in which machines are sent only those who are near. */
const near = computed(() => props.players.some((p) => p.machine?.near))

function refused(p: Watched) {
  return Object.values(p.refusals ?? {}).reduce((a, b) => a + b, 0)
}

function machine(p: Watched) {
  if (p.machine) return p.machine.packed ? 'packed' : 'text'
  return p.lost ? 'lost' : 'none'
}
</script>

<template>
  <div class="sheet rows" :class="{ long: players.length > 16 }">
    <table class="plain">
      <thead>
        <tr>
          <th scope="col">Player</th>
          <th scope="col">Where</th>
          <th scope="col" title="How their machine is connected">Machine</th>
          <th v-if="near" scope="col" class="number" title="How many other players their machine is sent, because they are near">Near</th>
          <th scope="col" class="number" title="How much was refused of them">Refused</th>
          <th scope="col" class="number" title="How often their machine believed something else than the service">Unlike</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="p in players" :key="p.player" :class="{ picked: p.player === picked }">
          <th scope="row"><button type="button" :aria-pressed="p.player === picked" @click="$emit('pick', p.player)">{{ p.player }}</button></th>
          <td>{{ titles[p.place.scene] ?? p.place.scene }}<span v-if="p.dead" class="bad"> dead</span></td>
          <td :class="{ bad: p.lost, quiet: !p.machine && !p.lost }">{{ machine(p) }}</td>
          <td v-if="near" class="number mono" :title="p.machine?.near?.waiting ? `Something of ${p.machine.near.waiting} waits for a later frame.` : ''">{{ p.machine?.near?.others }}<span v-if="p.machine?.near?.waiting" class="quiet">, {{ p.machine.near.waiting }} wait</span></td>
          <td class="number mono" :class="{ quiet: !refused(p) }">{{ refused(p) }}</td>
          <td class="number mono" :class="p.machine?.mismatches ? 'bad' : 'quiet'">{{ p.machine?.mismatches ?? 0 }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.long {
  max-height: 420px;
  overflow: auto;
}

.long thead th {
  position: sticky;
  top: 0;
  background: rgb(var(--v-theme-surface));
}

table {
  width: 100%;
  border-collapse: separate;
  border-spacing: 0;
  font-size: 14px;
}

tbody th {
  padding: 3px 12px;
  border-bottom: 1px solid var(--line);
}

tbody th button {
  color: rgb(var(--v-theme-primary));
  font-weight: 600;
  font-size: 14px;
  cursor: pointer;
}

table.plain td {
  padding: 3px 10px;
  vertical-align: baseline;
}

tbody tr:last-child th {
  border-bottom: 0;
}

.picked > * {
  background: var(--faint);
}

.bad {
  color: rgb(var(--v-theme-error));
  font-weight: 600;
}
</style>
