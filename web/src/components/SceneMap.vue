<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'

/** Somebody or something on the map. */
export interface Dot {
  id: string
  at: number[]
  kind: 'player' | 'dead' | 'thing'
  trouble?: boolean
}

const props = defineProps<{ scene: Schemas['MapScene']; dots: Dot[]; picked: string; unit: string }>()
defineEmits<{ pick: [id: string] }>()

const width = computed(() => props.scene.high[0]! - props.scene.low[0]!)
const height = computed(() => (props.scene.high[1] ?? 1) - (props.scene.low[1] ?? 0))
/** One of these is about one line of text high, however large the scene is. */
const size = computed(() => Math.max(width.value / 46, height.value / 26))
const box = computed(() => {
  const edge = size.value * 1.6
  return `${props.scene.low[0]! - edge} ${(props.scene.low[1] ?? 0) - edge} ${width.value + 2 * edge} ${height.value + 2 * edge}`
})
const name = (id: string) => id.split('/').pop()!
const straight = (s: Schemas['MapSpot']) => s.from.some((x, i) => x !== s.to[i])
</script>

<template>
  <svg :viewBox="box" class="map" role="img" :aria-label="`${scene.title}, ${width} by ${height} ${unit}s, with ${dots.length} on it`">
    <rect :x="scene.low[0]" :y="scene.low[1]" :width="width" :height="height" class="ground" :stroke-width="size / 8" />
    <template v-for="a in scene.areas" :key="a.id">
      <ellipse v-if="a.radius" class="area" :cx="(a.low[0]! + a.high[0]!) / 2" :cy="(a.low[1]! + a.high[1]!) / 2" :rx="a.radius" :ry="a.radius" />
      <rect v-else class="area" :x="a.low[0]" :y="a.low[1]" :width="a.high[0]! - a.low[0]!" :height="a.high[1]! - a.low[1]!" />
      <text class="faint" :x="a.low[0]! + size * 0.4" :y="a.low[1]! + size * 1.1" :font-size="size * 0.85">{{ name(a.id) }}</text>
    </template>
    <g v-for="s in scene.spots" :key="s.id">
      <line v-if="straight(s)" class="edge" :x1="s.from[0]" :y1="s.from[1]" :x2="s.to[0]" :y2="s.to[1]" :stroke-width="size / 3.5" />
      <path v-if="s.checkpoint" class="checkpoint" :d="`M${s.at[0]} ${s.at[1]! - size * 0.75}l${size * 0.65} ${size * 0.75}l${-size * 0.65} ${size * 0.75}l${-size * 0.65} ${-size * 0.75}z`" />
      <circle v-else class="spot" :cx="s.at[0]" :cy="s.at[1]" :r="size * 0.24" />
      <text class="faint" :x="s.at[0]" :y="s.at[1]! + (s.at[1]! + size * 1.7 > (scene.high[1] ?? 0) ? -size * 0.8 : size * 1.4)" text-anchor="middle" :font-size="size * 0.85">{{ name(s.id) }}</text>
    </g>
    <rect v-for="p in scene.props" :key="p.id" class="prop" :x="p.at[0]! - size * 0.35" :y="p.at[1]! - size * 0.35" :width="size * 0.7" :height="size * 0.7"><title>{{ p.id }}</title></rect>
    <g v-for="d in dots" :key="d.id" :transform="`translate(${d.at[0]} ${d.at[1]})`" :class="['dot', d.kind, { picked: d.id === picked, trouble: d.trouble }]" @click="d.kind !== 'thing' && $emit('pick', d.id)">
      <path v-if="d.kind === 'thing'" :d="`M${-size * 0.5} ${size * 0.4}L0 ${-size * 0.55}L${size * 0.5} ${size * 0.4}z`" />
      <path v-else-if="d.kind === 'dead'" :d="`M${-size * 0.4} ${-size * 0.4}l${size * 0.8} ${size * 0.8}M${size * 0.4} ${-size * 0.4}l${-size * 0.8} ${size * 0.8}`" fill="none" :stroke-width="size * 0.25" />
      <circle v-else :r="size * 0.52" />
      <circle v-if="d.id === picked" class="ring" :r="size * 0.9" fill="none" :stroke-width="size / 8" />
      <text :y="-size * 0.8" text-anchor="middle" :font-size="size" :stroke-width="size * 0.3">{{ d.id }}</text>
    </g>
  </svg>
</template>

<style scoped>
.map {
  display: block;
  width: 100%;
  height: 400px;
}

text {
  font-family: var(--body);
}

.ground {
  fill: rgb(var(--v-theme-surface));
  stroke: var(--line);
}

.area {
  fill: rgb(var(--v-theme-warning));
  fill-opacity: 0.12;
}

.faint {
  fill: rgb(var(--v-theme-quiet));
}

.spot {
  fill: rgb(var(--v-theme-quiet));
}

.edge {
  stroke: rgb(var(--v-theme-quiet));
  stroke-opacity: 0.55;
  stroke-linecap: round;
}

.checkpoint {
  fill: rgb(var(--v-theme-secondary));
  fill-opacity: 0.35;
  stroke: rgb(var(--v-theme-secondary));
  stroke-width: 0.15;
}

.prop {
  fill: rgb(var(--v-theme-surface-variant));
  stroke: rgb(var(--v-theme-quiet));
  stroke-width: 0.12;
}

.dot {
  cursor: pointer;
}

.dot circle,
.dot path {
  fill: rgb(var(--v-theme-primary));
}

.dot .ring {
  fill: none;
  stroke: rgb(var(--v-theme-primary));
}

.dot text {
  fill: rgb(var(--v-theme-on-surface));
  stroke: rgb(var(--v-theme-surface));
  paint-order: stroke;
}

.dead path {
  fill: none;
  stroke: rgb(var(--v-theme-error));
}

.trouble circle:first-child {
  fill: rgb(var(--v-theme-error));
}

.thing {
  cursor: default;
}

.thing path {
  fill: rgb(var(--v-theme-set));
}
</style>
