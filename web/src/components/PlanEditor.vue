<script setup lang="ts">
import { autocompletion, completionKeymap } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands'
import { bracketMatching, foldGutter } from '@codemirror/language'
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint'
import { highlightSelectionMatches, search, searchKeymap } from '@codemirror/search'
import { Annotation, EditorState } from '@codemirror/state'
import { drawSelection, EditorView, highlightActiveLine, highlightActiveLineGutter, keymap, lineNumbers } from '@codemirror/view'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'

import type { Finding, Schemas } from '../api/client'
import { reach } from '../composables/connection'
import { completing, hovering, type Schema } from '../planHelp'
import { planLook } from '../planLook'

const props = defineProps<{ modelValue: string; findings: Finding[]; names: Schemas['Named'][] }>()
const emit = defineEmits<{ 'update:modelValue': [text: string]; save: []; mend: [finding: Finding] }>()

const fromOutside = Annotation.define<boolean>()
const host = ref<HTMLElement>()
let view: EditorView | undefined
let schema: Schema | undefined
void reach('/v1/schema')
  .then(async (answer) => (schema = (await answer.json()) as Schema))
  .catch(() => undefined) // without it, the editor only does not help

onMounted(() => {
  view = new EditorView({
    parent: host.value,
    state: EditorState.create({
      doc: props.modelValue,
      extensions: [
        lineNumbers(), foldGutter(), lintGutter(), history(), drawSelection(), highlightActiveLine(), highlightActiveLineGutter(), bracketMatching(),
        highlightSelectionMatches(), search({ top: true }), planLook,
        autocompletion({ override: [completing(() => schema, () => props.names)], icons: false }), hovering(() => schema, () => props.names),
        EditorView.contentAttributes.of({ 'aria-label': 'The plan, as text' }),
        keymap.of([{ key: 'Mod-s', preventDefault: true, run: () => (emit('save'), true) }, ...defaultKeymap, ...historyKeymap, ...searchKeymap, ...completionKeymap, indentWithTab]),
        EditorView.updateListener.of((u) => u.docChanged && !u.transactions.some((t) => t.annotation(fromOutside)) && emit('update:modelValue', u.state.doc.toString())),
      ],
    }),
  })
  view.scrollDOM.tabIndex = 0 // it can be scrolled by keyboard
  mark()
})

onBeforeUnmount(() => view?.destroy())

watch(
  () => props.modelValue,
  (text) => {
    if (view && text !== view.state.doc.toString()) view.dispatch({ changes: difference(view.state.doc.toString(), text), annotations: fromOutside.of(true) })
  },
)
watch(() => props.findings, mark)

/** What differs between two texts, as one change: the cursor stays where it is. */
function difference(was: string, now: string) {
  let from = 0
  while (from < was.length && from < now.length && was[from] === now[from]) from++
  let end = 0
  while (end < was.length - from && end < now.length - from && was[was.length - 1 - end] === now[now.length - 1 - end]) end++
  return { from, to: was.length - end, insert: now.slice(from, now.length - end) }
}

/** The place of a line and column (both from 1) in the text. */
function offset(line: number, column: number): number {
  if (!view) return 0
  const l = view.state.doc.line(Math.min(Math.max(line, 1), view.state.doc.lines))
  return Math.min(l.from + Math.max(column - 1, 0), l.to)
}

function mark() {
  if (!view) return
  const marks = props.findings
    .filter((f) => !f.accepted)
    .flatMap((f) => [f, ...(f.also ?? [])].map((at) => ({ f, at })))
    .map(({ f, at }): Diagnostic => {
      const from = offset(at.line, at.column)
      const word = /^[\w./'-]*/.exec(view!.state.sliceDoc(from, from + 80))?.[0].length ?? 0
      return { from, to: Math.min(from + Math.max(word, 1), view!.state.doc.length), severity: f.severity === 'note' ? 'info' : f.severity, source: f.id, message: `${f.message}\n${f.do}`, actions: f.nearest && f.severity === 'error' ? [{ name: `Write ${f.nearest}`, apply: () => emit('mend', f) }] : [] }
    })
    .sort((a, b) => a.from - b.from)
  view.dispatch(setDiagnostics(view.state, marks))
}

function go(line: number, column: number) {
  if (!view) return
  const at = offset(line, column)
  view.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: 'center' }) })
  view.focus()
}

defineExpose({ go })
</script>

<template>
  <div ref="host" class="editor sheet" />
</template>

<style scoped>
.editor {
  height: 100%;
  overflow: hidden;
}
</style>
