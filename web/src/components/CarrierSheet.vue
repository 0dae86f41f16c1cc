<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import type { Schemas } from '../api/client'

// What travels on a carrier: its fields in a bar, one after the other, and what would make it shorter.
const props = defineProps<{ carrier: Schemas['CarrierBudget'] }>()
const route = useRoute()

/** The longest of its alphabet that the bar has to show: what fits, or what is used where that is more. */
const whole = computed(() => Math.max(props.carrier.length, props.carrier.used, 1))
const bare = (name: string) => name.replace('player.', '')
const picked = computed(() => String(route.query.field ?? ''))
const key = (f: { name: string; sample?: number }) => `${f.name} ${f.sample ?? 0}`
</script>

<template>
  <section class="sheet carrier">
    <h2>
      {{ carrier.title }}
      <span class="quiet">{{ carrier.length }} symbols of an alphabet of {{ carrier.symbols }}, {{ carrier.lanes === 1 ? 'one lane' : `${carrier.lanes} lanes` }}, every {{ carrier.every }} s</span>
    </h2>
    <div class="bar">
      <RouterLink
        v-for="(f, i) in carrier.fields"
        :key="key(f)"
        replace
        :to="{ query: { ...route.query, field: picked === key(f) ? undefined : key(f) } }"
        :class="['field', `tone${i % 3}`, { picked: picked === key(f) }]"
        :style="{ width: `${(100 * f.width) / whole}%` }"
        :title="`${f.name}${f.sample ? `, sample ${f.sample}` : ''}: ${f.width} symbols from ${f.at}`"
        :aria-label="`${f.name}${f.sample ? `, sample ${f.sample}` : ''}: ${f.width} symbols`"
      >
        <span v-if="f.width / whole > 0.05">{{ bare(f.name) }}</span>
      </RouterLink>
      <span v-if="carrier.left > 0" class="left" :style="{ width: `${(100 * carrier.left) / whole}%` }">{{ carrier.left }} left</span>
    </div>
    <p :class="{ bad: carrier.left < 0 }">
      <b class="mono">{{ carrier.used }}</b> symbols used,
      <template v-if="carrier.left < 0"><b class="mono">{{ -carrier.left }}</b> too many.</template>
      <template v-else><b class="mono">{{ carrier.left }}</b> left.</template>
      {{ carrier.lanes }} lanes for {{ carrier.players }} who write: each is heard every {{ carrier.heard }} s.
    </p>
    <div class="beside">
      <table class="plain">
        <thead>
          <tr><th scope="col">Carries</th><th scope="col" class="number">From</th><th scope="col" class="number">Symbols</th><th scope="col">Tells apart</th></tr>
        </thead>
        <tbody>
          <tr v-for="f in carrier.fields" :key="key(f)" :class="{ picked: picked === key(f) }">
            <th scope="row">{{ f.name }}<span v-if="f.sample" class="quiet">, sample {{ f.sample }}</span></th>
            <td class="number mono">{{ f.at }}</td>
            <td class="number mono">{{ f.width }}</td>
            <td class="quiet">{{ f.what }}</td>
          </tr>
        </tbody>
      </table>
      <div>
        <h3>What would make it shorter</h3>
        <ul>
          <li v-for="a in carrier.advice" :key="a">{{ a }}</li>
          <li v-if="carrier.advice.length === 0" class="quiet">Nothing simple: every field is as small as it can be.</li>
        </ul>
      </div>
    </div>
  </section>
</template>

<style scoped>
h2 {
  font-size: 16px;
  margin: 0 0 8px;
}

h2 .quiet {
  font-weight: 400;
  font-size: 14px;
}

h3 {
  font-size: 14px;
  margin: 0 0 6px;
}

.carrier {
  padding: 12px 16px;
}

.bar {
  display: flex;
  height: 40px;
  border: 1px solid var(--line);
  border-radius: 3px;
  overflow: hidden;
}

.field,
.left {
  display: flex;
  align-items: center;
  justify-content: center;
  overflow: hidden;
  white-space: nowrap;
  font-size: 13px;
  color: inherit;
  text-decoration: none;
  border-right: 1px solid rgb(var(--v-theme-surface));
}

.tone0 {
  background: color-mix(in srgb, rgb(var(--v-theme-primary)) 26%, rgb(var(--v-theme-surface)));
}

.tone1 {
  background: color-mix(in srgb, rgb(var(--v-theme-secondary)) 26%, rgb(var(--v-theme-surface)));
}

.tone2 {
  background: color-mix(in srgb, rgb(var(--v-theme-warning)) 22%, rgb(var(--v-theme-surface)));
}

.field.picked {
  outline: 2px solid rgb(var(--v-theme-primary));
  outline-offset: -2px;
  font-weight: 600;
}

.left {
  border: 0;
  color: rgb(var(--v-theme-quiet));
}

.carrier p {
  margin: 8px 0 12px;
}

.beside {
  --side: 360px;
  align-items: stretch;
}

tbody th {
  color: inherit;
  font-weight: 400;
}

table.plain td,
table.plain th {
  padding: 2px 10px 2px 0;
  font-size: 14px;
}

tr.picked > * {
  background: var(--faint);
}

ul {
  margin: 0;
  padding-left: 18px;
  font-size: 14px;
}
</style>
