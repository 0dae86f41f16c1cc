<script setup lang="ts">
import type { Matrix } from '../api/client'
import FateCell from './FateCell.vue'

defineProps<{ matrix: Matrix; row: string; column: string }>()
defineEmits<{ pick: [row: string, column: string] }>()
</script>

<template>
  <div class="sheet scroller">
    <table class="matrix">
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
      <tbody v-for="g in matrix.groups" :key="g.holder">
        <tr class="group">
          <th :colspan="matrix.columns.length + 1" scope="rowgroup">{{ g.title }}</th>
        </tr>
        <tr v-for="r in g.rows" :key="r.name" :class="{ current: r.name === row }">
          <th scope="row" :title="`${r.name}: ${r.type}`">{{ r.title }}</th>
          <td v-for="(cell, i) in r.cells" :key="i" :class="{ derived: matrix.columns[i]?.id === 'crash' }">
            <FateCell
              :cell="cell"
              :label="`${r.title} at ${matrix.columns[i]?.title}`"
              :picked="r.name === row && matrix.columns[i]?.id === column"
              @pick="$emit('pick', r.name, matrix.columns[i]?.id ?? '')"
            />
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.scroller {
  overflow: auto;
  max-height: calc(100vh - 172px);
}

.matrix {
  border-collapse: collapse;
  width: 100%;
  min-width: 720px;
}

.first {
  width: 20%;
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

.group th {
  text-align: left;
  font-size: 12.5px;
  font-weight: 600;
  color: rgb(var(--v-theme-secondary));
  padding: 12px 10px 3px;
}

tbody th[scope='row'] {
  text-align: left;
  font-weight: 400;
  padding: 0 10px;
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

.current th {
  font-weight: 600;
}

.derived {
  border-left: 1px solid var(--line);
}
</style>
