<script setup lang="ts">
import { computed, ref } from 'vue'

import { shown } from '../api/client'
import type { DryRunView } from '../composables/useDryRun'

// Each value before the step and after it, with the reason beside what changed.
const props = defineProps<{ game: string; view: DryRunView; player: string }>()

const part = ref<'changed' | 'player' | 'world'>('changed')
const everything = computed(() => [...props.view.stands.flatMap((p) => p.values.map((v) => ({ ...v, who: p.player }))), ...props.view.world.map((v) => ({ ...v, who: v.name.startsWith('game.') ? 'game' : (v.of ?? '') }))])
const rows = computed(() => {
  if (part.value === 'world') return everything.value.slice(everything.value.length - props.view.world.length)
  if (part.value === 'player') return everything.value.filter((v) => v.who === props.player && props.view.stands.some((p) => p.player === props.player))
  return everything.value.filter((v) => v.change)
})
const several = computed(() => part.value === 'changed')
const notices = computed(() => (props.view.at > 0 ? (props.view.steps[props.view.at - 1]?.notices ?? []) : []).filter((n) => n.kind === 'message' || n.kind === 'milestone'))
const parts = computed(() => [
  ['changed', 'What changed'],
  ['player', `All of ${props.player}`],
  ['world', 'Game and scenes'],
] as const)
</script>

<template>
  <section class="sheet">
    <nav class="parts" aria-label="Which values">
      <button v-for="[id, title] in parts" :key="id" type="button" :class="{ here: part === id }" :aria-pressed="part === id" @click="part = id">{{ title }}</button>
      <span class="told quiet" role="status"><template v-for="(n, i) in notices" :key="i">{{ n.to === 'everyone' ? 'everyone' : n.player }} is told: “{{ n.text }}” </template></span>
    </nav>
    <div class="scroll" tabindex="0" aria-label="Values before and after">
      <table v-if="rows.length" class="plain">
        <thead>
          <tr>
            <th v-if="several" scope="col">Of</th>
            <th scope="col">Value</th>
            <th scope="col">Before</th>
            <th scope="col">After</th>
            <th scope="col">Because</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in rows" :key="`${r.who} ${r.name} ${r.of ?? ''}`">
            <td v-if="several">{{ r.who }}</td>
            <td :title="r.name">{{ r.title }}</td>
            <td class="mono quiet">{{ shown(r.before) }}</td>
            <td class="mono" :class="{ changed: r.change }">{{ shown(r.after) }}</td>
            <td class="quiet">
              <RouterLink v-if="r.line" class="plain" :to="{ name: 'plan', params: { game }, query: { line: r.line } }">{{ r.cause }}</RouterLink>
              <template v-else>{{ r.cause }}</template>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else class="quiet none">{{ part === 'changed' ? (view.at ? 'This step changed nothing.' : 'Nothing has happened yet. Let somebody join, on the left.') : `${player} is not in the session.` }}</p>
    </div>
  </section>
</template>

<style scoped>
.parts {
  display: flex;
  gap: 4px;
  padding: 0 8px;
  border-bottom: 1px solid var(--line);
}

.parts button {
  padding: 6px 10px;
  color: rgb(var(--v-theme-quiet));
  border-bottom: 3px solid transparent;
  cursor: pointer;
}

.parts .here {
  color: inherit;
  font-weight: 600;
  border-bottom-color: rgb(var(--v-theme-primary));
}

.told {
  margin-left: auto;
  align-self: center;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.scroll {
  overflow: auto;
  height: calc(100vh - 586px);
  min-height: 170px;
}

table.plain th {
  position: sticky;
  top: 0;
  background: rgb(var(--v-theme-surface));
  padding: 5px 12px;
}

table.plain td {
  padding: 3px 12px;
}

.changed {
  font-weight: 600;
}

.none {
  margin: 14px;
}
</style>
