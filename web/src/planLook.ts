import { yaml } from '@codemirror/lang-yaml'
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import type { Extension } from '@codemirror/state'
import { EditorView } from '@codemirror/view'
import { tags } from '@lezer/highlight'

const colours = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'rgb(var(--v-theme-primary))' },
  { tag: tags.comment, color: 'rgb(var(--v-theme-quiet))', fontStyle: 'italic' },
  { tag: [tags.string, tags.special(tags.string)], color: 'rgb(var(--v-theme-set))' },
  { tag: [tags.number, tags.bool, tags.keyword], color: 'rgb(var(--v-theme-secondary))' },
  { tag: tags.punctuation, color: 'rgb(var(--v-theme-quiet))' },
])

const look = EditorView.theme({
  '&': { height: '100%', fontSize: '13.5px' },
  '.cm-scroller': { fontFamily: 'var(--mono)', lineHeight: '1.55' },
  '.cm-gutters': { background: 'transparent', color: 'rgb(var(--v-theme-quiet))', border: '0' },
  '.cm-content': { caretColor: 'rgb(var(--v-theme-on-surface))' },
  '.cm-cursor': { borderLeftColor: 'rgb(var(--v-theme-on-surface))' },
  '.cm-activeLine, .cm-activeLineGutter': { background: 'var(--faint)' },
  '&.cm-focused': { outline: 'none' },
  '.cm-selectionBackground, &.cm-focused .cm-selectionBackground': { background: 'color-mix(in srgb, rgb(var(--v-theme-secondary)) 28%, transparent) !important' },
  '.cm-tooltip': { background: 'rgb(var(--v-theme-surface))', border: '1px solid var(--line)', fontFamily: 'var(--body)' },
  '.plan-help': { padding: '6px 10px', maxWidth: '420px', lineHeight: '1.35' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul': { fontFamily: 'var(--mono)' },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { background: 'color-mix(in srgb, rgb(var(--v-theme-secondary)) 28%, transparent)', color: 'inherit' },
  '.cm-completionInfo': { padding: '6px 10px', fontFamily: 'var(--body)' },
  '.cm-completionDetail': { fontFamily: 'var(--body)', color: 'rgb(var(--v-theme-quiet))' },
  '.cm-panels': { background: 'rgb(var(--v-theme-surface))', color: 'inherit' },
})

/** How a plan's text looks, wherever it is shown. */
export const planLook: Extension = [yaml(), syntaxHighlighting(colours), look]
