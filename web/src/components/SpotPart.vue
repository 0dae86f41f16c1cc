<script setup lang="ts">
import { computed } from 'vue'

import type { Draft, PlanEdit } from '../composables/useDraft'
import { nameOf, sceneOf, type MapSpot, type PlanMap } from '../map'
import PointField from './PointField.vue'

// A spot that is picked on the map: where it is, and what it is for.
const props = defineProps<{ map: PlanMap; spot: MapSpot; draft: Draft; path: string[] }>()
const emit = defineEmits<{ move: [to: number[]]; draw: []; rename: [path: string[]] }>()

const name = computed(() => nameOf(props.spot.id))
const scene = computed(() => sceneOf(props.spot.id))
const title = computed(() => props.map.scenes.find((s) => s.id === scene.value)?.title ?? scene.value)
const busy = computed(() => props.draft.busy.value)

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
  <PointField :key="spot.id" :axes="map.axes" :at="spot.at" :busy="busy" @move="(to) => emit('move', to)" />
  <div class="acts-row">
    <button type="button" :disabled="busy" @click="emit('draw')">Draw a passage from here</button>
    <button v-if="!spot.checkpoint" type="button" :disabled="busy" @click="makeCheckpoint">Make it a checkpoint</button>
    <button v-else-if="spot.point" type="button" :disabled="busy" @click="noCheckpoint">No checkpoint any more</button>
    <button v-if="!spot.start" type="button" :disabled="busy" @click="startHere">Begin runs here</button>
    <button v-if="spot.point" type="button" :disabled="busy" @click="emit('rename', ['checkpoints', 'list', spot.point])">Rename the checkpoint</button>
  </div>
</template>
