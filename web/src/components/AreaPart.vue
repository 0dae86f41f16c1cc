<script setup lang="ts">
import { computed } from 'vue'

import type { Draft } from '../composables/useDraft'
import { areaThing, nameOf, neat, type MapArea, type MapScene, type PlanMap } from '../map'
import PointField from './PointField.vue'

// An area that is picked on the map: where it is, and how large.
const props = defineProps<{ map: PlanMap; place: MapScene; area: MapArea; draft: Draft; path: string[] }>()
const emit = defineEmits<{ move: [low: number[]] }>()

const busy = computed(() => props.draft.busy.value)
const size = computed(() => (props.area.radius ? [props.area.radius] : areaThing(props.area).size!))
const middle = computed(() => props.area.low.map((low, i) => neat((low + props.area.high[i]!) / 2)))

function resize(to: number[]) {
  const said = `${nameOf(props.area.id)} is ${to.join(' by ')}`
  if (props.area.radius) return props.draft.edit(said, { do: 'put', path: [...props.path, 'radius'], value: to[0] })
  const changed = props.map.axes.flatMap((axis, i) => {
    const low = props.area.low[i]!
    return to[i] === size.value[i] ? [] : [{ do: 'put' as const, path: [...props.path, axis], value: [low, neat(low + to[i]!)] }]
  })
  return props.draft.edit(said, ...changed)
}
/** A circle is said by its middle, a box by its least corner. */
const moveTo = (to: number[]) => emit('move', props.area.radius ? to.map((x) => neat(x - props.area.radius!)) : to)
</script>

<template>
  <h2>{{ area.title }}</h2>
  <p class="quiet">An area in {{ place.title }} (<span class="mono">{{ area.id }}</span>): a {{ area.radius ? 'circle' : 'box' }} that rules can ask about, and that somebody enters and leaves.</p>
  <PointField :key="area.id" :axes="map.axes" :at="area.radius ? middle : area.low" :busy="busy" :label="area.radius ? `Middle: ${map.axes.join(', ')}` : `Least corner: ${map.axes.join(', ')}`" @move="moveTo" />
  <PointField :key="`${area.id} size`" :axes="map.axes" :at="size" :busy="busy" :label="area.radius ? 'Radius' : `Size: ${map.axes.join(', ')}`" act="Resize" :least="0" @move="resize" />
</template>
