<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import type { Draft, PlanEdit } from '../composables/useDraft'
import { nameOf, numbersIn, sceneOf, type MapSpot, type PlanMap } from '../map'

// A spot that is picked on the map: where it is, and what it is for.
const props = defineProps<{ map: PlanMap; spot: MapSpot; draft: Draft }>()
const emit = defineEmits<{ draw: []; rename: [path: string[]]; remove: [] }>()

const name = computed(() => nameOf(props.spot.id))
const scene = computed(() => sceneOf(props.spot.id))
const title = computed(() => props.map.scenes.find((s) => s.id === scene.value)?.title ?? scene.value)
const path = computed(() => ['scenes', scene.value, 'spots', name.value])
const busy = computed(() => props.draft.busy.value)

const at = ref('')
watch(
  () => props.spot,
  (s) => (at.value = s.at.join(', ')),
  { immediate: true },
)
const moved = computed(() => numbersIn(at.value, props.spot.at.length))
const moveTo = () => moved.value && props.draft.edit(`moved ${name.value}`, { do: 'put', path: [...path.value, 'at'], value: moved.value })

async function makeCheckpoint() {
  const all = props.map.scenes.flatMap((s) => s.spots)
  const points = all.filter((s) => s.checkpoint)
  const id = [name.value, `${scene.value}_${name.value}`].find((n) => !points.some((p) => p.point === n)) ?? `point_${points.length + 1}`
  const order = Math.max(0, ...points.map((p) => p.order ?? 0)) + 1
  const start = all.find((x) => x.start)
  const first: PlanEdit[] = points.length || !start ? [] : [{ do: 'put', path: ['checkpoints', 'fallback'], value: start.id }]
  await props.draft.edit(`${name.value} is a checkpoint`, ...first, { do: 'put', path: ['checkpoints', 'list', id], value: { at: props.spot.id, order } })
}

const noCheckpoint = () => props.draft.edit(`${name.value} is no checkpoint`, { do: 'remove', path: ['checkpoints', 'list', props.spot.point!] })
const startHere = () => props.draft.edit(`runs begin at ${name.value}`, { do: 'put', path: ['start'], value: props.spot.id })
</script>

<template>
  <h2>{{ name }}</h2>
  <p class="quiet">A spot in {{ title }}<template v-if="spot.start">; runs begin here</template><template v-if="spot.checkpoint">; the checkpoint <span class="mono">{{ spot.point }}</span><template v-if="spot.order">, number {{ spot.order }}</template></template>.</p>
  <form class="one-field" @submit.prevent="moveTo">
    <v-text-field v-model="at" :label="map.axes.join(', ')" class="mono" />
    <v-btn type="submit" size="small" variant="outlined" :disabled="!moved || at === spot.at.join(', ') || busy">Move</v-btn>
  </form>
  <div class="acts-row">
    <button type="button" :disabled="busy" @click="emit('draw')">Draw a passage from here</button>
    <button v-if="!spot.checkpoint" type="button" :disabled="busy" @click="makeCheckpoint">Make it a checkpoint</button>
    <button v-else-if="spot.point" type="button" :disabled="busy" @click="noCheckpoint">No checkpoint any more</button>
    <button v-if="!spot.start" type="button" :disabled="busy" @click="startHere">Begin runs here</button>
    <button type="button" :disabled="busy" @click="emit('rename', path)">Rename</button>
    <button v-if="spot.point" type="button" :disabled="busy" @click="emit('rename', ['checkpoints', 'list', spot.point])">Rename the checkpoint</button>
    <button type="button" :disabled="busy" @click="emit('remove')">Remove</button>
  </div>
</template>
