<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, watch } from 'vue'
import { useRoute } from 'vue-router'

import { useGames } from '../composables/resources'
import { useDraft } from '../composables/useDraft'

// What was changed and not saved yet, on every page where the plan is worked on.
const props = defineProps<{ game: string }>()
const route = useRoute()
const draft = useDraft(props.game)
const { ready, changed, conflict, done, undone, told, error, report, busy } = draft

// Another designer's save shows in the list of games, which the window follows anyway.
const games = useGames()
watch(() => games.data.value?.find((g) => g.id === props.game)?.updated_at, (now, before) => now && before && void draft.lookAgain())

const last = computed(() => done.value.at(-1)?.what)
const next = computed(() => undone.value.at(-1)?.what)
const errors = computed(() => report.value?.counts.errors ?? 0)
/** What the checks say of it, the worst first. */
const open = computed(() => draft.findings.value.filter((f) => !f.accepted))
const first = computed(() => open.value.find((f) => f.severity === 'error') ?? open.value.find((f) => f.severity === 'warning') ?? open.value[0])
const shown = computed(() => ready.value && (changed.value || conflict.value || told.value !== '' || error.value !== '' || done.value.length + undone.value.length > 0))

function onKey(e: KeyboardEvent) {
  if (!(e.ctrlKey || e.metaKey) || e.altKey) return
  const k = e.key.toLowerCase()
  if (k === 's') {
    e.preventDefault()
    void draft.save()
    return
  }
  if ((e.target as HTMLElement).closest('input, textarea, [contenteditable]')) return
  if (k === 'z' && !e.shiftKey) draft.undo()
  else if (k === 'y' || (k === 'z' && e.shiftKey)) draft.redo()
  else return
  e.preventDefault()
}

onMounted(() => window.addEventListener('keydown', onKey))
onBeforeUnmount(() => window.removeEventListener('keydown', onKey))
</script>

<template>
  <section v-if="shown" class="draft" aria-label="Changes of the plan">
    <span class="what" role="status">
      <template v-if="conflict"><b class="bad">Somebody else has saved the plan since you began.</b> Take theirs, or save yours over it.</template>
      <b v-else-if="error" class="bad">{{ error }}</b>
      <template v-else-if="changed"><b>Not saved yet</b>, kept in this browser<template v-if="last">: {{ last }}</template>. {{ told }}</template>
      <template v-else>{{ told || 'As it was saved.' }}</template>
    </span>
    <template v-if="conflict">
      <v-btn size="small" variant="outlined" @click="draft.takeTheirs">Take theirs</v-btn>
      <v-btn size="small" color="error" @click="draft.keepMine">Save mine over it</v-btn>
    </template>
    <template v-else>
      <RouterLink v-if="first && route.name !== 'plan'" class="plain finding" :class="{ bad: errors }" :to="{ name: 'plan', params: { game }, query: { line: first.line, column: first.column } }" :title="`${first.message} ${first.do}`">{{ open.length === 1 ? 'One finding' : `${open.length} findings` }}: {{ first.message }}</RouterLink>
      <RouterLink v-else-if="changed && route.name !== 'plan'" class="plain" :to="{ name: 'plan', params: { game } }">See the text</RouterLink>
      <v-btn size="small" variant="outlined" :disabled="!done.length" :title="last ? `Undo: ${last} (Ctrl-Z)` : ''" @click="draft.undo">Undo</v-btn>
      <v-btn size="small" variant="outlined" :disabled="!undone.length" :title="next ? `Redo: ${next} (Ctrl-Y)` : ''" @click="draft.redo">Redo</v-btn>
      <v-btn v-if="changed" size="small" variant="outlined" @click="draft.discard">Give up changes</v-btn>
      <v-btn size="small" color="primary" :disabled="!changed || errors > 0" :loading="busy" :title="errors ? 'A plan with errors cannot be saved' : 'Ctrl-S'" @click="draft.save">Save the plan</v-btn>
    </template>
  </section>
</template>

<style scoped>
.draft {
  position: sticky;
  bottom: 0;
  z-index: 4;
  display: flex;
  align-items: center;
  gap: 10px;
  min-height: 46px;
  padding: 6px 28px;
  background: rgb(var(--v-theme-surface));
  border-top: 1px solid var(--line);
  box-shadow: 0 -3px 10px rgb(0 0 0 / 8%);
}

.what {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.finding {
  max-width: 340px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
