<script setup lang="ts">
import { computed } from 'vue'

import type { Finding } from '../api/client'

const props = defineProps<{
  findings: Finding[]
  /** Whether the name that was probably meant can be written from here. */
  mends?: boolean
}>()
defineEmits<{ go: [line: number, column: number]; mend: [finding: Finding] }>()

/** The lines of a finding's other places, each once. */
const elsewhere = (f: Finding) => [...new Set((f.also ?? []).map((a) => a.line))].filter((line) => line !== f.line)

const rank: Record<string, number> = { error: 0, warning: 1, note: 2 }
const open = computed(() => props.findings.filter((f) => !f.accepted).sort((a, b) => (rank[a.severity] ?? 3) - (rank[b.severity] ?? 3) || a.line - b.line))
const accepted = computed(() => props.findings.filter((f) => f.accepted))
</script>

<template>
  <div class="list">
    <p v-if="open.length === 0" class="none">No problems. The plan can run.</p>
    <div v-for="(f, i) in open" :key="i" class="finding" :class="f.severity">
      <button type="button" @click="$emit('go', f.line, f.column)">
        <span class="head"><b>{{ f.severity }}</b> <span class="mono">{{ f.id }}</span> <span class="quiet">line {{ f.line }}</span></span>
        <span class="message">{{ f.message }}</span>
        <span class="quiet">{{ f.why }}</span>
        <span>{{ f.do }}</span>
      </button>
      <p v-if="elsewhere(f).length" class="also">The same on {{ elsewhere(f).length === 1 ? 'line' : 'lines' }} <template v-for="(line, n) in elsewhere(f)" :key="line">{{ n ? ', ' : '' }}<button type="button" class="link" @click="$emit('go', line, f.also!.find((a) => a.line === line)!.column)">{{ line }}</button></template></p>
      <button v-if="mends && f.nearest && f.severity === 'error'" type="button" class="link mend" @click="$emit('mend', f)">Write {{ f.nearest }}{{ elsewhere(f).length ? ' there' : '' }}</button>
    </div>
    <template v-if="accepted.length">
      <p class="quiet label">Accepted by the plan</p>
      <div v-for="(f, i) in accepted" :key="`a${i}`" class="finding accepted">
        <button type="button" @click="$emit('go', f.line, f.column)">
          <span class="head"><span class="mono">{{ f.id }}</span> <span class="quiet">line {{ f.line }}</span></span>
          <span>{{ f.message }}</span>
          <span class="quiet">Because: {{ f.accepted }}</span>
        </button>
      </div>
    </template>
  </div>
</template>

<style scoped>
.list {
  display: flex;
  flex-direction: column;
  gap: 8px;
}

.none {
  margin: 4px 0;
  color: rgb(var(--v-theme-success));
}

.label {
  margin: 8px 0 0;
}

.finding {
  border-radius: 3px;
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
  border-left: 4px solid var(--line);
  font-size: 14px;
  line-height: 1.35;
}

.finding:hover {
  background: var(--faint);
}

.finding > button:first-child {
  display: flex;
  flex-direction: column;
  gap: 3px;
  width: 100%;
  padding: 9px 12px;
  text-align: left;
  cursor: pointer;
}

.also {
  margin: 0;
  padding: 0 12px 9px;
}

.mend {
  margin: 0 12px 9px;
}

.head {
  display: flex;
  gap: 8px;
  align-items: baseline;
}

.head .quiet {
  margin-left: auto;
}

.message {
  font-weight: 600;
}

.error {
  border-left-color: rgb(var(--v-theme-error));
}

.error b {
  color: rgb(var(--v-theme-error));
}

.warning {
  border-left-color: rgb(var(--v-theme-warning));
}

.warning b {
  color: rgb(var(--v-theme-warning));
}

.note b {
  color: rgb(var(--v-theme-info));
}
</style>
