<script setup lang="ts">
import { computed, nextTick, ref, useId } from 'vue'

import type { Schemas } from '../api/client'

// An expression of one line: names are completed where the caret is, and what the names stand for is said below it.
const text = defineModel<string>({ required: true })
const props = defineProps<{ id: string; label?: string; variables: Schemas['Named'][]; more?: { name: string; title: string; type?: string }[] }>()
const emit = defineEmits<{ write: [] }>()

const field = ref<HTMLInputElement>()
const list = useId()
const caret = ref(0)
const shown = ref(false)
const at = ref(0)

const functions = ['min', 'max', 'clamp', 'abs', 'floor', 'ceil', 'round', 'div', 'has', 'count', 'size', 'distance', 'earned', 'inside', 'holds', 'sum', 'all', 'any']
const all = computed(() => [...props.variables.map((v) => ({ name: v.name, title: v.title, type: v.type ?? '' })), ...(props.more ?? []), ...functions.map((name) => ({ name: `${name}()`, title: 'a function', type: '' }))])

/** The word that the caret stands behind. */
const word = computed(() => /[A-Za-z_][\w.]*$/.exec(text.value.slice(0, caret.value))?.[0] ?? '')
const offered = computed(() => {
  const w = word.value.toLowerCase()
  if (!shown.value || w.length < 1) return []
  const fits = all.value.filter((n) => n.name.toLowerCase().includes(w) || n.title.toLowerCase().startsWith(w))
  const rank = (n: { name: string }) => (n.name.toLowerCase().startsWith(w) ? 0 : n.name.toLowerCase().split('.').some((p) => p.startsWith(w)) ? 1 : 2)
  return fits.filter((n) => n.name !== word.value).sort((a, b) => rank(a) - rank(b) || a.name.length - b.name.length).slice(0, 8)
})
/** What is named in it, with the type of each. */
const named = computed(() => {
  const words = new Set(text.value.match(/[A-Za-z_][\w.]*/g) ?? [])
  return props.variables.filter((v) => v.type && words.has(v.name)).slice(0, 6)
})

function follow(open: boolean) {
  caret.value = field.value?.selectionStart ?? text.value.length
  shown.value = open
  at.value = 0
}

function take(name: string) {
  const begin = caret.value - word.value.length
  text.value = text.value.slice(0, begin) + name + text.value.slice(caret.value)
  shown.value = false
  const to = begin + name.length - (name.endsWith('()') ? 1 : 0)
  void nextTick(() => {
    field.value?.focus()
    field.value?.setSelectionRange(to, to)
    caret.value = to
  })
}

function key(e: KeyboardEvent) {
  const n = offered.value.length
  if (!n) {
    if (e.key === 'Enter') {
      e.preventDefault()
      emit('write')
    }
    return
  }
  if (e.key === 'ArrowDown' || e.key === 'ArrowUp') at.value = (at.value + (e.key === 'ArrowDown' ? 1 : n - 1)) % n
  else if (e.key === 'Enter' || e.key === 'Tab') take(offered.value[at.value]!.name)
  else if (e.key === 'Escape') shown.value = false
  else return
  e.preventDefault()
  e.stopPropagation()
}

function leave() {
  shown.value = false
  emit('write')
}
</script>

<template>
  <div class="expression">
    <input
      :id="id" ref="field" v-model="text" class="text mono" role="combobox" aria-autocomplete="list" :aria-label="label" :aria-expanded="offered.length > 0" :aria-controls="list"
      :aria-activedescendant="offered.length ? `${list}-${at}` : undefined" spellcheck="false" autocomplete="off" @input="follow(true)" @click="follow(false)" @keydown="key" @change="emit('write')" @blur="leave"
    />
    <ul v-show="offered.length" :id="list" role="listbox" aria-label="Names that can stand here">
      <li v-for="(n, i) in offered" :id="`${list}-${i}`" :key="n.name" role="option" :aria-selected="i === at" @mousedown.prevent="take(n.name)">
        <span class="mono">{{ n.name }}</span> <span class="quiet">{{ n.title }}<template v-if="n.type">: {{ n.type }}</template></span>
      </li>
    </ul>
    <p v-for="v in named" :key="v.name" class="quiet named"><span class="mono">{{ v.name }}</span> {{ v.type }}</p>
  </div>
</template>

<style scoped>
.expression {
  position: relative;
}

.text {
  width: 100%;
  box-sizing: border-box;
  padding: 4px 8px;
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
  border-radius: 3px;
}

ul {
  position: absolute;
  z-index: 5;
  left: 0;
  right: 0;
  margin: 2px 0 0;
  padding: 4px 0;
  list-style: none;
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
  border-radius: 3px;
  box-shadow: 0 4px 14px rgb(0 0 0 / 18%);
}

li {
  padding: 3px 8px;
  cursor: pointer;
  overflow-wrap: anywhere;
}

li[aria-selected='true'],
li:hover {
  background: var(--faint);
}

.named {
  margin: 2px 0 0;
  font-size: 13px;
}
</style>
