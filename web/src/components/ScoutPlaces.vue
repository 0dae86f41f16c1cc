<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '../api/client'
import { drawingOf, high, wide } from '../reach'

const props = defineProps<{ places: Schemas['ScoutPlaces'] }>()

const drawing = computed(() => drawingOf(props.places))
const most = computed(() => Math.max(1, ...drawing.value.scenes.map((s) => s.states)))
const picked = ref('')
const pick = (id: string) => (picked.value = picked.value === id ? '' : id)
const titleOf = (id: string) => drawing.value.scenes.find((s) => s.id === id)?.title ?? id
const short = (text: string) => (text.length > 18 ? `${text.slice(0, 17)}…` : text)
const near = (w: { from: string; to: string }) => !picked.value || w.from === picked.value || w.to === picked.value

const leads = computed(() => props.places.ways.filter((w) => w.from === picked.value))
const led = computed(() => props.places.ways.filter((w) => w.to === picked.value))
const label = computed(() => {
  const seen = drawing.value.scenes.filter((s) => s.seen).length
  return `${seen} of ${drawing.value.scenes.length} scenes were seen, and ${drawing.value.ways.length} ways between them`
})

function key(e: KeyboardEvent, id: string) {
  if (e.key !== 'Enter' && e.key !== ' ') return
  e.preventDefault()
  pick(id)
}
</script>

<template>
  <div>
    <svg :viewBox="`-6 -6 ${drawing.width + 12} ${drawing.height + 12}`" :style="{ maxWidth: `${drawing.width + 12}px` }" role="group" :aria-label="label">
      <defs>
        <marker id="reaches" viewBox="0 0 8 8" refX="7.5" refY="4" markerWidth="7" markerHeight="7" orient="auto-start-reverse"><path d="M0 0.6L8 4L0 7.4z" /></marker>
      </defs>
      <path v-for="w in drawing.ways" :key="w.id" :class="['way', { loose: w.loose, far: !near(w) }]" :d="w.path" marker-end="url(#reaches)" :marker-start="w.both ? 'url(#reaches)' : undefined">
        <title>{{ titleOf(w.from) }} {{ w.both ? 'and' : 'to' }} {{ titleOf(w.to) }}: {{ w.title }}</title>
      </path>
      <g
        v-for="s in drawing.scenes" :key="s.id" :transform="`translate(${s.x} ${s.y})`" :class="['scene', { picked: picked === s.id, never: !s.seen, stuck: s.stuck }]" role="button" tabindex="0" :aria-pressed="picked === s.id"
        :aria-label="`${s.title}: ${s.seen ? `${s.states.toLocaleString()} states` : 'never seen'}${s.stuck ? `, ${s.stuck.toLocaleString()} dead ends` : ''}`" @click="pick(s.id)" @keydown="key($event, s.id)"
      >
        <rect :width="wide" :height="high" rx="7" />
        <rect v-if="s.seen" class="share" x="10" :y="high - 9" :width="Math.max(3, (wide - 20) * Math.sqrt(s.states / most))" height="4" rx="2" />
        <text x="10" y="21" class="name">{{ short(s.title) }}</text>
        <text x="10" y="39" class="small">{{ s.seen ? `${s.states.toLocaleString()} states` : 'never seen' }}<tspan v-if="s.stuck" class="bad"> · {{ s.stuck.toLocaleString() }} stuck</tspan></text>
        <title>{{ s.title }}</title>
      </g>
    </svg>
    <div v-if="picked" class="ways" role="status">
      <div>
        <h3>Into {{ titleOf(picked) }}</h3>
        <p v-if="!led.length" class="quiet">Nothing was seen to lead there.</p>
        <p v-for="w in led" :key="w.from"><b>{{ titleOf(w.from) }}</b> by {{ w.by.join(', ') }}</p>
      </div>
      <div>
        <h3>Out of it</h3>
        <p v-if="!leads.length" class="quiet">Nothing was seen to lead away.</p>
        <p v-for="w in leads" :key="w.to"><b>{{ titleOf(w.to) }}</b> by {{ w.by.join(', ') }}</p>
      </div>
    </div>
    <p class="quiet">By where the first player is, in the search “{{ places.search }}”: the bar is how many states there are. Lines are passages; a dotted line is another way, where no passage was seen to lead there. Pick a scene for all ways.</p>
  </div>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
  height: auto;
  margin: 6px 0 8px;
  user-select: none;
}

.way {
  fill: none;
  stroke: rgb(var(--v-theme-quiet));
  stroke-width: 1.6;
}

.way.loose {
  stroke-dasharray: 2 5;
}

.way.far {
  opacity: 0.2;
}

marker path {
  fill: rgb(var(--v-theme-quiet));
}

.scene {
  cursor: pointer;
  outline: none;
}

.scene rect:first-child {
  fill: rgb(var(--v-theme-surface));
  stroke: color-mix(in srgb, rgb(var(--v-theme-on-surface)) 34%, transparent);
  stroke-width: 1.4;
}

.scene:focus-visible rect:first-child,
.scene.picked rect:first-child {
  stroke: rgb(var(--v-theme-primary));
  stroke-width: 2.4;
}

.scene.never rect:first-child {
  stroke-dasharray: 5 4;
}

.scene.stuck rect:first-child {
  stroke: rgb(var(--v-theme-error));
}

.share {
  fill: rgb(var(--v-theme-secondary));
}

text {
  font-family: var(--body);
  fill: rgb(var(--v-theme-on-surface));
  font-size: 14.5px;
}

.name {
  font-weight: 600;
}

.small {
  font-size: 13px;
  fill: rgb(var(--v-theme-quiet));
}

.never .name {
  fill: rgb(var(--v-theme-quiet));
}

.bad {
  fill: rgb(var(--v-theme-error));
}

.ways {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 18px;
  margin-bottom: 8px;
}

h3 {
  font-size: 14px;
  margin: 0 0 2px;
}

p {
  margin: 2px 0;
}
</style>
