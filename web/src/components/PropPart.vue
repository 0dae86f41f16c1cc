<script setup lang="ts">
import { computed } from 'vue'

import type { Draft } from '../composables/useDraft'
import { nameOf, type MapProp, type MapScene, type PlanMap } from '../map'
import PointField from './PointField.vue'

// A prop that is picked on the map: what it is one of, and where it stands.
const props = defineProps<{ map: PlanMap; place: MapScene; prop: MapProp; draft: Draft; path: string[] }>()
const emit = defineEmits<{ move: [to: number[]] }>()

const name = computed(() => props.prop.id.slice(props.prop.kind.length + 1))
const kind = computed(() => props.map.kinds.find((k) => k.id === props.prop.kind))
const busy = computed(() => props.draft.busy.value)
/** A spot at its place, that it could stand on: it would go where the spot goes. */
const beneath = computed(() => (props.prop.spot ? undefined : props.place.spots.find((s) => s.at.join() === props.prop.at.join())))
const stand = (spot: string) => props.draft.edit(`${name.value} stands on ${spot}`, { do: 'put', path: props.path, value: spot })
</script>

<template>
  <h2>{{ name }}</h2>
  <p class="quiet">
    {{ kind?.title ?? prop.kind }}, a prop in {{ place.title }}<template v-if="prop.spot">: it stands on the spot {{ nameOf(prop.spot) }}, and goes where that goes, until it is moved by itself</template>.
    <template v-if="kind?.radius">Who comes within {{ kind.radius }} {{ map.unit }}s enters it.</template>
  </p>
  <PointField :key="prop.id" :axes="map.axes" :at="prop.at" :busy="busy" @move="(to) => emit('move', to)" />
  <div v-if="beneath" class="acts-row">
    <button type="button" :disabled="busy" @click="stand(beneath.id)">Let it stand on {{ nameOf(beneath.id) }}</button>
  </div>
</template>
