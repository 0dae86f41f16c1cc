<script setup lang="ts">
// A small picture for each fate, so that nobody depends on colour. Each is drawn on 16 by 16.
const shapes: Record<string, string> = {
  keep: 'M1.5 8h13', // a bed that the water leaves as it is
  exact: 'M1.5 8h13',
  stay: 'M1.5 8h13',
  reset: 'M8 2.2c2.4 3.2 4 5.2 4 7.3a4 4 0 0 1-8 0c0-2.1 1.6-4.1 4-7.3z', // a drop: back to the spring
  start: 'M8 2.2c2.4 3.2 4 5.2 4 7.3a4 4 0 0 1-8 0c0-2.1 1.6-4.1 4-7.3z',
  rewind: 'M14 12.5H6.5a4 4 0 0 1 0-8H9M6 1.5l-3.4 3L6 7.5', // an eddy
  checkpoint: 'M14 12.5H6.5a4 4 0 0 1 0-8H9M6 1.5l-3.4 3L6 7.5',
  entry: 'M14 12.5H6.5a4 4 0 0 1 0-8H9M6 1.5l-3.4 3L6 7.5',
  set: 'M8 1.8 14.2 8 8 14.2 1.8 8z', // a stone laid into it
  computed: 'M2 5c2-2 4 2 6 0s4 2 6 0M2 10.5c2-2 4 2 6 0s4 2 6 0', // the surface: never stored
  passage: 'M2 13V3m12 10V3M4.5 8H11M8.5 5.2 11.4 8l-2.9 2.8', // between two shores
  saved: 'M3.5 3.5h9v9h-9z',
  unbounded: 'M1.5 8h3m3 0h1.5m3 0h2.5',
  undecided: 'M5.2 5.6a2.9 2.9 0 1 1 4 2.7c-.9.4-1.2.9-1.2 1.9M8 13v.6',
}
const filled = new Set(['set', 'saved'])
const heavy = new Set(['keep', 'exact', 'stay'])

const props = defineProps<{ fate: string }>()
</script>

<template>
  <svg class="glyph" viewBox="0 0 16 16" width="15" height="15" aria-hidden="true">
    <path
      v-if="shapes[props.fate]"
      :d="shapes[props.fate]"
      :fill="filled.has(props.fate) ? 'currentColor' : 'none'"
      stroke="currentColor"
      :stroke-width="heavy.has(props.fate) ? 3.2 : 1.7"
      stroke-linecap="round"
      stroke-linejoin="round"
    />
    <circle v-else cx="8" cy="8" r="1.3" fill="currentColor" />
  </svg>
</template>

<style scoped>
.glyph {
  flex: none;
  display: block;
}
</style>
