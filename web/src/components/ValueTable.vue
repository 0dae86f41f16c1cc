<script setup lang="ts">
import { shown, type Schemas } from '../api/client'

defineProps<{ values: Schemas['Three'][]; present: boolean; picked: string }>()
defineEmits<{ pick: [name: string] }>()
</script>

<template>
  <table class="plain sheet values">
    <thead>
      <tr>
        <th scope="col">Value</th>
        <th scope="col">Start</th>
        <th scope="col">Live</th>
        <th scope="col">Saved</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="v in values" :key="`${v.name} ${v.of ?? ''}`" :class="{ picked: v.name === picked }">
        <th scope="row">
          <button type="button" :title="`${v.name}: why is it so?`" @click="$emit('pick', v.name)">{{ v.title }}</button>
        </th>
        <td class="mono quiet">{{ v.computed ? 'computed' : shown(v.start) }}</td>
        <td class="mono" :class="{ live: present && shown(v.live) !== shown(v.start) && !v.computed }">{{ present ? shown(v.live) : '–' }}</td>
        <td class="mono" :class="{ behind: present && v.stored && shown(v.live) !== shown(v.saved) }">{{ v.stored ? shown(v.saved) : '–' }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.values {
  border-collapse: separate;
  border-spacing: 0;
}

tbody th {
  padding: 3px 12px;
  border-bottom: 1px solid var(--line);
}

tbody tr:last-child th {
  border-bottom: 0;
}

tbody th button {
  color: rgb(var(--v-theme-on-surface));
  font-weight: 400;
  font-size: 15px;
  cursor: pointer;
  text-align: left;
}

tbody th button:hover {
  text-decoration: underline;
}

table.plain td {
  padding: 3px 12px;
  white-space: nowrap;
}

.live {
  font-weight: 600;
}

/* What the save does not have yet. */
.behind {
  color: rgb(var(--v-theme-warning));
}

.picked {
  background: color-mix(in srgb, rgb(var(--v-theme-primary)) 10%, transparent);
}
</style>
