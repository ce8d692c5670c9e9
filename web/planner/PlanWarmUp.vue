<script setup lang="ts">
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import type { PlanSettings } from '../../core/contracts/planner.ts'
import SelectField from '../ui/SelectField.vue'
import { ROUND_INTERVALS } from '../warm-up/round-intervals.ts'

/** How pages are kept warm under the plan, and how long they may be served stale. */
const plan = defineModel<PlanSettings>('plan', { required: true })
const STALE_S = [0, 60, 600, 3600, 86_400]
const staleItems = (set: number): { value: number; title: string }[] =>
  [...new Set([...STALE_S, set])]
    .toSorted((a, b) => a - b)
    .map((value) => ({ value, title: value === 0 ? 'never' : `for ${roughlyInWords(value)}` }))
const warmUp = (change: Partial<PlanSettings['warmUp']>): void => {
  plan.value = { ...plan.value, warmUp: { ...plan.value.warmUp, ...change } }
}
const setPace = (value: unknown): void => {
  const typed = Math.round(Number(value))
  if (typed >= 1 && typed <= 6000) warmUp({ perMinute: typed })
}
</script>

<template>
  <div class="bar settings">
    <SelectField
      class="number"
      label="Stale while revalidating"
      :model-value="plan.staleWhileRevalidateS"
      :items="staleItems(plan.staleWhileRevalidateS)"
      @update:model-value="plan = { ...plan, staleWhileRevalidateS: $event }"
    />
    <v-checkbox
      label="Warm-up"
      :model-value="plan.warmUp.automatic"
      @update:model-value="warmUp({ automatic: $event === true })"
    />
    <template v-if="plan.warmUp.automatic">
      <v-checkbox
        label="before pages expire"
        :model-value="plan.warmUp.beforeExpiry"
        @update:model-value="warmUp({ beforeExpiry: $event === true })"
      />
      <v-checkbox
        label="after changes"
        :model-value="plan.warmUp.afterChanges"
        @update:model-value="warmUp({ afterChanges: $event === true })"
      />
      <SelectField
        class="number"
        label="The whole list"
        :model-value="plan.warmUp.everyH"
        :items="ROUND_INTERVALS"
        @update:model-value="warmUp({ everyH: $event })"
      />
      <v-text-field
        class="number"
        type="number"
        min="1"
        max="6000"
        label="Requests per minute"
        :model-value="plan.warmUp.perMinute"
        @update:model-value="setPace"
      />
    </template>
  </div>
</template>

<style scoped>
.settings {
  gap: 0.6rem 1rem;
  margin: 0.9rem 0;
}
.number {
  flex: 0 1 12rem;
}
</style>
