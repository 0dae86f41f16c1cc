<script setup lang="ts">
import { computed } from 'vue'

import type { Draft, PlanEdit } from '../composables/useDraft'
import { areaThing, freeID, heightOf, nameOf, neat, widthOf, type MapScene, type PlanMap } from '../map'
import PointField from './PointField.vue'

// A scene that is picked on the map: its size, what is in it, and what can be put into it.
const props = defineProps<{ map: PlanMap; place: MapScene; alone: boolean; draft: Draft; path: string[] }>()
const emit = defineEmits<{ pick: [what: string]; open: []; spot: [] }>()

const busy = computed(() => props.draft.busy.value)
const size = computed(() => props.place.high.map((high, i) => neat(high - props.place.low[i]!)))
const resize = (to: number[]) => props.draft.edit(`${props.place.title} is ${to.join(' by ')}`, { do: 'put', path: [...props.path, 'size'], value: to })

async function add(what: string, said: string, edit: PlanEdit) {
  if (await props.draft.edit(said, edit)) emit('pick', what)
}
/** A third of the scene, in its middle. */
function addArea() {
  const id = freeID('area', props.place.areas.map((a) => nameOf(a.id)))
  const box = Object.fromEntries(props.map.axes.slice(0, 2).map((axis, i) => [axis, [1, 2].map((n) => Math.round(props.place.low[i]! + (n * size.value[i]!) / 3))]))
  return add(`area:${props.place.id}/${id}`, `an area in ${props.place.title}`, { do: 'put', path: [...props.path, 'areas', id], value: box })
}
function addProp(kind: string, title: string) {
  const taken = props.map.scenes.flatMap((s) => s.props).filter((p) => p.kind === kind).map((p) => p.id.slice(kind.length + 1))
  const id = freeID(kind, taken)
  const at = props.place.low.map((low, i) => Math.floor((low + props.place.high[i]!) / 2))
  return add(`prop:${kind}.${id}`, `${title} in ${props.place.title}`, { do: 'put', path: ['props', kind, 'placed', id], value: { in: props.place.id, at } })
}
</script>

<template>
  <h2>{{ place.title }}</h2>
  <p class="quiet">A scene of {{ widthOf(place) }} by {{ heightOf(place) }} {{ map.unit }}s, with {{ place.spots.length === 1 ? 'one spot' : `${place.spots.length} spots` }}.</p>
  <p v-if="place.near" class="quiet">Machines are sent the players within {{ place.near.within }} {{ map.unit }}s of their own, the nearest {{ place.near.at_most }} at most.</p>
  <PointField :key="place.id" :axes="map.axes" :at="size" :busy="busy" :label="`Size: ${map.axes.join(', ')}`" act="Resize" :least="0" @move="resize" />
  <ul>
    <li v-for="s in place.spots" :key="s.id"><button type="button" class="link" @click="emit('pick', `spot:${s.id}`)">{{ nameOf(s.id) }}</button> <span class="quiet">at {{ s.at.join(', ') }}</span></li>
    <li v-for="x in place.props" :key="x.id"><button type="button" class="link" @click="emit('pick', `prop:${x.id}`)">{{ x.id }}</button> <span class="quiet">at {{ x.at.join(', ') }}</span></li>
    <li v-for="a in place.areas" :key="a.id"><button type="button" class="link" @click="emit('pick', `area:${a.id}`)">{{ nameOf(a.id) }}</button> <span class="quiet">an area, {{ a.radius ? `${2 * a.radius} across` : areaThing(a).size!.slice(0, 2).join(' by ') }}</span></li>
  </ul>
  <div class="acts-row">
    <button v-if="!alone" type="button" @click="emit('open')">Look closer</button>
    <button type="button" :disabled="busy" @click="emit('spot')">Add a spot in the middle</button>
    <button type="button" :disabled="busy" @click="addArea">Add an area</button>
    <button v-for="k in map.kinds" :key="k.id" type="button" :disabled="busy" @click="addProp(k.id, k.title)">Add a prop: {{ k.title.toLowerCase() }}</button>
  </div>
</template>
