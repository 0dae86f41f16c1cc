<script setup lang="ts">
import { onMounted, ref } from 'vue'

import { dataOf, told, type Schemas } from '../api/client'
import { reach } from '../composables/connection'

const props = defineProps<{ game: string; given?: File }>()
const file = ref<HTMLInputElement>()
const name = ref('')
const checked = ref<Schemas['Checked']>()
const trouble = ref('')

async function look(chosen: File | undefined) {
  if (!chosen) return
  trouble.value = ''
  checked.value = undefined
  name.value = chosen.name
  try {
    const answer = await reach(`/v1/games/${encodeURIComponent(props.game)}/check-save?name=${encodeURIComponent(chosen.name)}`, { method: 'POST', headers: { 'Content-Type': 'application/octet-stream' }, body: chosen })
    const body = await answer.json()
    checked.value = dataOf<Schemas['Checked']>(answer.ok ? { data: body, response: answer } : { error: body, response: answer })
  } catch (e) {
    trouble.value = told(e)
  }
  if (file.value) file.value.value = ''
}

onMounted(() => look(props.given))

function words(x: Schemas['Checked']) {
  if (x.outcome === 'refuse') return 'is not loaded.'
  if (x.outcome === 'last') return 'is passed over for an earlier one.'
  return x.problems.length ? 'loads, with something corrected or told.' : 'loads as it is.'
}
</script>

<template>
  <section class="sheet check" @dragover.prevent @drop.prevent.stop="look($event.dataTransfer?.files[0])">
    <div class="line">
      <strong>Check a save</strong>
      <span class="quiet">Drop a file here, or <button type="button" class="choose" @click="file?.click()">choose one</button>. Nothing is kept.</span>
      <input ref="file" type="file" hidden @change="look(file?.files?.[0])" />
    </div>
    <p v-if="trouble" class="bad">{{ trouble }}</p>
    <template v-if="checked">
      <p>
        <strong>{{ name }}</strong> {{ words(checked) }}
        <span class="quiet"><template v-if="checked.of !== 'nothing'">{{ checked.of === 'world' ? 'A world' : `A save of ${checked.player}` }} of version {{ checked.from }}<template v-if="checked.from < checked.to">, upgraded to {{ checked.to }}</template><template v-if="checked.format">, in the game's own format {{ checked.format }}</template>.</template><template v-if="checked.seal"> Its seal is {{ checked.seal }}.</template></span>
      </p>
      <table v-if="checked.problems.length" class="plain">
        <thead>
          <tr><th scope="col">Where</th><th scope="col">What is wrong</th><th scope="col">What is loaded instead</th></tr>
        </thead>
        <tbody>
          <tr v-for="p in checked.problems" :key="p.pointer + p.name + p.reason">
            <td class="mono">{{ p.pointer || 'the whole save' }}<span v-if="p.line" class="quiet kind">line {{ p.line }}, column {{ p.column }}</span><span class="quiet kind">{{ p.kind }}</span></td>
            <td>{{ p.reason }}</td>
            <td>{{ p.instead }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
.check {
  padding: 12px 16px;
  margin-top: 18px;
}

.line {
  display: flex;
  gap: 14px;
}

p {
  margin: 10px 0 6px;
}

.choose {
  color: rgb(var(--v-theme-primary));
  text-decoration: underline;
  cursor: pointer;
}

.kind {
  display: block;
  font-family: var(--body);
  font-size: 13px;
}

table.plain td {
  vertical-align: top;
}
</style>
