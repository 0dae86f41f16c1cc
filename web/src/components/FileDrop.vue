<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref, shallowRef } from 'vue'
import { useRouter } from 'vue-router'

import { api, ApiError, asPlan, dataOf, told, type Finding } from '../api/client'
import { useDraft } from '../composables/useDraft'
import FindingList from './FindingList.vue'
import SaveCheck from './SaveCheck.vue'

// A file that is dropped anywhere: a save is checked, a plan begins a game or becomes its draft, a rehearsal is kept.
const props = defineProps<{ game: string }>()
const router = useRouter()
const over = ref(false)
const trouble = ref('')
const findings = shallowRef<Finding[]>([])
const name = ref('')
const save = shallowRef<{ game: string; file: File }>()
let leaving = 0

const hasFile = (e: DragEvent) => e.dataTransfer?.types.includes('Files') ?? false

function onOver(e: DragEvent) {
  if (!hasFile(e)) return
  e.preventDefault()
  over.value = true
  window.clearTimeout(leaving)
  leaving = window.setTimeout(() => (over.value = false), 300) // nothing says reliably that the file is gone
}

function onDrop(e: DragEvent) {
  if (!hasFile(e)) return
  e.preventDefault()
  over.value = false
  const file = e.dataTransfer?.files[0]
  if (file) void take(file)
}

function close() {
  trouble.value = ''
  findings.value = []
  save.value = undefined
}

/** The word behind a key at the top of a YAML or JSON text. */
const top = (text: string, key: string) => new RegExp(`^[\\s{]*"?${key}"?:\\s*"?([a-z0-9_-]+)`, 'm').exec(text)?.[1]

async function take(file: File) {
  close()
  name.value = file.name
  const text = await file.text()
  try {
    if (top(text, 'alluvion') || (/\.ya?ml$/.test(file.name) && (!props.game || /^(rehearsal|game|scenes):/m.test(text)))) return /^\s*rehearsal:/m.test(text) ? await rehearsal(file.name, text) : await plan(text)
    const of = top(text, 'game') ?? /"game"\s*:\s*"([^"]+)"/.exec(text)?.[1] ?? props.game
    if (!of) throw new Error(`${file.name} is neither a plan nor a save: it names no game.`)
    const known = dataOf(await api.GET('/v1/games')).some((g) => g.id === of)
    save.value = { game: known || !props.game ? of : props.game, file }
  } catch (e) {
    trouble.value = told(e)
    if (e instanceof ApiError) findings.value = e.problem.findings ?? []
  }
}

async function plan(text: string) {
  const of = top(text, 'game')
  if (!of) throw new Error('The file is no plan: it names no game.')
  const games = dataOf(await api.GET('/v1/games'))
  if (games.some((g) => g.id === of)) {
    const draft = useDraft(of)
    draft.typed(text)
    draft.told.value = `This is ${name.value}, to be looked at and saved.`
  } else {
    const report = dataOf(await api.POST('/v1/check', asPlan(text)))
    if (!report.runnable) {
      trouble.value = 'A game cannot begin with this plan yet:'
      findings.value = report.findings
      return
    }
    dataOf(await api.PUT('/v1/games/{game}/plan', { params: { path: { game: of }, header: {} }, ...asPlan(text) }))
  }
  await router.push({ name: 'plan', params: { game: of } })
}

async function rehearsal(file: string, text: string) {
  if (!props.game) throw new Error('Open a game first: a rehearsal is kept with one.')
  const id = file.replace(/\.ya?ml$/, '').toLowerCase().replace(/[^a-z0-9_]+/g, '-')
  dataOf(await api.PUT('/v1/games/{game}/rehearsals/{name}', { params: { path: { game: props.game, name: id } }, ...asPlan(text) }))
  await router.push({ name: 'dry-run', params: { game: props.game }, query: { rehearsal: id } })
}

onMounted(() => {
  window.addEventListener('dragover', onOver)
  window.addEventListener('drop', onDrop)
})
onBeforeUnmount(() => {
  window.removeEventListener('dragover', onOver)
  window.removeEventListener('drop', onDrop)
})
</script>

<template>
  <div v-if="over" class="over"><p>Drop it: a save is checked, a plan is opened, a rehearsal is kept.</p></div>
  <v-dialog v-if="trouble || save" :model-value="true" max-width="760" transition="fade-transition" :aria-label="name" @update:model-value="close">
    <div class="sheet box">
      <SaveCheck v-if="save" :key="save.file.name" :game="save.game" :given="save.file" />
      <template v-else>
        <h2>{{ name }}</h2>
        <p role="alert">{{ trouble }}</p>
        <FindingList v-if="findings.length" :findings="findings" />
      </template>
      <div class="buttons"><v-btn variant="text" @click="close">Close</v-btn></div>
    </div>
  </v-dialog>
</template>

<style scoped>
.over {
  position: fixed;
  inset: 12px;
  z-index: 3000;
  display: grid;
  place-items: center;
  pointer-events: none;
  font-size: 20px;
  font-weight: 600;
  background: color-mix(in srgb, rgb(var(--v-theme-surface)) 82%, transparent);
  border: 3px dashed rgb(var(--v-theme-secondary));
  border-radius: 8px;
}

.box {
  padding: 18px 20px;
  max-height: 80vh;
  overflow: auto;
}

h2 {
  font-size: 18px;
  margin: 0 0 6px;
}

.buttons {
  display: flex;
  justify-content: flex-end;
  margin-top: 10px;
}
</style>
