<script setup lang="ts">
import { timeLeft } from '../format/show.ts'
import type { Progress } from './progress.ts'

/** How far work in the browser has come, with time left and a way out. */
defineProps<{ progress: Progress; label: string }>()
defineEmits<{ cancel: [] }>()
</script>

<template>
  <v-progress-linear
    class="progress"
    color="primary"
    height="8"
    :model-value="(100 * progress.done) / progress.total"
    :aria-label="label"
  />
  <span class="muted small">{{ timeLeft(progress.msLeft) }}</span>
  <v-btn @click="$emit('cancel')">Cancel</v-btn>
</template>

<style scoped>
.progress {
  flex: 0 0 160px;
}
</style>
