<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '../api/client'
import { useLanguage } from '../composables/useLanguage'
import type { DryRun, Step } from '../composables/useDryRun'
import { numbersIn, sceneOf, type PlanMap } from '../map'
import EventForm from './EventForm.vue'

// What can happen next: to the player that is picked, and to everybody.
const props = defineProps<{ map: PlanMap; dryRun: DryRun; player: string }>()
const emit = defineEmits<{ pick: [player: string] }>()

const asked = ref('')
const name = ref('')
const stands = computed(() => props.dryRun.view.value?.stands ?? [])
const me = computed(() => stands.value.find((p) => p.player === props.player))
const present = computed(() => stands.value.filter((p) => p.present).map((p) => p.player))
const spots = computed(() => new Map(props.map.scenes.flatMap((s) => s.spots.map((x) => [x.id, x] as const))))

interface Way {
  id: string
  title: string
  at: number[]
}

const ways = computed<Way[]>(() => {
  const out: Way[] = []
  for (const p of props.map.passages) {
    const from = sceneOf(p.from) === me.value?.scene ? p.from : p.both_ways && p.to && sceneOf(p.to) === me.value?.scene ? p.to : ''
    const spot = spots.value.get(from)
    if (spot) out.push({ id: p.id, title: p.title, at: spot.at })
  }
  return out
})
const points = computed(() => (props.map.scenes.find((s) => s.id === me.value?.scene)?.spots ?? []).filter((s) => s.checkpoint && s.point))
const mine = computed(() => props.map.events.filter((e) => e.from === 'self'))
const servers = computed(() => props.map.events.filter((e) => e.from === 'server'))

const act = (step: Step) => props.dryRun.act(step)

function send(e: Schemas['MapEvent'], args: Record<string, unknown> = {}) {
  asked.value = ''
  act({ event: e.id, by: e.from === 'self' ? props.player : 'server', ...(e.args.length ? { args } : {}) })
}

const ask = (e: Schemas['MapEvent']) => (e.args.length ? (asked.value = asked.value === e.id ? '' : e.id) : send(e))

const to = ref('')
const point = computed(() => numbersIn(to.value, props.map.axes.length))
const move = () => point.value && act({ move: props.player, to: point.value })

const { wrongName } = useLanguage()
const wrong = computed(() => (name.value.trim() ? wrongName(name.value.trim().toLowerCase()) : ''))

function add() {
  const id = name.value.trim().toLowerCase()
  if (!id || wrong.value) return
  props.dryRun.addPlayer(id)
  name.value = ''
  emit('pick', id)
  act({ join: id })
}
</script>

<template>
  <section class="moments" aria-label="What happens next">
    <div class="chips" role="group" aria-label="Players">
      <button v-for="p in stands" :key="p.player" type="button" :class="{ here: p.player === player }" :aria-pressed="p.player === player" @click="$emit('pick', p.player)">
        {{ p.player }} <span class="quiet">{{ !p.present ? 'away' : p.dead ? 'dead' : '' }}</span>
      </button>
    </div>
    <form class="add" @submit.prevent="add">
      <v-text-field v-model="name" label="One more player" class="mono" :error-messages="wrong" />
      <v-btn type="submit" size="small" variant="outlined" :disabled="!name.trim() || !!wrong">Joins</v-btn>
    </form>
    <template v-if="me && !me.present">
      <h3>{{ player }}</h3>
      <div class="list"><button type="button" class="main" @click="act({ join: player })">joins</button></div>
    </template>
    <template v-else-if="me">
      <h3>{{ player }} goes through</h3>
      <div class="list">
        <button v-for="w in ways" :key="w.id" type="button" @click="act({ pass: w.id, by: player, at: w.at })">{{ w.title }}</button>
        <span v-if="!ways.length" class="quiet">nothing leads out of here</span>
      </div>
      <template v-if="points.length">
        <h3>touches</h3>
        <div class="list"><button v-for="s in points" :key="s.id" type="button" @click="act({ touch: s.point, by: player, at: s.at })">{{ s.point }}</button></div>
      </template>
      <h3>moves to</h3>
      <form class="add" @submit.prevent="move">
        <v-text-field v-model="to" :label="map.axes.join(', ')" class="mono" />
        <v-btn type="submit" size="small" variant="outlined" :disabled="!point">Moves</v-btn>
      </form>
      <h3>sends</h3>
      <div class="list">
        <template v-for="e in mine" :key="e.id">
          <button type="button" :aria-expanded="e.args.length ? asked === e.id : undefined" @click="ask(e)">{{ e.title }}{{ e.args.length ? ' …' : '' }}</button>
          <EventForm v-if="asked === e.id" :event="e" :present="present" @send="(args) => send(e, args)" @close="asked = ''" />
        </template>
      </div>
      <h3>Or</h3>
      <div class="list">
        <button type="button" @click="act({ die: player })">dies</button>
        <button type="button" @click="act({ 'start-over': player })">starts over</button>
        <button type="button" @click="act({ leave: player })">leaves</button>
      </div>
    </template>
    <template v-if="servers.length">
      <h3>The server sends</h3>
      <div class="list">
        <template v-for="e in servers" :key="e.id">
          <button type="button" :aria-expanded="e.args.length ? asked === e.id : undefined" @click="ask(e)">{{ e.title }}{{ e.args.length ? ' …' : '' }}</button>
          <EventForm v-if="asked === e.id" :event="e" :present="present" @send="(args) => send(e, args)" @close="asked = ''" />
        </template>
      </div>
    </template>
    <h3>Time passes</h3>
    <div class="list">
      <button v-for="t in ['1s', '10s', '1m', '5m']" :key="t" type="button" @click="act({ wait: t })">{{ t }}</button>
      <button v-if="map.calendar" type="button" @click="act({ wait: '24h' })">a day</button>
    </div>
    <h3>To everybody</h3>
    <div class="list">
      <button type="button" @click="act({ restart: 'session' })">the session is restarted</button>
      <button type="button" @click="act({ crash: 'machine' })">the machine crashes</button>
    </div>
  </section>
</template>

<style scoped>
.moments {
  overflow: auto;
  max-height: calc(100vh - 182px);
  padding: 2px 12px 12px 2px;
}

.chips button {
  padding: 3px 10px;
  border: 1px solid var(--line);
  border-radius: 3px;
  cursor: pointer;
}

.add + h3 {
  margin-top: 12px;
}

.add {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 6px;
  align-items: center;
}

h3 {
  margin: 12px 0 4px;
  font-size: 13px;
  color: rgb(var(--v-theme-quiet));
}

.list {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
}

.list > .args {
  flex-basis: 100%;
}

.list button:not([class*='v-']) {
  padding: 2px 9px;
  border: 1px solid var(--line);
  border-radius: 3px;
  cursor: pointer;
  background: rgb(var(--v-theme-surface));
}

.list button:not([class*='v-']):hover {
  background: var(--faint);
}

.list .main {
  border-color: rgb(var(--v-theme-primary)) !important;
  font-weight: 600;
}
</style>
