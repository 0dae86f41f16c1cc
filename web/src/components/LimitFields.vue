<script setup lang="ts">
import type { TypeForm } from '../declaration'

// The limits of a type, one field for each that goes with it.
defineProps<{ form: TypeForm; rosters: string[] }>()
const limits = defineModel<Record<string, string>>({ required: true })
</script>

<template>
  <template v-for="l in form.limits" :key="l.key">
    <v-select v-if="l.input === 'roster'" v-model="limits[l.key]" :items="rosters" :label="l.title" no-data-text="The plan has no rosters yet" />
    <v-text-field
      v-else-if="l.input !== 'type'"
      v-model="limits[l.key]"
      :label="l.input === 'names' ? `${l.title}, with commas between` : l.title"
      :placeholder="l.default"
      :title="l.meaning"
      class="mono"
      :class="{ narrow: l.input === 'number' }"
      :inputmode="l.input === 'number' ? 'decimal' : undefined"
    />
  </template>
</template>
