<script setup lang="ts">
import { computed, ref } from 'vue'

import { shown, type Schemas, type Value } from '../api/client'
import { namesIn } from '../declaration'

// The arguments of an event, filled in with something that is allowed.
const props = defineProps<{ event: Schemas['MapEvent']; present: string[] }>()
const emit = defineEmits<{ send: [args: Record<string, unknown>]; close: [] }>()

type Arg = Schemas['MapArg']
const begins = (a: Arg): Value => {
  if (a.input === 'player') return props.present[0] ?? ''
  if (a.input === 'choice') return (a.begins as Value) ?? null
  return a.begins === null ? '' : shown(a.begins)
}
const given = ref<Record<string, Value>>(Object.fromEntries(props.event.args.map((a) => [a.id, begins(a)])))
const isGiven = (a: Arg) => given.value[a.id] !== '' && given.value[a.id] !== null && given.value[a.id] !== undefined
const can = computed(() => props.event.args.every((a) => a.optional || isGiven(a)))
const options = (a: Arg) => (a.input === 'player' ? props.present : a.choices).map((value) => ({ title: String(value), value }))

/** What a field says, as it goes into the step. */
function valueOf(a: Arg): unknown {
  const text = given.value[a.id]
  if (a.input === 'number') return Number(text)
  if (a.input === 'items') return namesIn(String(text)).map(Number)
  return text
}

const send = () => emit('send', Object.fromEntries(props.event.args.filter(isGiven).map((a) => [a.id, valueOf(a)])))
</script>

<template>
  <form class="args" @submit.prevent="send">
    <template v-for="a in event.args" :key="a.id">
      <v-select v-if="a.input === 'choice' || a.input === 'player'" v-model="given[a.id]" :items="options(a)" :label="a.id" :clearable="a.optional" />
      <v-text-field v-else v-model="given[a.id]" :label="`${a.id}: ${a.words}`" class="mono" />
    </template>
    <span class="buttons">
      <v-btn size="small" variant="text" @click="$emit('close')">Cancel</v-btn>
      <v-btn type="submit" size="small" color="primary" :disabled="!can">Send {{ event.id }}</v-btn>
    </span>
  </form>
</template>

<style scoped>
.args {
  display: grid;
  gap: 8px;
  padding: 8px 0 10px;
}
</style>
