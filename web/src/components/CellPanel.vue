<script setup lang="ts">
import { ref, watch } from 'vue'

import type { Cell, Column, Row } from '../api/client'
import { shown } from '../api/client'
import FateGlyph from './FateGlyph.vue'
import type { VariableTask } from './VariableForm.vue'

const props = defineProps<{ game: string; row: Row; column: Column; cell: Cell; busy: boolean }>()
const emit = defineEmits<{ choose: [fate: string, set: string]; task: [task: VariableTask] }>()

const decided: Record<string, string> = {
  own: 'Decided by the item itself',
  default: 'By the plan’s defaults',
  'built-in': 'Follows from the plan',
  undecided: 'Nobody has decided it',
  'n/a': 'Does not apply',
}

// What it becomes, where it is to become something else.
const becoming = ref(false)
const expression = ref('')
watch(
  () => `${props.row.name} ${props.column.id} ${props.cell.fate} ${props.cell.short}`,
  () => {
    becoming.value = false
    expression.value = props.cell.becomes ?? ''
  },
  { immediate: true },
)

function become() {
  if (expression.value.trim()) emit('choose', 'set', expression.value.trim())
}
</script>

<template>
  <aside class="sheet panel">
    <p class="quiet where">{{ row.title }} at {{ column.title.toLowerCase() }}</p>
    <div aria-live="polite">
      <p class="fate"><FateGlyph :fate="cell.fate" /> {{ cell.fate === 'n/a' ? 'does not apply' : cell.short }}</p>
      <p class="sentence">{{ cell.sentence }}</p>
    </div>
    <p class="quiet">
      {{ decided[cell.decided] }}<template v-if="cell.where">,
        <RouterLink class="plain" :to="{ name: 'plan', params: { game }, query: { line: cell.where.line, column: cell.where.column } }">line {{ cell.where.line }}</RouterLink></template>.
    </p>
    <div v-if="cell.choices.length" class="choices acts-row" role="group" :aria-label="`Change ${row.title} at ${column.title}`">
      <button
        v-for="fate in cell.choices"
        :key="fate"
        type="button"
        :class="{ now: fate === cell.fate && cell.decided === 'own' }"
        :aria-pressed="fate === cell.fate && cell.decided === 'own'"
        :disabled="busy"
        @click="$emit('choose', fate || 'default', '')"
      >
        <FateGlyph v-if="fate" :fate="fate" /> {{ fate || 'by default' }}
      </button>
      <button type="button" :class="{ now: cell.fate === 'set' && cell.decided === 'own' }" :aria-expanded="becoming" :disabled="busy" @click="becoming = !becoming"><FateGlyph fate="set" /> becomes …</button>
    </div>
    <form v-if="becoming && cell.choices.length" class="becomes" @submit.prevent="become">
      <v-text-field v-model="expression" label="Becomes" class="mono" placeholder="player.max_warmth" v-begin />
      <v-btn type="submit" size="small" color="primary" :disabled="!expression.trim() || busy">Write it</v-btn>
    </form>
    <dl>
      <dt>Name</dt>
      <dd class="mono">{{ row.name }}</dd>
      <dt>Type</dt>
      <dd>{{ row.type }}</dd>
      <template v-if="row.computed">
        <dt>Is</dt>
        <dd class="mono">{{ row.computed }}</dd>
      </template>
      <template v-else>
        <dt>Start</dt>
        <dd class="mono">{{ shown(row.start) }}</dd>
      </template>
      <dt>{{ column.title }}</dt>
      <dd>{{ column.meaning }}</dd>
    </dl>
    <p v-if="row.line" class="links">
      <RouterLink class="plain" :to="{ name: 'plan', params: { game }, query: { line: row.line, column: row.column } }">Declared on line {{ row.line }}</RouterLink>
      <RouterLink class="plain" :to="{ name: 'rules', params: { game }, query: { about: row.name } }">Rules about it</RouterLink>
      <RouterLink class="plain" :to="{ name: 'why', params: { game }, query: { name: row.name } }">Why is it so?</RouterLink>
      <RouterLink class="plain" :to="{ name: 'population', params: { game }, query: { show: row.name } }">What saves hold</RouterLink>
    </p>
    <div v-if="row.declared" class="choices acts-row" role="group" :aria-label="`Change ${row.title} itself`">
      <button type="button" @click="$emit('task', 'rename')">Rename</button>
      <button v-if="!row.computed" type="button" @click="$emit('task', 'retype')">Another type</button>
      <button type="button" @click="$emit('task', 'move')">Another holder</button>
      <button type="button" @click="$emit('task', 'remove')">Remove</button>
    </div>
  </aside>
</template>

<style scoped>
.panel {
  padding: 16px 18px;
  overflow: auto;
  max-height: calc(100vh - 206px);
}

p {
  margin: 0 0 8px;
}

.fate {
  display: flex;
  align-items: center;
  gap: 8px;
  font-weight: 600;
  font-size: 18px;
}

.sentence {
  font-size: 16.5px;
  line-height: 1.4;
}

.choices .now {
  border-color: rgb(var(--v-theme-primary));
  font-weight: 600;
}

.becomes {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 8px;
  align-items: center;
  margin: 10px 0;
}

.links {
  display: flex;
  gap: 16px;
  flex-wrap: wrap;
  white-space: nowrap;
}

dl {
  display: grid;
  grid-template-columns: 64px 1fr;
  gap: 5px 10px;
  margin: 12px 0;
  padding-top: 12px;
  border-top: 1px solid var(--line);
}

dt {
  color: rgb(var(--v-theme-quiet));
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
