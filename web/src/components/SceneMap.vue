<script setup lang="ts">
import { computed, ref } from 'vue'

import { useDrag } from '../composables/useDrag'
import { alone, together } from '../layout'
import { areaThing, heightOf, nameOf, propThing, sceneOf, snapped, spotThing, widthOf, type MapArea, type MapProp, type MapScene, type MapSpot, type MapThing, type PlanMap } from '../map'
import { waysOf } from '../ways'

/** Somebody or something on the map. */
export interface Dot {
  id: string
  at: number[]
  scene?: string
  kind: 'player' | 'dead' | 'thing'
  trouble?: boolean
}

const props = defineProps<{
  map: PlanMap
  /** The scene that is shown; all of them where it is empty. */
  scene: string
  dots?: Dot[]
  /** What is picked, as spot:gorge/ledge, prop:cache.at_cairn, area:gorge/scree, passage:rope_bridge, scene:gorge, player:wren. */
  picked: string
  /** What is wrong, by what it is wrong with. */
  troubles?: Record<string, string>
  /** What things stick to when they are dragged; 0 where nothing can be moved. */
  snap?: number
  /** Where a passage is being drawn from. */
  from?: string
  /** Spots can be chosen by key, and the ground can be pointed at. */
  active?: boolean
  /** How many lines of text one scene by itself is high: fewer where the map is small. */
  rows?: number
}>()
const emit = defineEmits<{ pick: [what: string]; move: [thing: MapThing, to: number[]]; ground: [scene: string, at: number[]] }>()

const svg = ref<SVGSVGElement>()
const shown = computed<MapScene[]>(() => (props.scene ? props.map.scenes.filter((s) => s.id === props.scene) : props.map.scenes))
const one = computed(() => (shown.value.length === 1 ? shown.value[0] : undefined))
const layout = computed(() => (one.value ? alone(one.value) : together(props.map)))
const width = computed(() => layout.value.high[0] - layout.value.low[0])
const height = computed(() => layout.value.high[1] - layout.value.low[1])
/** One of these is about one line of text high, however large the scenes are. */
const size = computed(() => (one.value ? Math.max(width.value / (1.8 * (props.rows ?? 26)), height.value / (props.rows ?? 26)) : Math.max(width.value / 80, height.value / 42)))
const box = computed(() => {
  const edge = size.value * 1.9
  return `${layout.value.low[0] - edge} ${layout.value.low[1] - edge * 1.2} ${width.value + 2 * edge} ${height.value + 2.4 * edge}`
})
const label = computed(() => (one.value ? `${one.value.title}, ${widthOf(one.value)} by ${heightOf(one.value)} ${props.map.unit}s` : `All ${shown.value.length} scenes, to scale`))
const spots = computed(() => new Map(props.map.scenes.flatMap((s) => s.spots.map((x) => [x.id, x] as const))))
/** A name at the edge of a scene is written inwards. */
const anchor = (spot: MapSpot, s: MapScene) => (spot.at[0]! > s.high[0]! - size.value * 2.5 ? 'end' : spot.at[0]! < s.low[0]! + size.value * 2.5 ? 'start' : 'middle')
const straight = (s: MapSpot) => s.from.some((x, i) => x !== s.to[i])

/** A point of a scene where it is drawn. */
function drawn(scene: string, at: number[]): [number, number] {
  const by = layout.value.at[scene] ?? [0, 0]
  return [by[0] + at[0]!, by[1] + (at[1] ?? 0)]
}

/** Where a pointer is in a scene. */
function pointed(e: MouseEvent, scene: MapScene): number[] {
  const to = svg.value!.getScreenCTM()!.inverse()
  const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(to)
  const by = layout.value.at[scene.id] ?? [0, 0]
  return [p.x - by[0], p.y - by[1]]
}

const { dragged, placeOf: placeOfThing, take, drag, drop, letGo, key } = useDrag({
  map: () => props.map,
  snap: () => props.snap ?? 0,
  slack: () => size.value * 0.3,
  pointed,
  moved: (thing, to) => emit('move', thing, to),
  picked: (what) => emit('pick', what),
})
const placeOf = (spot: MapSpot) => placeOfThing(spotThing(spot))
const lowOf = (area: MapArea) => placeOfThing(areaThing(area))

/** What something has that can be dragged, and reached by key; where nothing can be moved it is only picked. */
function handled(s: MapScene, thing: MapThing, name: string) {
  const at = placeOfThing(thing).join(', ')
  return {
    ...(props.snap || props.active ? { role: 'button', tabindex: 0, 'aria-label': `${name}, at ${at}`, onKeydown: (e: KeyboardEvent) => key(e, s, thing) } : {}),
    onPointerdown: (e: PointerEvent) => take(e, s, thing),
    onPointermove: drag,
    onPointerup: drop,
    onPointercancel: letGo,
    onClick: (e: MouseEvent) => {
      e.stopPropagation()
      if (!props.snap) emit('pick', thing.what)
    },
  }
}

/** Where the map is worked on, what can be clicked on it can be reached by key, too. */
function byKey(what: string, name: string) {
  if (!props.snap && !props.active) return {}
  const onKeydown = (e: KeyboardEvent) => {
    if (e.key !== 'Enter' && e.key !== ' ') return
    e.preventDefault()
    emit('pick', what)
  }
  return { role: 'button', tabindex: 0, 'aria-label': name, onKeydown }
}

function ground(e: MouseEvent, scene: MapScene) {
  if (props.active) emit('ground', scene.id, snapped(scene, pointed(e, scene), props.snap || 1, props.map.step))
  else emit('pick', `scene:${scene.id}`)
}

const shows = (scene: string) => shown.value.some((s) => s.id === scene)
const ways = computed(() => waysOf(props.map, { shows, drawn, placeOf, size: size.value }))
const isPicked = (d: Dot) => props.picked === `player:${d.id}`
/** Whoever is picked is drawn last, and so above the others. */
const dotsDrawn = computed(() => (props.dots ?? []).map((d) => ({ ...d, place: drawn(d.scene ?? props.scene, d.at) })).sort((a, b) => Number(isPicked(a)) - Number(isPicked(b))))
/** Where many are, names would hide everything: only whoever is picked has one. */
const MANY = 40
const many = computed(() => (props.dots?.length ?? 0) > MANY)
const dotSize = computed(() => (many.value ? size.value * 0.3 : size.value * 0.52))
/** How far whoever is picked is sent others, in a scene that says so. */
const near = (d: Dot) => props.map.scenes.find((s) => s.id === (d.scene ?? props.scene))?.near?.within
/** A prop that stands on a spot is drawn beside it, so that both can be seen. */
function besideSpot(s: MapScene, prop: MapProp): [number, number] {
  const at = placeOfThing(propThing(prop))
  const on = dragged.value?.thing.what !== `prop:${prop.id}` && s.spots.some((x) => Math.hypot(x.at[0]! - at[0]!, (x.at[1] ?? 0) - (at[1] ?? 0)) < size.value * 0.6)
  return on ? [at[0]! + size.value * 1.1, at[1] ?? 0] : [at[0]!, at[1] ?? 0]
}
/** Movables, beside the spots where they begin. */
const movables = computed(() =>
  props.map.movables.flatMap((m) => {
    const spot = spots.value.get(m.start)
    return spot && shows(sceneOf(spot.id)) ? [{ ...m, place: drawn(sceneOf(spot.id), placeOf(spot)) }] : []
  }),
)
const radius = (p: MapProp) => props.map.kinds.find((k) => k.id === p.kind)?.radius ?? 0
const trouble = (what: string) => props.troubles?.[what]
</script>

<template>
  <svg ref="svg" :viewBox="box" class="map" :role="active || snap ? 'group' : 'img'" :aria-label="dots ? `${label}, with ${dots.length} on it` : label">
    <g v-for="s in shown" :key="s.id" :transform="layout.at[s.id]?.some((x) => x) ? `translate(${layout.at[s.id]!.join(' ')})` : undefined">
      <rect :x="s.low[0]" :y="s.low[1]" :width="widthOf(s)" :height="heightOf(s)" :class="['ground', { picked: picked === `scene:${s.id}`, trouble: trouble(`scene:${s.id}`), active }]" :stroke-width="size / (trouble(`scene:${s.id}`) || picked === `scene:${s.id}` ? (one ? 5.5 : 4) : 8)" @click="ground($event, s)">
        <title v-if="trouble(`scene:${s.id}`)">{{ trouble(`scene:${s.id}`) }}</title>
      </rect>
      <text v-if="!one" class="title" v-bind="byKey(`scene:${s.id}`, `${s.title}, a scene`)" :x="s.low[0]" :y="(s.low[1] ?? 0) - size * 0.4" :font-size="size * 1.1" @click="$emit('pick', `scene:${s.id}`)">{{ s.title }}<tspan v-if="trouble(`scene:${s.id}`)" class="bad"> !</tspan></text>
      <g v-for="a in s.areas" :key="a.id" :class="['area', { passive: !snap, movable: snap, picked: picked === `area:${a.id}`, trouble: trouble(`area:${a.id}`) }]" v-bind="snap ? handled(s, areaThing(a), `${nameOf(a.id)} in ${s.title}, an area`) : {}" :transform="`translate(${lowOf(a)[0]} ${lowOf(a)[1]})`">
        <ellipse v-if="a.radius" :cx="a.radius" :cy="a.radius" :rx="a.radius" :ry="a.radius" :stroke-width="size / 6" />
        <rect v-else :width="a.high[0]! - a.low[0]!" :height="a.high[1]! - a.low[1]!" :stroke-width="size / 6" />
        <text v-if="one" class="faint" :x="size * 0.4" :y="size * 1.1" :font-size="size * 0.85">{{ nameOf(a.id) }}<tspan v-if="dragged?.thing.what === `area:${a.id}`"> {{ dragged.at.join(', ') }}</tspan></text>
        <title>{{ trouble(`area:${a.id}`) ?? a.title }}</title>
      </g>
    </g>
    <g v-for="w in ways" :key="w.id" :class="['way', { picked: picked === `passage:${w.id}`, trouble: trouble(`passage:${w.id}`), loose: w.loose }]" v-bind="byKey(`passage:${w.id}`, `${w.id}, a passage`)" @click="$emit('pick', `passage:${w.id}`)">
      <path class="touch" :d="w.path" :stroke-width="size" />
      <path class="line" :d="w.path" :stroke-width="size / (picked === `passage:${w.id}` ? 3.5 : 6)" :stroke-dasharray="w.loose ? `${size / 2} ${size / 2}` : undefined" />
      <rect v-if="w.gated" class="gate" :x="w.middle[0] - size * 0.3" :y="w.middle[1] - size * 0.3" :width="size * 0.6" :height="size * 0.6" :transform="`rotate(45 ${w.middle[0]} ${w.middle[1]})`" :stroke-width="size / 6" />
      <text v-if="w.note" class="faint" :x="w.middle[0] - w.side * size * 1.3" :y="w.middle[1]" :dy="w.side || w.middle[1] < layout.low[1] ? -size * 0.4 : size * 0.9" :text-anchor="w.side > 0 ? 'end' : w.side < 0 ? 'start' : 'middle'" :font-size="size * 0.85">to {{ w.note }}</text>
      <title>{{ w.id }}{{ trouble(`passage:${w.id}`) ? `: ${trouble(`passage:${w.id}`)}` : '' }}</title>
    </g>
    <g v-for="s in shown" :key="s.id" :transform="layout.at[s.id]?.some((x) => x) ? `translate(${layout.at[s.id]!.join(' ')})` : undefined">
      <g v-for="p in s.props" :key="p.id" :class="['prop', { movable: snap, picked: picked === `prop:${p.id}` }]" v-bind="handled(s, propThing(p), `${p.id}, a prop in ${s.title}`)" :transform="`translate(${besideSpot(s, p).join(' ')})`">
        <circle v-if="picked === `prop:${p.id}` && radius(p)" class="radius" :cx="placeOfThing(propThing(p))[0]! - besideSpot(s, p)[0]" :r="radius(p)" :stroke-width="size / 10" />
        <rect :x="-size * 0.3" :y="-size * 0.3" :width="size * 0.6" :height="size * 0.6" :stroke-width="size / 8" />
        <text v-if="dragged?.thing.what === `prop:${p.id}`" class="faint" :y="size * 1.5" text-anchor="middle" :font-size="size * 0.85" :stroke-width="size * 0.25">{{ dragged.at.join(', ') }}</text>
        <title>{{ p.id }}</title>
      </g>
      <g
        v-for="spot in s.spots"
        :key="spot.id"
        :class="['place', { movable: snap, picked: picked === `spot:${spot.id}`, from: from === spot.id, trouble: trouble(`spot:${spot.id}`) }]"
        v-bind="handled(s, spotThing(spot), `${nameOf(spot.id)} in ${s.title}${spot.checkpoint ? ', a checkpoint' : ''}`)"
      >
        <line v-if="straight(spot)" class="edge" :x1="spot.from[0]" :y1="spot.from[1]" :x2="spot.to[0]" :y2="spot.to[1]" :stroke-width="size / 3.5" />
        <circle class="touch" :cx="placeOf(spot)[0]" :cy="placeOf(spot)[1]" :r="size * 0.8" />
        <path v-if="spot.checkpoint" class="checkpoint" :stroke-width="size / 7" :d="`M${placeOf(spot)[0]} ${placeOf(spot)[1]! - size * 0.75}l${size * 0.65} ${size * 0.75}l${-size * 0.65} ${size * 0.75}l${-size * 0.65} ${-size * 0.75}z`" />
        <circle v-else class="spot" :cx="placeOf(spot)[0]" :cy="placeOf(spot)[1]" :r="size * (one ? 0.26 : 0.34)" />
        <circle v-if="spot.start" class="start" :cx="placeOf(spot)[0]" :cy="placeOf(spot)[1]" :r="size * 0.62" fill="none" :stroke-width="size / 7" />
        <text v-if="one || picked === `spot:${spot.id}` || from === spot.id" class="faint" :x="placeOf(spot)[0]" :y="placeOf(spot)[1]! + (placeOf(spot)[1]! + size * 1.7 > (s.high[1] ?? 0) ? -size * 0.9 : size * 1.5)" :text-anchor="anchor(spot, s)" :font-size="size * 0.85" :stroke-width="size * 0.25">
          {{ nameOf(spot.id) }}<tspan v-if="dragged?.thing.what === `spot:${spot.id}`"> {{ dragged.at.join(', ') }}</tspan>
        </text>
        <title v-if="!one">{{ nameOf(spot.id) }}</title>
      </g>
    </g>
    <template v-if="!dots">
      <g v-for="m in movables" :key="m.id" :class="['dot', 'thing', { picked: picked === `movable:${m.id}` }]" v-bind="byKey(`movable:${m.id}`, `${m.title}, a movable`)" :transform="`translate(${m.place[0] + size * 1.1} ${m.place[1]})`" @click="$emit('pick', `movable:${m.id}`)">
        <path :d="`M${-size * 0.45} ${size * 0.36}L0 ${-size * 0.5}L${size * 0.45} ${size * 0.36}z`" />
        <title>{{ m.title }}</title>
      </g>
    </template>
    <g v-for="d in dotsDrawn" :key="d.id" :transform="`translate(${d.place[0]} ${d.place[1]})`" :class="['dot', d.kind, { picked: picked === `player:${d.id}`, trouble: d.trouble }]" @click.stop="d.kind !== 'thing' && $emit('pick', `player:${d.id}`)">
      <path v-if="d.kind === 'thing'" :d="`M${-size * 0.5} ${size * 0.4}L0 ${-size * 0.55}L${size * 0.5} ${size * 0.4}z`" />
      <path v-else-if="d.kind === 'dead'" :d="`M${-size * 0.4} ${-size * 0.4}l${size * 0.8} ${size * 0.8}M${size * 0.4} ${-size * 0.4}l${-size * 0.8} ${size * 0.8}`" fill="none" :stroke-width="size * 0.25" />
      <circle v-else :r="dotSize" />
      <circle v-if="isPicked(d) && near(d)" class="ring sight" :r="near(d)" fill="none" :stroke-width="size / 10" />
      <circle v-if="isPicked(d)" class="ring" :r="size * 0.9" fill="none" :stroke-width="size / 8" />
      <text v-if="!many || isPicked(d) || d.kind === 'thing'" :y="-size * 0.8" text-anchor="middle" :font-size="size" :stroke-width="size * 0.3">{{ d.id }}</text>
      <title v-if="many">{{ d.id }}</title>
    </g>
  </svg>
</template>

<style scoped>
.map {
  display: block;
  width: 100%;
  height: 400px;
  touch-action: none;
  user-select: none;
}

text {
  font-family: var(--body);
}

.ground {
  fill: color-mix(in srgb, rgb(var(--v-theme-surface-variant)) 30%, rgb(var(--v-theme-surface)));
  stroke: color-mix(in srgb, rgb(var(--v-theme-on-surface)) 28%, transparent);
}

.ground.active {
  cursor: crosshair;
}

.ground.picked {
  stroke: rgb(var(--v-theme-primary));
}

.ground.trouble {
  stroke: rgb(var(--v-theme-error));
}

.title {
  fill: rgb(var(--v-theme-on-surface));
  font-weight: 600;
  cursor: pointer;
}

.bad {
  fill: rgb(var(--v-theme-error));
}

.passive {
  pointer-events: none;
}

.area {
  outline: none;
}

.area ellipse,
.area rect {
  fill: rgb(var(--v-theme-warning));
  fill-opacity: 0.14;
}

.area:focus-visible ellipse,
.area:focus-visible rect,
.area.picked ellipse,
.area.picked rect {
  stroke: rgb(var(--v-theme-warning));
}

.area.trouble ellipse,
.area.trouble rect {
  stroke: rgb(var(--v-theme-error));
}

.faint {
  fill: rgb(var(--v-theme-quiet));
  stroke: rgb(var(--v-theme-surface));
  stroke-width: 0;
  paint-order: stroke;
}

.place text,
.way text {
  pointer-events: none;
}

.touch {
  fill: transparent;
  stroke: transparent;
}

path.touch {
  fill: none;
}

.way {
  cursor: pointer;
}

.way .line {
  fill: none;
  stroke: rgb(var(--v-theme-primary));
  stroke-opacity: 0.55;
  stroke-linecap: round;
}

.way,
.title,
.prop,
.thing {
  outline: none;
}

.way:focus-visible .touch {
  stroke: color-mix(in srgb, rgb(var(--v-theme-secondary)) 45%, transparent);
}

.title:focus-visible {
  text-decoration: underline;
}

.prop:focus-visible rect,
.thing:focus-visible path {
  stroke: rgb(var(--v-theme-secondary));
  stroke-width: 0.6;
}

.way:hover .line,
.way.picked .line {
  stroke-opacity: 1;
}

.way.trouble .line {
  stroke: rgb(var(--v-theme-error));
  stroke-opacity: 1;
}

.gate {
  fill: rgb(var(--v-theme-surface));
  stroke: rgb(var(--v-theme-warning));
}

.place:not(.movable) {
  cursor: pointer;
}

.place {
  outline: none;
}

.movable {
  cursor: grab;
}

.movable:active {
  cursor: grabbing;
}

.place:focus-visible .touch,
.place.picked .touch {
  fill: color-mix(in srgb, rgb(var(--v-theme-primary)) 26%, transparent);
}

.place.from .touch {
  fill: color-mix(in srgb, rgb(var(--v-theme-secondary)) 45%, transparent);
}

.spot {
  fill: rgb(var(--v-theme-quiet));
}

.trouble .spot {
  fill: rgb(var(--v-theme-error));
}

.start {
  stroke: rgb(var(--v-theme-primary));
}

.edge {
  stroke: rgb(var(--v-theme-quiet));
  stroke-opacity: 0.55;
  stroke-linecap: round;
}

.checkpoint {
  fill: color-mix(in srgb, rgb(var(--v-theme-secondary)) 35%, rgb(var(--v-theme-surface)));
  stroke: rgb(var(--v-theme-secondary));
}

.prop:not(.movable) {
  cursor: pointer;
}

.prop rect {
  fill: rgb(var(--v-theme-surface-variant));
  stroke: rgb(var(--v-theme-quiet));
}

.prop.picked rect {
  fill: rgb(var(--v-theme-primary));
  stroke: rgb(var(--v-theme-primary));
}

.radius {
  fill: none;
  stroke: rgb(var(--v-theme-primary));
  stroke-opacity: 0.5;
  pointer-events: none;
}

.thing.picked path {
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 0.3;
}

.dot {
  cursor: pointer;
}

.dot circle,
.dot path {
  fill: rgb(var(--v-theme-primary));
}

.dot .sight {
  opacity: 0.5;
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
  cursor: pointer;
}

.thing path {
  fill: rgb(var(--v-theme-set));
}
</style>
