<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '../api/client'

// The arguments of an event, filled in with something that is allowed.
const props = defineProps<{ event: Schemas['MapEvent']; present: string[] }>()
const emit = defineEmits<{ send: [args: Record<string, unknown>]; close: [] }>()

type Arg = Schemas['MapArg']
const begins = (a: Arg) => (a.type === 'player' ? props.present[0] : a.type === 'bool' ? 'true' : a.type === 'point' ? '0, 0' : a.choices.length ? a.choices[0] : a.type === 'int' || a.type === 'decimal' ? String(a.min ?? 0) : '')
const given = ref<Record<string, string>>(Object.fromEntries(props.event.args.map((a) => [a.id, begins(a) ?? ''])))
const options = (a: Arg) => (a.type === 'player' ? props.present : a.type === 'bool' ? ['true', 'false'] : a.choices)
const range = (a: Arg) => (a.type === 'int' || a.type === 'decimal' ? `${a.id}, ${a.min ?? 0} to ${a.max ?? '…'}` : a.id)
const can = computed(() => props.event.args.every((a) => a.optional || given.value[a.id]))

function valueOf(a: Arg): unknown {
  const text = given.value[a.id] ?? ''
  if (a.type === 'int' || a.type === 'decimal') return Number(text)
  if (a.type === 'bool') return text === 'true'
  if (a.type === 'point') return text.split(/[,\s]+/).map(Number)
  return text
}

const send = () => emit('send', Object.fromEntries(props.event.args.filter((a) => given.value[a.id] !== '').map((a) => [a.id, valueOf(a)])))
</script>

<template>
  <form class="args" @submit.prevent="send">
    <template v-for="a in event.args" :key="a.id">
      <v-select v-if="options(a).length" v-model="given[a.id]" :items="options(a)" :label="a.id" />
      <v-text-field v-else v-model="given[a.id]" :label="range(a)" class="mono" />
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
