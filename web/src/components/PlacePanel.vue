<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue'

import type { Finding } from '../api/client'
import type { Draft } from '../composables/useDraft'
import { areaThing, nameOf, propThing, sceneOf, spotThing, where, type MapThing, type PlanMap } from '../map'
import AreaPart from './AreaPart.vue'
import MovablePart from './MovablePart.vue'
import NameForm from './NameForm.vue'
import PassagePart from './PassagePart.vue'
import PropPart from './PropPart.vue'
import ScenePart from './ScenePart.vue'
import SpotPart from './SpotPart.vue'

// What is picked on the map: what it is, what is wrong with it, and what can be done with it.
const props = defineProps<{ game: string; map: PlanMap; picked: string; draft: Draft; findings: Finding[]; scene: string }>()
const emit = defineEmits<{ move: [thing: MapThing, to: number[]]; pick: [what: string]; named: [what: string]; open: [scene: string]; draw: [spot: string]; spot: [scene: string] }>()

const kind = computed(() => props.picked.split(':')[0] ?? '')
const id = computed(() => props.picked.slice(kind.value.length + 1))
const spot = computed(() => (kind.value === 'spot' ? props.map.scenes.flatMap((s) => s.spots).find((s) => s.id === id.value) : undefined))
const place = computed(() => (kind.value === 'scene' ? props.map.scenes.find((s) => s.id === id.value) : undefined))
const passage = computed(() => (kind.value === 'passage' ? props.map.passages.find((p) => p.id === id.value) : undefined))
const prop = computed(() => (kind.value === 'prop' ? props.map.scenes.flatMap((s) => s.props).find((p) => p.id === id.value) : undefined))
const movable = computed(() => (kind.value === 'movable' ? props.map.movables.find((m) => m.id === id.value) : undefined))
const area = computed(() => (kind.value === 'area' ? props.map.scenes.flatMap((s) => s.areas).find((a) => a.id === id.value) : undefined))
/** The scene in which what is picked is. */
const around = computed(() => props.map.scenes.find((s) => s.props.some((p) => p === prop.value) || s.areas.some((a) => a === area.value)))
const line = computed(() => (spot.value ?? place.value ?? passage.value ?? prop.value ?? movable.value ?? area.value)?.line)
const leading = computed(() => props.map.passages.filter((p) => !props.picked || (spot.value ? [p.from, p.to, p.else].includes(spot.value.id) : place.value ? [p.from, p.to, p.else].some((x) => x && sceneOf(x) === place.value!.id) : false)))
const points = computed(() => props.map.scenes.flatMap((s) => s.spots).filter((s) => s.checkpoint))
const busy = computed(() => props.draft.busy.value)

/** Where in the plan what is picked stands. */
const path = computed(() => {
  if (spot.value) return ['scenes', sceneOf(id.value), 'spots', nameOf(id.value)]
  if (area.value) return ['scenes', sceneOf(id.value), 'areas', nameOf(id.value)]
  if (prop.value) return ['props', id.value.split('.')[0]!, 'placed', id.value.split('.')[1]!]
  return [{ passage: 'passages', movable: 'movables' }[kind.value] ?? 'scenes', id.value]
})

async function removePicked() {
  if (await props.draft.edit(`removed ${nameOf(id.value)}`, { do: 'remove', path: path.value })) emit('pick', '')
}

/** The path of what is being renamed: what is picked, or the checkpoint at it. */
const renaming = shallowRef<string[]>()
const ofPoint = computed(() => renaming.value?.[0] === 'checkpoints')
watch(
  () => props.picked,
  () => (renaming.value = undefined),
)
function renamed(to: string) {
  const what = `${kind.value}:${id.value.slice(0, -path.value.at(-1)!.length)}${to}`
  if (!ofPoint.value) emit('named', what)
  renaming.value = undefined
}
</script>

<template>
  <aside class="sheet panel">
    <SpotPart v-if="spot" :map="map" :spot="spot" :draft="draft" :path="path" @move="(to) => $emit('move', spotThing(spot!), to)" @draw="$emit('draw', spot.id)" @rename="(p) => (renaming = p)" />
    <PassagePart v-else-if="passage" :map="map" :passage="passage" :draft="draft" :path="path" @pick="(w) => $emit('pick', w)" />
    <ScenePart v-else-if="place" :map="map" :place="place" :alone="scene === place.id" :draft="draft" :path="path" @pick="(w) => $emit('pick', w)" @open="$emit('open', place.id)" @spot="$emit('spot', place.id)" />
    <PropPart v-else-if="prop && around" :map="map" :place="around" :prop="prop" :draft="draft" :path="path" @move="(to) => $emit('move', propThing(prop!), to)" />
    <AreaPart v-else-if="area && around" :map="map" :place="around" :area="area" :draft="draft" :path="path" @move="(to) => $emit('move', areaThing(area!), to)" />
    <MovablePart v-else-if="movable" :map="map" :movable="movable" :draft="draft" :path="path" />
    <template v-else>
      <b>Pick something</b>
      <p class="quiet">A spot, a prop or an area can be dragged, or moved with the arrow keys. A passage says from where to where it leads, what it carries, and what refuses it.</p>
      <dl>
        <dt>Scenes</dt>
        <dd>{{ map.scenes.length }}</dd>
        <dt>Passages</dt>
        <dd>{{ map.passages.length }}</dd>
        <dt>Checkpoints</dt>
        <dd>{{ points.length }}</dd>
        <dt>Movables</dt>
        <dd>
          <button v-for="m in map.movables" :key="m.id" type="button" class="link each" @click="$emit('pick', `movable:${m.id}`)">{{ m.title }}</button>
          <template v-if="!map.movables.length">none</template>
        </dd>
      </dl>
    </template>
    <div v-if="line" class="acts-row">
      <button type="button" :disabled="busy" @click="renaming = path">Rename</button>
      <button type="button" :disabled="busy" @click="removePicked">Remove</button>
    </div>
    <NameForm v-if="renaming" :draft="draft" :path="renaming" :title="ofPoint ? undefined : (passage ?? place ?? movable ?? area)?.title" :in-saves="ofPoint || (!['passage', 'spot', 'area'].includes(kind))" @done="renamed" @close="renaming = undefined" />
    <template v-if="leading.length">
      <h3>Passages</h3>
      <ul>
        <li v-for="p in leading" :key="p.id">
          <button type="button" class="link" @click="$emit('pick', `passage:${p.id}`)">{{ p.title }}</button>
          <span class="quiet">{{ !picked || p.from === id || sceneOf(p.from) === id ? `to ${p.to ? where(map, p.to) : 'a remembered place'}` : `from ${where(map, p.from)}` }}</span>
        </li>
      </ul>
    </template>
    <p v-for="f in findings" :key="f.id + f.line" class="finding" :class="f.severity"><b>{{ f.message }}</b> {{ f.do }}</p>
    <RouterLink v-if="line" class="plain" :to="{ name: 'plan', params: { game }, query: { line } }">In the plan, line {{ line }}</RouterLink>
  </aside>
</template>

<style scoped>
.panel {
  padding: 16px 18px;
  overflow: auto;
  max-height: calc(100vh - 196px);
}

h3 {
  font-size: 14px;
  margin: 12px 0 4px;
}

.each {
  margin-right: 8px;
}

/* What the parts look like that are shown here. */
.panel :deep(h2) {
  font-size: 18px;
  margin: 0 0 2px;
}

.panel :deep(p) {
  margin: 0 0 10px;
}

.panel :deep(ul) {
  list-style: none;
  margin: 0 0 10px;
  padding: 0;
}

.panel :deep(li) {
  display: flex;
  flex-wrap: wrap;
  gap: 0 6px;
}

.panel :deep(dl) {
  display: grid;
  grid-template-columns: 92px 1fr;
  gap: 5px 10px;
  margin: 10px 0;
}

.panel :deep(dt) {
  color: rgb(var(--v-theme-quiet));
}

.panel :deep(dd) {
  margin: 0;
  overflow-wrap: anywhere;
}

.finding {
  padding: 8px 10px;
  border-left: 4px solid rgb(var(--v-theme-warning));
  background: var(--faint);
  font-size: 14px;
}

.finding.error {
  border-left-color: rgb(var(--v-theme-error));
}
</style>
