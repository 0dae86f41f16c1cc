<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, asPlan, dataOf } from '../api/client'
import PlacePanel from '../components/PlacePanel.vue'
import SceneMap from '../components/SceneMap.vue'
import StaleNote from '../components/StaleNote.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useDraft, useOfDraft, type PlanEdit } from '../composables/useDraft'
import { did } from '../composables/useFirstSteps'
import { freeID, nameOf, neat, sceneOf, thingsIn, type MapThing } from '../map'

const props = defineProps<{ game: string }>()
const route = useRoute()
const router = useRouter()
const draft = useDraft(props.game)
const { data: map, stale, error, reload } = useOfDraft(draft, async (text) => dataOf(await api.POST('/v1/map', asPlan(text))))

// What is shown and picked stands in the address.
const scene = computed(() => (map.value?.scenes.some((s) => s.id === route.query.scene) ? String(route.query.scene) : ''))
const picked = computed(() => String(route.query.pick ?? ''))
watch(picked, (what) => what.startsWith('passage:') && did('map'), { immediate: true })
const go = (query: { scene?: string; pick?: string }) => void router.replace({ query: { scene: scene.value || undefined, pick: picked.value || undefined, ...query } })
/** What is picked has another name; the scene that is shown may be what was renamed. */
const named = (what: string) => go({ pick: what, ...(picked.value === `scene:${scene.value}` ? { scene: what.slice('scene:'.length) } : {}) })

const snap = ref(1)
const snaps = [
  { title: 'whole', value: 1 },
  { title: 'half', value: 0.5 },
  { title: 'tenth', value: 0.1 },
]
const tool = ref<'' | 'spot' | 'passage'>('')
const from = ref('')

/** What is wrong, by what is drawn: a finding names the item that it is about. */
const wrong = computed(() => draft.findings.value.filter((f) => !f.accepted))
function about(what: string) {
  const [kind, id = ''] = [what.split(':')[0], what.slice(what.indexOf(':') + 1)]
  const names = { scene: [`scenes.${id}`, id], spot: [id, `scenes.${id.replace('/', '.spots.')}`], passage: [`passages.${id}`], area: [id, `scenes.${id.replace('/', '.areas.')}`], prop: [`props.${id}`] }[kind ?? ''] ?? []
  const pointer = { scene: `/scenes/${id}`, spot: `/scenes/${id.replace('/', '/spots/')}`, area: `/scenes/${id.replace('/', '/areas/')}`, prop: `/props/${id.replace('.', '/placed/')}`, movable: `/movables/${id}`, passage: `/passages/${id}` }[kind ?? '']
  const within = (at: string) => at === pointer || (at.startsWith(`${pointer}/`) && !(kind === 'scene' && /\/(spots|areas)\//.test(at)))
  return wrong.value.filter((f) => (f.item && names.includes(f.item)) || (pointer && [f.pointer, ...(f.also ?? []).map((x) => x.pointer)].some(within)))
}
const troubles = computed(() => {
  const out: Record<string, string> = {}
  for (const s of map.value?.scenes ?? []) {
    for (const what of [`scene:${s.id}`, ...thingsIn(s).map((x) => x.what)]) {
      const first = about(what)[0]
      if (first) out[what] = first.message
    }
  }
  for (const p of map.value?.passages ?? []) {
    const first = about(`passage:${p.id}`)[0]
    if (first) out[`passage:${p.id}`] = first.message
  }
  return out
})

async function pick(what: string) {
  const spot = what.startsWith('spot:') ? what.slice(5) : ''
  if (tool.value === 'passage' && spot) {
    if (!from.value) from.value = spot
    else if (from.value !== spot) await passage(from.value, spot)
    return
  }
  go({ pick: what === picked.value ? undefined : what || undefined })
}

async function passage(a: string, b: string) {
  const taken = new Set(map.value?.passages.map((p) => p.id))
  const base = `${nameOf(a)}_${nameOf(b)}`
  let id = base
  for (let i = 2; taken.has(id); i++) id = `${base}_${i}`
  if (await draft.edit(`a passage from ${nameOf(a)} to ${nameOf(b)}`, { do: 'put', path: ['passages', id], value: { from: a, to: b, both_ways: true } })) {
    tool.value = ''
    from.value = ''
    go({ pick: `passage:${id}` })
  }
}

/** What it takes to move something: a spot with its edge, a prop, or an area along the axes that the plan gives it. */
function movedTo(thing: MapThing, to: number[]): PlanEdit[] {
  const id = thing.what.slice(thing.what.indexOf(':') + 1)
  const scenes = map.value!.scenes
  const along = (i: number) => to[i]! - thing.at[i]!
  switch (thing.what.split(':')[0]) {
    case 'prop': {
      const prop = scenes.flatMap((s) => s.props).find((p) => p.id === id)!
      const place = scenes.find((s) => s.props.includes(prop))!
      const path = ['props', prop.kind, 'placed', id.slice(prop.kind.length + 1)]
      return [prop.spot ? { do: 'put', path, value: { in: place.id, at: to } } : { do: 'put', path: [...path, 'at'], value: to }]
    }
    case 'area': {
      const area = scenes.flatMap((s) => s.areas).find((a) => a.id === id)!
      const path = ['scenes', sceneOf(id), 'areas', nameOf(id)]
      if (area.radius) return [{ do: 'put', path: [...path, 'at'], value: to.map((x) => neat(x + area.radius!)) }]
      return map.value!.axes.flatMap((axis, i) => (along(i) ? [{ do: 'put' as const, path: [...path, axis], value: [to[i]!, neat(area.high[i]! + along(i))] }] : []))
    }
  }
  const spot = scenes.flatMap((s) => s.spots).find((s) => s.id === id)!
  const path = ['scenes', sceneOf(id), 'spots', nameOf(id)]
  const edges = map.value!.axes.flatMap((axis, i) => // an edge moves as a whole
    spot.from[i] !== spot.to[i] && along(i) ? [{ do: 'put' as const, path: [...path, 'span', axis], value: [neat(spot.from[i]! + along(i)), neat(spot.to[i]! + along(i))] }] : [],
  )
  return [{ do: 'put', path: [...path, 'at'], value: to }, ...edges]
}

async function move(thing: MapThing, to: number[]) {
  const name = thing.what.split(/[:/.]/).pop()
  await draft.edit(`moved ${name} to ${to.join(', ')}`, ...movedTo(thing, to))
}

function middle(id: string) {
  const s = map.value?.scenes.find((x) => x.id === id)
  if (s) void addSpot(id, s.low.map((low, i) => Math.floor((low + s.high[i]!) / 2)))
}

const ground = (scene: string, at: number[]) => (tool.value === 'spot' ? void addSpot(scene, at) : undefined)

async function addSpot(scene: string, at: number[]) {
  const id = freeID('spot', map.value?.scenes.find((s) => s.id === scene)?.spots.map((s) => nameOf(s.id)) ?? [])
  const point = map.value!.axes.map((_, i) => at[i] ?? 0)
  if (await draft.edit(`a spot in ${scene}`, { do: 'put', path: ['scenes', scene, 'spots', id], value: { at: point } })) {
    tool.value = ''
    go({ pick: `spot:${scene}/${id}` })
  }
}

async function addScene() {
  const id = freeID('scene', map.value?.scenes.map((s) => s.id) ?? [])
  const size = map.value!.axes.map((_, i) => [40, 24, 8][i])
  const middle = size.map((x) => x! / 2)
  if (await draft.edit(`a scene ${id}`, { do: 'put', path: ['scenes', id], value: { size, spots: { entry: { at: middle } } } })) go({ pick: `scene:${id}` })
}

function choose(next: '' | 'spot' | 'passage', spot = '') {
  tool.value = tool.value === next && !spot ? '' : next
  from.value = spot
}

const says = computed(() => {
  if (tool.value === 'spot') return 'Click on the ground where the spot is to be.'
  if (tool.value === 'passage') return from.value ? `From ${from.value}: now click the spot that it leads to.` : 'Click the spot that the passage begins at.'
  return 'Drag a spot, a prop or an area, or pick it and use the arrow keys. Shift drags freely.'
})
</script>

<template>
  <div class="page">
    <div class="page-head">
      <div>
        <h1 class="page-title">Scenes</h1>
        <p class="page-lead">{{ says }}</p>
      </div>
      <span v-if="map" class="page-tools">
        <label class="snap quiet">snap to <select v-model="snap" aria-label="Snap to"><option v-for="s in snaps" :key="s.value" :value="s.value">{{ s.title }} {{ map.unit }}s</option></select></label>
        <v-btn variant="outlined" :active="tool === 'spot'" @click="choose('spot')">Add a spot</v-btn>
        <v-btn variant="outlined" :active="tool === 'passage'" @click="choose('passage')">Draw a passage</v-btn>
        <v-btn variant="outlined" @click="addScene">Add a scene</v-btn>
      </span>
    </div>
    <TroubleNote :text="error || (draft.ready.value ? '' : draft.error.value)" @retry="draft.ready.value ? reload() : draft.load()" />
    <StaleNote v-if="stale" :game="game" :draft="draft" what="map" :shown="map !== undefined" />
    <template v-if="map">
      <nav class="chips" aria-label="Scenes">
        <RouterLink replace :to="{ query: { pick: picked || undefined } }" :class="{ here: !scene }">All scenes</RouterLink>
        <RouterLink v-for="s in map.scenes" :key="s.id" replace :to="{ query: { scene: s.id, pick: picked || undefined } }" :class="{ here: s.id === scene, trouble: troubles[`scene:${s.id}`] }">{{ s.title }}</RouterLink>
      </nav>
      <div class="beside">
        <div class="sheet drawing" :class="{ stale }">
          <SceneMap :map="map" :scene="scene" :picked="picked" :troubles="troubles" :snap="stale || tool ? 0 : snap" :active="tool !== ''" :from="from" @pick="pick" @move="move" @ground="ground" />
          <p class="key quiet">
            <span><svg viewBox="0 0 16 16" width="13" aria-hidden="true"><path d="M8 1l5.6 7L8 15 2.4 8z" class="checkpoint" /></svg> checkpoint</span>
            <span><svg viewBox="0 0 16 16" width="13" aria-hidden="true"><circle cx="8" cy="8" r="3" class="spot" /><circle cx="8" cy="8" r="6.2" class="start" /></svg> runs begin</span>
            <span><svg viewBox="0 0 16 16" width="13" aria-hidden="true"><rect x="4" y="4" width="8" height="8" transform="rotate(45 8 8)" class="gate" /></svg> with a condition</span>
            <span><svg viewBox="0 0 16 16" width="13" aria-hidden="true"><rect x="3.5" y="3.5" width="9" height="9" class="prop" /></svg> prop</span>
            <span><svg viewBox="0 0 16 16" width="13" aria-hidden="true"><path d="M2 13L8 2l6 11z" class="thing" /></svg> movable</span>
            <span><svg viewBox="0 0 16 16" width="13" aria-hidden="true"><rect x="2" y="3" width="12" height="10" class="area" /></svg> area</span>
            <span v-if="Object.keys(troubles).length" class="bad">red: something is wrong with it</span>
          </p>
        </div>
        <PlacePanel :game="game" :map="map" :picked="picked" :draft="draft" :findings="picked ? about(picked) : []" :scene="scene" @move="move" @pick="(w) => go({ pick: w || undefined })" @named="named" @open="(s) => go({ scene: s })" @draw="(s) => choose('passage', s)" @spot="middle" />
      </div>
    </template>
    <WaitingNote v-else-if="!error && !draft.error.value && !stale" text="Reading the plan …" />
  </div>
</template>

<style scoped>
.drawing :deep(.map) {
  height: calc(100vh - 256px);
}

.stale {
  opacity: 0.55;
}

.key {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  margin: 0;
  padding: 6px 14px;
  border-top: 1px solid var(--line);
  font-size: 14px;
}

.key span {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}

.key svg * {
  fill: none;
  stroke: rgb(var(--v-theme-quiet));
  stroke-width: 1.6;
}

.key .checkpoint {
  stroke: rgb(var(--v-theme-secondary));
  fill: color-mix(in srgb, rgb(var(--v-theme-secondary)) 35%, transparent);
}

.key .spot {
  fill: rgb(var(--v-theme-quiet));
}

.key .thing {
  stroke: rgb(var(--v-theme-set));
  fill: rgb(var(--v-theme-set));
}

.key .area {
  stroke: none;
  fill: rgb(var(--v-theme-warning));
  fill-opacity: 0.25;
}

.key .start {
  stroke: rgb(var(--v-theme-primary));
}

.key .gate {
  stroke: rgb(var(--v-theme-warning));
}

.trouble {
  color: rgb(var(--v-theme-error));
}
</style>
