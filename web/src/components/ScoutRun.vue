<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { api, asPlan, dataOf, told, type Schemas } from '../api/client'
import TroubleNote from './TroubleNote.vue'

const props = defineProps<{ game: string; title: string; name: string; run: Schemas['ScoutRun'] }>()
const router = useRouter()

/** The steps of the script, without the one that says what is expected. */
const steps = computed(() =>
  props.run.script
    .split('\n')
    .filter((line) => line.startsWith('  - '))
    .map((line) => line.slice(4).replace(/^\{|\}$/g, ''))
    .filter((line) => !line.startsWith('expect:')),
)

const trouble = ref('')
const kept = ref('')
watch(
  () => props.run,
  () => (trouble.value = kept.value = ''),
)

async function play() {
  try {
    const got = dataOf(await api.POST('/v1/games/{game}/dry-run', { params: { path: { game: props.game } }, body: { script: props.run.script, at: -1 } }))
    const run = JSON.stringify({ players: got.players, steps: got.steps.map((s) => s.step) })
    await router.push({ name: 'dry-run', params: { game: props.game }, query: { run } })
  } catch (e) {
    trouble.value = told(e)
  }
}

async function keep() {
  try {
    dataOf(await api.PUT('/v1/games/{game}/rehearsals/{name}', { params: { path: { game: props.game, name: props.name } }, ...asPlan(props.run.script) }))
    kept.value = `Kept as the rehearsal ${props.name}.`
    trouble.value = ''
  } catch (e) {
    trouble.value = told(e)
  }
}
</script>

<template>
  <section class="sheet run" aria-label="The way there">
    <h2>{{ title }}</h2>
    <p class="quiet small">{{ run.moves }} {{ run.moves === 1 ? 'move' : 'moves' }}; {{ run.shortest ? 'no way is shorter' : 'perhaps there is a shorter way' }}.</p>
    <ol>
      <li v-for="(step, i) in steps" :key="i" class="mono">{{ step }}</li>
    </ol>
    <TroubleNote :text="trouble" />
    <p v-if="kept" class="good" role="status">{{ kept }}</p>
    <div class="tools">
      <v-btn size="small" color="primary" @click="play">Step through it</v-btn>
      <v-btn size="small" variant="outlined" @click="keep">Keep as a rehearsal</v-btn>
    </div>
  </section>
</template>

<style scoped>
.run {
  padding: 14px 16px;
}

h2 {
  font-size: 16px;
  margin: 0 0 4px;
}

ol {
  margin: 10px 0;
  padding-left: 38px;
  max-height: 52vh;
  overflow: auto;
}

li {
  padding: 2px 0;
  overflow-wrap: anywhere;
}

.small {
  margin: 0;
}

.tools {
  display: flex;
  gap: 8px;
}
</style>
