<script setup lang="ts">
import { defineAsyncComponent, nextTick, ref, shallowRef, watch } from 'vue'
import { useRoute } from 'vue-router'

import FindingCounts from '../components/FindingCounts.vue'
import FindingList from '../components/FindingList.vue'
import TroubleNote from '../components/TroubleNote.vue'
import { usePlanText } from '../composables/usePlanText'

const PlanEditor = defineAsyncComponent(() => import('../components/PlanEditor.vue'))

const props = defineProps<{ game: string }>()
const route = useRoute()
const editor = ref<{ go: (line: number, column: number) => void }>()
const { text, findings, report, error, told, conflict, ready, changed, saving, load, save, takeTheirs, keepMine } = usePlanText(props.game)

// A place in the plan that is asked for, by a finding or by the address, is gone to once the editor is there.
const wanted = shallowRef<{ line: number; column: number }>()

function go(line: number, column: number) {
  wanted.value = { line, column }
}

watch(
  () => route.query,
  (query) => Number(query.line) && go(Number(query.line), Number(query.column) || 1),
  { immediate: true },
)
watch([editor, wanted], async () => {
  if (!editor.value || !wanted.value) return
  await nextTick()
  editor.value.go(wanted.value.line, wanted.value.column)
})
</script>

<template>
  <div class="page">
    <div class="head">
      <div>
        <h1 class="page-title">Plan</h1>
        <p class="page-lead">
          <FindingCounts v-if="report" :counts="report.counts" />
          <span v-if="changed" class="unsaved">{{ told }} Not saved yet; kept in this browser.</span>
          <span v-else class="quiet">{{ told }}</span>
        </p>
      </div>
      <v-btn color="primary" :disabled="!changed || !report?.runnable" :loading="saving" :title="report?.runnable ? 'Ctrl-S' : 'A plan with errors cannot be saved'" @click="save">Save the plan</v-btn>
    </div>
    <TroubleNote :text="error" @retry="load" />
    <v-alert v-if="conflict" type="warning" class="mb-4">
      Somebody else has saved the plan since you began. Look at theirs, or save yours over it.
      <template #append>
        <v-btn size="small" variant="text" @click="takeTheirs">Take theirs</v-btn>
        <v-btn size="small" variant="text" @click="keepMine">Save mine over it</v-btn>
      </template>
    </v-alert>
    <div v-if="ready" class="beside">
      <PlanEditor ref="editor" v-model="text" :findings="findings" @save="save" />
      <div class="findings"><FindingList :findings="findings" @go="go" /></div>
    </div>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  justify-content: space-between;
  align-items: flex-start;
}

.unsaved {
  color: rgb(var(--v-theme-warning));
}

.beside {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 350px;
  gap: 16px;
  height: calc(100vh - 152px);
}

.findings {
  overflow: auto;
}

@media (max-width: 1000px) {
  .beside {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: 60vh auto;
    height: auto;
  }
}
</style>
