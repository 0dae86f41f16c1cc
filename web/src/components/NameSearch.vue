<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRouter, type RouteLocationRaw } from 'vue-router'

import { api, dataOf, type Schemas } from '../api/client'
import { useGames, useNames } from '../composables/resources'
import { useResource } from '../composables/useResource'
import { pages } from '../pages'

const props = defineProps<{ game: string }>()
const open = ref(false)
const wanted = ref('')
const at = ref(0)
const field = ref<HTMLInputElement>()
const router = useRouter()
const asked = () => (open.value ? props.game : '')
const names = useNames(asked)
const part = computed(() => wanted.value.trim())
const players = useResource(async () => (asked() ? dataOf(await api.GET('/v1/games/{game}/players', { params: { path: { game: props.game }, query: { part: part.value, most: MOST } } })) : []), () => [asked(), part.value])
const rehearsals = useResource(async () => (asked() ? dataOf(await api.GET('/v1/games/{game}/rehearsals', { params: { path: { game: props.game } } })) : []), asked)

/** How many are offered. */
const MOST = 12

interface Hit {
  kind: string
  name: string
  title: string
  to: RouteLocationRaw
}

const params = computed(() => ({ game: props.game }))

/** Where something that the plan names is looked at. */
function placeOf(n: Schemas['Named']): RouteLocationRaw {
  const on = (page: string, query: Record<string, string | number>) => ({ name: page, params: params.value, query })
  switch (n.kind) {
    case 'variable':
      return on('matrix', { row: n.name, at: 'scene' })
    case 'scene':
      return on('scenes', { scene: n.name, pick: `scene:${n.name}` })
    case 'spot':
      return on('scenes', { scene: n.name.split('/')[0]!, pick: `spot:${n.name}` })
    case 'passage':
    case 'area':
    case 'prop':
    case 'movable':
      return on('scenes', { pick: `${n.kind}:${n.name}` })
    case 'milestone':
    case 'standing':
      return on('milestones', {})
    case 'carrier':
      return on('budgets', {})
  }
  return on('plan', { line: n.line })
}

const games = useGames()
const everything = computed<Hit[]>(() => (props.game ? ofGame.value : (games.data.value ?? []).map((g) => ({ kind: 'game', name: g.id, title: g.title, to: { name: 'matrix', params: { game: g.id } } }))))
const ofGame = computed<Hit[]>(() => [
  ...(names.data.value ?? []).map((n) => ({ kind: n.kind, name: n.name, title: n.title, to: placeOf(n) })),
  ...pages.filter((p) => !p.unlisted).map((p) => ({ kind: 'page', name: '', title: p.title, to: { name: p.name, params: params.value } })),
  ...(rehearsals.data.value ?? []).map((r) => ({ kind: 'rehearsal', name: r.name, title: r.title, to: { name: 'dry-run', params: params.value, query: { rehearsal: r.name } } })),
  ...(players.data.value ?? []).map((p) => ({ kind: 'player', name: p.player, title: p.player, to: { name: 'player', params: { ...params.value, player: p.player } } })),
])

const hits = computed(() => {
  const w = part.value.toLowerCase()
  const rank = (h: Hit) => (h.name.toLowerCase() === w || h.title.toLowerCase() === w ? 0 : h.title.toLowerCase().startsWith(w) || h.name.split('.').pop()!.startsWith(w) ? 1 : 2)
  return everything.value
    .filter((h) => `${h.name} ${h.title} ${h.kind}`.toLowerCase().includes(w))
    .map((h, i) => ({ h, i, r: rank(h) }))
    .sort((a, b) => a.r - b.r || a.i - b.i)
    .slice(0, MOST)
    .map(({ h }) => h)
})

watch(wanted, (now) => {
  at.value = 0
  if (now.startsWith('/')) wanted.value = now.slice(1) // the key that opened the search was the first to arrive
})

function onKey(e: KeyboardEvent) {
  const target = e.target as HTMLElement
  if (e.key === '/' && !open.value && !target.closest('input, textarea, [contenteditable]')) {
    e.preventDefault()
    void show()
  }
}

async function show() {
  open.value = true
  wanted.value = ''
  await nextTick()
  field.value?.focus()
}

function go(i: number) {
  const hit = hits.value[i]
  if (!hit) return
  open.value = false
  void router.push(hit.to)
}

onMounted(() => window.addEventListener('keydown', onKey))
onBeforeUnmount(() => window.removeEventListener('keydown', onKey))
defineExpose({ show })
</script>

<template>
  <v-dialog v-model="open" max-width="560" transition="fade-transition" @after-enter="field?.focus()" aria-label="Search everything" class="from-top">
    <div class="sheet search">
      <input
        ref="field"
        v-model="wanted"
        type="search"
        :placeholder="game ? 'A variable, scene, player, rehearsal, page …' : 'A game …'"
        aria-label="Search everything"
        @keydown.down.prevent="at = Math.min(at + 1, hits.length - 1)"
        @keydown.up.prevent="at = Math.max(at - 1, 0)"
        @keydown.enter.prevent="go(at)"
      />
      <ul>
        <li v-for="(n, i) in hits" :key="n.kind + n.name + n.title">
          <button type="button" :class="{ at: i === at }" @click="go(i)">
            <span>{{ n.title }}</span> <span class="mono quiet">{{ n.name }}</span> <span class="kind quiet">{{ n.kind }}</span>
          </button>
        </li>
        <li v-if="hits.length === 0" class="quiet none">{{ (game ? names.data.value : games.data.value) ? 'Nothing is called that.' : 'Looking …' }}</li>
      </ul>
    </div>
  </v-dialog>
</template>

<style scoped>
.search {
  overflow: hidden;
}

input {
  width: 100%;
  padding: 14px 16px;
  font-size: 17px;
  border-bottom: 1px solid var(--line);
  outline: none;
}

ul {
  list-style: none;
  margin: 0;
  padding: 6px;
}

button {
  display: flex;
  gap: 10px;
  align-items: baseline;
  width: 100%;
  padding: 5px 10px;
  text-align: left;
  border-radius: 3px;
  cursor: pointer;
}

button:hover,
.at {
  background: color-mix(in srgb, rgb(var(--v-theme-secondary)) 16%, transparent);
}

.kind {
  margin-left: auto;
}

.none {
  padding: 6px 10px;
}
</style>
