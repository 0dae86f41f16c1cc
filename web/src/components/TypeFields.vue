<script setup lang="ts">
import { canBeNone, choicesOf, isMany, isNumeric, itemTypes, limited, types, type Shape } from '../declaration'

// What a declaration says of a type: its limits, its start, its choices.
defineProps<{ rosters: string[] }>()
const shape = defineModel<Shape>({ required: true })
</script>

<template>
  <v-select v-model="shape.type" :items="types" label="Type" />
  <div v-if="isMany(shape)" class="row">
    <v-select v-model="shape.items" :items="itemTypes" label="Of" />
    <v-text-field v-model="shape.most" label="At most" class="mono" inputmode="numeric" />
  </div>
  <div v-if="isNumeric(shape)" class="row">
    <v-text-field v-model="shape.min" label="Least" class="mono" inputmode="decimal" />
    <v-text-field v-model="shape.max" label="Most" class="mono" inputmode="decimal" />
    <v-text-field v-if="limited(shape) === 'decimal'" v-model="shape.step" label="Step" class="mono" inputmode="decimal" />
    <v-text-field v-if="!isMany(shape)" v-model="shape.start" label="Start" class="mono" inputmode="decimal" />
  </div>
  <v-select v-if="shape.type === 'bool'" v-model="shape.start" :items="['false', 'true']" label="Start" />
  <template v-if="limited(shape) === 'choice'">
    <v-text-field v-model="shape.choices" label="Choices, with commas between" class="mono" />
    <v-select v-if="!isMany(shape) && !shape.optional" v-model="shape.start" :items="choicesOf(shape)" label="Start" />
  </template>
  <v-text-field v-if="limited(shape) === 'text'" v-model="shape.length" label="Most characters" class="mono" inputmode="numeric" />
  <v-select v-if="limited(shape) === 'pick'" v-model="shape.roster" :items="rosters" label="Roster" no-data-text="The plan has no rosters yet" />
  <v-checkbox v-if="canBeNone(shape)" v-model="shape.optional" label="May be none, and is at the start" density="compact" hide-details />
</template>

<style scoped>
.row {
  display: grid;
  grid-auto-flow: column;
  grid-auto-columns: 1fr;
  gap: 8px;
}
</style>
