<script setup lang="ts">
import { computed } from 'vue'

import { useGames } from '../composables/resources'
import { did, firstSteps, useFirstSteps } from '../composables/useFirstSteps'

const games = useGames()
const { done, all, away } = useFirstSteps()
const game = computed(() => games.data.value?.find((g) => g.id === 'lantern-pass'))
</script>

<template>
  <section v-if="game && !away" class="steps" aria-label="Things to try">
    <b>{{ all ? 'That is how it works.' : 'New here? Try this on the demo:' }}</b>
    <ol v-if="!all">
      <li v-for="(s, i) in firstSteps" :key="s.id" :class="{ done: done.includes(s.id) }">
        <span class="mark mono" aria-hidden="true">{{ done.includes(s.id) ? '✓' : i + 1 }}</span>
        <RouterLink :to="{ name: s.to.name, params: { game: 'lantern-pass' }, query: s.to.query }">{{ s.text }}</RouterLink>
      </li>
      <li v-if="game.play">
        <span class="mark mono" aria-hidden="true">→</span>
        <a :href="game.play" target="_blank">Or walk about in it yourself</a>
      </li>
    </ol>
    <span v-else>Begin a game of your own on the page of all games, or drop a plan or a save anywhere.</span>
    <button type="button" @click="did('away')">{{ all ? 'Close' : 'Not now' }}</button>
  </section>
</template>

<style scoped>
.steps {
  display: flex;
  align-items: center;
  gap: 8px 22px;
  padding: 7px 28px;
  background: color-mix(in srgb, rgb(var(--v-theme-secondary)) 13%, rgb(var(--v-theme-surface)));
  border-bottom: 1px solid var(--line);
}

ol {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 22px;
  list-style: none;
  margin: 0;
  padding: 0;
  flex: 1;
}

li {
  display: flex;
  align-items: center;
  gap: 7px;
}

.mark {
  display: inline-grid;
  place-items: center;
  width: 20px;
  height: 20px;
  border: 1px solid rgb(var(--v-theme-secondary));
  border-radius: 50%;
}

a {
  color: rgb(var(--v-theme-on-surface));
}

.done a {
  color: rgb(var(--v-theme-quiet));
  text-decoration: line-through;
}

span {
  flex: 0 0 auto;
}

.steps > span {
  flex: 1;
}

button {
  color: rgb(var(--v-theme-primary));
  text-decoration: underline;
  cursor: pointer;
  white-space: nowrap;
}
</style>
