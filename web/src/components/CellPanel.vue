<script setup lang="ts">
import type { Cell, Column, Row } from '../api/client'
import { shown } from '../api/client'
import FateGlyph from './FateGlyph.vue'

defineProps<{ game: string; row: Row; column: Column; cell: Cell; told: string; undoable: boolean; busy: boolean }>()
defineEmits<{ choose: [fate: string]; undo: [] }>()

const decided: Record<string, string> = {
  own: 'Decided by the item itself',
  default: 'By the plan’s defaults',
  'built-in': 'Follows from the plan',
  undecided: 'Nobody has decided it',
  'n/a': 'Does not apply',
}
</script>

<template>
  <aside class="sheet panel" aria-live="polite">
    <p class="quiet where">{{ row.title }} at {{ column.title.toLowerCase() }}</p>
    <p class="fate"><FateGlyph :fate="cell.fate" /> {{ cell.fate === 'n/a' ? 'does not apply' : cell.short }}</p>
    <p class="sentence">{{ cell.sentence }}</p>
    <p class="quiet">
      {{ decided[cell.decided] }}<template v-if="cell.where">,
        <RouterLink class="plain" :to="{ name: 'plan', params: { game }, query: { line: cell.where.line, column: cell.where.column } }">line {{ cell.where.line }}</RouterLink></template>.
    </p>
    <div v-if="cell.choices.length" class="choices" role="group" :aria-label="`Change ${row.title} at ${column.title}`">
      <button
        v-for="fate in cell.choices"
        :key="fate"
        type="button"
        :class="{ now: fate === cell.fate && cell.decided === 'own' }"
        :aria-pressed="fate === cell.fate && cell.decided === 'own'"
        :disabled="busy"
        @click="$emit('choose', fate)"
      >
        <FateGlyph v-if="fate" :fate="fate" /> {{ fate || 'by default' }}
      </button>
    </div>
    <p v-if="told" class="quiet" role="status">{{ told }} <button v-if="undoable" type="button" class="undo" @click="$emit('undo')">Undo</button></p>
    <dl>
      <dt>Name</dt>
      <dd class="mono">{{ row.name }}</dd>
      <dt>Type</dt>
      <dd>{{ row.type }}</dd>
      <template v-if="row.computed">
        <dt>Is</dt>
        <dd class="mono">{{ row.computed }}</dd>
      </template>
      <template v-else>
        <dt>Start</dt>
        <dd class="mono">{{ shown(row.start) }}</dd>
      </template>
      <dt>{{ column.title }}</dt>
      <dd>{{ column.meaning }}</dd>
    </dl>
    <RouterLink v-if="row.line" class="plain" :to="{ name: 'plan', params: { game }, query: { line: row.line, column: row.column } }">
      Its declaration, line {{ row.line }}
    </RouterLink>
  </aside>
</template>

<style scoped>
.panel {
  padding: 16px 18px;
}

p {
  margin: 0 0 8px;
}

.fate {
  display: flex;
  align-items: center;
  gap: 8px;
  font-weight: 600;
  font-size: 18px;
}

.sentence {
  font-size: 16.5px;
  line-height: 1.4;
}

.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 12px 0 8px;
}

.choices button {
  display: flex;
  align-items: center;
  gap: 6px;
  padding: 3px 10px;
  border: 1px solid var(--line);
  border-radius: 3px;
  cursor: pointer;
}

.choices button:hover {
  background: var(--faint);
}

.choices .now {
  border-color: rgb(var(--v-theme-primary));
  font-weight: 600;
}

.undo {
  color: rgb(var(--v-theme-primary));
  text-decoration: underline;
  cursor: pointer;
}

dl {
  display: grid;
  grid-template-columns: 64px 1fr;
  gap: 5px 10px;
  margin: 14px 0;
  padding-top: 12px;
  border-top: 1px solid var(--line);
}

dt {
  color: rgb(var(--v-theme-quiet));
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
