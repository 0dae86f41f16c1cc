<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import type { Draft } from '../composables/useDraft'
import { heightOf, nameOf, numbersIn, widthOf, type MapScene, type PlanMap } from '../map'

// A scene that is picked on the map: its size, and what is in it.
const props = defineProps<{ map: PlanMap; place: MapScene; alone: boolean; draft: Draft }>()
const emit = defineEmits<{ pick: [what: string]; open: []; spot: []; rename: [path: string[]]; remove: [] }>()

const busy = computed(() => props.draft.busy.value)
const path = computed(() => ['scenes', props.place.id])
const sizeNow = computed(() => props.place.high.map((high, i) => Number((high - props.place.low[i]!).toFixed(9))).join(', '))
const size = ref('')
watch(sizeNow, (now) => (size.value = now), { immediate: true })
const wanted = computed(() => numbersIn(size.value, props.place.high.length)?.filter((x) => x > 0))
const fits = computed(() => wanted.value?.length === props.place.high.length)
const resize = () => fits.value && props.draft.edit(`${props.place.title} is ${wanted.value!.join(' by ')}`, { do: 'put', path: [...path.value, 'size'], value: wanted.value })
</script>

<template>
  <h2>{{ place.title }}</h2>
  <p class="quiet">A scene of {{ widthOf(place) }} by {{ heightOf(place) }} {{ map.unit }}s, with {{ place.spots.length === 1 ? 'one spot' : `${place.spots.length} spots` }}.</p>
  <form class="one-field" @submit.prevent="resize">
    <v-text-field v-model="size" :label="`Size: ${map.axes.join(', ')}`" class="mono" />
    <v-btn type="submit" size="small" variant="outlined" :disabled="!fits || size === sizeNow || busy">Resize</v-btn>
  </form>
  <ul>
    <li v-for="s in place.spots" :key="s.id"><button type="button" class="link" @click="emit('pick', `spot:${s.id}`)">{{ nameOf(s.id) }}</button> <span class="quiet">at {{ s.at.join(', ') }}</span></li>
    <li v-for="x in place.props" :key="x.id"><button type="button" class="link" @click="emit('pick', `prop:${x.id}`)">{{ x.id }}</button> <span class="quiet">at {{ x.at.join(', ') }}</span></li>
  </ul>
  <div class="acts-row">
    <button v-if="!alone" type="button" @click="emit('open')">Look closer</button>
    <button type="button" :disabled="busy" @click="emit('spot')">Add a spot in the middle</button>
    <button type="button" :disabled="busy" @click="emit('rename', path)">Rename</button>
    <button type="button" :disabled="busy" @click="emit('remove')">Remove</button>
  </div>
</template>
