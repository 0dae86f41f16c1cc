<script setup lang="ts">
import { ref, watch } from 'vue'

import { told } from '../api/client'

/** Asks for the name of what is to be closed or deleted once more, and does it then. */
const props = defineProps<{ title: string; name: string; act: string; work: () => Promise<unknown> }>()
const emit = defineEmits<{ done: [] }>()
const open = defineModel<boolean>({ required: true })

const typed = ref('')
const trouble = ref('')
const busy = ref(false)
watch(open, () => (typed.value = trouble.value = ''))

async function carryOut() {
  busy.value = true
  trouble.value = ''
  try {
    await props.work()
    open.value = false
    emit('done')
  } catch (e) {
    trouble.value = told(e)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <v-dialog v-model="open" max-width="520" transition="fade-transition" :aria-label="title">
    <form class="sheet ask" @submit.prevent="carryOut">
      <h2>{{ title }}</h2>
      <slot />
      <v-text-field v-model="typed" v-begin :label="`Write ${name} to do it`" hide-details autocomplete="off" />
      <p v-if="trouble" class="bad" role="alert">{{ trouble }}</p>
      <div class="buttons">
        <v-btn variant="text" @click="open = false">Leave it</v-btn>
        <v-btn type="submit" color="error" :disabled="typed.trim() !== name" :loading="busy">{{ act }}</v-btn>
      </div>
    </form>
  </v-dialog>
</template>
