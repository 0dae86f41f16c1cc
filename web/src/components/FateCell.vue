<script setup lang="ts">
import { computed } from 'vue'

import type { Cell } from '../api/client'
import FateGlyph from './FateGlyph.vue'

const props = defineProps<{ cell: Cell; label: string; picked: boolean; unseen?: boolean }>()
defineEmits<{ pick: [] }>()

const tone = computed(() => {
  switch (props.cell.fate) {
    case 'keep':
    case 'exact':
    case 'stay':
      return 'keep'
    case 'reset':
    case 'start':
      return 'reset'
    case 'rewind':
    case 'checkpoint':
    case 'entry':
      return 'rewind'
    case 'set':
      return 'set'
    case 'undecided':
    case 'unbounded':
      return 'error'
  }
  return 'quiet'
})
</script>

<template>
  <button
    type="button"
    class="cell"
    :class="[`by-${cell.decided.replace('/', '')}`, { picked }]"
    :style="{ '--tone': `var(--v-theme-${tone})` }"
    :aria-label="`${label}: ${cell.fate === 'n/a' ? 'does not apply' : cell.short}, ${cell.decided}${unseen ? ', never seen at work' : ''}`"
    :aria-pressed="picked"
    @click="$emit('pick')"
  >
    <template v-if="cell.fate !== 'n/a'">
      <FateGlyph :fate="cell.fate" />
      <span class="word" :title="cell.short.length > 10 ? cell.short : undefined">{{ cell.short }}</span>
      <span v-if="unseen" class="unseen" title="The last search never saw this at work." aria-hidden="true" />
    </template>
    <span v-else class="none" aria-hidden="true">–</span>
  </button>
</template>

<style scoped>
.cell {
  display: flex;
  align-items: center;
  gap: 6px;
  width: 100%;
  height: 26px;
  padding: 1px 8px;
  border-radius: 3px;
  text-align: left;
  cursor: pointer;
  color: rgb(var(--tone));
  border: 1px solid transparent;
}

.word {
  color: rgb(var(--v-theme-on-surface));
  white-space: nowrap;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}

/* What the item itself decides stands out; what the defaults decide is quieter. */
.by-own {
  background: color-mix(in srgb, rgb(var(--tone)) 13%, transparent);
}

.by-own .word {
  font-weight: 600;
}

.by-default .word,
.by-built-in .word,
.by-na .word,
.none {
  color: rgb(var(--v-theme-quiet));
}

.by-undecided {
  border: 1px dashed rgb(var(--v-theme-error));
}

/* What no search has shown. */
.unseen {
  flex: none;
  width: 8px;
  height: 8px;
  margin-left: auto;
  border: 1.5px solid rgb(var(--v-theme-rewind));
  border-radius: 50%;
}

.cell:hover {
  background: color-mix(in srgb, rgb(var(--tone)) 20%, transparent);
}

.picked {
  border: 1px solid rgb(var(--v-theme-primary));
  background: color-mix(in srgb, rgb(var(--v-theme-primary)) 14%, transparent);
}
</style>
