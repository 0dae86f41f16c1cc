<script setup lang="ts">
import { MergeView } from '@codemirror/merge'
import { EditorState } from '@codemirror/state'
import { EditorView, lineNumbers } from '@codemirror/view'
import { onBeforeUnmount, ref, watch } from 'vue'

import { planLook } from '../planLook'

// Two texts of a plan side by side, to be read: what is the same in both is folded away.
const props = defineProps<{ before: string; after: string; titles: [string, string] }>()

const host = ref<HTMLElement>()
let view: MergeView | undefined

const sheet = (doc: string, title: string) => ({
  doc,
  extensions: [lineNumbers(), planLook, EditorState.readOnly.of(true), EditorView.editable.of(false), EditorView.lineWrapping, EditorView.contentAttributes.of({ 'aria-label': title, tabindex: '0' })],
})

watch(
  () => [host.value, props.before, props.after],
  () => {
    view?.destroy()
    view = host.value && new MergeView({ parent: host.value, a: sheet(props.before, props.titles[0]), b: sheet(props.after, props.titles[1]), collapseUnchanged: { margin: 2, minSize: 5 }, gutter: false })
  },
  { immediate: true, flush: 'post' },
)
onBeforeUnmount(() => view?.destroy())
</script>

<template>
  <div class="sheet">
    <div class="heads">
      <b v-for="t in titles" :key="t">{{ t }}</b>
    </div>
    <div ref="host" class="texts" />
  </div>
</template>

<style scoped>
.heads {
  display: grid;
  grid-template-columns: 1fr 1fr;
  padding: 8px 14px;
  border-bottom: 1px solid var(--line);
  font-size: 14px;
}

.texts :deep(.cm-mergeView) {
  max-height: calc(100vh - 200px);
  overflow: auto;
}

.texts :deep(.cm-editor) {
  height: auto;
}

.texts :deep(.cm-changedLine) {
  background: color-mix(in srgb, rgb(var(--v-theme-secondary)) 12%, transparent);
}

.texts :deep(.cm-changedText) {
  background: none;
  box-shadow: inset 0 -1px rgb(var(--v-theme-secondary));
}

.texts :deep(.cm-collapsedLines)::before,
.texts :deep(.cm-collapsedLines)::after {
  content: none !important; /* the font has no such sign */
}

.texts :deep(.cm-collapsedLines) {
  padding: 3px 14px;
  color: rgb(var(--v-theme-quiet));
  background: var(--faint);
  font-family: var(--body);
}
</style>
