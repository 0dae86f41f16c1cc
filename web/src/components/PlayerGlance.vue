<script setup lang="ts">
import { computed } from 'vue'

import { shown } from '../api/client'
import { usePlayer, useTrail } from '../composables/resources'
import type { Watched } from '../composables/useOverview'

const props = defineProps<{ game: string; session: string; watched: Watched }>()

const player = usePlayer(() => props.game, () => props.watched.player, () => 0)
const trail = useTrail(() => props.game, () => props.session, () => props.watched.player, () => '')

/** What differs from the start, with who wrote it last. */
const values = computed(() => {
  const last = new Map<string, string>()
  for (const s of trail.data.value ?? []) if (!last.has(s.name)) last.set(s.name, s.cause)
  return (player.data.value?.values ?? []).filter((v) => !v.of && v.type !== 'stopwatch' && !(v.type === 'milestone' && !last.has(v.name)) && (last.has(v.name) || (!v.computed && shown(v.live) !== shown(v.start)))).map((v) => ({ ...v, by: last.get(v.name) ?? '' }))
})
const refusals = computed(() => Object.entries(props.watched.refusals ?? {}).map(([kind, n]) => `${n} ${kind}`).join(', '))
const said = (json: string) => (json === 'null' ? 'none' : json || 'nothing')
const unlike = computed(() => props.watched.machine?.unlike ?? [])
</script>

<template>
  <div class="glance">
    <h2>
      {{ watched.player }}
      <RouterLink class="plain" :to="{ name: 'player', params: { game, player: watched.player } }">all values</RouterLink>
    </h2>
    <p class="quiet small">
      <template v-if="watched.machine">
        {{ watched.machine.packed ? 'Packed' : 'Text' }} frames to {{ watched.machine.from }}; {{ Math.round(watched.machine.bytes_out / Math.max(watched.machine.frames, 1)) }} bytes each on average.
        <template v-if="watched.machine.near">
          This machine is sent {{ watched.machine.near.others === 1 ? 'one other player' : `${watched.machine.near.others} other players` }} who are near<template v-if="watched.machine.near.waiting">; something of {{ watched.machine.near.waiting }} waits for a later frame</template>.
        </template>
      </template>
      <template v-else-if="watched.lost">The connection is lost; the seat is kept for a while.</template>
      <template v-else>No machine is connected: this player was brought in over HTTP.</template>
      <template v-if="refusals"> Refused: {{ refusals }}.</template>
    </p>
    <template v-if="unlike.length">
      <h3 class="bad">Believed otherwise at tick {{ watched.machine?.unlike_at }}</h3>
      <table class="plain sheet">
        <thead>
          <tr><th scope="col">Value</th><th scope="col">Server</th><th scope="col">This machine</th><th scope="col" class="number">Since tick</th></tr>
        </thead>
        <tbody>
          <tr v-for="d in unlike" :key="d.address">
            <td class="mono">{{ d.address.split('@')[0] }}</td>
            <td class="mono">{{ said(d.server) }}</td>
            <td class="mono bad">{{ said(d.client) }}</td>
            <td class="number mono">{{ d.since }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <h3>What is not as at the start, and who wrote it last</h3>
    <table class="plain sheet">
      <tbody>
        <tr v-for="v in values" :key="v.name">
          <th scope="row">{{ v.title }}</th>
          <td class="mono">{{ shown(v.live) }}</td>
          <td class="quiet">{{ v.by }}</td>
        </tr>
        <tr v-if="values.length === 0"><td class="quiet">Everything is as at the start.</td></tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
h2 {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  font-size: 16px;
  margin: 14px 0 2px;
}

h2 a {
  font-size: 14px;
  font-weight: 400;
}

h3 {
  font-size: 14px;
  margin: 8px 0 4px;
}

.small {
  margin: 0;
  font-size: 14px;
}

table {
  font-size: 14px;
}

tbody th {
  color: inherit;
  font-weight: 400;
}

table.plain td,
table.plain th {
  padding: 3px 10px;
}
</style>
