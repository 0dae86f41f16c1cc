<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'

// What each value costs in packed frames, by whom it is sent to.
const props = defineProps<{ budgets: Schemas['Budgets'] }>()

const bare = (name: string) => name.replace('player.', '')
const titles = { scene: 'To everyone in the scene', everyone: 'To everyone in the session', self: 'To the player alone' }
const parts = computed(() =>
  (['scene', 'everyone', 'self'] as const).map((part) => ({
    part,
    costs: props.budgets.frames.filter((c) => c.part === part).sort((a, b) => b.bits - a.bits),
  })),
)
const most = computed(() => Math.max(...props.budgets.frames.map((c) => Math.min(c.bits, 128)), 1))
</script>

<template>
  <div class="three">
    <p v-if="budgets.overhead.near" class="quiet wide">In scenes with near, what is for the scene of a player goes to the machines of those who are near; there {{ budgets.overhead.near }} bits say whose it is.</p>
    <section v-for="p in parts" :key="p.part" class="sheet">
      <h3>{{ titles[p.part] }} <span class="quiet">{{ budgets.overhead[p.part] }} bits say whose</span></h3>
      <ul class="costs">
        <li v-for="c in p.costs" :key="c.holder + c.name">
          <span>{{ bare(c.name) }}<span v-if="c.told" class="quiet">, {{ c.told }} at most</span></span>
          <span class="stripe"><span :style="{ width: `${(100 * Math.min(c.bits, most)) / most}%` }" /></span>
          <b class="mono">{{ c.bits }}</b>
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
h3 {
  font-size: 14px;
  margin: 0 0 6px;
}

h3 .quiet {
  font-weight: 400;
  font-size: 14px;
}

.three {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 14px;
  align-items: start;
}

.wide {
  grid-column: 1 / -1;
  margin: 0;
}

.three section {
  padding: 10px 14px;
}

.costs {
  margin: 0;
  list-style: none;
  font-size: 14px;
  padding: 0;
}

.costs li {
  display: grid;
  grid-template-columns: 150px 1fr 36px;
  gap: 8px;
  align-items: center;
  padding: 1px 0;
}

.costs li > span:first-child {
  overflow: hidden;
  text-overflow: ellipsis;
}

.costs b {
  text-align: right;
}

.stripe span {
  display: block;
  height: 8px;
  border-radius: 2px;
  background: rgb(var(--v-theme-secondary));
}

@media (max-width: 1000px) {
  .three {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
