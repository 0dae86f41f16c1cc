<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import type { Matrix, Schemas } from '../api/client'
import { useWindow } from '../composables/useWindow'
import FateCell from './FateCell.vue'

const props = defineProps<{ matrix: Matrix; row: string; column: string; stale: boolean; unseen?: Set<string> }>()
const emit = defineEmits<{ pick: [row: string, column: string] }>()

type Line = { group: string; row?: undefined } | { group?: undefined; row: Schemas['Row'] }

const scroller = ref<HTMLElement>()
const lines = computed<Line[]>(() => props.matrix.groups.flatMap((g) => [{ group: g.title }, ...g.rows.map((row) => ({ row }))]))
const { seen, above, below, show } = useWindow(lines, (l) => (l.row ? 27 : 36), scroller)

watch(
  [() => props.row, lines, scroller],
  ([row], before) => {
    if (before[0] !== row || !before[2]) show(lines.value.findIndex((l) => l.row?.name === row))
  },
  { immediate: true, flush: 'post' },
)

/** The arrow keys go from cell to cell. */
function onKey(e: KeyboardEvent) {
  const by = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[e.key]
  if (!by || !(e.target as HTMLElement).closest('.cell')) return
  e.preventDefault()
  const rows = lines.value.flatMap((l) => (l.row ? [l.row] : []))
  const r = Math.min(Math.max(rows.findIndex((x) => x.name === props.row) + by[0]!, 0), rows.length - 1)
  const c = Math.min(Math.max(props.matrix.columns.findIndex((x) => x.id === props.column) + by[1]!, 0), props.matrix.columns.length - 1)
  emit('pick', rows[r]!.name, props.matrix.columns[c]!.id)
  requestAnimationFrame(() => requestAnimationFrame(() => scroller.value?.querySelector<HTMLElement>('.cell.picked')?.focus()))
}
</script>

<template>
  <div ref="scroller" class="sheet scroller" :class="{ stale }" @keydown="onKey">
    <table class="matrix" :class="{ dense: matrix.columns.length > 6 }" :style="{ minWidth: `${170 + 86 * matrix.columns.length}px` }">
      <colgroup>
        <col class="first" />
        <col v-for="c in matrix.columns" :key="c.id" />
      </colgroup>
      <thead>
        <tr>
          <th scope="col">State</th>
          <th v-for="c in matrix.columns" :key="c.id" scope="col" :title="c.meaning" :class="{ derived: c.id === 'crash' }">{{ c.title }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-if="above" aria-hidden="true"><td :colspan="matrix.columns.length + 1" :style="{ height: `${above}px` }" /></tr>
        <template v-for="{ item: l, index } in seen" :key="l.row?.name ?? `group ${index}`">
          <tr v-if="!l.row" class="group">
            <th :colspan="matrix.columns.length + 1" scope="rowgroup">{{ l.group }}</th>
          </tr>
          <tr v-else :class="{ current: l.row.name === row }">
            <th scope="row" :title="`${l.row.name}: ${l.row.type}`">{{ l.row.title }}</th>
            <td v-for="(cell, i) in l.row.cells" :key="i" :class="{ derived: matrix.columns[i]?.id === 'crash' }">
              <FateCell
                :cell="cell"
                :label="`${l.row.title} at ${matrix.columns[i]?.title}`"
                :picked="l.row.name === row && matrix.columns[i]?.id === column"
                :unseen="unseen?.has(`${l.row.name} at ${matrix.columns[i]?.id}`)"
                @pick="$emit('pick', l.row.name, matrix.columns[i]?.id ?? '')"
              />
            </td>
          </tr>
        </template>
        <tr v-if="below" aria-hidden="true"><td :colspan="matrix.columns.length + 1" :style="{ height: `${below}px` }" /></tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.scroller {
  overflow: auto;
  max-height: calc(100vh - 206px);
}

.stale {
  opacity: 0.55;
}

.matrix {
  border-collapse: collapse;
  width: 100%;
  table-layout: fixed;
}

.first {
  width: 21%;
}

thead th {
  position: sticky;
  top: 0;
  z-index: 1;
  background: rgb(var(--v-theme-surface));
  text-align: left;
  font-size: 13px;
  font-weight: 600;
  color: rgb(var(--v-theme-quiet));
  padding: 8px 10px;
  box-shadow: inset 0 -1px var(--line);
}

.group {
  height: 36px;
}

.group th {
  text-align: left;
  vertical-align: bottom;
  font-size: 12.5px;
  font-weight: 600;
  color: rgb(var(--v-theme-secondary));
  padding: 0 10px 4px;
}

tbody th[scope='row'] {
  text-align: left;
  font-weight: 400;
  padding: 0 10px;
  height: 27px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}

tbody td {
  padding: 0 2px;
}

tbody tr:not(.group):hover {
  background: var(--faint);
}

tbody .current th[scope='row'] {
  font-weight: 600;
}

/* A plan with crossings of its own has more columns than fit otherwise; the names stay in sight. */
.dense :deep(.cell) {
  gap: 4px;
  padding: 1px 4px;
  font-size: 14px;
  letter-spacing: -0.01em;
}

.dense thead th {
  padding: 8px 6px;
}

.dense .first {
  width: 17%;
}

.dense thead th:first-child {
  padding-left: 10px;
}

.dense th:first-child {
  position: sticky;
  left: 0;
  background: rgb(var(--v-theme-surface));
}

.dense thead th:first-child {
  z-index: 2;
}

.derived {
  border-left: 1px solid var(--line);
}
</style>
