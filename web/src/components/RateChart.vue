<script setup lang="ts">
import { computed } from 'vue'

const props = defineProps<{ title: string; unit: string; values: number[]; span: number }>()

const most = computed(() => Math.max(...props.values, 1))
/** The top of the scale: the next of 1, 2 and 5 times a power of ten. */
const top = computed(() => {
  const power = 10 ** Math.floor(Math.log10(most.value))
  return [1, 2, 5, 10].map((n) => n * power).find((n) => n >= most.value)!
})
const line = computed(() => props.values.map((v, i) => `${i ? 'L' : 'M'}${((props.span - props.values.length + i) / (props.span - 1)) * 300} ${60 - (v / top.value) * 56}`).join(''))
const shown = (n: number) => Math.round(n).toLocaleString()
const last = computed(() => props.values[props.values.length - 1] ?? 0)
</script>

<template>
  <figure>
    <figcaption>
      {{ title }} <b class="mono">{{ shown(last) }}</b> <span class="quiet">{{ unit }}</span>
    </figcaption>
    <svg viewBox="0 0 300 64" preserveAspectRatio="none" role="img" :aria-label="`${title}: ${shown(last)} ${unit} now, at most ${shown(most)} in the last minute`">
      <line x1="0" x2="300" y1="4" y2="4" />
      <line x1="0" x2="300" y1="60" y2="60" />
      <path v-if="values.length > 1" :d="line" />
    </svg>
    <span class="scale quiet"><span>{{ shown(top) }}</span><span>a minute ago to now</span></span>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}

figcaption {
  font-size: 14px;
}

svg {
  display: block;
  width: 100%;
  height: 64px;
}

line {
  stroke: var(--line);
  vector-effect: non-scaling-stroke;
}

path {
  fill: none;
  stroke: rgb(var(--v-theme-secondary));
  stroke-width: 1.8;
  vector-effect: non-scaling-stroke;
}

.scale {
  display: flex;
  justify-content: space-between;
  font-size: 12px;
}
</style>
