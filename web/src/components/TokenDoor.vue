<script setup lang="ts">
import { ref } from 'vue'

import { signIn } from '../api/client'

const token = ref('')
const wrong = ref('')

async function enter() {
  wrong.value = await signIn(token.value)
  if (!wrong.value) window.location.reload()
}
</script>

<template>
  <v-dialog :model-value="true" persistent max-width="520">
    <form class="sheet door" @submit.prevent="enter">
      <h2>A token is needed</h2>
      <p class="quiet">This service is open to other machines, so it asks who you are. Whoever runs it makes a token with <code class="mono">alluvion token DATA</code>.</p>
      <v-text-field v-model="token" label="Token" type="password" autocomplete="off" v-begin :error-messages="wrong" />
      <v-btn type="submit" color="primary" :disabled="!token.trim()">Enter</v-btn>
    </form>
  </v-dialog>
</template>

<style scoped>
.door {
  display: grid;
  gap: 12px;
  padding: 20px 24px;
  justify-items: start;
}

.door :deep(.v-input) {
  width: 100%;
}

h2 {
  font-size: 18px;
  margin: 0;
}

p {
  margin: 0;
}
</style>
