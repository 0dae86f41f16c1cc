<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'

import type { DryRun } from '../composables/useDryRun'

const props = defineProps<{ dryRun: DryRun }>()
const { steps, at, view, dropped, words } = props.dryRun
const list = ref<HTMLElement>()

const go = (to: number) => (at.value = Math.min(Math.max(to, 0), steps.value.length))
const came = computed(() => steps.value.map((_, i) => view.value?.steps[i]))
const refusal = (i: number) => /^Refused: (.*)$/.exec(came.value[i]?.failed ?? '')?.[1]

/** Brings the step that is shown into sight, by moving the list and nothing else of the page. */
function show() {
  const here = list.value?.querySelector<HTMLElement>('.here')?.parentElement
  if (!list.value || !here) return
  const [top, end] = [here.offsetTop - list.value.offsetTop, here.offsetTop - list.value.offsetTop + here.offsetHeight]
  if (top < list.value.scrollTop) list.value.scrollTop = top
  else if (end > list.value.scrollTop + list.value.clientHeight) list.value.scrollTop = end - list.value.clientHeight
}
watch(at, () => nextTick(show), { immediate: true })
</script>

<template>
  <section class="steps" aria-label="The run">
    <div class="tools">
      <button type="button" title="To the beginning" aria-label="To the beginning" :disabled="at === 0" @click="go(0)">⇤</button>
      <button type="button" title="Step back" aria-label="Step back" :disabled="at === 0" @click="go(at - 1)">←</button>
      <span class="mono">{{ at }} of {{ steps.length }}</span>
      <button type="button" title="Step forward" aria-label="Step forward" :disabled="at === steps.length" @click="go(at + 1)">→</button>
      <button type="button" title="To the end" aria-label="To the end" :disabled="at === steps.length" @click="go(steps.length)">⇥</button>
      <span class="space" />
      <button v-if="dropped.length" type="button" class="word" @click="dryRun.putBack">Put {{ dropped.length === 1 ? 'it' : dropped.length }} back</button>
      <button type="button" class="word" :disabled="!steps.length" @click="dryRun.takeBack">Take back</button>
      <button type="button" class="word" :disabled="!steps.length" @click="dryRun.clear">Clear</button>
    </div>
    <ol ref="list">
      <li>
        <button type="button" :class="{ here: at === 0 }" @click="go(0)"><span class="n mono quiet">0</span> <span class="quiet">before anything happened</span></button>
      </li>
      <li v-for="(_, i) in steps" :key="i">
        <button type="button" :class="{ here: at === i + 1, later: i + 1 > at }" :aria-current="at === i + 1 ? 'step' : undefined" @click="go(i + 1)">
          <span class="n mono quiet">{{ i + 1 }}</span>
          <span>
            {{ words(i) }}
            <span v-if="refusal(i)" class="refused">refused: {{ refusal(i) }}</span>
            <span v-else-if="came[i]?.failed" class="failed">
              {{ came[i]?.failed }}
              <span v-for="w in came[i]?.wanted" :key="w.name" class="mono side">{{ w.name }} is {{ w.is }}<template v-if="w.wanted">, expected {{ w.wanted }}</template></span>
            </span>
            <span v-else-if="came[i]?.refused" class="quiet">{{ came[i]?.refused }}</span>
          </span>
        </button>
      </li>
    </ol>
  </section>
</template>

<style scoped>
.steps {
  display: flex;
  flex-direction: column;
  min-height: 0;
}

.tools {
  display: flex;
  align-items: center;
  gap: 4px;
  padding: 6px 8px;
  border-bottom: 1px solid var(--line);
}

.tools button {
  min-width: 24px;
  padding: 1px 5px;
  border-radius: 3px;
  cursor: pointer;
}

.tools button:hover:not(:disabled) {
  background: var(--faint);
}

.tools button:disabled {
  opacity: 0.4;
  cursor: default;
}

.word {
  color: rgb(var(--v-theme-primary));
  font-size: 14px;
}

.space {
  flex: 1;
}

ol {
  list-style: none;
  margin: 0;
  padding: 4px;
  overflow: auto;
}

li button {
  display: grid;
  grid-template-columns: 26px 1fr;
  gap: 6px;
  width: 100%;
  padding: 3px 8px 3px 2px;
  text-align: left;
  border-radius: 3px;
  cursor: pointer;
  overflow-wrap: anywhere;
}

li button:hover {
  background: var(--faint);
}

.n {
  text-align: right;
}

.here {
  background: color-mix(in srgb, rgb(var(--v-theme-primary)) 13%, transparent);
  font-weight: 600;
}

.later {
  color: rgb(var(--v-theme-quiet));
}

.refused,
.failed,
.side {
  display: block;
  font-weight: 400;
  font-size: 14px;
  color: rgb(var(--v-theme-warning));
}

.failed,
.side {
  color: rgb(var(--v-theme-error));
}
</style>
