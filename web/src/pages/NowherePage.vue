<script setup lang="ts">
import EmptyState from '../components/EmptyState.vue'
</script>

<template>
  <div class="page">
    <EmptyState title="There is nothing at this address"><RouterLink class="plain" to="/">See all games</RouterLink></EmptyState>
  </div>
</template>
