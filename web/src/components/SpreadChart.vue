<script setup lang="ts">
import { BarChart, LineChart } from 'echarts/charts'
import { GridComponent, MarkLineComponent, TooltipComponent } from 'echarts/components'
import { init, use, type EChartsType } from 'echarts/core'
import { CanvasRenderer } from 'echarts/renderers'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useTheme } from 'vuetify'

import type { Schemas } from '../api/client'

// How often each value is there; what a range that is tried leaves out stands apart.
use([BarChart, LineChart, GridComponent, MarkLineComponent, TooltipComponent, CanvasRenderer])

const props = defineProps<{ figure: Schemas['Spread']; /** The same under another version. */ other?: Schemas['Spread']; under?: number; low?: number; high?: number; versions: number[] }>()
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
  /** How many there are under the other version. */
  other: number
  versions: Record<string, number>
}

const out = (n: number) => (props.low !== undefined && n < props.low) || (props.high !== undefined && n > props.high)

/** From where to where is drawn: all values, and the limits where these are not far away. */
function reach(): [number, number] {
  const { least = 0, most = 0, min, max } = props.figure
  const [low, high] = [Math.min(least, props.other?.least ?? least), Math.max(most, props.other?.most ?? most)]
  const near = 2 * (high - low) || 10
  return [min !== undefined && min < low && low - min <= near ? min : low, max !== undefined && max > high && max - high <= near ? max : high]
}

/** Words as they are; numbers by their steps where there are few, else in forty stretches of one width. */
function rows(): Row[] {
  const f = props.figure
  const bars = f.bars ?? []
  const others = props.other?.bars ?? []
  if (!number(f)) {
    const words = [...new Set([...bars, ...others].map((b) => b.value ?? ''))]
    return words.map((label) => {
      const b = bars.find((x) => x.value === label)
      return { label, count: b?.count ?? 0, cut: 0, other: others.find((x) => x.value === label)?.count ?? 0, versions: b?.versions ?? {} }
    })
  }
  const [from, to] = reach()
  const { each, many, whole } = steps(from, to)
  const all = Array.from({ length: many }, (_, i): Row => {
    const at = from + i * each
    return { label: whole && each > 1 ? `${short(at)} to ${short(at + each - 1)}` : whole || to === from ? short(at) : `from ${short(at)}`, count: 0, cut: 0, other: 0, versions: {} }
  })
  const row = (n: number) => all[Math.max(0, Math.min(many - 1, Math.floor((n - from) / each + 1e-9)))]!
  for (const b of bars) {
    const r = row(b.from)
    r.count += b.count
    if (out(b.from)) r.cut += b.count
    for (const [v, n] of Object.entries(b.versions ?? {})) r.versions[v] = (r.versions[v] ?? 0) + n
  }
  for (const b of others) row(b.from).other += b.count
  return all
}

/** How wide each stretch is, and how many there are; whole numbers have whole ones. */
function steps(from: number, to: number) {
  const whole = [...(props.figure.bars ?? []), ...(props.other?.bars ?? [])].every((b) => Number.isInteger(b.from) && b.from === b.to) && Number.isInteger(from)
  const wide = to - from
  const each = whole ? Math.max(1, Math.ceil((wide + 1) / 40)) : wide / 40 || 1
  return { each, many: whole ? Math.floor(wide / each) + 1 : wide ? 40 : 1, whole }
}

/** The plan's limits, as places between the stretches; those too far away are not drawn. */
function limits(): { at: number; name: string }[] {
  const f = props.figure
  if (!number(f) || f.type === 'text') return []
  const [from, to] = reach()
  const { each, many } = steps(from, to)
  const lines = []
  if (f.min !== undefined && f.min >= from) lines.push({ at: (f.min - from) / each, name: `limit ${short(f.min)}` })
  if (f.max !== undefined && f.max <= to) lines.push({ at: Math.min(many, Math.floor((f.max - from) / each + 1e-9) + 1), name: `limit ${short(f.max)}` })
  return lines
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
    tried || props.other || props.versions.length < 2 || !props.figure.exact
      ? [
          { ...gap, name: tried ? 'kept' : 'saves', data: all.map((r) => r.count - r.cut), itemStyle: { color: colour('primary') } },
          ...(tried ? [{ ...gap, name: 'cut off', data: all.map((r) => r.cut), itemStyle: { color: colour('error') } }] : []),
        ]
      : props.versions.map((v, i) => ({ ...gap, name: `version ${v}`, data: all.map((r) => r.versions[String(v)] ?? 0), itemStyle: { color: colour(shades[i % shades.length]!) } }))
  const lines = limits()
  const compared = props.other ? [{ type: 'bar' as const, name: `under version ${props.under}`, barGap: '-100%', barCategoryGap: '15%', data: all.map((r) => r.other), itemStyle: { color: 'transparent', borderColor: text, borderWidth: 1.5 }, z: 3 }] : []
  const bounds = { type: 'line' as const, name: '', xAxisIndex: 1, data: [], markLine: { silent: true, symbol: 'none', lineStyle: { color: text, type: 'dashed' as const, opacity: 0.6 }, label: { color: text, formatter: '{b}', position: 'end' as const }, data: lines.map((l) => ({ xAxis: l.at, name: l.name })) } }
  chart.setOption(
    {
      animation: false,
      backgroundColor: colour('surface'),
      textStyle: { fontFamily: getComputedStyle(document.body).fontFamily, color: text },
      grid: { left: 60, right: 36, top: 30, bottom: all.length > 12 ? 84 : 48 },
      tooltip: { trigger: 'axis', axisPointer: { type: 'shadow' } },
      xAxis: [
        { type: 'category', data: all.map((r) => r.label), axisLabel: { color: text, rotate: all.length > 12 ? 50 : 0 } },
        { type: 'value', min: 0, max: all.length, show: false },
      ],
      yAxis: { type: 'value', minInterval: 1, axisLabel: { color: text }, splitLine: { lineStyle: { color: text, opacity: 0.12 } } },
      series: [...series, ...compared, ...(lines.length ? [bounds] : [])],
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
watch(() => [props.figure, props.other, props.low, props.high, props.versions, theme.global.name.value], draw)
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
