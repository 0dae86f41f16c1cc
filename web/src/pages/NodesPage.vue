<script setup lang="ts">
import { computed } from 'vue'

import EmptyState from '../components/EmptyState.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useNodes } from '../composables/resources'

// The nodes that make this service, how far each has come, and which sessions each runs.
const { data: nodes, error, reload } = useNodes(2000)

/** Whether nodes are of several versions: an upgrade is under way. */
const mixed = computed(() => new Set((nodes.value?.nodes ?? []).map((node) => node.version)).size > 1)
const running = computed(() => (nodes.value?.nodes ?? []).reduce((n, node) => n + node.sessions.length, 0))
/** How far a node's file is behind, where that is more than what is on its way. */
function behind(place: number): number {
  const n = (nodes.value?.place ?? 0) - place
  return n > 100 ? n : 0
}
</script>

<template>
  <div class="page">
    <h1 class="page-title">Nodes</h1>
    <p class="page-lead">The programs that make this service together. Each has all saves in a file of its own; a session is run by one of them, and by another one if that is gone.</p>
    <TroubleNote :text="error" @retry="reload" />
    <WaitingNote v-if="!nodes && !error" />
    <EmptyState v-else-if="nodes && !nodes.this" title="This service is alone">
      One machine with one file is enough for most games. How several nodes make one service: <span class="mono">alluvion help serve</span>
    </EmptyState>
    <template v-else-if="nodes">
      <p v-if="nodes.apart" class="bad" role="alert">{{ nodes.this }}, which answers here, does not reach most of the other nodes now. It runs no session until it does; what is shown may be old.</p>
      <p class="quiet">{{ nodes.nodes.length === 1 ? 'One node is there. It runs' : `${nodes.nodes.length} nodes are there. They run` }} {{ running === 1 ? 'one session' : `${running} sessions` }}. All nodes have written {{ nodes.place === 1 ? 'one message' : `${nodes.place.toLocaleString()} messages` }} so far.</p>
      <p v-if="mixed" class="quiet">They are of different versions: what the older ones could not read is refused until all are of the newer one.</p>
      <div class="nodes">
        <article v-for="node in nodes.nodes" :key="node.name" class="sheet node" :aria-label="`Node ${node.name}`">
          <h2>{{ node.name }} <small v-if="node.name === nodes.this" class="quiet">answers here</small></h2>
          <dl>
            <div><dt>Address</dt><dd class="mono">{{ node.address }}</dd></div>
            <div><dt>Version</dt><dd>{{ node.version }}</dd></div>
            <div><dt>Its file</dt><dd :class="{ bad: behind(node.place) > 1000 }">{{ behind(node.place) === 0 ? 'keeps up' : `is ${behind(node.place).toLocaleString()} behind` }}</dd></div>
            <div><dt>Sessions</dt><dd>{{ node.sessions.length }}</dd></div>
          </dl>
          <ul v-if="node.sessions.length">
            <li v-for="s in node.sessions.slice(0, 50)" :key="`${s.game}/${s.session}`">
              <RouterLink class="link" :to="{ name: 'live', params: { game: s.game, session: s.session } }">{{ s.session }}</RouterLink> <span class="quiet">of {{ s.game }}{{ s.epoch > 1 ? `, changed hands ${s.epoch - 1} ${s.epoch === 2 ? 'time' : 'times'}` : '' }}</span>
            </li>
            <li v-if="node.sessions.length > 50" class="quiet">and {{ node.sessions.length - 50 }} more</li>
          </ul>
          <p v-else class="quiet">It runs no session.</p>
        </article>
      </div>
      <section v-if="nodes.unowned.length" class="sheet left">
        <h2>Of nodes that are gone</h2>
        <p class="quiet">Whichever node is asked for one of these sessions next runs it, with all that was saved.</p>
        <ul><li v-for="s in nodes.unowned.slice(0, 50)" :key="`${s.game}/${s.session}`">{{ s.session }} <span class="quiet">of {{ s.game }}</span></li></ul>
      </section>
    </template>
  </div>
</template>

<style scoped>
.nodes {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(320px, 1fr));
  gap: 16px;
}

.node,
.left {
  padding: 16px 18px;
}

.left {
  margin-top: 16px;
}

h2 {
  font-size: 17px;
  margin: 0 0 10px;
}

h2 small {
  font-weight: 400;
}

dl {
  display: grid;
  gap: 6px;
  margin: 0 0 10px;
}

dl div {
  display: grid;
  grid-template-columns: 90px 1fr;
}

dt {
  color: rgb(var(--v-theme-quiet));
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}

ul {
  margin: 0;
  padding-left: 18px;
}
</style>
