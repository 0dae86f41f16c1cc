<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'

// Asks before a milestone is given by hand, or taken back, and says what follows.
const props = defineProps<{ title: string; player: Schemas['MilestonePlayer']; index: number; busy: boolean }>()
const emit = defineEmits<{ give: [yes: boolean]; close: [] }>()

const earned = computed(() => props.player.stands[props.index]?.earned ?? false)
</script>

<template>
  <v-dialog :model-value="true" max-width="440" transition="fade-transition" aria-label="Give a milestone by hand" @update:model-value="emit('close')">
    <div class="sheet ask">
      <h2>{{ title }}: {{ player.player }}</h2>
      <p v-if="earned">It is taken back. As soon as what it asks for is evaluated again and holds, it is earned again.</p>
      <p v-else>It is given by hand{{ player.present ? ': the rules that wait for it do what they do' : ' in the save; rules that wait for it do nothing' }}. It stands in the history as a correction, and can be taken back.</p>
      <div class="buttons">
        <v-btn variant="text" @click="emit('close')">Cancel</v-btn>
        <v-btn color="primary" :loading="busy" autofocus @click="emit('give', !earned)">{{ earned ? 'Take it back' : 'Give it' }}</v-btn>
      </div>
    </div>
  </v-dialog>
</template>

<style scoped>
.ask {
  padding: 20px 22px;
}

.ask h2 {
  font-size: 18px;
  margin: 0 0 8px;
}

.buttons {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
  margin-top: 14px;
}
</style>
