<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { numbersIn } from '../map'

// Numbers that are typed, one for each axis: where something is, or how large.
const props = defineProps<{ axes: string[]; at: number[]; busy: boolean; label?: string; act?: string; least?: number }>()
const emit = defineEmits<{ move: [to: number[]] }>()

const now = computed(() => props.at.join(', '))
const text = ref('')
const wanted = computed(() => numbersIn(text.value, props.at.length)?.filter((x) => props.least === undefined || x > props.least))
const fits = computed(() => wanted.value?.length === props.at.length)
const same = computed(() => wanted.value?.join(', ') === now.value)
// It follows the map, but for what is being typed.
watch(now, (at, before) => { if (same.value || text.value === (before ?? '')) text.value = at }, { immediate: true })
const move = () => fits.value && emit('move', wanted.value!)
</script>

<template>
  <form class="point" @submit.prevent="move">
    <v-text-field v-model="text" :label="label ?? axes.join(', ')" class="mono" />
    <v-btn type="submit" size="small" variant="outlined" :disabled="!fits || same || busy">{{ act ?? 'Move' }}</v-btn>
  </form>
</template>

<style scoped>
.point {
  display: grid;
  grid-template-columns: 1fr auto;
  align-items: center;
  gap: 10px;
  margin: 12px 0;
}
</style>
