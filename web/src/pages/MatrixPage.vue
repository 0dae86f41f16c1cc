<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import CellPanel from '../components/CellPanel.vue'
import EmptyState from '../components/EmptyState.vue'
import FateGlyph from '../components/FateGlyph.vue'
import FateMatrix from '../components/FateMatrix.vue'
import TroubleNote from '../components/TroubleNote.vue'
import { useMatrix } from '../composables/resources'
import { useFateChange } from '../composables/useFateChange'

const props = defineProps<{ game: string }>()
const { data: matrix, error, reload } = useMatrix(() => props.game)
const { told, undoable, busy, change, undo } = useFateChange(props.game, () => reload())
const route = useRoute()
const router = useRouter()

// The cell that is picked stands in the address, so that it can be sent to a colleague.
const rowName = computed(() => String(route.query.row ?? ''))
const columnID = computed(() => String(route.query.at ?? ''))
const picked = computed(() => {
  const row = matrix.value?.groups.flatMap((g) => g.rows).find((r) => r.name === rowName.value)
  const i = matrix.value?.columns.findIndex((c) => c.id === columnID.value) ?? -1
  const column = matrix.value?.columns[i]
  const cell = row?.cells[i]
  return row && column && cell ? { row, column, cell } : undefined
})

const legend = [
  ['keep', 'stays'],
  ['reset', 'back to its start'],
  ['rewind', 'back to the checkpoint'],
  ['set', 'becomes something else'],
  ['computed', 'never stored'],
]

function pick(row: string, at: string) {
  told.value = ''
  void router.replace({ query: { row, at } })
}
</script>

<template>
  <div class="page">
    <h1 class="page-title">What survives what</h1>
    <p class="page-lead legend">
      <span v-for="[fate, text] in legend" :key="fate"><FateGlyph :fate="fate ?? ''" /> {{ text }}</span>
      <span><b class="own">decided here</b></span>
      <span>by default</span>
    </p>
    <TroubleNote :text="error" @retry="reload" />
    <EmptyState v-if="matrix && matrix.groups.length === 0" title="The plan has no state yet">Declare a variable, and its fates appear here.</EmptyState>
    <div v-else-if="matrix" class="beside">
      <FateMatrix :matrix="matrix" :row="rowName" :column="columnID" @pick="pick" />
      <CellPanel
        v-if="picked"
        :game="game"
        v-bind="picked"
        :told="told"
        :undoable="undoable !== undefined"
        :busy="busy"
        @choose="(fate) => change(rowName, columnID, fate)"
        @undo="undo"
      />
      <aside v-else class="sheet hint">
        <b>Pick a cell</b>
        <p>It says in one sentence what happens to that value there, and where in the plan it is decided.</p>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
}

.legend span {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}

.own {
  color: rgb(var(--v-theme-on-surface));
  background: color-mix(in srgb, rgb(var(--v-theme-keep)) 15%, transparent);
  padding: 1px 7px;
  border-radius: 3px;
}

.beside {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 310px;
  gap: 16px;
  align-items: start;
}

.hint {
  padding: 16px 18px;
}

.hint p {
  margin: 4px 0 0;
  color: rgb(var(--v-theme-quiet));
}

@media (max-width: 1000px) {
  .beside {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
