<script setup lang="ts">
import { BarChart } from 'echarts/charts'
import { GridComponent, TooltipComponent } from 'echarts/components'
import { init, use, type EChartsType } from 'echarts/core'
import { CanvasRenderer } from 'echarts/renderers'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useTheme } from 'vuetify'

import type { Schemas } from '../api/client'

// How often each value is there; what a range that is tried leaves out stands apart.
use([BarChart, GridComponent, TooltipComponent, CanvasRenderer])

const props = defineProps<{ figure: Schemas['Spread']; low?: number; high?: number; versions: number[] }>()
const host = ref<HTMLElement>()
const theme = useTheme()
let chart: EChartsType | undefined
let watcher: ResizeObserver | undefined

const colour = (name: string) => theme.current.value.colors[name] as string
const number = (f: Schemas['Spread']) => f.type !== 'words'

interface Row {
  label: string
  count: number
  /** Of these, those that a range that is tried leaves out. */
  cut: number
  versions: Record<string, number>
}

const out = (n: number) => (props.low !== undefined && n < props.low) || (props.high !== undefined && n > props.high)

/** Words as they are; numbers by their steps where there are few, else in forty stretches of one width. */
function rows(): Row[] {
  const f = props.figure
  const bars = f.bars ?? []
  if (!number(f)) return bars.map((b) => ({ label: b.value ?? '', count: b.count, cut: 0, versions: b.versions ?? {} }))
  const from = f.least ?? 0
  const wide = (f.most ?? 0) - from
  const whole = bars.every((b) => Number.isInteger(b.from) && b.from === b.to)
  const each = whole ? Math.max(1, Math.ceil((wide + 1) / 40)) : wide / 40 || 1
  const many = whole ? Math.floor(wide / each) + 1 : wide ? 40 : 1
  const all = Array.from({ length: many }, (_, i): Row => {
    const at = from + i * each
    return { label: whole && each > 1 ? `${short(at)} to ${short(at + each - 1)}` : whole || !wide ? short(at) : `from ${short(at)}`, count: 0, cut: 0, versions: {} }
  })
  for (const b of bars) {
    const row = all[Math.min(many - 1, Math.floor((b.from - from) / each + 1e-9))]!
    row.count += b.count
    if (out(b.from)) row.cut += b.count
    for (const [v, n] of Object.entries(b.versions ?? {})) row.versions[v] = (row.versions[v] ?? 0) + n
  }
  return all
}

function short(n: number) {
  return Number(n.toPrecision(6)).toString()
}

const shades = ['primary', 'secondary', 'warning', 'info', 'success', 'error']

function draw() {
  if (!host.value) return
  chart ??= init(host.value)
  const all = rows()
  const text = colour('on-surface')
  const gap = { type: 'bar' as const, stack: 'all', barCategoryGap: '15%' }
  const tried = props.low !== undefined || props.high !== undefined
  const series =
    tried || props.versions.length < 2 || !props.figure.exact
      ? [
          { ...gap, name: tried ? 'kept' : 'saves', data: all.map((r) => r.count - r.cut), itemStyle: { color: colour('primary') } },
          ...(tried ? [{ ...gap, name: 'cut off', data: all.map((r) => r.cut), itemStyle: { color: colour('error') } }] : []),
        ]
      : props.versions.map((v, i) => ({ ...gap, name: `version ${v}`, data: all.map((r) => r.versions[String(v)] ?? 0), itemStyle: { color: colour(shades[i % shades.length]!) } }))
  chart.setOption(
    {
      animation: false,
      backgroundColor: colour('surface'),
      textStyle: { fontFamily: getComputedStyle(document.body).fontFamily, color: text },
      grid: { left: 60, right: 20, top: 18, bottom: all.length > 12 ? 84 : 48 },
      tooltip: { trigger: 'axis', axisPointer: { type: 'shadow' } },
      xAxis: { type: 'category', data: all.map((r) => r.label), axisLabel: { color: text, rotate: all.length > 12 ? 50 : 0 } },
      yAxis: { type: 'value', minInterval: 1, axisLabel: { color: text }, splitLine: { lineStyle: { color: text, opacity: 0.12 } } },
      series,
    },
    true,
  )
}

/** The picture, as the address of a PNG. */
const png = () => chart?.getDataURL({ type: 'png', pixelRatio: 2 })

onMounted(() => {
  draw()
  watcher = new ResizeObserver(() => chart?.resize())
  if (host.value) watcher.observe(host.value)
})
watch(() => [props.figure, props.low, props.high, props.versions, theme.global.name.value], draw)
onBeforeUnmount(() => {
  watcher?.disconnect()
  chart?.dispose()
})

defineExpose({ png })
</script>

<template>
  <div ref="host" class="chart" role="img" :aria-label="`How ${figure.title} is spread over ${figure.count} saves; the table below says the same`" />
</template>

<style scoped>
.chart {
  height: 320px;
}
</style>
