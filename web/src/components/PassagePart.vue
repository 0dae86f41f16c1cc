<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import type { Draft, PlanEdit } from '../composables/useDraft'
import { where, type MapPassage, type PlanMap } from '../map'

// A passage that is picked on the map: from where to where, what a player keeps on the way, and what refuses it.
const props = defineProps<{ map: PlanMap; passage: MapPassage; draft: Draft; path: string[] }>()
const emit = defineEmits<{ pick: [what: string] }>()

const busy = computed(() => props.draft.busy.value)

/** Writes a part of the passage, or takes it away where there is nothing to write. */
const write = (key: string, value: unknown): PlanEdit => ({ do: value === undefined ? 'remove' : 'put', path: [...props.path, key], value })

const bothWays = () => props.draft.edit(`${props.passage.id} leads ${props.passage.both_ways ? 'one way' : 'both ways'}`, write('both_ways', !props.passage.both_ways))

/** What a player can keep on the way: their coordinates, and where the space has facings, theirs. */
const carried = computed(() => [...props.map.axes, ...(props.map.facings.length ? ['facing'] : [])])
const carries = (what: string) => props.passage.carries.includes(what)
function carry(what: string) {
  const next = carried.value.filter((x) => (x === what) !== carries(x))
  return props.draft.edit(`${props.passage.id} ${carries(what) ? 'does not carry' : 'carries'} ${what}`, write('carry', next.length ? next : undefined))
}

const condition = ref('')
const refused = ref('')
watch(
  () => props.passage,
  (p) => ([condition.value, refused.value] = [p.if ?? '', p.refused ?? '']),
  { immediate: true },
)
const gate = computed(() => {
  const now = { if: condition.value.trim(), refused: condition.value.trim() && refused.value.trim() }
  return (['if', 'refused'] as const).filter((key) => now[key] !== (props.passage[key] ?? '')).map((key) => write(key, now[key] || undefined))
})
const writeGate = () => props.draft.edit(`what refuses ${props.passage.id}`, ...gate.value)
</script>

<template>
  <h2>{{ passage.title }}</h2>
  <dl>
    <dt>From</dt>
    <dd><button type="button" class="link" @click="emit('pick', `spot:${passage.from}`)">{{ where(map, passage.from) }}</button></dd>
    <dt>To</dt>
    <dd>
      <button v-if="passage.to" type="button" class="link" @click="emit('pick', `spot:${passage.to}`)">{{ where(map, passage.to) }}</button>
      <template v-else>where the player remembers (<span class="mono">{{ passage.waymark }}</span>)<template v-if="passage.else">, else {{ where(map, passage.else) }}</template></template>
    </dd>
    <dt>Carries</dt>
    <dd>
      <button v-for="x in carried" :key="x" type="button" class="chip" :aria-pressed="carries(x)" :disabled="busy" :title="carries(x) ? `A player keeps their ${x}; click, and it is the spot's` : `The ${x} is the spot's; click, and a player keeps theirs`" @click="carry(x)">{{ x }}</button>
    </dd>
    <dt>Way back</dt>
    <dd>
      {{ passage.both_ways ? 'the same way' : 'none' }}
      <button v-if="passage.to" type="button" class="link" :disabled="busy" @click="bothWays">{{ passage.both_ways ? 'make it one way' : 'make it both ways' }}</button>
    </dd>
  </dl>
  <form class="gate" @submit.prevent="writeGate">
    <v-text-field v-model="condition" label="Open if" class="mono" placeholder="always" />
    <v-text-field v-model="refused" label="Otherwise they are told" :disabled="!condition" />
    <v-btn v-if="gate.length" type="submit" size="small" color="primary" :disabled="busy">Write it</v-btn>
  </form>
</template>

<style scoped>
.gate {
  display: grid;
  gap: 10px;
  margin: 12px 0;
}

.chip {
  margin-right: 6px;
  padding: 0 8px;
  font-family: var(--mono);
  font-size: 13px;
  color: rgb(var(--v-theme-quiet));
  border: 1px solid var(--line);
  border-radius: 3px;
  cursor: pointer;
}

.chip[aria-pressed='true'] {
  color: inherit;
  font-weight: 600;
  border-color: rgb(var(--v-theme-primary));
}
</style>
