<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { useNames } from '../composables/resources'

const props = defineProps<{ game: string }>()
const open = ref(false)
const wanted = ref('')
const at = ref(0)
const field = ref<HTMLInputElement>()
const router = useRouter()
const names = useNames(() => (open.value ? props.game : ''))

const hits = computed(() => {
  const w = wanted.value.trim().replace(/^\//, '').toLowerCase() // the key that opened the search may be the first to arrive
  return (names.data.value ?? []).filter((n) => `${n.name} ${n.title} ${n.kind}`.toLowerCase().includes(w)).slice(0, 12)
})

watch(wanted, () => (at.value = 0))

function onKey(e: KeyboardEvent) {
  const target = e.target as HTMLElement
  if (e.key === '/' && props.game && !open.value && !target.closest('input, textarea, [contenteditable]')) {
    e.preventDefault()
    void show()
  }
}

async function show() {
  open.value = true
  wanted.value = ''
  await nextTick()
  field.value?.focus()
}

function go(i: number) {
  const hit = hits.value[i]
  if (!hit) return
  open.value = false
  if (hit.kind === 'variable') void router.push({ name: 'matrix', params: { game: props.game }, query: { row: hit.name, at: 'scene' } })
  else void router.push({ name: 'plan', params: { game: props.game }, query: { line: hit.line } })
}

onMounted(() => window.addEventListener('keydown', onKey))
onBeforeUnmount(() => window.removeEventListener('keydown', onKey))
defineExpose({ show })
</script>

<template>
  <v-dialog v-model="open" max-width="560" transition="fade-transition" @after-enter="field?.focus()" aria-label="Search everything that the plan names">
    <div class="sheet search">
      <input
        ref="field"
        v-model="wanted"
        type="search"
        placeholder="A variable, scene, passage, event …"
        aria-label="Search everything that the plan names"
        @keydown.down.prevent="at = Math.min(at + 1, hits.length - 1)"
        @keydown.up.prevent="at = Math.max(at - 1, 0)"
        @keydown.enter.prevent="go(at)"
      />
      <ul>
        <li v-for="(n, i) in hits" :key="n.kind + n.name">
          <button type="button" :class="{ at: i === at }" @click="go(i)">
            <span>{{ n.title }}</span> <span class="mono quiet">{{ n.name }}</span> <span class="kind quiet">{{ n.kind }}</span>
          </button>
        </li>
        <li v-if="hits.length === 0" class="quiet none">Nothing in this plan is called that.</li>
      </ul>
    </div>
  </v-dialog>
</template>

<style scoped>
.search {
  overflow: hidden;
}

input {
  width: 100%;
  padding: 14px 16px;
  font-size: 17px;
  border-bottom: 1px solid var(--line);
  outline: none;
}

ul {
  list-style: none;
  margin: 0;
  padding: 6px;
}

button {
  display: flex;
  gap: 10px;
  align-items: baseline;
  width: 100%;
  padding: 5px 10px;
  text-align: left;
  border-radius: 3px;
  cursor: pointer;
}

button:hover,
.at {
  background: color-mix(in srgb, rgb(var(--v-theme-secondary)) 16%, transparent);
}

.kind {
  margin-left: auto;
}

.none {
  padding: 6px 10px;
}
</style>
