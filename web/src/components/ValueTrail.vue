<script setup lang="ts">
import { shown, type Schemas } from '../api/client'
import { sessionTime } from '../times'

defineProps<{ game: string; steps: Schemas['Step'][]; name: string; session?: string }>()
</script>

<template>
  <div class="sheet trail">
    <p v-if="!session" class="quiet">Changes are kept while a session is open. The player is in none now.</p>
    <p v-else-if="steps.length === 0" class="quiet">{{ name || 'Nothing' }} has not changed in this session.</p>
    <ol v-else>
      <li v-for="(s, i) in steps" :key="i">
        <span class="time mono quiet">{{ sessionTime(s.time) }}</span>
        <span class="what">
          <b>{{ s.name.replace('player.', '') }}</b>
          <span v-if="s.scene || s.prop || s.option" class="quiet">{{ s.scene || s.prop || s.option }}</span>
          <span class="mono">{{ shown(s.from) }} <span class="quiet">→</span> {{ shown(s.to) }}</span>
        </span>
        <span class="cause quiet">
          <RouterLink v-if="s.line" class="plain" :to="{ name: 'plan', params: { game }, query: { line: s.line } }">{{ s.cause }}</RouterLink>
          <template v-else>{{ s.cause }}</template>
        </span>
      </li>
    </ol>
  </div>
</template>

<style scoped>
.trail {
  padding: 6px 0;
  overflow: auto;
}

p {
  margin: 8px 14px;
}

ol {
  list-style: none;
  margin: 0;
  padding: 0;
}

li {
  display: grid;
  grid-template-columns: 66px 1fr;
  gap: 0 10px;
  padding: 6px 14px;
  border-bottom: 1px solid var(--line);
}

li:last-child {
  border-bottom: 0;
}

.time {
  grid-row: span 2;
  text-align: right;
}

.what {
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
  overflow-wrap: anywhere;
}

.cause {
  font-size: 14px;
}
</style>
