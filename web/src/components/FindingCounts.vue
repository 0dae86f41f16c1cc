<script setup lang="ts">
import type { Schemas } from '../api/client'

defineProps<{ counts: Schemas['Counts'] }>()
</script>

<template>
  <span v-if="counts.errors" class="error">{{ counts.errors }} {{ counts.errors === 1 ? 'error' : 'errors' }}</span>
  <span v-if="counts.warnings" class="warning">{{ counts.warnings }} {{ counts.warnings === 1 ? 'warning' : 'warnings' }}</span>
  <span v-if="counts.notes" class="quiet">{{ counts.notes }} {{ counts.notes === 1 ? 'note' : 'notes' }}</span>
  <span v-if="counts.errors + counts.warnings + counts.notes === 0" class="fine">no problems</span>
  <span v-if="counts.accepted" class="quiet">{{ counts.accepted }} accepted</span>
</template>

<style scoped>
span {
  margin-right: 12px;
  white-space: nowrap;
}

.error {
  color: rgb(var(--v-theme-error));
  font-weight: 600;
}

.warning {
  color: rgb(var(--v-theme-warning));
  font-weight: 600;
}

.fine {
  color: rgb(var(--v-theme-success));
}
</style>
