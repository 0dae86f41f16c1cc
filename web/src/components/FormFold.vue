<script setup lang="ts">
import { defineAsyncComponent, ref } from 'vue'

// What the plan says of something, folded away until somebody wants to change it.
defineProps<{ game: string; title: string; parts: string[] }>()
const PartForms = defineAsyncComponent(() => import('./PartForms.vue'))
const open = ref(false)
</script>

<template>
  <details class="sheet fold" @toggle="(e) => (open = (e.target as HTMLDetailsElement).open)">
    <summary>{{ title }}</summary>
    <PartForms v-if="open" :game="game" :parts="parts" />
  </details>
</template>

<style scoped>
.fold {
  margin-top: 16px;
  padding: 10px 16px;
}

summary {
  cursor: pointer;
  font-weight: 600;
}

.fold[open] > summary {
  margin-bottom: 10px;
}
</style>
