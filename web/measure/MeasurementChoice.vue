<script setup lang="ts">
import type { Visit } from '../../core/contracts/measuring.ts'
import type { Site } from '../../core/contracts/sites.ts'
import type { MeasuredChoice } from '../../core/measuring/first-choice.ts'
import { pageItems } from '../format/show.ts'
import CheckList from '../ui/CheckList.vue'

defineProps<{ site: Site; runsLabel: string; runsHint: string }>()
const choice = defineModel<MeasuredChoice>({ required: true })
const set = (part: Partial<MeasuredChoice>): void => {
  choice.value = { ...choice.value, ...part }
}
</script>

<template>
  <CheckList
    :model-value="choice.pageIds"
    legend="Pages"
    :items="pageItems(site.sample)"
    @update:model-value="(pageIds) => set({ pageIds })"
  />
  <fieldset>
    <legend>As</legend>
    <v-checkbox
      v-for="visitor in site.visitors"
      :key="visitor.id"
      :model-value="choice.visitorIds"
      :value="visitor.id"
      @update:model-value="(visitorIds: unknown) => set({ visitorIds: visitorIds as string[] })"
    >
      <template #label>
        <span class="who">{{ visitor.name }}</span>&nbsp;<span class="muted small"
          >{{ visitor.width }}×{{ visitor.height }}, {{ visitor.downKbps / 1000 }} Mbit/s, {{ visitor.roundTripMs }} ms
          away<template v-if="visitor.cpuSlowdown > 1">, {{ visitor.cpuSlowdown }}× slower</template></span
        >
      </template>
    </v-checkbox>
    <v-radio-group
      :model-value="choice.visit"
      hide-details
      density="compact"
      label="Visit"
      @update:model-value="(visit: unknown) => set({ visit: visit as Visit })"
    >
      <v-radio value="first" label="First visit, empty browser" />
      <v-radio value="return" label="Return visit: shows the gain of the browser cache" />
      <v-radio value="next" label="Next page of the same visit" />
    </v-radio-group>
    <v-text-field
      :model-value="choice.runs"
      class="runs"
      type="number"
      min="1"
      max="50"
      :label="runsLabel"
      :hint="runsHint"
      persistent-hint
      @update:model-value="(runs: unknown) => set({ runs: Number(runs) })"
    />
    <slot />
  </fieldset>
</template>

<style scoped>
.who {
  white-space: nowrap;
}
.runs {
  max-width: 300px;
  margin: 0.6rem 0;
}
fieldset :deep(.v-selection-control) {
  min-height: 30px;
}
fieldset :deep(.v-radio-group > .v-input__control > .v-label) {
  margin-inline-start: 0;
}
fieldset :deep(.v-selection-control-group) {
  padding-inline-start: 0;
}
</style>
