<script setup lang="ts">
import { computed } from 'vue'

import type { Draft } from '../composables/useDraft'

const props = defineProps<{ game: string; draft: Draft; what: string; shown: boolean }>()
const first = computed(() => props.draft.findings.value.find((f) => f.severity === 'error'))
</script>

<template>
  <v-alert type="warning" class="mb-3">
    The plan has errors<template v-if="shown">; this {{ what }} is from before them</template>.
    <template v-if="first">
      The first is on <RouterLink class="line" :to="{ name: 'plan', params: { game }, query: { line: first.line, column: first.column } }">line {{ first.line }}</RouterLink>: {{ first.message }}
    </template>
  </v-alert>
</template>

<style scoped>
.line {
  color: inherit;
}
</style>
