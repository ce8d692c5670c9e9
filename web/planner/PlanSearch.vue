<script setup lang="ts">
import ActionButton from '../ui/ActionButton.vue'
import SelectField from '../ui/SelectField.vue'
import { durationItems } from './plan-words.ts'
import type { Progress } from './progress.ts'
import WorkProgress from './WorkProgress.vue'

/** Looks for the settings with the fewest cold visits within the owner's bounds. */
defineProps<{
  disabled: boolean
  /** How far the search has come; null: none is under way. */
  progress: Progress | null
  /** What was found, in a sentence. */
  proposal: string
}>()
defineEmits<{ search: []; cancel: [] }>()
const originPerDay = defineModel<number>('originPerDay', { required: true })
const oldestS = defineModel<number>('oldestS', { required: true })
const setBound = (value: unknown): void => {
  const typed = Number(value)
  if (value !== '' && typed > 0) originPerDay.value = typed
}
</script>

<template>
  <h2>Propose settings</h2>
  <p>
    Looks for the lifetimes and the warm-up with the fewest cold visits that keep both bounds, first for all pages
    together, then for each kind.
  </p>
  <div class="bar">
    <v-text-field
      class="bound"
      type="number"
      min="1"
      label="Most page requests to your server (origin) per day"
      :model-value="originPerDay"
      @update:model-value="setBound"
    />
    <SelectField
      v-model="oldestS"
      class="bound"
      label="Oldest that a page may be when it is seen"
      :items="durationItems(oldestS)"
    />
    <ActionButton :disabled="disabled" :under-way="progress !== null" @click="$emit('search')">Propose</ActionButton>
    <WorkProgress
      v-if="progress !== null"
      :progress="progress"
      :label="`${progress.done} of ${progress.total} settings tried`"
      @cancel="$emit('cancel')"
    />
  </div>
  <p v-if="proposal" class="proposal" role="status">{{ proposal }}</p>
</template>

<style scoped>
.bar {
  gap: 0.9rem 1rem;
  margin: 0.9rem 0;
}
.bound {
  flex: 0 1 24rem;
}
.proposal {
  max-width: none;
}
</style>
