<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '../api/client'
import { useWindow } from '../composables/useWindow'

type Player = Schemas['MilestonePlayer']

// Who has which milestone, and how far the others are.
const props = defineProps<{ game: string; milestones: Schemas['MilestoneInfo'][]; players: Player[] }>()
defineEmits<{ ask: [player: Player, index: number] }>()

const scroller = ref<HTMLElement>()
const { seen, above, below } = useWindow(computed(() => props.players), () => 37, scroller)

/** How far somebody is, in a word. */
function standing(p: Player, index: number) {
  const [stand, m] = [p.stands[index], props.milestones[index]]
  return stand?.earned ? 'earned' : m?.goal ? `${stand?.reached ?? 0}/${m.goal}` : 'not yet'
}

const share = (reached: number, goal = 0) => Math.min(100, goal ? (100 * reached) / goal : 0)
</script>

<template>
  <div ref="scroller" class="sheet scroll" tabindex="0" aria-label="Players and their milestones">
    <table class="plain">
      <thead>
        <tr>
          <th scope="col">Player</th>
          <th v-for="m in milestones" :key="m.id" scope="col">{{ m.title }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-if="above" aria-hidden="true"><td :style="{ height: `${above}px` }" /></tr>
        <tr v-for="{ item: p } in seen" :key="`${p.player} ${p.slot}`">
          <th scope="row">
            <RouterLink class="plain" :to="{ name: 'player', params: { game, player: p.player }, query: { slot: p.slot } }">{{ p.player }}</RouterLink>
            <span v-if="p.slot > 1" class="quiet"> slot {{ p.slot }}</span> <span v-if="p.present" class="present">plays</span>
          </th>
          <td v-for="(m, i) in milestones" :key="m.id">
            <button type="button" class="stand" :class="{ earned: p.stands[i]?.earned }" :title="p.stands[i]?.earned ? 'Take it back' : 'Give it by hand'" :aria-label="`${m.title} of ${p.player}: ${standing(p, i)}; ${p.stands[i]?.earned ? 'take it back' : 'give it by hand'}`" @click="$emit('ask', p, i)">
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
</template>

<style scoped>
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
</style>
