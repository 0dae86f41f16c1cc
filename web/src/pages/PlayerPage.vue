<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, dataOf } from '../api/client'
import SaveShelf from '../components/SaveShelf.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import ValueTable from '../components/ValueTable.vue'
import ValueTrail from '../components/ValueTrail.vue'
import { usePlayer, useTrail } from '../composables/resources'

const props = defineProps<{ game: string; player: string }>()
const route = useRoute()
const slot = computed(() => Number(route.query.slot) || 0)
const part = computed(() => (route.query.part === 'saves' ? 'saves' : 'values'))
const { data: state, error, reload } = usePlayer(() => props.game, () => props.player, () => slot.value)

const router = useRouter()
const asked = computed({
  get: () => String(route.query.value ?? ''),
  set: (name) => void router.replace({ query: { ...route.query, value: name || undefined } }),
})
const trail = useTrail(() => props.game, () => state.value?.session, () => props.player, () => asked.value)
const told = ref('')

async function save() {
  try {
    const saved = dataOf(await api.POST('/v1/games/{game}/players/{player}/save', { params: { path: { game: props.game, player: props.player } } }))
    told.value = `Saved as revision ${saved.revision}.`
    await reload()
  } catch (e) {
    told.value = (e as Error).message
  }
}
</script>

<template>
  <div class="page">
    <TroubleNote :text="error" @retry="reload" />
    <WaitingNote v-if="!state && !error" />
    <template v-if="state">
      <div class="head">
        <div>
          <h1 class="page-title">{{ state.player }}</h1>
          <p class="page-lead">
            Slot {{ state.slot }},
            <span v-if="state.present">in the session {{ state.session }}</span><span v-else>away</span><span v-if="state.dead">, dead</span>;
            <span v-if="state.revision">revision {{ state.revision }} is saved</span><span v-else>nothing is saved yet</span><span v-if="state.recovery">, with newer recovery state</span>.
            {{ told }}
          </p>
        </div>
        <span class="tools">
          <RouterLink v-for="s in state.slots" :key="s.slot" class="slot" :class="{ here: s.slot === state.slot }" :to="{ query: { ...route.query, slot: s.slot } }">Slot {{ s.slot }}</RouterLink>
          <v-btn color="primary" :disabled="!state.present" @click="save">Save now</v-btn>
        </span>
      </div>
      <v-alert v-if="state.revision && state.from < state.under" type="info" class="mb-2">Saved under version {{ state.from }}, and shown as version {{ state.under }} will have it when {{ state.player }} joins.</v-alert>
      <v-alert v-for="m in state.problems" :key="m.pointer + m.name" type="warning" class="mb-2">{{ m.name }}: {{ m.reason }}. Instead: {{ m.instead }}.</v-alert>
      <nav class="parts" aria-label="What to look at">
        <RouterLink :to="{ query: { ...route.query, part: undefined } }" :class="{ here: part === 'values' }">Values</RouterLink>
        <RouterLink :to="{ query: { ...route.query, part: 'saves' } }" :class="{ here: part === 'saves' }">Saves</RouterLink>
      </nav>
      <SaveShelf v-if="part === 'saves'" :game="game" :state="state" @changed="(text) => ((told = text), reload())" />
      <div v-else class="beside">
        <ValueTable :values="state.values" :present="state.present" :picked="asked" @pick="(n) => (asked = asked === n ? '' : n)" />
        <div>
          <h2>Why is it so?</h2>
          <p class="quiet small">
            {{ asked ? `Changes of ${asked}, newest first.` : 'What changed, newest first. Pick a value to see only its own.' }}
            <RouterLink class="plain" :to="{ name: 'why', params: { game }, query: { player, ...(asked ? { name: asked } : {}) } }">All of it</RouterLink>
          </p>
          <ValueTrail :game="game" :steps="trail.data.value ?? []" :name="asked" :session="state.session" />
        </div>
      </div>
    </template>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  justify-content: space-between;
  align-items: flex-start;
}

.tools {
  display: flex;
  align-items: center;
  gap: 10px;
}

.slot {
  padding: 5px 10px;
  border: 1px solid var(--line);
  border-radius: 3px;
  color: inherit;
  text-decoration: none;
}

.slot.here {
  border-color: rgb(var(--v-theme-primary));
  font-weight: 600;
}

h2 {
  font-size: 16px;
  margin: 0;
}

.small {
  margin: 0 0 8px;
  font-size: 14px;
}

.beside {
  --side: 400px;
}

.parts {
  display: flex;
  gap: 4px;
  margin-bottom: 12px;
  border-bottom: 1px solid var(--line);
}

.parts a {
  padding: 4px 12px 6px;
  color: rgb(var(--v-theme-quiet));
  text-decoration: none;
  border-bottom: 3px solid transparent;
  margin-bottom: -1px;
}

.parts .here {
  color: inherit;
  font-weight: 600;
  border-bottom-color: rgb(var(--v-theme-primary));
}
</style>
