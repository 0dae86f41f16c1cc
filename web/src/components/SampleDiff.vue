<script setup lang="ts">
import { computed } from 'vue'

import { api, dataOf } from '../api/client'
import { useResource } from '../composables/useResource'

// What two saves say otherwise: before and after, in the words of the plan.
const props = defineProps<{ game: string; title: string; before?: unknown; after?: unknown }>()

const lost = computed(() => props.before !== undefined && props.after === undefined)
const { data: rows, error } = useResource(
  async () => dataOf(await api.POST('/v1/games/{game}/differences', { params: { path: { game: props.game } }, body: { before: props.before, after: props.after } })),
  () => props.title,
)
</script>

<template>
  <div class="sample">
    <p class="quiet">{{ title }}<template v-if="lost">: it is not loaded</template></p>
    <p v-if="error" class="bad">{{ error }}</p>
    <p v-else-if="rows && !rows.length">They say the same.</p>
    <div v-else-if="rows" class="scroll" tabindex="0" :aria-label="title">
      <table class="plain">
        <thead>
          <tr><th scope="col">What</th><th scope="col">{{ lost ? 'As it was' : 'Before' }}</th><th v-if="!lost" scope="col">After</th></tr>
        </thead>
        <tbody>
          <tr v-for="r in rows" :key="r.pointer">
            <td :title="r.pointer">{{ r.title }}</td>
            <td class="mono" :class="{ quiet: !r.before }">{{ r.before || '–' }}</td>
            <td v-if="!lost" class="mono" :class="{ quiet: !r.after }">{{ r.after || '–' }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.sample {
  border: 1px solid var(--line);
  border-radius: 3px;
  margin-bottom: 10px;
}

p {
  margin: 0;
  padding: 6px 12px;
  font-size: 14px;
}

.scroll {
  max-height: 260px;
  overflow: auto;
}

table.plain td {
  padding: 2px 12px;
  overflow-wrap: anywhere;
}
</style>
