<script setup lang="ts">
import { computed } from 'vue'

// A sentence about a rule, moved in by how deep in the rule it stands. Names that stand only for what an event or an
// action gives are set apart.
const props = defineProps<{ text: string; deep?: number }>()
const parts = computed(() => props.text.split(/(‹[^›]*›)/).map((text) => (text.startsWith('‹') ? { text: text.slice(1, -1), given: true } : { text, given: false })))
</script>

<template>
  <span class="sentence" :style="{ paddingLeft: `${(deep ?? 0) * 18}px` }"><template v-for="(p, i) in parts" :key="i"><i v-if="p.given">{{ p.text }}</i><template v-else>{{ i === 0 ? p.text.replace(/^./, (c) => c.toUpperCase()) : p.text }}</template></template></span>
</template>

<style scoped>
.sentence {
  display: block;
  line-height: 1.45;
}

i {
  color: rgb(var(--v-theme-primary));
}
</style>
