<script setup lang="ts">
defineProps<{ text?: string }>()
</script>

<template>
  <div class="waiting" role="status">
    <svg viewBox="0 0 120 12" width="120" aria-hidden="true">
      <path d="M-20 6c8-6 16 6 24 0s16 6 24 0 16 6 24 0 16 6 24 0 16 6 24 0 16 6 24 0" fill="none" stroke="currentColor" stroke-width="2" stroke-linecap="round" />
    </svg>
    <p>{{ text ?? 'Asking the service …' }}</p>
  </div>
</template>

<style scoped>
/* What comes at once is not announced. */
.waiting {
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 18px 4px;
  color: rgb(var(--v-theme-quiet));
  animation: appear 0.2s 0.25s both;
}

svg {
  overflow: hidden;
  color: rgb(var(--v-theme-secondary));
}

path {
  animation: flow 1.6s linear infinite;
}

p {
  margin: 0;
}

@keyframes flow {
  to {
    transform: translateX(24px);
  }
}

@keyframes appear {
  from {
    opacity: 0;
  }
}

@media (prefers-reduced-motion: reduce) {
  path {
    animation: none;
  }
}
</style>
