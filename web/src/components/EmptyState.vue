<script setup lang="ts">
defineProps<{ title: string }>()
</script>

<template>
  <div class="sheet empty">
    <svg viewBox="0 0 120 36" width="120" aria-hidden="true">
      <path d="M4 12c14-12 26 12 40 0s26 12 40 0 20 8 32 0M4 24c14-12 26 12 40 0s26 12 40 0 20 8 32 0" fill="none" stroke="currentColor" stroke-width="2" stroke-linecap="round" />
    </svg>
    <h2>{{ title }}</h2>
    <p><slot /></p>
    <div v-if="$slots.do" class="do"><slot name="do" /></div>
  </div>
</template>

<style scoped>
.empty {
  padding: 44px 24px;
  text-align: center;
}

svg {
  color: rgb(var(--v-theme-secondary));
  opacity: 0.6;
}

h2 {
  font-size: 18px;
  margin: 10px 0 4px;
}

.do {
  display: flex;
  justify-content: center;
  gap: 8px;
  margin-top: 14px;
}

p {
  color: rgb(var(--v-theme-quiet));
  margin: 0;
}
</style>
