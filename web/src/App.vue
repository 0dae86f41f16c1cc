<script setup lang="ts">
import { mdiMagnify, mdiWeatherNight, mdiWhiteBalanceSunny } from '@mdi/js'
import { computed, defineAsyncComponent, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { useTheme } from 'vuetify'

import { asksForToken } from './api/client'
import NameSearch from './components/NameSearch.vue'
import TokenDoor from './components/TokenDoor.vue'
import WaitingNote from './components/WaitingNote.vue'
import { lost } from './composables/connection'
import { useGames } from './composables/resources'
import { groups, pageCalled } from './pages'

const DraftBar = defineAsyncComponent(() => import('./components/DraftBar.vue'))
const FileDrop = defineAsyncComponent(() => import('./components/FileDrop.vue'))
const FirstSteps = defineAsyncComponent(() => import('./components/FirstSteps.vue'))

const route = useRoute()
const theme = useTheme()
const search = ref<InstanceType<typeof NameSearch>>()
const games = useGames()

const game = computed(() => String(route.params.game ?? ''))
const info = computed(() => games.data.value?.find((g) => g.id === game.value))
// A game that is not on the list yet has just been made, or dropped here.
watch(game, () => {
  if (game.value && games.data.value && !info.value) void games.reload()
})
const dark = computed(() => theme.global.name.value === 'dark')

const page = computed(() => pageCalled(route.name))
const drafted = computed(() => game.value !== '' && !!page.value?.drafted)

function turn() {
  const next = dark.value ? 'light' : 'dark'
  theme.change(next)
  localStorage.setItem('alluvion-theme', next)
}
</script>

<template>
  <v-app>
    <a class="skip" href="#content">To the content</a>
    <header class="bar">
      <RouterLink class="mark" to="/" aria-label="Alluvion: all games">
        <svg viewBox="0 0 24 24" width="24" aria-hidden="true">
          <path d="M2 8c4-4 7 4 10 0s6 4 10 0M2 13c4-4 7 4 10 0s6 4 10 0M5 18h14" fill="none" stroke="currentColor" stroke-width="2.2" stroke-linecap="round" />
        </svg>
        <span>Alluvion</span>
      </RouterLink>
      <template v-if="game">
        <span class="game">{{ info?.title ?? game }} <span v-if="info" class="version mono">v{{ info.version }}</span></span>
        <nav aria-label="Pages of the game">
          <span v-for="(group, i) in groups" :key="i" class="group">
            <RouterLink v-for="p in group" :key="p.name" :to="{ name: p.name, params: { game } }" :class="{ here: page && (page.within ?? page.name) === p.name }">{{ p.short ?? p.title }}</RouterLink>
          </span>
        </nav>
      </template>
      <span class="space" />
      <button type="button" class="tool" :title="game ? 'Search everything that the plan names (key /)' : 'Search the games (key /)'" aria-label="Search" @click="search?.show()">
        <v-icon :icon="mdiMagnify" size="20" /> <kbd>/</kbd>
      </button>
      <button type="button" class="tool" :aria-label="dark ? 'Light colours' : 'Dark colours'" @click="turn">
        <v-icon :icon="dark ? mdiWhiteBalanceSunny : mdiWeatherNight" size="20" />
      </button>
    </header>
    <p v-if="lost" class="lost" role="status">The service does not answer. This is how it stood; it is asked again until it is back.</p>
    <FirstSteps v-if="!['print', 'adopt'].includes(String(route.name)) && ['', 'lantern-pass'].includes(game)" />
    <main id="content" tabindex="-1">
      <RouterView v-slot="{ Component }">
        <component :is="Component" v-if="Component" :key="game" />
        <div v-else class="page"><WaitingNote text="Opening the page …" /></div>
      </RouterView>
    </main>
    <DraftBar v-if="drafted" :key="game" :game="game" />
    <NameSearch ref="search" :game="game" />
    <FileDrop :game="game" />
    <TokenDoor v-if="asksForToken" />
  </v-app>
</template>

<style scoped>
.bar {
  position: sticky;
  top: 0;
  z-index: 5;
  display: flex;
  align-items: center;
  gap: 18px;
  height: 50px;
  padding: 0 28px;
  color: #e9eef0;
  background: #1d3d50;
}

.mark {
  display: flex;
  align-items: center;
  gap: 9px;
  color: inherit;
  text-decoration: none;
  font-weight: 600;
  font-size: 17px;
}

.mark svg {
  color: #8fd0bd;
}

.game {
  padding-left: 18px;
  border-left: 1px solid #ffffff30;
  white-space: nowrap;
}

.version {
  color: #e2cf9f;
  margin-left: 4px;
}

nav {
  display: flex;
  height: 100%;
}

.group {
  display: flex;
  height: 100%;
}

.group + .group::before {
  content: '';
  align-self: center;
  height: 18px;
  margin: 0 5px;
  border-left: 1px solid #ffffff30;
}

nav a {
  display: flex;
  align-items: center;
  padding: 0 10px;
  color: #c7d6dc;
  text-decoration: none;
  border-bottom: 3px solid transparent;
  border-top: 3px solid transparent;
}

nav a:hover {
  color: #fff;
}

nav .here {
  color: #fff;
  border-bottom-color: #e2cf9f;
}

.space {
  flex: 1;
}

.tool {
  display: flex;
  align-items: center;
  gap: 6px;
  cursor: pointer;
  color: inherit;
}

kbd {
  font-family: var(--mono);
  font-size: 12px;
  padding: 0 6px;
  border: 1px solid #ffffff50;
  border-radius: 3px;
}

.skip {
  position: absolute;
  top: -40px;
  left: 8px;
  z-index: 9;
  padding: 4px 10px;
  color: #fff;
  background: #1d3d50;
}

.skip:focus {
  top: 8px;
}

main {
  flex: 1 0 auto;
  outline: none;
}

.lost {
  margin: 0;
  padding: 6px 28px;
  color: rgb(var(--v-theme-on-error));
  background: rgb(var(--v-theme-error));
}

@media (max-width: 1180px) {
  .bar {
    flex-wrap: wrap;
    height: auto;
    min-height: 50px;
    gap: 0 12px;
    padding: 8px 14px 0;
  }

  nav {
    order: 9;
    flex-basis: 100%;
    height: 40px;
    overflow-x: auto;
  }

  kbd {
    display: none;
  }
}

@media print {
  .bar,
  .skip,
  .lost {
    display: none;
  }
}
</style>
