<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import EmptyState from '../components/EmptyState.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useBudgets } from '../composables/resources'

const props = defineProps<{ game: string }>()
const route = useRoute()
const { data: budgets, error, reload } = useBudgets(() => props.game)

const carrier = computed(() => budgets.value?.carriers.find((c) => c.carrier === route.query.carrier) ?? budgets.value?.carriers[0])
/** The longest of its alphabet that the bar has to show: what fits, or what is used where that is more. */
const whole = computed(() => Math.max(carrier.value?.length ?? 1, carrier.value?.used ?? 1))
const bare = (name: string) => name.replace('player.', '')
const parts = computed(() =>
  (['scene', 'everyone', 'self'] as const).map((part) => ({
    part,
    costs: (budgets.value?.frames ?? []).filter((c) => c.part === part).sort((a, b) => b.bits - a.bits),
  })),
)
const titles = { scene: 'To everyone in the scene', everyone: 'To everyone in the session', self: 'To the player alone' }
const most = computed(() => Math.max(...(budgets.value?.frames ?? []).map((c) => Math.min(c.bits, 128)), 1))
const picked = computed(() => String(route.query.field ?? ''))
const key = (f: { name: string; sample?: number }) => `${f.name} ${f.sample ?? 0}`
</script>

<template>
  <div class="page">
    <TroubleNote :text="error" @retry="reload" />
    <WaitingNote v-if="!budgets && !error" />
    <template v-if="budgets">
      <h1 class="page-title">Budgets</h1>
      <p class="page-lead">What state costs on the wire, bit by bit, and what fits into transports with hard limits.</p>
      <template v-if="carrier">
        <nav v-if="budgets.carriers.length > 1" class="chips" aria-label="Carriers">
          <RouterLink v-for="c in budgets.carriers" :key="c.carrier" replace :to="{ query: { carrier: c.carrier } }" :class="{ here: c === carrier }">{{ c.title }}</RouterLink>
        </nav>
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
      <EmptyState v-else title="There are no carriers">A plan names one where state has to travel through something with an alphabet, a length, lanes and an interval.</EmptyState>
      <h2 class="frames">Packed frames <span class="quiet">{{ budgets.ticks }} a second; a value is sent when it has changed</span></h2>
      <div class="three">
        <section v-for="p in parts" :key="p.part" class="sheet">
          <h3>{{ titles[p.part] }} <span class="quiet">{{ budgets.overhead[p.part] }} bits say whose</span></h3>
          <ul class="costs">
            <li v-for="c in p.costs" :key="c.holder + c.name">
              <span>{{ bare(c.name) }}</span>
              <span class="stripe"><span :style="{ width: `${(100 * Math.min(c.bits, most)) / most}%` }" /></span>
              <b class="mono">{{ c.bits }}</b>
            </li>
          </ul>
        </section>
      </div>
    </template>
  </div>
</template>

<style scoped>
h2 {
  font-size: 16px;
  margin: 0 0 8px;
}

h2 .quiet,
h3 .quiet {
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
  display: grid;
  grid-template-columns: minmax(0, 1fr) 360px;
  gap: 28px;
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

.frames {
  margin: 20px 0 8px;
}

.three {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 14px;
  align-items: start;
}

.three section {
  padding: 10px 14px;
}

.costs {
  list-style: none;
  padding: 0;
}

.costs li {
  display: grid;
  grid-template-columns: 150px 1fr 36px;
  gap: 8px;
  align-items: center;
  padding: 1px 0;
}

.costs li > span:first-child {
  overflow: hidden;
  text-overflow: ellipsis;
}

.costs b {
  text-align: right;
}

.stripe span {
  display: block;
  height: 8px;
  border-radius: 2px;
  background: rgb(var(--v-theme-secondary));
}

@media (max-width: 1000px) {
  .beside,
  .three {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
