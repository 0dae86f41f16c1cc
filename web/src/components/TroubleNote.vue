<script setup lang="ts">
defineProps<{ text: string }>()
defineEmits<{ retry: [] }>()
</script>

<template>
  <v-alert v-if="text" type="error" class="mb-4">
    {{ text }}
    <template #append><v-btn size="small" variant="text" @click="$emit('retry')">Try again</v-btn></template>
  </v-alert>
</template>
