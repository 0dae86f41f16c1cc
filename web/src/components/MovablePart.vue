<script setup lang="ts">
import { computed } from 'vue'

import type { Draft } from '../composables/useDraft'
import { sceneOf, where, type PlanMap } from '../map'

// A movable that is picked on the map: where it begins, and where it never comes.
const props = defineProps<{ map: PlanMap; movable: PlanMap['movables'][number]; draft: Draft; path: string[] }>()

const busy = computed(() => props.draft.busy.value)
const begin = (spot: string) => props.draft.edit(`${props.movable.title} begins at ${spot}`, { do: 'put', path: [...props.path, 'start'], value: spot })

function never(scene: string, on: boolean) {
  const all = props.map.scenes.map((s) => s.id).filter((id) => (id === scene ? on : props.movable.never_in.includes(id)))
  const title = props.map.scenes.find((s) => s.id === scene)?.title
  const where = [...props.path, 'never_in']
  return props.draft.edit(`${props.movable.title} ${on ? 'never comes' : 'may come'} into ${title}`, all.length ? { do: 'put', path: where, value: all } : { do: 'remove', path: where })
}
</script>

<template>
  <h2>{{ movable.title }}</h2>
  <p class="quiet">A movable: there is one of it, and it stays where it is left.</p>
  <label class="begins">It begins at
    <select :value="movable.start" :disabled="busy" @change="begin(($event.target as HTMLSelectElement).value)">
      <optgroup v-for="s in map.scenes" :key="s.id" :label="s.title"><option v-for="x in s.spots" :key="x.id" :value="x.id">{{ where(map, x.id) }}</option></optgroup>
    </select>
  </label>
  <fieldset>
    <legend>It never comes into</legend>
    <label v-for="s in map.scenes" :key="s.id"><input type="checkbox" :checked="movable.never_in.includes(s.id)" :disabled="busy || s.id === sceneOf(movable.start)" @change="never(s.id, ($event.target as HTMLInputElement).checked)" /> {{ s.title }}</label>
  </fieldset>
</template>

<style scoped>
.begins {
  display: grid;
  gap: 4px;
}

fieldset {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 4px 10px;
  margin: 12px 0;
  padding: 0;
  border: 0;
}

legend {
  padding: 0 0 4px;
}

input {
  accent-color: rgb(var(--v-theme-primary));
}

fieldset label {
  display: flex;
  align-items: baseline;
  gap: 6px;
  font-size: 14px;
}
</style>
