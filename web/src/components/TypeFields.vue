<script setup lang="ts">
import { computed, watch } from 'vue'

import { useLanguage } from '../composables/useLanguage'
import { asksStart, choicesOf, type Shape } from '../declaration'
import LimitFields from './LimitFields.vue'

// What a declaration says of a type: its limits, its start, its choices.
defineProps<{ rosters: string[] }>()
const shape = defineModel<Shape>({ required: true })
const { types } = useLanguage()

const named = (stands: string) => types.value.filter((t) => t.stands.includes(stands)).map((t) => t.name)
const form = computed(() => types.value.find((t) => t.name === shape.value.type))
const items = computed(() => (form.value?.limits.some((l) => l.input === 'type') ? types.value.find((t) => t.name === shape.value.items.type) : undefined))
const choices = computed(() => (form.value ? choicesOf(form.value, shape.value.limits).map(String) : []))

// What another type begins with is nothing of this one.
watch(
  () => shape.value.type,
  () => (shape.value.start = form.value?.input === 'number' ? '0' : (choices.value[0] ?? '')),
)
</script>

<template>
  <v-select v-model="shape.type" :items="named('variables')" label="Type" :hint="form?.sentence.replaceAll('`', '')" persistent-hint />
  <div v-if="form" class="limits">
    <v-select v-if="items" v-model="shape.items.type" :items="named('items')" label="Of" />
    <LimitFields v-if="items" v-model="shape.items.limits" :form="items" :rosters="rosters" />
    <LimitFields v-model="shape.limits" :form="form" :rosters="rosters" />
    <template v-if="asksStart(form, shape)">
      <v-select v-if="form.input === 'choice'" v-model="shape.start" :items="choices" label="Start" />
      <v-text-field v-else v-model="shape.start" label="Start" class="mono" :class="{ narrow: form.input === 'number' }" />
    </template>
  </div>
  <v-checkbox v-if="form && !form.alone" v-model="shape.optional" label="May be none, and is at the start" density="compact" hide-details />
</template>

<style scoped>
.limits {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 10px 8px;
}

.limits > :deep(:not(.narrow)) {
  grid-column: 1 / -1;
}
</style>
