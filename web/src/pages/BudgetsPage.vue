<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import CarrierSheet from '../components/CarrierSheet.vue'
import EmptyState from '../components/EmptyState.vue'
import FormFold from '../components/FormFold.vue'
import FrameCosts from '../components/FrameCosts.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useBudgets } from '../composables/resources'

const props = defineProps<{ game: string }>()
const route = useRoute()
const { data: budgets, error, reload } = useBudgets(() => props.game)
const carrier = computed(() => budgets.value?.carriers.find((c) => c.carrier === route.query.carrier) ?? budgets.value?.carriers[0])
</script>

<template>
  <div class="page">
    <h1 class="page-title">Budgets</h1>
    <p class="page-lead">
      What state costs on the wire, bit by bit, and what fits into transports with hard limits.
    </p>
    <TroubleNote :text="error" @retry="reload" />
    <WaitingNote v-if="!budgets && !error" />
    <template v-if="budgets">
      <nav v-if="budgets.carriers.length > 1" class="chips" aria-label="Carriers">
        <RouterLink v-for="c in budgets.carriers" :key="c.carrier" replace :to="{ query: { carrier: c.carrier } }" :class="{ here: c === carrier }">{{ c.title }}</RouterLink>
      </nav>
      <CarrierSheet v-if="carrier" :carrier="carrier" />
      <EmptyState v-else title="There are no carriers">A plan names one where state has to travel through something with an alphabet, a length, lanes and an interval.</EmptyState>
      <h2>Packed frames <span class="quiet">{{ budgets.ticks }} a second; a value is sent when it has changed</span></h2>
      <FrameCosts :budgets="budgets" />
      <FormFold :game="game" title="Change carriers, and what a session sends, in the plan" :parts="['carriers', 'session']" />
    </template>
  </div>
</template>

<style scoped>
h2 {
  font-size: 16px;
  margin: 20px 0 8px;
}

h2 .quiet {
  font-weight: 400;
  font-size: 14px;
}
</style>
