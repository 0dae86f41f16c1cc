<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '../api/client'

const props = defineProps<{ comparison: Schemas['BothWays']; game: string }>()

const all = computed(() => props.comparison.forward.differences)
const told = computed(() => all.value.filter((d) => d.verdict !== 'safe'))
const harmless = computed(() => {
  const groups = new Map<string, Schemas['Difference'][]>()
  for (const d of all.value.filter((x) => x.verdict === 'safe')) {
    const key = `${d.what} ${d.change}`
    groups.set(key, [...(groups.get(key) ?? []), d])
  }
  return [...groups]
})
const open = ref('')
const back = computed(() => props.comparison.back.overall)
</script>

<template>
  <div class="sheet">
    <p v-if="!all.length" class="none quiet">Nothing that concerns a save is different.</p>
    <table v-else class="plain">
      <tbody>
        <tr v-for="d in told" :key="d.what + d.name + d.change">
          <td class="verdict"><span :class="['chip', d.verdict]">{{ d.verdict }}</span></td>
          <td class="mono name">{{ d.name }}<span class="quiet what">{{ d.what }}</span></td>
          <td>
            {{ d.text }}
            <span v-if="d.suggest" class="suggest">A step would keep it: <code class="mono">{{ '{' + d.suggest + '}' }}</code></span>
            <RouterLink v-if="d.change !== 'gone'" class="plain line" :to="{ name: 'plan', params: { game }, query: { line: d.at.line } }">line {{ d.at.line }}</RouterLink>
          </td>
        </tr>
        <tr v-for="[key, list] in harmless" :key="key">
          <td class="verdict"><span class="chip safe">safe</span></td>
          <td class="quiet">{{ key }}</td>
          <td>
            <button v-for="d in list" :key="d.name" type="button" class="mono one" :aria-expanded="open === key + d.name" @click="open = open === key + d.name ? '' : key + d.name">{{ d.name }}</button>
            <template v-for="d in list" :key="d.name"><span v-if="open === key + d.name" class="more">{{ d.text }}</span></template>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <p class="quiet small">New saves under the older plan: {{ back }}; a session that runs the older plan refuses to load them.</p>
</template>

<style scoped>
.none {
  padding: 18px;
  margin: 0;
}

.verdict {
  width: 92px;
  vertical-align: top;
}

.name {
  width: 210px;
  vertical-align: top;
  overflow-wrap: anywhere;
}

.what {
  display: block;
  font-family: var(--body);
  font-size: 13px;
}

.chip {
  display: inline-block;
  min-width: 66px;
  padding: 1px 8px;
  border: 1px solid currentColor;
  border-radius: 3px;
  font-size: 13px;
  text-align: center;
}

.safe {
  color: rgb(var(--v-theme-success));
}

.converts {
  color: rgb(var(--v-theme-warning));
}

.loses,
.blocks {
  color: rgb(var(--v-theme-error));
}

.blocks {
  font-weight: 600;
  border-width: 2px;
}

.suggest,
.more {
  display: block;
  margin-top: 2px;
}

.line {
  margin-left: 6px;
  font-size: 13px;
}

.one {
  margin-right: 10px;
  cursor: pointer;
}

.one:hover {
  text-decoration: underline;
}

.small {
  font-size: 14px;
  margin: 8px 2px 0;
}
</style>
