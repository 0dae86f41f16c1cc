<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'

import type { Finding } from '../api/client'
import type { Draft, PlanEdit } from '../composables/useDraft'
import { nameOf, sceneOf, widthOf, heightOf, type PlanMap } from '../map'
import NameForm from './NameForm.vue'

// What is picked on the map: what it is, what is wrong with it, and what can be done with it.
const props = defineProps<{ game: string; map: PlanMap; picked: string; draft: Draft; findings: Finding[]; scene: string }>()
const emit = defineEmits<{ pick: [what: string]; named: [what: string]; open: [scene: string]; draw: [spot: string]; spot: [scene: string] }>()

const kind = computed(() => props.picked.split(':')[0] ?? '')
const id = computed(() => props.picked.slice(kind.value.length + 1))
const spot = computed(() => (kind.value === 'spot' ? props.map.scenes.flatMap((s) => s.spots).find((s) => s.id === id.value) : undefined))
const place = computed(() => (kind.value === 'scene' ? props.map.scenes.find((s) => s.id === id.value) : undefined))
const passage = computed(() => (kind.value === 'passage' ? props.map.passages.find((p) => p.id === id.value) : undefined))
const prop = computed(() => (kind.value === 'prop' ? props.map.scenes.flatMap((s) => s.props).find((p) => p.id === id.value) : undefined))
const movable = computed(() => (kind.value === 'movable' ? props.map.movables.find((m) => m.id === id.value) : undefined))
const line = computed(() => (spot.value ?? place.value ?? passage.value ?? prop.value ?? movable.value)?.line)
const title = (scene: string) => props.map.scenes.find((s) => s.id === scene)?.title ?? scene
const where = (spotID: string) => `${nameOf(spotID)}, ${title(sceneOf(spotID))}`
const leading = computed(() => props.map.passages.filter((p) => !props.picked || (spot.value ? [p.from, p.to, p.else].includes(spot.value.id) : place.value ? [p.from, p.to, p.else].some((x) => x && sceneOf(x) === place.value!.id) : false)))
const points = computed(() => props.map.scenes.flatMap((s) => s.spots).filter((s) => s.checkpoint))

const condition = ref('')
const refused = ref('')
watch(passage, (p) => ([condition.value, refused.value] = [p?.if ?? '', p?.refused ?? '']), { immediate: true })
const gateChanged = computed(() => passage.value && (condition.value !== (passage.value.if ?? '') || refused.value !== (passage.value.refused ?? '')))

const busy = computed(() => props.draft.busy.value)
const edit = (what: string, ...edits: PlanEdit[]) => props.draft.edit(what, ...edits)

async function makeCheckpoint() {
  const s = spot.value!
  const name = [nameOf(s.id), `${sceneOf(s.id)}_${nameOf(s.id)}`].find((n) => !points.value.some((p) => p.point === n)) ?? `point_${points.value.length + 1}`
  const order = Math.max(0, ...points.value.map((p) => p.order ?? 0)) + 1
  const start = props.map.scenes.flatMap((x) => x.spots).find((x) => x.start)
  const first: PlanEdit[] = points.value.length || !start ? [] : [{ do: 'put', path: ['checkpoints', 'fallback'], value: start.id }]
  await edit(`${nameOf(s.id)} is a checkpoint`, ...first, { do: 'put', path: ['checkpoints', 'list', name], value: { at: s.id, order } })
}

const noCheckpoint = () => edit(`${nameOf(id.value)} is no checkpoint`, { do: 'remove', path: ['checkpoints', 'list', spot.value!.point!] })
const startHere = () => edit(`runs begin at ${nameOf(id.value)}`, { do: 'put', path: ['start'], value: id.value })

/** Where in the plan what is picked stands. */
const path = computed(() => {
  if (spot.value) return ['scenes', sceneOf(id.value), 'spots', nameOf(id.value)]
  if (prop.value) return ['props', id.value.split('.')[0]!, 'placed', id.value.split('.')[1]!]
  return [{ passage: 'passages', movable: 'movables' }[kind.value] ?? 'scenes', id.value]
})

async function removePicked() {
  if (await edit(`removed ${nameOf(id.value)}`, { do: 'remove', path: path.value })) emit('pick', '')
}

/** The path of what is being renamed: what is picked, or the checkpoint at it. */
const renaming = shallowRef<string[]>()
watch(
  () => props.picked,
  () => (renaming.value = undefined),
)
function renamed(to: string) {
  const point = renaming.value?.[0] === 'checkpoints'
  renaming.value = undefined
  if (!point) emit('named', `${kind.value}:${id.value.slice(0, -path.value.at(-1)!.length)}${to}`)
}

const bothWays = () => edit(`${id.value} leads ${passage.value!.both_ways ? 'one way' : 'both ways'}`, { do: 'put', path: ['passages', id.value, 'both_ways'], value: !passage.value!.both_ways })

async function writeGate() {
  const p = passage.value!
  const edits: PlanEdit[] = []
  for (const [key, now, before] of [['if', condition.value.trim(), p.if ?? ''], ['refused', refused.value.trim(), p.refused ?? '']] as const) {
    if (now === before) continue
    edits.push(now ? { do: 'put', path: ['passages', p.id, key], value: now } : { do: 'remove', path: ['passages', p.id, key] })
  }
  await edit(`what refuses ${p.id}`, ...edits)
}

const at = ref('')
watch(spot, (s) => (at.value = s?.at.join(', ') ?? ''), { immediate: true })
const numbers = (text: string) => text.split(/[,\s]+/).filter(Boolean).map(Number)
async function moveTo() {
  const to = numbers(at.value)
  if (spot.value && to.length === spot.value.at.length && to.every(Number.isFinite)) await edit(`moved ${nameOf(id.value)}`, { do: 'put', path: ['scenes', sceneOf(id.value), 'spots', nameOf(id.value), 'at'], value: to })
}

const sizeOf = (s: { low: number[]; high: number[] }) => s.high.map((high, i) => Number((high - s.low[i]!).toFixed(9))).join(', ')
const size = ref('')
watch(place, (s) => (size.value = s ? sizeOf(s) : ''), { immediate: true })
async function resize() {
  const to = numbers(size.value)
  if (place.value && to.length === place.value.high.length && to.every((x) => Number.isFinite(x) && x > 0)) await edit(`${place.value.title} is ${to.join(' by ')}`, { do: 'put', path: ['scenes', id.value, 'size'], value: to })
}
</script>

<template>
  <aside class="sheet panel">
    <template v-if="spot">
      <h2>{{ nameOf(spot.id) }}</h2>
      <p class="quiet">A spot in {{ title(sceneOf(spot.id)) }}<template v-if="spot.start">; runs begin here</template><template v-if="spot.checkpoint">; the checkpoint <span class="mono">{{ spot.point }}</span><template v-if="spot.order">, number {{ spot.order }}</template></template>.</p>
      <form class="at" @submit.prevent="moveTo">
        <v-text-field v-model="at" :label="map.axes.join(', ')" class="mono" />
        <v-btn type="submit" size="small" variant="outlined" :disabled="at === spot.at.join(', ') || busy">Move</v-btn>
      </form>
      <div class="acts-row">
        <button type="button" :disabled="busy" @click="$emit('draw', spot.id)">Draw a passage from here</button>
        <button v-if="!spot.checkpoint" type="button" :disabled="busy" @click="makeCheckpoint">Make it a checkpoint</button>
        <button v-else-if="spot.point" type="button" :disabled="busy" @click="noCheckpoint">No checkpoint any more</button>
        <button v-if="!spot.start" type="button" :disabled="busy" @click="startHere">Begin runs here</button>
        <button type="button" :disabled="busy" @click="renaming = path">Rename</button>
        <button v-if="spot.point" type="button" :disabled="busy" @click="renaming = ['checkpoints', 'list', spot.point]">Rename the checkpoint</button>
        <button type="button" :disabled="busy" @click="removePicked">Remove</button>
      </div>
    </template>
    <template v-else-if="passage">
      <h2>{{ passage.title }}</h2>
      <dl>
        <dt>From</dt>
        <dd><button type="button" class="link" @click="$emit('pick', `spot:${passage.from}`)">{{ where(passage.from) }}</button></dd>
        <dt>To</dt>
        <dd>
          <button v-if="passage.to" type="button" class="link" @click="$emit('pick', `spot:${passage.to}`)">{{ where(passage.to) }}</button>
          <template v-else>where the player remembers (<span class="mono">{{ passage.waymark }}</span>)<template v-if="passage.else">, else {{ where(passage.else) }}</template></template>
        </dd>
        <dt>Carries</dt>
        <dd>{{ passage.carries.length ? passage.carries.join(', ') : 'nothing: the player arrives at the spot itself' }}</dd>
        <dt>Way back</dt>
        <dd>
          {{ passage.both_ways ? 'the same way' : 'none' }}
          <button v-if="passage.to" type="button" class="link" :disabled="busy" @click="bothWays">{{ passage.both_ways ? 'make it one way' : 'make it both ways' }}</button>
        </dd>
      </dl>
      <form class="gate" @submit.prevent="writeGate">
        <v-text-field v-model="condition" label="Open if" class="mono" placeholder="always" />
        <v-text-field v-model="refused" label="Otherwise they are told" :disabled="!condition" />
        <v-btn v-if="gateChanged" type="submit" size="small" color="primary" :disabled="busy">Write it</v-btn>
      </form>
      <div class="acts-row">
        <button type="button" :disabled="busy" @click="renaming = path">Rename</button>
        <button type="button" :disabled="busy" @click="removePicked">Remove</button>
      </div>
    </template>
    <template v-else-if="place">
      <h2>{{ place.title }}</h2>
      <p class="quiet">A scene of {{ widthOf(place) }} by {{ heightOf(place) }} {{ map.unit }}s, with {{ place.spots.length === 1 ? 'one spot' : `${place.spots.length} spots` }}.</p>
      <form class="at" @submit.prevent="resize">
        <v-text-field v-model="size" :label="`Size: ${map.axes.join(', ')}`" class="mono" />
        <v-btn type="submit" size="small" variant="outlined" :disabled="size === sizeOf(place) || busy">Resize</v-btn>
      </form>
      <ul>
        <li v-for="s in place.spots" :key="s.id"><button type="button" class="link" @click="$emit('pick', `spot:${s.id}`)">{{ nameOf(s.id) }}</button> <span class="quiet">at {{ s.at.join(', ') }}</span></li>
        <li v-for="x in place.props" :key="x.id"><button type="button" class="link" @click="$emit('pick', `prop:${x.id}`)">{{ x.id }}</button> <span class="quiet">at {{ x.at.join(', ') }}</span></li>
      </ul>
      <div class="acts-row">
        <button v-if="scene !== place.id" type="button" @click="$emit('open', place.id)">Look closer</button>
        <button type="button" :disabled="busy" @click="$emit('spot', place.id)">Add a spot in the middle</button>
        <button type="button" :disabled="busy" @click="renaming = path">Rename</button>
        <button type="button" :disabled="busy" @click="removePicked">Remove</button>
      </div>
    </template>
    <template v-else-if="prop">
      <h2>{{ nameOf(prop.id.replace('.', '/')) }}</h2>
      <p class="quiet">A prop (<span class="mono">{{ prop.id }}</span>) at {{ prop.at.join(', ') }}.</p>
      <div class="acts-row"><button type="button" :disabled="busy" @click="renaming = path">Rename</button></div>
    </template>
    <template v-else-if="movable">
      <h2>{{ movable.title }}</h2>
      <p class="quiet">There is one of it; it begins at {{ where(movable.start) }}, and stays where it is left<template v-if="movable.never_in.length">. It is never in {{ movable.never_in.map(title).join(', ') }}</template>.</p>
      <div class="acts-row"><button type="button" :disabled="busy" @click="renaming = path">Rename</button></div>
    </template>
    <template v-else>
      <b>Pick something</b>
      <p class="quiet">A spot can be dragged, or moved with the arrow keys. A passage says from where to where it leads, what it carries, and what refuses it.</p>
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
    <NameForm v-if="renaming" :draft="draft" :path="renaming" :title="renaming === path ? (passage ?? place ?? movable)?.title : undefined" :in-saves="kind !== 'passage' && (kind !== 'spot' || renaming !== path)" @done="renamed" @close="renaming = undefined" />
    <template v-if="leading.length">
      <h3>Passages</h3>
      <ul>
        <li v-for="p in leading" :key="p.id">
          <button type="button" class="link" @click="$emit('pick', `passage:${p.id}`)">{{ p.title }}</button>
          <span class="quiet to">{{ !picked || p.from === id || sceneOf(p.from) === id ? `to ${p.to ? where(p.to) : 'a remembered place'}` : `from ${where(p.from)}` }}</span>
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

h2 {
  font-size: 18px;
  margin: 0 0 2px;
}

h3 {
  font-size: 14px;
  margin: 12px 0 4px;
}

p {
  margin: 0 0 10px;
}

.at,
.gate {
  display: grid;
  gap: 10px;
  margin: 12px 0;
}

.at {
  grid-template-columns: 1fr auto;
  align-items: center;
}

.each {
  margin-right: 8px;
}

li {
  display: flex;
  flex-wrap: wrap;
  gap: 0 6px;
}

ul {
  list-style: none;
  margin: 0 0 10px;
  padding: 0;
}

dl {
  display: grid;
  grid-template-columns: 92px 1fr;
  gap: 5px 10px;
  margin: 10px 0;
}

dt {
  color: rgb(var(--v-theme-quiet));
}

dd {
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
